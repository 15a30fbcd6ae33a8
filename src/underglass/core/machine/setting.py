"""Zeros and lengths set at the machine: what a register has to hold so that the control reads so much where the tool stands now.

Machine = work coordinate + work offset + length register (along Z), all as the control adds them; the sums are common practice, no source.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

from underglass.core.machine.actions import SetFigure
from underglass.core.machine.stand import Stand
from underglass.core.proof.touch_off import touched_setter
from underglass.core.units import Unit, show_length

Group = Literal["work", "length", "geometry"]


@dataclass(frozen=True, slots=True)
class Setting:
    """What the control is told, and the sum in words."""

    told: SetFigure
    said: str


def set_to(stand: Stand, axis: str, reads: float, group: Group, key: str, unit: Unit) -> Setting:
    """``key`` (G54, H1, T1) so that ``axis`` of the work reads ``reads``, mm, where the gauge line stands now.

    On an axis that counts diameters ``reads`` is half of one. For the work's Z the length register of the tool that the control has
    in force is taken off, or else that of the tool that is in.
    """
    k = "xyz".index(axis)
    here = stand.place[k]
    parts = [f"machine {_figure(stand, k, here, unit)}"]
    value = here - reads
    offset = stand.in_force.offset
    work = stand.job.registers.work.get(key if group == "work" else offset, (0.0, 0.0, 0.0))[k]
    if group == "work" and k == 2:
        length = length_used(stand)
        if length:
            value -= length
            parts.append(f"length {show_length(length, unit)}")
    if group == "work" and stand.in_force.station is not None and not stand.in_force.station.flat:
        on = stand.in_force.station
        shift = on.x if k == 0 else on.z if k == 2 else 0.0
        if shift:
            value -= shift
            parts.append(f"offset {on.offset:02d} {_figure(stand, k, shift, unit)}")
    if group != "work" and work:
        value -= work
        parts.append(f"{offset} {_figure(stand, k, work, unit)}")
    parts.append(f"({_figure(stand, k, reads, unit)} to read)")
    told = SetFigure(group=group, key=key, value=round(value, 6), axis=axis if group != "length" else "")
    return Setting(told, f"{' − '.join(parts)} = {_figure(stand, k, value, unit)}")


def on_setter(stand: Stand, unit: Unit) -> tuple[Setting, ...] | str:
    """What the machine's tool setter tells the control of the tool that is in; why not, where it cannot."""
    number = stand.tool
    if stand.tool_there is None and stand.habits.tools_by_hand:
        return "No tool in: nothing to measure."
    if stand.habits.setter is not None:
        found = stand.habits.setter(stand.job, number)
        if not found:
            return "No tool stands in the turret's working place: call one first."
        words = ", ".join(f"{axis.upper()} {_figure(stand, 'xyz'.index(axis), value, unit)}" for axis, value in found)
        return tuple(
            Setting(SetFigure(group="geometry", key=f"T{number}", value=value, axis=axis), f"The setter finds {words}")
            for axis, value in found
        )
    if not stand.habits.tools_by_hand:
        return "There is no tool setter here."
    if number not in stand.job.bench.tools:
        return "An instrument's length is known: it is not measured."
    job = replace(stand.job, bench=replace(stand.truth.bench, loaded={}))
    answer = touched_setter(job, number, unit)
    if isinstance(answer, str):
        return answer
    if answer.group != "length":
        return "The setter sets no length in this way of setting."
    return (Setting(SetFigure(group="length", key=answer.name, value=answer.value), answer.found.said),)


def at_stops(stand: Stand) -> tuple[Setting, ...]:
    """The zero where the work lies against its stops: the place that the machine knows of them."""
    name = stand.in_force.offset
    zero = stand.truth.bench.zero.get(name)
    if zero is None:
        return ()
    said = f"{name} is the stops' own place"
    return (
        Setting(SetFigure(group="work", key=name, value=zero.x, axis="x"), said),
        Setting(SetFigure(group="work", key=name, value=zero.y, axis="y"), said),
    )


def changed_registers(stand: Stand) -> tuple[tuple[str, str], ...]:
    """(group, key) of the figures that the control holds otherwise than the job has them."""
    now, was = stand.job.registers, stand.truth.registers
    out: list[tuple[str, str]] = []
    for group in ("work", "length", "radius", "geometry"):
        one, two = getattr(now, group), getattr(was, group)
        out += [(group, str(key)) for key in one if one[key] != two.get(key)]
    return tuple(out)


def _figure(stand: Stand, k: int, value: float, unit: Unit) -> str:
    """A place on an axis as a person reads it there."""
    return show_length(value * (stand.job.bench.machine.x_factor if k == 0 else 1.0), unit)


def length_used(stand: Stand) -> float:
    """The length register that a Z of the work is set with: the one in force, or that of the tool that is in, mm."""
    now = stand.in_force
    if now.station is not None:
        return 0.0
    if now.h_number is not None:
        return now.h_value
    if stand.job.z_by in ("each-tool",):
        return 0.0
    tool = stand.tool_there
    held = stand.job.registers.length.get(stand.tool)
    # An instrument's length stands on its own shank.
    return (
        held
        if held is not None
        else (tool.length if tool is not None and stand.tool not in stand.job.bench.tools else 0.0)
    )
