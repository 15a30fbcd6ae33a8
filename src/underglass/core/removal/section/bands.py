"""The bands of a half section as they are now, each with what is asked of it again and again."""

from __future__ import annotations

import math

import numpy as np
import shapely
from numpy.typing import NDArray

from underglass.core.compiled import kernel
from underglass.core.removal.section.shape import NOTHING, Floats, Shape, clean
from underglass.core.removal.section.taking import LESS, NOTHING_TAKEN, take

CHANGED_MM2 = 1e-7
"""A band that loses less than this has lost nothing but rounding."""

_ROUND_MM = 1.0
"""So far around the bands a cropped outline still reaches: the corners of the crop itself never come into them."""

Spans = list[tuple[float, float]]
Mark = list[tuple[Spans, Spans]]
"""Of each part of a band: where it reaches the band before, and the one behind, as spans of X."""


NOWHERE: Floats = np.empty((0, 2))


class Band:
    """A band with what is asked of it again and again: area mm2, volume mm3 as it turns, bounds in X, vertices (n, 2), mark.

    ``simple``: it is one outline without holes, ``places``. Its shape is made when it is asked for: most are gone again by then.
    """

    __slots__ = ("_shape", "area", "high", "low", "mark", "places", "simple", "volume")

    def __init__(
        self,
        area: float,
        volume: float,
        low: float,
        high: float,
        places: Floats,
        mark: Mark,
        shape: Shape | None = None,
    ) -> None:
        self.area, self.volume, self.low, self.high, self.places, self.mark = area, volume, low, high, places, mark
        self.simple = shape is None
        self._shape: Shape | None = shape

    @property
    def shape(self) -> Shape:
        if self._shape is None:
            self._shape = shapely.polygons(self.places)
        return self._shape


EMPTY = Band(0.0, 0.0, math.inf, -math.inf, NOWHERE, [], NOTHING)


@kernel
def _measure(places: Floats, z0: float, z1: float) -> tuple[float, float, float, float, Floats]:
    """Of a closed ring: twice its area and six times its moment, both signed; bounds in X; spans (k, 3) on the edges: 0 or 1 for the edge, from, to."""
    twice = first = 0.0
    low, high = np.inf, -np.inf
    spans = np.empty((len(places), 3))
    count = 0
    x, z = places[0, 0], places[0, 1]
    for k in range(1, len(places)):
        x1, y1 = places[k, 0], places[k, 1]
        cross = x * y1 - x1 * z
        twice += cross
        first += (x + x1) * cross
        if z == y1 and (z in (z0, z1)):
            spans[count, 0] = 0.0 if z == z0 else 1.0
            spans[count, 1], spans[count, 2] = min(x, x1), max(x, x1)
            count += 1
        low, high = min(low, x1), max(high, x1)
        x, z = x1, y1
    return twice, first, low, high, spans[:count]


@kernel
def _met(ring: Floats, edges: Floats, lows: Floats, highs: Floats, room: float) -> NDArray[np.int64]:
    """The bands that a convex outline may meet, or come as near to as ``room``: those whose X it reaches within their Z."""
    z0, z1 = ring[:, 1].min() - room, ring[:, 1].max() + room
    first = max(np.searchsorted(edges, z0, side="right") - 1, 0)
    last = min(np.searchsorted(edges, z1, side="left"), len(edges) - 1)
    out = np.empty(max(last - first, 0), dtype=np.int64)
    count = 0
    n = len(ring)
    for k in range(first, last):
        a, b = edges[k] - room, edges[k + 1] + room
        least, most = np.inf, -np.inf
        for i in range(n):
            x, z = ring[i, 0], ring[i, 1]
            x1, y1 = ring[(i + 1) % n, 0], ring[(i + 1) % n, 1]
            if (z < a and y1 < a) or (z > b and y1 > b):
                continue
            # The side's own part between the band's edges.
            u, v = 0.0, 1.0
            if y1 != z:
                s, t = (a - z) / (y1 - z), (b - z) / (y1 - z)
                u, v = max(0.0, min(s, t)), min(1.0, max(s, t))
            xa, xb = x + u * (x1 - x), x + v * (x1 - x)
            least, most = min(least, xa, xb), max(most, xa, xb)
        if least - room < highs[k] and most + room > lows[k]:
            out[count] = k
            count += 1
    return out[:count]


@kernel
def _half(ring: Floats, count: int, axis: int, limit: float, sign: float, out: Floats) -> int:
    """A convex outline on one side of a straight line square to an axis (Sutherland and Hodgman, from memory); how many corners it has."""
    made = 0
    for i in range(count):
        j = i + 1 if i + 1 < count else 0
        here, there = sign * (limit - ring[i, axis]), sign * (limit - ring[j, axis])
        if here >= 0.0:
            out[made] = ring[i]
            made += 1
        if (here > 0.0 and there < 0.0) or (here < 0.0 and there > 0.0):
            share = here / (here - there)
            for a in range(2):
                out[made, a] = limit if a == axis else ring[i, a] + share * (ring[j, a] - ring[i, a])
            made += 1
    return made


@kernel
def _cropped(rings: Floats, edges: Floats, lows: Floats, highs: Floats) -> tuple[Floats, NDArray[np.int64]]:
    """What of convex outlines (n, k, 2) lies where the bands are, end to end, and how many corners each has: none where it meets no band."""
    n, k = rings.shape[0], rings.shape[1]
    places = np.empty((n * (k + 4), 2))
    counts = np.zeros(n, dtype=np.int64)
    one, two = np.empty((k + 8, 2)), np.empty((k + 8, 2))
    at = 0
    for r in range(n):
        ring = rings[r]
        met = _met(ring, edges, lows, highs, 0.0)
        if not len(met):
            continue
        count = k
        one[:k] = ring
        if ring[:, 0].min() >= 0.0:
            low, high = np.inf, -np.inf
            for b in met:
                low, high = min(low, lows[b]), max(high, highs[b])
            count = _half(one, count, np.int64(0), high + _ROUND_MM, 1.0, two)
            count = _half(two, count, np.int64(0), low - _ROUND_MM, -1.0, one)
            count = _half(one, count, np.int64(1), edges[met[-1] + 1] + _ROUND_MM, 1.0, two)
            count = _half(two, count, np.int64(1), edges[met[0]] - _ROUND_MM, -1.0, one)
        if count < 3:
            continue
        places[at : at + count] = one[:count]
        at += count
        counts[r] = count
    return places[:at], counts


@kernel
def bite(old: Floats, new: Floats, sx: float, sz: float) -> tuple[int, float, float, float, float, float]:
    """What a cut changed of a band's outline, by the vertices that only one of both has: how many, least X, least and largest Z, least and
    largest way along a direction."""
    count = 0
    x0 = z0 = o0 = np.inf
    z1 = o1 = -np.inf
    for turn in range(2):
        one, two = (old, new) if turn == 0 else (new, old)
        for i in range(len(one)):
            x, z = one[i, 0], one[i, 1]
            known = False
            for j in range(len(two)):
                if two[j, 0] == x and two[j, 1] == z:
                    known = True
                    break
            if known:
                continue
            count += 1
            off = x * sx + z * sz
            x0, z0, z1, o0, o1 = min(x0, x), min(z0, z), max(z1, z), min(o0, off), max(o1, off)
    return count, x0, z0, z1, o0, o1


def band(shape: Shape, z0: float, z1: float) -> Band:
    """A shape between two edges, measured. (Volume: 2 pi times the integral of X, Pappus and Guldin.)"""
    if shape.is_empty:
        return EMPTY
    if shape.geom_type == "Polygon" and not shapely.get_num_interior_rings(shape):
        return outlined(shapely.get_coordinates(shape), z0, z1)
    area = moment = 0.0
    low, high = math.inf, -math.inf
    places: list[Floats] = []
    mark: Mark = []
    for part in shapely.get_parts(shape):
        before: Spans = []
        behind: Spans = []
        for k, ring in enumerate([part.exterior, *part.interiors]):
            points = shapely.get_coordinates(ring)
            twice, first, least, most, spans = _measure(points, z0, z1)
            for edge, one, two in spans.tolist():
                (behind if edge else before).append((one, two))
            low, high = min(low, least), max(high, most)
            sign = -1.0 if k else 1.0
            area += sign * abs(twice) / 2.0
            moment += sign * abs(first) / 6.0
            places.append(points)
        mark.append((before, behind))
    return Band(area, math.tau * moment, low, high, np.concatenate(places), mark, shape)


def outlined(places: Floats, z0: float, z1: float) -> Band:
    """The same of one closed outline without holes."""
    twice, first, low, high, spans = _measure(places, z0, z1)
    before: Spans = []
    behind: Spans = []
    for edge, one, two in spans.tolist():
        (behind if edge else before).append((one, two))
    return Band(abs(twice) / 2.0, math.tau * abs(first) / 6.0, low, high, places, [(before, behind)])


class Now:
    """The bands as they are."""

    def __init__(self, bands: list[Band], edges: Floats) -> None:
        self.edges = edges
        self.each = bands
        self.low, self.high = np.array([b.low for b in self.each]), np.array([b.high for b in self.each])

    @property
    def shapes(self) -> list[Shape]:
        return [b.shape for b in self.each]

    def put(self, k: int, band: Band) -> None:
        self.each[k] = band
        self.low[k], self.high[k] = band.low, band.high

    def made(self, k: int, shape: Shape) -> Band:
        return band(shape, float(self.edges[k]), float(self.edges[k + 1]))

    def cropped(self, rings: Floats) -> list[tuple[int, Shape, Floats]]:
        """Of convex outlines (n, k, 2) what may meet the bands as they are, or with less in them: the row, the shape and its outline."""
        places, counts = _cropped(rings, self.edges, self.low, self.high)
        rows = np.flatnonzero(counts)
        ends = counts[rows].cumsum()
        shapes = shapely.polygons(shapely.linearrings(places, indices=np.repeat(np.arange(len(rows)), counts[rows])))
        return list(zip(rows.tolist(), shapes.tolist(), np.split(places, ends[:-1]))) if len(rows) else []

    def met(self, box: Box, room: float = 0.0, ring: Floats | None = None) -> list[int]:
        """The bands that something in a box may meet, or come as near to as ``room``; ``ring``: its outline, where it is convex."""
        x0, z0, x1, z1 = box
        if ring is not None:
            return _met(ring, self.edges, self.low, self.high, room).tolist()  # type: ignore[no-any-return]
        span = under(self.edges, z0 - room, z1 + room)
        low, high = self.low[span.start : span.stop], self.high[span.start : span.stop]
        there = (low < x1 + room) & (high > x0 - room)
        return [span.start + int(k) for k in np.flatnonzero(there)]

    def cut(self, shape: Shape, box: Box, ring: Floats | None = None) -> list[tuple[int, Band, Band]]:
        """Take a shape away, in place; (band, before, after) of those that lost something."""
        met = self.met(box, ring=ring)
        if not met:
            return []
        out = []
        for k in met:
            old = self.each[k]
            new = None if ring is None or not old.simple else self._taken(k, ring)
            if new is None:
                left = shapely.difference(old.shape, shape)
                new = self.made(k, left if left.geom_type == "Polygon" else clean(left))
            if old.area - new.area > CHANGED_MM2:
                if new.area <= CHANGED_MM2:
                    new = EMPTY
                self.put(k, new)
                out.append((k, old, new))
        return out

    def _taken(self, k: int, ring: Floats) -> Band | None:
        """A band of one outline less a convex one; none where that is not surely told (see ``taking``)."""
        sure, left = take(self.each[k].places, ring)
        if sure == LESS:
            return outlined(left, float(self.edges[k]), float(self.edges[k + 1])) if len(left) else EMPTY
        return self.each[k] if sure == NOTHING_TAKEN else None


Box = tuple[float, float, float, float]
NO_BOX: Box = (0.0, 0.0, 0.0, 0.0)
"""Where an outline says it all."""


def under(edges: Floats, z0: float, z1: float) -> range:
    """The bands that a span of Z may meet."""
    first = max(int(edges.searchsorted(z0, side="right")) - 1, 0)
    return range(first, max(first, min(int(edges.searchsorted(z1, side="left")), len(edges) - 1)))


def meet(a: Spans, b: Spans) -> bool:
    return any(min(p[1], q[1]) - max(p[0], q[0]) > 1e-9 for p in a for q in b)
