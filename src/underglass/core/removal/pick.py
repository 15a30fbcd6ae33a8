"""Which cell of a field a ray meets first: walking over the cells, no renderer needed."""

# mypy: disable-error-code="no-untyped-def"

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from underglass.core.compiled import kernel
from underglass.core.removal.field import Field


class CellHit(NamedTuple):
    """A cell met by a ray, how far along (mm), and where, in real coordinates."""

    row: int
    column: int
    distance: float
    place: tuple[float, float, float]


@kernel
def _walk(h, cell, top, ox, oy, oz, dx, dy, dz, out):
    """Walk cell by cell from the box's entry; ``out`` (3,): row, column, distance. True at a hit."""
    ny, nx = h.shape
    t0, t1 = 0.0, 1e30
    for o, d, size in ((ox, dx, nx * cell), (oy, dy, ny * cell), (oz, dz, top)):
        if abs(d) < 1e-12:
            if o < 0.0 or o > size:
                return False
        else:
            a, b = -o / d, (size - o) / d
            t0, t1 = max(t0, min(a, b)), min(t1, max(a, b))
    if t0 > t1:
        return False
    t = t0
    i = min(nx - 1, max(0, math.floor((ox + dx * t) / cell)))
    j = min(ny - 1, max(0, math.floor((oy + dy * t) / cell)))
    while True:
        tx = ((i + 1 if dx > 0.0 else i) * cell - ox) / dx if abs(dx) > 1e-12 else 1e30
        ty = ((j + 1 if dy > 0.0 else j) * cell - oy) / dy if abs(dy) > 1e-12 else 1e30
        te = max(t, min(tx, ty, t1))
        z0, z1 = oz + dz * t, oz + dz * te
        if h[j, i] > 0.0 and min(z0, z1) <= h[j, i]:
            if z0 > h[j, i] and dz < 0.0:
                t = (h[j, i] - oz) / dz
            out[0], out[1], out[2] = j, i, t
            return True
        if te >= t1:
            return False
        t = te
        if tx < ty:
            i += 1 if dx > 0.0 else -1
        else:
            j += 1 if dy > 0.0 else -1
        if i < 0 or j < 0 or i >= nx or j >= ny:
            return False


def first_cell(field: Field, start: NDArray[np.float64], way: NDArray[np.float64]) -> CellHit | None:
    """The cell that a ray from ``start`` (real coordinates, mm) along the unit vector ``way`` meets first."""
    grid = field.grid
    ends = grid.frame.into(np.stack([start, start + way]))
    o, d = ends[0], ends[1] - ends[0]
    out = np.zeros(3)
    if not _walk(field.h, grid.cell, grid.height, o[0], o[1], o[2], d[0], d[1], d[2], out):
        return None
    at = start + way * out[2]
    return CellHit(int(out[0]), int(out[1]), float(out[2]), (float(at[0]), float(at[1]), float(at[2])))
