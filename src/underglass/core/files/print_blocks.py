"""Places and chains of a drawing as blocks of the program."""

from __future__ import annotations

from collections.abc import Sequence

from underglass.core.files.print_in import Arc, Line, Piece
from underglass.core.proof.print_ways import PrintPlane
from underglass.core.reckon.form import write
from underglass.core.units import Unit, from_mm

Place = tuple[float, float]


def place_blocks(
    places: Sequence[Place], plane: PrintPlane, unit: Unit, *, incremental: bool = False, start: Place | None = None
) -> tuple[str, ...]:
    """Places (right, up), mm, as blocks. Incremental: each from the one before, the first from ``start``; rounding does not add up."""
    digits = 4 if unit == "inch" else 3
    out = []
    last = _figures(start if start is not None else (0.0, 0.0), plane, unit, digits)
    for place in places:
        now = _figures(place, plane, unit, digits)
        words = []
        for (axis, _mm), figure, before in zip(plane.written(*place), now, last):
            words.append(
                f"{axis.by or axis.name}{write(figure - before, unit)}" if incremental else f"{axis.name}{write(figure, unit)}"
            )  # fmt: skip
        out.append(" ".join(words))
        last = now
    return tuple(out)


def _figures(place: Place, plane: PrintPlane, unit: Unit, digits: int) -> tuple[float, float]:
    one, two = (round(from_mm(mm, unit), digits) for _axis, mm in plane.written(*place))
    return one, two


def chain_blocks(pieces: Sequence[tuple[Piece, bool]], plane: PrintPlane, unit: Unit) -> tuple[str, ...]:
    """A chain of lines and arcs (each with whether it is run backwards) as blocks, G1 to its start first. Arc centres from the arc's start."""
    out = []
    if plane.folds:
        pieces = _folded(pieces)
    for k, (piece, back) in enumerate(pieces):
        if isinstance(piece, Line):
            a, b = (piece.x0, piece.y0), (piece.x1, piece.y1)
        else:
            a, b = piece.at(piece.first), piece.at(piece.last)
        start, end = (b, a) if back else (a, b)
        if k == 0:
            out.append(f"G1 {place_blocks([start], plane, unit)[0]}")
        there = place_blocks([end], plane, unit)[0]
        if isinstance(piece, Arc):
            ways = ((plane.right, piece.cx - start[0]), (plane.up, piece.cy - start[1]))
            centre = [
                f"{axis.centre}{write(from_mm(mm, unit), unit)}" for axis, mm in sorted(ways, key=lambda w: w[0].centre)
            ]
            out.append(f"{'G2' if back else 'G3'} {there} {' '.join(centre)}")
        else:
            out.append(f"G1 {there}" if k == 0 or isinstance(pieces[k - 1][0], Arc) else there)
    return tuple(out)


def _folded(pieces: Sequence[tuple[Piece, bool]]) -> list[tuple[Piece, bool]]:
    """A chain that is drawn below the axis, as it lies above it; one that crosses it stays."""
    if any(max(_ups(piece)) > 1e-6 for piece, _back in pieces):
        return list(pieces)
    out: list[tuple[Piece, bool]] = []
    for piece, back in pieces:
        if isinstance(piece, Line):
            out.append((Line(piece.x0, -piece.y0, piece.x1, -piece.y1), back))
        else:
            # What ran anticlockwise runs clockwise in the mirror: the other way about, from the other end.
            out.append((Arc(piece.cx, -piece.cy, piece.r, -piece.last, -piece.first), not back))
    return out


def _ups(piece: Piece) -> tuple[float, float]:
    return (piece.y0, piece.y1) if isinstance(piece, Line) else (piece.at(piece.first)[1], piece.at(piece.last)[1])
