"""Measuring the stock like a part: heights, steps, sections, widths and diameters, at the end or after a line.

Places are in coordinates of the true G54 (or first) zero, mm. Walls are known to half a cell; a diameter, fitted to many
places of a wall, to a good deal less.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from underglass.core.bench.frame import Frame
from underglass.core.proof.proof import Proof
from underglass.core.removal.field import Field
from underglass.core.removal.skin import skin

Floats = NDArray[np.float64]
_RAYS = 720
_FURTHEST_MM = 2000.0


def moves_done_after(proof: Proof, line: int) -> int:
    """How many moves are made when this line is done (its last run); lines without moves count what is before them."""
    lines = proof.motions.line
    mine = np.flatnonzero(lines == line)
    if len(mine):
        return int(mine[-1]) + 1
    return int(np.count_nonzero(lines < line)) if line > 0 else 0


class Surface:
    """The stock's surface at one moment."""

    def __init__(self, proof: Proof, after_line: int | None = None) -> None:
        self._zero = proof.job.bench.part_zero
        self.fields: list[Field] = []
        for history in proof.stocks:
            field = history.final
            if after_line is not None:
                cursor = history.cursor()
                cursor.go(moves_done_after(proof, after_line), 0.0)
                field = cursor.field
            self.fields.append(field)

    @classmethod
    def of(cls, proof: Proof, fields: Sequence[Field]) -> Surface:
        """The surface of stocks as they stand: one field a stock of the proof."""
        out = cls.__new__(cls)
        out._zero = proof.job.bench.part_zero
        out.fields = list(fields)
        return out

    @property
    def zero(self) -> Frame:
        """The part's zero, from which all places are measured."""
        return self._zero

    @property
    def cell(self) -> float:
        """Side of the smallest cell, mm; 1 without stock."""
        return min((f.grid.cell for f in self.fields), default=1.0)

    def heights(self, points: Floats) -> Floats:
        """Z at X Y ``(n, 2)`` as ``(n,)``; nan off the stock, the highest where several stocks lie over each other."""
        real = self._zero.out(np.column_stack([points, np.zeros(len(points))]))
        out = np.full(len(points), np.nan)
        for field in self.fields:
            local = field.grid.frame.into(real)
            found = field.heights_at(local[:, :2])
            out = np.fmax(out, found + field.grid.frame.z - self._zero.z)
        return out


def part_mesh(proof: Proof, after_line: int | None = None) -> tuple[Floats, NDArray[np.int64]]:
    """Every stock's surface as closed triangles in part-zero coordinates: vertices ``(n, 3)`` mm and faces ``(m, 3)``."""
    return mesh_of(proof, Surface(proof, after_line).fields)


def mesh_of(proof: Proof, fields: Sequence[Field]) -> tuple[Floats, NDArray[np.int64]]:
    """The same of stocks as they stand: one field a stock of the proof."""
    vertices, faces, count = [np.empty((0, 3))], [np.empty((0, 3), dtype=np.int64)], 0
    for field in fields:
        places, corners = skin(field)
        vertices.append(proof.job.bench.part_zero.into(places))
        faces.append(corners + count)
        count += len(places)
    return np.concatenate(vertices), np.concatenate(faces)


def heights(proof: Proof, points: list[tuple[float, float]], after_line: int | None = None) -> list[float]:
    """Z of the stock's surface at X Y points; nan off the stock."""
    if not points:
        return []
    return Surface(proof, after_line).heights(np.array(points, dtype=np.float64).reshape(-1, 2)).tolist()  # type: ignore[no-any-return]


def section(surface: Surface, start: tuple[float, float], end: tuple[float, float]) -> Floats:
    """The profile along a line: ``(n, 2)`` distance from its start and Z, a sample a cell; Z is nan off the stock."""
    length = math.dist(start, end)
    count = max(2, math.ceil(length / surface.cell) + 1)
    share = np.linspace(0.0, 1.0, count)[:, None]
    points = np.array(start) + share * (np.array(end) - np.array(start))
    return np.column_stack([share[:, 0] * length, surface.heights(points)])


def step(surface: Surface, one: tuple[float, float], two: tuple[float, float]) -> float:
    """How much higher the surface is at the second point than at the first; nan where either is off the stock."""
    a, b = surface.heights(np.array([one, two], dtype=np.float64))
    return float(b - a)


def _to_wall(surface: Surface, at: Floats, way: Floats, level: float, inside: bool, most: float) -> float:
    """Distance from a point along a unit vector to where the surface crosses a level; nan where it never does."""
    reach = np.arange(0.0, most, surface.cell / 4.0)
    z = surface.heights(at + reach[:, None] * way)
    filled = np.nan_to_num(z, nan=-math.inf) > level
    crossed = np.flatnonzero(filled if inside else ~filled)
    if not len(crossed):
        return math.nan
    k = int(crossed[0])
    return float(reach[k] - (surface.cell / 8.0 if k else 0.0))


def across(
    surface: Surface, at: tuple[float, float], direction_deg: float, level: float, most: float = _FURTHEST_MM
) -> float:
    """From wall to wall through a point at a height, along a direction: a slot's width, or that of a rib. nan: no wall."""
    angle = math.radians(direction_deg)
    way = np.array([math.cos(angle), math.sin(angle)])
    place = np.array(at, dtype=np.float64)
    here = surface.heights(place[None, :])[0]
    inside = bool(not here > level)
    return _to_wall(surface, place, way, level, inside, most) + _to_wall(surface, place, -way, level, inside, most)


@dataclass(frozen=True, slots=True, kw_only=True)
class Circle:
    """A circle fitted to a wall. ``rough`` is the largest distance of a place of the wall from it. mm."""

    x: float
    y: float
    diameter: float
    rough: float
    hole: bool


def diameter(surface: Surface, about: tuple[float, float], level: float, most: float = 500.0) -> Circle | None:
    """The hole (or boss) about a point at a height: the circle with the least squares of distance. None: no closed wall."""
    place = np.array(about, dtype=np.float64)
    hole = bool(not surface.heights(place[None, :])[0] > level)
    points = []
    for k in range(_RAYS):
        angle = math.tau * k / _RAYS
        way = np.array([math.cos(angle), math.sin(angle)])
        reach = _to_wall(surface, place, way, level, hole, most)
        if math.isnan(reach):
            return None
        points.append(place + reach * way)
        most = min(most, max(reach * 3.0, surface.cell * 40.0))
    return _fit(np.array(points), hole)


def _fit(points: Floats, hole: bool) -> Circle:
    """Algebraic fit for a start, then Gauss and Newton on the distances."""
    a = np.column_stack([2.0 * points, np.ones(len(points))])
    cx, cy, rest = np.linalg.lstsq(a, (points**2).sum(axis=1), rcond=None)[0]
    r = math.sqrt(max(rest + cx * cx + cy * cy, 0.0))
    for _ in range(20):
        off = points - (cx, cy)
        d = np.hypot(off[:, 0], off[:, 1])
        away = np.column_stack([-off / np.maximum(d, 1e-12)[:, None], -np.ones(len(d))])
        change = np.linalg.lstsq(away, -(d - r), rcond=None)[0]
        cx, cy, r = cx + change[0], cy + change[1], r + change[2]
        if np.abs(change).max() < 1e-10:
            break
    d = np.hypot(points[:, 0] - cx, points[:, 1] - cy)
    return Circle(x=float(cx), y=float(cy), diameter=float(2.0 * r), rough=float(np.abs(d - r).max()), hole=hole)


_WALL_CELLS, _SQUARE = 12.0, 0.06
"""How many cells of a wall are looked at for its direction, and the sine up to which it counts as square."""

_STEP_MM = 0.3
"""A difference in height that is a wall and no slope, when one is looked for about a place."""


def level_about(surface: Surface, at: tuple[float, float], most: float = 500.0) -> float | None:
    """A height halfway up the nearest walls about a place, or down them from a boss; None where there is no wall.

    Of sixteen directions the nearer half counts: a slot's far ends, or what lies beyond a gap, do not.
    """
    place = np.array(at, dtype=np.float64)
    floor = min((f.grid.frame.z for f in surface.fields), default=0.0) - surface.zero.z
    found: list[tuple[float, float]] = []
    for k in range(16):
        angle = math.tau * k / 16
        reach = np.arange(0.0, most, surface.cell / 2.0)
        z = np.nan_to_num(surface.heights(place + reach[:, None] * (math.cos(angle), math.sin(angle))), nan=floor)
        # A wall is a step from one cell to the next; what rises more slowly is a slope.
        jump = np.flatnonzero(np.abs(np.diff(z)) > max(_STEP_MM, 1.2 * surface.cell))
        if len(jump):
            n = int(jump[0])
            # Two cells on, so that a wall cut across a cell counts whole.
            found.append((float(reach[n]), 0.5 * float(z[n] + z[min(n + 4, len(z) - 1)])))
    if not found:
        return None
    found.sort()
    return float(np.median([level for _reach, level in found[: (len(found) + 1) // 2]]))


def round_at(surface: Surface, at: tuple[float, float]) -> tuple[Circle, float] | None:
    """The hole or boss about a place, and the height at which it was measured; None where the wall around it is not round."""
    level = level_about(surface, at)
    circle = diameter(surface, at, level) if level is not None else None
    if circle is None or level is None or circle.rough > max(2.0 * surface.cell, 0.02 * circle.diameter):
        return None
    return circle, level


@dataclass(frozen=True, slots=True, kw_only=True)
class Across:
    """From wall to wall at a height: ``start`` and ``end`` in plan, mm. ``slot``: open between them, else a rib."""

    width: float
    start: tuple[float, float]
    end: tuple[float, float]
    level: float
    slot: bool


def across_at(surface: Surface, at: tuple[float, float]) -> Across | None:
    """The shortest way through a place, to a degree, that stands square on walls on both sides; None where there is none.

    Through a corner there are shorter ways, but from one wall to another that it is not parallel to.
    """
    level = level_about(surface, at)
    if level is None:
        return None
    place = np.array(at, dtype=np.float64)
    slot = bool(not surface.heights(place[None, :])[0] > level)
    ways = np.array([(math.cos(math.radians(k)), math.sin(math.radians(k))) for k in range(360)])
    reach = np.array([_reach(surface, place, way, level, slot) for way in ways])
    ends = place + reach[:, None] * ways
    off = np.full(360, np.inf)
    for k in np.flatnonzero(~np.isnan(reach)).tolist():
        # The wall's own way, from places far enough apart that a cell does not matter.
        apart = int(np.clip(math.degrees(_WALL_CELLS * surface.cell / max(reach[k], 1e-9)), 2, 25))
        wall = ends[(k + apart) % 360] - ends[(k - apart) % 360]
        off[k] = abs(float(wall @ ways[k])) / max(float(np.hypot(*wall)), 1e-9)
    worse = np.maximum(off[:180], off[180:])
    widths = np.where(worse <= _SQUARE, reach[:180] + reach[180:], np.nan)
    if np.isnan(widths).all():
        return None
    # Of degrees that are as good as each other the one that stands squarest.
    best = np.flatnonzero(widths <= float(np.nanmin(widths)) + surface.cell / 2.0)
    k = int(best[np.argmin(worse[best])])
    a, b = ends[k + 180], ends[k]
    return Across(
        width=float(widths[k]), start=(float(a[0]), float(a[1])), end=(float(b[0]), float(b[1])), level=level, slot=slot
    )


def _reach(surface: Surface, place: Floats, way: Floats, level: float, inside: bool) -> float:
    """Distance to the wall, looked for near by first."""
    for most in (12.0, 60.0, 300.0):
        found = _to_wall(surface, place, way, level, inside, most)
        if not math.isnan(found):
            return found
    return math.nan
