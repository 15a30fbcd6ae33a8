"""How much of a round tool is in the metal, and how far it may go before that is more than wanted.

A floor is a grid of squares, each with the share of it that still stands. At a place the tool's outline is felt at even angles,
a little inside the outline itself, so that what is thinner than a shaving does not count.

Along a straight wall with ``a`` mm in front the tool is engaged over acos(1 - a / r) (plane geometry).

Glossary
    contact     how much of the whole outline stands in metal, rad
    engagement  how much of its front half does, for a direction, rad: what the tool feels on its way
"""

from __future__ import annotations

import math

import numpy as np
import shapely
from numpy.typing import NDArray

from underglass.core.compiled import kernel

Floats = NDArray[np.float64]
SHAVING = 0.05
"""What is thinner than this share of the tool's radius is no metal worth counting."""
_FELT = 72
"""Places at which the outline is felt."""
_BEHIND = 4
"""So many squares the floor is cut behind the tool that is felt; so far back chips of its sides are thicker than a shaving."""
_LONGEST = 1_500_000
"""Squares of a floor; a larger one is laid out coarser."""
STANDING = 1.0


@kernel
def _cut(stands: NDArray[np.float32], x0: float, y0: float, h: float, way: Floats, r: float) -> None:
    """Take from the floor what a tool of radius ``r`` meets along a way, (n, 2)."""
    ny, nx = stands.shape
    for k in range(len(way) - 1):
        ax, ay, bx, by = way[k, 0], way[k, 1], way[k + 1, 0], way[k + 1, 1]
        dx, dy = bx - ax, by - ay
        long = dx * dx + dy * dy
        i0 = max(0, int((min(ax, bx) - r - x0) / h))
        i1 = min(nx - 1, int((max(ax, bx) + r - x0) / h) + 1)
        j0 = max(0, int((min(ay, by) - r - y0) / h))
        j1 = min(ny - 1, int((max(ay, by) + r - y0) / h) + 1)
        for j in range(j0, j1 + 1):
            py = y0 + j * h
            for i in range(i0, i1 + 1):
                if stands[j, i] <= 0.0:
                    continue
                px = x0 + i * h
                t = ((px - ax) * dx + (py - ay) * dy) / long if long > 0.0 else 0.0
                t = min(1.0, max(0.0, t))
                d = math.hypot(px - ax - t * dx, py - ay - t * dy)
                share = (d - r) / h + 0.5
                if share < stands[j, i]:
                    stands[j, i] = max(share, 0.0)


@kernel
def _standing(stands: NDArray[np.float32], x: float, y: float) -> float:
    """The share that stands at a place, in squares, between the four about it; beside the floor all stands."""
    ny, nx = stands.shape
    i, j = math.floor(x), math.floor(y)
    if i < 0 or j < 0 or i >= nx - 1 or j >= ny - 1:
        return STANDING
    u, v = x - i, y - j
    low = stands[j, i] * (1.0 - u) + stands[j, i + 1] * u
    high = stands[j + 1, i] * (1.0 - u) + stands[j + 1, i + 1] * u
    return float(low * (1.0 - v) + high * v)


@kernel
def _contacts(
    stands: NDArray[np.float32], r: float, felt: Floats, asked: NDArray[np.bool_], out: NDArray[np.float32]
) -> None:
    """The contact at every square asked for, rad; ``r`` in squares. Where the middle stands in metal, all of it."""
    ny, nx = stands.shape
    each = 2.0 * math.pi / len(felt)
    for j in range(ny):
        for i in range(nx):
            if not asked[j, i]:
                continue
            if stands[j, i] > 0.5:
                out[j, i] = 2.0 * math.pi
                continue
            total = 0.0
            for k in range(len(felt)):
                total += _standing(stands, i + r * felt[k, 0], j + r * felt[k, 1])
            out[j, i] = total * each


@kernel
def _engagements(
    stands: NDArray[np.float32],
    x0: float,
    y0: float,
    h: float,
    r: float,
    felt: Floats,
    way: Floats,
    out: Floats,
    own: float,
) -> None:
    """The engagement at each place of a way towards the next one, rad; the floor is cut as the tool goes on, as wide as ``own``."""
    each = 2.0 * math.pi / len(felt)
    for k in range(len(way) - 1):
        dx, dy = way[k + 1, 0] - way[k, 0], way[k + 1, 1] - way[k, 1]
        x, y = (way[k, 0] - x0) / h, (way[k, 1] - y0) / h
        total = 0.0
        for n in range(len(felt)):
            if felt[n, 0] * dx + felt[n, 1] * dy > 0.0:
                total += _standing(stands, x + r / h * felt[n, 0], y + r / h * felt[n, 1])
        out[k] = total * each
        # What the tool itself has just cut in front of it would hide the sides of the cut: the floor follows some squares behind.
        if k >= _BEHIND:
            _cut(stands, x0, y0, h, way[k - _BEHIND : k - _BEHIND + 2], own)
    _cut(stands, x0, y0, h, way[max(0, len(way) - 1 - _BEHIND) :], own)


@kernel
def _crossings(field: NDArray[np.float32], level: float, out: Floats) -> int:
    """Sides of the outline of what lies below a level, (n, 4) in squares, found square by square; how many."""
    ny, nx = field.shape
    count = 0
    at = np.empty((4, 2))
    for j in range(ny - 1):
        for i in range(nx - 1):
            a, b, c, d = (
                field[j, i] - level,
                field[j, i + 1] - level,
                field[j + 1, i + 1] - level,
                field[j + 1, i] - level,
            )
            n = 0
            if (a < 0.0) != (b < 0.0):
                at[n, 0], at[n, 1] = i + a / (a - b), float(j)
                n += 1
            if (b < 0.0) != (c < 0.0):
                at[n, 0], at[n, 1] = i + 1.0, j + b / (b - c)
                n += 1
            if (c < 0.0) != (d < 0.0):
                at[n, 0], at[n, 1] = i + d / (d - c), j + 1.0
                n += 1
            if (d < 0.0) != (a < 0.0):
                at[n, 0], at[n, 1] = float(i), j + a / (a - d)
                n += 1
            for k in range(0, n - 1, 2):
                if count < len(out):
                    out[count, 0], out[count, 1], out[count, 2], out[count, 3] = (
                        at[k, 0],
                        at[k, 1],
                        at[k + 1, 0],
                        at[k + 1, 1],
                    )
                    count += 1
    return count


class Floor:
    """What still stands on one level of an area, for a tool of radius ``r`` mm whose middle stays within ``reach``."""

    def __init__(self, reach: shapely.Geometry, r: float) -> None:
        self.r = r
        a, b, c, d = reach.bounds
        self.h = max(r / 10.0, math.sqrt((c - a + 2.5 * r) * (d - b + 2.5 * r) / _LONGEST))
        self.x0, self.y0 = a - 1.25 * r, b - 1.25 * r
        nx, ny = math.ceil((c - a + 2.5 * r) / self.h) + 1, math.ceil((d - b + 2.5 * r) / self.h) + 1
        self.stands = np.full((ny, nx), STANDING, np.float32)
        angles = math.tau * (np.arange(_FELT) + 0.5) / _FELT
        self.felt = np.column_stack([np.cos(angles), np.sin(angles)])
        xs, ys = np.meshgrid(self.x0 + self.h * np.arange(nx), self.y0 + self.h * np.arange(ny))
        self.inside = shapely.contains_xy(reach.buffer(1.5 * self.h, quad_segs=4), xs, ys)
        self.contact = np.full((ny, nx), math.tau, np.float32)
        self._felt = False

    def copy(self) -> Floor:
        """The same, to be cut on its own."""
        other = object.__new__(Floor)
        other.__dict__.update(self.__dict__)
        other.stands, other.contact = self.stands.copy(), self.contact.copy()
        return other

    def cut(self, way: Floats) -> None:
        """The tool goes along a way, (n, 2) mm."""
        self._felt = False
        _cut(self.stands, self.x0, self.y0, self.h, np.ascontiguousarray(way), self.r)

    def engaged(self, way: Floats) -> float:
        """The greatest engagement along a way, rad; the floor is cut."""
        way, self._felt = self.fine(way), False
        out = np.zeros(max(len(way) - 1, 0))
        _engagements(self.stands, self.x0, self.y0, self.h, self.r * (1.0 - SHAVING), self.felt, way, out, self.r)
        return float(out.max()) if len(out) else 0.0

    def fine(self, way: Floats) -> Floats:
        """A way's places no farther apart than a square."""
        far = np.hypot(*np.diff(way, axis=0).T)
        along = np.concatenate([[0.0], np.cumsum(far)])
        at = np.linspace(0.0, along[-1], max(2, math.ceil(along[-1] / self.h) + 1))
        return np.column_stack([np.interp(at, along, way[:, 0]), np.interp(at, along, way[:, 1])])

    def within(self, contact: float) -> shapely.Geometry:
        """Where the tool's middle meets no more contact than this, rad."""
        if not self._felt:
            # What was free of all metal stays so: it is not felt again.
            asked = self.inside & (self.contact > 0.0)
            _contacts(self.stands, self.r * (1.0 - SHAVING) / self.h, self.felt, asked, self.contact)
            self._felt = True
        sides = np.empty((4 * self.contact.size // 8 + 64, 4))
        count = _crossings(self.contact, contact, sides)
        if not count:
            return shapely.Polygon()
        at = sides[:count] * self.h + np.array([self.x0, self.y0, self.x0, self.y0])
        faces = shapely.get_parts(shapely.polygonize(shapely.linestrings(np.round(at, 9).reshape(-1, 2, 2))))
        inner = [face for face in faces if self._below(face, contact)]
        return shapely.union_all(inner) if inner else shapely.Polygon()

    def _below(self, face: shapely.Polygon, contact: float) -> bool:
        place = face.representative_point()
        i, j = (place.x - self.x0) / self.h, (place.y - self.y0) / self.h
        return bool(_standing(self.contact, i, j) < contact)
