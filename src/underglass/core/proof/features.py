"""Sizes of a finished part by which causes are told apart: each the same question, asked of one proof after another.

Places are in part-zero coordinates, mm. A wall is looked for on the stock's own cells first and then under the loupe, to a hundredth.

Glossary
    feature   what was measured, and where; it can be asked of any proof of the same kind of part
    place     where the wall stands that is met first from a place, along an axis
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
import shapely

from underglass.core.proof.measure import Surface, across, diameter
from underglass.core.proof.proof import Proof
from underglass.core.removal.loupe import look_closer, window_around
from underglass.core.removal.section.history import SectionHistory
from underglass.core.removal.sheet.history import SheetHistory

What = Literal[
    "height", "step", "width", "diameter", "place", "distance", "angle", "turned", "bore", "face", "taper", "middle"
]
WHATS: dict[What, str] = {
    "height": "Height of a face",
    "step": "Step between two faces",
    "width": "Width of a slot or a rib",
    "diameter": "Diameter of a hole or a boss",
    "place": "Where a wall stands",
    "distance": "Distance of two holes",
    "angle": "Angle of a wall",
    "turned": "Turned diameter",
    "bore": "Bored diameter",
    "face": "Where a turned face stands",
    "taper": "Taper between two heights",
}
NEVER_ASKED: dict[What, str] = {"middle": "Middle of all that is cut"}
TURNED: frozenset[What] = frozenset({"turned", "bore", "face"})
"""Sizes of a lathe's part: they have no place in X and Y."""
TWO_PLACES: frozenset[What] = frozenset({"step", "distance", "angle"})
_FINE_MM = 0.01
_REACH_CELLS = 4
_FARTHEST_MM = 400.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Feature:
    """``at`` x, y; ``z`` the height at which a wall is looked for (of a lathe where along Z); ``way_deg`` along which one measures.

    ``to``: the second place of a step (to it from ``at``, upwards plus), a distance of two holes' middles, or a wall's angle (of the line through
    what is met from both places, degrees counter-clockwise from X). A turned face is met on the diameter ``at[0]`` from ``z`` on, towards
    the chuck, or where the way is 0 degrees, away from it. A taper is how much farther a wall stands at ``z`` than at ``to[0]``, or how much
    larger a turned diameter is there.
    """

    what: What
    at: tuple[float, float] = (0.0, 0.0)
    z: float = 0.0
    way_deg: float = 0.0
    to: tuple[float, float] = (0.0, 0.0)

    @property
    def words(self) -> str:
        """What and where, in few words."""
        x, y = self.at
        if self.what == "middle":
            return f"{NEVER_ASKED[self.what].lower()}, {'Y' if self.way_deg else 'X'}"
        if self.what == "taper":
            return f"{WHATS[self.what].lower()}, Z {self.z:g} and {self.to[0]:g}"
        if self.what == "face":
            return f"{WHATS[self.what].lower()} on diameter {x:g}, from Z {self.z:g}"
        if self.what in TURNED:
            return f"{WHATS[self.what].lower()} at Z {self.z:g}"
        where = f"X {x:g} Y {y:g}"
        if self.what in TWO_PLACES:
            return f"{WHATS[self.what].lower()} from {where} to X {self.to[0]:g} Y {self.to[1]:g}"
        return f"{WHATS[self.what].lower()} at {where}" + ("" if self.what == "height" else f" Z {self.z:g}")


def measured_in(proof: Proof, feature: Feature) -> float | None:
    """The feature's figure in a proof's finished part, mm; None where there is no such wall or face."""
    if feature.what in TURNED:
        return _face(proof, feature) if feature.what == "face" else _turned(proof, feature)
    if feature.what == "middle":
        return _middle_of_cuts(proof, feature)
    if feature.what == "taper":
        lathe = any(isinstance(h, SectionHistory) for h in proof.histories)
        wall = replace(feature, what="turned" if lathe else "place")
        first, last = measured_in(proof, wall), measured_in(proof, replace(wall, z=feature.to[0]))
        return None if first is None or last is None else first - last
    if feature.what == "step":
        below, above = (measured_in(proof, replace(feature, what="height", at=p)) for p in (feature.at, feature.to))
        return None if below is None or above is None else above - below
    if feature.what == "angle":
        here, there = (measured_in(proof, replace(feature, what="place", at=p)) for p in (feature.at, feature.to))
        if here is None or there is None:
            return None
        # Along the way both have come so far; across it they stand where the looks were begun.
        turn = math.radians(feature.way_deg)
        c, s = math.cos(turn), math.sin(turn)
        along = (there - here) * (1.0 if c + s > 0.0 else -1.0)
        off = (feature.to[1] - feature.at[1]) * c - (feature.to[0] - feature.at[0]) * s
        found = math.degrees(math.atan2(along * s + off * c, along * c - off * s))
        return (found + 90.0) % 180.0 - 90.0
    sheets = [h for h in proof.histories if isinstance(h, SheetHistory)]
    if sheets:
        return _flat(sheets[0], feature)
    if not proof.stocks:
        return None
    surface = Surface(proof)
    if feature.what == "height":
        place = np.array(feature.at)
        fine = _closer(proof, surface, place, np.zeros(2))
        z = float((fine or surface).heights(place[None, :])[0])
        return None if math.isnan(z) else z
    if feature.what == "diameter":
        circle = diameter(surface, feature.at, feature.z)
        return circle.diameter if circle is not None else None
    if feature.what == "distance":
        one, two = (diameter(surface, p, feature.z) for p in (feature.at, feature.to))
        return None if one is None or two is None else math.hypot(two.x - one.x, two.y - one.y)
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
    ahead, behind = _wall(proof, surface, feature, way), _wall(proof, surface, feature, -way)
    return None if ahead is None or behind is None else ahead + behind


def _middle_of_cuts(proof: Proof, feature: Feature) -> float | None:
    """The mean of where feeds end, seen from the block, along X or Y (of a lathe, along Z)."""
    motions = proof.motions
    cuts = ~motions.rapid() & (motions.dwell == 0.0)
    if not cuts.any():
        return None
    stocks = proof.job.bench.stocks
    frame = stocks[0].frame if stocks else proof.job.bench.part_zero
    ends = frame.into(motions.end[cuts])
    along = 2 if any(isinstance(h, SectionHistory) for h in proof.histories) else int(feature.way_deg == 90.0)
    return float(ends[:, along].mean())


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


def _face(proof: Proof, feature: Feature) -> float | None:
    """Z of the first face that is met on a diameter, mm: from the air into the metal, or out of it."""
    for history in proof.histories:
        if isinstance(history, SectionHistory):
            far = feature.z + (_FARTHEST_MM if math.cos(math.radians(feature.way_deg)) > 0.5 else -_FARTHEST_MM)
            ray = shapely.LineString([(feature.at[0] / 2.0, feature.z), (feature.at[0] / 2.0, far)])
            met = shapely.intersection(shapely.boundary(history.with_pieces()), ray)
            if met.is_empty:
                return None
            z = shapely.get_coordinates(met)[:, 1]
            return float(z[np.argmin(np.abs(z - feature.z))])
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
    fine = _closer(proof, surface, at + near * way, way)
    if fine is None:
        return near
    room = _REACH_CELLS * surface.cell * 0.9
    steps = np.arange(near - room, near + room, fine.cell / 2.0)
    steps = steps[steps >= 0.0]
    fz = fine.heights(at + steps[:, None] * way)
    # Off the stock is air.
    hits = np.flatnonzero((np.nan_to_num(fz, nan=-math.inf) > feature.z) == inside)
    return float(steps[int(hits[0])]) if len(hits) else near


def _closer(proof: Proof, surface: Surface, place: np.ndarray, way: np.ndarray) -> Surface | None:
    """The surface about a place, some cells along a way and one across it, on cells of a hundredth; None off every stock."""
    real = surface.zero.out(np.array([[place[0], place[1], 0.0]]))
    for solid, history in zip(proof.job.bench.stocks, proof.stocks):
        grid = history.grid
        local = grid.frame.into(real)[0]
        if not (-1.0 <= local[0] <= grid.nx * grid.cell + 1.0 and -1.0 <= local[1] <= grid.ny * grid.cell + 1.0):
            continue
        # The way as the field lies: its frame may be turned on the table.
        turn = surface.zero.turn_rad - grid.frame.turn_rad
        c, s = math.cos(turn), math.sin(turn)
        x, y = (grid.cell * (_REACH_CELLS * abs(v) + 0.5) for v in (way[0] * c - way[1] * s, way[0] * s + way[1] * c))
        window = window_around(grid, (local[0] - x, local[1] - y), (local[0] + x, local[1] + y))
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
        ring = _ring_about(region, feature.at)
        return None if ring is None else float(2.0 * math.sqrt(ring.area / math.pi))
    if feature.what == "distance":
        a, b = (_middle(region, p) for p in (feature.at, feature.to))
        return None if a is None or b is None else math.dist(a, b)
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


def _ring_about(region: shapely.Geometry, at: tuple[float, float]) -> shapely.Polygon | None:
    """The smallest edge that goes round a place."""
    rings = [shapely.Polygon(ring) for part in shapely.get_parts(region) for ring in shapely.get_rings(part)]
    return min((ring for ring in rings if ring.contains(shapely.Point(at))), key=lambda ring: ring.area, default=None)


def _middle(region: shapely.Geometry, at: tuple[float, float]) -> tuple[float, float] | None:
    ring = _ring_about(region, at)
    return None if ring is None else (float(ring.centroid.x), float(ring.centroid.y))


def _flat_wall(region: shapely.Geometry, at: tuple[float, float], way: tuple[float, float]) -> float | None:
    ray = shapely.LineString([at, (at[0] + _FARTHEST_MM * way[0], at[1] + _FARTHEST_MM * way[1])])
    met = shapely.intersection(shapely.boundary(region), ray)
    if met.is_empty:
        return None
    return float(shapely.distance(shapely.Point(at), met))
