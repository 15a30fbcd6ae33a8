"""Punched shapes broken down into hits: holes, slots, openings, round openings, edges.

Pitch for a wanted scallop: q = 2 sqrt(r2 - (r - h)2) (plane geometry). Straight cuts by a rectangle overlap by a share of it, so
that no strip stays (common practice, no source).
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Mapping

import shapely

from underglass.core.compose.contour import Contour, fitted, grown, rings_of
from underglass.core.compose.contour_rows import read_contours
from underglass.core.compose.operation import Operation, ShopEntries, need
from underglass.core.compose.turn_fields import turn_fields
from underglass.core.compose.writer import Writer, writer
from underglass.core.reckon.form import Answer, Field, Row, Stroke, plain
from underglass.core.reckon.patterns import in_rows, on_circle

LAP = 0.15
"""How much of a rectangle's length two hits of a straight cut share."""
Place = tuple[float, float]


def evenly(length: float, step: float) -> list[float]:
    """From 0 to a length in equal steps no longer than ``step``."""
    count = max(1, math.ceil(length / step - 1e-9)) if length > 1e-9 else 0
    return [length * k / count for k in range(count + 1)] if count else [0.0]


def pitch_for(r: float, scallop: float) -> float:
    """The pitch of round hits at which a scallop of so much stays, mm."""
    return 2.0 * math.sqrt(max(r * r - (r - scallop) ** 2, 0.0))


def _begin(e: ShopEntries) -> Writer:
    w = writer(e)
    w.tool(e.count("t"), "", 0.0)
    w.block("G90")
    return w


TURN = turn_fields(by=5.0, about=(150.0, 300.0))


def stands(w: Writer, angle: float = 0.0) -> Row:
    """How the punch must stand in the turret for a shape that is made at an angle, degrees, before it is turned."""
    turned = w.turned.deg if w.turned is not None else 0.0
    return Row(
        "Stands in the turret at", f"{plain(angle + turned)} degrees", "as far as the shape is turned" if turned else ""
    )


def _hit(w: Writer, places: list[Place]) -> None:
    """A hit at every place, a block each."""
    for x, y in places:
        w.hole(x, y)


def _answer(
    e: ShopEntries, w: Writer, places: list[Place], strokes: tuple[Stroke, ...], more: tuple[Row, ...] = ()
) -> Answer:
    need(len(places) <= 20_000, "more than twenty thousand hits", "t")
    way = sum(math.dist(a, b) for a, b in itertools.pairwise(places))
    places = [w.turn(*place) for place in places]
    dots = tuple(Stroke("dot", p, "path") for p in places[:2000])
    return Answer(
        rows=(Row("Hits", str(len(places))), Row("Way between them", e.show(way)), *more),
        steps=(),
        blocks=w.text(),
        strokes=(*w.drawn_turned(strokes), *dots),
        points=tuple(places[:200]),
    )


def shortest(places: list[Place]) -> list[Place]:
    """Each time to the nearest of those left: no shortest round, but short."""
    left, out = list(places[1:]), list(places[:1])
    while left:
        x, y = out[-1]
        k = min(range(len(left)), key=lambda i: (left[i][0] - x) ** 2 + (left[i][1] - y) ** 2)
        out.append(left.pop(k))
    return out


def _holes(e: ShopEntries) -> Answer:
    kind = e.word("pattern")
    if kind == "list":
        places = list(e.places("points"))
        need(bool(places), "no hole is entered yet", "points")
        if e.word("sort") == "yes":
            places = shortest(places)
    elif kind == "circle":
        places = list(
            on_circle(
                e.number("cx"),
                e.number("cy"),
                e.positive("pcd", "The circle"),
                e.count("n"),
                e.number("from"),
                e.number("span"),
            )
        )
    else:
        rows = e.count("rows") if kind == "grid" else 1
        places = list(
            in_rows(
                e.number("hx"),
                e.number("hy"),
                e.count("n"),
                rows,
                e.number("dx"),
                e.number("dy") if kind == "grid" else 0.0,
                e.number("along"),
            )
        )
    w = _begin(e)
    _hit(w, places)
    return _answer(e, w, places, ())


def _slot(e: ShopEntries) -> Answer:
    long, wide, own = (
        e.positive("long", "The slot's length"),
        e.positive("wide", "The punch's width"),
        e.positive("own", "The punch's length"),
    )
    need(long >= own - 1e-9, "the slot is shorter than the punch", "long")
    need(own > wide - 1e-9, "an obround is longer than wide", "own")
    a = math.radians(e.number("angle"))
    # Hits along the slot; the round ends of the punch lie in the slot's straight sides as soon as they share half its straight.
    step = max((own - wide) * 0.8, pitch_for(wide / 2.0, min(0.1, wide / 20.0)))
    at = evenly(long - own, step)
    x, y = e.number("x") - (long - own) / 2.0 * math.cos(a), e.number("y") - (long - own) / 2.0 * math.sin(a)
    places = [(x + v * math.cos(a), y + v * math.sin(a)) for v in at]
    w = _begin(e)
    _hit(w, places)
    return _answer(
        e,
        w,
        places,
        (),
        (
            Row("Pitch", e.show(at[1] - at[0] if len(at) > 1 else 0.0)),
            stands(w, e.number("angle")),
        ),
    )


def _window(e: ShopEntries) -> Answer:
    wide, high, a, b = (
        e.positive("wide", "The width"),
        e.positive("high", "The height"),
        e.positive("a", "The punch along X"),
        e.positive("b", "The punch along Y"),
    )
    need(wide >= a - 1e-9 and high >= b - 1e-9, "the punch is larger than the opening", "a")
    x0, y0 = e.number("x") - wide / 2.0 + a / 2.0, e.number("y") - high / 2.0 + b / 2.0
    xs, ys = evenly(wide - a, a * (1.0 - LAP)), evenly(high - b, b * (1.0 - LAP))
    all_over = e.word("slug") == "nothing" or wide < 2.2 * a or high < 2.2 * b
    places: list[Place] = []
    if all_over:
        for k, v in enumerate(ys):
            places += [(x0 + u, y0 + v) for u in (xs if k % 2 == 0 else xs[::-1])]
    else:
        # Round the edge from beside the middle of a side to that middle: the last hit closes the last gap.
        right, up = xs[-1], ys[-1]
        ring = (
            [(x0, y0 + v) for v in ys]
            + [(x0 + u, y0 + up) for u in xs[1:]]
            + [(x0 + right, y0 + v) for v in ys[::-1][1:]]
        )
        ring += [(x0 + u, y0) for u in xs[::-1][1:-1]]
        last = len(ys) // 2
        places = ring[last + 1 :] + ring[: last + 1]
    w = _begin(e)
    _hit(w, places)
    cx, cy = e.number("x"), e.number("y")
    box = (cx - wide / 2, cy - high / 2, cx + wide / 2, cy + high / 2)
    strokes = tuple(
        Stroke("line", s, "part")
        for s in (
            (box[0], box[1], box[2], box[1]),
            (box[2], box[1], box[2], box[3]),
            (box[2], box[3], box[0], box[3]),
            (box[0], box[3], box[0], box[1]),
        )
    )
    said = Row("What is left inside", "nothing" if all_over else "a piece, freed by the last hit")
    return _answer(e, w, places, strokes, (said, *((stands(w),) if w.turned is not None else ())))


def _ridge(wanted: float, run: float, r: float, count: int) -> float:
    """How far inside a circle two of its hits meet: their outlines cross half way between them (plane geometry)."""
    half = math.pi / count
    inside = r * r - (run * math.sin(half)) ** 2
    return wanted - (run * math.cos(half) + math.sqrt(inside)) if inside > 0.0 else math.inf


def _round(e: ShopEntries) -> Answer:
    dia, d = e.positive("dia", "The opening"), e.positive("d", "The punch")
    need(dia > d, "the punch is larger than the opening: one hit makes it", "d")
    scallop = e.positive("scallop", "The scallop")
    need(scallop < d / 4.0, "so high a scallop leaves teeth", "scallop")
    run = (dia - d) / 2.0
    # Round a circle two hits meet farther in than along a line: their pitch there is where it begins.
    pitch = min(pitch_for(d / 2.0, scallop), 2.0 * run)
    count = max(3, math.ceil(math.tau * run / pitch))
    while _ridge(dia / 2.0, run, d / 2.0, count) > scallop:
        count += 1
    places = list(on_circle(e.number("x"), e.number("y"), 2.0 * run, count, 0.0, 360.0))
    if dia <= 2.0 * d:
        places.append((e.number("x"), e.number("y"))) if dia > 2.0 * d - 0.2 else None
    w = _begin(e)
    _hit(w, places)
    step = math.tau * run / count
    shown = _ridge(dia / 2.0, run, d / 2.0, count)
    strokes = (Stroke("arc", (e.number("x"), e.number("y"), dia / 2.0, 0.0, 360.0), "part"),)
    return _answer(
        e,
        w,
        places,
        strokes,
        (Row("Pitch", e.show(step)), Row("Scallop", e.show(shown), "where two hits meet, from the circle")),
    )


def ways_of(contour: Contour, r: float, inside: bool) -> list[Contour]:
    """The middles' ways of round hits along a contour."""
    if not contour.closed:
        line = shapely.offset_curve(shapely.LineString(contour.places()), r if inside else -r, quad_segs=32)
        return [fitted(shapely.get_coordinates(part), False) for part in shapely.get_parts(line)]
    return [c for c in rings_of(grown(contour.polygon(), -r if inside else r)) if c.anticlockwise]


def _edge(e: ShopEntries) -> Answer:
    found = read_contours(e.word("contour"), e.unit)
    need(bool(found), "no contour is entered yet", "contour")
    d, scallop, bridge = e.positive("d", "The punch"), e.positive("scallop", "The scallop"), e.number("bridge")
    need(scallop < d / 4.0, "so high a scallop leaves teeth", "scallop")
    need(bridge >= 0.0, "this cannot be less than zero", "bridge")
    inside = e.word("side") == "inside"
    places: list[Place] = []
    pitch = pitch_for(d / 2.0, scallop)
    for contour in found:
        ways = ways_of(contour, d / 2.0, inside)
        need(bool(ways), "the punch is wider than the contour", "d")
        for way in ways:
            # Corners are hit themselves; between them the pitch is even. A bridge is left where a closed way ends.
            gap = bridge + d if bridge > 0.0 and way.closed else 0.0
            need(way.length > gap, "the bridge is longer than the contour", "bridge")
            for seg in way.between(0.0, way.length - gap) if gap else way.segs:
                places += [seg.at(v / seg.length) for v in evenly(seg.length, pitch)[:-1]]
            if not way.closed or gap:
                last = (way.between(0.0, way.length - gap) if gap else way.segs)[-1]
                places.append((last.x1, last.y1))
    w = _begin(e)
    _hit(w, places)
    return _answer(
        e,
        w,
        places,
        tuple(s for c in found for s in c.strokes()),
        (Row("Pitch", e.show(pitch), "2 \u221a(r\u00b2 - (r - h)\u00b2)"),),
    )


def _is(key: str, *values: str) -> Callable[[Mapping[str, str]], bool]:
    return lambda v: v.get(key) in values


_T = Field(key="t", word="Station T", kind="count", start="1", usual=(1, 20))

HOLES = Operation(
    name="Punched holes",
    fields=(
        _T,
        Field(key="pattern", word="Where", kind="choice", start="grid", choices=(("list", "places in a list"), ("line", "in a line"), ("grid", "in rows"), ("circle", "on a circle"))),
        Field(key="points", word="Places", kind="points", start="30 30\n90 30\n90 80", start_inch="1 1\n3 1\n3 3", shown=_is("pattern", "list")),
        Field(key="sort", word="Order", kind="choice", start="yes", choices=(("yes", "nearest next"), ("no", "as listed")), shown=_is("pattern", "list")),
        Field(key="hx", word="First X", start="100", start_inch="4", shown=_is("pattern", "line", "grid"), usual=(80, 150)),
        Field(key="hy", word="First Y", start="120", start_inch="5", shown=_is("pattern", "line", "grid"), usual=(100, 150)),
        Field(key="cx", word="Middle X", start="250", start_inch="10", shown=_is("pattern", "circle"), usual=(200, 300)),
        Field(key="cy", word="Middle Y", start="200", start_inch="8", shown=_is("pattern", "circle"), usual=(190, 220)),
        Field(key="pcd", word="Circle, diameter", start="100", start_inch="4", shown=_is("pattern", "circle"), usual=(80, 150)),
        Field(key="n", word="How many", kind="count", start="6", shown=_is("pattern", "line", "grid", "circle"), usual=(1, 8)),
        Field(key="dx", word="Pitch", start="25", start_inch="1", shown=_is("pattern", "line", "grid"), usual=(20, 30)),
        Field(key="rows", word="Rows", kind="count", start="3", shown=_is("pattern", "grid"), usual=(1, 4)), Field(key="dy", word="Rows apart", start="25", start_inch="1", shown=_is("pattern", "grid"), usual=(20, 30)),
        Field(key="along", word="Rows' direction", kind="angle", start="0", shown=_is("pattern", "line", "grid"), usual=(-10, 10)),
        Field(key="from", word="First at", kind="angle", start="0", shown=_is("pattern", "circle"), usual=(-180, 180)), Field(key="span", word="Over an angle of", kind="angle", start="360", shown=_is("pattern", "circle"), usual=(180, 360)),
        *TURN,
    ),
    work=_holes, about="A hole of the punch's size at every place.", kinds=("punch",),
)  # fmt: skip

SLOT = Operation(
    name="Punched slot",
    fields=(
        _T, Field(key="x", word="Middle X", start="200", start_inch="8", usual=(150, 350)), Field(key="y", word="Middle Y", start="200", start_inch="8", usual=(180, 300)),
        Field(key="long", word="Length over all", start="60", start_inch="2.4", usual=(40, 120)), Field(key="own", word="Punch, length over all", start="30", start_inch="1.2", usual=(20, 36)),
        Field(key="wide", word="Punch, width", start="8", start_inch="0.3", usual=(5, 12)), Field(key="angle", word="Angle of slot and punch", kind="angle", start="0", usual=(0, 90)),
        *TURN,
    ),
    work=_slot, about="A slot by an obround punch, in hits that share their straight sides.", kinds=("punch",),
)  # fmt: skip

WINDOW = Operation(
    name="Punched opening",
    fields=(
        _T, Field(key="x", word="Middle X", start="250", start_inch="10", usual=(200, 350)), Field(key="y", word="Middle Y", start="220", start_inch="8", usual=(200, 280)),
        Field(key="wide", word="Width", start="120", start_inch="4.8", usual=(60, 180)), Field(key="high", word="Height", start="70", start_inch="2.8", usual=(50, 120)),
        Field(key="a", word="Punch along X", start="30", start_inch="1.2", usual=(10, 40)), Field(key="b", word="Punch along Y", start="10", start_inch="0.4", usual=(5, 40)),
        Field(key="slug", word="What lies inside", kind="choice", start="nothing", choices=(("nothing", "punched away whole"), ("piece", "stays one piece, freed last"))),
        *TURN,
    ),
    work=_window, about="A rectangular opening by a square or rectangular punch.", kinds=("punch",),
)  # fmt: skip

ROUND = Operation(
    name="Punched round opening",
    fields=(
        _T, Field(key="x", word="Middle X", start="250", start_inch="10", usual=(200, 350)), Field(key="y", word="Middle Y", start="220", start_inch="8", usual=(200, 280)),
        Field(key="dia", word="Diameter", start="76", start_inch="3", usual=(45, 120)), Field(key="d", word="Punch, diameter", start="12", start_inch="0.5", usual=(8, 20)),
        Field(key="scallop", word="Scallop", start="0.2", start_inch="0.008", usual=(0.05, 0.4)),
        *TURN,
    ),
    work=_round, about="A round opening by a smaller round punch; the pitch is worked out from the scallop.", kinds=("punch",),
)  # fmt: skip

EDGE = Operation(
    name="Punched edge",
    fields=(
        _T, Field(key="contour", word="Contour", kind="contour", start="180 150\n280 150 R20\n280 230 R20\n180 230\nCLOSE", start_inch="7 6\n11 6 R0.8\n11 9 R0.8\n7 9\nCLOSE"),
        Field(key="side", word="Punch runs", kind="choice", start="outside", choices=(("outside", "outside, or right of an open one"), ("inside", "inside, or left of an open one"))),
        Field(key="d", word="Punch, diameter", start="12", start_inch="0.5", usual=(6, 16)), Field(key="scallop", word="Scallop", start="0.2", start_inch="0.008", usual=(0.05, 0.4)),
        Field(key="bridge", word="Bridge left", start="2", start_inch="0.08", usual=(0, 4), tip="0: the last hit frees the piece"),
        *TURN,
    ),
    work=_edge, about="A contour nibbled by a round punch; the pitch is worked out from the scallop.", kinds=("punch",),
)  # fmt: skip
