"""From what was measured or seen at the machine back to the figure that explains it.

Every cause is a proof: one figure of the setup, one mix-up or one word of the program is changed, the part is made again, and its sizes are
held against those that were measured. Figures are fitted by least squares on two trial proofs and tried once more (the sizes
follow a register nearly straight); a cause is worth as much as it leaves less of the differences than the setup as it stands.

Glossary
    cause       a change of one thing that may be what happened
    explains    1 less the sum of squares that a cause leaves, over the sum that the job as it stands leaves
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from underglass.core.errors import Cancelled
from underglass.core.finding import Severity
from underglass.core.language.source import Source
from underglass.core.proof.compare import compare_runs
from underglass.core.proof.features import measured_in
from underglass.core.proof.job import Job
from underglass.core.proof.margins import quick
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import prove
from underglass.core.proof.question import Question, Seen
from underglass.core.proof.slips import Sort, Trial, of_setup, of_words
from underglass.core.units import Unit, show_length

_LIKELY: dict[Sort, float] = {"register": 1.0, "mix-up": 0.97, "truth": 0.95, "stock": 0.94, "program": 0.9}
"""Between causes that explain alike: what is set by hand is wrong more often than what is made (common practice, no source)."""

_TRIAL_MM = 0.25
_SEEN_WEIGHT = 4.0
_WORTH = 0.35
_EXPLAINED = 0.97
_MOST_CELLS = 90_000
"""The cells of a trial: walls are looked for under the loupe, so that coarse ones do."""
_SEEN_LINES = 1
_MISSING_MM = 1.0
"""What is counted for a wall that is not there at all."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Cause:
    """``words``: what it is, with its figure. ``sizes``: what each measured size would be. ``check``: what to look at. ``proof``: the run that it makes."""

    sort: Sort
    words: str
    check: str
    explains: float
    sizes: tuple[float | None, ...]
    seen: tuple[bool, ...]
    proof: Proof
    by_mm: float | None = None
    line: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Answer:
    """``as_proved``: the sizes of the job as it stands. ``against``: what the causes were held against: what was measured, or, where the
    proof has those very sizes already, what was wanted. ``apart``: what tells the first two causes apart."""

    causes: tuple[Cause, ...]
    as_proved: tuple[float | None, ...]
    as_seen: tuple[bool, ...]
    against: Literal["measured", "wanted"]
    apart: str
    proofs: int


class _Bench:
    """Makes proofs, counts them, and holds sizes against what was measured."""

    def __init__(self, job: Job, source: Source, question: Question, cancelled: Callable[[], bool]) -> None:
        self.job, self.source, self.question, self.cancelled = _coarse(job), source, question, cancelled
        self.count = 0
        self.base = self.prove(self.job, source, None)
        self.against: Literal["measured", "wanted"] = "measured"
        self.wanted = tuple(m.value for m in question.measured)
        base = self.sizes(self.base)
        there = self.left(base, self.seen(self.base))
        if (
            there <= 4.0 * max(len(self.wanted), 1) * 0.25
            and all(m.wanted is not None for m in question.measured)
            and question.measured
        ):
            # The proof has these very sizes: what is looked for is what makes the part as it was wanted.
            self.against = "wanted"
            self.wanted = tuple(float(m.wanted or 0.0) for m in question.measured)
        self.at_first = max(self.left(base, self.seen(self.base)), 1e-9)

    def prove(self, job: Job, source: Source, before: Proof | None) -> Proof:
        if self.cancelled():
            raise Cancelled
        self.count += 1
        return prove(job, source, cancelled=self.cancelled, before=before)

    def sizes(self, proof: Proof) -> tuple[float | None, ...]:
        return tuple(measured_in(proof, m.feature) for m in self.question.measured)

    def seen(self, proof: Proof) -> tuple[bool, ...]:
        """Which of the things that were seen this run has, too."""
        return tuple(_in_air(proof, s.line) if s.what == "air" else _touched(proof, s) for s in self.question.seen)

    def left(self, sizes: tuple[float | None, ...], seen: tuple[bool, ...]) -> float:
        """The sum of squares of what is not explained, in tolerances; large differences count by their root, that one size does not decide all."""
        total = 0.0
        for found, wanted, m in zip(sizes, self.wanted, self.question.measured):
            off = abs(found - wanted) if found is not None else _MISSING_MM + abs(wanted) * 0.1
            total += min((off / m.within) ** 2, 400.0 + off / m.within)
        return total + sum(_SEEN_WEIGHT**2 * 4.0 for one in seen if not one)

    def explains(self, sizes: tuple[float | None, ...], seen: tuple[bool, ...]) -> float:
        return 1.0 - self.left(sizes, seen) / self.at_first


def _touched(proof: Proof, seen: Seen) -> bool:
    """Whether metal meets metal there."""
    return any(
        f.severity == Severity.CRASH
        and (not seen.line or abs(f.line - seen.line) <= _SEEN_LINES)
        and (not seen.thing or seen.thing.lower() in str(f.evidence.get("with") or f.message).lower())
        for f in proof.findings
    )


def _in_air(proof: Proof, line: int) -> bool:
    """Whether the feeds of a line take nothing away (line 0: those of any whole tool)."""
    if not line:
        return any(f.code == "cuts-air" for f in proof.findings)
    motions = proof.motions
    mine = (motions.line == line) & ~motions.rapid() & (motions.lengths() > 0.0)
    removed = sum((h.removed for h in proof.histories), np.zeros(len(motions)))
    return bool(mine.any()) and float(removed[mine].sum()) <= 1e-6


def _coarse(job: Job) -> Job:
    """The job on cells so large that a trial takes a moment."""
    area = sum(s.extent[0] * s.extent[1] for s in job.bench.stocks)
    made = quick(job)
    cell = max(made.settings.cell or 0.1, (area / _MOST_CELLS) ** 0.5) if area else made.settings.cell
    return replace(made, settings=replace(made.settings, cell=cell))


def why(job: Job, source: Source, question: Question, cancelled: Callable[[], bool] = lambda: False, progress: Callable[[float], None] = lambda _share: None, told: Callable[[Cause], None] = lambda _cause: None) -> Answer:  # fmt: skip
    """The causes that explain what was measured and seen, the best first; ``told`` is told each as it is found. Raises ``Cancelled``."""
    bench = _Bench(job, source, question, cancelled)
    causes: list[Cause] = []
    begun = 0.0
    for group, share in ((of_setup, 0.55), (of_words, 0.45)):
        trials = list(group(bench))
        for k, trial in enumerate(trials):
            progress(begun + share * k / len(trials))
            found = _fitted(bench, trial) if trial.figure else _tried(bench, trial, 0.0)
            if found is not None and found.explains >= _WORTH:
                causes.append(found)
                told(found)
        begun += share
        if bench.against == "measured" and any(c.explains >= _EXPLAINED for c in causes):
            break  # the setup explains it: nobody need doubt each word of the program
    causes.sort(key=lambda c: (-round(c.explains * _LIKELY[c.sort], 3), abs(c.by_mm or 0.0)))
    kept = _without_twins(causes)[:12]
    progress(1.0)
    return Answer(
        causes=tuple(kept), as_proved=bench.sizes(bench.base), as_seen=bench.seen(bench.base), against=bench.against,
        apart=_apart(kept, job.units), proofs=bench.count,
    )  # fmt: skip


def _without_twins(causes: list[Cause]) -> list[Cause]:
    """Causes of the same words once."""
    out: dict[str, Cause] = {}
    for one in causes:
        out.setdefault(one.words, one)
    return list(out.values())


def _tried(bench: _Bench, trial: Trial, figure: float) -> Cause | None:
    job, source = trial.make(figure)
    proof = bench.prove(job, source, bench.base)
    sizes, seen = bench.sizes(proof), bench.seen(proof)
    return Cause(
        sort=trial.sort, words=trial.words(figure), check=trial.check, explains=bench.explains(sizes, seen), sizes=sizes, seen=seen,
        proof=proof, by_mm=figure if trial.figure else None, line=trial.line,
    )  # fmt: skip


def _fitted(bench: _Bench, trial: Trial) -> Cause | None:
    """The figure that fits best: a trial, a straight line through it, and once more from there."""
    base = bench.sizes(bench.base)
    best: Cause | None = None
    step, at, here = _TRIAL_MM, 0.0, base
    for _ in range(3):
        there = _tried(bench, trial, at + step)
        if there is None:
            return best
        if best is None or there.explains > best.explains:
            best = there
        up, down = 0.0, 0.0
        for a, b, wanted, m in zip(here, there.sizes, bench.wanted, bench.question.measured):
            if a is None or b is None:
                continue
            slope = (b - a) / step / m.within
            up += slope * (wanted - a) / m.within
            down += slope * slope
        if down < 1e-4:
            break  # nothing that was measured follows this figure
        fit = at + up / down
        if abs(fit) > 250.0 or abs(fit - (at + step)) < 5e-4:
            break
        at, here, step = at + step, there.sizes, fit - (at + step)
    if best is None and bench.question.seen:
        return best
    if bench.question.seen and (best is None or best.explains < 0.9):
        # What was only seen has no slope: the usual slips are tried.
        for by in (-5.0, -1.0, 1.0, 5.0):
            found = _tried(bench, trial, by)
            if found is not None and (best is None or found.explains > best.explains):
                best = found
    return best


def _apart(causes: list[Cause], unit: Unit) -> str:
    """What to measure or look at that tells the first two causes apart."""
    if len(causes) < 2:
        return causes[0].check if causes else ""
    one, two = causes[0], causes[1]
    try:
        found = compare_runs(one.proof, two.proof)
    except ValueError:
        return one.check
    place = found.a_lacks or found.a_left
    if place is None or place.depth_mm < 0.02:
        return f"No size of this part tells the first two apart. {one.check}"
    x, y, z = (show_length(v, unit) for v in place.place)
    which = "first" if found.a_lacks is not None else "second"
    depth = show_length(place.depth_mm, unit)
    return f"Measure near X {x} Y {y} Z {z}: there the {which} cause takes {depth} {unit} more than the other."
