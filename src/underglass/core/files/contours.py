"""Contours of a drawing as rows of a form: chains of its lines and arcs, whole circles among them."""

from __future__ import annotations

import math
from pathlib import Path

import shapely

from underglass.core.compose.contour import Contour, Seg
from underglass.core.compose.contour_rows import rows_of
from underglass.core.errors import UnusableFile
from underglass.core.files.print_in import Line, Piece, Print, chain
from underglass.core.units import MM_PER_INCH, Unit

_REACH_MM = 0.005
"""How far two ends may lie apart and still meet, mm."""


def _seg(piece: Piece, forward: bool) -> Seg:
    if isinstance(piece, Line):
        seg = Seg(piece.x0, piece.y0, piece.x1, piece.y1)
    else:
        seg = Seg(*piece.at(piece.first), *piece.at(piece.last), 1, piece.cx, piece.cy)
    return seg if forward else seg.back()


def contours_of(print_: Print) -> list[Contour]:
    """Every chain of a drawing, the closed ones first, each outer one followed by what lies in it."""
    pieces, used = list(print_.pieces), set[int]()
    where = {id(p): n for n, p in enumerate(pieces)}
    found: list[Contour] = []
    for k in range(len(pieces)):
        if k in used:
            continue
        run = chain(pieces, k, _REACH_MM)
        used |= {where[id(p)] for p, _back in run}
        segs = [_seg(p, not back) for p, back in run]
        for n in range(1, len(segs)):
            # Ends that a drawing leaves a hair apart are one place.
            segs[n] = segs[n]._replace(x0=segs[n - 1].x1, y0=segs[n - 1].y1)
        closed = math.hypot(segs[0].x0 - segs[-1].x1, segs[0].y0 - segs[-1].y1) <= _REACH_MM
        if closed:
            segs[-1] = segs[-1]._replace(x1=segs[0].x0, y1=segs[0].y0)
        found.append(Contour(tuple(segs), closed))
    closed_ones = sorted((c for c in found if c.closed), key=lambda c: -c.polygon(0.05).area)
    out: list[Contour] = []
    shapes = {id(c): c.polygon(0.05) for c in closed_ones}
    for c in closed_ones:
        if c in out:
            continue
        out.append(c)
        out += [o for o in closed_ones if o not in out and shapely.contains(shapes[id(c)], shapes[id(o)])]
    return out + [c for c in found if not c.closed]


def contour_entry(said: str, unit: Unit) -> str:
    """A drawing's contours as what a form's field holds: all of ``file.dxf``, or the second one of ``file.dxf#2``.

    Raises ``UnusableFile``.
    """
    name, mark, number = said.rpartition("#")
    path = Path(name) if mark and number.isdigit() else Path(said)
    from underglass.core.files.dxf_in import read_dxf  # slow to take in

    contours = contours_of(read_dxf(path))
    if not contours:
        raise UnusableFile(str(path), "there is no line, arc or circle in this drawing")
    if mark and number.isdigit():
        if not 1 <= int(number) <= len(contours):
            raise UnusableFile(str(path), f"there are {len(contours)} contours in this drawing, not {number}")
        contours = contours[int(number) - 1 : int(number)]
    return rows_of([c.scaled(1.0 / MM_PER_INCH) if unit == "inch" else c for c in contours])
