"""Measuring a turned part in the glass, and the dimensions that stand where the cursor is. X and Y of a place are across the axis."""

from __future__ import annotations

import math

import numpy as np
import shapely

from underglass.app.glass.skin import Dimension, Places
from underglass.core.control.motions import Motions
from underglass.core.removal.section.history import SectionHistory
from underglass.core.removal.section.shape import Shape
from underglass.core.removal.section.state import Section
from underglass.core.units import Unit, show_length

_NEAR_MM = 0.002
_STEPS_A_LEAD = 24


def measured(
    mode: str, one: Places, two: Places, section: Section | None, history: SectionHistory | None, motions: Motions, done: int, unit: Unit
) -> tuple[str, float | None]:  # fmt: skip
    """What clicks on surfaces come to, in words, and the one figure of it, mm. ``done``: so many moves have been made."""
    z, r = float(one[0]), math.hypot(one[1], one[2])
    z1, r1 = float(two[0]), math.hypot(two[1], two[2])

    def said(mm: float) -> str:
        return show_length(mm, unit)

    if mode == "distance":
        words = f"{said(math.hypot(z1 - z, r1 - r))} {unit}\ndZ {said(z1 - z)}  d diameter {said(2.0 * (r1 - r))}"
        return words, math.hypot(z1 - z, r1 - r)
    if mode == "profile":
        if abs(z1 - z) < 1e-6:
            return f"A face at Z {said(z)}", None
        slope = (r1 - r) / (z1 - z)
        angle = math.degrees(math.atan(slope))
        ratio = f", 1 : {abs(1.0 / (2.0 * slope)):.3f}" if abs(slope) > 1e-6 else ""
        return (
            f"Taper {abs(angle):.3f}\u00b0 a side{ratio}\nfrom \u00d8 {said(2.0 * r)} to \u00d8 {said(2.0 * r1)}",
            None,
        )
    rings = section.rings_at(z) if section is not None else []
    if mode == "round" and rings and section is not None:
        ring = min(rings, key=lambda pair: min(abs(pair[0] / 2.0 - r), abs(pair[1] / 2.0 - r)))
        outside = abs(ring[0] / 2.0 - r) <= abs(ring[1] / 2.0 - r)
        value = ring[0] if outside else ring[1]
        wall = f"\nwall {said((ring[0] - ring[1]) / 2.0)}" if ring[1] > 0.0 else ""
        words = f"\u00d8 {said(value)} {unit}, {'outside' if outside else 'bore'}\nat Z {said(z)}{wall}"
        thread = _thread(section, history, motions, z, r, outside, done, unit)
        return (f"{words}\n{thread[0]}", thread[1]) if thread is not None else (words, value)
    if mode == "across" and section is not None:
        return _across(section.shape, r, z, unit)
    return f"diameter {said(2.0 * r)}  Z {said(z)}", 2.0 * r


def _thread(
    section: Section, history: SectionHistory | None, motions: Motions, z: float, r: float, outside: bool, done: int, unit: Unit
) -> tuple[str, float] | None:  # fmt: skip
    """(crest, core and lead in words, the crest's diameter) where the surface is a thread's; None where it is none."""
    if history is None:
        return None
    edge = section.shape.boundary.interpolate(section.shape.boundary.project(shapely.Point(r, z)))
    move = int(history.owners(np.array([[edge.x, edge.y - section.shift]]), done)[0])
    station = motions.state_of(move).station if move >= 0 else None
    if station is None or station.lead <= 0.0:
        return None
    lead = station.lead
    found = []
    for k in range(-_STEPS_A_LEAD, _STEPS_A_LEAD + 1):
        for pair in section.rings_at(z + k * lead / _STEPS_A_LEAD):
            value = pair[0] if outside else pair[1]
            if value > 0.0 and abs(value / 2.0 - r) < lead:
                found.append(value)
    if not found:
        return None
    crest, core = (max(found), min(found)) if outside else (min(found), max(found))
    deep = abs(crest - core) / 2.0
    said = f"thread: crest \u00d8 {show_length(crest, unit)}, {'core' if outside else 'root'} \u00d8 {show_length(core, unit)}"
    return f"{said}\ndepth {show_length(deep, unit)}, lead {show_length(lead, unit)}", crest


def _across(shape: Shape, r: float, z: float, unit: Unit) -> tuple[str, float | None]:
    """Along Z at a radius: how wide the groove (a little above the surface) or the land there is."""
    wide, groove, _low, _high = _walls(shape, r, z)
    if wide <= 0.0:
        return "No two walls about this place", None
    return f"{show_length(wide, unit)} {unit} along Z, {'groove' if groove else 'land'}", wide


def _walls(shape: Shape, r: float, z: float) -> tuple[float, bool, float, float]:
    """(how wide, whether it is a groove, from Z, to Z) of what lies between walls at a radius; 0 wide: no walls."""
    _x0, z0, _x1, z1 = shape.bounds
    best: tuple[float, bool, float, float] = (0.0, False, z, z)
    # The floor's corners are rounded: the walls stand farthest apart a little above them.
    for above in (0.02, 0.25, 0.5):
        line = shapely.LineString([(r + above, z0 - 1.0), (r + above, z1 + 1.0)])
        here = shapely.Point(r + above, z)
        for found in shapely.get_parts(shapely.difference(line, shape)):
            low, high = float(found.bounds[1]), float(found.bounds[3])
            if found.distance(here) < 1e-3 and low >= z0 and high <= z1:
                best = max(best, (high - low, True, low, high))
    if not best[1]:
        line = shapely.LineString([(r - 0.02, z0 - 1.0), (r - 0.02, z1 + 1.0)])
        for found in shapely.get_parts(shapely.intersection(shape, line)):
            if found.distance(shapely.Point(r - 0.02, z)) < 1e-3:
                low, high = float(found.bounds[1]), float(found.bounds[3])
                best = max(best, (high - low, False, low, high))
    return best


def dimensions(place: Places, section: Section | None, unit: Unit) -> tuple[Dimension, ...]:
    """Diameter, the length of the land or groove, and the way from the part's zero, at a place of the plane of the tools, as a drawing has them."""
    if section is None or section.shape.is_empty:
        return ()
    z, x = float(place[0]), float(place[2])
    rings = section.rings_at(z)
    if not rings:
        return ()
    walls = sorted({edge / 2.0 for pair in rings for edge in pair if edge > 0.0})
    r = min(walls, key=lambda one: abs(one - abs(x)))
    top = float(section.shape.bounds[2])

    def line(*places: tuple[float, float]) -> Places:
        return np.array([(b, 0.0, a) for a, b in places])

    out = [Dimension((line((-r, z), (r, z)),), f"\u00d8 {show_length(2.0 * r, unit)}", line((0.0, z))[0])]
    _x0, z0, _x1, z1 = section.shape.bounds
    # The land at this radius: as far as the surface stays at it.
    edge = shapely.LineString([(r, z0 - 1.0), (r, z1 + 1.0)])
    flat = shapely.intersection(section.shape.boundary.buffer(_NEAR_MM), edge)
    for part in shapely.get_parts(flat):
        low, high = float(part.bounds[1]), float(part.bounds[3])
        if low - 1e-6 <= z <= high + 1e-6 and high - low > 0.05:
            low, high = low + _NEAR_MM if low > z0 else low, high - _NEAR_MM if high < z1 else high
            up = top * 1.12 + 2.0
            lines = (line((up, low), (up, high)), line((r, low), (up + 1.0, low)), line((r, high), (up + 1.0, high)))
            out.append(Dimension(lines, show_length(high - low, unit), line((up, (low + high) / 2.0))[0]))
            break
    down = -top * 1.12 - 2.0
    if abs(z) > 1e-6:
        lines = (line((down, 0.0), (down, z)), line((-r, z), (down - 1.0, z)), line((0.0, 0.0), (down - 1.0, 0.0)))
        out.append(Dimension(lines, f"Z {show_length(z, unit)}", line((down, z / 2.0))[0]))
    return tuple(out)
