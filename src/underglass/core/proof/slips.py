"""What may have happened: figures of the setup on both sides, mix-ups, tools, the block, and single words of the program."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Literal, Protocol

import numpy as np
from numpy.typing import NDArray

from underglass.core.control.motions import Motions
from underglass.core.language.source import Source, read_lines
from underglass.core.proof.belief import Row
from underglass.core.proof.belief import rows as mill_rows
from underglass.core.proof.bench_rows import ROWS, BenchRows, SideOf
from underglass.core.proof.features import Feature, measured_in
from underglass.core.proof.job import Job
from underglass.core.proof.margins import with_value
from underglass.core.proof.proof import Proof
from underglass.core.proof.question import Question
from underglass.core.units import show_length

Floats = NDArray[np.float64]
Sort = Literal["register", "truth", "mix-up", "stock", "program"]
_MOST_LINES = 24


class Suspects(Protocol):
    """The job as it is believed, its proof, and what is asked of it."""

    job: Job
    source: Source
    base: Proof
    question: Question
    against: Literal["measured", "wanted"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Trial:
    """A cause that is still to be tried: ``make`` puts it into a job and a program, with its figure (0 where it has none).

    ``felt``: of a tool that gives way, the moves as the work feels them. ``least``: a figure no larger than this cannot be: no size is less
    than nothing.
    """

    sort: Sort
    words: Callable[[float], str]
    check: str
    make: Callable[[Job, Source, float], tuple[Job, Source]]
    figure: bool
    line: int = 0
    felt: Callable[[Motions, float], Motions] | None = None
    least: float = -math.inf


def of_setup(bench: Suspects) -> Iterator[Trial]:
    """Figures of the setup, on both sides, tools and stock."""
    job, proof = bench.job, bench.base
    own = ROWS.get(job.trade.name)
    found = own.rows(job, proof) if own is not None else mill_rows(job, proof)
    used = set(proof.motions.tool_of().tolist())
    for row in found:
        if row.group == "left" or row.truth is None or row.belief is None or (row.tool and row.tool not in used):
            continue
        yield _row_trial(job, row, "belief")
        if not (row.group == "radius" and row.real in job.bench.tools):
            yield _row_trial(job, row, "truth")
    called = sorted(t for t in used if t)
    yield from _sizes(job, [t for t in called if t in job.bench.tools])
    if own is not None:
        yield from _own_sizes(job, own, called)
    yield from _mix_ups(job, called, _tools_there(bench))
    yield from _rotation_left(job)
    yield from _pushed(bench, called)
    yield from _stocks(job)
    yield from _others(job, bench.source)
    if bench.question.seen:
        yield from _clamps(job)


def _tools_there(bench: Suspects) -> set[int]:
    """The tools that cut what was measured; all where only something was seen."""
    called = bench.base.motions.tool_of()
    moves = {m for one in bench.question.measured for m in _owners(bench.base, one.feature)}
    found = {int(called[m]) for m in moves if 0 <= m < len(called)}
    return found or set(called.tolist())


def _sizes(job: Job, used: list[int]) -> Iterator[Trial]:
    """A mill or drill of another size than was taken for granted."""
    for number in used:
        tool = job.bench.tools[number]

        def other(job: Job, source: Source, by: float, number: int = number) -> tuple[Job, Source]:
            there = job.bench.tools[number]
            made = replace(there, DC=max(there.DC + by, 0.05))
            return replace(job, bench=replace(job.bench, tools={**job.bench.tools, number: made})), source

        yield Trial(
            sort="truth", figure=True, make=other, check=f"Measure the diameter of T{number}.", least=-tool.DC,
            words=lambda by, n=number, t=tool: f"T{n} really cut a diameter of {show_length(t.DC + by, job.units)}, {show_length(by, job.units, sign=True)}",  # type: ignore[misc]
        )  # fmt: skip


def _own_sizes(job: Job, own: BenchRows, used: list[int]) -> Iterator[Trial]:
    for size in own.sizes(job):
        if size.tool in used:
            yield Trial(
                sort="truth", figure=True, make=lambda job, source, by, s=size: (s.vary(job, by), source), check=f"Measure T{size.tool}.", least=-size.stands,  # type: ignore[misc]
                words=lambda by, s=size: f"The real size of T{s.tool} was {show_length(s.stands + by, job.units)}, {show_length(by, job.units, sign=True)}",  # type: ignore[misc]
            )  # fmt: skip


def _row_trial(job: Job, row: Row, side: SideOf) -> Trial:
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
            else f"the real {'gauge' if row.axis else _REAL.get(row.group, 'figure')} of T{row.tool}{f' along {row.axis.upper()}' if row.axis else ''} was {figure}, {show_length(by, unit, sign=True)}"
        )
        return what[:1].upper() + what[1:]

    check = f"Read {name} in the control: {show_length(stands, unit)} is what it should hold." if side == "belief" else (
        f"Indicate the part along {row.axis.upper()} against its stop." if row.group == "work" else f"Measure T{row.tool}: {show_length(stands, unit)} is what it was taken for."
    )  # fmt: skip
    return Trial(
        sort="register" if side == "belief" else "truth", words=words, check=check, figure=True, line=row.line,
        make=lambda job, source, by: (with_value(job, row, stands + by, side), source), least=-stands if row.group == "radius" else -math.inf,
    )  # fmt: skip


_REAL = {"length": "length", "radius": "size", "touched": "length", "geometry": "gauge"}


Change = Callable[[Job], Job]


def _plain(change: Change) -> Callable[[Job, Source, float], tuple[Job, Source]]:
    return lambda job, source, _by: (change(job), source)


def _sitting(places: Mapping[int, int]) -> Change:
    """Other tools in these places."""
    return lambda job: replace(job, bench=replace(job.bench, loaded={**job.bench.loaded, **places}))


def _holding(table: Literal["length", "radius"], number: int, value: float) -> Change:
    def change(job: Job) -> Job:
        held = {**getattr(job.registers, table), number: value}
        return replace(job, registers=replace(job.registers, length=held) if table == "length" else replace(job.registers, radius=held))  # fmt: skip

    return change


def _mix_ups(job: Job, used: list[int], there: set[int]) -> Iterator[Trial]:
    """Tools changed over, a register of another tool, a diameter for a radius."""
    registers, tools = job.registers, sorted(job.bench.tool_names)

    def mix_up(words: str, check: str, change: Change) -> Trial:
        return Trial(sort="mix-up", words=lambda _f: words, figure=False, check=check, make=_plain(change))

    for a in used:
        for b in tools:
            if a == b or a not in tools or a not in there:
                continue
            yield mix_up(
                f"T{b} sat where T{a} belongs", f"Look which tool comes when T{a} is called.", _sitting({a: b})
            )
            if b in used and (b > a or b not in there):
                first, second = min(a, b), max(a, b)
                yield mix_up(
                    f"T{first} and T{second} were changed over", f"Look where T{first} and T{second} sit.", _sitting({a: b, b: a})
                )  # fmt: skip
            if b in registers.length and a in registers.length and registers.length[a] != registers.length[b]:
                yield mix_up(
                    f"H{a} held the length of T{b}",
                    f"Read H{a} in the control.",
                    _holding("length", a, registers.length[b]),
                )
    for number in sorted(registers.radius):
        for factor, words in ((2.0, "the diameter where the radius belongs"), (0.5, "half of what it should")):
            held = _holding("radius", number, registers.radius[number] * factor)
            yield mix_up(f"D{number} held {words}", f"Read D{number} in the control.", held)
    if job.start.shift == (0.0, 0.0, 0.0) and job.bench.more is None:
        for k, axis in enumerate("XYZ"):

            def shifted(job: Job, source: Source, by: float, k: int = k) -> tuple[Job, Source]:
                x, y, z = (by if n == k else 0.0 for n in range(3))
                return replace(job, start=replace(job.start, shift=(x, y, z))), source

            yield Trial(
                sort="register", figure=True, check="Look at the position page: is a shift (G92, G52) on?", make=shifted,
                words=lambda by, a=axis: f"A shift of {a} {show_length(by, job.units, sign=True)} was left over from the job before",  # type: ignore[misc]
            )  # fmt: skip


def _rotation_left(job: Job) -> Iterator[Trial]:
    """A G68 of the job before that still turns what is programmed."""
    if job.start.rotation or job.bench.more is not None:
        return

    def turned(job: Job, source: Source, by: float) -> tuple[Job, Source]:
        return replace(job, start=replace(job.start, rotation=math.radians(by))), source

    yield Trial(
        sort="register", figure=True, check="Look at the position page: is a rotation (G68) on?", make=turned,
        words=lambda by: f"A rotation of {by:+.3f} degrees was left over from the job before",
    )  # fmt: skip


def _pushed(bench: Suspects, used: list[int]) -> Iterator[Trial]:
    """A tool that gave way under its load: most in the heaviest of its cuts."""
    job, proof = bench.job, bench.base
    own = ROWS.get(job.trade.name)
    away = own.pushed if own is not None else pushed_off_walls
    if away is None:
        return
    for number in used:
        ways = away(proof, number)
        if ways is None:
            continue

        def felt(motions: Motions, by: float, ways: Floats = ways) -> Motions:
            if len(motions) != len(ways):
                return motions  # another program: what it pushes is not known
            return replace(
                motions, start=motions.start + by * ways, end=motions.end + by * ways, _kept={}, earlier=None
            )

        yield Trial(
            sort="truth", figure=True, make=lambda job, source, _by: (job, source), felt=felt, check=f"Take the last cut of T{number} once more, as it is: what it still takes, it was pushed away.",
            words=lambda by, n=number: f"T{n} was pushed away by {show_length(abs(by), job.units)}" if by > 0.0 else f"T{n} was pulled in by {show_length(abs(by), job.units)}",  # type: ignore[misc]
        )  # fmt: skip


def pushed_off_walls(proof: Proof, number: int) -> Floats | None:
    """Which way a mill is pushed on each move, ``(n, 3)``: off the contour that it follows by compensation, 1 long on the heaviest. None: nowhere.

    Along a slot both walls push alike. The push grows with the chip's section (common practice, no source).
    """
    motions = proof.motions
    sides = np.array([{"left": 1.0, "right": -1.0}.get(s.comp, 0.0) for s in motions.in_force] or [0.0])[motions.state]
    loads = proof.loads()
    weight = np.where((motions.tool_of() == number) & (sides != 0.0), loads.ap * loads.ae, 0.0)
    most = float(weight.max(initial=0.0))
    if most <= 0.0:
        return None
    way = (motions.end - motions.start)[:, :2]
    long = np.maximum(np.hypot(way[:, 0], way[:, 1]), 1e-9)
    left = np.column_stack([-way[:, 1] / long, way[:, 0] / long, np.zeros(len(way))])
    return left * (sides * weight / most)[:, None]


_UNITS = re.compile(r"\bG2([01])\b", re.IGNORECASE)


def _others(job: Job, source: Source) -> Iterator[Trial]:
    """The other unit, another part's offset, and the block turned on the table."""
    for number, text in enumerate(source.lines, 1):
        found = _UNITS.search(_COMMENT.sub(lambda m: " " * len(m[0]), text))
        if found is not None:
            other = f"G2{'0' if found[1] == '1' else '1'}"
            yield Trial(
                sort="mix-up", words=lambda _f, o=other: f"The control counted in {'inch' if o == 'G20' else 'mm'}", figure=False, line=number,  # type: ignore[misc]
                check=f"Look whether {found[0].upper()} in line {number} was read.", make=_with_line(number, text[: found.start()] + other + text[found.end() :]),
            )  # fmt: skip
            break
    work = job.registers.work
    for a in sorted(work):
        for b in sorted(work):
            if a != b and work[a] != work[b]:
                held = {a: work[b]}
                yield Trial(
                    sort="mix-up", words=lambda _f, a=a, b=b: f"{a} held the figures of {b}", figure=False,  # type: ignore[misc]
                    check=f"Read {a} and {b} in the control.",
                    make=_plain(lambda job, h=held: replace(job, registers=replace(job.registers, work={**job.registers.work, **h}))),  # type: ignore[misc]
                )  # fmt: skip
    if job.bench.more is None and job.bench.stocks:

        def turned(job: Job, source: Source, by: float) -> tuple[Job, Source]:
            zero, angle = job.bench.part_zero, math.radians(by)
            stocks = []
            for s in job.bench.stocks:
                dx, dy = s.frame.x - zero.x, s.frame.y - zero.y
                x = zero.x + dx * math.cos(angle) - dy * math.sin(angle)
                y = zero.y + dx * math.sin(angle) + dy * math.cos(angle)
                stocks.append(replace(s, frame=replace(s.frame, x=x, y=y, turn_rad=s.frame.turn_rad + angle)))
            return replace(job, bench=replace(job.bench, stocks=tuple(stocks))), source

        yield Trial(
            sort="stock", figure=True, make=turned, check="Run an indicator along the block's long side.",
            words=lambda by: f"The block lay turned by {by:+.3f} degrees",
        )  # fmt: skip


def _clamps(job: Job) -> Iterator[Trial]:
    """What holds the part, moved or higher than it was taken for: only where something was touched."""
    for fixture in job.bench.fixtures:
        for k, axis in enumerate("XYZ") if fixture.entry else ():

            def moved(job: Job, source: Source, by: float, name: str = fixture.name, k: int = k) -> tuple[Job, Source]:
                out = tuple(
                    replace(f, solid=replace(f.solid, frame=replace(
                        f.solid.frame, x=f.solid.frame.x + by * (k == 0), y=f.solid.frame.y + by * (k == 1), z=f.solid.frame.z + by * (k == 2)
                    ))) if f.name == name else f
                    for f in job.bench.fixtures
                )  # fmt: skip
                return replace(job, bench=replace(job.bench, fixtures=out)), source

            yield Trial(
                sort="stock", figure=True, make=moved, check=f"Look where the {fixture.name} stands.",
                words=lambda by, n=fixture.name, a=axis: f"The {n} stood {show_length(by, job.units, sign=True)} along {a}",  # type: ignore[misc]
            )  # fmt: skip


def _stocks(job: Job) -> Iterator[Trial]:
    """The block thicker, not seated, or aside while the zero was right."""
    if job.bench.more is not None:
        return
    for k, axis in enumerate("xyz"):

        def moved(job: Job, source: Source, by: float, k: int = k) -> tuple[Job, Source]:
            shift = [by if n == k else 0.0 for n in range(3)]
            stocks = tuple(
                replace(
                    s, frame=replace(s.frame, x=s.frame.x + shift[0], y=s.frame.y + shift[1], z=s.frame.z + shift[2])
                )
                for s in job.bench.stocks
            )
            return replace(job, bench=replace(job.bench, stocks=stocks)), source

        words = (
            "The block lay {} higher than its seat, or is as much thicker"
            if axis == "z"
            else f"The block lay {{}} along {axis.upper()} from its stop"
        )
        yield Trial(
            sort="stock", words=lambda by, w=words: w.format(show_length(by, job.units, sign=True)), figure=True,  # type: ignore[misc]
            check="Tap the block down, feel the parallels, and measure how thick it is." if axis == "z" else f"Look whether the block lies against its stop in {axis.upper()}.",
            make=moved,
        )  # fmt: skip


_WORD = re.compile(r"([XYZIJKRHDUW])([+-]?)(\d*\.?\d+|\d+\.)", re.IGNORECASE)
_SIDE = re.compile(r"G4([12])\b", re.IGNORECASE)
_COMMENT = re.compile(r"\([^)]*\)|;.*")


def of_words(bench: Suspects) -> Iterator[Trial]:
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
                options += [f"{letter}{sign}{_figure(value * 10.0)}", f"{letter}{sign}{_figure(value / 10.0)}"]
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


def _figure(value: float) -> str:
    return f"{value:.4f}".rstrip("0")


def _with_line(number: int, line: str) -> Callable[[Job, Source, float], tuple[Job, Source]]:
    """Another line in the program's place of it."""

    def make(job: Job, source: Source, _by: float) -> tuple[Job, Source]:
        lines = list(source.lines)
        lines[number - 1] = line
        return job, read_lines(lines, source.name)

    return make


def _edit(bench: Suspects, number: int, line: str, mends: str, did: str) -> Trial:
    words = mends if bench.against == "wanted" else did
    return Trial(
        sort="program", words=lambda _f: words, check=f"Read line {number} in the control and in the drawing.", figure=False, line=number,
        make=_with_line(number, line),
    )  # fmt: skip


def _lines_of_interest(bench: Suspects) -> list[int]:
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
