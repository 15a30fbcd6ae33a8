"""The bands of a half section as they are now, each with what is asked of it again and again."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
import shapely

from underglass.core.removal.section.shape import NOTHING, Floats, Shape, clean

CHANGED_MM2 = 1e-7
"""A band that loses less than this has lost nothing but rounding."""

Spans = list[tuple[float, float]]
Mark = list[tuple[Spans, Spans]]
"""Of each part of a band: where it reaches the band before, and the one behind, as spans of X."""


class Band(NamedTuple):
    """A band with what is asked of it again and again: area mm2, volume mm3 as it turns, bounds in X, vertices, mark."""

    shape: Shape
    area: float
    volume: float
    low: float
    high: float
    places: frozenset[tuple[float, float]]
    mark: Mark


EMPTY = Band(NOTHING, 0.0, 0.0, math.inf, -math.inf, frozenset(), [])


def band(shape: Shape, z0: float, z1: float) -> Band:
    """A shape between two edges, measured. (Volume: 2 pi times the integral of X, Pappus and Guldin.)"""
    if shape.is_empty:
        return EMPTY
    area = moment = 0.0
    low, high = math.inf, -math.inf
    places: list[tuple[float, float]] = []
    mark: Mark = []
    for part in [shape] if shape.geom_type == "Polygon" else list(shape.geoms):
        before: Spans = []
        behind: Spans = []
        for k, ring in enumerate((part.exterior, *part.interiors)):
            points: list[tuple[float, float]] = list(map(tuple, shapely.get_coordinates(ring).tolist()))
            twice = first = 0.0
            x, z = points[0]
            for x1, y1 in points[1:]:
                cross = x * y1 - x1 * z
                twice += cross
                first += (x + x1) * cross
                if z == y1:
                    if z == z0:
                        before.append((min(x, x1), max(x, x1)))
                    elif z == z1:
                        behind.append((min(x, x1), max(x, x1)))
                if x1 < low:
                    low = x1
                if x1 > high:
                    high = x1
                x, z = x1, y1
            sign = -1.0 if k else 1.0
            area += sign * abs(twice) / 2.0
            moment += sign * abs(first) / 6.0
            places += points
        mark.append((before, behind))
    return Band(shape, area, math.tau * moment, low, high, frozenset(places), mark)


class Now:
    """The bands as they are."""

    def __init__(self, bands: list[Shape], edges: Floats) -> None:
        self.edges = edges
        self.each = [band(b, float(edges[k]), float(edges[k + 1])) for k, b in enumerate(bands)]
        self.low, self.high = np.array([b.low for b in self.each]), np.array([b.high for b in self.each])

    @property
    def shapes(self) -> list[Shape]:
        return [b.shape for b in self.each]

    def put(self, k: int, band: Band) -> None:
        self.each[k] = band
        self.low[k], self.high[k] = band.low, band.high

    def made(self, k: int, shape: Shape) -> Band:
        return band(shape, float(self.edges[k]), float(self.edges[k + 1]))

    def met(self, box: Box, room: float = 0.0, ring: Floats | None = None) -> list[int]:
        """The bands that something in a box may meet, or come as near to as ``room``; ``ring``: its outline, where it is convex."""
        x0, z0, x1, z1 = box
        span = under(self.edges, z0 - room, z1 + room)
        low, high = self.low[span.start : span.stop], self.high[span.start : span.stop]
        there = (low < x1 + room) & (high > x0 - room)
        if ring is not None and len(span) > 2 and there.any():
            least, most = _envelope(ring, self.edges[span.start : span.stop + 1])
            there &= (least < high) & (most > low)
        return [span.start + int(k) for k in np.flatnonzero(there)]

    def cut(self, shape: Shape, box: Box, ring: Floats | None = None) -> list[tuple[int, Band, Band]]:
        """Take a shape away, in place; (band, before, after) of those that lost something."""
        met = self.met(box, ring=ring)
        if not met:
            return []
        out = []
        for k, new in zip(met, shapely.difference([self.each[k].shape for k in met], shape)):
            old = self.each[k]
            band = self.made(k, new if new.geom_type == "Polygon" else clean(new))
            if old.area - band.area > CHANGED_MM2:
                if band.area <= CHANGED_MM2:
                    band = EMPTY
                self.put(k, band)
                out.append((k, old, band))
        return out


Box = tuple[float, float, float, float]


def under(edges: Floats, z0: float, z1: float) -> range:
    """The bands that a span of Z may meet."""
    first = max(int(edges.searchsorted(z0, side="right")) - 1, 0)
    return range(first, max(first, min(int(edges.searchsorted(z1, side="left")), len(edges) - 1)))


def _envelope(ring: Floats, edges: Floats) -> tuple[Floats, Floats]:
    """Lowest and highest X of a convex outline within each band of these edges."""
    z = ring[:, 1]
    at = int(z.argmin())
    ring = np.concatenate([ring[at:], ring[:at]])
    top = int(ring[:, 1].argmax())
    one, two = ring[: top + 1], np.concatenate([ring[top:], ring[:1]])[::-1]
    # On the outline the other side of the line from end to end is the lower one.
    (xa, za), (xb, zb) = ring[0], ring[top]
    span = zb - za if zb > za else 1.0
    below = bool((one[:, 0] - (xa + (xb - xa) * (one[:, 1] - za) / span)).sum() < 0.0)
    lower, upper = (
        (one, two) if below or (len(one) == 2 and len(two) > 2 and _bulges(two, ring[0], ring[top])) else (two, one)
    )
    out = []
    for side, best in ((lower, lower[lower[:, 0].argmin(), 1]), (upper, upper[upper[:, 0].argmax(), 1])):
        # Each side is convex in X: within a band its extreme stands where the whole one does, or as near to it as the band is.
        places = np.minimum(np.maximum(best, edges[:-1]), edges[1:])
        out.append(np.interp(places, side[:, 1], side[:, 0]))
    return out[0], out[1]


def _bulges(side: Floats, one: Floats, two: Floats) -> bool:
    """Whether an outline's side lies beyond the straight line between its ends, to larger X."""
    span = float(two[1] - one[1]) or 1.0
    return bool((side[:, 0] - (one[0] + (two[0] - one[0]) * (side[:, 1] - one[1]) / span)).sum() > 0.0)


def meet(a: Spans, b: Spans) -> bool:
    return any(min(p[1], q[1]) - max(p[0], q[0]) > 1e-9 for p in a for q in b)
