"""Contours of a drawing as rows of a form: chains of its lines and arcs, whole circles among them."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

import shapely

from underglass.core.compose.contour import Contour, Seg
from underglass.core.compose.contour_rows import profile_rows, rows_of
from underglass.core.errors import UnusableFile
from underglass.core.files.print_in import Arc, Line, Piece, Print, chain
from underglass.core.reckon.form import plain
from underglass.core.units import MM_PER_INCH, Unit

_REACH_MM = 0.005
"""How far two ends may lie apart and still meet, mm."""


def _seg(piece: Piece, forward: bool) -> Seg:
    if isinstance(piece, Line):
        seg = Seg(piece.x0, piece.y0, piece.x1, piece.y1)
    else:
        seg = Seg(*piece.at(piece.first), *piece.at(piece.last), 1, piece.cx, piece.cy)
    return seg if forward else seg.back()


def contour_of(run: Sequence[tuple[Piece, bool]]) -> Contour:
    """A chain of pieces, each with whether it is run backwards, as a contour."""
    segs = [_seg(p, not back) for p, back in run]
    for n in range(1, len(segs)):
        # Ends that a drawing leaves a hair apart are one place.
        segs[n] = segs[n]._replace(x0=segs[n - 1].x1, y0=segs[n - 1].y1)
    closed = math.hypot(segs[0].x0 - segs[-1].x1, segs[0].y0 - segs[-1].y1) <= _REACH_MM
    if closed:
        segs[-1] = segs[-1]._replace(x1=segs[0].x0, y1=segs[0].y0)
    return Contour(tuple(segs), closed)


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
        found.append(contour_of(run))
    closed_ones = sorted((c for c in found if c.closed), key=lambda c: -c.polygon(0.05).area)
    out: list[Contour] = []
    shapes = {id(c): c.polygon(0.05) for c in closed_ones}
    for c in closed_ones:
        if c in out:
            continue
        out.append(c)
        out += [o for o in closed_ones if o not in out and shapely.contains(shapes[id(c)], shapes[id(o)])]
    return out + [c for c in found if not c.closed]


class Ring(NamedTuple):
    """A whole circle of a drawing, mm."""

    x: float
    y: float
    diameter: float


def circles_of(print_: Print) -> list[Ring]:
    """Every whole circle, each place and size once, row by row from below as a person reads a hole chart."""
    found = {
        (round(p.cy, 3), round(p.cx, 3), round(2.0 * p.r, 3)): Ring(p.cx, p.cy, 2.0 * p.r)
        for p in print_.pieces
        if isinstance(p, Arc) and p.last - p.first >= 360.0 - 1e-6
    }
    return [ring for _key, ring in sorted(found.items())]


def sizes_of(rings: Sequence[Ring]) -> dict[float, int]:
    """How many there are of each diameter, mm, the smallest first."""
    return dict(sorted(Counter(round(ring.diameter, 3) for ring in rings).items()))


def places_rows(places: Sequence[tuple[float, float]], unit: Unit) -> str:
    """Places in mm as the rows of a form's field."""
    scale = MM_PER_INCH if unit == "inch" else 1.0
    return "\n".join(f"{plain(x / scale, 4)} {plain(y / scale, 4)}" for x, y in places)


def places_entry(said: str, unit: Unit) -> str:
    """The middles of a drawing's circles as what a form's field holds: all of ``file.dxf``, or those of one diameter, ``file.dxf#8``, in
    the unit of the form. Raises ``UnusableFile``."""
    from underglass.core.files.dxf_in import read_dxf  # slow to take in

    name, mark, figure = said.rpartition("#")
    wanted = _figure(figure) if mark else None
    path = Path(name) if wanted is not None else Path(said)
    rings = circles_of(read_dxf(path))
    if not rings:
        raise UnusableFile(str(path), "there is no circle in this drawing")
    if wanted is not None:
        size = wanted * (MM_PER_INCH if unit == "inch" else 1.0)
        mine = [r for r in rings if abs(r.diameter - size) <= _REACH_MM]
        if not mine:
            scale = MM_PER_INCH if unit == "inch" else 1.0
            there = ", ".join(f"{n} of {plain(d / scale, 4)}" for d, n in sizes_of(rings).items())
            raise UnusableFile(str(path), f"no circle of this drawing has a diameter of {figure}: there are {there}")
        rings = mine
    return places_rows([(r.x, r.y) for r in rings], unit)


def sizes_in(path: Path, unit: Unit) -> dict[str, int]:
    """How many circles of each diameter a drawing has, as the form writes the figure. Raises ``UnusableFile``."""
    from underglass.core.files.dxf_in import read_dxf  # slow to take in

    scale = MM_PER_INCH if unit == "inch" else 1.0
    sizes = {plain(d / scale, 4): n for d, n in sizes_of(circles_of(read_dxf(path))).items()}
    if not sizes:
        raise UnusableFile(str(path), "there is no circle in this drawing")
    return sizes


def _figure(text: str) -> float | None:
    try:
        return float(text)
    except ValueError:
        return None


def contour_entry(said: str, unit: Unit, *, turned: bool = False) -> str:
    """A drawing's contours as what a form's field holds: all of ``file.dxf``, or the second one of ``file.dxf#2``.

    ``turned``: as a lathe's profile, of the first one. Raises ``UnusableFile``.
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
    scaled = [c.scaled(1.0 / MM_PER_INCH) if unit == "inch" else c for c in contours]
    return profile_rows(scaled[0]) if turned else rows_of(scaled)
