"""Outlines: along a contour, beside it or on it, in cuts across and in depth, held by tabs, finished by its own cut.

Climbing with a spindle that turns clockwise has the metal on the right of the way: clockwise round the outside of a part,
anticlockwise inside. (Common practice, no source.)
"""

from __future__ import annotations

import math
from typing import Literal, cast

import shapely

from underglass.core.compose.contour import Contour
from underglass.core.compose.contour_rows import one_contour
from underglass.core.compose.operation import Operation, ShopEntries, need
from underglass.core.compose.writer import Writer, levels, writer
from underglass.core.reckon.form import Answer, Field, Row, Stroke
from underglass.core.trades.milling.operations.common import COMMON, DEEP, DOWN, TOP, TURN, close, length_rows, opening
from underglass.core.trades.milling.operations.finishing import Bridges, finish_wall, room_beside, side_of, ways_beside
from underglass.core.trades.milling.operations.walls import Lead, Tabs, go_round, leads, tab_places


def _cut(w: Writer, e: ShopEntries, ring: Contour, heights: tuple[float, ...], free: int, room: shapely.Geometry | None,
         tabs: Tabs | None) -> None:  # fmt: skip
    """One way, pass by pass down."""
    f, fdown = e.positive("f", "The feed"), e.positive("fdown", "The feed downwards")
    lead = cast(Lead, e.word("lead"))
    top = e.number("top")
    start = top
    if lead == "ramp" and ring.closed:
        slope = math.tan(math.radians(e.number("angle")))
        w.rapid(*ring.start)
        w.rapid(z=top + e.number("near"))
        w.feed(z=top, f=fdown)
        at, whole = 0.0, ring.length
        for level in heights:
            way = (start - level) / slope
            go_round(w, ring, f, fdown, level, tabs, first=at % whole, fall=(start, level), length=way)
            at += way
            go_round(w, ring, f, fdown, level, tabs, first=at % whole)
            start = level
        w.rapid(z=e.number("safe"))
        return
    reach = e.number("reach")
    into, out = leads(ring, free or 1, "line" if lead == "line" else "arc", reach, room) if free or room else ((), ())
    for k, level in enumerate(heights):
        x, y = (into[0].x0, into[0].y0) if into else ring.start
        if not k or into or not ring.closed:
            w.rapid(z=top + e.number("near") if k else None)
            w.rapid(x, y)
            w.rapid(z=start + e.number("near"))
        w.feed(z=level, f=fdown)
        for seg in into:
            w.seg(seg, f=f)
        go_round(w, ring, f, fdown, level, tabs)
        for seg in out:
            w.seg(seg, f=f)
        start = level
    w.rapid(z=e.number("safe"))


def _outline(e: ShopEntries) -> Answer:
    contour = one_contour(e.word("contour"), e.unit)
    d, deep = e.positive("d", "The tool's diameter"), e.positive("deep", "The depth")
    r, wall, across = d / 2.0, e.number("wall"), e.count("cuts")
    side = side_of(contour, e.word("side"))
    need(wall >= 0.0, "this cannot be less than zero", "wall")
    need(e.number("reach") > 0.0, "the way on must have some length", "reach")
    if e.word("lead") == "ramp":
        need(0.5 <= e.number("angle") <= 30.0, "the way in goes from 0.5 to 30 degrees", "angle")
    step = d * e.number("over") / 100.0
    need(0.0 < step <= 0.9 * d, "the step across goes up to 90 per cent of the diameter", "over")
    # The metal is on the side that the tool is not on: climbing keeps it on the right.
    climb = e.word("turn") == "climb"
    if side and (side > 0) != climb:
        contour, side = contour.back(), -side
    free = side
    top = e.number("top")
    heights = levels(top, top - deep, e.positive("down", "The depth of a pass"))
    bridges = None
    if e.count("tabs"):
        need(e.number("tabw") > 0.0, "a tab must have some width", "tabw")
        need(0.0 < e.number("tabh") < deep, "a tab has some height, and less than the cut is deep", "tabh")
        if contour.closed:
            begun = contour.from_longest()
            places = tab_places(begun, e.count("tabs"), e.number("tabw"), d)
            bridges = Bridges(tuple(places), e.number("tabw"), top - deep + e.number("tabh"))
    w = writer(e)
    opening(w, e)
    last = (wall > 0.0 and side != 0) or (side != 0 and e.word("finish") == "comp")
    rough = [wall + step * k for k in range(across - 1, -1, -1)] if side else [0.0]
    rounds = 0
    for more in rough:
        ways = ways_beside(contour, side, r + more)
        if more == rough[-1]:
            need(bool(ways), "the tool is wider than the contour", "d")
        for ring in ways:
            ring = ring.from_longest() if ring.closed else ring
            tabs = bridges.on(ring, d, r + more if side else 0.0) if bridges is not None else None
            _cut(w, e, ring, heights, free, room_beside(contour, side, r + more), tabs)
            rounds += 1
    if last:
        need(bool(ways_beside(contour, side, r)), "the tool is wider than the contour", "d")
        kind: Literal["arc", "line"] = "line" if e.word("lead") == "line" else "arc"
        finish_wall(w, e, contour, side, heights[-1], kind, e.number("reach"), bridges)
    close(w, e)
    rows = [Row("Rounds", f"{rounds} across, {len(heights)} deep" + (", and the last one" if last else ""))]
    if side and rounds and len(rough) == 1:
        rows.append(
            Row("First round", "full width where the stock is as wide", "several cuts across take it off in steps")
        )
    drawn: tuple[Stroke, ...] = contour.strokes()
    return Answer(rows=(*rows, *length_rows(w, e)), steps=(), blocks=w.text(), strokes=(*drawn, *w.strokes))


def _tabbed(v: object) -> bool:
    return str(v).strip() not in ("", "0", "0.")


CONTOUR = Field(
    key="contour", word="Contour", kind="contour", start="0 0\n80 0 R10\n80 50 C8\n0 50\nCLOSE", start_inch="0 0\n3 0 R0.4\n3 2 C0.3\n0 2\nCLOSE",
    tip="A row for each element by its end: 60 40, X60 A30, G3 60 40 B12, TAN; R rounds the corner, C chamfers it; CLOSE",
)  # fmt: skip

OUTLINE = Operation(
    name="Outline",
    fields=(
        CONTOUR,
        Field(key="side", word="Cut", kind="choice", start="outside", choices=(("outside", "outside"), ("inside", "inside"), ("on", "on the line"),
              ("left", "left of it as drawn"), ("right", "right of it as drawn"))),
        TOP, DEEP, DOWN, *COMMON,
        Field(key="cuts", word="Cuts across", kind="whole", start="1", usual=(1, 4)),
        Field(key="over", word="Stepover, % of D", kind="number", start="50", usual=(10, 80)),
        Field(key="wall", word="Finish allowance", start="0.2", start_inch="0.008", usual=(0, 1), tip="0: no last cut"),
        Field(key="finish", word="Finish pass", kind="choice", start="plain", choices=(("plain", "by the tool's centre"), ("comp", "with G41 and D"))),
        Field(key="lead", word="Lead in and out", kind="choice", start="arc", choices=(("arc", "on an arc"), ("line", "on a line"), ("ramp", "down along the contour"))),
        Field(key="angle", word="Ramp angle", kind="angle", start="3", shown=lambda v: v.get("lead") == "ramp", usual=(1, 10)),
        Field(key="reach", word="Lead length", start="4", start_inch="0.16", usual=(1, 10)),
        Field(key="turn", word="Cutting", kind="choice", start="climb", choices=(("climb", "climb"), ("against", "conventional"))),
        Field(key="tabs", word="Tabs", kind="whole", start="0", usual=(0, 6), tip="Bridges that hold the part"),
        Field(key="tabw", word="Tab width", start="4", start_inch="0.16", shown=lambda v: _tabbed(v.get("tabs", "0")), usual=(2, 8)),
        Field(key="tabh", word="Tab height", start="1", start_inch="0.04", shown=lambda v: _tabbed(v.get("tabs", "0")), usual=(0.3, 2)),
        *TURN,
    ),
    work=_outline,
    about="Along a contour, beside it or on it, with tabs and a last cut.",
)  # fmt: skip
