"""Plane shapes of a half section, and what they come to when they turn.

Glossary
    shape    a polygon or several, coordinates (X as a radius, Z), mm
    swept    what an outline passes over on a straight way
    folded   what lies beyond the axis, brought over to this side: the work turns, so it is met there all the same
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Shape = Any
"""A shapely geometry of one or several polygons."""

NOTHING: Shape = shapely.Polygon()

_SPECK_MM2 = 1e-8
"""Pieces smaller than this are rounding: a hundredth of a micrometre by a millimetre."""


def polygon(places: Floats) -> Shape:
    """A closed outline as a shape."""
    return shapely.Polygon(places)


def convex_parts(outline: Floats) -> list[Floats]:
    """An outline as convex ones that cover it: itself where it is convex."""
    shape = shapely.Polygon(outline)
    if shape.area <= 0.0:
        return []
    if shapely.convex_hull(shape).area - shape.area <= 1e-9 * max(shape.area, 1.0):
        return [outline]
    pieces = shapely.get_parts(shapely.constrained_delaunay_triangles(shapely.make_valid(shape)))
    return [shapely.get_coordinates(p)[:-1] for p in pieces]


def swept(parts: list[Floats], start: Floats, end: Floats) -> NDArray[np.object_]:
    """What convex outlines pass over on straight ways: ``start`` and ``end`` (n, 2) to shapes ``(n * parts,)``, way by way."""
    made = [shapely.polygons(swept_rings(part, start, end)) for part in parts]
    return np.stack(made, axis=1).reshape(-1) if made else np.empty(0, dtype=object)


def swept_rings(part: Floats, start: Floats, end: Floats) -> Floats:
    """What one convex outline passes over on straight ways, as outlines ``(n, k + 2, 2)``.

    Of a convex outline that is the half of it that lies behind, where the way begins, and the half that lies ahead, where it
    ends, joined at the two places that stand farthest to the sides.
    """
    ring = part if _turns_left(part) else part[::-1]
    k = len(ring)
    way = end - start
    aside = np.column_stack([-way[:, 1], way[:, 0]])
    off = aside @ ring.T
    left, right = off.argmax(axis=1), off.argmin(axis=1)
    behind = (right - left) % k
    at = np.arange(k + 2)
    first = at[None, :] <= behind[:, None]
    vertex = (left[:, None] + at - np.where(first, 0, 1)) % k
    return ring[vertex] + np.where(first[:, :, None], start[:, None, :], end[:, None, :])  # type: ignore[no-any-return]


def _turns_left(ring: Floats) -> bool:
    x, z = ring[:, 0], ring[:, 1]
    return bool((x * np.roll(z, -1) - np.roll(x, -1) * z).sum() > 0.0)


_FAR = 1e5
_THIS_SIDE = shapely.box(0.0, -_FAR, _FAR, _FAR)


def folded(shape: Shape) -> Shape:
    """The same on this side of the axis."""
    low = shape.bounds[0]
    if not low < 0.0:
        return shape
    if shape.bounds[2] <= 0.0:
        return shapely.transform(shape, lambda p: p * (-1.0, 1.0))
    mirrored = shapely.transform(shape, lambda p: p * (-1.0, 1.0))
    return shapely.union(shapely.intersection(shape, _THIS_SIDE), shapely.intersection(mirrored, _THIS_SIDE))


def clean(shape: Shape) -> Shape:
    """Without specks, points and lines that rounding left."""
    kind = shapely.get_type_id(shape)
    if kind == 3:
        return shape if shape.area > _SPECK_MM2 else NOTHING
    parts = [p for p in shapely.get_parts(shape) if shapely.get_type_id(p) == 3 and p.area > _SPECK_MM2]
    return parts[0] if len(parts) == 1 else shapely.MultiPolygon(parts) if parts else NOTHING


def _moment(ring: Floats) -> float:
    """The integral of X over what a ring encloses, mm3; positive."""
    x, z = ring[:-1, 0], ring[:-1, 1]
    x1, z1 = ring[1:, 0], ring[1:, 1]
    return abs(float(((x + x1) * (x * z1 - x1 * z)).sum())) / 6.0


def volume(shape: Shape) -> float:
    """What a shape encloses when it turns about the axis, mm3: 2 pi times the integral of X (Pappus and Guldin)."""
    out = 0.0
    for part in shapely.get_parts(shape):
        if shapely.get_type_id(part) != 3 or part.is_empty:
            continue
        out += _moment(shapely.get_coordinates(part.exterior))
        out -= sum(_moment(shapely.get_coordinates(hole)) for hole in part.interiors)
    return math.tau * out
