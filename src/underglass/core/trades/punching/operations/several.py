"""Punched work for which several stations are called: parts cut apart by common cuts, and a contour by straight and round punches.

Each station is called once. A straight cut by a rectangle laps by a share of it, round hits keep a wanted scallop (``shapes``).
"""

from __future__ import annotations

import itertools
import math

import shapely
from shapely import affinity

from underglass.core.compose.contour import Contour, Seg, stretches_in
from underglass.core.compose.contour_rows import read_contours
from underglass.core.compose.operation import Operation, ShopEntries, need
from underglass.core.compose.writer import Writer, writer
from underglass.core.reckon.form import Answer, Field, Row, Stroke, plain
from underglass.core.trades.punching.operations.shapes import LAP, TURN, Place, evenly, pitch_for, ways_of

_TOUCH = 1e-4
"""What a punch may take of a part, mm2: rounding."""


def _stations(e: ShopEntries, work: list[tuple[int, list[Place]]]) -> Writer:
    """Station after station, a hit at every place."""
    w = writer(e)
    for k, (station, places) in enumerate(work):
        w.tool(station, "", 0.0)
        if not k:
            w.block("G90")
        for x, y in places:
            w.hole(x, y)
    return w


def _drawn(e: ShopEntries, work: list[tuple[int, list[Place]]]) -> list[Stroke]:
    """The punches where they hit; of more than some hundred, their middles."""
    if sum(len(places) for _t, places in work) > 400:
        return [Stroke("dot", place, "path") for _t, places in work for place in places[:2000]]
    a, b = e.number("a") / 2.0, e.number("b") / 2.0
    out: list[Stroke] = []
    for station, places in work:
        for x, y in places:
            if "tr" in e.values and station == e.count("tr"):
                out.append(Stroke("arc", (x, y, e.number("d") / 2.0, 0.0, 360.0), "cut"))
                continue
            u, v = (a, b) if station == e.count("t") else (b, a)
            corners = [(x - u, y - v), (x + u, y - v), (x + u, y + v), (x - u, y + v), (x - u, y - v)]
            out += [Stroke("line", (*p, *q), "cut") for p, q in itertools.pairwise(corners)]
    return out


def _answer(
    e: ShopEntries, work: list[tuple[int, list[Place]]], strokes: tuple[Stroke, ...], more: tuple[Row, ...]
) -> Answer:
    work = _each_once(work)
    count = sum(len(places) for _t, places in work)
    need(count <= 20_000, "more than twenty thousand hits", "a")
    w = _stations(e, work)
    everywhere = [place for _t, places in work for place in places]
    way = sum(math.dist(a, b) for a, b in itertools.pairwise(everywhere))
    said = ", ".join(f"T{station} {len(places)}" for station, places in work)
    return Answer(
        rows=(
            Row("Hits", str(count), said),
            Row("Way between them", e.show(way)),
            *more,
            # One punch lies along X and one along Y: both stand as much farther round.
            *((Row("Punches stand turned by", f"{plain(w.turned.deg)} degrees"),) if w.turned is not None else ()),
        ),
        steps=(),
        blocks=w.text(),
        strokes=w.drawn_turned((*strokes, *_drawn(e, work))),
        points=tuple(w.turn(*place) for place in everywhere[:200]),
    )


def _each_once(work: list[tuple[int, list[Place]]]) -> list[tuple[int, list[Place]]]:
    """Every station once, every place of it once, empty ones left out."""
    by: dict[int, dict[Place, Place]] = {}
    for station, places in work:
        hit = by.setdefault(station, {})
        for x, y in places:
            hit.setdefault((round(x, 3), round(y, 3)), (x, y))
    return [(station, list(hit.values())) for station, hit in by.items() if hit]


def _there_and_back(rows: list[list[Place]]) -> list[Place]:
    """Row after row, every second one from its far end, so that the way between is short."""
    return [place for k, row in enumerate(rows) for place in (row[::-1] if k % 2 else row)]


# -- common cuts -----------------------------------------------------------------------------------------------------------


def _parts(e: ShopEntries) -> Answer:
    wide, high = e.positive("wide", "The width"), e.positive("high", "The height")
    nx, ny = e.count("nx"), e.count("ny")
    a, b, joint = e.positive("a", "The punch's length"), e.positive("b", "The punch's width"), e.number("joint")
    need(a > b - 1e-9, "the punch is wider than it is long", "b")
    need(nx * ny <= 2000, "more than two thousand parts", "nx")
    need(joint >= 0.0, "this cannot be less than zero", "joint")
    need(
        e.count("t") != e.count("ty") or abs(a - b) < 1e-9, "only a square punch does both ways from one station", "ty"
    )
    least = min(wide, high) - 2.0 * joint
    need(
        a <= least + 1e-9,
        "the punch is longer than a side between its joints" if joint > 0.0 else "the punch is longer than the part",
        "a",
    )
    x0, y0 = e.number("x"), e.number("y")
    across, up = wide + b, high + b
    step = a * (1.0 - LAP)
    along_x: list[list[Place]] = []
    for j in range(ny + 1):
        y = y0 + j * up - b / 2.0
        if joint > 0.0:
            # From joint to joint along each part: the corners stay, and what lies between four of them.
            row = [
                (x0 + i * across + joint + a / 2.0 + v, y)
                for i in range(nx)
                for v in evenly(wide - 2.0 * joint - a, step)
            ]
        else:
            # From beyond the first part to beyond the last one, in one go.
            row = [(x0 - b + a / 2.0 + v, y) for v in evenly(nx * across + b - a, step)]
        along_x.append(row)
    along_y: list[list[Place]] = []
    reach = -joint if joint > 0.0 else min(b / 2.0, (high + b - a) / 2.0)
    for i in range(nx + 1):
        x = x0 + i * across - b / 2.0
        row = [(x, y0 + j * up - reach + a / 2.0 + v) for j in range(ny) for v in evenly(high + 2.0 * reach - a, step)]
        along_y.append(row)
    # Each part by itself: its sides along X go on by the punch's width, so that the corners come off.
    beyond = -joint if joint > 0.0 else b
    sides = len(evenly(wide + 2.0 * beyond - a, step)) + len(evenly(high + 2.0 * reach - a, step))
    alone = 2 * nx * ny * sides
    boxes = [
        shapely.box(x0 + i * across, y0 + j * up, x0 + i * across + wide, y0 + j * up + high)
        for j in range(ny)
        for i in range(nx)
    ]
    rows = (
        Row("Parts", str(nx * ny), "held by their corners" if joint > 0.0 else "each freed by the last hit beside it"),
        Row("Without common cuts", f"{alone} hits"),
    )
    work = [(e.count("t"), _there_and_back(along_x)), (e.count("ty"), _there_and_back(along_y))]
    return _answer(e, work, tuple(s for box in boxes[:400] for s in _sides(box)), rows)


def _sides(shape: shapely.Polygon) -> list[Stroke]:
    places = shapely.get_coordinates(shape.exterior).tolist()
    return [Stroke("line", (*a, *b), "part") for a, b in itertools.pairwise(places)]


# -- one contour, several punches --------------------------------------------------------------------------------------------


class _Shape:
    """What may not be punched, and the rectangles that make the straight sides."""

    def __init__(self, contour: Contour, inside: bool, a: float, b: float) -> None:
        self.a, self.b, self.inside = a, b, inside
        # The free side is at the right of a contour that runs anticlockwise, at its left where an opening is made.
        self.run = contour.run(True)
        body = contour.polygon(0.0005)
        beyond = 4.0 * (a + b) + math.sqrt(body.area)
        self.keep = shapely.box(*body.bounds).buffer(beyond).difference(body) if inside else body
        shapely.prepare(self.keep)

    def straight(self, seg: Seg) -> str:
        """Whether a side is made by the punch along X, the one along Y, or by neither."""
        if seg.turn or seg.length < self.a - 1e-6:
            return ""
        dx, dy = seg.direction(0.0)
        return "x" if abs(dy) < 1e-6 else "y" if abs(dx) < 1e-6 else ""

    def hits(self, seg: Seg) -> list[Place] | None:
        """The middles of the hits along a straight side, as far beyond its ends as nothing is in the way; None where it cannot be."""
        dx, dy = seg.direction(0.0)
        side = 1.0 if self.inside else -1.0
        nx, ny = -dy * side, dx * side

        def free(first: float, last: float) -> bool:
            corners = [
                (seg.x0 + dx * u + nx * v, seg.y0 + dy * u + ny * v)
                for u, v in ((first, 0.0), (last, 0.0), (last, self.b), (first, self.b))
            ]
            return bool(shapely.intersection(self.keep, shapely.Polygon(corners)).area < _TOUCH)

        long = seg.length
        if not free(0.0, long):
            return None
        first = -self.b if free(-self.b, 0.0) else 0.0
        last = long + self.b if free(long, long + self.b) else long
        at = [first + self.a / 2.0 + v for v in evenly(last - first - self.a, self.a * (1.0 - LAP))]
        return [(seg.x0 + dx * u + nx * self.b / 2.0, seg.y0 + dy * u + ny * self.b / 2.0) for u in at]


def _contour(e: ShopEntries) -> Answer:
    found = read_contours(e.word("contour"), e.unit)
    need(bool(found), "no contour is entered yet", "contour")
    a, b, d = (
        e.positive("a", "The punch's length"),
        e.positive("b", "The punch's width"),
        e.positive("d", "The round punch"),
    )
    scallop = e.positive("scallop", "The scallop")
    need(scallop < d / 4.0, "so high a scallop leaves teeth", "scallop")
    need(a > b - 1e-9, "the punch is wider than it is long", "b")
    stations = [e.count(key) for key in ("t", "ty", "tr")]
    need(stations[0] != stations[1] or abs(a - b) < 1e-9, "only a square punch does both ways from one station", "ty")
    need(stations[2] not in stations[:2], "the round punch stands in a station of its own", "tr")
    inside = e.word("side") == "inside"
    by: dict[str, list[Place]] = {"x": [], "y": [], "": []}
    alone = 0
    left = 0.0
    for contour in found:
        need(contour.closed, "the contour is not closed", "contour")
        shape = _Shape(contour, inside, a, b)
        rest: list[Seg] = []
        for seg in shape.run.segs:
            which = shape.straight(seg)
            hits = shape.hits(seg) if which else None
            if hits is None:
                rest.append(seg)
            else:
                by[which] += hits
        ways = ways_of(contour, d / 2.0, inside)
        need(bool(ways), "the punch is wider than the contour", "d")
        pitch = pitch_for(d / 2.0, scallop)
        near = (
            shapely.union_all([shapely.LineString([(s.x0, s.y0), *s.places(0.01)]) for s in rest]).buffer(
                d / 2.0 + 0.02
            )
            if rest
            else None
        )
        for way in ways:
            alone += sum(len(evenly(s.length, pitch)) - 1 for s in way.segs)
            for run in stretches_in(way, near) if near is not None else []:
                by[""] += [seg.at(v / seg.length) for seg in run for v in evenly(seg.length, pitch)[:-1]]
                by[""].append((run[-1].x1, run[-1].y1))
        left += _standing(shape, by, d)
    work = [(stations[0], by["x"]), (stations[1], by["y"]), (stations[2], by[""])]
    rows = (
        Row("By the round punch alone", f"{alone} hits", f"scallops of {e.show(scallop)} along every side"),
        Row(
            "Left in corners",
            f"{left:.1f} mm2" if left > 0.05 else "none",
            "rounder than they are drawn: a smaller round punch takes more" if left > 0.05 else "",
        ),
    )
    return _answer(e, work, tuple(s for c in found for s in c.strokes()), rows)


def _standing(shape: _Shape, by: dict[str, list[Place]], d: float) -> float:
    """What stays in the corners that the hits do not get into, scallops left out, mm2."""
    a, b = shape.a / 2.0, shape.b / 2.0
    bodies = [affinity.translate(shapely.box(-a, -b, a, b), *p) for p in by["x"]] + [
        affinity.translate(shapely.box(-b, -a, b, a), *p) for p in by["y"]
    ]
    bodies += [shapely.Point(place).buffer(d / 2.0) for place in by[""]]
    gone = shapely.union_all(bodies)
    band = shape.run.polygon(0.01)
    free = (
        band.difference(band.buffer(-min(shape.b, d) / 3.0))
        if shape.inside
        else band.buffer(min(shape.b, d) / 3.0, join_style="mitre").difference(band)
    )
    stays = shapely.difference(free, gone).buffer(-0.15).buffer(0.15)
    return float(stays.area)


_LONG = Field(key="a", word="Punch, length", start="30", start_inch="1.2", usual=(20, 40))
_BROAD = Field(key="b", word="Punch, width", start="5", start_inch="0.2", usual=(3, 8))
_STATIONS = (
    Field(key="t", word="Station T, punch along X", kind="count", start="1", usual=(1, 9)),
    Field(key="ty", word="Station T, along Y", kind="count", start="2", usual=(10, 19)),
)

PARTS = Operation(
    name="Parts cut apart",
    fields=(
        *_STATIONS,
        Field(key="x", word="First part's corner X", start="60", start_inch="2.4", usual=(40, 90)), Field(key="y", word="First part's corner Y", start="140", start_inch="5.6", usual=(110, 160)),
        Field(key="wide", word="Part's width", start="90", start_inch="3.6", usual=(60, 120)), Field(key="high", word="Part's height", start="60", start_inch="2.4", usual=(60, 90)),
        Field(key="nx", word="Parts along X", kind="count", start="3", usual=(1, 4)), Field(key="ny", word="Parts along Y", kind="count", start="2", usual=(1, 3)),
        _LONG, _BROAD,
        Field(key="joint", word="Held at the corners by", start="0.4", start_inch="0.015", usual=(0, 0.8), tip="0: the last hit frees each part"),
        *TURN,
    ),
    work=_parts, about="Rectangles side by side, one cut for two neighbours; the gap is as wide as the punch.", kinds=("punch",),
)  # fmt: skip

CONTOUR = Operation(
    name="Punched contour",
    fields=(
        *_STATIONS, Field(key="tr", word="Station T, round punch", kind="count", start="3", usual=(20, 29)),
        Field(key="contour", word="Contour", kind="contour", start="180 150\n300 150 R20\n300 250 R20\n240 250\n240 210\n180 210\nCLOSE",
              start_inch="7 6\n12 6 R0.8\n12 10 R0.8\n9.5 10\n9.5 8.4\n7 8.4\nCLOSE"),
        Field(key="side", word="Punches run", kind="choice", start="outside", choices=(("outside", "outside"), ("inside", "inside"))),
        _LONG, _BROAD, Field(key="d", word="Round punch, diameter", start="12", start_inch="0.5", usual=(6, 16)),
        Field(key="scallop", word="Scallop", start="0.2", start_inch="0.008", usual=(0.05, 0.4)),
        *TURN,
    ),
    work=_contour, about="Sides along X and Y by rectangles, the rest by a round punch: each station is called once.", kinds=("punch",),
)  # fmt: skip
