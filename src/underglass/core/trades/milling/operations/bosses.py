"""Bosses: what stands round or rectangular is left, the metal about it taken off from outside inwards."""

from __future__ import annotations

import math

import shapely

from underglass.core.compose.contour import Contour, Seg, grown, rings_of, stretches_in
from underglass.core.compose.operation import Operation, ShopEntries, need
from underglass.core.compose.writer import levels, writer
from underglass.core.reckon.form import Answer, Field, Row, Stroke
from underglass.core.trades.milling.operations.common import COMMON, DEEP, DOWN, TOP, TURN, close, length_rows, opening
from underglass.core.trades.milling.operations.finishing import finish_wall


def rectangle(cx: float, cy: float, a: float, b: float, c: float) -> Contour:
    """Half lengths ``a`` and ``b``, corner radius ``c``; anticlockwise."""
    c = min(c, a, b)
    segs: list[Seg] = []
    corners = ((1, -1), (1, 1), (-1, 1), (-1, -1))
    middles = [(cx + sx * (a - c), cy + sy * (b - c)) for sx, sy in corners]
    ways = ((0, -1), (1, 0), (0, 1), (-1, 0))
    for k in range(4):
        mx, my = middles[k]
        (ux, uy), (vx, vy) = ways[k], ways[(k + 1) % 4]
        nx, ny = middles[(k + 1) % 4]
        if c > 1e-9:
            segs.append(Seg(mx + ux * c, my + uy * c, mx + vx * c, my + vy * c, 1, mx, my))
        segs.append(Seg(mx + vx * c, my + vy * c, nx + vx * c, ny + vy * c))
    return Contour(tuple(s for s in segs if s.length > 1e-6), True)


def _boss(e: ShopEntries, boss: Contour) -> Answer:
    d, deep, top = e.positive("d", "The tool's diameter"), e.positive("deep", "The depth"), e.number("top")
    r, wall = d / 2.0, e.number("wall")
    need(wall >= 0.0, "this cannot be less than zero", "wall")
    share = e.number("over")
    need(10.0 <= share <= 90.0, "the step across goes from 10 to 90 per cent of the diameter", "over")
    (x0, x1), (y0, y1) = sorted((e.number("x0"), e.number("x1"))), sorted((e.number("y0"), e.number("y1")))
    stock = shapely.box(x0, y0, x1, y1)
    need(stock.area > 0.0, "the stock's corners are on one line", "x1")
    shape = boss.polygon()
    need(stock.covers(shape.buffer(-0.01)), "the boss does not lie within the stock", "x1")
    step = d * share / 100.0
    # Outwards until a round meets no metal any more; there the tool is in air.
    rings: list[Contour] = []
    while len(rings) < 1000:
        ring = next(c for c in rings_of(grown(shape, r + wall + step * len(rings), 0.001)) if c.anticlockwise)
        rings.append(ring)
        if grown(shape, wall + step * len(rings), 0.01).covers(stock):
            break
    climb = e.word("turn") == "climb"
    # Where there is metal, and a little beyond, so that the tool goes down and up beside the stock.
    field = grown(stock, r + 1.0, 0.01)
    w = writer(e)
    opening(w, e)
    f, fdown = e.positive("f", "The feed"), e.positive("fdown", "The feed downwards")
    clear = top + e.number("near")
    runs: list[tuple[Seg, ...]] = []
    for ring in reversed(rings):
        runs += stretches_in(ring.run(not climb), field)
    heights = levels(top, top - deep, e.positive("down", "The depth of a pass"))
    for level in heights:
        at: tuple[float, float] | None = None
        for run in runs:
            whole = math.dist((run[0].x0, run[0].y0), (run[-1].x1, run[-1].y1)) < 1e-6
            if whole:
                # From where the tool stands straight to the round, never across the boss.
                run = Contour(run, True).nearest(at or _beside(run, stock, r)).segs
            if at is None:
                # A whole round starts beside the stock as well, and is fed to.
                w.rapid(*(_beside(run, stock, r) if whole else (run[0].x0, run[0].y0)))
                w.rapid(z=clear)
                w.feed(z=level, f=fdown)
            w.feed(run[0].x0, run[0].y0, f=f)
            for seg in run:
                w.seg(seg, f=f)
            at = (run[-1].x1, run[-1].y1)
            if not whole:
                w.rapid(z=clear)
                at = None
        w.rapid(z=clear)
    last = wall > 0.0 or e.word("finish") == "comp"
    if last:
        finish_wall(w, e, boss.run(not climb), 1 if climb else -1, heights[-1], "arc", max(0.8 * r, 1.0))
    w.rapid(z=e.number("safe"))
    close(w, e)
    drawn: tuple[Stroke, ...] = (
        *boss.strokes(),
        *(s._replace(style="help") for s in rectangle(*_middle(stock), 0.0).strokes()),
    )
    rows = (Row("Rounds", f"{len(rings)} across, {len(heights)} deep" + (", and the last one" if last else "")),)
    return Answer(rows=(*rows, *length_rows(w, e)), steps=(), blocks=w.text(), strokes=(*drawn, *w.strokes))


def _middle(box: shapely.Polygon) -> tuple[float, float, float, float]:
    x0, y0, x1, y1 = box.bounds
    return (x0 + x1) / 2.0, (y0 + y1) / 2.0, (x1 - x0) / 2.0, (y1 - y0) / 2.0


def _beside(run: tuple[Seg, ...], stock: shapely.Polygon, r: float) -> tuple[float, float]:
    """The place beside the stock that is nearest to where a round starts."""
    x0, y0, x1, y1 = stock.buffer(r + 1.0, join_style="mitre").bounds
    x, y = run[0].x0, run[0].y0
    return min(((x0, y), (x1, y), (x, y0), (x, y1)), key=lambda p: abs(p[0] - x) + abs(p[1] - y))


def _rectangular(e: ShopEntries) -> Answer:
    a, b = e.positive("long", "The length") / 2.0, e.positive("wide", "The width") / 2.0
    corner = e.number("corner")
    need(0.0 <= corner <= min(a, b) + 1e-9, "the corners are rounder than the boss is wide", "corner")
    return _boss(e, rectangle(e.number("cx"), e.number("cy"), a, b, corner))


def _round(e: ShopEntries) -> Answer:
    half = e.positive("dia", "The diameter") / 2.0
    return _boss(e, rectangle(e.number("cx"), e.number("cy"), half, half, half))


_STOCK = (
    Field(key="x0", word="Stock from X", start="0", usual=(-20, 0)), Field(key="y0", word="from Y", start="0", usual=(-20, 0)),
    Field(key="x1", word="Stock to X", start="100", start_inch="4", usual=(90, 120)), Field(key="y1", word="to Y", start="60", start_inch="2.5", usual=(60, 80)),
    Field(key="cx", word="Middle X", start="50", start_inch="2", usual=(40, 55)), Field(key="cy", word="Middle Y", start="30", start_inch="1.25", usual=(28, 34)),
)  # fmt: skip
_HOW = (
    Field(key="over", word="Stepover, % of D", kind="number", start="50", usual=(15, 80)),
    Field(key="wall", word="Wall allowance", start="0.2", start_inch="0.008", usual=(0, 0.5), tip="Taken off by a last round at full depth"),
    Field(key="finish", word="Finish pass", kind="choice", start="plain", choices=(("plain", "by the tool's centre"), ("comp", "with G41 and D"))),
    Field(key="turn", word="Cutting", kind="choice", start="climb", choices=(("climb", "climb"), ("against", "conventional"))),
)  # fmt: skip

RECTANGULAR_BOSS = Operation(
    name="Boss, rectangular",
    fields=(
        *_STOCK, Field(key="long", word="Length in X", start="60", start_inch="2.5", usual=(20, 70)),
        Field(key="wide", word="Width in Y", start="30", start_inch="1.25", usual=(15, 50)),
        Field(key="corner", word="Corner radius", start="5", start_inch="0.2", usual=(0, 7)),
        TOP, DEEP, DOWN, *COMMON, *_HOW, *TURN,
    ),
    work=_rectangular,
    about="A rectangle that stays standing; the tool comes from beside the stock.",
)  # fmt: skip

ROUND_BOSS = Operation(
    name="Boss, round",
    fields=(
        *_STOCK,
        Field(key="dia", word="Diameter", start="40", start_inch="1.5", usual=(10, 50)),
        TOP,
        DEEP,
        DOWN,
        *COMMON,
        *_HOW,
        *TURN,
    ),
    work=_round,
    about="A round that stays standing; the tool comes from beside the stock.",
)
