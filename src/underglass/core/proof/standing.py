"""What is in force before a block of the main program, and what the block changes of it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

from underglass.core.control.places import programmed
from underglass.core.control.state import InForce, Station, Vector
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import control_for
from underglass.core.units import MM_PER_INCH, Unit, show_length


class StateRow(NamedTuple):
    """One thing that is in force, in words; ``after`` differs from ``before`` where the block changes it."""

    what: str
    before: str
    after: str

    @property
    def changed(self) -> bool:
        return self.before != self.after


@dataclass(frozen=True, slots=True, kw_only=True)
class Standing:
    """Before and after a block's first run. Places as the program says them, mm; feeds in mm/min (or as G93, G95 say)."""

    line: int
    before: InForce
    after: InForce
    place: Vector
    place_after: Vector
    feed: float
    feed_after: float

    @property
    def unit(self) -> Unit:
        """The unit that a block put in here would be read in."""
        return self.before.units

    def rows(self) -> tuple[StateRow, ...]:
        """Everything in force, in the order in which a person reads it; lengths in the program's unit."""
        b, a = _said(self.before, self.place, self.feed), _said(self.after, self.place_after, self.feed_after)
        return tuple(StateRow(what, was, now) for (what, was), (_what, now) in zip(b, a))


def _said(state: InForce, place: Vector, feed: float) -> list[tuple[str, str]]:
    unit = state.units

    def length(value: float) -> str:
        return show_length(value, unit)

    rate = feed / (MM_PER_INCH if unit == "inch" else 1.0)
    if state.station is not None and state.station.flat:
        return _on_the_sheet(state, place, rate)
    if state.station is not None:
        return _at_the_turret(state, state.station, place, rate)
    shift = " ".join(f"{axis}{length(v)}" for axis, v in zip("XYZ", state.extra) if v)
    comp = {"left": f"G41 D{state.d_number}", "right": f"G42 D{state.d_number}"}.get(state.comp, "off, G40")
    return [
        *((axis, length(v)) for axis, v in zip("XYZ", place)),
        ("Tool", f"T{state.tool}" if state.tool else "none"),
        ("Motion", state.motion),
        ("Places", "absolute, G90" if state.distance == "G90" else "incremental, G91"),
        ("Units", "mm, G21" if unit == "mm" else "inch, G20"),
        ("Plane", {17: "X Y, G17", 18: "Z X, G18", 19: "Y Z, G19"}[state.plane]),
        ("Work offset", state.offset),
        ("Shift", shift or "none"),
        ("Rotation, scale, mirror", " ".join(state.turned) or "none"),
        ("Radius compensation", comp + (f" = {length(state.d_value)}" if state.comp != "off" else "")),
        (
            "Length offset",
            f"{state.length_word} H{state.h_number} = {length(state.h_value)}"
            if state.h_number is not None
            else "off, G49",
        ),
        ("Spindle", f"S{state.speed:g} {state.spindle}" if state.spindle != "off" else f"off, S{state.speed:g}"),
        ("Feed", f"F{rate:g} {state.feed_mode}" if feed > 0.0 else f"none, {state.feed_mode}"),
        ("Coolant", "on" if state.coolant else "off"),
        ("Cycles return to", "start, G98" if state.cycle_return == "G98" else "R, G99"),
        ("Corners", "exact stop, G61" if state.exact else "continuous, G64"),
    ]


def _on_the_sheet(state: InForce, place: Vector, rate: float) -> list[tuple[str, str]]:
    """The same of a sheet machine: no Z, no spindle."""
    unit = state.units

    def length(value: float) -> str:
        return show_length(value, unit)

    side = {"left": "G41", "right": "G42"}.get(state.comp)
    return [
        ("X", length(place[0])),
        ("Y", length(place[1])),
        ("Tool", f"T{state.tool}" if state.tool else "none"),
        ("Motion", state.motion),
        ("Places", "absolute, G90" if state.distance == "G90" else "incremental, G91"),
        ("Units", "mm, G21" if unit == "mm" else "inch, G20"),
        ("Work offset", state.offset),
        ("Compensation", f"{side} D{state.d_number} = {length(state.d_value)}" if side else "off, G40"),
        ("Cutter or ram", "on" if state.spindle != "off" else "off"),
        ("Feed", f"F{rate:g}" if rate > 0.0 else "none"),
    ]


def _at_the_turret(state: InForce, on: Station, place: Vector, rate: float) -> list[tuple[str, str]]:
    """The same of a lathe: X as a diameter."""
    unit = state.units

    def length(value: float) -> str:
        return show_length(value, unit)

    turning = state.spindle != "off"
    speed = f"G96 S{state.speed:.6g}, surface speed" if on.surface else f"G97 S{state.speed:.6g}"
    side = {"left": "G41", "right": "G42"}.get(state.comp)
    return [
        ("X, diameter", length(2.0 * place[0])),
        ("Z", length(place[2])),
        ("Station", f"T{state.tool}" if state.tool else "none"),
        ("Offset", f"{on.offset}: X {length(2.0 * on.x)} Z {length(on.z)}" if on.offset else "none on"),
        ("Motion", state.motion),
        ("Units", "mm, G21" if unit == "mm" else "inch, G20"),
        ("Work offset", state.offset),
        ("Tip radius", f"{side} = {length(state.d_value)}, orientation {on.orientation}" if side else "off, G40"),
        ("Spindle", f"{speed} {state.spindle}" if turning else f"off, {speed}"),
        ("Speed limit", f"{on.limit:g} rpm, G50" if on.limit else "none"),
        (
            "Feed",
            f"{f'F{rate:g}' if rate > 0.0 else 'none'}, {'a turn, G99' if state.feed_mode == 'G95' else 'a minute, G98'}",
        ),
        ("Coolant", "on" if state.coolant else "off"),
    ]


def standing(proof: Proof, line: int) -> Standing | None:
    """What holds before and after a line (from 1); None where the program never comes to it."""
    control = control_for(proof.job)
    if not control.stand_before(proof.source.lines, line, proof.source.name, proof.run):
        return None
    before, place, feed = control.modal.freeze(), programmed(control), control.modal.feed
    block = control.flow.step()
    if block is not None:
        control.do(block)
    return Standing(
        line=line,
        before=before,
        after=control.modal.freeze(),
        place=place,
        place_after=programmed(control),
        feed=feed,
        feed_after=control.modal.feed,
    )
