"""A compensated stretch as level runs, and its elements as points: what the rules and the lens look at.

Glossary (contour, lead, entry: see ``control.stretch``)
    run       elements of one stretch that follow each other at one height
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any, TypeAlias

import numpy as np
import shapely
from numpy.typing import NDArray

from underglass.core.control.arcs import chords
from underglass.core.control.motions import Motions
from underglass.core.control.stretch import Stretch
from underglass.core.tolerances import TOLERANCES

LEVEL_MM = 0.005
"""Two heights nearer than this are one: the register tolerance of a length is ten times as much."""

RING = 96
"""Chords of a quarter circle: at 20 mm radius less than a micrometre from the arc."""

Region: TypeAlias = Any
"""A region of the plane; shapely ships no types."""
Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True, kw_only=True)
class LevelRun:
    """Rows ``first`` to ``last`` (inclusive) of a stretch at height ``z``, and whether the tool leaves after them."""

    first: int
    last: int
    z: float
    leaves: bool


def level_runs(stretch: Stretch, motions: Motions) -> list[LevelRun]:
    """The level runs of a stretch."""
    level = np.abs(stretch.height[:, 1] - stretch.height[:, 0]) <= LEVEL_MM
    out: list[LevelRun] = []
    n = len(stretch)
    i = 0
    while i < n:
        z, j = float(stretch.height[i, 1]), i
        while j + 1 < n and level[j + 1] and abs(float(stretch.height[j + 1, 0]) - z) <= LEVEL_MM:
            j += 1
        if level[i] or j > i:
            after = float(stretch.height[j + 1, 0]) if j + 1 < n else math.nan
            # At the end of the stretch the tool leaves with the G40 move; before it, where it rises.
            out.append(LevelRun(first=i, last=j, z=z, leaves=j + 1 == n or after > z + LEVEL_MM))
        i = j + 1
    return out


def element_points(stretch: Stretch, row: int) -> Floats:
    """An element's way as points, arcs in chords within the tolerance. ``(k, 2)``."""
    a, b, sweep = stretch.start[row], stretch.end[row], float(stretch.sweep[row])
    if sweep == 0.0:
        return np.array([a, b])
    centre = stretch.centre[row]
    return arc_points(a, b, centre, sweep)


def arc_points(a: Floats, b: Floats, centre: Floats, sweep: float) -> Floats:
    """An arc from a to b as points, chords within the tolerance. ``(k, 2)``."""
    r = float(np.hypot(*(a - centre)))
    count = chords(r, sweep, 0.1 * TOLERANCES.chord_mm)
    angle = math.atan2(a[1] - centre[1], a[0] - centre[0]) + np.linspace(0.0, sweep, count + 1)
    out = centre + r * np.column_stack([np.cos(angle), np.sin(angle)])
    out[0], out[-1] = a, b
    return out


def area_of(region: Region) -> Region:
    """Only what has an area of a region that may cross or touch itself."""
    parts = [
        part for part in shapely.get_parts(shapely.make_valid(region)) if part.geom_type in ("Polygon", "MultiPolygon")
    ]
    return shapely.union_all(parts) if parts else shapely.Polygon()
