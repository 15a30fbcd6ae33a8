"""How Z knows the tool: what a perfectly set machine holds, for each of the five ways in which zero and lengths are set.

With machine Z of the gauge line = programmed Z + offset Z + H in force, and real tip = gauge line - real length.

Glossary
    length-registers   the part's zero in the offset, each tool's real length in H
    first-tool         Z touched with one tool; H of each other holds how much longer it is, signed
    each-tool          Z touched anew with each tool at its change; no registers at all
    tool-table         as length-registers, but the control puts the tool's own register in force by itself at the change
    to-part            offset Z is nothing; H is measured down to the first part's zero, and is negative
    length shift       what a perfect H is more than the tool's real length, mm
    offset shift       what Z of a perfect work offset is more than the part's true zero, mm
All of it is common practice, no source.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from underglass.core.bench.frame import Frame
from underglass.core.bench.tool import Tool
from underglass.core.control.profile import ControlProfile
from underglass.core.control.state import LengthWay, Vector
from underglass.core.language.block import read_block

if TYPE_CHECKING:
    from underglass.core.proof.job import Job

_SAME_MM = 0.05
"""Tools whose lengths differ by no more than this are as long as each other to a setter."""


def first_called(lines: Sequence[str], control: ControlProfile) -> int:
    """The number of the tool that the program first puts in the spindle; 0 where it calls none."""
    waiting = 0
    for number, text in enumerate(lines, 1):
        if "T" not in text and "t" not in text and "M" not in text and "m" not in text:
            continue
        words = read_block(text, number).words
        tool = next((w for w in words if w.letter == "T" and w.value == w.value and w.value == int(w.value)), None)
        waiting = int(tool.value) if tool is not None else waiting
        if waiting and (control.t_alone == "change" or any(w.letter == "M" and w.value == 6.0 for w in words)):
            return waiting
    return 0


def _touched_with(job: Job) -> float:
    """Real length of the tool with which Z was touched, mm."""
    tool = job.bench.really_in_spindle(job.z_tool)
    return tool.length if tool is not None else 0.0


def _first_zero(zero: Mapping[str, Frame]) -> float:
    return next(iter(zero.values())).z if zero else 0.0


def length_shift(job: Job) -> float:
    """What a perfect H register is more than its tool's real length, mm. (Where each tool is touched, H is nothing.)"""
    if job.z_by == "first-tool":
        return -_touched_with(job)
    return _first_zero(job.bench.zero) if job.z_by == "to-part" else 0.0


def offset_shift(job: Job) -> float:
    """What Z of a perfect work offset is more than the part's true zero, mm."""
    if job.z_by == "first-tool":
        return _touched_with(job)
    return -_first_zero(job.bench.zero) if job.z_by == "to-part" else 0.0


def perfect_length(job: Job, tool: Tool) -> float:
    """What a perfectly set H register of this tool holds, mm."""
    return 0.0 if job.z_by == "each-tool" else tool.length + length_shift(job)


def perfect_offset(job: Job, name: str, called: int = 0) -> Vector | None:
    """What a perfectly set work offset holds, with the tool called in the spindle; None where no part stands there."""
    zero = job.bench.zero.get(name)
    if zero is None:
        return None
    tool = job.bench.really_in_spindle(called) if job.z_by == "each-tool" else None
    return (zero.x, zero.y, zero.z + offset_shift(job) + (tool.length if tool is not None else 0.0))


def length_way(job: Job) -> LengthWay:
    """The way as the control sees it."""
    if job.z_by == "tool-table":
        return LengthWay(automatic=True)
    if job.z_by == "first-tool":
        base = _touched_with(job)
        equal = {
            n for n in job.bench.tools if (t := job.bench.really_in_spindle(n)) and abs(t.length - base) <= _SAME_MM
        }
        return LengthWay(without=frozenset(equal | {job.z_tool}))
    if job.z_by == "each-tool":
        numbers = {*job.bench.tools, *job.bench.loaded}
        real = {n: t.length for n in numbers if (t := job.bench.really_in_spindle(n)) is not None}
        return LengthWay(all_without=True, touched={n: v + job.touched.get(n, 0.0) for n, v in real.items()})
    return LengthWay(all_without=job.bench.more is not None)


def complete(job: Job) -> Job:
    """The job with every register that it does not set itself as a perfect machine holds it."""
    work = {name: at for name in job.bench.zero if (at := perfect_offset(job, name)) is not None}
    length = {n: perfect_length(job, t) + job.wear.get(f"H{n}", 0.0) for n, t in job.bench.tools.items()}
    held = job.registers
    told_work = {n: v for n, v in held.work.items() if n in job.set_registers}
    told_length = {n: v for n, v in held.length.items() if f"H{n}" in job.base_registers}
    registers = replace(held, work={**work, **told_work}, length={**length, **told_length})
    return replace(job, registers=registers)


def settled(job: Job, lines: Sequence[str]) -> Job:
    """The job with the tool that Z was touched with known, where only the program says which one that is."""
    if job.z_by != "first-tool" or job.z_tool_said:
        return job
    first = first_called(lines, job.control)
    return job if not first or first == job.z_tool else complete(replace(job, z_tool=first))
