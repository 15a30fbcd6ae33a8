"""Pockets of any contour with islands, what a larger tool left in them, and slots."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
import shapely

from underglass.core.compose.contour import Contour, Seg, area_of, fitted, grown, rings_of, stretches_in
from underglass.core.compose.contour_rows import read_contours, surrounding
from underglass.core.compose.operation import Operation, ShopEntries, need
from underglass.core.compose.writer import Writer, levels, writer
from underglass.core.reckon.form import Answer, Field, Row
from underglass.core.trades.milling.operations.clearing import Clearing, rounds_in
from underglass.core.trades.milling.operations.common import COMMON, DEEP, DOWN, TOP, TURN, close, length_rows, opening
from underglass.core.trades.milling.operations.finishing import finish_rings, ways_beside, written
from underglass.core.trades.milling.operations.held import HOLD, held_at, most_row, plan_for
from underglass.core.trades.milling.operations.walls import go_round


def closed_contours(e: ShopEntries, key: str = "contour") -> tuple[Contour, ...]:
    """The contours entered, the first surrounding the others. Raises ``CannotBe``."""
    return surrounding(read_contours(e.word(key), e.unit, key), key, "island {} is not inside the first contour")


def cut_area(w: Writer, e: ShopEntries, contours: tuple[Contour, ...]) -> tuple[Row, ...]:
    """An area cleared in passes down, then its walls; rows about it. Raises ``CannotBe``."""
    d, deep = e.positive("d", "The tool's diameter"), e.positive("deep", "The depth")
    r, wall, floor, top = d / 2.0, e.number("wall"), e.number("floor"), e.number("top")
    over = e.number("over")
    need(10.0 <= over <= 70.0, "the step across goes from 10 to 70 per cent, or corners stay standing", "over")
    need(wall >= 0.0, "this cannot be less than zero", "wall")
    need(0.0 <= floor < deep, "what is left on the floor goes from zero up to the depth", "floor")
    angle = e.maybe("angle")
    need(angle is None or 0.5 <= angle <= 30.0, "the way in goes from 0.5 to 30 degrees", "angle")
    region = area_of(contours)
    lean = tapered_of(e)
    if lean is not None:
        return _tapered(w, e, contours, lean)
    reach = grown(region, -(r + wall))
    need(not reach.is_empty, "the tool is wider than the area", "d")
    hold = held_at(e, over / 100.0)
    finished = wall > 0.0 or e.word("finish") == "comp"
    rounds = rounds_in(reach, d * over / 100.0, r) if hold is None else []
    plan = (
        None if hold is None else plan_for(reach.wkb, d, over / 100.0, hold, e.word("turn") == "against", not finished)
    )
    rough = levels(top, top - deep + floor, e.positive("down", "The depth of a pass"))
    heights = (*rough, top - deep) if floor > 0.0 else rough
    clearing = Clearing(w, e, reach, rounds, r)
    start = top
    for level in heights:
        if plan is None:
            clearing.level(start, level)
        else:
            clearing.planned(plan.steps, start, level)
        start = level
    if finished:
        _finish(w, e, contours, region, r, heights[-1])
    w.rapid(z=e.number("safe"))
    corners = grown(grown(region, -r), r)
    left = region.area - corners.area
    said = f"{left:.0f} mm2 in the corners" if left > 0.5 else "none"
    return (
        Row("Rounds", f"{sum(one.count() for one in rounds)} across, {len(heights)} deep")
        if plan is None
        else Row("Cuts", f"{plan.cuts()} across, {len(heights)} deep"),
        Row("Out of this tool's reach", said, "a smaller tool takes it: rest of a pocket" if left > 0.5 else ""),
        Row("First round of each pass", "full width") if plan is None else most_row(plan),
    )


def _finish(
    w: Writer, e: ShopEntries, contours: tuple[Contour, ...], region: shapely.Geometry, r: float, level: float
) -> None:
    """Once along every wall. Where the tool does not pass between two, it goes round both; a control that offsets would not."""
    climb, comp = e.word("turn") == "climb", e.word("finish") == "comp"
    free = grown(region, -r)
    ways = rings_of(free)
    apart = len(ways) == len(contours)
    need(apart or not comp, "the tool does not pass everywhere between the walls: choose the tool's centre", "finish")
    # The free side is inside the first contour and outside the islands; climbing has it on the left, as rings run.
    side = 1 if climb else -1
    if comp:
        for contour in contours:
            run = contour.run((contour is contours[0]) == climb)
            need(bool(ways_beside(run, side, r)), "the tool is wider than the area", "d")
            rings = written(run, side, r)
            finish_rings(w, e, rings, side, level, "arc", 0.8 * r, free.buffer(0.005))
        return
    finish_rings(w, e, [way if climb else way.back() for way in ways], side, level, "arc", 0.8 * r, free.buffer(0.005))


# -- walls that lean -----------------------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class Lean:
    """``angle`` rad from upright; the tool's corner, mm; how far down from round to round, mm; whether only the walls are cut."""

    angle: float
    corner: float
    step: float
    walls_only: bool

    def inset(self, deep: float, r: float) -> float:
        """How far inside the contour the tool's centre runs with its tip ``deep`` below the top, mm.

        Its corner's middle is ``corner`` off the wall, square to it, and as much above the tip; a flat tool touches with its edge.
        """
        c = self.corner
        return (deep - c) * math.tan(self.angle) + c / math.cos(self.angle) + r - c


def tapered_of(e: ShopEntries) -> Lean | None:
    """The walls' lean that is asked for; None where they are upright. Raises ``CannotBe``."""
    angle = e.maybe("taper") or 0.0
    if not angle:
        return None
    need(0.0 < angle <= 45.0, "walls lean by up to 45 degrees", "taper")
    corner = e.number("re")
    need(0.0 <= corner <= e.number("d") / 2.0 + 1e-9, "the corner radius is no more than half the diameter", "re")
    step = e.positive("wallstep", "The step down the walls")
    need(step >= 0.01, "the step is less than a hundredth of a millimetre", "wallstep")
    return Lean(angle=math.radians(angle), corner=corner, step=step, walls_only=e.word("part") == "walls")


def _tapered(w: Writer, e: ShopEntries, contours: tuple[Contour, ...], lean: Lean) -> tuple[Row, ...]:
    """An area whose walls lean inwards as it goes down, its islands outwards: cleared level by level, then round by round down the walls."""
    d, deep, top = e.number("d"), e.number("deep"), e.number("top")
    r, wall, share = d / 2.0, e.number("wall"), e.number("over") / 100.0
    region = area_of(contours)
    foot = grown(region, -lean.inset(deep, r))
    rings = len(rings_of(grown(region, -lean.inset(min(lean.step, deep), r))))
    need(
        not foot.is_empty and len(rings_of(foot)) == rings == len(contours),
        "the walls meet above the floor, or the tool does not fit between them",
        "taper",
    )
    heights: tuple[float, ...] = ()
    if not lean.walls_only:
        flat = d - 2.0 * lean.corner
        need(
            d * share <= flat + 1e-9,
            "rows of a tool with this corner leave ridges on the floor: step less across, or cut the walls alone with it",
            "over",
        )
        heights = levels(top, top - deep, e.positive("down", "The depth of a pass"))
        start = top
        for level in heights:
            # As wide as the pocket is at the tip's depth: above it the walls stand back.
            reach = grown(region, -((top - level) * math.tan(lean.angle) + r + wall))
            need(not reach.is_empty, "the tool is wider than the area", "d")
            clearing = Clearing(w, e, reach, rounds_in(reach, d * share, r), r)
            clearing.level(start, level)
            start = level
    count = max(1, math.ceil(deep / lean.step - 1e-9))
    depths = [deep * k / count for k in range(1, count + 1)]
    for contour in contours:
        _down_the_wall(w, e, contour, contour is contours[0], lean, depths)
    w.rapid(z=e.number("safe"))
    slant = deep / count / math.cos(lean.angle)
    c = lean.corner
    ridge = slant * math.sin(lean.angle) if c <= 0.0 else c - math.sqrt(max(c * c - min(slant / 2.0, c) ** 2, 0.0))
    return (
        Row("Rounds", f"{len(heights)} levels, {count} rounds down each wall"),
        Row("Floor is narrower by", e.show(2.0 * deep * math.tan(lean.angle)), "2 depth tan(taper)"),
        Row("Ridges down the walls", e.show(ridge), "step sin(taper)" if c <= 0.0 else "r - √(r² - (step / 2)²)"),
    )


def _down_the_wall(w: Writer, e: ShopEntries, contour: Contour, outer: bool, lean: Lean, depths: list[float]) -> None:
    """Round after round down one wall; the tool stays at it, for each round lies inside the one above."""
    r, top = e.number("d") / 2.0, e.number("top")
    f, fdown = e.positive("f", "The feed"), e.positive("fdown", "The feed downwards")
    climb = e.word("turn") == "climb"
    shape = contour.polygon()
    for k, deep in enumerate(depths):
        by = lean.inset(deep, r)
        ways = [ring for ring in rings_of(grown(shape, -by if outer else by)) if ring.anticlockwise]
        need(len(ways) == 1, "the walls meet above the floor, or the tool does not fit between them", "taper")
        way = ways[0].run(outer == climb)
        if k == 0:
            way = way.from_longest()
            w.rapid(*way.start)
            w.rapid(z=top + e.number("near"))
            w.feed(z=top - deep, f=fdown)
        else:
            way = way.nearest(w.here)
            w.feed(*way.start, top - deep, f=fdown)
        go_round(w, way, f, fdown, top - deep, None)
    w.rapid(z=top + e.number("near"))


def _leans(v: Mapping[str, str]) -> bool:
    try:
        return float(v.get("taper") or 0.0) != 0.0
    except ValueError:
        return False


_LEAN = (
    Field(key="taper", word="Walls lean by", kind="angle", start="0", usual=(0, 8), tip="From upright, as in a mould; 0: straight walls"),
    Field(key="re", word="Tool's corner radius", start="0", shown=_leans, usual=(0, 0.8), tip="0: flat; half the diameter: a ball"),
    Field(key="wallstep", word="Step down the walls", start="0.5", start_inch="0.02", shown=_leans, usual=(0.3, 1)),
    Field(key="part", word="Cut", kind="choice", start="all", choices=(("all", "all of it"), ("walls", "the walls alone")), shown=_leans,
          tip="The walls alone where another tool has cleared the pocket before"),
)  # fmt: skip


HOW = (
    Field(key="over", word="Stepover, % of D", kind="number", start="45", usual=(15, 65)),
    Field(key="way", word="Entry", kind="choice", start="helix", choices=(("helix", "on a helix"), ("ramp", "along the first round"),
          ("hole", "in a drilled hole"), ("plunge", "straight down"))),
    Field(key="angle", word="Ramp angle", kind="angle", start="3", shown=lambda v: v.get("way") in ("helix", "ramp"), usual=(1, 10)),
    Field(key="wall", word="Wall allowance", start="0.2", start_inch="0.008", usual=(0, 0.5), tip="Taken off by a last round at full depth"),
    Field(key="floor", word="Floor allowance", start="0", usual=(0, 0.3), tip="Taken off by a pass of its own; 0: no such pass"),
    Field(key="finish", word="Finish pass", kind="choice", start="plain", choices=(("plain", "by the tool's centre"), ("comp", "with G41 and D")),
          shown=lambda v: not _leans(v)),
    Field(key="turn", word="Cutting", kind="choice", start="climb", choices=(("climb", "climb"), ("against", "conventional"))),
)  # fmt: skip
_HOLD = replace(HOLD, shown=lambda v: v.get("way") == "helix" and not _leans(v))
_HOLE = (
    Field(
        key="hx",
        word="Drilled hole X",
        start="20",
        start_inch="0.8",
        shown=lambda v: v.get("way") == "hole",
        usual=(18, 24),
    ),
    Field(
        key="hy",
        word="Drilled hole Y",
        start="15",
        start_inch="0.6",
        shown=lambda v: v.get("way") == "hole",
        usual=(14, 20),
    ),
)


def _pocket(e: ShopEntries) -> Answer:
    contours = closed_contours(e)
    w = writer(e)
    opening(w, e)
    rows = cut_area(w, e, contours)
    close(w, e)
    drawn = tuple(s for c in contours for s in c.strokes())
    return Answer(rows=(*rows, *length_rows(w, e)), steps=(), blocks=w.text(), strokes=(*drawn, *w.strokes))


POCKET = Operation(
    name="Pocket, any contour",
    fields=(
        Field(key="contour", word="Contour, then islands", kind="contour",
              start="0 0 R8\n100 0 R8\n100 60 R8\n0 60 R8\nCLOSE\n/\n60 20\n75 20\n75 40\n60 40\nCLOSE",
              start_inch="0 0 R0.3\n4 0 R0.3\n4 2.4 R0.3\n0 2.4 R0.3\nCLOSE\n/\n2.4 0.8\n3 0.8\n3 1.6\n2.4 1.6\nCLOSE",
              tip="The first contour surrounds the pocket; each one after an empty row or / is an island that stays"),
        TOP, DEEP, DOWN, *COMMON, *HOW, _HOLD, *_HOLE, *_LEAN, *TURN,
    ),
    work=_pocket,
    about="Any closed contour with islands, cleared from the middle outwards, the walls last; they may lean.",
)  # fmt: skip


# -- what a larger tool left ------------------------------------------------------------------------------------------------


def _rest(e: ShopEntries) -> Answer:
    contours = closed_contours(e)
    d, big = e.positive("d", "The tool's diameter"), e.positive("dbig", "The larger tool's diameter")
    need(big > d, "the tool before was no larger than this one", "dbig")
    deep, top, r = e.positive("deep", "The depth"), e.number("top"), d / 2.0
    step = d * e.number("over") / 100.0
    need(0.0 < step <= 0.7 * d, "the step across goes up to 70 per cent", "over")
    region = area_of(contours)
    done = grown(grown(region, -big / 2.0), big / 2.0)
    rest = region.difference(done).buffer(0.0)
    need(not grown(region, -r).is_empty, "the tool is wider than the area", "d")
    near = rest.buffer(r + 0.1, quad_segs=8)
    runs: list[tuple[Seg, ...]] = []
    # From the cleared middle towards the wall: as many steps as what is left is thick.
    thick = big / 2.0 * (math.sqrt(2.0) - 1.0) * 3.0
    for k in range(max(0, math.ceil(thick / step)), -1, -1):
        for ring in rings_of(grown(region, -(r + k * step))):
            ring = ring.back() if e.word("turn") == "against" else ring
            runs += stretches_in(ring, near)
    # Where ways from two walls meet they leave a strip between them, if their step does not come out even: over that, too, and first.
    lines = [
        shapely.LineString([(run[0].x0, run[0].y0), *(p for seg in run for p in seg.places(0.02))]) for run in runs
    ]
    left = rest.difference(shapely.MultiLineString(lines).buffer(r - 0.02, quad_segs=8)) if lines else shapely.Polygon()
    for part in shapely.get_parts(left.intersection(grown(region, -r))):
        if isinstance(part, shapely.Polygon) and part.area > 1e-3:
            runs.insert(0, fitted(np.asarray(part.exterior.coords)[:, :2], True).segs)
    w = writer(e)
    opening(w, e)
    f, fdown = e.positive("f", "The feed"), e.positive("fdown", "The feed downwards")
    clear = top + e.number("near")
    heights = levels(top, top - deep, e.positive("down", "The depth of a pass"))
    for k, level in enumerate(heights):
        above = top if not k else heights[k - 1]
        for run in runs:
            w.rapid(run[0].x0, run[0].y0)
            w.rapid(z=min(above + e.number("near"), clear))
            w.feed(z=level, f=fdown)
            for seg in run:
                w.seg(seg, f=f)
            w.rapid(z=clear)
    w.rapid(z=e.number("safe"))
    close(w, e)
    corners = len(shapely.get_parts(rest)) if not rest.is_empty else 0
    rows = (
        Row("Places left by the larger tool", str(corners)),
        Row("Passes", f"{len(runs)} across, {len(heights)} deep"),
    )
    drawn = tuple(s for c in contours for s in c.strokes())
    return Answer(
        rows=(*rows, *length_rows(w, e)),
        steps=(),
        blocks=w.text(),
        strokes=(*drawn, *w.strokes),
        note="" if runs else "The larger tool left nothing.",
    )


REST = Operation(
    name="Rest of a pocket",
    fields=(
        POCKET.fields[0],
        Field(key="dbig", word="Tool before, diameter", start="20", start_inch="0.75", usual=(17, 30)),
        TOP, DEEP, DOWN, *COMMON,
        Field(key="over", word="Stepover, % of D", kind="number", start="40", usual=(15, 65)),
        Field(key="turn", word="Cutting", kind="choice", start="climb", choices=(("climb", "climb"), ("against", "conventional"))),
        *TURN,
    ),
    work=_rest,
    about="The corners of a pocket that a larger tool could not reach.",
)  # fmt: skip


# -- slots -------------------------------------------------------------------------------------------------------------------


def _slot(e: ShopEntries, middle: Contour, wide: float) -> Answer:
    """A slot about a middle line: the tool's own width in one way, a wider one cleared as an area."""
    d = e.positive("d", "The tool's diameter")
    r, top, deep = d / 2.0, e.number("top"), e.positive("deep", "The depth")
    need(wide >= d - 1e-6, "the tool is wider than the slot", "d")
    w = writer(e)
    opening(w, e)
    if wide > d + 2.0 * e.number("wall") + 0.02:
        wall = Contour(round_about(middle, wide / 2.0), True)
        rows = cut_area(w, e, (wall,))
    else:
        need(0.5 <= e.number("angle") <= 30.0, "the way in goes from 0.5 to 30 degrees", "angle")
        f, fdown = e.positive("f", "The feed"), e.positive("fdown", "The feed downwards")
        fall = middle.length * math.tan(math.radians(e.number("angle")))
        heights = levels(top, top - deep, min(e.positive("down", "The depth of a pass"), fall))
        w.rapid(*middle.start)
        w.rapid(z=top + e.number("near"))
        w.feed(z=top, f=fdown)
        start, way = top, middle
        for level in heights:
            go_round(w, way, f, fdown, level, None, fall=(start, level))
            start, way = level, way.back()
        go_round(w, way, f, fdown, start, None)
        if wide > d + 1e-3:
            # So narrow a rest is one round along the walls.
            for ring in rings_of(grown(area_of((Contour(round_about(middle, wide / 2.0), True),)), -r)):
                ring = ring if e.word("turn") == "climb" else ring.back()
                w.feed(*ring.start, f=f)
                go_round(w, ring, f, fdown, start, None)
        w.rapid(z=e.number("safe"))
        rows = (Row("Passes", f"{len(heights)} deep, along a ramp", "the tool cuts its full width"),)
    close(w, e)
    drawn = tuple(Contour(round_about(middle, wide / 2.0), True).strokes())
    return Answer(rows=(*rows, *length_rows(w, e)), steps=(), blocks=w.text(), strokes=(*drawn, *w.strokes))


def round_about(middle: Contour, half: float) -> tuple[Seg, ...]:
    """The outline of what lies within ``half`` of a line or an arc: two sides and two round ends, anticlockwise."""
    seg = middle.segs[0]
    (ax, ay), (bx, by) = seg.direction(0.0), seg.direction(1.0)
    right0, left0 = (seg.x0 + ay * half, seg.y0 - ax * half), (seg.x0 - ay * half, seg.y0 + ax * half)
    right1, left1 = (seg.x1 + by * half, seg.y1 - bx * half), (seg.x1 - by * half, seg.y1 + bx * half)
    return (
        Seg(*right0, *right1, seg.turn, seg.cx, seg.cy),
        Seg(*right1, *left1, 1, seg.x1, seg.y1),
        Seg(*left1, *left0, -seg.turn, seg.cx, seg.cy),
        Seg(*left0, *right0, 1, seg.x0, seg.y0),
    )


def _straight(e: ShopEntries) -> Answer:
    seg = Seg(e.number("x0"), e.number("y0"), e.number("x1"), e.number("y1"))
    need(seg.length > 1e-3, "the slot's ends are one place", "x1")
    return _slot(e, Contour((seg,), False), e.positive("wide", "The width"))


def _curved(e: ShopEntries) -> Answer:
    cx, cy, r = e.number("cx"), e.number("cy"), e.positive("dia", "The pitch circle") / 2.0
    a, span, wide = math.radians(e.number("from")), math.radians(e.number("span")), e.positive("wide", "The width")
    need(0.0 < abs(span) < math.tau, "the slot goes round less than a whole turn", "span")
    need(r > wide / 2.0, "the slot is wider than its circle", "wide")
    need(r * (math.tau - abs(span)) > wide, "the slot runs into its own beginning", "span")
    at = [(cx + r * math.cos(t), cy + r * math.sin(t)) for t in (a, a + span)]
    return _slot(e, Contour((Seg(*at[0], *at[1], 1 if span > 0 else -1, cx, cy),), False), wide)


_WIDE = Field(key="wide", word="Width", start="12", start_inch="0.6", usual=(10, 30))
_SLOT_HOW = tuple(f for f in HOW if f.key not in ("way", "angle")) + (
    Field(
        key="way",
        word="Entry",
        kind="choice",
        start="ramp",
        choices=(("ramp", "along a ramp"), ("helix", "on a helix")),
    ),
    Field(key="angle", word="Ramp angle", kind="angle", start="3", usual=(1, 10)),
)

SLOT = Operation(
    name="Slot, straight",
    fields=(
        Field(key="x0", word="Middle of one end X", start="20", start_inch="0.8", usual=(-20, 30)), Field(key="y0", word="Y", start="20", start_inch="0.8", usual=(0, 60)),
        Field(key="x1", word="Middle of the other X", start="80", start_inch="3.2", usual=(60, 120)), Field(key="y1", word="Y", start="20", start_inch="0.8", usual=(0, 60)),
        _WIDE, TOP, DEEP, DOWN, *COMMON, *_SLOT_HOW, *TURN,
    ),
    work=_straight,
    about="A slot with round ends; as wide as the tool or wider.",
    own_places=("x0", "y0", "x1", "y1"),
)  # fmt: skip

CURVED_SLOT = Operation(
    name="Slot, round",
    fields=(
        Field(key="cx", word="Middle X", start="50", start_inch="2", usual=(20, 100)), Field(key="cy", word="Middle Y", start="30", start_inch="1.2", usual=(20, 80)),
        Field(key="dia", word="Circle of its middle", start="60", start_inch="2.4", usual=(40, 200)),
        Field(key="from", word="From", kind="angle", start="0", usual=(-180, 180)), Field(key="span", word="Goes round by", kind="angle", start="90", usual=(20, 270)),
        _WIDE, TOP, DEEP, DOWN, *COMMON, *_SLOT_HOW, *TURN,
    ),
    work=_curved,
    about="A slot along a circle, with round ends.",
)  # fmt: skip
