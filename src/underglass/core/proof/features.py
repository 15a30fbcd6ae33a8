"""Sizes of a finished part by which causes are told apart: each the same question, asked of one proof after another.

Places are in part-zero coordinates, mm. A wall is looked for on the stock's own cells first and then under the loupe, to a hundredth.

Glossary
    feature   what was measured, and where; it can be asked of any proof of the same kind of part
    place     where the wall stands that is met first from a place, along an axis
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
import shapely

from underglass.core.proof.measure import Surface, across, diameter
from underglass.core.proof.proof import Proof
from underglass.core.removal.loupe import look_closer, window_around
from underglass.core.removal.section.history import SectionHistory
from underglass.core.removal.sheet.history import SheetHistory

What = Literal["height", "width", "diameter", "place", "turned", "bore"]
WHATS: dict[What, str] = {
    "height": "Height of a face",
    "width": "Width of a slot or a rib",
    "diameter": "Diameter of a hole or a boss",
    "place": "Where a wall stands",
    "turned": "Turned diameter",
    "bore": "Bored diameter",
}
_FINE_MM = 0.01
_REACH_CELLS = 4
_FARTHEST_MM = 400.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Feature:
    """``at`` x, y; ``z`` the height at which a wall is looked for (of a lathe where along Z); ``way_deg`` along which one measures."""

    what: What
    at: tuple[float, float] = (0.0, 0.0)
    z: float = 0.0
    way_deg: float = 0.0

    @property
    def words(self) -> str:
        """What and where, in few words."""
        x, y = self.at
        if self.what in ("turned", "bore"):
            return f"{WHATS[self.what].lower()} at Z {self.z:g}"
        where = f"X {x:g} Y {y:g}"
        return f"{WHATS[self.what].lower()} at {where}" + ("" if self.what == "height" else f" Z {self.z:g}")


def measured_in(proof: Proof, feature: Feature) -> float | None:
    """The feature's figure in a proof's finished part, mm; None where there is no such wall or face."""
    if feature.what in ("turned", "bore"):
        return _turned(proof, feature)
    sheets = [h for h in proof.histories if isinstance(h, SheetHistory)]
    if sheets:
        return _flat(sheets[0], feature)
    if not proof.stocks:
        return None
    surface = Surface(proof)
    if feature.what == "height":
        place = np.array(feature.at)
        fine = _closer(proof, surface, place)
        z = float((fine or surface).heights(place[None, :])[0])
        return None if math.isnan(z) else z
    if feature.what == "diameter":
        circle = diameter(surface, feature.at, feature.z)
        return circle.diameter if circle is not None else None
    angle = math.radians(feature.way_deg)
    way = np.array([math.cos(angle), math.sin(angle)])
    if feature.what == "place":
        reach = _wall(proof, surface, feature, way)
        return (
            None
            if reach is None
            else float(np.array(feature.at) @ np.abs(way) + reach * (1.0 if way.sum() > 0 else -1.0))
        )
    wide = across(surface, feature.at, feature.way_deg, feature.z)
    if math.isnan(wide):
        return None
    one, two = _wall(proof, surface, feature, way), _wall(proof, surface, feature, -way)
    return None if one is None or two is None else one + two


def _turned(proof: Proof, feature: Feature) -> float | None:
    """A diameter at a Z, of the piece that was parted off as well; the bore is the innermost that is not solid."""
    for history in proof.histories:
        if isinstance(history, SectionHistory):
            shape = history.with_pieces()
            line = shapely.LineString([(0.0, feature.z), (_FARTHEST_MM, feature.z)])
            met = shapely.intersection(shape, line)
            if met.is_empty:
                return None
            low, _z0, high, _z1 = met.bounds
            found = 2.0 * (high if feature.what == "turned" else low)
            return found if found > 1e-6 else None
    return None


def _wall(proof: Proof, surface: Surface, feature: Feature, way: np.ndarray) -> float | None:
    """From the place to the wall along a way, mm, to a hundredth."""
    at = np.array(feature.at)
    reach = np.arange(0.0, _FARTHEST_MM, surface.cell / 4.0)
    z = np.nan_to_num(surface.heights(at + reach[:, None] * way), nan=-math.inf)
    inside = bool(not z[0] > feature.z)
    crossed = np.flatnonzero((z > feature.z) == inside)
    if not len(crossed):
        return None
    near = float(reach[int(crossed[0])])
    fine = _closer(proof, surface, at + near * way)
    if fine is None:
        return near
    room = _REACH_CELLS * surface.cell * 0.9
    steps = np.arange(near - room, near + room, fine.cell / 2.0)
    steps = steps[steps >= 0.0]
    fz = fine.heights(at + steps[:, None] * way)
    known = ~np.isnan(fz)
    hits = np.flatnonzero(known & ((np.nan_to_num(fz, nan=-math.inf) > feature.z) == inside))
    return float(steps[int(hits[0])]) if len(hits) else near


def _closer(proof: Proof, surface: Surface, place: np.ndarray) -> Surface | None:
    """The surface about a place on cells of a hundredth; None off every stock."""
    real = surface.zero.out(np.array([[place[0], place[1], 0.0]]))
    for solid, history in zip(proof.job.bench.stocks, proof.stocks):
        grid = history.grid
        local = grid.frame.into(real)[0]
        if not (-1.0 <= local[0] <= grid.nx * grid.cell + 1.0 and -1.0 <= local[1] <= grid.ny * grid.cell + 1.0):
            continue
        room = _REACH_CELLS * grid.cell
        window = window_around(grid, (local[0] - room, local[1] - room), (local[0] + room, local[1] + room))
        factor = max(2, min(40, round(grid.cell / _FINE_MM)))
        last = len(proof.motions) - 1
        if last < 0:
            return None
        return Surface.of(proof, [look_closer(history, solid, window, last, 1.0, factor).field])
    return None


def _flat(sheet: SheetHistory, feature: Feature) -> float | None:
    """In the plane: exact. The zero of a region is the part's."""
    region = sheet.final.region
    x, y = feature.at
    if feature.what == "diameter":
        rings = [shapely.Polygon(ring) for part in shapely.get_parts(region) for ring in shapely.get_rings(part)]
        about = [ring.area for ring in rings if ring.contains(shapely.Point(x, y))]
        return float(2.0 * math.sqrt(min(about) / math.pi)) if about else None
    if feature.what not in ("width", "place"):
        return None
    angle = math.radians(feature.way_deg)
    way = (math.cos(angle), math.sin(angle))
    one = _flat_wall(region, (x, y), way)
    if one is None:
        return None
    if feature.what == "place":
        return x * abs(way[0]) + y * abs(way[1]) + one * (1.0 if sum(way) > 0 else -1.0)
    two = _flat_wall(region, (x, y), (-way[0], -way[1]))
    return None if two is None else one + two


def _flat_wall(region: shapely.Geometry, at: tuple[float, float], way: tuple[float, float]) -> float | None:
    ray = shapely.LineString([at, (at[0] + _FARTHEST_MM * way[0], at[1] + _FARTHEST_MM * way[1])])
    met = shapely.intersection(shapely.boundary(region), ray)
    if met.is_empty:
        return None
    return float(shapely.distance(shapely.Point(at), met))
