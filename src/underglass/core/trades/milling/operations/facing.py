"""Facing: a rectangle taken down in passes by a mill that starts and ends beside it."""

from __future__ import annotations

import math

from underglass.core.compose.operation import Operation, ShopEntries, need
from underglass.core.compose.writer import Writer, levels, writer
from underglass.core.reckon.form import Answer, Field, Row, Stroke
from underglass.core.trades.milling.operations.common import COMMON, TURN, close, length_rows, opening


def _rows(
    w: Writer, e: ShopEntries, level: float, along_x: bool, ends: tuple[float, float], across: list[float]
) -> None:
    """Row by row at one height, from beside the stock to beside it."""
    start, end = ends
    near = e.number("top") + e.number("near")
    feed, down = e.positive("f", "The feed"), e.positive("fdown", "The feed downwards")
    one_way = e.word("ways") == "one"

    def place(a: float, b: float) -> tuple[float, float]:
        return (a, b) if along_x else (b, a)

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


def _rounds(
    w: Writer, e: ShopEntries, level: float, box: tuple[float, float, float, float], step: float, r: float
) -> None:
    """Round by round from the edges inwards; the tool comes in from beside the stock."""
    x0, y0, x1, y1 = box
    near, feed = e.number("top") + e.number("near"), e.positive("f", "The feed")
    beside = x0 - r - e.number("beyond")
    count = max(1, math.ceil((min(x1 - x0, y1 - y0) / 2.0 + r - 1e-9) / step))
    w.rapid(beside, y0 + step - r)
    w.rapid(z=near)
    w.feed(z=level, f=e.positive("fdown", "The feed downwards"))
    for k in range(1, count + 1):
        # No ring lies beyond the middle: the last ones close up on it.
        a = min(step * k - r, (x1 - x0) / 2.0)
        b = min(step * k - r, (y1 - y0) / 2.0)
        left, low, right, high = x0 + a, y0 + b, x1 - a, y1 - b
        w.feed(left if k > 1 else beside, low, f=feed)
        for at in ((right, low), (right, high), (left, high), (left, low)):
            w.feed(*at, f=feed)


def _face(e: ShopEntries) -> Answer:
    x0, x1 = sorted((e.number("x0"), e.number("x1")))
    y0, y1 = sorted((e.number("y0"), e.number("y1")))
    need(x1 > x0 and y1 > y0, "the two corners are on one line", "x1")
    d, share = e.positive("d", "The tool's diameter"), e.number("over")
    need(10.0 <= share <= 90.0, "the step across goes from 10 to 90 per cent of the diameter", "over")
    top, bottom = e.number("top"), e.number("bottom")
    need(bottom < top, "the finished height lies above the stock's top", "bottom")
    step, beyond = e.positive("down", "The depth of a pass"), e.number("beyond")
    need(beyond >= 0.0, "this cannot be less than zero", "beyond")
    along_x = e.values.get("along") != "y"
    (a0, a1), (b0, b1) = ((x0, x1), (y0, y1)) if along_x else ((y0, y1), (x0, x1))
    # The first pass stands as far in as a step, so that the tool is never wider in the cut than wanted; the last one
    # reaches the far edge.
    rounds = e.word("ways") == "rounds"
    # Corners of rounds lie apart by the step times the root of two: beyond 70 per cent bits would stay between them.
    wide, r, most = b1 - b0, d / 2.0, d * (min(share, 70.0) if rounds else share) / 100.0
    count = max(1, math.ceil((wide - 1e-9) / most))
    across = [b0 + wide * k / count - r + 1e-12 for k in range(1, count + 1)]
    if count == 1:
        across = [(b0 + b1) / 2.0 if wide <= d else b0 + wide - r]
    w = writer(e)
    opening(w, e)
    if e.values.get("begin") == "middle":
        across.sort(key=lambda at: abs(at - (b0 + b1) / 2.0))
    for level in levels(top, bottom, step):
        if rounds:
            _rounds(w, e, level, (x0, y0, x1, y1), most, r)
        else:
            _rows(w, e, level, along_x, (a0 - r - beyond, a1 + r + beyond), across)
        w.rapid(z=e.number("safe"))
    close(w, e)
    outline = tuple(Stroke("line", s) for s in ((x0, y0, x1, y0), (x1, y0, x1, y1), (x1, y1, x0, y1), (x0, y1, x0, y0)))
    if rounds:
        count = max(1, math.ceil((min(x1 - x0, y1 - y0) / 2.0 + r) / most))
    said = e.show(most) if rounds else e.show(wide / count if count > 1 else wide)
    rows = (Row("Rounds" if rounds else "Passes", f"{count} across, {len(levels(top, bottom, step))} deep"),
            Row("Stepover", said, "no more than 70 % in rounds, or bits stay at their corners" if rounds and share > 70.0 else ""),
            *length_rows(w, e))  # fmt: skip
    return Answer(rows=rows, steps=(), blocks=w.text(), strokes=(*outline, *w.strokes))


_ROWS = ("both", "one")

FACING = Operation(
    name="Facing",
    fields=(
        Field(key="x0", word="From X", start="0", usual=(-20, 10)), Field(key="y0", word="From Y", start="0", usual=(-20, 10)),
        Field(key="x1", word="To X", start="100", start_inch="4", usual=(60, 150)),
        Field(key="y1", word="To Y", start="60", start_inch="2.5", usual=(40, 120)),
        Field(key="top", word="Stock's top Z", start="1", start_inch="0.04", usual=(0.5, 3)),
        Field(key="bottom", word="Finished Z", start="0", usual=(-2, 0.4)),
        Field(key="down", word="Max depth per pass", start="1", start_inch="0.04", usual=(0.5, 3)),
        *COMMON,
        Field(key="over", word="Stepover, % of D", kind="number", start="70", usual=(10, 90)),
        Field(key="ways", word="Ways", kind="choice", start="both",
              choices=(("both", "rows, there and back"), ("one", "rows, one way only"), ("rounds", "rounds, from the edges inwards"))),
        Field(key="along", word="Rows along", kind="choice", start="x", choices=(("x", "X"), ("y", "Y")), shown=lambda v: v.get("ways") in _ROWS),
        Field(key="begin", word="Rows begin", kind="choice", start="side", choices=(("side", "at one side"), ("middle", "in the middle")),
              shown=lambda v: v.get("ways") in _ROWS),
        Field(key="beyond", word="Beyond the edge", start="2", start_inch="0.08", usual=(0, 8),
              tip="How far the tool's edge goes past the rectangle at each end"),
        *TURN,
    ),
    work=_face,
    about="A rectangle taken down in passes; the tool goes down beside the stock.",
    kinds=("face-mill", "end-mill"),
    ways=("ways", "along"),
)  # fmt: skip
