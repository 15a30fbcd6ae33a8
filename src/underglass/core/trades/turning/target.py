"""The finished turned part against the wanted profile.

Glossary
    wanted   the half section that is to come out, X as a radius and Z from the true zero, mm
    lacks    of the wanted section what is not there: cut too deep
    spare    what stands beside it, from its back end forward: behind that is bar for the next one
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import shapely

from underglass.core.proof.job import Job
from underglass.core.removal.section.history import SectionHistory
from underglass.core.removal.section.shape import Floats, Shape, clean

_STEP_MM = 0.25
"""How far apart places of an edge are looked at."""
_FAR_MM = 1e4
_SPECK_MM = 1e-4


class Off(NamedTuple):
    """Where the part is farthest off: how far, square to the wanted outline, mm; the place (radius, Z); the area of the section that is off, mm2."""

    depth: float
    x: float
    z: float
    area: float


def wanted_section(job: Job) -> Shape | None:
    """The wanted section; None where the job names none. Outlines that lie in one another are holes."""
    rings = job.settings.profile
    if not rings:
        return None
    out: Shape = shapely.Polygon()
    for ring in rings:
        out = shapely.symmetric_difference(out, shapely.make_valid(shapely.Polygon(ring)))
    return clean(out)


def finished(history: SectionHistory, wanted: Shape) -> Shape:
    """What there is of the part in the end, parted off or not, from the wanted section's back end forward."""
    _x0, z0, _x1, _z1 = wanted.bounds
    return clean(shapely.intersection(history.with_pieces(), shapely.box(-1.0, z0, _FAR_MM, _FAR_MM)))


def against(history: SectionHistory, wanted: Shape, within: float) -> tuple[Off | None, Off | None]:
    """(cut too deep, left standing) where either is more than ``within``, mm on the radius or along Z."""
    there = finished(history, wanted)
    back = float(wanted.bounds[1])
    return (
        _worst(shapely.difference(wanted, there), wanted.boundary, within, back),
        _worst(shapely.difference(there, wanted), wanted.boundary, within, back),
    )


def _worst(region: Shape, outline: Shape, within: float, back: float) -> Off | None:
    best: Off | None = None
    area = 0.0
    for part in shapely.get_parts(region):
        if shapely.get_type_id(part) != 3 or part.area < _SPECK_MM**2:
            continue
        places = shapely.get_coordinates(shapely.segmentize(part.exterior, _STEP_MM))
        # Where the part is cut off from the bar nothing was wanted of it.
        places = places[(places[:, 1] > back + _SPECK_MM) & (places[:, 0] > _SPECK_MM)]
        if not len(places):
            continue
        far = shapely.distance(shapely.points(places), outline)
        # Of all that is as far off, what lies in the middle: at an end another cut may have been.
        most = np.flatnonzero(far >= far.max() - _SPECK_MM)
        k = int(most[len(most) // 2])
        if far[k] > within:
            area += float(part.area)
            if best is None or far[k] > best.depth:
                best = Off(float(far[k]), float(places[k, 0]), float(places[k, 1]), 0.0)
    return best._replace(area=area) if best is not None else None


def how_far(wanted: Shape, places: Floats) -> Floats:
    """Of places ``(n, 2)`` of a section: how far outside the wanted outline (minus: inside), mm."""
    points = shapely.points(places)
    far: Floats = shapely.distance(points, wanted.boundary)
    return np.where(shapely.contains(wanted, points), -far, far)
