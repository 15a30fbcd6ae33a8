"""Arcs: centre from radius, radius from centre, parts of a circle. I and J as from the start to the centre.

Sources: elementary geometry (Pythagoras); the meaning of I, J, R and their signs as in NISTIR 6556 section 3.5.3 (from
memory): a positive R is the arc of at most half a turn, a negative R the longer one.
"""

from __future__ import annotations

import math

from underglass.core.reckon.form import (
    Answer,
    CannotBe,
    Entries,
    Field,
    Reckoner,
    Row,
    Stroke,
    degrees,
    plain,
    write,
    xy,
)

_SOURCE = "Pythagoras; I, J and the sign of R as in NISTIR 6556, 3.5.3 (from memory)"
WAY = Field(
    key="way",
    word="Way round",
    kind="choice",
    start="G3",
    choices=(("G2", "clockwise, G2"), ("G3", "anticlockwise, G3")),
)


def centre_of(x0: float, y0: float, x1: float, y1: float, r: float, clockwise: bool) -> tuple[float, float]:
    """Centre of the arc of radius |r| from one point to another; r < 0 is the longer arc. Raises ``CannotBe``.

    The centre stands on the middle line of the chord, sqrt(r^2 - (c/2)^2) from the chord: on its left for the short
    arc anticlockwise and the long arc clockwise, on its right for the others.
    """
    chord = math.hypot(x1 - x0, y1 - y0)
    if chord == 0.0:
        raise CannotBe("start and end are one place: a whole circle has no centre by R, give I and J", "r")
    half = chord / 2.0
    if abs(r) < half * (1.0 - 1e-9):
        raise CannotBe(f"a radius of {plain(abs(r))} does not reach: half the chord is {plain(half, 4)}", "r")
    rise = math.sqrt(max(r * r - half * half, 0.0))
    side = (1.0 if r > 0 else -1.0) * (-1.0 if clockwise else 1.0)
    ux, uy = (x1 - x0) / chord, (y1 - y0) / chord
    return (x0 + x1) / 2.0 - uy * rise * side, (y0 + y1) / 2.0 + ux * rise * side


def turn(x0: float, y0: float, x1: float, y1: float, cx: float, cy: float, clockwise: bool) -> float:
    """Degrees run from start to end about a centre, above 0 to 360."""
    a, b = math.atan2(y0 - cy, x0 - cx), math.atan2(y1 - cy, x1 - cx)
    swept = degrees(a - b) if clockwise else degrees(b - a)
    return 360.0 if swept < 1e-9 or swept > 360.0 - 1e-9 else swept


def _drawn(x0: float, y0: float, x1: float, y1: float, cx: float, cy: float, clockwise: bool) -> tuple[Stroke, ...]:
    r = math.hypot(x0 - cx, y0 - cy)
    a = math.degrees(math.atan2(y0 - cy, x0 - cx))
    swept = turn(x0, y0, x1, y1, cx, cy, clockwise)
    first, last = (a - swept, a) if clockwise else (a, a + swept)
    return (
        Stroke("arc", (cx, cy, r, last, first + 360.0), "help"),
        Stroke("arc", (cx, cy, r, first, last), "path"),
        Stroke("line", (x0, y0, cx, y0), "measure", f"I{write(cx - x0)}"),
        Stroke("line", (cx, y0, cx, cy), "measure", f"J{write(cy - y0)}"),
        Stroke("line", (x0, y0, cx, cy), "help"),
        Stroke("dot", (x0, y0), "path", "start"),
        Stroke("dot", (x1, y1), "path", "end"),
        Stroke("dot", (cx, cy), "help", "centre"),
    )


def _signs(x0: float, y0: float, cx: float, cy: float) -> str:
    across = "left" if cx < x0 else "right"
    along = "below" if cy < y0 else "above"
    parts = []
    if abs(cx - x0) > 5e-5:
        parts.append(f"I is {'minus' if cx < x0 else 'plus'}: the centre is to the {across} of the start")
    if abs(cy - y0) > 5e-5:
        parts.append(f"J is {'minus' if cy < y0 else 'plus'}: the centre is {along} the start")
    return "; ".join(parts) or "start and centre are one place"


def _arc_answer(
    e: Entries, x0: float, y0: float, x1: float, y1: float, cx: float, cy: float, steps: list[str]
) -> Answer:
    clockwise = e.word("way") == "G2"
    r = math.hypot(x0 - cx, y0 - cy)
    swept = turn(x0, y0, x1, y1, cx, cy, clockwise)
    signed = r if swept <= 180.0 + 1e-6 else -r
    i, j = cx - x0, cy - y0
    ends = xy(x1, y1, e.unit)
    blocks = [f"{e.word('way')} {ends} I{e.code(i)} J{e.code(j)}"]
    rows = [
        Row("Centre", xy(cx, cy, e.unit)),
        Row("I, J", f"I{e.code(i)} J{e.code(j)}", _signs(x0, y0, cx, cy)),
        Row("Radius", e.show(r)),
        Row("Turn", f"{plain(swept)}\u00b0"),
        Row("Length", e.show(math.radians(swept) * r)),
    ]
    if swept < 360.0:
        rows.insert(3, Row("By R", f"R{e.code(signed)}", "R is minus: more than half a turn" if signed < 0 else ""))
        blocks.append(f"{e.word('way')} {ends} R{e.code(signed)}")
    steps.append(f"I = xc - xs = {e.show(cx)} - {e.show(x0)} = {e.show(i)}")
    steps.append(f"J = yc - ys = {e.show(cy)} - {e.show(y0)} = {e.show(j)}")
    return Answer(
        rows=tuple(rows),
        steps=tuple(steps),
        blocks=tuple(blocks),
        strokes=_drawn(x0, y0, x1, y1, cx, cy, clockwise),
        alternatives=True,
    )


_START = (Field(key="x0", word="Start X", start="0"), Field(key="y0", word="Start Y", start="0"))
_END = (
    Field(key="x1", word="End X", start="20", start_inch="1"),
    Field(key="y1", word="End Y", start="20", start_inch="1"),
)


def _by_radius(e: Entries) -> Answer:
    x0, y0, x1, y1 = (e.number(k) for k in ("x0", "y0", "x1", "y1"))
    r = e.positive("r", "The radius") * (-1.0 if e.word("part") == "long" else 1.0)
    cx, cy = centre_of(x0, y0, x1, y1, r, e.word("way") == "G2")
    chord = math.hypot(x1 - x0, y1 - y0)
    rise = math.sqrt(max(r * r - chord * chord / 4, 0.0))
    steps = [
        f"chord c = sqrt({e.show(x1 - x0)}\u00b2 + {e.show(y1 - y0)}\u00b2) = {e.show(chord)}",
        f"from chord to centre: sqrt(R\u00b2 - (c/2)\u00b2) = sqrt({e.show(abs(r))}\u00b2 - {e.show(chord / 2)}\u00b2) = {e.show(rise)}",
    ]
    return _arc_answer(e, x0, y0, x1, y1, cx, cy, steps)


def _by_centre(e: Entries) -> Answer:
    x0, y0, x1, y1, cx, cy = (e.number(k) for k in ("x0", "y0", "x1", "y1", "cx", "cy"))
    r0, r1 = math.hypot(x0 - cx, y0 - cy), math.hypot(x1 - cx, y1 - cy)
    if r0 == 0.0:
        raise CannotBe("the centre is the start itself", "cx")
    steps = [
        f"radius at the start = sqrt({e.show(x0 - cx)}\u00b2 + {e.show(y0 - cy)}\u00b2) = {plain(r0, 4)}",
        f"radius at the end = sqrt({e.show(x1 - cx)}\u00b2 + {e.show(y1 - cy)}\u00b2) = {plain(r1, 4)}",
    ]
    out = _arc_answer(e, x0, y0, x1, y1, cx, cy, steps)
    if abs(r0 - r1) > (0.0005 if e.unit == "inch" else 0.01):
        away = abs(r0 - r1)
        note = (
            f"Start and end are not on one circle: their radii differ by {plain(away, 4)}. A control would stop here."
        )
        return Answer(rows=out.rows, steps=out.steps, blocks=(), strokes=out.strokes, note=note)
    return out


def _part(e: Entries) -> Answer:
    x0, y0, r = e.number("x0"), e.number("y0"), e.positive("r", "The radius")
    to_centre = math.radians(e.number("towards"))
    cx, cy = x0 + r * math.cos(to_centre), y0 + r * math.sin(to_centre)
    swept = float(e.word("much"))
    back = to_centre + math.pi
    end = back + math.radians(-swept if e.word("way") == "G2" else swept)
    x1, y1 = (x0, y0) if swept == 360.0 else (cx + r * math.cos(end), cy + r * math.sin(end))
    steps = [f"centre = start + R in the direction of {plain(e.number('towards'))}\u00b0 = {xy(cx, cy, e.unit)}"]
    return _arc_answer(e, x0, y0, x1, y1, cx, cy, steps)


RECKONERS = (
    Reckoner(
        name="Arc: centre from radius",
        group="Arcs",
        fields=(*_START, *_END, Field(key="r", word="Radius", start="20", start_inch="1"), WAY,
         Field(key="part", word="Which arc", kind="choice", start="short", choices=(("short", "up to half a turn"), ("long", "more than half a turn")))),
        work=_by_radius,
        source=_SOURCE,
    ),
    Reckoner(
        name="Arc: radius from centre",
        group="Arcs",
        fields=(*_START, *_END, Field(key="cx", word="Centre X", start="0"), Field(key="cy", word="Centre Y", start="20", start_inch="1"), WAY),
        work=_by_centre,
        source=_SOURCE,
    ),
    Reckoner(
        name="Quarter, half or whole circle",
        group="Arcs",
        fields=(*_START, Field(key="r", word="Radius", start="10", start_inch="0.5"),
         Field(key="towards", word="Centre lies towards", kind="angle", start="90", tip="Degrees from +X, anticlockwise: 0 right, 90 up, 180 left, 270 down"),
         Field(key="much", word="How much", kind="choice", start="180", choices=(("90", "a quarter"), ("180", "a half"), ("270", "three quarters"), ("360", "the whole"))), WAY),
        work=_part,
        source=_SOURCE,
    ),
)  # fmt: skip
