"""Corners and tangents: where lines and circles touch, and the points a cutter's centre runs through.

Source: elementary plane geometry; directions and turns as in any handbook of trigonometry.
"""

from __future__ import annotations

import math
from itertools import pairwise

from underglass.core.reckon.form import Answer, CannotBe, Entries, Field, Reckoner, Row, Stroke, plain, xy

Point = tuple[float, float]


def _unit(a: Point, b: Point, key: str) -> Point:
    length = math.hypot(b[0] - a[0], b[1] - a[1])
    if length == 0.0:
        raise CannotBe("two of these points are one place", key)
    return (b[0] - a[0]) / length, (b[1] - a[1]) / length


def rounding(a: Point, corner: Point, b: Point, r: float) -> tuple[Point, Point, Point, bool]:
    """(first touch, last touch, centre, clockwise) of the arc of radius r that rounds a corner. Raises ``CannotBe``.

    Each touch is r * tan(turn / 2) from the corner, ``turn`` being how far the direction changes there.
    """
    u, v = _unit(a, corner, "ax"), _unit(corner, b, "bx")
    cross, dot = u[0] * v[1] - u[1] * v[0], u[0] * v[0] + u[1] * v[1]
    turned = math.atan2(cross, dot)
    if abs(turned) < 1e-9:
        raise CannotBe("the three points are on one line: no corner to round", "cx")
    if abs(abs(turned) - math.pi) < 1e-9:
        raise CannotBe("the second line goes back along the first", "bx")
    back = r * math.tan(abs(turned) / 2.0)
    for end in (a, b):
        if math.hypot(end[0] - corner[0], end[1] - corner[1]) < back - 1e-9:
            raise CannotBe(f"the radius is too large: it takes {plain(back)} of each line", "r")
    first = (corner[0] - u[0] * back, corner[1] - u[1] * back)
    last = (corner[0] + v[0] * back, corner[1] + v[1] * back)
    side = 1.0 if turned > 0 else -1.0
    centre = (first[0] - u[1] * r * side, first[1] + u[0] * r * side)
    return first, last, centre, turned < 0


def _rounded(e: Entries) -> Answer:
    a, corner, b = ((e.number(p + "x"), e.number(p + "y")) for p in "acb")
    r = e.positive("r", "The radius")
    first, last, centre, clockwise = rounding(a, corner, b, r)
    i, j = centre[0] - first[0], centre[1] - first[1]
    turned = 180.0 - _inside_angle(a, corner, b)
    back = math.hypot(corner[0] - first[0], corner[1] - first[1])
    g = "G2" if clockwise else "G3"
    start = math.degrees(math.atan2(first[1] - centre[1], first[0] - centre[0]))
    arc = (start - turned, start) if clockwise else (start, start + turned)
    return Answer(
        rows=(
            Row("Arc begins", xy(*first, e.unit)),
            Row("Arc ends", xy(*last, e.unit)),
            Row("Centre", xy(*centre, e.unit)),
            Row("I, J", f"I{e.code(i)} J{e.code(j)}"),
        ),
        steps=(f"from the corner = R \u00b7 tan(turn/2) = {e.show(r)} \u00b7 tan({plain(turned)}\u00b0/2) = {e.show(back)}",),
        blocks=(f"G1 {xy(*first, e.unit)}", f"{g} {xy(*last, e.unit)} I{e.code(i)} J{e.code(j)}", f"G1 {xy(*b, e.unit)}"),
        strokes=(
            Stroke("line", (*first, *corner), "help"), Stroke("line", (*corner, *last), "help"),
            Stroke("line", (*a, *first), "path"), Stroke("line", (*last, *b), "path"),
            Stroke("arc", (*centre, r, *arc), "path"),
            Stroke("dot", first, "path", "begins"), Stroke("dot", last, "path", "ends"), Stroke("dot", centre, "help", "centre"),
        ),
    )  # fmt: skip


def _inside_angle(a: Point, corner: Point, b: Point) -> float:
    u, v = _unit(corner, a, "ax"), _unit(corner, b, "bx")
    return math.degrees(math.acos(max(-1.0, min(1.0, u[0] * v[0] + u[1] * v[1]))))


def _chamfered(e: Entries) -> Answer:
    a, corner, b = ((e.number(p + "x"), e.number(p + "y")) for p in "acb")
    size = e.positive("size", "The chamfer")
    u, v = _unit(a, corner, "ax"), _unit(corner, b, "bx")
    first = (corner[0] - u[0] * size, corner[1] - u[1] * size)
    last = (corner[0] + v[0] * size, corner[1] + v[1] * size)
    return Answer(
        rows=(
            Row("Begins", xy(*first, e.unit)),
            Row("Ends", xy(*last, e.unit)),
            Row("Width", e.show(math.dist(first, last))),
        ),
        steps=(f"{e.show(size)} along each line from the corner",),
        blocks=(f"G1 {xy(*first, e.unit)}", xy(*last, e.unit), xy(*b, e.unit)),
        strokes=(
            Stroke("line", (*first, *corner), "help"), Stroke("line", (*corner, *last), "help"),
            Stroke("line", (*a, *first), "path"), Stroke("line", (*first, *last), "path"), Stroke("line", (*last, *b), "path"),
            Stroke("dot", first, "path", "begins"), Stroke("dot", last, "path", "ends"),
        ),
    )  # fmt: skip


def tangents(p: Point, centre: Point, r: float) -> tuple[Point, Point]:
    """The two places where lines from a point touch a circle. Raises ``CannotBe`` where the point is inside."""
    d = math.dist(p, centre)
    if d < r * (1.0 + 1e-12):
        raise CannotBe("the point is inside the circle: no line from it can touch", "ax")
    towards = math.atan2(p[1] - centre[1], p[0] - centre[0])
    spread = math.acos(r / d)
    return (
        (centre[0] + r * math.cos(towards + spread), centre[1] + r * math.sin(towards + spread)),
        (centre[0] + r * math.cos(towards - spread), centre[1] + r * math.sin(towards - spread)),
    )


def _tangent(e: Entries) -> Answer:
    p, centre, r = (e.number("ax"), e.number("ay")), (e.number("cx"), e.number("cy")), e.positive("r", "The radius")
    one, other = tangents(p, centre, r)
    d = math.dist(p, centre)
    length = math.sqrt(d * d - r * r)
    return Answer(
        rows=(Row("Touches at", xy(*one, e.unit)), Row("or at", xy(*other, e.unit)), Row("Line's length", e.show(length))),
        steps=(
            f"angle at the centre = acos(R/d) = acos({e.show(r)}/{e.show(d)}) = {plain(math.degrees(math.acos(r / d)))}\u00b0",
            f"length = sqrt(d\u00b2 - R\u00b2) = {e.show(length)}",
        ),
        alternatives=True,
        blocks=(f"G1 {xy(*one, e.unit)}", f"G1 {xy(*other, e.unit)}"),
        strokes=(
            Stroke("arc", (*centre, r, 0.0, 360.0), "part"),
            Stroke("line", (*p, *one), "path"), Stroke("line", (*p, *other), "help"),
            Stroke("line", (*centre, *one), "measure", f"R{e.code(r)}"),
            Stroke("dot", p, "path", "from"), Stroke("dot", one, "path", "touches"), Stroke("dot", other, "help"),
        ),
    )  # fmt: skip


def belt(c1: Point, r1: float, c2: Point, r2: float, crossed: bool, left: bool) -> tuple[Point, Point]:
    """Where the common tangent of two circles touches each; on the left or right of the way from 1 to 2.

    Open (not crossed): asin((r1 - r2)/d) off the line of centres; crossed: asin((r1 + r2)/d). Raises ``CannotBe``.
    """
    d = math.dist(c1, c2)
    side = 1.0 if left else -1.0
    other = -r2 if crossed else r2
    if d <= abs(r1 - other) * (1.0 + 1e-12):
        raise CannotBe(
            "no such line: one circle reaches into the other" if crossed else "one circle is inside the other", "r2"
        )
    along = math.atan2(c2[1] - c1[1], c2[0] - c1[0])
    normal = along + side * math.acos((r1 - other) / d)
    n = (math.cos(normal), math.sin(normal))
    return (c1[0] + n[0] * r1, c1[1] + n[1] * r1), (c2[0] + n[0] * other, c2[1] + n[1] * other)


def _belt(e: Entries) -> Answer:
    c1, c2 = (e.number("ax"), e.number("ay")), (e.number("bx"), e.number("by"))
    r1, r2 = e.positive("r1", "The first radius"), e.positive("r2", "The second radius")
    crossed = e.word("how") == "crossed"
    one, two = belt(c1, r1, c2, r2, crossed, e.word("side") == "left")
    d = math.dist(c1, c2)
    sign = "+" if crossed else "-"
    return Answer(
        rows=(
            Row("Touches the first at", xy(*one, e.unit)),
            Row("Touches the second at", xy(*two, e.unit)),
            Row("Line's length", e.show(math.dist(one, two))),
        ),
        steps=(
            f"angle at the centres = acos((R1 {sign} R2)/d) = acos(({e.show(r1)} {sign} {e.show(r2)})/{e.show(d)}) = "
            f"{plain(math.degrees(math.acos((r1 + r2 if crossed else r1 - r2) / d)))}\u00b0",
        ),
        blocks=(f"G1 {xy(*one, e.unit)}", xy(*two, e.unit)),
        strokes=(
            Stroke("arc", (*c1, r1, 0.0, 360.0), "part"), Stroke("arc", (*c2, r2, 0.0, 360.0), "part"),
            Stroke("line", (*one, *two), "path"), Stroke("dot", one, "path"), Stroke("dot", two, "path"),
            Stroke("line", (*c1, *one), "help"), Stroke("line", (*c2, *two), "help"),
        ),
    )  # fmt: skip


def beside(points: tuple[Point, ...], distance: float, closed: bool) -> tuple[Point, ...]:
    """Corners of the line that runs ``distance`` to the left of straight lines through ``points`` (to the right: minus).

    A corner's point is where the two shifted lines meet: distance * (tan(turn/2) * along + across). Raises ``CannotBe``.
    """
    if len(points) < 2 + closed:
        raise CannotBe("at least two points are needed, three where they close", "points")
    if closed and points[0] == points[-1]:
        points = points[:-1]
    count = len(points)
    out = []
    for k in range(count):
        before = points[k - 1] if k or closed else None
        after = points[(k + 1) % count] if k + 1 < count or closed else None
        u = _unit(before, points[k], "points") if before is not None else None
        v = _unit(points[k], after, "points") if after is not None else None
        if u is None or v is None:
            only = u or v
            assert only is not None
            out.append((points[k][0] - only[1] * distance, points[k][1] + only[0] * distance))
            continue
        cross, dot = u[0] * v[1] - u[1] * v[0], u[0] * v[0] + u[1] * v[1]
        if dot < -1.0 + 1e-9:
            raise CannotBe(f"point {k + 1}: the line turns back on itself", "points")
        half = cross / (1.0 + dot)
        out.append((
            points[k][0] + distance * (-u[1] - u[0] * half), points[k][1] + distance * (u[0] - u[1] * half),
        ))  # fmt: skip
    return tuple(out)


def _beside(e: Entries) -> Answer:
    points, closed = e.places("points"), e.word("closed") == "yes"
    diameter = e.positive("d", "The tool's diameter")
    left = e.word("side") == "left"
    path = beside(points, diameter / 2.0 * (1 if left else -1), closed)
    part = points[:-1] if closed and points[0] == points[-1] else points
    for k in range(len(path) - (not closed)):
        a, b = part[k], part[(k + 1) % len(part)]
        p, q = path[k], path[(k + 1) % len(path)]
        if (b[0] - a[0]) * (q[0] - p[0]) + (b[1] - a[1]) * (q[1] - p[1]) <= 0.0:
            raise CannotBe(f"between points {k + 1} and {(k + 1) % len(part) + 1} the tool finds no room", "d")
    ring = (*path, path[0]) if closed else path
    strokes = [Stroke("line", (*a, *b), "part") for a, b in zip(part, (*part[1:], *part[:1]) if closed else part[1:])]
    strokes += [Stroke("line", (*a, *b), "path") for a, b in pairwise(ring)]
    strokes += [Stroke("arc", (*p, diameter / 2.0, 0.0, 360.0), "help") for p in path]
    rows = tuple(Row(f"Point {k}", xy(*p, e.unit)) for k, p in enumerate(path, 1))
    return Answer(
        rows=rows,
        steps=(f"each line is shifted by r = {e.show(diameter)}/2 = {e.show(diameter / 2)} to the {'left' if left else 'right'} of its way",
         "at a corner: r \u00b7 tan(turn/2) along the line"),
        blocks=(),
        strokes=tuple(strokes),
        points=ring,
        note="Straight lines only. The corners outside are sharp: the tool runs on to where the shifted lines meet.",
    )  # fmt: skip


_A = (Field(key="ax", word="From X", start="0"), Field(key="ay", word="From Y", start="0"))
_CORNER = (Field(key="cx", word="Corner X", start="40", start_inch="2"), Field(key="cy", word="Corner Y", start="0"))
_B = (
    Field(key="bx", word="To X", start="40", start_inch="2"),
    Field(key="by", word="To Y", start="30", start_inch="1.5"),
)
_SIDE = Field(
    key="side",
    word="Side",
    kind="choice",
    start="left",
    choices=(("left", "left of the way"), ("right", "right of the way")),
)

RECKONERS = (
    Reckoner(name="Corner: rounding", group="Corners and tangents", fields=(*_A, *_CORNER, *_B, Field(key="r", word="Radius", start="8", start_inch="0.25")),
             work=_rounded, source="Plane trigonometry: tangent length = R tan(turn/2)"),
    Reckoner(name="Corner: chamfer", group="Corners and tangents", fields=(*_A, *_CORNER, *_B, Field(key="size", word="Along each line", start="5", start_inch="0.2")),
             work=_chamfered, source="Plane geometry"),
    Reckoner(name="Tangent from a point to a circle", group="Corners and tangents",
             fields=(*_A, Field(key="cx", word="Centre X", start="40", start_inch="2"), Field(key="cy", word="Centre Y", start="10", start_inch="0.5"),
              Field(key="r", word="Radius", start="12", start_inch="0.5")), work=_tangent, source="Plane trigonometry (Thales)"),
    Reckoner(name="Tangent of two circles", group="Corners and tangents",
             fields=(Field(key="ax", word="First centre X", start="0"), Field(key="ay", word="First centre Y", start="0"), Field(key="r1", word="First radius", start="15", start_inch="0.6"),
              Field(key="bx", word="Second centre X", start="50", start_inch="2"), Field(key="by", word="Second centre Y", start="0"), Field(key="r2", word="Second radius", start="8", start_inch="0.3"),
              Field(key="how", word="Line", kind="choice", start="open", choices=(("open", "along one side"), ("crossed", "crossing between"))), _SIDE),
             work=_belt, source="Plane trigonometry"),
    Reckoner(name="Compensated points by hand", group="Corners and tangents",
             fields=(Field(key="points", word="Points of the part", kind="points", start="0 0\n60 0\n60 40\n0 40", start_inch="0 0\n2 0\n2 1.5\n0 1.5", tip="One point a line: X and Y"),
              Field(key="d", word="Tool diameter", start="10", start_inch="0.5"),
              Field(key="side", word="Tool runs", kind="choice", start="right", choices=(("left", "left of the way, as by G41"), ("right", "right of the way, as by G42"))),
              Field(key="closed", word="Closed", kind="choice", start="yes", choices=(("yes", "back to the first point"), ("no", "ends at the last point")))),
             work=_beside, source="Plane trigonometry: a corner's point is r tan(turn/2) further along"),
)  # fmt: skip
