"""Measuring in the picture: clicks on the stock as it stands at this moment become figures. The sums are the core's."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from underglass.app.document import Document
from underglass.app.glass.stage import Stage
from underglass.core.proof.features import Feature
from underglass.core.proof.measure import Surface, across_at, round_at, section
from underglass.core.reckon.fits import judged, wanted_size
from underglass.core.reckon.form import CannotBe
from underglass.core.units import Unit, show_length

Place = NDArray[np.float64]
MODES = (
    ("point", "Point", "Where a place of the surface is: click it"),
    ("distance", "Distance", "Between two places: click both"),
    ("round", "Diameter", "Of a hole or a boss: click inside it"),
    ("across", "Width", "Of a slot or a rib, square to its walls: click in it"),
    ("profile", "Profile", "The surface along a line: click both its ends"),
)
_ASKS = {
    "point": "Click a place of the stock",
    "distance": "Click the first place",
    "round": "Click inside a hole, or on a boss",
    "across": "Click in a slot, or on a rib",
    "profile": "Click where the profile begins",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Measured:
    """``lines`` (k, 3) each, world mm, are drawn; ``at`` is where the words stand; ``profile`` (n, 2) is drawn as a curve."""

    words: str
    at: Place
    lines: tuple[Place, ...] = ()
    profile: Place | None = None
    value: float | None = None
    """The one figure that came of it, mm: a length, a diameter, a width, or a height."""
    within: bool | None = None
    """Whether it is what was wanted; None where nothing was said of that."""


class Measuring(QObject):
    """What is being measured, and what came of it last."""

    changed = Signal()

    def __init__(self, stage: Stage, document: Document, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._stage = stage
        self._document = document
        self.mode = ""
        self.clicked: list[Place] = []
        self.result: Measured | None = None
        self.wanted = ""

    def want(self, text: str) -> str:
        """What the figure should be, as a drawing has it; what is wrong with the words, or empty."""
        self.wanted = text.strip()
        why = ""
        if self.wanted:
            try:
                wanted_size(self.wanted, self._document.units)
            except CannotBe as problem:
                why = str(problem)
        if len(self.clicked) and self.result is not None:
            self.result = self._judged(self._measure())
        self.changed.emit()
        return why

    def _judged(self, found: Measured) -> Measured:
        """With what is said of it where a size was wanted."""
        if not self.wanted or found.value is None:
            return found
        try:
            within, words = judged(found.value, wanted_size(self.wanted, self._document.units), self._document.units)
        except CannotBe:
            return found
        return replace(found, words=f"{found.words}\n{self.wanted} {words}", within=within)

    def choose(self, mode: str) -> None:
        """Begin to measure so, or ("") stop."""
        self.mode = mode
        self.clicked, self.result = [], None
        self.changed.emit()

    def clear(self) -> None:
        """Forget what was clicked; go on measuring."""
        if self.clicked or self.result is not None:
            self.clicked, self.result = [], None
            self.changed.emit()

    @property
    def asks(self) -> str:
        """What is to be done next."""
        if not self.mode or self.result is not None:
            return ""
        if self.clicked:
            return "Click the second place" if self.mode == "distance" else "Click where it ends"
        return _ASKS[self.mode]

    def click(self, start: Place, way: Place) -> None:
        """A line of sight was clicked: what it meets on the stock counts."""
        hit = self._stage.surface(start, way)
        if hit is None or self._document.proof is None:
            return
        place = start + way * hit[0].distance
        if self.result is not None:
            self.clicked, self.result = [], None
        self.clicked.append(place)
        needed = 2 if self.mode in ("distance", "profile") else 1
        if len(self.clicked) == needed:
            self.result = self._judged(self._measure())
        self.changed.emit()

    def feature(self) -> Feature | None:
        """What was measured last, as a question that can be asked of another run; None where there is nothing such."""
        if self.result is None or self.result.value is None or not self.clicked or self._stage.skin is not None:
            return None
        x, y = float(self.clicked[0][0]), float(self.clicked[0][1])
        if self.mode == "point":
            return Feature(what="height", at=(x, y))
        if self.mode == "round":
            at = self.result.at
            return Feature(what="diameter", at=(float(at[0]), float(at[1])), z=float(at[2]))
        if self.mode == "across":
            ends = self.result.lines[0]
            step = ends[1] - ends[0]
            way = math.degrees(math.atan2(float(step[1]), float(step[0])))
            return Feature(what="width", at=(x, y), z=float(ends[0][2]), way_deg=round(way, 3))
        return None

    def _measure(self) -> Measured:
        proof = self._document.proof
        assert proof is not None
        unit: Unit = self._document.units
        skin = self._stage.skin
        if skin is not None:
            words, value = skin.measure(self.mode, self.clicked[0], self.clicked[-1], self._document.moment, unit)
            lines = (np.stack([self.clicked[0], self.clicked[-1]]),) if len(self.clicked) > 1 else ()
            return Measured(words=words, at=(self.clicked[0] + self.clicked[-1]) / 2, lines=lines, value=value)
        one, two = self.clicked[0], self.clicked[-1]

        def said(mm: float) -> str:
            return show_length(float(mm), unit)

        if self.mode == "point":
            return Measured(
                words="  ".join(f"{axis} {said(v)}" for axis, v in zip("XYZ", one)), at=one, value=float(one[2])
            )
        if self.mode == "distance":
            step = two - one
            parts = "  ".join(f"d{axis} {said(v)}" for axis, v in zip("XYZ", step))
            words = f"{said(np.linalg.norm(step))} {unit}\n{parts}\nin plan {said(math.hypot(step[0], step[1]))}"
            return Measured(
                words=words, at=(one + two) / 2, lines=(np.stack([one, two]),), value=float(np.linalg.norm(step))
            )
        surface = Surface.of(proof, [c.field for c in self._stage.cursors])
        if self.mode == "round":
            found = round_at(surface, (one[0], one[1]))
            if found is None:
                return Measured(words="No round wall about this place", at=one)
            circle, level = found
            angle = np.linspace(0.0, math.tau, 73)
            ring = np.column_stack([
                circle.x + circle.diameter / 2 * np.cos(angle),
                circle.y + circle.diameter / 2 * np.sin(angle),
                np.full(73, level),
            ])  # fmt: skip
            what = "hole" if circle.hole else "boss"
            words = f"Ø {said(circle.diameter)} {unit}, {what}\ncentre X {said(circle.x)}  Y {said(circle.y)}\nat Z {said(level)}, wall true within {said(circle.rough)}"
            return Measured(words=words, at=np.array([circle.x, circle.y, level]), lines=(ring,), value=circle.diameter)
        if self.mode == "across":
            wide = across_at(surface, (one[0], one[1]))
            if wide is None:
                return Measured(words="No two opposite walls about this place", at=one)
            ends = np.array([[*wide.start, wide.level], [*wide.end, wide.level]])
            what = "slot" if wide.slot else "rib"
            return Measured(
                words=f"{said(wide.width)} {unit} across, {what}\nat Z {said(wide.level)}",
                at=ends.mean(axis=0),
                lines=(ends,),
                value=wide.width,
            )
        rows = section(surface, (one[0], one[1]), (two[0], two[1]))
        z = rows[~np.isnan(rows[:, 1]), 1]
        top = float(z.max()) if len(z) else 0.0
        words = f"{said(rows[-1, 0])} {unit} long"
        if len(z):
            words += f"\nZ from {said(z.min())} to {said(top)}"
        share = (rows[:, 0] / max(float(rows[-1, 0]), 1e-9))[:, None]
        along = np.column_stack([one[:2] + share * (two[:2] - one[:2]), np.nan_to_num(rows[:, 1], nan=top)])
        return Measured(words=words, at=along[len(along) // 2], lines=(along,), profile=rows)
