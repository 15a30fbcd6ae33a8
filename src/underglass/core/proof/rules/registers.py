"""Belief against truth: work offsets.

Codes: register-unused, offsets-disagree, work-offset-unset, work-offset-wrong, zero-not-given.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterator

import numpy as np

from underglass.core.bench.frame import Frame
from underglass.core.control.motions import OffsetUse
from underglass.core.finding import Finding, Severity
from underglass.core.proof.length_ways import perfect_offset
from underglass.core.proof.rule import rule
from underglass.core.proof.rules.context import Context


@rule({"work-offset-unset": Severity.FAULT, "work-offset-wrong": Severity.FAULT, "zero-not-given": Severity.NOTE})
def _offsets(context: Context) -> Iterator[Finding]:
    seen: set[tuple[str, tuple[float, float, float]]] = set()
    for offset in context.motions.offsets_used:
        if (offset.name, offset.shift) not in seen:
            seen.add((offset.name, offset.shift))
            yield from _offset(context, offset)


@rule({"register-unused": Severity.NOTE})
def _unused(context: Context) -> Iterator[Finding]:
    """Registers that the job sets and nothing reads."""
    motions = context.motions
    if not len(motions):
        return
    read = {s.offset for s in motions.in_force} | {f"H{s.h_number}" for s in motions.in_force}
    read |= {f"D{use.number}" for use in motions.radii_used}
    for name in sorted(context.job.set_registers - read):
        yield Finding(
            code="register-unused",
            line=1,
            message=f"{name} is set in the control, but nothing in the program reads it",
            remedy="leave it if it is for another program",
            evidence={"register": name},
        )


_SETS = re.compile(r"G\s?10(?![\d.]).*L\s?20?(?![\d.])", re.IGNORECASE | re.ASCII)
"""A program that sets work offsets itself says where they are."""

_NEARLY_MM = 1.0
"""Two offsets that differ by less than this on an axis are meant to share it (common practice, no source)."""


@rule({"offsets-disagree": Severity.CAUTION})
def _disagreeing(context: Context) -> Iterator[Finding]:
    """Work offsets of several parts that nearly share an axis, where the bench does not say that they really differ."""
    job = context.job
    tolerance = job.settings.tolerance.work_offset
    used = {use.name: use for use in context.motions.offsets_used}
    names = sorted(name for name in used if name in job.registers.work)
    for k, one in enumerate(names):
        for two in names[k + 1 :]:
            a, b = used[one], used[two]
            for axis, letter in enumerate("XYZ"):
                factor = context.job.bench.machine.x_factor if axis == 0 else 1.0
                apart = factor * (b.shift[axis] - a.shift[axis])
                if not tolerance < abs(apart) < _NEARLY_MM:
                    continue
                zeros = job.bench.zero.get(one), job.bench.zero.get(two)
                if zeros[0] is not None and zeros[1] is not None:
                    real = (zeros[1].x, zeros[1].y, zeros[1].z)[axis] - (zeros[0].x, zeros[0].y, zeros[0].z)[axis]
                    real *= factor
                    if abs(real - apart) <= tolerance or abs(real) >= _NEARLY_MM:
                        continue
                later = max(a, b, key=lambda use: use.move)
                yield Finding(
                    code="offsets-disagree",
                    line=later.line,
                    message=f"{one} and {two} differ by {context.length(abs(apart))} in {letter}: parts set side by side normally have the same",
                    remedy=f"touch off {letter} of both again, or leave it if they really stand so",
                    move=later.move,
                    evidence={"one": one, "two": two, "axis": letter, "apart_mm": apart},
                )


def _turned(context: Context, use: OffsetUse, zero: Frame) -> Iterator[Finding]:
    """A part that lies turned, and a program that does not turn with it where it first feeds under this offset."""
    if not zero.turn_rad:
        return
    motions = context.motions
    fed = np.flatnonzero(~motions.rapid() & (motions.dwell == 0.0))
    first = next((m for m in fed.tolist() if m >= use.move and motions.state_of(m).offset == use.name), use.move)
    off = math.remainder(motions.state_of(first).rotation - zero.turn_rad, math.tau)
    reach = max((math.hypot(s.extent[0], s.extent[1]) for s in context.job.bench.stocks), default=0.0)
    if abs(off) * reach <= context.job.settings.tolerance.work_offset:
        return
    yield Finding(
        code="work-offset-wrong",
        line=use.line,
        message=f"the part at {use.name} is skewed {math.degrees(zero.turn_rad):g} degrees, but the program is rotated "
        f"{math.degrees(motions.state_of(first).rotation):g}: out by {context.length(abs(off) * reach)} across the stock",
        remedy="square the part up, or rotate the program with G68",
        move=use.move,
        evidence={
            "offset": use.name,
            "part_degrees": math.degrees(zero.turn_rad),
            "program_degrees": math.degrees(motions.state_of(first).rotation),
        },
    )


def _offset(context: Context, use: OffsetUse) -> Iterator[Finding]:
    zero = context.job.bench.zero.get(use.name)
    told = use.name in context.job.registers.work or use.shift != (0.0, 0.0, 0.0)
    if zero is None and not told:
        yield Finding(
            code="work-offset-unset",
            line=use.line,
            message=f"{use.name} has never been set: the control takes it as zero, which is machine home",
            remedy=f"set {use.name} on the machine, or call the offset that is meant",
            move=use.move,
            evidence={"offset": use.name},
        )
        return
    if zero is None:
        yield Finding(
            code="zero-not-given",
            line=use.line,
            message=f"{use.name} is set in the control, but the job does not say where that zero really is, so it cannot be checked",
            remedy=f"add {use.name} under [zero] if a part stands there",
            move=use.move,
            evidence={"offset": use.name},
        )
        return
    first = context.motions.offsets_used[0]
    if (
        "zero" in context.job.unconfirmed
        and use.name != first.name
        and not any(_SETS.search(text) for text in context.lines)
    ):
        same = zero == context.job.bench.zero.get(first.name)
        taken = f"to be where {first.name} is" if same else f"for another part like the one at {first.name}"
        yield Finding(
            code="zero-not-given",
            line=use.line,
            message=f"nobody has said where {use.name} is: it is taken {taken}",
            remedy=f"call {first.name} if the same part is meant; else say in Setup where {use.name} lies",
            move=use.move,
            evidence={"offset": use.name},
        )
    yield from _turned(context, use, zero)
    called = context.motions.state_of(use.move).tool
    right = perfect_offset(context.job, use.name, called) or (zero.x, zero.y, zero.z)
    factor = context.job.bench.machine.x_factor
    apart = tuple(f * (a - b) for f, a, b in zip((factor, 1.0, 1.0), use.shift, right))
    if max(abs(a) for a in apart) <= context.job.settings.tolerance.work_offset:
        return
    said = ", ".join(
        f"{axis} {context.length(a, sign=True)}"
        for axis, a in zip("XYZ", apart)
        if abs(a) > context.job.settings.tolerance.work_offset
    )
    yield Finding(
        code="work-offset-wrong",
        line=use.line,
        message=f"{use.name} in the control is not where the part's zero is{f' with tool {called}' if context.job.z_by == 'each-tool' else ''}: out by {said}",
        remedy=f"touch off again, or correct {use.name}",
        move=use.move,
        evidence={"offset": use.name, "x_mm": apart[0], "y_mm": apart[1], "z_mm": apart[2]},
    )
