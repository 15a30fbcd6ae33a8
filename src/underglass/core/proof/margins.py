"""What if a register, or the real thing, were different: the range in which the program survives.

Glossary
    survives   no crash or fault, and no tool in the air, beyond what is found where belief and truth agree
    end        where it stops surviving on one side, with what is found just beyond
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Literal

from underglass.core.bench.bench import Bench
from underglass.core.bench.frame import Frame
from underglass.core.errors import Cancelled
from underglass.core.finding import Finding, Severity
from underglass.core.language.source import Source
from underglass.core.proof.belief import Row
from underglass.core.proof.job import Job
from underglass.core.proof.proof import Closest, Proof
from underglass.core.proof.prove import prove
from underglass.core.removal.field import default_cell

SideOf = Literal["belief", "truth"]

_MOST_CELLS = 250_000
"""A proof for a range is made on no more cells than this: some forty are made."""
_FIRST_MM = 0.05
_FARTHEST_MM = 60.0
_PRECISE_MM = 0.005
_ABOUT_REGISTERS = {
    "length-register-wrong", "radius-register-wrong", "work-offset-wrong", "work-offset-unset", "offsets-disagree",
    "shift-left-over", "rotation-left-on", "length-offset-other",
}  # fmt: skip
"""Findings that only say that belief and truth differ: that they do is the question, not the answer."""


@dataclass(frozen=True, slots=True)
class End:
    """``value`` mm as the row shows it; ``beyond`` is the gravest finding past it. None: nothing found as far as was looked."""

    value: float
    beyond: Finding | None


@dataclass(frozen=True, slots=True)
class Range:
    """From where to where the program survives."""

    low: End
    high: End
    stands: float
    survives: bool
    proofs: int


def with_value(job: Job, row: Row, value: float, side: SideOf) -> Job:
    """The job with one figure changed, mm as the row shows it; everything else stays as it is, on both sides."""
    registers, bench = job.registers, job.bench
    scale = 0.5 if row.group == "radius" and job.control.d_register == "diameter" else 1.0
    if side == "belief":
        if row.group == "work":
            held = registers.work.get(row.key, (0.0, 0.0, 0.0))
            at = [value if axis == row.axis else v for axis, v in zip("xyz", held)]
            return replace(job, registers=replace(registers, work={**registers.work, row.key: (at[0], at[1], at[2])}))
        if row.group == "left":
            at = [value if axis == row.axis else v for axis, v in zip("xyz", job.start.shift)]
            return replace(job, start=replace(job.start, shift=(at[0], at[1], at[2])))
        number = int(row.key[1:])
        if row.group == "length":
            return replace(job, registers=replace(registers, length={**registers.length, number: value + row.wear}))
        total = (value + row.wear) * scale
        return replace(job, registers=replace(registers, radius={**registers.radius, number: total}))
    if row.group == "work":
        zero = bench.zero[row.key]
        at = [value if axis == row.axis else v for axis, v in zip("xyz", (zero.x, zero.y, zero.z))]
        by = (at[0] - zero.x, at[1] - zero.y, at[2] - zero.z)
        return replace(job, bench=_moved(job, row.key, by))
    tool = bench.tools.get(row.real)
    if tool is None:
        return job
    if row.group == "length":
        # The holder goes with the gauge line: a tool pulled out stands out of it by as much more.
        out = max(tool.stickout + value - tool.length, 0.1)
        made = replace(tool, length=max(value, 0.1), stickout=min(out, max(value, 0.1)))
    else:
        made = replace(tool, DC=max(2.0 * value * scale, 0.01))
    return replace(job, bench=replace(bench, tools={**bench.tools, row.real: made}))


def _moved(job: Job, name: str, by: tuple[float, float, float]) -> Bench:
    """The bench with the part at one zero elsewhere: with one part, everything that is placed from it goes along."""
    bench = job.bench

    def there(frame: Frame) -> Frame:
        return Frame(frame.x + by[0], frame.y + by[1], frame.z + by[2], frame.turn_rad)

    only = len(bench.stocks) == 1
    stocks = tuple(replace(s, frame=there(s.frame)) if only or s.name.endswith(f" {name}") else s for s in bench.stocks)
    fixtures = tuple(
        replace(f, solid=replace(f.solid, frame=there(f.solid.frame))) if only and f.entry else f
        for f in bench.fixtures
    )
    return replace(bench, stocks=stocks, fixtures=fixtures, zero={**bench.zero, name: there(bench.zero[name])})


def quick(job: Job) -> Job:
    """The job on cells so large that a proof takes a moment."""
    area = sum(s.extent[0] * s.extent[1] for s in job.bench.stocks)
    cell = job.settings.cell or max(map(default_cell, job.bench.stocks), default=1.0)
    cell = max(cell, (area / _MOST_CELLS) ** 0.5)
    return replace(job, settings=replace(job.settings, cell=cell))


def _grave(proof: Proof) -> dict[tuple[str, int], Finding]:
    return {
        (f.code, f.line): f
        for f in proof.findings
        if (f.severity >= Severity.FAULT or f.code == "cuts-air") and f.code not in _ABOUT_REGISTERS
    }


def survival(
    job: Job, source: Source, row: Row, side: SideOf = "belief", cancelled: Callable[[], bool] = lambda: False
) -> Range:
    """The range about the truth (about the belief, where the real thing is varied) in which the program survives.

    Found by proofs: farther and farther out until something new goes wrong, then halved to 0.005 mm. Raises
    ``ValueError`` where the row has no two sides, ``Cancelled``.
    """
    anchor = row.truth if side == "belief" else None if row.belief is None else row.belief + row.wear
    stands = row.belief if side == "belief" else row.truth
    if anchor is None or stands is None:
        raise ValueError("this row has only one side")
    if side == "belief":
        anchor -= row.wear
    small = quick(job)
    count = 0

    def look(value: float) -> dict[tuple[str, int], Finding]:
        nonlocal count
        count += 1
        if cancelled():
            raise Cancelled
        return _grave(prove(with_value(small, row, value, side), source, cancelled=cancelled))

    usual = look(anchor)

    def first_new(value: float) -> Finding | None:
        found = [f for key, f in look(value).items() if key not in usual]
        return max(found, key=lambda f: (f.severity, -f.time_s), default=None)

    def end(way: float) -> End:
        good, step = 0.0, _FIRST_MM
        bad: Finding | None = None
        while step <= _FARTHEST_MM:
            bad = first_new(anchor + way * step)
            if bad is not None:
                break
            good, step = step, step * 2.0
        if bad is None:
            return End(anchor + way * good, None)
        far = step
        while far - good > _PRECISE_MM:
            mid = (far + good) / 2.0
            found = first_new(anchor + way * mid)
            if found is None:
                good = mid
            else:
                far, bad = mid, found
        return End(anchor + way * good, bad)

    low, high = end(-1.0), end(1.0)
    return Range(low, high, stands, low.value <= stands <= high.value, count)


def nearest(proof: Proof) -> Closest | None:
    """The closest approach to anything that must not be touched."""
    return min(proof.closest, key=lambda c: c.distance_mm, default=None)
