"""What every turning operation asks for and writes: station, speed, feed, clearance, the ways to and from the work.

Glossary
    plane    geometry is in mm with Z to the right and the radius upwards; only what is written has diameters
    tip      the imaginary tip: where the tangents square to X and Z touch the nose
"""

from __future__ import annotations

import math

import numpy as np

from underglass.core.compose.contour import Contour, Seg, stroke
from underglass.core.compose.contour_rows import one_contour
from underglass.core.compose.operation import ShopEntries, need
from underglass.core.compose.shop import AWAY
from underglass.core.compose.writer import ROUNDED, Writer
from underglass.core.reckon.figure import BadFigure, read_figure
from underglass.core.reckon.form import CannotBe, Field, Row, plain
from underglass.core.trades.turning.clock import mean_time
from underglass.core.units import Unit

T = Field(key="t", word="Station T", kind="count", start="1", usual=(1, 8))
SPEED = (
    Field(key="spin", word="Speed", kind="choice", start="surface", choices=(("surface", "constant surface speed, G96"), ("turns", "turns a minute, G97"))),
    Field(key="vc", word="Surface speed", kind="speed", start="180", start_inch="600", shown=lambda v: v.get("spin") == "surface", usual=(60, 250)),
    Field(key="most", word="at most, turns a minute", kind="number", start="3000", shown=lambda v: v.get("spin") == "surface", usual=(1000, 3500)),
    Field(key="s", word="Turns a minute", kind="number", start="1200", shown=lambda v: v.get("spin") == "turns", usual=(300, 2500)),
)  # fmt: skip
TURNS = Field(key="s", word="Turns a minute", kind="number", start="1200", usual=(300, 2000))
FEED = Field(key="f", word="Feed a turn", kind="tooth", start="0.2", start_inch="0.008", usual=(0.05, 0.35))
CLEAR = Field(
    key="clear", word="Clear of the work", start="2", start_inch="0.08", usual=(1, 5), tip="Rapid goes as near as this"
)
COOL = Field(key="cool", word="Coolant", kind="choice", start="m8", choices=(("m8", "on, M8"), ("off", "off")))


class LatheWriter(Writer):
    """Places are (Z, radius) in mm; what is written has X as a diameter, and feeds by the turn."""

    AXES = (("Y", "X", 2.0), ("X", "Z", 1.0))

    def __init__(self, e: ShopEntries) -> None:
        super().__init__(e.unit, e.around)
        self.rpm = 1000.0
        self.surface = 0.0
        self._from = 0.0

    def feed_figure(self, feed: float) -> str:
        return plain(feed / self._mm, 4 if self.unit == "inch" else 3)

    def arc(
        self, clockwise: bool, x: float, y: float, cx: float, cy: float, *, f: float, z: float | None = None, before: str = "",
    ) -> None:  # fmt: skip
        """An arc of less than half a turn, by its radius; a longer one in two. A hair of one is the straight line that it is."""
        x0, y0 = self.place
        if math.dist((x0, y0), (x, y)) < ROUNDED:
            self.feed(x, y, f=f, before=before)
            return
        seg = Seg(x0, y0, x, y, -1 if clockwise else 1, cx, cy)
        if seg.swept > math.pi * 0.99:
            half = seg.at(0.5)
            self.arc(clockwise, *half, cx, cy, f=f, before=before)
            self.arc(clockwise, x, y, cx, cy, f=f)
            return
        words = self._words(x, y, None)
        if not words:
            return
        words.append(f"R{self.figure(seg.radius)}")
        self._put("G2" if clockwise else "G3", [before, *words] if before else words, f)
        self._from = y0
        self._count(seg.length, f)
        self.strokes.append(stroke(seg, "cut"))

    def threaded(self, z: float, pitch: float, r: float | None = None) -> None:
        """To a Z (and a radius), tied to the spindle's turn."""
        was = self.place
        self._feed = None
        self._put("G32", self._words(z, r, None), pitch)
        self._feed = None
        self._motion = ""
        self._count(abs(self.place[0] - was[0]), pitch)
        self._drawn(was, "cut")

    @property
    def lines(self) -> list[str | object]:
        """What is written so far."""
        return self._lines  # type: ignore[return-value]

    def forget(self) -> None:
        """The next block says its motion and its feed: it may be run from elsewhere."""
        self._motion, self._feed = "", None

    def stands(self, z: float, r: float) -> None:
        """A cycle of the control has brought the tool here; nothing was written for it."""
        self._at["X"], self._at["Y"] = z, r
        self.forget()

    def feed(
        self, x: float | None = None, y: float | None = None, z: float | None = None, *, f: float, before: str = ""
    ) -> None:
        """A straight cut, as in milling; where it begins counts for how fast the spindle turns along it."""
        self._from = self.place[1]
        super().feed(x, y, z, f=f, before=before)

    def also(self, length: float, f: float, radius: float) -> None:
        """What the control feeds by itself, about so far from the axis."""
        self._tally(length, f, radius, radius)

    def _count(self, length: float, f: float) -> None:
        self._tally(length, f, self._from, self.place[1])

    def _tally(self, length: float, f: float, r0: float, r1: float) -> None:
        self.fed += length
        if f <= 0.0 or self.rpm <= 0.0:
            return
        ends = (np.array([r]) for r in (r0, r1, self.surface, self.rpm))
        self.minutes += length / f * (float(mean_time(*ends)[0]) if self.surface else 1.0 / self.rpm)


def lathe_writer(e: ShopEntries) -> LatheWriter:
    out = LatheWriter(e)
    e.took.append(out.all_minutes)
    return out


def opening(w: LatheWriter, e: ShopEntries, *, key: str = "") -> None:
    """Station, modes, speed. The turret stands where the shop's text has left it."""
    surface = e.values.get("spin") == "surface"
    speed = e.positive("vc" if surface else f"s{key}", "The speed")
    w.tool(e.count(f"t{key}"), plain(speed, 0), 0.0)
    w.block("G40 G99")
    if surface:
        most = e.positive("most", "The highest speed")
        w.rpm, w.surface = most, speed if e.unit != "inch" else speed * 0.3048
        w.block(f"G50 S{plain(most, 0)}")
        w.block(f"G96 S{plain(speed, 0)} M3" + _coolant(e))
    else:
        w.rpm, w.surface = speed, 0.0
        w.block(f"G97 S{plain(speed, 0)} M3" + _coolant(e))


def _coolant(e: ShopEntries) -> str:
    return " M8" if e.word("cool") == "m8" else ""


def close(w: LatheWriter, e: ShopEntries) -> None:
    """Away from the work along the shop's own place for the turret, speed by the turn."""
    away = AWAY[e.unit]
    w.block(f"G0 {away}")
    if w.surface:
        w.block(f"G97 S{plain(min(w.rpm, 1000.0), 0)}")
    if e.word("cool") == "m8":
        w.block("M9")


def length_rows(w: LatheWriter, e: ShopEntries) -> tuple[Row, ...]:
    """How far is fed and how long that takes."""
    seconds = round(w.minutes * 60.0)
    return Row("Cutting distance", e.show(w.fed)), Row(
        "Cutting time", f"{seconds // 60}:{seconds % 60:02d}", "without rapids"
    )


def read_profile(text: str, unit: Unit, key: str = "profile") -> Contour:
    """A profile typed as rows of diameter and Z, as a contour of (Z, radius). Raises ``CannotBe``.

    Angles count from +Z towards a larger X; R, C, B and L are true lengths, K is Z and I is X, both from the arc's start and
    as radius.
    """
    rows = []
    for number, line in enumerate(text.replace(";", "\n").split("\n"), 1):
        words, bare = [], 0
        for token in line.upper().replace(",", " ").split():
            letter, figure = (token[0], token[1:]) if token[0].isalpha() else ("", token)
            if not letter and bare < 2:
                letter, bare = "XZ"[bare], bare + 1
            if letter == "X":
                try:
                    words.append(f"Y{read_figure(figure, unit) / 2.0!r}")
                except BadFigure as problem:
                    raise CannotBe(f"row {number}: {problem}", key) from None
            elif letter in ("Z", "I", "K") and figure:
                words.append({"Z": "X", "I": "J", "K": "I"}[letter] + figure)
            elif letter == "Y":
                raise CannotBe(f"row {number}: a lathe has no Y", key)
            else:
                words.append(token)
        rows.append(" ".join(words))
    contour = one_contour("\n".join(rows), unit, key)
    low = min(min(s.y0, s.y1) for s in contour.segs)
    need(low >= -1e-9, "a profile does not go below the axis", key)
    return contour
