"""From what was measured or seen at the machine back to the figure that explains it.

Every cause is a proof: one figure of the setup, one mix-up or one word of the program is changed, the part is made again, and its sizes are
held against those that were measured. Figures are fitted by least squares on two trial proofs and tried once more (the sizes
follow a register nearly straight); a cause is worth as much as it leaves less of the differences than the setup as it stands.

Glossary
    cause       a change of one thing that may be what happened
    explains    1 less the sum of squares that a cause leaves, over the sum that the job as it stands leaves
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from underglass.core.errors import Cancelled
from underglass.core.finding import Severity
from underglass.core.language.source import Source, read_lines
from underglass.core.proof.belief import Row
from underglass.core.proof.belief import rows as mill_rows
from underglass.core.proof.bench_rows import ROWS, SideOf
from underglass.core.proof.compare import compare_runs
from underglass.core.proof.features import Feature, measured_in
from underglass.core.proof.job import Job
from underglass.core.proof.margins import quick, with_value
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import prove
from underglass.core.units import Unit, show_length

Sort = Literal["register", "truth", "mix-up", "stock", "program"]
_LIKELY: dict[Sort, float] = {"register": 1.0, "mix-up": 0.97, "truth": 0.95, "stock": 0.94, "program": 0.9}
"""Between causes that explain alike: what is set by hand is wrong more often than what is made (common practice, no source)."""

_TRIAL_MM = 0.25
_CAUGHT_MM = 0.02
"""How exactly a size is known where nobody says: a calliper's hundredths."""
_SEEN_WEIGHT = 4.0
_WORTH = 0.35
_EXPLAINED = 0.97
_MOST_CELLS = 90_000
"""The cells of a trial: walls are looked for under the loupe, so that coarse ones do."""
_MOST_LINES = 24
_SEEN_LINES = 1
_MISSING_MM = 1.0
"""What is counted for a wall that is not there at all."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Measured:
    """A size as it was measured, mm, within so much; ``wanted``: as the drawing has it."""

    feature: Feature
    value: float
    within: float = _CAUGHT_MM
    wanted: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Seen:
    """Something touched something at a line (0: somewhere); ``thing``: what it was, by its name."""

    line: int = 0
    thing: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Question:
    """What is known of the part that came out wrong."""

    measured: tuple[Measured, ...] = ()
    seen: tuple[Seen, ...] = ()


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


@dataclass(frozen=True, slots=True, kw_only=True)
class _Trial:
    """A cause that is still to be tried: ``make`` gives job and program for a figure (None where it has none)."""

    sort: Sort
    words: Callable[[float], str]
    check: str
    make: Callable[[float], tuple[Job, Source]]
    figure: bool
    line: int = 0


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
        grave = [f for f in proof.findings if f.severity == Severity.CRASH]
        return tuple(
            any(
                (not s.line or abs(f.line - s.line) <= _SEEN_LINES)
                and (not s.thing or s.thing.lower() in str(f.evidence.get("with") or f.message).lower())
                for f in grave
            )
            for s in self.question.seen
        )

    def left(self, sizes: tuple[float | None, ...], seen: tuple[bool, ...]) -> float:
        """The sum of squares of what is not explained, in tolerances; large differences count by their root, that one size does not decide all."""
        total = 0.0
        for found, wanted, m in zip(sizes, self.wanted, self.question.measured):
            off = abs(found - wanted) if found is not None else _MISSING_MM + abs(wanted) * 0.1
            total += min((off / m.within) ** 2, 400.0 + off / m.within)
        return total + sum(_SEEN_WEIGHT**2 * 4.0 for one in seen if not one)

    def explains(self, sizes: tuple[float | None, ...], seen: tuple[bool, ...]) -> float:
        return 1.0 - self.left(sizes, seen) / self.at_first


def _coarse(job: Job) -> Job:
    """The job on cells so large that a trial takes a moment."""
    area = sum(s.extent[0] * s.extent[1] for s in job.bench.stocks)
    made = quick(job)
    cell = max(made.settings.cell or 0.1, (area / _MOST_CELLS) ** 0.5) if area else made.settings.cell
    return replace(made, settings=replace(made.settings, cell=cell))


def why(job: Job, source: Source, question: Question, cancelled: Callable[[], bool] = lambda: False, progress: Callable[[float], None] = lambda _share: None) -> Answer:  # fmt: skip
    """The causes that explain what was measured and seen, the best first. Raises ``Cancelled``."""
    bench = _Bench(job, source, question, cancelled)
    causes: list[Cause] = []
    begun = 0.0
    for group, share in ((_setup, 0.55), (_words, 0.45)):
        trials = list(group(bench))
        for k, trial in enumerate(trials):
            progress(begun + share * k / len(trials))
            found = _fitted(bench, trial) if trial.figure else _tried(bench, trial, 0.0)
            if found is not None and found.explains >= _WORTH:
                causes.append(found)
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


def _tried(bench: _Bench, trial: _Trial, figure: float) -> Cause | None:
    job, source = trial.make(figure)
    proof = bench.prove(job, source, bench.base)
    sizes, seen = bench.sizes(proof), bench.seen(proof)
    return Cause(
        sort=trial.sort, words=trial.words(figure), check=trial.check, explains=bench.explains(sizes, seen), sizes=sizes, seen=seen,
        proof=proof, by_mm=figure if trial.figure else None, line=trial.line,
    )  # fmt: skip


def _fitted(bench: _Bench, trial: _Trial) -> Cause | None:
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


# -- what may have happened ------------------------------------------------------------------------------------------------


def _setup(bench: _Bench) -> Iterator[_Trial]:
    """Figures of the setup, on both sides, tools and stock."""
    job, proof = bench.job, bench.base
    own = ROWS.get(job.trade.name)
    found = own.rows(job, proof) if own is not None else mill_rows(job, proof)
    used = set(proof.motions.tool_of().tolist())
    for row in found:
        if row.group == "left" or row.truth is None or row.belief is None or (row.tool and row.tool not in used):
            continue
        yield _row_trial(job, bench.source, row, "belief")
        if not (row.group == "radius" and row.real in job.bench.tools):
            yield _row_trial(job, bench.source, row, "truth")
    yield from _sizes(job, bench.source, sorted(t for t in used if t in job.bench.tools))
    yield from _mix_ups(job, bench.source, sorted(t for t in used if t), _tools_there(bench))
    yield from _stocks(job, bench.source)


def _tools_there(bench: _Bench) -> set[int]:
    """The tools that cut what was measured; all where only something was seen."""
    called = bench.base.motions.tool_of()
    moves = {m for one in bench.question.measured for m in _owners(bench.base, one.feature)}
    found = {int(called[m]) for m in moves if 0 <= m < len(called)}
    return found or set(called.tolist())


def _sizes(job: Job, source: Source, used: list[int]) -> Iterator[_Trial]:
    """A mill or drill of another size than was taken for granted."""
    for number in used:
        tool = job.bench.tools[number]

        def other(by: float, number: int = number) -> tuple[Job, Source]:
            there = job.bench.tools[number]
            made = replace(there, DC=max(there.DC + by, 0.05))
            return replace(job, bench=replace(job.bench, tools={**job.bench.tools, number: made})), source

        yield _Trial(
            sort="truth", figure=True, make=other, check=f"Measure the diameter of T{number}.",
            words=lambda by, n=number, t=tool: f"T{n} really cut a diameter of {show_length(t.DC + by, job.units)}, {show_length(by, job.units, sign=True)}",  # type: ignore[misc]
        )  # fmt: skip


def _row_trial(job: Job, source: Source, row: Row, side: SideOf) -> _Trial:
    stands = row.belief if side == "belief" else row.truth
    assert stands is not None
    unit = job.units
    # A group that has axes is told with the axis: G54 X, T2 X.
    name = f"{row.key} {row.axis.upper()}" if row.axis else row.key

    def words(by: float) -> str:
        figure = show_length(stands + by, unit)
        if side == "belief":
            return f"The control held {name} {figure}, {show_length(by, unit, sign=True)} out"
        what = (
            f"the part lay {show_length(by, unit, sign=True)} along {row.axis.upper()}"
            if row.group == "work"
            else f"the real {_REAL.get(row.group, 'figure')} of T{row.tool}{f' along {row.axis.upper()}' if row.axis else ''} was {figure}, {show_length(by, unit, sign=True)}"
        )
        return what[:1].upper() + what[1:]

    check = f"Read {name} in the control: {show_length(stands, unit)} is what it should hold." if side == "belief" else (
        f"Indicate the part along {row.axis.upper()} against its stop." if row.group == "work" else f"Measure T{row.tool}: {show_length(stands, unit)} is what it was taken for."
    )  # fmt: skip
    return _Trial(
        sort="register" if side == "belief" else "truth", words=words, check=check, figure=True, line=row.line,
        make=lambda by: (with_value(job, row, stands + by, side), source),
    )  # fmt: skip


_REAL = {"length": "length", "radius": "size", "touched": "length", "geometry": "gauge"}


def _mix_ups(job: Job, source: Source, used: list[int], there: set[int]) -> Iterator[_Trial]:
    """Tools changed over, a register of another tool, a diameter for a radius."""
    tools, registers = job.bench.tools, job.registers

    def plain(make: Callable[[], Job]) -> Callable[[float], tuple[Job, Source]]:
        return lambda _by: (make(), source)

    for a in used:
        for b in sorted(tools):
            if a == b or a not in tools or a not in there:
                continue
            yield _Trial(
                sort="mix-up", words=lambda _f, a=a, b=b: f"T{b} sat where T{a} belongs", figure=False,  # type: ignore[misc]
                check=f"Look which tool comes when T{a} is called.",
                make=plain(lambda a=a, b=b: replace(job, bench=replace(job.bench, loaded={**job.bench.loaded, a: b}))),  # type: ignore[misc]
            )  # fmt: skip
            if b in used and (b > a or b not in there):
                yield _Trial(
                    sort="mix-up", words=lambda _f, a=a, b=b: f"T{a} and T{b} were changed over", figure=False,  # type: ignore[misc]
                    check=f"Look where T{a} and T{b} sit.",
                    make=plain(lambda a=a, b=b: replace(job, bench=replace(job.bench, loaded={**job.bench.loaded, a: b, b: a}))),  # type: ignore[misc]
                )  # fmt: skip
            if b in registers.length and a in registers.length and registers.length[a] != registers.length[b]:
                yield _Trial(
                    sort="mix-up", words=lambda _f, a=a, b=b: f"H{a} held the length of T{b}", figure=False,  # type: ignore[misc]
                    check=f"Read H{a} in the control.",
                    make=plain(lambda a=a, b=b: replace(job, registers=replace(registers, length={**registers.length, a: registers.length[b]}))),  # type: ignore[misc]
                )  # fmt: skip
    for number in sorted(registers.radius):
        for factor, words in ((2.0, "the diameter where the radius belongs"), (0.5, "half of what it should")):
            yield _Trial(
                sort="mix-up", words=lambda _f, n=number, w=words: f"D{n} held {w}", figure=False, check=f"Read D{number} in the control.",  # type: ignore[misc]
                make=plain(lambda n=number, f=factor: replace(job, registers=replace(registers, radius={**registers.radius, n: registers.radius[n] * f}))),  # type: ignore[misc]
            )  # fmt: skip
    if job.start.shift == (0.0, 0.0, 0.0) and job.bench.more is None:
        for k, axis in enumerate("XYZ"):
            yield _Trial(
                sort="register", figure=True, check="Look at the position page: is a shift (G92, G52) on?",
                words=lambda by, a=axis: f"A shift of {a} {show_length(by, job.units, sign=True)} was left over from the job before",  # type: ignore[misc]
                make=lambda by, k=k: (replace(job, start=replace(job.start, shift=tuple(by if n == k else 0.0 for n in range(3)))), source),  # type: ignore[misc, arg-type]
            )  # fmt: skip


def _stocks(job: Job, source: Source) -> Iterator[_Trial]:
    """The block thicker, not seated, or aside while the zero was right."""
    if job.bench.more is not None:
        return
    for k, axis in enumerate("xyz"):

        def moved(by: float, k: int = k) -> tuple[Job, Source]:
            shift = [by if n == k else 0.0 for n in range(3)]
            stocks = tuple(
                replace(
                    s, frame=replace(s.frame, x=s.frame.x + shift[0], y=s.frame.y + shift[1], z=s.frame.z + shift[2])
                )
                for s in job.bench.stocks
            )
            return replace(job, bench=replace(job.bench, stocks=stocks)), source

        words = (
            "The block lay {} higher than its seat"
            if axis == "z"
            else f"The block lay {{}} along {axis.upper()} from its stop"
        )
        yield _Trial(
            sort="stock", words=lambda by, w=words: w.format(show_length(by, job.units, sign=True)), figure=True,  # type: ignore[misc]
            check="Tap the block down and feel the parallels." if axis == "z" else f"Look whether the block lies against its stop in {axis.upper()}.",
            make=moved,
        )  # fmt: skip


_WORD = re.compile(r"([XYZIJKRHDUW])([+-]?)(\d*\.?\d+|\d+\.)", re.IGNORECASE)
_SIDE = re.compile(r"G4([12])\b", re.IGNORECASE)
_COMMENT = re.compile(r"\([^)]*\)|;.*")


def _words(bench: _Bench) -> Iterator[_Trial]:
    """One word of the program: its sign, its point, the side of compensation; in the lines that made what was measured."""
    source = bench.source
    for number in _lines_of_interest(bench):
        text = source.lines[number - 1]
        bare = _COMMENT.sub(lambda m: " " * len(m[0]), text)
        for found in _SIDE.finditer(bare):
            other = f"G4{'2' if found[1] == '1' else '1'}"
            yield _edit(
                bench,
                number,
                text[: found.start()] + other + text[found.end() :],
                f"{found[0].upper()} in line {number} should be {other}",
                f"{other} stood in line {number}",
            )
        for found in _WORD.finditer(bare):
            letter, sign, figure = found[1].upper(), found[2], found[3]
            options = []
            if letter not in "HD" and float(figure):
                options.append(f"{letter}{'' if sign == '-' else '-'}{figure}")
                value = float(figure)
                options += [f"{letter}{sign}{_plain(value * 10.0)}", f"{letter}{sign}{_plain(value / 10.0)}"]
            elif letter in "HD":
                table = bench.job.registers.length if letter == "H" else bench.job.registers.radius
                options += [f"{letter}{n}" for n in sorted(table) if n != int(float(figure))]
            for option in options:
                line = text[: found.start()] + option + text[found.end() :]
                yield _edit(
                    bench,
                    number,
                    line,
                    f"{found[0].upper()} in line {number} should be {option}",
                    f"{option} stood for {found[0].upper()} in line {number}",
                )


def _plain(value: float) -> str:
    text = f"{value:.4f}".rstrip("0")
    return text


def _edit(bench: _Bench, number: int, line: str, mends: str, did: str) -> _Trial:
    lines = list(bench.source.lines)
    lines[number - 1] = line
    made = read_lines(lines, bench.source.name)
    words = mends if bench.against == "wanted" else did
    return _Trial(
        sort="program", words=lambda _f: words, check=f"Read line {number} in the control and in the drawing.", figure=False, line=number,
        make=lambda _f: (bench.job, made),
    )  # fmt: skip


def _lines_of_interest(bench: _Bench) -> list[int]:
    """The lines whose moves made the surfaces that were measured, those before them that bring the tool there, and the compensation's."""
    proof, out = bench.base, dict[int, None]()
    owners: set[int] = set()
    for m in bench.question.measured:
        owners |= _owners(proof, m.feature)
    lines = proof.motions.line
    for move in sorted(owners):
        for near in (move, move - 1, move - 2):
            if 0 <= near < len(lines):
                out[int(lines[near])] = None
    for s in bench.question.seen:
        for number in range(s.line - 1, s.line + 2):
            if 1 <= number <= len(bench.source.lines):
                out[number] = None
    for number, text in enumerate(bench.source.lines, 1):
        if _SIDE.search(text):
            out[number] = None
    found = [n for n in out if 1 <= n <= len(bench.source.lines)]
    return found[:_MOST_LINES]


def _owners(proof: Proof, feature: Feature) -> set[int]:
    """The moves that cut near a feature."""
    out: set[int] = set()
    zero = proof.job.bench.part_zero
    for history in proof.stocks:
        grid = history.grid
        local = grid.frame.into(zero.out(np.array([[feature.at[0], feature.at[1], 0.0]])))[0]
        room = 2 if feature.what == "height" else max(4, round(40.0 / grid.cell))
        i, j = int(local[0] / grid.cell), int(local[1] / grid.cell)
        part = history.final.owner[max(j - room, 0) : j + room + 1, max(i - room, 0) : i + room + 1]
        values, counts = np.unique(part[part >= 0], return_counts=True)
        out |= set(values[np.argsort(-counts)][:8].tolist())
    if not proof.stocks and len(proof.motions):
        factor = proof.job.bench.machine.x_factor
        ends = np.array(
            [proof.motions.state_of(k).work(proof.motions.at(k, 1.0)) for k in range(min(len(proof.motions), 4000))]
        )
        if feature.what in ("turned", "bore"):
            size = measured_in(proof, feature) or 0.0
            off = np.abs(ends[:, 0] * factor - size) + 0.1 * np.abs(ends[:, 2] - feature.z)
        else:
            off = np.hypot(ends[:, 0] - feature.at[0], ends[:, 1] - feature.at[1])
        out |= set(np.argsort(off)[:8].tolist())
    return out


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
