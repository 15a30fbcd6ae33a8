"""Radii, chamfers and balls by passes of growing radius or depth, outside."""

from __future__ import annotations

import math

from underglass.core.compose.contour import Contour, Seg
from underglass.core.compose.operation import Operation, ShopEntries, need
from underglass.core.reckon.form import Answer, Field, Row
from underglass.core.trades.turning.operations.common import (
    CLEAR,
    COOL,
    FEED,
    SPEED,
    T,
    close,
    lathe_writer,
    length_rows,
    opening,
)
from underglass.core.trades.turning.operations.profiles import tip_path


def _edge(e: ShopEntries, amount: float) -> Contour | None:
    """The finished edge, ``amount`` mm large, from the face to the shaft; None for nothing."""
    kind, r, z = e.word("form"), e.number("stock") / 2.0, e.number("face")
    if amount <= 1e-9:
        return None
    if kind == "chamfer":
        return Contour((Seg(z, r - amount, z - amount, r),), False)
    if kind == "radius":
        return Contour((Seg(z, r - amount, z - amount, r, 1, z - amount, r - amount),), False)
    return Contour((Seg(z, r - amount, z - amount, r, -1, z, r),), False)


def _form(e: ShopEntries) -> Answer:
    size, r, z = e.positive("size", "The size"), e.positive("stock", "The diameter") / 2.0, e.number("face")
    re, down, clear = e.number("re"), e.positive("down", "The depth of a pass"), e.positive("clear", "The clearance")
    need(re >= 0.0, "this cannot be less than zero", "re")
    need(size <= r + 1e-9, "the form is larger than the bar's radius", "size")
    need(e.word("form") != "hollow" or re < size, "the nose is rounder than the hollow", "re")
    f = e.positive("f", "The feed")
    w = lathe_writer(e)
    opening(w, e)
    # Depth square to the corner: of a chamfer half a diagonal, of a radius what the arc leaves of the corner.
    depth = {"chamfer": size / math.sqrt(2.0), "radius": size * (math.sqrt(2.0) - 1.0), "hollow": size}[e.word("form")]
    count = max(1, math.ceil(depth / down - 1e-9))
    need(count <= 300, "the passes are too thin for a form that large", "down")
    final = _edge(e, size)
    for k in range(1, count + 1):
        edge = _edge(e, size * k / count)
        assert edge is not None
        last = edge.segs[-1]
        (dx, dy), (ex, ey) = edge.segs[0].direction(0.0), last.direction(1.0)
        lead = clear + 2.0 * re
        # On along its own direction from beside the face, off along the shaft's side.
        into = Seg(
            edge.start[0] + (lead if e.word("form") == "hollow" else -dx * lead * 0.0 + lead),
            edge.start[1],
            *edge.start,
        )
        if e.word("form") == "chamfer":
            into = Seg(
                edge.start[0] - dx * lead,
                max(edge.start[1] - dy * lead, 0.0) if edge.start[1] - dy * lead > 0 else 0.0,
                *edge.start,
            )
            if edge.start[1] - dy * lead < 0.0:
                t = edge.start[1] / dy if dy else lead
                into = Seg(edge.start[0] - dx * t, 0.0, *edge.start)
        out = Seg(*edge.end, edge.end[0] + ex * 0.5, edge.end[1] + max(ey, 0.0) * 0.5 + clear)
        path = tip_path(Contour(tuple(s for s in (into, *edge.segs, out) if s.length > 1e-9), False), re, 0.0, True)
        w.rapid(z + lead + 1.0)
        w.rapid(y=path.start[1])
        w.rapid(path.start[0]) if path.start[0] > z else None
        for seg in path.segs:
            w.seg(seg, f=f)
        w.rapid(y=r + clear + 1.0)
        w.rapid(z + lead + 1.0)
    close(w, e)
    rows = (Row("Passes", str(count)), Row("Depth square to the corner", e.show(depth)))
    drawn = final.strokes() if final is not None else ()
    return Answer(rows=(*rows, *length_rows(w, e)), steps=(), blocks=w.text(), strokes=(*drawn, *w.strokes))


FORM = Operation(
    name="Radius, chamfer, ball",
    fields=(
        Field(key="form", word="Form", kind="choice", start="radius", choices=(("radius", "radius, or a ball's half"), ("hollow", "hollow radius"), ("chamfer", "chamfer"))),
        Field(key="size", word="Size", start="5", start_inch="0.2", usual=(1, 10)), Field(key="stock", word="Diameter there", start="30", start_inch="1.2", usual=(24, 45)),
        Field(key="face", word="Face Z", start="0", usual=(-1, 1)), Field(key="down", word="Max depth per pass", start="0.8", start_inch="0.03", usual=(0.3, 1.5)),
        Field(key="re", word="Nose radius", start="0.4", start_inch="0.0157", usual=(0.1, 0.8)),
        T, *SPEED, FEED, CLEAR, COOL,
    ),
    work=_form,
    about="An edge rounded, hollowed or chamfered by passes; as large as the bar's radius it is a ball's half.",
    kinds=("turning",),
)  # fmt: skip
