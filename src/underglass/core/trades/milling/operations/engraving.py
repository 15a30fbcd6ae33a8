"""Engraving: letters of single strokes along a line or on an arc; serial numbers that count up."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace
from itertools import pairwise

import numpy as np

from underglass.core.compose.contour import Seg
from underglass.core.compose.operation import Operation, ShopEntries, need
from underglass.core.compose.writer import Writer, levels, writer
from underglass.core.reckon.form import Answer, Field, Row, Stroke
from underglass.core.trades.milling.operations.common import (
    COOL,
    DC,
    FEEDS,
    HEIGHTS,
    TOP,
    TURN,
    S,
    T,
    close,
    length_rows,
    opening,
)
from underglass.core.trades.milling.operations.letters import GAP, HIGH, glyph, line_width, turned, unknown, width

_CHORD = 0.004
"""How far chords of slanted letters lie from their curves, mm."""


def _slanted(stroke: tuple[Seg, ...], slant: float, scale: float) -> tuple[Seg, ...]:
    """A stroke leaning over; its arcs become chords, for they are no arcs any more."""
    if not slant:
        return stroke
    lean = math.tan(slant)
    places = [(stroke[0].x0, stroke[0].y0)]
    for seg in stroke:
        places += seg.places(_CHORD / scale)
    at = [(x + y * lean, y) for x, y in places]
    return tuple(Seg(*a, *b) for a, b in pairwise(at))


def strokes_of(e: ShopEntries, text: str, dx: float, dy: float) -> list[tuple[Seg, ...]]:
    """Every stroke of a line of text in its place, mm."""
    high, spacing = e.positive("high", "The height"), e.number("space")
    scale, slant = high / HIGH, math.radians(e.number("slant"))
    mirrored = e.word("mirror") == "yes"
    long = line_width(text, spacing) * scale
    begin = {"start": 0.0, "middle": -long / 2.0, "end": -long}[e.word("align")]
    out: list[tuple[Seg, ...]] = []
    x, y = e.number("x") + dx, e.number("y") + dy
    on = e.word("on")
    at = begin
    for letter in text:
        wide = width(letter) * scale
        if letter != " ":
            if on == "line":
                angle = math.radians(e.number("angle"))
                way = -at if mirrored else at
                place = (x + way * math.cos(angle), y + way * math.sin(angle), angle)
                shift = 0.0
            else:
                r = e.number("arc") / 2.0
                # The letter stands upright on the circle at its own middle; inside it the letters run anticlockwise.
                turn = (at + wide / 2.0) / r
                middle = math.radians(e.number("angle"))
                inside = on == "inside"
                theta = middle + (turn if inside else -turn) * (-1.0 if mirrored else 1.0)
                angle = theta + (math.pi / 2.0 if inside else -math.pi / 2.0)
                place = (x + r * math.cos(theta), y + r * math.sin(theta), angle)
                shift = -wide / 2.0 / scale
            for stroke in glyph(letter):
                moved = tuple(
                    s._replace(x0=s.x0 + shift, x1=s.x1 + shift, cx=s.cx + shift)
                    for s in _slanted(stroke, slant, scale)
                )
                out.append(tuple(turned(s, place[0], place[1], scale, place[2], mirrored) for s in moved))
        at += wide + GAP * spacing * scale
    return out


def _engrave(e: ShopEntries) -> Answer:
    text = e.word("text")
    need(not unknown(text), f"the font has no {unknown(text)!r}", "text")
    deep, top = e.positive("deep", "The depth"), e.number("top")
    need(0.0 < e.number("space") <= 10.0, "the spacing goes from above 0 to 10", "space")
    need(abs(e.number("slant")) <= 45.0, "letters lean by up to 45 degrees", "slant")
    if e.word("on") != "line":
        r = e.positive("arc", "The circle") / 2.0
        need(
            line_width(text, e.number("space")) * e.number("high") / HIGH < math.tau * r,
            "the text is longer than the circle",
            "arc",
        )
        need(
            e.word("on") == "outside" or r > 1.2 * e.number("high"),
            "the letters are higher than the circle leaves room for",
            "arc",
        )
    copies = e.count("copies")
    first, figures = e.count("first") if copies > 1 or "#" in text else 1, text.count("#")
    need(not figures or first + copies - 1 < 10**figures, "the last number has more figures than there are #", "first")
    w = writer(e)
    opening(w, e)
    f, fdown, safe = e.positive("f", "The feed"), e.positive("fdown", "The feed downwards"), e.number("safe")
    near = top + e.number("near")
    heights = levels(top, top - deep, e.positive("down", "The depth of a pass"))
    box: list[tuple[float, float]] = []
    said: list[str] = []
    for k in range(copies):
        line = numbered(text, first + k)
        said.append(line)
        for stroke in strokes_of(e, line, k * e.number("dx"), k * e.number("dy")):
            box += [w.turn(*p) for p in ((stroke[0].x0, stroke[0].y0), *(p for s in stroke for p in s.places(0.02)))]
            _stroke(w, stroke, heights, near, f, fdown)
        w.rapid(z=safe)
    close(w, e)
    at = np.array(box) if box else np.zeros((1, 2))
    (x0, y0), (x1, y1) = at.min(axis=0).tolist(), at.max(axis=0).tolist()
    rows = [
        Row("Text", said[0] if len(said) == 1 else f"{said[0]} to {said[-1]}"),
        Row("Extents X", f"{e.show(x0)} to {e.show(x1)}"),
        Row("Extents Y", f"{e.show(y0)} to {e.show(y1)}"),
    ]
    stock = e.around.stock
    half = e.positive("d", "The tool's diameter") / 2.0
    note = ""
    if stock is not None and (
        x0 - half < stock[0] or y0 - half < stock[1] or x1 + half > stock[2] or y1 + half > stock[3]
    ):
        note = "The text leaves the stock."
    frame = tuple(
        Stroke("line", s, "help") for s in ((x0, y0, x1, y0), (x1, y0, x1, y1), (x1, y1, x0, y1), (x0, y1, x0, y0))
    )
    return Answer(rows=(*rows, *length_rows(w, e)), steps=(), blocks=w.text(), strokes=(*frame, *w.strokes), note=note)


def numbered(text: str, number: int) -> str:
    """A text whose # stand for the figures of a number, with noughts in front."""
    figures = text.count("#")
    if not figures:
        return text
    digits = iter(f"{number:0{figures}d}")
    return "".join(next(digits) if c == "#" else c for c in text)


def _stroke(
    w: Writer, stroke: tuple[Seg, ...], heights: tuple[float, ...], near: float, f: float, fdown: float
) -> None:
    """Down, along a stroke, pass by pass there and back, and up again."""
    w.rapid(stroke[0].x0, stroke[0].y0)
    w.rapid(z=near)
    for k, level in enumerate(heights):
        w.feed(z=level, f=fdown)
        for seg in stroke if k % 2 == 0 else tuple(s.back() for s in reversed(stroke)):
            w.seg(seg, f=f)
    w.rapid(z=near)


def _on_circle(v: Mapping[str, str]) -> bool:
    return v.get("on") != "line"


ENGRAVING = Operation(
    name="Engraving",
    fields=(
        Field(key="text", word="Text", kind="text", start="BED 12", tip="# stands for a figure of the number that counts up"),
        Field(key="high", word="Height of capitals", start="8", start_inch="0.3", usual=(2, 15)),
        Field(key="slant", word="Slant", kind="angle", start="0", usual=(-20, 20)), Field(key="space", word="Spacing", kind="number", start="1", usual=(0.7, 2)),
        Field(key="on", word="Along", kind="choice", start="line", choices=(("line", "a line"), ("outside", "a circle, letters outwards"), ("inside", "a circle, letters inwards"))),
        Field(key="x", word="X", start="10", start_inch="0.4", usual=(0, 60), tip="Where the line begins, or the circle's middle"),
        Field(key="y", word="Y", start="10", start_inch="0.4", usual=(0, 60)),
        Field(key="arc", word="Circle, diameter", start="60", start_inch="2.4", shown=_on_circle, usual=(60, 120)),
        Field(key="angle", word="Direction", kind="angle", start="0", usual=(-90, 90), tip="Of the line; on a circle where the text is"),
        Field(key="align", word="X, Y is", kind="choice", start="start", choices=(("start", "its beginning"), ("middle", "its middle"), ("end", "its end"))),
        Field(key="mirror", word="Mirrored", kind="choice", start="no", choices=(("no", "no"), ("yes", "yes"))),
        TOP, Field(key="deep", word="Depth", start="0.3", start_inch="0.012", usual=(0.1, 1)),
        Field(key="down", word="Max depth per pass", start="0.3", start_inch="0.012", usual=(0.1, 0.5)),
        Field(key="copies", word="How many", kind="count", start="1", usual=(1, 4)), Field(key="first", word="First number", kind="count", start="1", usual=(1, 900)),
        Field(key="dx", word="Next one, X", start="0", usual=(-5, 5)), Field(key="dy", word="Next one, Y", start="20", start_inch="0.8", usual=(10, 20)),
        T, replace(DC, start="0.4", start_inch="0.02", usual=(0.2, 1)), S, *FEEDS, *HEIGHTS, COOL, *TURN,
    ),
    work=_engrave,
    about="Text in single strokes along a line or a circle, with numbers that count up.",
    kinds=("engraver", "ball-end", "end-mill"),
)  # fmt: skip
