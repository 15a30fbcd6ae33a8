"""Whether a practice job is solved: read from the job, the program's proof and the machine as they are, never from clicks."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from underglass.core.finding import Finding, Severity
from underglass.core.language.block import read_block
from underglass.core.machine.stand import Stand
from underglass.core.proof.compare import Worst, apart, compare_runs
from underglass.core.proof.job import Job
from underglass.core.proof.proof import Proof
from underglass.core.units import Unit, show_length

KEPT = ("machine", "stock", "fixtures", "tools", "loaded", "zero", "bench", "start", "control")
"""What of a setup can be asked to stay as it was given."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Wanted:
    """What has to hold in the end. ``clean``: no crash and no fault, accepted or not; ``part``: the finished part is the answer's;
    ``kept`` of the setup stays; ``words`` and ``without`` are words that the program has, or has not.
    ``made``: so many parts have been made at the machine."""

    clean: bool = True
    part: bool = True
    kept: tuple[str, ...] = KEPT
    words: tuple[str, ...] = ()
    without: tuple[str, ...] = ()
    made: int = 0
    within: tuple[float, float, float, float] | None = None
    """The part is compared only between these X and Y of its zero, mm: low X, low Y, high X, high Y. Of milled parts."""


@dataclass(frozen=True, slots=True)
class Verdict:
    """One thing that was asked: whether it holds, and how it is, in one sentence."""

    name: str
    holds: bool
    said: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Handed:
    """What somebody hands in: the proof of what they have, the job as it was given, the answer's proof, and the machine."""

    proof: Proof
    given: Job
    answer: Proof | None
    stand: Stand | None = None
    unit: Unit = "mm"
    extra: tuple[Verdict, ...] = field(default_factory=tuple)


def check(wanted: Wanted, handed: Handed) -> tuple[Verdict, ...]:
    """Every verdict, in the order in which one reads them; solved where all hold."""
    out = []
    if wanted.clean:
        out.append(_clean(handed.proof, handed.answer))
    if wanted.part and handed.answer is not None:
        part = (
            _part(handed.proof, handed.answer, handed.unit) if wanted.within is None else _within(handed, wanted.within)
        )
        out.append(part)
    for name in wanted.kept:
        kept = _same(name, handed.proof.job, handed.given)
        if not kept:
            out.append(Verdict("kept", False, f"{_KEPT_WORDS[name]} was not to be changed: it is as it really stands."))
    if wanted.words or wanted.without:
        out += _words(wanted, handed.proof)
    if wanted.made:
        stand = handed.stand
        made = _made_right(stand, handed.answer) if stand is not None else 0
        said = f"{made} of {wanted.made} made at the machine"
        out.append(Verdict("made", made >= wanted.made, said))
    return (*out, *handed.extra)


def solved(verdicts: tuple[Verdict, ...]) -> bool:
    return bool(verdicts) and all(v.holds for v in verdicts)


def _clean(proof: Proof, answer: Proof | None) -> Verdict:
    allowed = {(f.code, f.accepted) for f in answer.findings} if answer is not None else set()
    grave = [f for f in proof.findings if f.severity >= Severity.FAULT and (f.code, f.accepted) not in allowed]
    if not grave:
        return Verdict("clean", True, "The proof finds no crash and no fault.")
    worst: Finding = max(grave, key=lambda f: f.severity)
    where = f"line {worst.line}: " if worst.line else ""
    also = " It has been accepted, not mended." if worst.accepted else ""
    return Verdict("clean", False, f"The proof still finds a {worst.severity.word}, {where}{worst.message}.{also}")


def _part(proof: Proof, answer: Proof, unit: Unit) -> Verdict:
    try:
        found = compare_runs(proof, answer)
    except ValueError:
        return Verdict("part", False, "The part is not made from the stock that was given.")
    if found.same_part:
        return Verdict("part", True, "The finished part is as it is wanted.")
    place: Worst | None = found.a_lacks or found.a_left
    assert place is not None
    x, y, z = (show_length(v, unit) for v in place.place)
    what = "too much is gone" if found.a_lacks is not None else "metal is left"
    return Verdict(
        "part", False, f"The part is not as it is wanted: at X {x} Y {y} Z {z} {what}, {show_length(place.depth_mm, unit)} {unit}."
    )  # fmt: skip


def _within(handed: Handed, box: tuple[float, float, float, float]) -> Verdict:
    """As ``_part``, of what lies in a box in plan; what stands or is gone beside it does not count."""
    proof, answer, unit = handed.proof, handed.answer, handed.unit
    assert answer is not None
    worst, at = 0.0, (0.0, 0.0)
    for one, two in zip(proof.stocks, answer.stocks):
        if one.grid.shape != two.grid.shape:
            return Verdict("part", False, "The part is not made from the stock that was given.")
        grid = one.grid
        rows, columns = np.indices(grid.shape)
        places = np.column_stack(
            [(columns.ravel() + 0.5) * grid.cell, (rows.ravel() + 0.5) * grid.cell, np.zeros(grid.nx * grid.ny)]
        )
        seen = proof.job.bench.part_zero.into(grid.frame.out(places))[:, :2].reshape(*grid.shape, 2)
        x, y = seen[..., 0], seen[..., 1]
        inside = (x > box[0]) & (x < box[2]) & (y > box[1]) & (y < box[3])
        over = np.where(inside, apart(one.final.h.astype(np.float64), two.final.h.astype(np.float64), _SAME_MM), 0.0)
        row, column = np.unravel_index(int(np.abs(over).argmax()), over.shape)
        if abs(over[row, column]) > abs(worst):
            worst, at = float(over[row, column]), (float(x[row, column]), float(y[row, column]))
    if not worst:
        return Verdict("part", True, "The finished part is as it is wanted.")
    what = "metal is left" if worst > 0.0 else "too much is gone"
    places_said = f"X {show_length(at[0], unit)} Y {show_length(at[1], unit)}"
    return Verdict(
        "part",
        False,
        f"The part is not as it is wanted: at {places_said} {what}, {show_length(abs(worst), unit)} {unit}.",
    )


_SAME_MM = 0.01


def _made_right(stand: Stand, answer: Proof | None) -> int:
    """How many parts were made; none where the last one is not like the answer's."""
    if answer is None or not stand.parts:
        return stand.parts
    try:
        right = compare_runs(stand.course.proof, answer).same_part
    except ValueError:
        right = False
    return stand.parts if right else 0


_KEPT_WORDS = {
    "machine": "The machine",
    "stock": "The stock",
    "fixtures": "What holds the part",
    "tools": "The real tools",
    "loaded": "Which tool sits where",
    "zero": "The true zero",
    "bench": "What is really in the machine",
    "start": "What the last job left in the control",
    "control": "The control",
}


def _same(name: str, job: Job, given: Job) -> bool:
    """Whether a part of the setup is as it was given."""
    held: dict[str, Callable[[Job], object]] = {
        "machine": lambda j: j.bench.machine,
        "stock": lambda j: j.bench.stocks,
        "fixtures": lambda j: j.bench.fixtures,
        "tools": lambda j: j.bench.tools,
        "bench": lambda j: j.bench.more,
        "loaded": lambda j: j.bench.loaded,
        "zero": lambda j: j.bench.zero,
        "start": lambda j: j.start,
        "control": lambda j: j.control,
    }
    return held[name](job) == held[name](given)


def _words(wanted: Wanted, proof: Proof) -> list[Verdict]:
    """Words that are to stand, or not, in the program's blocks; comments do not count."""
    there: set[str] = set()
    for number, text in enumerate(proof.source.lines, 1):
        for word in read_block(text, number).words:
            there.add(f"{word.letter}{word.value:g}")
            there.add(word.letter)
    out = []
    for want in wanted.words:
        out.append(Verdict("words", want in there, f"The program {'has' if want in there else 'lacks'} {want}."))
    for spare in wanted.without:
        if spare in there:
            out.append(Verdict("without", False, f"The program still has {spare}, which it was to do without."))
    return out
