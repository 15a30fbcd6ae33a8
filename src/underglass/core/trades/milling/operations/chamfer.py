"""A chamfer along an edge, by a pointed mill whose tip runs below it.

The tool's cone touches the wall so far above its tip as the tip runs below the chamfer; at the stock's top it is as much wider
as the chamfer is. (Plane geometry.)
"""

from __future__ import annotations

import math

from underglass.core.compose.contour_rows import read_contours
from underglass.core.compose.operation import Operation, ShopEntries, need
from underglass.core.compose.writer import writer
from underglass.core.reckon.form import Answer, Field, Row
from underglass.core.trades.milling.operations.common import COMMON, TOP, TURN, close, length_rows, opening
from underglass.core.trades.milling.operations.finishing import room_beside, side_of, ways_beside
from underglass.core.trades.milling.operations.outline import CONTOUR
from underglass.core.trades.milling.operations.walls import go_round, leads


def _chamfer(e: ShopEntries) -> Answer:
    found = read_contours(e.word("contour"), e.unit)
    need(bool(found), "no contour is entered yet", "contour")
    wide, below, tip = e.positive("wide", "The chamfer"), e.number("below"), e.number("tip")
    d, top = e.positive("d", "The tool's diameter"), e.number("top")
    need(10.0 <= e.number("sig") <= 150.0, "the point angle goes from 10 to 150 degrees", "sig")
    need(below >= 0.0, "this cannot be less than zero", "below")
    need(0.0 <= tip < d, "the tip is narrower than the tool", "tip")
    slope = math.tan(math.radians(e.number("sig")) / 2.0)
    high = wide / slope
    beside = tip / 2.0 + below * slope
    need(
        beside + wide <= d / 2.0 + 1e-6,
        "the tool is too narrow for a chamfer that wide: let its tip run less far below",
        "below",
    )
    bottom = top - high - below
    w = writer(e)
    opening(w, e)
    f, fdown, safe = e.positive("f", "The feed"), e.positive("fdown", "The feed downwards"), e.number("safe")
    climb = e.word("turn") == "climb"
    for contour in found:
        side = side_of(contour, e.word("side"))
        run = contour
        if side and (side > 0) != climb:
            run, side = contour.back(), -side
        ways = ways_beside(run, side, beside) if beside > 1e-6 else [run]
        need(bool(ways), "the tool does not fit into the contour", "d")
        for way in ways:
            way = way.from_longest() if way.closed else way
            into, out = leads(way, side or 1, "arc", max(1.0, d / 4.0), room_beside(run, side, max(beside, 0.02)))
            w.rapid(*((into[0].x0, into[0].y0) if into else way.start))
            w.rapid(z=top + e.number("near"))
            w.feed(z=bottom, f=fdown)
            for seg in into:
                w.seg(seg, f=f)
            go_round(w, way, f, fdown, bottom, None)
            for seg in out:
                w.seg(seg, f=f)
            w.rapid(z=safe)
    close(w, e)
    rows = (
        Row("Tip at Z", e.show(bottom)),
        Row("Axis from the edge", e.show(beside), "tip / 2 + below \u00b7 tan(point angle / 2)"),
        *length_rows(w, e),
    )
    drawn = tuple(s for c in found for s in c.strokes())
    return Answer(rows=rows, steps=(), blocks=w.text(), strokes=(*drawn, *w.strokes))


CHAMFER = Operation(
    name="Chamfer",
    fields=(
        CONTOUR,
        Field(key="side", word="The tool runs", kind="choice", start="outside", choices=(("outside", "outside"), ("inside", "inside"),
              ("left", "left of it as drawn"), ("right", "right of it as drawn"))),
        Field(key="wide", word="Chamfer", start="1", start_inch="0.04", usual=(0.3, 1.5)),
        Field(key="sig", word="Point angle", kind="angle", start="90", usual=(60, 120)),
        Field(key="below", word="Tip below it", start="0.5", start_inch="0.02", usual=(0.2, 0.8), tip="So that the tip itself does not cut"),
        Field(key="tip", word="Flat at the tip", start="0", usual=(0, 0.4)),
        Field(key="turn", word="Cutting", kind="choice", start="climb", choices=(("climb", "climb"), ("against", "conventional"))),
        TOP, *COMMON, *TURN,
    ),
    work=_chamfer,
    about="The upper edge of a wall broken along a contour, by a pointed mill.",
    kinds=("chamfer-mill", "spot-drill"),
)  # fmt: skip
