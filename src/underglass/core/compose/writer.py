"""Writes moves as blocks, each word only where it changes: mm in, absolute words of the XY plane in the program's unit out."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from typing import NamedTuple, TypeVar

import numpy as np
from numpy.typing import NDArray

from underglass.core.compose.contour import SAME, Seg
from underglass.core.compose.operation import Around, ShopEntries
from underglass.core.compose.run_text import blocks_of, rounded
from underglass.core.compose.shop import filled, values_for
from underglass.core.reckon.form import CannotBe, Stroke, plain, still_wanted, write
from underglass.core.units import MM_PER_INCH, Unit

Floats = NDArray[np.float64]
_V = TypeVar("_V", float, Floats)
_RAPID = 10_000.0
"""Rapid that ways in the air are counted with where they are only compared, mm/min."""

ROUNDED = 0.01
"""Places farther apart are not one because figures are rounded, mm: some four times the last decimal of an inch."""
_ASKED = 64
"""After so many blocks it is asked whether anybody waits for more."""


class _ToolIn:
    """Where a tool comes in: its text is filled in when it is known where the tool goes first."""

    def __init__(self, number: int, speed: str, safe: float, change: bool) -> None:
        self.number, self.speed, self.safe, self.change = number, speed, safe, change


class Turned(NamedTuple):
    """A turn about a place, degrees anticlockwise: worked into the figures, or left to G68."""

    deg: float
    x: float
    y: float
    by_word: bool

    def of(self, x: _V, y: _V) -> tuple[_V, _V]:
        """Where a place, or each of many, comes to stand."""
        c, s = math.cos(math.radians(self.deg)), math.sin(math.radians(self.deg))
        return self.x + (x - self.x) * c - (y - self.y) * s, self.y + (x - self.x) * s + (y - self.y) * c

    def over(self, places: Floats) -> Floats:
        """The same for places with their heights, (n, 3)."""
        return np.column_stack([*self.of(places[:, 0], places[:, 1]), places[:, 2]])


def _swept(x0: float, y0: float, x: float, y: float, cx: float, cy: float, clockwise: bool) -> float:
    """How far round an arc goes from one place to another, rad; nought where they are one."""
    if math.dist((x0, y0), (x, y)) <= SAME:
        return 0.0
    a0, a1 = math.atan2(y0 - cy, x0 - cx), math.atan2(y - cy, x - cx)
    return (a0 - a1) % math.tau if clockwise else (a1 - a0) % math.tau


class Run(NamedTuple):
    """Straight cuts one after another, worked out before they are written."""

    wanted: Floats
    """The places as the operation counts them, (n, 3)."""
    blocks: list[str]
    at: Floats
    """The places as they stand in the blocks, (m, 3) mm."""
    seen: list[float]
    """X and Y of the same at the part."""
    long: float


class Writer:
    """``text()`` are the blocks so far, ``strokes`` the same as a drawing seen from above, ``fed`` the way fed."""

    AXES: tuple[tuple[str, str, float], ...] = (("X", "X", 1.0), ("Y", "Y", 1.0), ("Z", "Z", 1.0))
    """In the order in which they are written: our axis, its letter in the program, how many times its length stands there."""

    def __init__(self, unit: Unit, around: Around = Around(), turned: Turned | None = None) -> None:  # noqa: B008
        self.unit = unit
        self._mm = MM_PER_INCH if unit == "inch" else 1.0
        self.around = around
        self.turned = turned
        self._lines: list[str | _ToolIn] = []
        self.strokes: list[Stroke] = []
        self.fed = 0.0
        self.minutes = 0.0
        self.air = 0.0
        """The way at rapid across, without ups and downs."""
        self.tool_in = around.tool_before
        self._motion = ""
        self._at: dict[str, float | None] = {"X": None, "Y": None, "Z": None}
        self._feed: float | None = None
        self._begun = False
        self._said: dict[str, tuple[float, str]] = {}
        self._plain = (0.0, 0.0)
        self.parts: tuple[tuple[float, float], ...] = ()
        """Shifts at which everything is repeated; none for once where it stands."""

    @property
    def place(self) -> tuple[float, float]:
        return self._at["X"] or 0.0, self._at["Y"] or 0.0

    @property
    def here(self) -> tuple[float, float]:
        """The place as the operation counts it, before any turn."""
        return self._plain

    @property
    def z(self) -> float | None:
        return self._at["Z"]

    def tool(self, number: int, speed: str, safe: float) -> None:
        """Bring a tool in by the shop's text, where another one is in; the first one only if that is wanted."""
        first, self._begun = not self._begun, True
        if number == self.tool_in or (first and not self.around.bring):
            self.tool_in = number
            return
        self._lines.append(_ToolIn(number, speed, safe, self.tool_in is not None))
        self.tool_in = number
        self._motion, self._feed = "", None
        self._at = {"X": None, "Y": None, "Z": None}

    def text(self) -> tuple[str, ...]:
        """The blocks, with the texts of the tools filled in."""
        out: list[str] = []
        if self.parts:
            return self._at_parts()
        for k, line in enumerate(self._lines):
            if isinstance(line, str):
                out.append(line)
                continue
            below = [other for other in self._lines[k + 1 : k + 40] if isinstance(other, str)]
            values = values_for(
                self.unit, tool=line.number, tool_name=self.around.names.get(line.number, ""), speed=line.speed,
                safe=line.safe / self._mm, title=self.around.title, program=self.around.program, blocks=below,
            )  # fmt: skip
            out += filled(self.around.texts.tool_end, values) if line.change else ()
            out += filled(self.around.texts.tool_start, values)
        return tuple(out)

    def _at_parts(self) -> tuple[str, ...]:
        """Each tool's blocks at every part in turn, by a local shift; the tool comes in once."""
        lines, parts, self.parts = self._lines, self.parts, ()
        stages: list[list[str | _ToolIn]] = [[]]
        for line in lines:
            if isinstance(line, _ToolIn):
                stages.append([])
            stages[-1].append(line)
        out: list[str] = []
        for stage in stages:
            ahead = [line for line in stage if isinstance(line, _ToolIn)]
            blocks = [line for line in stage if isinstance(line, str)]
            if not blocks:
                continue
            self._lines = [*ahead, *blocks]
            tool_text = self.text()[: -len(blocks)]
            out += tool_text
            for k, (x, y) in enumerate(parts, 1):
                out += [f"(PART {k})", f"G52 {self.xy(x, y)}", *blocks]
            out.append("G52 X0. Y0.")
        self._lines, self.parts = lines, parts
        return tuple(out)

    def say(self, text: str) -> None:
        """A comment."""
        self._lines.append(f"({text})")

    def xy(self, x: float, y: float) -> str:
        """A place as words."""
        return f"X{self.figure(x)} Y{self.figure(y)}"

    def feed_figure(self, feed: float) -> str:
        """A feed in mm/min as it is written."""
        return plain(feed / self._mm, 1)

    def hole(self, x: float, y: float, ahead: str = "", behind: str = "") -> None:
        """A place at which the cycle in force makes a hole; ``ahead`` and ``behind`` are the words that begin it."""
        before, known = self.place, self._at["X"] is not None
        self._plain = (x, y)
        at = self._in_figures(x, y)
        words = [self.xy(*at)]
        self._at["X"], self._at["Y"] = float(self.figure(at[0])) * self._mm, float(self.figure(at[1])) * self._mm
        self._lines.append(" ".join(filter(None, (ahead, *words, behind))))
        self._motion = ""
        if known:
            self.air += math.dist(before, self.place)
            self._drawn(before, "help")

    def block(self, text: str) -> None:
        """A block as it is; what it leaves in force is not known afterwards."""
        self._lines.append(text)
        self._motion = ""

    def _in_figures(self, x: float, y: float) -> tuple[float, float]:
        """A place as it is written: where G68 turns, as it was entered."""
        return (x, y) if self.turned is not None and self.turned.by_word else self.turn(x, y)

    def turn(self, x: float, y: float) -> tuple[float, float]:
        """Where a place of the operation is at the part, mm."""
        return (x, y) if self.turned is None else self.turned.of(x, y)

    def drawn_turned(self, strokes: Iterable[Stroke]) -> tuple[Stroke, ...]:
        """A drawing of the operation as it was entered, lines, arcs and dots, as it is at the part."""
        t = self.turned
        if t is None:
            return tuple(strokes)
        out = []
        for s in strokes:
            if s.kind == "arc":
                cx, cy, r, first, last = s.at
                out.append(s._replace(at=(*self.turn(cx, cy), r, first + t.deg, last + t.deg)))
            else:
                places = zip(s.at[::2], s.at[1::2], strict=True)
                out.append(s._replace(at=tuple(v for place in places for v in self.turn(*place))))
        return tuple(out)

    def _words(self, x: float | None, y: float | None, z: float | None) -> list[str]:
        out = []
        if x is not None or y is not None:
            self._plain = (self._plain[0] if x is None else x, self._plain[1] if y is None else y)
            if self.turned is not None and not self.turned.by_word:
                x, y = self._in_figures(*self._plain)
        at, said = self._at, self._said
        for axis, letter, times in self.AXES:
            value = x if axis == "X" else y if axis == "Y" else z
            if value is None:
                continue
            written = self.figure(value * times)
            old = at[axis]
            # What was written last for this axis, as long as nothing else has moved it since.
            known = said.get(axis)
            if (
                old is None
                or (known[1] if known is not None and known[0] == old else self.figure(old * times)) != written
            ):
                out.append(letter + written)
            now = float(written) * self._mm / times
            at[axis] = now
            said[axis] = (now, written)
        return out

    def figure(self, value: float) -> str:
        """A length in mm as it is written."""
        return write(value / self._mm, self.unit)

    def _put(self, motion: str, words: list[str], feed: float | None = None) -> None:
        if not words:
            return
        if not len(self._lines) % _ASKED:
            still_wanted(len(self._lines))
        parts = [] if motion == self._motion else [motion]
        self._motion = motion
        parts += words
        if feed is not None and feed != self._feed:
            parts.append(f"F{self.feed_figure(feed)}")
            self._feed = feed
        self._lines.append(" ".join(parts))

    def rapid(
        self, x: float | None = None, y: float | None = None, z: float | None = None, *, before: str = ""
    ) -> None:
        """At rapid to a place; ``before`` is put ahead of its words."""
        was, known = self.place, self._at["X"] is not None
        words = self._words(x, y, z)
        self._put("G0", [before, *words] if words and before else words)
        if known:
            self.air += math.dist(was, self.place)
            self._drawn(was, "help")

    def feed(
        self, x: float | None = None, y: float | None = None, z: float | None = None, *, f: float, before: str = ""
    ) -> None:
        """A straight cut; ``before`` is put ahead of its words, as G41 D3."""
        was, low = self.place, self._at["Z"]
        words = self._words(x, y, z)
        if words and before:
            words = [before, *words]
        self._put("G1", words, f)
        now = self.place
        self._count(math.hypot(now[0] - was[0], now[1] - was[1], (self._at["Z"] or 0.0) - (low or 0.0)), f)
        self._drawn(was, "cut")

    def feeds(self, run: Floats, *, f: float) -> None:
        """Straight cuts from place to place, (n, 3) in X, Y and Z: the blocks that ``feed`` writes, many at a time, drawn as one line."""
        if len(run):
            self.feed_run(self.runs([run])[0], f=f)

    def runs(self, runs: Sequence[Floats]) -> list[Run]:
        """Runs of straight cuts, each of one place at least, worked out together; where the tool goes between them is left open."""
        if not runs:
            return []
        still_wanted(len(self._lines))
        whole, turned = np.concatenate(runs), self.turned
        places = whole if turned is None or turned.by_word else turned.over(whole)
        begins = np.cumsum([0, *map(len, runs[:-1])])
        blocks, at, begins = blocks_of(rounded(places / self._mm, self.unit), begins)
        at *= self._mm
        seen = at if turned is None or not turned.by_word else turned.over(at)
        way = np.append(np.sqrt((np.diff(at, axis=0) ** 2).sum(axis=1)), 0.0)
        # From a run's last place to the next one's first is another's way.
        way[begins[1:] - 1] = 0.0
        long = np.add.reduceat(way, begins[:-1]).tolist()
        ends = begins.tolist()
        return [
            Run(run, blocks[a - k : b - k - 1], at[a:b], seen[a:b, :2].ravel().tolist(), long[k])
            for k, (run, a, b) in enumerate(zip(runs, ends, ends[1:], strict=False))
        ]

    def feed_run(self, run: Run, *, f: float) -> None:
        """One of the runs that were worked out: fed to its first place and on."""
        was = self.place
        x, y, z = run.wanted[0].tolist()
        self.feed(x, y, z, f=f)
        if self.strokes and self.place != was:
            self.strokes.pop()
        self._lines += run.blocks
        self._plain = (float(run.wanted[-1, 0]), float(run.wanted[-1, 1]))
        self._at = dict(zip("XYZ", run.at[-1].tolist(), strict=True))
        self._count(run.long, f)
        self.strokes.append(Stroke("run", (*self._seen(*was), *run.seen), "cut"))

    def arc(
        self,
        clockwise: bool,
        x: float,
        y: float,
        cx: float,
        cy: float,
        *,
        f: float,
        z: float | None = None,
        before: str = "",
    ) -> None:
        """An arc about a centre, or a helix down to ``z``; a whole turn where it ends where it began.

        Figures are rounded: an arc so short that it would end where it began, or a hair behind, would become a whole turn. It is
        written as the straight line that it is. One that lacks so little of a whole turn is written as two.
        """
        near = math.dist(self._plain, (x, y)) < ROUNDED
        wanted = _swept(*self._plain, x, y, cx, cy, clockwise) if near else 0.0
        written = self._written_sweep(x, y, cx, cy, clockwise) if near else 0.0
        if wanted > 0.0 and abs(wanted - written) > math.pi:
            if wanted < math.pi:
                self.feed(x, y, z, f=f, before=before)
                return
            half = (-0.5 if clockwise else 0.5) * wanted
            a0, r = math.atan2(self._plain[1] - cy, self._plain[0] - cx), math.dist(self._plain, (cx, cy))
            low = self._at["Z"]
            mid = None if z is None or low is None else (low + z) / 2.0
            middle = cx + r * math.cos(a0 + half), cy + r * math.sin(a0 + half)
            self.arc(clockwise, *middle, cx, cy, f=f, z=mid, before=before)
            before, near = "", False
        self._plain = (x, y)
        (x, y), (cx, cy) = self._in_figures(x, y), self._in_figures(cx, cy)
        x0, y0 = self.place
        low = self._at["Z"] or 0.0
        i, j = cx - x0, cy - y0
        fx, fy = self.figure(x), self.figure(y)
        words = [f"X{fx}", f"Y{fy}"]
        self._at["X"], self._at["Y"] = float(fx) * self._mm, float(fy) * self._mm
        words += self._words(None, None, z)
        words += [f"I{self.figure(i)}", f"J{self.figure(j)}"]
        if before:
            words.insert(0, before)
        self._put("G2" if clockwise else "G3", words, f)
        r, swept = math.hypot(i, j), written if near else _swept(x0, y0, x, y, cx, cy, clockwise)
        self._count(math.hypot(r * swept, (self._at["Z"] or 0.0) - low), f)
        a0 = math.atan2(y0 - cy, x0 - cx)
        first = math.degrees(a0 - swept if clockwise else a0)
        if self.turned is not None and self.turned.by_word:
            first += self.turned.deg
        self.strokes.append(Stroke("arc", (*self._seen(cx, cy), r, first, first + math.degrees(swept)), "cut"))

    def _written_sweep(self, x: float, y: float, cx: float, cy: float, clockwise: bool) -> float:
        """How far round an arc to a place goes as it would be written, rad; a whole turn where it would end where it began."""
        (x, y), (cx, cy) = self._in_figures(x, y), self._in_figures(cx, cy)
        x0, y0 = self.place
        ends = [float(self.figure(v)) * self._mm for v in (x, y, cx - x0, cy - y0)]
        return _swept(x0, y0, ends[0], ends[1], x0 + ends[2], y0 + ends[3], clockwise) or math.tau

    def _count(self, length: float, f: float) -> None:
        self.fed += length
        self.minutes += length / f if f > 0.0 else 0.0

    def _drawn(self, before: tuple[float, float], style: str) -> None:
        now = self.place
        if before != now:
            ends = (*before, *now) if self.turned is None else (*self._seen(*before), *self._seen(*now))
            self.strokes.append(Stroke("line", ends, "cut" if style == "cut" else "help"))

    def _seen(self, x: float, y: float) -> tuple[float, float]:
        """A written place as it is at the part: what G68 turns is drawn turned."""
        return self.turn(x, y) if self.turned is not None and self.turned.by_word else (x, y)

    def all_minutes(self) -> float:
        """How long everything takes, with ways at rapid as fast as a usual machine's."""
        return (self.minutes + self.air / _RAPID) * max(1, len(self.parts))

    def seg(self, seg: Seg, *, f: float, z: float | None = None, before: str = "") -> None:
        """One element of a contour; the tool stands at its start."""
        if seg.turn:
            self.arc(seg.turn < 0, seg.x1, seg.y1, seg.cx, seg.cy, f=f, z=z, before=before)
        else:
            self.feed(seg.x1, seg.y1, z, f=f, before=before)


def writer(e: ShopEntries) -> Writer:
    """A writer in the units of the entries, turned where that is wanted."""
    deg = e.maybe("rot") or 0.0
    turned = Turned(deg, e.number("rotx"), e.number("roty"), e.values.get("rotby") == "word") if deg else None
    out = Writer(e.unit, e.around, turned)
    e.took.append(out.all_minutes)
    out.parts = parts_of(e)
    return out


def parts_of(e: ShopEntries) -> tuple[tuple[float, float], ...]:
    """The shifts of several parts, mm; none for one part. Raises ``CannotBe``."""
    kind = e.values.get("parts", "one")
    if kind == "list":
        found = e.places("shifts")
        if not found:
            raise CannotBe("no shift is entered yet", "shifts")
        return found
    if kind != "grid":
        return ()
    out = [(i * e.number("px"), j * e.number("py")) for j in range(e.count("pyn")) for i in range(e.count("pxn"))]
    left_out = str(e.values.get("without") or "").replace(",", " ").split()
    for said in left_out:
        if not said.isdigit() or not 1 <= int(said) <= len(out):
            raise CannotBe(f"{said}: places are counted from 1 to {len(out)}, row by row", "without")
    kept = tuple(p for k, p in enumerate(out, 1) if str(k) not in left_out)
    if not kept:
        raise CannotBe("every place is left out", "without")
    return kept


def levels(top: float, bottom: float, step: float) -> tuple[float, ...]:
    """Heights of the passes from under ``top`` down to ``bottom``, all as deep, none deeper than ``step``."""
    count = max(1, math.ceil((top - bottom) / step - 1e-9))
    return tuple(top - (top - bottom) * k / count for k in range(1, count + 1))
