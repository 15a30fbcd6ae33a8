"""Writes moves as blocks, each word only where it changes; absolute, in the XY plane, in the unit of the program."""

from __future__ import annotations

import math

from underglass.core.reckon.form import Stroke, plain, write
from underglass.core.units import Unit


class Writer:
    """``lines`` are the blocks so far, ``strokes`` the same as a drawing seen from above, ``length`` the way fed."""

    def __init__(self, unit: Unit) -> None:
        self.unit = unit
        self.lines: list[str] = []
        self.strokes: list[Stroke] = []
        self.fed = 0.0
        self.minutes = 0.0
        self._motion = ""
        self._at: dict[str, float | None] = {"X": None, "Y": None, "Z": None}
        self._feed: float | None = None

    @property
    def place(self) -> tuple[float, float]:
        return self._at["X"] or 0.0, self._at["Y"] or 0.0

    def say(self, text: str) -> None:
        """A comment."""
        self.lines.append(f"({text})")

    def block(self, text: str) -> None:
        """A block as it is; what it leaves in force is not known afterwards."""
        self.lines.append(text)
        self._motion = ""

    def _words(self, x: float | None, y: float | None, z: float | None) -> list[str]:
        out = []
        for letter, value in (("X", x), ("Y", y), ("Z", z)):
            if value is None:
                continue
            written = write(value, self.unit)
            old = self._at[letter]
            if old is None or write(old, self.unit) != written:
                out.append(letter + written)
            self._at[letter] = float(written)
        return out

    def _put(self, motion: str, words: list[str], feed: float | None = None) -> None:
        if not words:
            return
        parts = [] if motion == self._motion else [motion]
        self._motion = motion
        parts += words
        if feed is not None and feed != self._feed:
            parts.append(f"F{plain(feed, 1)}")
            self._feed = feed
        self.lines.append(" ".join(parts))

    def rapid(self, x: float | None = None, y: float | None = None, z: float | None = None) -> None:
        before, known = self.place, self._at["X"] is not None
        self._put("G0", self._words(x, y, z))
        if known:
            self._drawn(before, "help")

    def feed(
        self, x: float | None = None, y: float | None = None, z: float | None = None, *, f: float, before: str = ""
    ) -> None:
        """A straight cut; ``before`` is put ahead of its words, as G41 D3."""
        was, low = self.place, self._at["Z"]
        words = self._words(x, y, z)
        if words and before:
            words = [before, *words]
        self._put("G1", words, f)
        self._count(math.hypot(*(b - a for a, b in zip(was, self.place)), (self._at["Z"] or 0.0) - (low or 0.0)), f)
        self._drawn(was, "cut")

    def arc(
        self, clockwise: bool, x: float, y: float, cx: float, cy: float, *, f: float, z: float | None = None
    ) -> None:
        """An arc about a centre, or a helix down to ``z``; a whole turn where it ends where it began."""
        x0, y0 = self.place
        i, j = cx - x0, cy - y0
        words = [f"X{write(x, self.unit)}", f"Y{write(y, self.unit)}"]
        self._at["X"], self._at["Y"] = float(write(x, self.unit)), float(write(y, self.unit))
        words += self._words(None, None, z)
        words += [f"I{write(i, self.unit)}", f"J{write(j, self.unit)}"]
        self._put("G2" if clockwise else "G3", words, f)
        r = math.hypot(i, j)
        a0, a1 = math.atan2(y0 - cy, x0 - cx), math.atan2(y - cy, x - cx)
        swept = (a0 - a1) % math.tau if clockwise else (a1 - a0) % math.tau
        if swept < 1e-9:
            swept = math.tau
        self._count(r * swept, f)
        first = math.degrees(a0 - swept if clockwise else a0)
        self.strokes.append(Stroke("arc", (cx, cy, r, first, first + math.degrees(swept)), "cut"))

    def _count(self, length: float, f: float) -> None:
        self.fed += length
        self.minutes += length / f if f > 0.0 else 0.0

    def _drawn(self, before: tuple[float, float], style: str) -> None:
        if before != self.place:
            self.strokes.append(Stroke("line", (*before, *self.place), "cut" if style == "cut" else "help"))


def levels(top: float, bottom: float, step: float) -> tuple[float, ...]:
    """Heights of the passes from under ``top`` down to ``bottom``, all as deep, none deeper than ``step``."""
    count = max(1, math.ceil((top - bottom) / step - 1e-9))
    return tuple(top - (top - bottom) * k / count for k in range(1, count + 1))
