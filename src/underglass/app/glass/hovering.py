"""Dimensions at the cursor: where one looks square at a part's drawing plane, the figures stand there as on a drawing."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF

from underglass.app.document import Document
from underglass.app.glass.camera import VIEWS
from underglass.app.glass.eye import Eye
from underglass.app.glass.skin import Dimension

_SQUARE = 0.9995
"""Cosine of the angle within which one looks square at the plane."""


class Hovering:
    """Follows the cursor. ``found`` is what stands there."""

    def __init__(self, eye: Eye, document: Document) -> None:
        self._eye = eye
        self._document = document
        self.found: tuple[Dimension, ...] = ()

    @property
    def flat(self) -> bool:
        """Whether one looks square at the drawing plane."""
        skin, camera = self._eye.stage.skin, self._eye.camera
        if skin is None or not camera.parallel:
            return False
        azimuth, elevation = VIEWS[skin.plane_view]
        wanted = type(camera)(azimuth_deg=azimuth, elevation_deg=elevation).forward
        return bool(float(np.dot(wanted, camera.forward)) > _SQUARE)

    def move(self, at: QPointF) -> bool:
        """The cursor is here now. Whether something else is to be drawn."""
        before = self.found
        self.found = self._look(at) if self.flat and self._eye.show_solid else ()
        return bool(before) or bool(self.found)

    def leave(self) -> bool:
        """The cursor is gone."""
        before, self.found = self.found, ()
        return bool(before)

    def _look(self, at: QPointF) -> tuple[Dimension, ...]:
        skin = self._eye.stage.skin
        assert skin is not None
        start, way = self._eye.seen.ray(at.x(), at.y())
        axis = int(np.argmax(np.abs(way)))
        place = start + way * ((skin.plane_at - start[axis]) / way[axis])
        return skin.dimensions(place, self._document.moment, self._document.units)
