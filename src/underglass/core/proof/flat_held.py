"""How a sheet is held: its outline, the clamps, the zero, what is cut of it."""

from __future__ import annotations

import shapely

from underglass.core.bench.sheet import Sheet
from underglass.core.proof.held_picture import HeldPicture, HeldSays, box, ring, zero_mark
from underglass.core.proof.proof import Proof
from underglass.core.reckon.form import Stroke


def _sheet(proof: Proof) -> Sheet:
    sheet = proof.job.bench.more
    assert isinstance(sheet, Sheet)
    return sheet


def _rows(proof: Proof) -> tuple[tuple[str, str, tuple[float, ...]], ...]:
    sheet = _sheet(proof)
    x0, y0, x1, y1 = sheet.region().bounds
    out: list[tuple[str, str, tuple[float, ...]]] = [("sheet", "{} x {} x {}", (x1 - x0, y1 - y0, sheet.thickness))]
    if proof.job.bench.material:
        out.append(("material", proof.job.bench.material, ()))
    for held in sheet.held:
        a, b, c, d = held.box
        out.append((held.name, "{} x {}, at X {} Y {}", (c - a, d - b, a, b)))
    return tuple(out)


def _touch(proof: Proof) -> tuple[str, ...]:
    x0, y0, x1, y1 = _sheet(proof).region().bounds
    out = []
    for axis, low, high, near, far in (("X", x0, x1, "left", "right"), ("Y", y0, y1, "lower", "upper")):
        if abs(low) < 0.01 or abs(high) < 0.01:
            out.append(f"{axis}0 is the sheet's {near if abs(low) < 0.01 else far} edge.")
        else:
            side, off = (near, -low) if abs(low) < abs(high) else (far, -high)
            out.append(
                f"{axis}0 lies {{{abs(off)!r}}} {'inside' if (off > 0) == (side == near) else 'outside'} the sheet's {side} edge."
            )
    return tuple(out)


def _pictures(proof: Proof) -> tuple[HeldPicture, ...]:
    sheet = _sheet(proof)
    strokes: list[Stroke] = []
    for outline in sheet.outline:
        strokes += ring([(float(x), float(y)) for x, y in outline])
    for held in sheet.held:
        strokes += box(*held.box, "help")
    for history in proof.histories:
        for piece in getattr(history, "pieces", ()):
            for line in (
                (piece.shape.exterior, *piece.shape.interiors) if isinstance(piece.shape, shapely.Polygon) else ()
            ):
                strokes += ring([(float(x), float(y)) for x, y in line.simplify(0.2).coords[:-1]], "cut")
    x0, y0, x1, y1 = sheet.region().bounds
    size = 0.03 * max(x1 - x0, y1 - y0)
    strokes.append(Stroke("measure", (x0, y0 - 2.0 * size, x1, y0 - 2.0 * size), "measure"))
    strokes.append(Stroke("measure", (x1 + 2.0 * size, y0, x1 + 2.0 * size, y1), "measure"))
    return (HeldPicture(title="From above", strokes=(*strokes, *zero_mark(size))),)


FLAT_HELD = HeldSays(rows=_rows, touch=_touch, pictures=_pictures)
