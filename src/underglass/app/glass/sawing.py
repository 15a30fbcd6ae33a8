"""The section plane in the glass: where its grip is, and dragging it along its axis."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF

from underglass.app.glass.eye import Eye
from underglass.app.glass.showing import Section

_GRIP_PIXELS = 13.0
_FLAT = 0.05
"""Points a millimetre below which the axis is looked at end on."""


class Sawing:
    """Belongs to one glass. ``taken``: the grip is held."""

    def __init__(self, eye: Eye) -> None:
        self._eye = eye
        self.taken = False
        self._from = QPointF()
        self._at = 0.0

    @property
    def section(self) -> Section | None:
        return self._eye.showing.section

    def range_of(self, axis: int) -> tuple[float, float]:
        """From where to where the plane can stand, mm."""
        low, high = self._eye.stage.bounds()
        return float(low[axis]), float(high[axis])

    def choose(self, axis: int | None) -> None:
        """Cut square to an axis through the middle, or (None) not at all."""
        if axis is None:
            self._eye.show_with(section=None)
            return
        low, high = self.range_of(axis)
        # What stands between the eye and the plane is taken away.
        away_above = float(self._eye.camera.forward[axis]) <= 0.0
        self._eye.show_with(section=Section(axis, 0.5 * (low + high), away_above))

    def toggle(self) -> None:
        """Off, or across the axis that one looks along most."""
        if self.section is not None:
            self.choose(None)
        else:
            self.choose(int(np.argmax(np.abs(self._eye.camera.forward[:2]))))

    def put(self, at: float) -> None:
        """Move the plane to a place along its axis, within what there is."""
        if self.section is not None:
            low, high = self.range_of(self.section.axis)
            self._eye.show_with(section=replace(self.section, at=min(max(at, low), high)))

    def flip(self) -> None:
        """Take the other side away."""
        if self.section is not None:
            self._eye.show_with(section=replace(self.section, away_above=not self.section.away_above))

    def corners(self) -> NDArray[np.float64]:
        """The plane's rectangle in the world, ``(4, 3)`` mm; empty without a section."""
        section = self.section
        if section is None:
            return np.zeros((0, 3))
        low, high = self._eye.stage.bounds()
        u, v = (k for k in range(3) if k != section.axis)
        out = np.empty((4, 3))
        out[:, section.axis] = section.at
        for k, (a, b) in enumerate(((0, 0), (1, 0), (1, 1), (0, 1))):
            out[k, u], out[k, v] = (low, high)[a][u], (low, high)[b][v]
        return out

    def grip(self) -> QPointF | None:
        """Where the grip is seen: the corner of the plane that lies farthest to the right, clear of the buttons."""
        corners = self.corners()
        if not len(corners):
            return None
        seen = self._eye.project(corners)
        k = int(np.argmax(seen[:, 0] - 0.25 * seen[:, 1]))
        wide, high = self._eye.width(), self._eye.height()
        return QPointF(float(np.clip(seen[k, 0], 20, wide - 20)), float(np.clip(seen[k, 1], 60, high - 20)))

    def take(self, at: QPointF) -> bool:
        """Take hold of the grip if it is under this point."""
        grip = self.grip()
        if grip is None or self.section is None or (grip - at).manhattanLength() > _GRIP_PIXELS:
            return False
        self.taken, self._from, self._at = True, at, self.section.at
        return True

    def drag(self, to: QPointF) -> None:
        """Follow the mouse along the axis as it lies in the picture."""
        section = self.section
        if section is None:
            return
        middle = self.corners().mean(axis=0)
        step = np.zeros(3)
        step[section.axis] = 1.0
        seen = self._eye.project(np.stack([middle, middle + step]))
        way = seen[1, :2] - seen[0, :2]
        moved = np.array([to.x() - self._from.x(), to.y() - self._from.y()])
        square = float(way @ way)
        if square < _FLAT**2:
            mm = -moved[1] * self._eye.camera.pixel_mm(self._eye.width(), self._eye.height())
        else:
            mm = float(moved @ way) / square
        self.put(self._at + mm)

    def let_go(self) -> None:
        self.taken = False
