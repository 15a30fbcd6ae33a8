"""The stock as heights over a square grid: samples at cell centres, the first cell's corner on the minimum corner."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from underglass.core.bench.frame import Frame
from underglass.core.bench.solid import Solid
from underglass.core.removal.raster import tops
from underglass.core.removal.rows import TILE

Heights = NDArray[np.float32]
Owners = NDArray[np.int32]
Dirty = NDArray[np.uint8]

UNCUT = -1
OFF_STOCK = -2

_CELLS_BY_DEFAULT = 1_000_000
_LEAST_CELL = 0.02
_MOST_CELLS = 60_000_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Grid:
    """Where a field lies. ``frame`` at the stock's minimum corner; ``nx`` by ``ny`` cells of ``cell`` mm; ``height`` mm."""

    frame: Frame
    cell: float
    nx: int
    ny: int
    height: float

    @property
    def shape(self) -> tuple[int, int]:
        return (self.ny, self.nx)

    @property
    def tiles(self) -> tuple[int, int]:
        return (-(-self.ny // TILE), -(-self.nx // TILE))

    def cell_at(self, x: float, y: float) -> tuple[int, int] | None:
        """Row and column of the cell over a point of the field's own frame; None off the grid."""
        i, j = math.floor(x / self.cell + 1e-9), math.floor(y / self.cell + 1e-9)
        # The far edges belong to the last cells.
        if i == self.nx and x <= self.nx * self.cell + 1e-6:
            i -= 1
        if j == self.ny and y <= self.ny * self.cell + 1e-6:
            j -= 1
        return (j, i) if 0 <= i < self.nx and 0 <= j < self.ny else None


@dataclass(slots=True)
class Field:
    """Heights above the underside, and the last move that cut each cell (``UNCUT``, ``OFF_STOCK``)."""

    grid: Grid
    h: Heights
    owner: Owners

    def volume(self) -> float:
        """Sum over cells of height times area, mm3."""
        return float(self.h.sum(dtype=np.float64)) * self.grid.cell**2

    def copy(self) -> Field:
        return Field(self.grid, self.h.copy(), self.owner.copy())

    def height_at(self, x: float, y: float) -> float:
        """Height at a point of the field's own frame, mm above the underside; nan off the stock."""
        at = self.grid.cell_at(x, y)
        if at is None or self.owner[at] == OFF_STOCK:
            return math.nan
        return float(self.h[at])

    def heights_at(self, points: NDArray[np.float64]) -> NDArray[np.float64]:
        """Heights at points ``(n, 2)`` of the field's own frame, ``(n,)`` mm above the underside; nan off the stock."""
        i = np.floor(points[:, 0] / self.grid.cell + 1e-9).astype(np.int64)
        j = np.floor(points[:, 1] / self.grid.cell + 1e-9).astype(np.int64)
        # The far edges belong to the last cells.
        i -= (i == self.grid.nx) & (points[:, 0] <= self.grid.nx * self.grid.cell + 1e-6)
        j -= (j == self.grid.ny) & (points[:, 1] <= self.grid.ny * self.grid.cell + 1e-6)
        inside = (i >= 0) & (j >= 0) & (i < self.grid.nx) & (j < self.grid.ny)
        i, j = np.where(inside, i, 0), np.where(inside, j, 0)
        inside &= self.owner[j, i] != OFF_STOCK
        return np.where(inside, self.h[j, i].astype(np.float64), np.nan)


def default_cell(stock: Solid) -> float:
    """A cell that gives about a million of them, rounded down to 1, 2 or 5 times a power of ten, mm."""
    x, y, _ = stock.extent
    # A hair has one row of cells, however many it has along it.
    rough = max(math.sqrt(x * y / _CELLS_BY_DEFAULT), max(x, y) / _CELLS_BY_DEFAULT / 4.0)
    if rough <= _LEAST_CELL:
        return _LEAST_CELL
    power = 10.0 ** math.floor(math.log10(rough))
    step = next(s for s in (5.0, 2.0, 1.0) if s * power <= rough * (1.0 + 1e-9))
    return max(_LEAST_CELL, step * power)


def too_fine(stock: Solid, cell: float) -> bool:
    """Whether this cell would need more memory than a plain computer has."""
    x, y, _ = stock.extent
    return math.ceil(min(x / cell, 1e9)) * math.ceil(min(y / cell, 1e9)) > _MOST_CELLS


def make_field(stock: Solid, cell: float) -> Field:
    """The uncut stock as a field. Boxes, upright cylinders, and meshes as they are seen from above."""
    x, y, z = stock.extent
    return fill(
        stock,
        Grid(
            frame=stock.frame,
            cell=cell,
            nx=max(1, math.ceil(x / cell - 1e-6)),
            ny=max(1, math.ceil(y / cell - 1e-6)),
            height=z,
        ),
    )


def fill(stock: Solid, grid: Grid, origin: tuple[float, float] = (0.0, 0.0)) -> Field:
    """The uncut stock on a grid whose corner lies at ``origin`` (mm) of the stock's own frame."""
    x, y, z = stock.extent
    h = np.full(grid.shape, z, dtype=np.float32)
    owner = np.full(grid.shape, UNCUT, dtype=np.int32)
    xc = origin[0] + (np.arange(grid.nx) + 0.5) * grid.cell
    yc = origin[1] + (np.arange(grid.ny) + 0.5) * grid.cell
    if stock.mesh is not None:
        # Seen from above: what lies under an overhang counts as solid.
        seen = tops(stock.mesh.triangles - (*origin, 0.0), grid.cell, grid.shape)
        off = ~(seen > 0.0)
        h[~off] = seen[~off]
    elif stock.shape == "cylinder":
        r = stock.size[0] / 2.0
        off = (xc[None, :] - r) ** 2 + (yc[:, None] - r) ** 2 > r * r
    else:
        off = (xc[None, :] > x) | (yc[:, None] > y)
    h[off] = 0.0
    owner[off] = OFF_STOCK
    return Field(grid, h, owner)
