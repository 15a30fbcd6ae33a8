"""What a sheet's picture is made of: plates, walls along edges, round bodies, as triangles with their normals."""

from __future__ import annotations

import math

import numpy as np
import shapely
from numpy.typing import NDArray

from underglass.app.glass.scene import Body
from underglass.app.glass.skin import Places
from underglass.core.proof.flat_outputs import plate
from underglass.core.removal.sheet.history import Region

DRAWN_MM = 0.02
"""Edges are drawn no finer than that."""


def plate_rows(region: Region, low: float, high: float) -> NDArray[np.float32]:
    """A flat region as a plate, each triangle with its normal: ``(k, 6)``."""
    vertices, faces = plate(shapely.simplify(region, DRAWN_MM), low, high)
    if not len(faces):
        return np.zeros((0, 6), dtype=np.float32)
    places = vertices[faces]
    normal = np.cross(places[:, 1] - places[:, 0], places[:, 2] - places[:, 0])
    size = np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-12)
    rows = np.concatenate([places, np.repeat((normal / size)[:, None, :], 3, axis=1)], axis=2)
    return rows.reshape(-1, 6).astype(np.float32)


def wall_rows(ring: Places, low: float, high: float) -> NDArray[np.float32]:
    """Upright walls along edges (k, 2, 2): ``(6 k, 6)``, seen from both sides."""
    a, b = ring[:, 0], ring[:, 1]
    way = b - a
    size = np.maximum(np.hypot(way[:, 0], way[:, 1]), 1e-12)
    n = np.column_stack([way[:, 1] / size, -way[:, 0] / size, np.zeros(len(a))])
    corners = [(a, low), (b, low), (b, high), (a, low), (b, high), (a, high)]
    rows = np.empty((len(a), 6, 6), dtype=np.float32)
    for k, (place, z) in enumerate(corners):
        rows[:, k, 0:2], rows[:, k, 2], rows[:, k, 3:6] = place, z, n
    return rows.reshape(-1, 6)


def round_body(radius: float, low: float, high: float, top: float | None = None) -> Body:
    """A cylinder or a cone frustum about Z, from ``radius`` at the bottom to ``top``."""
    return Body(_round_rows(radius, radius if top is None else top, low, high))


def _round_rows(r0: float, r1: float, low: float, high: float) -> NDArray[np.float32]:
    a = np.linspace(0.0, math.tau, 33)
    c, s = np.cos(a), np.sin(a)
    out = []
    for k in range(32):
        n = ((c[k] + c[k + 1]) / 2, (s[k] + s[k + 1]) / 2, 0.0)
        p = [
            (r0 * c[k], r0 * s[k], low),
            (r0 * c[k + 1], r0 * s[k + 1], low),
            (r1 * c[k + 1], r1 * s[k + 1], high),
            (r1 * c[k], r1 * s[k], high),
        ]
        out += [(*p[i], *n) for i in (0, 1, 2, 0, 2, 3)]
        out += [(*q, 0.0, 0.0, 1.0) for q in (p[3], p[2], (0.0, 0.0, high))]
        out += [(*q, 0.0, 0.0, -1.0) for q in (p[1], p[0], (0.0, 0.0, low))]
    return np.array(out, dtype=np.float32)
