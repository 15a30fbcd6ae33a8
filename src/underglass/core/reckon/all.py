"""Every reckoner there is, in the order in which they are offered."""

from __future__ import annotations

from underglass.core.reckon import arcs, corners, cutting, fits, patterns, shapes, threads, turning
from underglass.core.reckon.form import Reckoner

RECKONERS: tuple[Reckoner, ...] = (
    *arcs.RECKONERS,
    *corners.RECKONERS,
    *patterns.RECKONERS,
    *cutting.RECKONERS,
    *threads.RECKONERS,
    *turning.RECKONERS,
    *fits.RECKONERS,
    *shapes.RECKONERS,
)
