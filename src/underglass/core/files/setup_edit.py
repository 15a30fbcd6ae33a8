"""What a setter does to a job, as changes of the job file: move the zero, set truth or belief, copy one to the other, slip."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal

import numpy as np

from underglass.core.bench.frame import Frame
from underglass.core.bench.pieces import FIGURES, stations
from underglass.core.bench.tool import Tool
from underglass.core.control.state import Vector
from underglass.core.control.words import OFFSETS_IN_ORDER
from underglass.core.files.job_edit import JobEdit, as_figure, put_register
from underglass.core.files.job_write import tool_entry
from underglass.core.proof.belief import Row
from underglass.core.proof.bench_rows import Put
from underglass.core.proof.job import Job
from underglass.core.proof.length_ways import length_shift, offset_shift, perfect_offset
from underglass.core.units import Unit

Slip = Literal["shift", "swap", "halve", "double", "sign"]
SLIPS: dict[Slip, str] = {
    "shift": "out by 10 mm", "swap": "swapped with the next", "halve": "halved", "double": "doubled",
    "sign": "wrong sign",
}  # fmt: skip
"""Errors that setters really make (common practice, no source)."""
SLIP_MM = 10.0


def _places(edit: JobEdit) -> list[tuple[str | int, ...]]:
    """Where the places of everything stand that is placed from the part's zero."""
    out: list[tuple[str | int, ...]] = []
    if edit.get("stock", "from") != "machine":
        out.append(("stock", "place"))
    out += [
        ("fixture", k, "place") for k in range(edit.count("fixture")) if edit.get("fixture", k, "from") != "machine"
    ]
    return out


def main_zero(edit: JobEdit) -> str:
    """The zero that stock and fixtures are placed from: G54, or the first there is."""
    zeros = edit.get("zero") or {}
    return "G54" if "G54" in zeros or not zeros else str(next(iter(zeros)))


def put_zero(edit: JobEdit, job: Job, name: str, at: Vector, turn_deg: float | None = None) -> None:
    """Where a part's zero really is, mm; what else its entry holds stays."""
    entry = dict(edit.get("zero", name) or {})
    entry |= {axis: as_figure(v, job.units) for axis, v in zip("xyz", at)}
    if turn_deg is not None:
        entry["turned"] = round(turn_deg, 6) + 0.0
        if not entry["turned"]:
            del entry["turned"]
    edit.put(entry, "zero", name)


def move_zero(edit: JobEdit, job: Job, by: Vector) -> None:
    """The zero goes elsewhere on the part, mm along its own axes; block and fixtures stay where they are in the machine.

    With the same part at several zeros each of them moves, or the blocks would not stay. What the control has been told
    stays, too, where the job says it.
    """
    first = main_zero(edit)
    repeated = edit.get("stock", "repeat_at") or [first]
    for name in dict.fromkeys([first, *repeated]):
        frame = job.bench.zero[name]
        moved = frame.moved(*by)
        put_zero(edit, job, name, (moved.x, moved.y, moved.z))
    for path in _places(edit):
        place = edit.get(*path) or [0.0, 0.0, 0.0]
        edit.put([round(p - as_figure(d, job.units), 6) + 0.0 for p, d in zip(place, by)], *path)


def turn_zero(edit: JobEdit, job: Job, degrees: float) -> None:
    """The part and all that is placed from its zero lie turned by so much about it."""
    name = main_zero(edit)
    frame = job.bench.zero[name]
    put_zero(edit, job, name, (frame.x, frame.y, frame.z), degrees)


def zero_on_stock(job: Job) -> Vector:
    """Where the zero is, from the stock's left, front and top face: along the block's own axes, mm (from the top: up is plus)."""
    stock = job.bench.stocks[0]
    zero = job.bench.part_zero
    at = stock.frame.into(np.array([[zero.x, zero.y, zero.z]]))[0]
    return (float(at[0]), float(at[1]), float(at[2]) - stock.extent[2])


def zero_move_to(job: Job, want: tuple[float | None, float | None, float | None]) -> Vector:
    """How far the zero goes, along its own axes, to be at a place on the stock; None leaves an axis as it is. mm."""
    stock, zero = job.bench.stocks[0], job.bench.part_zero
    now = zero_on_stock(job)
    on_block = [n if w is None else w for n, w in zip(now, want)]
    real = stock.frame.out(np.array([[on_block[0], on_block[1], on_block[2] + stock.extent[2]]]))
    by = zero.into(real)[0]
    return (round(float(by[0]), 9), round(float(by[1]), 9), round(float(by[2]), 9))


def put_belief(edit: JobEdit, job: Job, row: Row, value: float) -> None:
    """What a register holds, wear apart; mm as the row shows it, degrees for a rotation."""
    if row.group == "work":
        held = job.registers.work.get(row.key) or perfect_offset(job, row.key) or (0.0, 0.0, 0.0)
        at = [value if axis == row.axis else v for axis, v in zip("xyz", held)]
        put_register(edit, job, "work", row.key, (at[0], at[1], at[2]))
    elif row.group == "left":
        if row.key == "rotation":
            _put_or_drop(edit, round(value, 6), "start", "rotation")
        else:
            _put_or_drop(edit, as_figure(value, job.units), "start", "shift", row.axis)
    elif row.group == "touched":
        off = 0.0 if row.truth is None else value - row.truth
        _put_or_drop(edit, as_figure(off, job.units), "registers", "touched", row.key)
    else:
        edit.put(as_figure(value, job.units), "registers", row.group, row.key)


def put_wear(edit: JobEdit, job: Job, row: Row, value: float) -> None:
    """What is added to a register for wear, mm as the row shows it."""
    if row.group in ("length", "radius"):
        if row.follows and value:
            put_belief(edit, job, row, row.belief or 0.0)  # wear stands beside a register that is there
        _put_or_drop(edit, as_figure(value, job.units), "registers", f"wear_{row.group}", row.key)


def _put_or_drop(edit: JobEdit, figure: float, *path: str | int) -> None:
    if figure:
        edit.put(figure, *path)
    else:
        edit.drop(*path)


def _zero_of(job: Job, name: str) -> Vector | None:
    zero: Frame | None = job.bench.zero.get(name)
    return None if zero is None else (zero.x, zero.y, zero.z)


def tool_place(edit: JobEdit, number: int) -> int | None:
    """Where a tool's entry stands among the ``[[tool]]``."""
    return next((k for k in range(edit.count("tool")) if edit.get("tool", k, "number") == number), None)


def hold_belief(edit: JobEdit, job: Job, rows: Iterable[Row]) -> None:
    """What the control takes from the bench is written down, so that it stays when the bench changes."""
    seen: set[str] = set()
    for row in rows:
        if not row.follows or row.belief is None or row.key in seen or row.group == "left":
            continue
        seen.add(row.key)
        put_belief(edit, job, row, row.belief)


def put_truth(edit: JobEdit, job: Job, row: Row, value: float) -> None:
    """What is really there, mm as the row shows it; the control is not told: what it held it holds still."""
    hold_belief(edit, job, [row])
    if row.group == "work":
        at = _zero_of(job, row.key) or job.registers.work.get(row.key) or (0.0, 0.0, 0.0)
        value -= offset_shift(job) if row.axis == "z" else 0.0
        moved = [value if axis == row.axis else v for axis, v in zip("xyz", at)]
        put_zero(edit, job, row.key, (moved[0], moved[1], moved[2]))
        return
    place = tool_place(edit, row.real)
    if place is None:
        return
    if row.group == "length":
        edit.put(as_figure(value - length_shift(job), job.units), "tool", place, "length")
    elif row.group == "touched" and row.truth is not None and row.belief is not None:
        tool = job.bench.tools[row.real]
        edit.put(as_figure(tool.length + value - row.truth, job.units), "tool", place, "length")
        _put_or_drop(edit, as_figure(row.belief - value, job.units), "registers", "touched", row.key)
    elif row.group == "radius":
        scale = 1.0 if job.control.d_register == "diameter" else 2.0
        edit.put(as_figure(value * scale, job.units), "tool", place, "DC")


def tell_control(edit: JobEdit, job: Job, rows: Iterable[Row]) -> None:
    """Truth into belief: each register holds what is really there, and no wear; nothing is left from before."""
    for row in rows:
        if row.truth is None:
            continue
        if row.group == "work":
            at = perfect_offset(job, row.key)
            if at is not None:
                put_register(edit, job, "work", row.key, at)
        elif row.group == "left":
            put_belief(edit, job, row, 0.0)
        else:
            edit.drop("registers", f"wear_{row.group}", row.key)
            put_belief(edit, job, row, row.truth)


def believe_control(edit: JobEdit, job: Job, rows: Iterable[Row]) -> None:
    """Belief into truth: the bench is as the control has been told."""
    for row in rows:
        if row.belief is None or row.group == "left":
            continue
        hold_belief(edit, job, [row])
        if row.group == "work":
            x, y, z = job.registers.work[row.key]
            put_zero(edit, job, row.key, (x, y, z - offset_shift(job)))
        else:
            put_truth(edit, job, row, row.belief + row.wear)


def slip(edit: JobEdit, job: Job, row: Row, kind: Slip, other: Row | None = None, put: Put | None = None) -> None:
    """A deliberate error in the control, for practice. ``other`` is the row it is swapped with, ``put`` what puts a trade's own figures."""
    if row.belief is None:
        return
    put_belief_ = put or put_belief
    if kind == "swap":
        if other is not None and other.belief is not None:
            if row.group == "work" and put is None:
                one, two = job.registers.work[row.key], job.registers.work[other.key]
                put_register(edit, job, "work", row.key, two)
                put_register(edit, job, "work", other.key, one)
            else:
                put_belief_(edit, job, row, other.belief)
                put_belief_(edit, job, other, row.belief)
        return
    value = {"shift": row.belief + SLIP_MM, "halve": row.belief / 2.0, "double": row.belief * 2.0, "sign": -row.belief}
    put_belief_(edit, job, row, value[kind])


def put_stations(edit: JobEdit, job: Job, place: int) -> list[str]:
    """Part zeros at a plate's stations: G54 where it is, the others from it by the plate's pitch; their names.

    The stock stands at each of them.
    """
    entry = edit.get("fixture", place) or {}
    figures = {k: float(v) for k, v in entry.items() if isinstance(v, int | float) and not isinstance(v, bool)}
    scale = 1.0 / as_figure(1.0, job.units)
    full = {
        f.key: figures[f.key] * (1.0 if f.least else scale) if f.key in figures else f.first for f in FIGURES["plate"]
    }
    at = stations(full)
    first = main_zero(edit)
    frame = job.bench.zero[first]
    names = [n for n in OFFSETS_IN_ORDER[:6] if n != first][: len(at) - 1]
    for name, there in zip(names, at[1:]):
        moved = frame.moved(*(a - b for a, b in zip(there, at[0])))
        put_zero(edit, job, name, (moved.x, moved.y, moved.z))
    edit.put([first, *names], "stock", "repeat_at")
    return [first, *names]


def put_tool(edit: JobEdit, tool: Tool, unit: Unit) -> None:
    """The tool of this number is this one; a comment or an entry of it that stays true stays."""
    entry = tool_entry(tool, unit)
    place = tool_place(edit, tool.number)
    if place is None:
        edit.add("tool", entry)
        return
    for key in set(edit.get("tool", place) or {}) - set(entry):
        edit.drop("tool", place, key)
    for key, value in entry.items():
        if edit.get("tool", place, key) != value:
            edit.put(value, "tool", place, key)
