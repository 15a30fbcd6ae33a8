"""Truth against belief on a lathe: the zero, each tool's gauge, each nose; and how a figure is put into the job.

X stands as a diameter in these rows, as in the job file.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Protocol

from underglass.core.bench.lathe import LatheTool
from underglass.core.proof.belief import Group, Row, Verdict
from underglass.core.proof.job import Job
from underglass.core.proof.proof import Proof
from underglass.core.tolerances import TOLERANCES
from underglass.core.trades.turning.lathe import lathe_of, really_there
from underglass.core.units import MM_PER_INCH

HEADS: Mapping[Group, tuple[str, str]] = {
    "work": ("Part zero", "machine coordinates, X a diameter"),
    "length": ("Tool offset", "from the turret's reference to the tip, X a diameter"),
    "radius": ("Tip radius", "as the control compensates"),
}


class Edit(Protocol):
    """What a job's text is changed by."""

    def put(self, value: Any, *path: str | int) -> None: ...

    def get(self, *path: str | int) -> Any: ...


def _verdict(off: float | None, within: float) -> Verdict:
    if off is None:
        return "unset"
    if abs(off) <= TOLERANCES.same_register_mm:
        return "same"
    return "wear" if abs(off) <= within else "wrong"


def lathe_rows(job: Job, proof: Proof | None) -> tuple[Row, ...]:
    """Every row, in the order in which a setter reads it."""
    out: list[Row] = []
    tolerance = job.settings.tolerance
    for name, frame in job.bench.zero.items():
        belief = job.registers.work.get(name)
        for axis, truth, told in (
            ("x", 2.0 * frame.x, None if belief is None else 2.0 * belief[0]),
            ("z", frame.z, None if belief is None else belief[2]),
        ):
            off = None if told is None else told - truth
            what = "X, spindle axis" if axis == "x" else "Z, face of the part"
            out.append(
                _row(
                    "work",
                    name,
                    axis,
                    what,
                    0,
                    truth,
                    told,
                    0.0,
                    _verdict(off, tolerance.work_offset),
                    name not in job.set_registers,
                )
            )
    called = proof.tool_order if proof is not None else []
    offsets: dict[int, int] = {}
    if proof is not None:
        for use in proof.motions.lengths_used:
            if use.number:
                offsets.setdefault(use.number, use.tool)
    numbers = sorted({*lathe_of(job.bench).tools, *called, *offsets})
    for number in numbers:
        tool = really_there(job.bench, offsets.get(number, number))
        out += _tool_rows(job, number, tool, tolerance.length)
    for number in numbers:
        tool = really_there(job.bench, offsets.get(number, number))
        if tool is None or tool.on_axis:
            continue
        radius, side = job.registers.noses.get(number, (0.0, 0))
        off = radius - tool.RE
        verdict = _verdict(off, tolerance.radius)
        note = "" if side == tool.orientation else f"orientation {side}, the insert stands in {tool.orientation}"
        if note:
            verdict = "wrong"
        out.append(
            _row(
                "radius",
                f"T{number}",
                "",
                tool.name,
                number,
                tool.RE,
                radius,
                0.0,
                verdict,
                f"T{number}" not in job.set_registers,
                note,
            )
        )
    return tuple(out)


def _tool_rows(job: Job, number: int, tool: LatheTool | None, within: float) -> list[Row]:
    held = job.registers.geometry.get(number)
    out = []
    for axis, k, factor in (("x", 0, 2.0), ("z", 2, 1.0)):
        wear = factor * job.wear.get(f"{axis.upper()}{number}", 0.0)
        truth = None if tool is None else factor * tool.gauge[0 if axis == "x" else 1]
        belief = None if held is None else factor * held[k] - wear
        off = None if truth is None or belief is None else belief + wear - truth
        what = f"{axis.upper()}  {tool.name if tool is not None else 'not on the turret'}" if axis == "x" else "Z"
        follows = f"T{number}" not in job.set_registers
        out.append(
            _row(
                "length",
                f"T{number}",
                axis,
                what,
                number,
                truth,
                belief,
                wear,
                _verdict(off, within) if tool else "unknown",
                follows,
            )
        )
    return out


def _row(
    group: Group, key: str, axis: str, what: str, tool: int, truth: float | None, belief: float | None, wear: float, verdict: Verdict,
    follows: bool, note: str = "",
) -> Row:  # fmt: skip
    return Row(group, key, axis, what, tool, tool, truth, belief, wear, verdict, note, 0, 0, follows)


def _figure(job: Job, value: float) -> float:
    return round(value / (MM_PER_INCH if job.units == "inch" else 1.0), 6) + 0.0


def put_truth(edit: Edit, job: Job, row: Row, value: float) -> None:
    """A figure on the bench: what the control has follows only where the job does not set it."""
    figure = _figure(job, value)
    if row.group == "work":
        edit.put(figure, "zero", row.key, row.axis)
        return
    entry = _entry(edit, row.tool)
    if entry is None:
        return
    if row.group == "length":
        edit.put(figure, "tool", entry, "gauge", row.axis)
    else:
        edit.put(figure, "tool", entry, "RE")


def put_belief(edit: Edit, job: Job, row: Row, value: float) -> None:
    """A figure in the control."""
    figure = _figure(job, value)
    if row.group == "work":
        other = "z" if row.axis == "x" else "x"
        held = job.registers.work.get(row.key, (0.0, 0.0, 0.0))
        both = {row.axis: figure, other: _figure(job, held[2] if other == "z" else 2.0 * held[0])}
        edit.put({"x": both["x"], "z": both["z"]}, "registers", "work", row.key)
        return
    if row.group == "length":
        edit.put(figure, "registers", "geometry", str(row.tool), row.axis)
    else:
        edit.put(figure, "registers", "nose", str(row.tool), "radius")


def put_wear(edit: Edit, job: Job, row: Row, value: float) -> None:
    """Wear of an offset."""
    if row.group == "length":
        edit.put(_figure(job, value), "registers", "wear", str(row.tool), row.axis)


def tell_control(edit: Edit, job: Job, rows: tuple[Row, ...]) -> None:
    """Truth into belief: geometry holds the gauge, wear is nothing, noses and zeros are what is there."""
    for row in rows:
        if row.truth is None or row.follows:
            continue
        put_belief(edit, job, row, row.truth)
        if row.wear:
            put_wear(edit, job, row, 0.0)
        tool = lathe_of(job.bench).tools.get(row.tool)
        if row.group == "radius" and tool is not None and row.note:
            edit.put(tool.orientation, "registers", "nose", str(row.tool), "orientation")


def _entry(edit: Edit, number: int) -> int | None:
    """Which entry of [[tool]] a station's tool is, from 0."""
    for k, entry in enumerate(edit.get("tool") or []):
        if entry.get("number") == number:
            return k
    return None
