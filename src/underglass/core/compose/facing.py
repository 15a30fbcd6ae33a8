"""Facing: a rectangle taken down in passes by a mill that starts and ends beside it."""

from __future__ import annotations

import math

from underglass.core.compose.common import COMMON, close, length_rows, opening
from underglass.core.compose.operation import Operation, need
from underglass.core.compose.writer import Writer, levels
from underglass.core.reckon.form import Answer, Entries, Field, Row, Stroke


def _face(e: Entries) -> Answer:
    x0, x1 = sorted((e.number("x0"), e.number("x1")))
    y0, y1 = sorted((e.number("y0"), e.number("y1")))
    need(x1 > x0 and y1 > y0, "the two corners are on one line", "x1")
    d, share = e.positive("d", "The tool's diameter"), e.number("over")
    need(10.0 <= share <= 90.0, "the step across goes from 10 to 90 per cent of the diameter", "over")
    top, bottom = e.number("top"), e.number("bottom")
    need(bottom < top, "the finished height lies above the stock's top", "bottom")
    step, beyond = e.positive("down", "The depth of a pass"), e.number("beyond")
    need(beyond >= 0.0, "this cannot be less than nought", "beyond")
    along_x = e.word("along") == "x"
    (a0, a1), (b0, b1) = ((x0, x1), (y0, y1)) if along_x else ((y0, y1), (x0, x1))
    # The first pass stands as far in as a step, so that the tool is never wider in the cut than wanted; the last one
    # reaches the far edge.
    wide, r, most = b1 - b0, d / 2.0, d * share / 100.0
    count = max(1, math.ceil((wide - 1e-9) / most))
    across = [b0 + wide * k / count - r + 1e-12 for k in range(1, count + 1)]
    if count == 1:
        across = [(b0 + b1) / 2.0 if wide <= d else b0 + wide - r]
    start, end = a0 - r - beyond, a1 + r + beyond
    w = Writer(e.unit)
    opening(w, e)
    safe, near = e.number("safe"), top + e.number("near")
    feed, down = e.positive("f", "The feed"), e.positive("fdown", "The feed downwards")

    def place(a: float, b: float) -> tuple[float, float]:
        return (a, b) if along_x else (b, a)

    one_way = e.word("ways") == "one"
    for level in levels(top, bottom, step):
        w.rapid(*place(start, across[0]))
        w.rapid(z=near)
        w.feed(z=level, f=down)
        for k, b in enumerate(across):
            back = bool(k % 2) and not one_way
            if k and one_way:
                w.rapid(z=near)
                w.rapid(*place(start, b))
                w.feed(z=level, f=down)
            elif k:
                w.feed(*place(end if k % 2 else start, b), f=feed)
            w.feed(*place(start if back else end, b), f=feed)
        w.rapid(z=safe)
    close(w, e)
    outline = tuple(Stroke("line", s) for s in ((x0, y0, x1, y0), (x1, y0, x1, y1), (x1, y1, x0, y1), (x0, y1, x0, y0)))
    rows = (Row("Passes", f"{count} across, {len(levels(top, bottom, step))} deep"),
            Row("Step across", e.show(wide / count if count > 1 else wide)), *length_rows(w, e))  # fmt: skip
    return Answer(rows, (), tuple(w.lines), (*outline, *w.strokes))


FACING = Operation(
    "Facing",
    (
        Field("x0", "From X", start="0"), Field("y0", "From Y", start="0"),
        Field("x1", "To X", start="100", start_inch="4"), Field("y1", "To Y", start="60", start_inch="2.5"),
        Field("top", "Stock's top Z", start="1", start_inch="0.04"), Field("bottom", "Finished Z", start="0"),
        Field("down", "Deepest pass", start="1", start_inch="0.04"),
        *COMMON,
        Field("over", "Step across, % of D", "number", "70"),
        Field("along", "Passes along", "choice", "x", choices=(("x", "X"), ("y", "Y"))),
        Field("ways", "Ways", "choice", "both", choices=(("both", "there and back"), ("one", "one way only"))),
        Field("beyond", "Beyond the edge", start="2", start_inch="0.08", tip="How far the tool's edge goes past the rectangle at each end"),
    ),
    _face,
    "A rectangle taken down in passes; the tool goes down beside the stock.",
)  # fmt: skip
