"""Triangles seen from above: the highest of them over each cell's middle. numba kernel."""

# mypy: disable-error-code="no-untyped-def"

import math

import numpy as np
from numpy.typing import NDArray

from underglass.core.compiled import kernel


@kernel
def _fill(triangles, cell, h):
    """``h`` (ny, nx) gets the greatest height over each cell's middle; cells under no triangle keep theirs."""
    ny, nx = h.shape
    for t in range(len(triangles)):
        ax, ay, az = triangles[t, 0, 0], triangles[t, 0, 1], triangles[t, 0, 2]
        bx, by, bz = triangles[t, 1, 0], triangles[t, 1, 1], triangles[t, 1, 2]
        cx, cy, cz = triangles[t, 2, 0], triangles[t, 2, 1], triangles[t, 2, 2]
        area = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay)
        if abs(area) < 1e-14:
            continue
        i0 = max(0, math.ceil(min(ax, bx, cx) / cell - 0.5 - 1e-9))
        i1 = min(nx - 1, math.floor(max(ax, bx, cx) / cell - 0.5 + 1e-9))
        j0 = max(0, math.ceil(min(ay, by, cy) / cell - 0.5 - 1e-9))
        j1 = min(ny - 1, math.floor(max(ay, by, cy) / cell - 0.5 + 1e-9))
        for j in range(j0, j1 + 1):
            y = (j + 0.5) * cell
            for i in range(i0, i1 + 1):
                x = (i + 0.5) * cell
                u = ((x - ax) * (cy - ay) - (cx - ax) * (y - ay)) / area
                v = ((bx - ax) * (y - ay) - (x - ax) * (by - ay)) / area
                if u < -1e-9 or v < -1e-9 or u + v > 1.0 + 1e-9:
                    continue
                z = az + u * (bz - az) + v * (cz - az)
                if z > h[j, i]:
                    h[j, i] = z


def tops(triangles: NDArray[np.float64], cell: float, shape: tuple[int, int]) -> NDArray[np.float64]:
    """Greatest height of ``(n, 3, 3)`` triangles over each cell's middle, ``shape`` (ny, nx); nan where there is none."""
    h = np.full(shape, -np.inf)
    _fill(np.ascontiguousarray(triangles, dtype=np.float64), cell, h)
    h[np.isinf(h)] = np.nan
    return h
