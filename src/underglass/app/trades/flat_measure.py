"""Measuring a sheet in the glass: holes, webs between cuts, distances and angles, areas; and the figures at the cursor."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from typing import NamedTuple

import numpy as np
import shapely

from underglass.app.glass.skin import Dimension, Places
from underglass.core.removal.sheet.history import Region
from underglass.core.units import MM_PER_INCH, Unit, show_length

_FAR_MM = 1e4
_WINDOWS_MM = (12.0, 40.0, 150.0)
"""So far round a click is looked first: a nest has a hundred thousand edges, and the one that is meant is mostly close by."""


class Sheeted(NamedTuple):
    """What is left of a sheet at a moment: of a line or an area, and all of it."""

    left_of: Callable[[Region], Region]
    whole: Callable[[], Region]
    bounds: tuple[float, float, float, float]


def of_region(region: Region) -> Sheeted:
    """A region that is known whole."""
    return Sheeted(lambda shape: shapely.intersection(shape, region), lambda: region, region.bounds)


def _windows(sheet: Sheeted, at: Region) -> Iterator[tuple[float, Region]]:
    """(how far round the place, what is metal there), wider and wider, at last everything."""
    for room in _WINDOWS_MM:
        yield room, sheet.left_of(shapely.box(at.x - room, at.y - room, at.x + room, at.y + room))
    yield math.inf, sheet.whole()


def _area(mm2: float, unit: Unit) -> str:
    return f"{mm2 / MM_PER_INCH**2:.3f} in\u00b2" if unit == "inch" else f"{mm2 / 100.0:.2f} cm\u00b2"


def measured(mode: str, one: Places, two: Places, sheet: Sheeted, unit: Unit) -> tuple[str, float | None]:
    """What clicks come to, in words, and the one figure of it, mm."""

    def said(mm: float) -> str:
        return show_length(mm, unit)

    a, b = shapely.Point(one[:2]), shapely.Point(two[:2])
    if mode == "point":
        metal = not sheet.left_of(a).is_empty
        return f"X {said(float(one[0]))}  Y {said(float(one[1]))}\n{'metal' if metal else 'cut away'}", None
    if mode in ("distance", "profile"):
        dx, dy = float(two[0] - one[0]), float(two[1] - one[1])
        far = math.hypot(dx, dy)
        angle = math.degrees(math.atan2(dy, dx))
        words = f"{said(far)} {unit}\ndX {said(dx)}  dY {said(dy)}\n{angle:.3f}\u00b0 from X"
        if mode == "profile" and far > 0.0:
            words += f"\n{said(float(sheet.left_of(shapely.LineString([a, b])).length))} of it metal"
        return words, far
    if mode == "round":
        hole = _hole(sheet, a)
        if hole is None:
            part = next((p for p in shapely.get_parts(sheet.whole()) if shapely.intersects(p, a)), None)
            if part is None:
                return "Nothing closed about this place", None
            return f"a piece of {_area(float(part.area), unit)}", None
        round_ = 2.0 * math.sqrt(hole.area / math.pi)
        places = shapely.get_coordinates(hole.exterior)
        away = np.hypot(*(places - np.array(hole.centroid.coords[0])).T)
        if float(np.ptp(away)) < 0.02 * round_:
            x, y = hole.centroid.coords[0]
            diameter = float(away.max() + away.min())
            return (
                f"\u00d8 {said(diameter)} {unit}, hole\ncentre X {said(x)}  Y {said(y)}\ntrue within {said(float(np.ptp(away)))}",
                diameter,
            )
        return f"an opening of {_area(float(hole.area), unit)}", None
    wide = _web(sheet, a)
    if wide is None:
        return "No two edges about this place", None
    length, metal = wide
    return f"{said(length)} {unit} across, {'web' if metal else 'gap'}", length


def _hole(sheet: Sheeted, at: Region) -> Region | None:
    """What the sheet has been cut out by about a place, where metal is all round it; what came loose in it may lie there still."""
    for _room, region in _windows(sheet, at):
        for part in shapely.get_parts(region):
            for k in range(shapely.get_num_interior_rings(part)):
                # A ring that lies whole in a window is the sheet's own.
                ring = shapely.Polygon(shapely.get_interior_ring(part, k))
                if shapely.intersects(ring, at):
                    return ring
    return None


def _web(sheet: Sheeted, at: Region) -> tuple[float, bool] | None:
    """(the least width across a place, whether it is metal)."""
    metal = not sheet.left_of(at).is_empty
    for room, region in _windows(sheet, at):
        best = math.inf
        far = min(room, _FAR_MM)
        for k in range(36):
            a = math.pi * k / 36.0
            dx, dy = far * math.cos(a), far * math.sin(a)
            line = shapely.LineString([(at.x - dx, at.y - dy), (at.x + dx, at.y + dy)])
            inside = shapely.intersection(line, region) if metal else shapely.difference(line, region)
            for part in shapely.get_parts(inside):
                if part.distance(at) < 1e-6 and part.length < _FAR_MM / 2.0:
                    best = min(best, float(part.length))
        # What ends within the window ends at an edge, not at the window.
        if best < room:
            return best, metal
    return (best, metal) if math.isfinite(best) else None


def dimensions(place: Places, sheet: Sheeted, unit: Unit) -> tuple[Dimension, ...]:
    """Along X and along Y from edge to edge, and the place itself, as a drawing has them."""
    x, y = float(place[0]), float(place[1])
    at = shapely.Point(x, y)
    metal = not sheet.left_of(at).is_empty
    x0, y0, x1, y1 = sheet.bounds
    if not (x0 - 1.0 <= x <= x1 + 1.0 and y0 - 1.0 <= y <= y1 + 1.0):
        return ()
    out = []
    for ends in ([(x0 - 1.0, y), (x1 + 1.0, y)], [(x, y0 - 1.0), (x, y1 + 1.0)]):
        line = shapely.LineString(ends)
        left = sheet.left_of(line)
        for part in shapely.get_parts(left if metal else shapely.difference(line, left)):
            if part.distance(at) < 1e-6 and part.length > 0.01:
                where = np.column_stack([shapely.get_coordinates(part), np.full(2, 0.2)])
                out.append(Dimension((where,), show_length(float(part.length), unit), where.mean(axis=0)))
    out.append(
        Dimension((), f"X {show_length(x, unit)}  Y {show_length(y, unit)}", np.array([x, y - (y1 - y0) * 0.06, 0.2]))
    )
    return tuple(out)
