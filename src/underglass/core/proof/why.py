"""From what was measured or seen at the machine back to the figure that explains it.

Every cause is a proof: one figure of the setup, one mix-up or one word of the program is changed, the part is made again, and its sizes are
held against those that were measured. Figures are fitted by least squares on two trial proofs and tried once more (the sizes
follow a register nearly straight); a cause is worth as much as it leaves less of the differences than the setup as it stands.

Where no single change explains it, two are put together: the sizes follow small changes nearly straight, so that which two can be is reckoned
from the single trials, and the likely ones are made.

Glossary
    cause       a change of one thing that may be what happened, or of two
    explains    1 less the sum of squares that a cause leaves, over the sum that the job as it stands leaves
    alike       causes that no size that was measured, and nothing that was seen, tells apart: one answer
"""

from __future__ import annotations

import math
import os
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from functools import partial
from typing import Literal, TypeVar

import numpy as np
from numpy.typing import NDArray

from underglass.core.control.motions import Motions
from underglass.core.errors import Cancelled
from underglass.core.language.source import Source
from underglass.core.proof.compare import compare_runs
from underglass.core.proof.features import Feature, measured_in
from underglass.core.proof.job import Job
from underglass.core.proof.margins import quick
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import proof_of_run, prove
from underglass.core.proof.question import Measured, Question
from underglass.core.proof.sights import is_seen
from underglass.core.proof.slips import Sort, Trial, of_setup, of_words
from underglass.core.removal.section.history import SectionHistory
from underglass.core.units import Unit, show_length

T = TypeVar("T")
Felt = Callable[[Motions], Motions]
Floats = NDArray[np.float64]

_RARE: dict[Sort, float] = {"register": 0.0, "mix-up": 0.3, "truth": 0.5, "stock": 0.6, "program": 1.0}
"""Between causes that explain alike: what is set by hand is wrong more often than what is made (common practice, no source). In squares of a
tolerance, as half of what is left unexplained is: a rarer cause has to explain better by as much."""

_PAIR_RARE, _FAR_RARE = 2.5, 1.0
"""Of two causes at once, and of each ten times that a figure is out by more than what people get wrong."""

_TRIAL_MM = 0.25
_SEEN_WEIGHT = 4.0
_WORTH = 0.35
_EXPLAINED = 0.97
_PLAUSIBLE_MM = 1.0
"""A figure that is out by more than this explains things only for want of something better: a word of the program may have done it."""
_ALIKE = 1.2
"""Tolerances within which two sizes are not told apart."""
_PAIRS = 24
"""Pairs of causes that are made, of all that are reckoned."""
_MOST_CELLS = 90_000
"""The cells of a trial: walls are looked for under the loupe, so that coarse ones do."""
_MOST_ANSWERS = 12
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
    answer: int = 0
    """Which answer it is one of, from 1, the best: those of one answer are alike."""
    pair: bool = False
    also: tuple[str, ...] = ()
    """Of a pair: what may stand in the place of one of the two, and is alike."""


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
    question: Question
    """What was asked, with what was seen as far as it is a size."""


class _Bench:
    """Makes proofs, counts them, and holds sizes against what was measured."""

    def __init__(self, job: Job, source: Source, question: Question, cancelled: Callable[[], bool]) -> None:
        self.job, self.source, self.question, self.cancelled = _coarse(job), source, question, cancelled
        self.count = 0
        self.base = self.prove(self.job, source, None)
        self.question = question = _with_all_aside(question, self.base)
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

    def prove(self, job: Job, source: Source, before: Proof | None, felt: Felt | None = None) -> Proof:
        if self.cancelled():
            raise Cancelled
        self.count += 1
        # A size needs no finding; what was touched does.
        asked = bool(self.question.seen)
        if felt is None:
            return prove(job, source, cancelled=self.cancelled, before=before, rules=lambda _rule: asked)
        run = self.base.run if source is self.source and job is self.job else prove(job, source, cut=False).run
        return proof_of_run(
            job, source, run, before, cut_along=felt(run.motions), rules=lambda _rule: asked, cancelled=self.cancelled
        )

    def sizes(self, proof: Proof) -> tuple[float | None, ...]:
        return tuple(measured_in(proof, m.feature) for m in self.question.measured)

    def seen(self, proof: Proof) -> tuple[bool, ...]:
        """Which of the things that were seen this run has, too."""
        return tuple(is_seen(proof, self.base, s) for s in self.question.seen)

    def left(self, sizes: tuple[float | None, ...], seen: tuple[bool, ...]) -> float:
        """The sum of squares of what is not explained, in tolerances; large differences count by their root, that one size does not decide all."""
        total = 0.0
        for found, wanted, m in zip(sizes, self.wanted, self.question.measured):
            off = abs(found - wanted) if found is not None else _MISSING_MM + abs(wanted) * 0.1
            total += min((off / m.within) ** 2, 400.0 + off / m.within)
        return total + sum(_SEEN_WEIGHT**2 * 4.0 for one in seen if not one)

    def explains(self, sizes: tuple[float | None, ...], seen: tuple[bool, ...]) -> float:
        return 1.0 - self.left(sizes, seen) / self.at_first


def _with_all_aside(question: Question, base: Proof) -> Question:
    """That all which is cut lies aside is a size, too: of the middle of it."""
    sizes = []
    turned = any(isinstance(h, SectionHistory) for h in base.histories)
    for seen in question.seen:
        for way, by in ((0.0, seen.at[0]), (90.0, seen.at[1]))[turned:]:
            feature = Feature(what="middle", way_deg=way)
            middle = measured_in(base, feature) if seen.what == "aside" else None
            if middle is not None:
                sizes.append(Measured(feature=feature, value=middle + by, wanted=middle))
    rest = tuple(s for s in question.seen if s.what != "aside")
    return Question(measured=(*question.measured, *sizes), seen=rest)


def _coarse(job: Job) -> Job:
    """The job on cells so large that a trial takes a moment."""
    area = sum(s.extent[0] * s.extent[1] for s in job.bench.stocks)
    made = quick(job)
    cell = max(made.settings.cell or 0.1, (area / _MOST_CELLS) ** 0.5) if area else made.settings.cell
    return replace(made, settings=replace(made.settings, cell=cell))


def why(job: Job, source: Source, question: Question, cancelled: Callable[[], bool] = lambda: False, progress: Callable[[float], None] = lambda _share: None, told: Callable[[Cause], None] = lambda _cause: None) -> Answer:  # fmt: skip
    """The causes that explain what was measured and seen, the best first; ``told`` is told each as it is found. Raises ``Cancelled``."""
    bench = _Bench(job, source, question, cancelled)
    tried: list[_Tried] = []
    begun = 0.0
    for group, share in ((of_setup, 0.5), (of_words, 0.4)):
        trials = list(group(bench))
        for k, found in enumerate(_side_by_side(partial(_best_of, bench), trials)):
            progress(begun + share * k / len(trials))
            if trials[k].figure and (found.by_mm or 0.0) <= trials[k].least:
                continue  # a cutter of nothing, a radius below it
            tried.append(_Tried(trials[k], found))
            if found.explains >= _WORTH:
                told(found)
        begun += share
        if bench.against == "measured" and any(_settles(bench, one.cause) for one in tried):
            break  # the setup explains it: nobody need doubt each word of the program
    causes = [one.cause for one in tried if one.cause.explains >= _WORTH]
    if question.measured and bench.against == "measured" and not any(_is_whole(bench, c) for c in causes):
        for found in _pairs(bench, tried, progress):
            if found.explains >= _WORTH and found.explains > max((c.explains for c in causes), default=0.0):
                told(found)
                causes.append(found)
    kept = _in_order(bench, causes)
    progress(1.0)
    return Answer(
        causes=kept, as_proved=bench.sizes(bench.base), as_seen=bench.seen(bench.base), against=bench.against,
        apart=_apart(kept, job.units), proofs=bench.count, question=bench.question,
    )  # fmt: skip


def _best_of(bench: _Bench, trial: Trial) -> Cause:
    return _fitted(bench, trial) if trial.figure else _tried(bench, (trial,), (0.0,))


def _side_by_side(work: Callable[[T], Cause], items: Sequence[T]) -> Iterator[Cause]:
    """What comes of each, in their order, two at a time where there are two cores: what cuts leaves the interpreter to the other."""
    if len(os.sched_getaffinity(0)) < 2:
        yield from map(work, items)
        return
    with ThreadPoolExecutor(2, "why") as pool:
        waiting = [pool.submit(work, one) for one in items]
        try:
            for one in waiting:
                yield one.result()
        finally:
            for one in waiting:
                one.cancel()


def _settles(bench: _Bench, cause: Cause) -> bool:
    """Whether it explains all, by a figure that a person may well have got wrong by so much."""
    return _is_whole(bench, cause) and cause.by_mm is not None and abs(cause.by_mm) <= _PLAUSIBLE_MM


def _is_whole(bench: _Bench, cause: Cause) -> bool:
    """Whether next to nothing is left: neither of the whole nor in tolerances."""
    known = len(bench.question.measured)
    return cause.explains >= _EXPLAINED and (1.0 - cause.explains) * bench.at_first <= known + 2.0


def _worth(bench: _Bench, cause: Cause) -> float:
    """How well it explains, less how rare it is: single ones before pairs, likely sorts before others, small figures before large ones."""
    far = max(abs(cause.by_mm or 0.0), _PLAUSIBLE_MM) / _PLAUSIBLE_MM
    rare = _RARE[cause.sort] + _PAIR_RARE * cause.pair + _FAR_RARE * math.log10(far)
    return -0.5 * (1.0 - cause.explains) * bench.at_first - rare


def _in_order(bench: _Bench, causes: list[Cause]) -> tuple[Cause, ...]:
    """The best first, each followed by those that are alike; no more than some twelve answers."""
    once: dict[str, Cause] = {}
    for one in sorted(causes, key=lambda c: (-_worth(bench, c), abs(c.by_mm or 0.0))):
        once.setdefault(one.words, one)
    answers: list[list[Cause]] = []
    for one in once.values():
        like = next((group for group in answers if _alike(bench, group[0], one)), None)
        if like is not None:
            like.append(one)
        else:
            answers.append([one])
    return tuple(replace(one, answer=k) for k, group in enumerate(answers[:_MOST_ANSWERS], 1) for one in group)


def _alike(bench: _Bench, a: Cause, b: Cause) -> bool:
    """Whether nothing that is known tells the two apart."""
    return a.seen == b.seen and all(
        x is y if x is None or y is None else abs(x - y) <= _ALIKE * m.within
        for x, y, m in zip(a.sizes, b.sizes, bench.question.measured)
    )


@dataclass(frozen=True, slots=True)
class _Tried:
    """A trial and the best that came of it."""

    trial: Trial
    cause: Cause


def _tried(bench: _Bench, trials: tuple[Trial, ...], figures: tuple[float, ...]) -> Cause:
    """One or two trials at once, with their figures."""
    job, source = bench.job, bench.source
    for trial, figure in zip(trials, figures):
        job, source = trial.make(job, source, figure)
    felts = [(t.felt, by) for t, by in zip(trials, figures) if t.felt is not None]

    def felt(motions: Motions) -> Motions:
        for one, by in felts:
            motions = one(motions, by)
        return motions

    proof = bench.prove(job, source, bench.base, felt if felts else None)
    sizes, seen = bench.sizes(proof), bench.seen(proof)
    words = "; and ".join(_inside(t.words(by), first=k == 0) for k, (t, by) in enumerate(zip(trials, figures)))
    largest = max((by for t, by in zip(trials, figures) if t.figure), key=abs, default=None)
    return Cause(
        sort=max((t.sort for t in trials), key=lambda s: _RARE[s]), words=words, check=trials[0].check, explains=bench.explains(sizes, seen),
        sizes=sizes, seen=seen, proof=proof, by_mm=largest, line=max(t.line for t in trials), pair=len(trials) > 1,
    )  # fmt: skip


def _inside(words: str, *, first: bool) -> str:
    """A cause's words as they stand behind others: names of registers and tools stay as they are."""
    return words if first or words[1:2].isupper() or words[1:2].isdigit() else words[:1].lower() + words[1:]


def _fitted(bench: _Bench, trial: Trial) -> Cause:
    """The figure that fits best: a trial, a straight line through it, and once more from there."""
    here = bench.sizes(bench.base)
    best: Cause | None = None
    step, at = _TRIAL_MM, 0.0
    for _ in range(3):
        there = _tried(bench, (trial,), (at + step,))
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
    if bench.question.seen and best is not None and best.explains < 0.9:
        # What was only seen has no slope: the usual slips are tried.
        for by in (-5.0, -1.0, 1.0, 5.0):
            found = _tried(bench, (trial,), (by,))
            if found.explains > best.explains:
                best = found
    assert best is not None
    return best


# -- two at once --------------------------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class _Follows:
    """How the sizes follow a trial, in tolerances: a mm of its figure, or as they are changed by it."""

    trial: Trial
    by: Floats
    figure: bool
    like: list[tuple[Trial, float]] = field(default_factory=list)
    """Trials that the sizes follow in the same way, and how much of their figure is a mm of this one's."""

    def others(self, by: float) -> tuple[str, ...]:
        """What may stand in its place, in words."""
        return tuple(trial.words(by * share) for trial, share in self.like)


def _pairs(bench: _Bench, tried: list[_Tried], progress: Callable[[float], None]) -> Iterator[Cause]:
    """Two causes at once: which two is reckoned from the single ones, and the likely pairs are made."""
    base = bench.sizes(bench.base)
    within = np.array([m.within for m in bench.question.measured])
    want = np.array([0.0 if b is None else w - b for w, b in zip(bench.wanted, base)]) / within
    ways: list[_Follows] = []
    for one in tried:
        cause = one.cause
        if any((a is None) != (b is None) for a, b in zip(cause.sizes, base)):
            continue  # a wall that is not there has no slope
        change = np.array([0.0 if a is None or b is None else a - b for a, b in zip(cause.sizes, base)]) / within
        way = change / cause.by_mm if one.trial.figure and cause.by_mm else change
        if np.abs(change).max(initial=0.0) <= 1.0:
            continue
        # The same way once: what is alike alone is alike in a pair.
        known = next((w for w in ways if w.figure == one.trial.figure and _parallel(w.by, way, w.figure)), None)
        if known is None:
            ways.append(_Follows(trial=one.trial, by=way, figure=one.trial.figure))
        else:
            known.like.append((one.trial, float(known.by @ way) / max(float(way @ way), 1e-12)))
    found: list[tuple[float, int, int, tuple[float, float]]] = []
    for i, a in enumerate(ways):
        for j in range(i + 1, len(ways)):
            b = ways[j]
            fixed = want - sum((w.by for w in (a, b) if not w.figure), np.zeros(len(want)))
            free = [w.by for w in (a, b) if w.figure]
            figures = np.linalg.lstsq(np.column_stack(free), fixed, rcond=None)[0].tolist() if free else []
            left = fixed - sum((f * w for f, w in zip(figures, free)), np.zeros(len(want)))
            each = iter(figures)
            by = tuple(next(each) if w.figure else 0.0 for w in (a, b))
            if any(w.figure and f <= w.trial.least for w, f in zip((a, b), by)):
                continue
            far = sum(max(abs(f) - _PLAUSIBLE_MM, 0.0) for f in by)
            found.append((float(left @ left) + far, i, j, (by[0], by[1])))
    found.sort(key=lambda one: one[0])
    likely = found[:_PAIRS]
    both = _side_by_side(lambda one: _tried(bench, (ways[one[1]].trial, ways[one[2]].trial), one[3]), likely)
    for k, ((_left, i, j, by), made) in enumerate(zip(likely, both)):
        progress(0.9 + 0.1 * k / _PAIRS)
        yield replace(made, also=ways[i].others(by[0]) + ways[j].others(by[1]))


def _parallel(a: Floats, b: Floats, figure: bool) -> bool:
    if not figure:
        return bool(np.abs(a - b).max() <= _ALIKE)
    sizes = float(np.linalg.norm(a) * np.linalg.norm(b))
    return abs(float(a @ b)) > 0.9995 * sizes


def _apart(causes: Sequence[Cause], unit: Unit) -> str:
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
