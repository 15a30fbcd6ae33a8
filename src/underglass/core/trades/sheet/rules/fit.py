"""Whether everything fits: kerfs, leads and pierces on the sheet, the head clear of what lies on the table.

Codes: off-sheet, tool-into-fixture.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator
from functools import lru_cache
from typing import NamedTuple

import numpy as np
import shapely
import shapely.ops
from shapely import affinity

from underglass.core.bench.sheet import Sheet, quarter_steps
from underglass.core.finding import Finding, Severity
from underglass.core.proof.rule import rule
from underglass.core.proof.rules.context import Context
from underglass.core.removal.sheet.history import Region
from underglass.core.tolerances import TOLERANCES
from underglass.core.trades.sheet.cut import way_of
from underglass.core.trades.sheet.name import SHEET
from underglass.core.trades.sheet.rules.looked import Cut, Floats, at, inside, look, swept

_OFF_MM2 = 1e-4
_STEP_MM = 0.25


class Zero(NamedTuple):
    """A zero at which everything fits: by how much it is moved, mm, and how far the part is turned about it, degrees."""

    x: float
    y: float
    turned: int


@lru_cache(maxsize=32)
def _safe(region: Region, width: float) -> Region:
    """Where the middle of a kerf stays on the sheet."""
    safe = shapely.buffer(region, -width / 2.0 - 1e-6)
    shapely.prepare(safe)
    return safe


def kept_way(region: Region, way: Floats, width: float) -> Floats:
    """A cut's way without what runs in from beside the sheet and out again: an edge start or end is none of the sheet's affair."""
    if len(way) < 2:
        return way
    line = shapely.LineString(way)
    begin, end = 0.0, float(line.length)
    safe = _safe(region, width)
    if shapely.contains(safe, line):
        return way
    inner = shapely.intersection(line, safe)
    spans = sorted(_along(line, part) for part in shapely.get_parts(inner) if part.length > 0.0)
    first, last = (bool(shapely.intersects_xy(region, *way[k])) for k in (0, -1))
    if not first:
        begin = spans[0][0] if spans else end
    if not last:
        end = spans[-1][1] if spans else begin
    if end <= begin:
        return way[:0]
    if begin == 0.0 and end == line.length:
        return way
    return np.array(shapely.ops.substring(line, begin, end).coords)


def _along(line: Region, part: Region) -> tuple[float, float]:
    ends = [line.project(shapely.Point(part.coords[k])) for k in (0, -1)]
    return (min(ends), max(ends))


@rule({"off-sheet": Severity.FAULT}, SHEET)
def off_the_sheet(context: Context) -> Iterator[Finding]:
    """Cuts whose kerf leaves the sheet: one finding, at the first block that does it, with the zero that would fit."""
    seen = look(context)
    shapely.prepare(seen.region)
    taken: list[tuple[Cut, Region]] = []
    bad: tuple[Cut, Region] | None = None
    reach = 0.0
    count = 0
    for cut in seen.cuts:
        context.check()
        way = kept_way(seen.region, cut.way, cut.cutter.kerf)
        if not len(way):
            # In and out beside the sheet. That it never comes to the sheet at all is meant by nobody.
            if shapely.intersects(seen.region, swept(cut, cut.way)):
                continue
            way = cut.way
        whole = way is cut.way and seen.history is not None and cut.bite >= 0
        # What was cut of a sheet that it lies on whole is what its kerf takes, and its pierce.
        shape = seen.history.bites[cut.bite].shape if whole and seen.history is not None else swept(cut, way)
        if not whole and cut.cutter.pierce_diameter > cut.cutter.kerf and inside(seen, cut.way[0]):
            r = cut.cutter.pierce_diameter / 2.0
            shape = shapely.union(shape, shapely.buffer(shapely.Point(cut.way[0]), r, quad_segs=quarter_steps(r)))
        taken.append((cut, shape))
        if shapely.contains(seen.region, shape):
            continue
        outside = shapely.difference(shape, seen.region)
        if outside.area > _OFF_MM2:
            count += 1
            reach = max(reach, _how_far(outside, seen.region))
            bad = bad or (cut, outside)
    if bad is None:
        return
    cut, outside = bad
    move = _first_off(cut, outside)
    x, y = shapely.get_coordinates(outside.representative_point())[0].tolist()
    zero = fitting_zero(seen.sheet, [shape for _c, shape in taken])
    evidence: dict[str, float | int | str] = {"outside_mm": reach, "contours": count}
    remedy = "move the zero, or take a larger sheet"
    if zero is not None:
        evidence |= {"shift_x_mm": zero.x, "shift_y_mm": zero.y, "turned_deg": zero.turned}
        turn = f", and turned by {zero.turned} degrees" if zero.turned else ""
        remedy = f"all of it fits with the zero moved by X {context.figure(zero.x)} Y {context.figure(zero.y)}{turn}"
    motions = context.motions
    yield Finding(
        code="off-sheet", line=int(motions.line[move]), message=f"the cut leaves the sheet by {context.length(reach)}", remedy=remedy,
        tool=motions.state_of(move).tool, move=move, position=at(x, y), evidence=evidence,
    )  # fmt: skip


def _how_far(outside: Region, sheet: Region) -> float:
    places = shapely.points(shapely.get_coordinates(outside))
    return float(shapely.distance(places, sheet).max(initial=0.0))


def _first_off(cut: Cut, outside: Region) -> int:
    """The first move of a cut whose kerf reaches what lies outside."""
    for move in range(cut.first, cut.last + 1):
        part = cut.part(move)
        if len(part) and shapely.intersection(swept(cut, part), outside).area > _OFF_MM2:
            return move
    return cut.first


def fitting_zero(sheet: Sheet, shapes: list[Region]) -> Zero | None:
    """The zero nearest to the present one at which all shapes lie on the sheet; without a turn where that is possible.

    What is to fit is taken as its convex hull: on a convex sheet that is exact, on another one it never promises too much.
    """
    if not shapes:
        return None
    hull = shapely.convex_hull(shapely.union_all([shapely.convex_hull(s) for s in shapes]))
    region = sheet.region()
    best: tuple[float, Zero] | None = None
    for turned in (0, 90, 180, 270):
        found = _nearest(region, affinity.rotate(hull, turned, origin=(0.0, 0.0)))
        if found is None:
            continue
        far = math.hypot(*found)
        if best is None or far < best[0] - 1e-9:
            best = (far, Zero(found[0], found[1], turned))
        if turned == 0:
            break
    return best[1] if best is not None else None


def _nearest(region: Region, hull: Region) -> tuple[float, float] | None:
    """The shortest way by which a convex shape comes to lie in a region; None where it goes in nowhere."""
    corners = shapely.get_coordinates(hull)[:-1]
    middle = shapely.get_coordinates(hull.centroid)[0]
    # Where its middle may be, less every place at which some side of the region would be in the shape.
    free = affinity.translate(region, -float(middle[0]), -float(middle[1]))
    walls = []
    for ring in shapely.get_rings(shapely.get_parts(region)):
        places = shapely.get_coordinates(shapely.simplify(ring, 0.001))
        for a, b in itertools.pairwise(places):
            walls.append(shapely.convex_hull(shapely.MultiPoint(np.vstack([a - corners, b - corners]))))
    free = shapely.difference(shapely.buffer(free, 1e-7), shapely.buffer(shapely.union_all(walls), -1e-6))
    if free.is_empty:
        return None
    place = shapely.get_coordinates(shapely.shortest_line(free, shapely.Point(0.0, 0.0)))[0]
    return (round(float(place[0]), 4), round(float(place[1]), 4))


@rule({"tool-into-fixture": Severity.CRASH}, SHEET)
def head(context: Context) -> Iterator[Finding]:
    """The head is down at a cut, and at a rapid where the machine does not lift it: its disc must clear what lies on the table."""
    seen, motions = look(context), context.motions
    more = context.job.bench.machine.more
    radius = more.get("head_diameter", 0.0) / 2.0
    if not radius or not seen.sheet.held or not len(motions):
        return
    boxes = [(h.name, shapely.box(*h.box)) for h in seen.sheet.held if h.kind == "box"]
    down = seen.feeds.copy()
    if not more.get("head_lifts", 1.0):
        down |= motions.rapid()
    told: set[str] = set()
    for move in np.flatnonzero(down).tolist():
        way, _done = way_of(context.job.bench, motions, move, move)
        line = shapely.LineString(way) if len(way) > 1 else shapely.Point(way[0])
        for name, box in boxes:
            deep = radius - float(line.distance(box))
            if deep > TOLERANCES.touch_mm and name not in told:
                told.add(name)
                x, y = shapely.get_coordinates(shapely.shortest_line(line, box))[0].tolist()
                yield Finding(
                    code="tool-into-fixture", line=int(motions.line[move]), message=f"the head runs {context.length(deep)} into {name}",
                    remedy="keep the cut clear of it, or move it", tool=motions.state_of(move).tool, move=move, position=at(x, y),
                    evidence={"depth_mm": deep, "thing": name},
                )  # fmt: skip
