"""Bolt circle and in rows. Source: polar coordinates."""

from __future__ import annotations

import math

from underglass.core.reckon.form import Answer, CannotBe, Entries, Field, Reckoner, Row, Stroke, plain, xy


def on_circle(
    cx: float, cy: float, diameter: float, count: int, start_deg: float, span_deg: float
) -> tuple[tuple[float, float], ...]:
    """Places on a circle. A span of 360 degrees has its holes all round, a smaller one has one at each end."""
    step = span_deg / (count if abs(span_deg) >= 360.0 else max(count - 1, 1))
    r = diameter / 2.0
    return tuple(
        (cx + r * math.cos(math.radians(start_deg + k * step)), cy + r * math.sin(math.radians(start_deg + k * step)))
        for k in range(count)
    )


def in_rows(
    x0: float, y0: float, nx: int, ny: int, dx: float, dy: float, turned_deg: float
) -> tuple[tuple[float, float], ...]:
    """Places in rows, each row run the other way than the one before; turned about the first place."""
    c, s = math.cos(math.radians(turned_deg)), math.sin(math.radians(turned_deg))
    out = []
    for row in range(ny):
        for k in range(nx) if row % 2 == 0 else reversed(range(nx)):
            x, y = k * dx, row * dy
            out.append((x0 + x * c - y * s, y0 + x * s + y * c))
    return tuple(out)


def _holes(
    e: Entries, points: tuple[tuple[float, float], ...], extra: tuple[Stroke, ...], steps: tuple[str, ...]
) -> Answer:
    strokes = (*extra, *(Stroke("dot", p, "path", str(k)) for k, p in enumerate(points, 1)))
    return Answer(
        rows=tuple(Row(f"Hole {k}", xy(*p, e.unit)) for k, p in enumerate(points, 1)),
        steps=steps,
        blocks=(),
        strokes=strokes,
        points=points,
    )


def _circle(e: Entries) -> Answer:
    cx, cy, d = e.number("cx"), e.number("cy"), e.positive("d", "The circle's diameter")
    count, start, span = e.count("n"), e.number("start"), e.number("span")
    if not 0.0 < abs(span) <= 360.0:
        raise CannotBe("the span goes from above 0 to 360 degrees", "span")
    points = on_circle(cx, cy, d, count, start, span)
    apart = math.dist(points[0], points[1]) if count > 1 else 0.0
    step = span / (count if abs(span) >= 360 else max(count - 1, 1))
    return _holes(
        e, points, (Stroke("arc", (cx, cy, d / 2, 0.0, 360.0), "help"), Stroke("dot", (cx, cy), "help")),
        (f"step = {plain(span)}\u00b0 / {count if abs(span) >= 360 else max(count - 1, 1)} = {plain(step)}\u00b0",
         "X = Xc + D/2 \u00b7 cos(angle), Y = Yc + D/2 \u00b7 sin(angle)",
         f"from hole to hole = D \u00b7 sin(step/2) = {e.show(apart)}"),
    )  # fmt: skip


def _grid(e: Entries) -> Answer:
    points = in_rows(
        e.number("x0"), e.number("y0"), e.count("nx"), e.count("ny"), e.number("dx"), e.number("dy"), e.number("turned")
    )
    if len(points) > 2000:
        raise CannotBe("more than 2000 holes", "nx")
    return _holes(
        e, points, (), (f"{e.count('nx')} \u00d7 {e.count('ny')} = {len(points)} holes, row by row, there and back",)
    )


RECKONERS = (
    Reckoner(name="Bolt circle", group="Patterns",
             fields=(Field(key="cx", word="Centre X", start="0"), Field(key="cy", word="Centre Y", start="0"), Field(key="d", word="Circle diameter", start="60", start_inch="2.5"),
              Field(key="n", word="Holes", kind="count", start="6"), Field(key="start", word="First at", kind="angle", start="0", tip="Degrees from +X, anticlockwise"),
              Field(key="span", word="Span", kind="angle", start="360", tip="360: all round; less: one hole at each end")),
             work=_circle, source="Polar coordinates"),
    Reckoner(name="Hole grid", group="Patterns",
             fields=(Field(key="x0", word="First X", start="0"), Field(key="y0", word="First Y", start="0"), Field(key="nx", word="Along X", kind="count", start="4"), Field(key="ny", word="Along Y", kind="count", start="3"),
              Field(key="dx", word="Spacing in X", start="15", start_inch="0.75"), Field(key="dy", word="Spacing in Y", start="15", start_inch="0.75"),
              Field(key="turned", word="Turned by", kind="angle", start="0", tip="Degrees about the first hole, anticlockwise")),
             work=_grid, source="Plane geometry"),
)  # fmt: skip
