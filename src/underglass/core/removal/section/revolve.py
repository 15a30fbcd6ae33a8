"""A half section as the solid that it turns into: closed triangles about Z."""

from __future__ import annotations

import math

import numpy as np
import shapely
from numpy.typing import NDArray

from underglass.core.removal.section.shape import Floats, Shape

Ints = NDArray[np.int64]

_ON_AXIS_MM = 1e-9


def turned(shape: Shape, count: int = 360, share: float = 1.0) -> tuple[Floats, Ints]:
    """Vertices ``(n, 3)`` mm and faces ``(m, 3)``, outward; ``share`` of the whole turn (1: closed all round)."""
    vertices: list[Floats] = [np.empty((0, 3))]
    faces: list[Ints] = [np.empty((0, 3), dtype=np.int64)]
    base = 0
    whole = share >= 1.0
    angles = np.linspace(0.0, math.tau * share, count + 1)[: count if whole else None]
    for part in shapely.get_parts(shapely.orient_polygons(shape)):
        for ring in shapely.get_rings(part):
            places = shapely.get_coordinates(ring)[:-1]
            v, f = _ring(places, angles, whole)
            vertices.append(v)
            faces.append(f + base)
            base += len(v)
    return np.concatenate(vertices), np.concatenate(faces)


def _ring(places: Floats, angles: Floats, whole: bool) -> tuple[Floats, Ints]:
    """One ring, shells counter-clockwise in (X, Z); the vertices of a place on the axis are one."""
    n, k = len(places), len(angles)
    cos, sin = np.cos(angles), np.sin(angles)
    x, z = places[:, 0], places[:, 1]
    v = np.stack([np.outer(x, cos), np.outer(x, sin), np.repeat(z[:, None], k, axis=1)], axis=2).reshape(-1, 3)
    index = np.arange(n * k, dtype=np.int64).reshape(n, k)
    index[np.abs(x) <= _ON_AXIS_MM] = index[np.abs(x) <= _ON_AXIS_MM, :1]
    nxt = np.roll(index, -1, axis=0)
    if whole:
        a, b, c, d = index, nxt, np.roll(nxt, -1, axis=1), np.roll(index, -1, axis=1)
    else:
        a, b, c, d = index[:, :-1], nxt[:, :-1], nxt[:, 1:], index[:, 1:]
    one = np.stack([a, c, b], axis=2).reshape(-1, 3)
    two = np.stack([a, d, c], axis=2).reshape(-1, 3)
    f = np.concatenate([one, two])
    good = (f[:, 0] != f[:, 1]) & (f[:, 1] != f[:, 2]) & (f[:, 0] != f[:, 2])
    return v, f[good]
