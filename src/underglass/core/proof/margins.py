"""What if a register, or the real thing, were different: the range in which the program survives.

Glossary
    survives   no crash or fault, no tool in the air and no hole short of through, beyond what is found where belief and
              truth agree
    end        where it stops surviving on one side, with what is found just beyond
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from underglass.core.bench.bench import Bench
from underglass.core.bench.frame import Frame
from underglass.core.errors import Cancelled
from underglass.core.finding import Finding, Severity
from underglass.core.language.source import Source
from underglass.core.proof.belief import Row
from underglass.core.proof.bench_rows import ROWS, SideOf
from underglass.core.proof.closest import Closest
from underglass.core.proof.job import Job
from underglass.core.proof.length_ways import length_shift, offset_shift
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import prove
from underglass.core.removal.field import default_cell

_MOST_CELLS = 250_000
"""A proof for a range is made on no more cells than this: some forty are made."""
_FIRST_MM = 0.05
_FARTHEST_MM = 60.0
_PRECISE_MM = 0.005
_ABOUT_REGISTERS = {
    "length-register-wrong", "radius-register-wrong", "work-offset-wrong", "work-offset-unset", "offsets-disagree",
    "shift-left-over", "rotation-left-on", "length-offset-other", "geometry-wrong", "nose-register-wrong", "offset-other",
}  # fmt: skip
"""Findings that only say that belief and truth differ: that they do is the question, not the answer."""


@dataclass(frozen=True, slots=True)
class Trouble:
    """What goes wrong past an end, in a few words, at which line; ``severity`` of a finding, a fault else."""

    said: str
    line: int
    severity: Severity


@dataclass(frozen=True, slots=True)
class End:
    """``value`` mm as the row shows it; ``beyond`` is what goes wrong past it. None: nothing as far as was looked."""

    value: float
    beyond: Trouble | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Range:
    """From where to where the program survives."""

    low: End
    high: End
    stands: float
    survives: bool
    proofs: int


def with_value(job: Job, row: Row, value: float, side: SideOf) -> Job:
    """The job with one figure changed, mm as the row shows it; everything else stays as it is, on both sides."""
    own = ROWS.get(job.trade.name)
    if own is not None:
        return own.vary(job, row, value, side)
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
        if row.group == "touched":
            return replace(job, touched={**job.touched, number: value - (row.truth or 0.0)})
        if row.group == "length":
            return replace(job, registers=replace(registers, length={**registers.length, number: value + row.wear}))
        total = (value + row.wear) * scale
        return replace(job, registers=replace(registers, radius={**registers.radius, number: total}))
    if row.group == "work":
        zero = bench.zero[row.key]
        value -= offset_shift(job) if row.axis == "z" else 0.0
        at = [value if axis == row.axis else v for axis, v in zip("xyz", (zero.x, zero.y, zero.z))]
        by = (at[0] - zero.x, at[1] - zero.y, at[2] - zero.z)
        return replace(job, bench=_moved(job, row.key, by))
    tool = bench.tools.get(row.real)
    if tool is None:
        return job
    touched = job.touched
    if row.group in ("length", "touched"):
        if row.group == "touched":
            touched = {**touched, int(row.key[1:]): (row.belief or 0.0) - value}
            value += tool.length - (row.truth or 0.0)
        else:
            value -= length_shift(job)
        # The holder goes with the gauge line: a tool pulled out stands out of it by as much more.
        out = max(tool.stickout + value - tool.length, 0.1)
        made = replace(tool, length=max(value, 0.1), stickout=min(out, max(value, 0.1)))
    else:
        made = replace(tool, DC=max(2.0 * value * scale, 0.01))
    return replace(job, touched=touched, bench=replace(bench, tools={**bench.tools, row.real: made}))


def _moved(job: Job, name: str, by: tuple[float, float, float]) -> Bench:
    """The bench with the part at one zero elsewhere: with one part, everything that is placed from it goes along."""
    bench = job.bench

    def there(frame: Frame) -> Frame:
        return Frame(x=frame.x + by[0], y=frame.y + by[1], z=frame.z + by[2], turn_rad=frame.turn_rad)

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


def in_short(finding: Finding) -> Trouble:
    """A finding in few words: its sentence up to the first stop."""
    words = finding.message
    for mark in (";", ":", ",", " at X"):
        words = words.split(mark)[0]
    return Trouble(words, finding.line, finding.severity)


_SHORT_CELLS = 4
"""Fewer cells than this about a hole's rim may or may not be through: that is the grid, not the hole."""


def _through(proof: Proof) -> list[NDArray[np.bool_]]:
    """Where each stock is cut right through."""
    return [s.final.h <= 1e-6 for s in proof.stocks]


def _short(proof: Proof, usual: list[NDArray[np.bool_]], owners: list[NDArray[np.int32]]) -> Trouble | None:
    """What is through where belief and truth agree, and is not any more: by the move that went through it there.

    Only asked of a figure along Z: what is out sideways leaves every hole through, elsewhere.
    """
    motions = proof.motions
    for was, by, stock in zip(usual, owners, proof.stocks):
        lost = was & (stock.final.h > 1e-6)
        if int(lost.sum()) >= _SHORT_CELLS:
            move = int(np.bincount(by[lost][by[lost] >= 0]).argmax()) if (by[lost] >= 0).any() else -1
            if 0 <= move < len(motions):
                tool = motions.state_of(move).tool
                return Trouble(
                    f"what tool {tool} cuts through ends short of through", int(motions.line[move]), Severity.FAULT
                )
    return None


def grave(proof: Proof) -> dict[tuple[str, int], Finding]:
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

    def look(value: float) -> Proof:
        nonlocal count
        count += 1
        if cancelled():
            raise Cancelled
        return prove(with_value(small, row, value, side), source, cancelled=cancelled)

    reference = look(anchor)
    usual, through = grave(reference), _through(reference)
    owners = [s.final.owner for s in reference.stocks]

    def first_new(value: float) -> Trouble | None:
        proof = look(value)
        found = [f for key, f in grave(proof).items() if key not in usual]
        worst = max(found, key=lambda f: (f.severity, -f.time_s), default=None)
        if worst is not None:
            return in_short(worst)
        return _short(proof, through, owners) if row.group in ("length", "touched") or row.axis == "z" else None

    def end(way: float) -> End:
        good, step = 0.0, _FIRST_MM
        bad: Trouble | None = None
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
    return Range(low=low, high=high, stands=stands, survives=low.value <= stands <= high.value, proofs=count)


def nearest(proof: Proof) -> Closest | None:
    """The closest approach to anything that must not be touched."""
    return min(proof.closest, key=lambda c: c.distance_mm, default=None)
