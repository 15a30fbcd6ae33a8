"""A DXF file's lines and arcs in mm; other curves come as chords no farther than a hundredth of a millimetre from them. A module of its own: the library that reads it costs a third of a second, and is taken in only where
there is a drawing."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator
from itertools import islice, pairwise
from pathlib import Path

from ezdxf import filemanagement
from ezdxf.document import Drawing
from ezdxf.entities.dxfgfx import DXFGraphic
from ezdxf.lldxf.const import DXFError
from ezdxf.path import make_path

from underglass.core.errors import Cancelled, UnusableFile
from underglass.core.files.print_in import Arc, Line, Piece, Print
from underglass.core.reading import DRAWING_BYTES, read_regular
from underglass.core.units import MM_PER_INCH

_TO_MM = {
    1: MM_PER_INCH,
    2: MM_PER_INCH * 12,
    4: 1.0,
    5: 10.0,
    6: 1000.0,
    8: MM_PER_INCH / 1e6,
    9: MM_PER_INCH / 1e3,
    13: 1e-3,
}
"""$INSUNITS of the DXF reference: inch, foot, mm, cm, m, microinch, mil, micrometre."""


_CHORD_MM = 0.01
_MOST = 200_000
_MOST_ENTITIES = 200_000
"""Entities that are looked at, those of blocks in blocks with them: a drawing may ask for a hundred million."""
_MOST_CHORDS = 5_000
"""Chords of one curve."""
_FARTHEST_MM = 1e7


def read_dxf(path: Path, cancelled: Callable[[], bool] = lambda: False) -> Print:
    """A DXF file as a print. Raises ``UnusableFile``, and ``Cancelled`` when told to stop.

    What has no place, is no line, or comes after more entities and chords than a print has, is left out and counted.
    """
    read_regular(path, DRAWING_BYTES)
    try:
        document = filemanagement.readfile(path)
    except OSError as error:
        # The library says "no DXF file" by the same kind of error, without a reason of the system's.
        raise UnusableFile(
            str(path), (error.strerror or "this is no DXF drawing that can be read").lower().replace("dxf", "DXF")
        ) from None
    except (DXFError, ValueError, KeyError, IndexError, TypeError, AttributeError):
        raise UnusableFile(str(path), "this is no DXF drawing that can be read") from None
    unit = int(document.header.get("$INSUNITS", 0) or 0)
    scale = _TO_MM.get(unit, 1.0)
    pieces: list[Piece] = []
    left_out = 0
    for count, entity in enumerate(_flat(document)):
        if count % 500 == 0 and cancelled():
            raise Cancelled
        if count >= _MOST_ENTITIES or len(pieces) > _MOST:
            raise UnusableFile(str(path), f"more than {min(_MOST, _MOST_ENTITIES):,} lines: this is more than a print")
        found = _pieces(entity, scale)
        if found is None:
            left_out += 1
            continue
        good = [piece for piece in found if all(math.isfinite(v) and abs(v) < _FARTHEST_MM for v in piece)]
        left_out += len(found) > len(good)
        pieces.extend(good)
    return Print(tuple(pieces), unit in _TO_MM, left_out)


def _flat(document: Drawing) -> Iterator[DXFGraphic]:
    """Every entity of the model space, blocks taken apart."""

    def apart(entities: Iterable[DXFGraphic], depth: int) -> Iterator[DXFGraphic]:
        for entity in entities:
            if entity.dxftype() != "INSERT" or depth >= 8:
                yield entity
                continue
            # An insert may be an array of rows and columns.
            for one in entity.multi_insert() if entity.mcount > 1 else (entity,):  # type: ignore[attr-defined]
                yield one
                yield from apart(one.virtual_entities(), depth + 1)  # type: ignore[union-attr]

    yield from apart(document.modelspace(), 0)


def _pieces(entity: DXFGraphic, scale: float) -> list[Piece] | None:
    """The entity's lines and arcs; None for text, hatches and the like."""
    kind = entity.dxftype()
    if kind == "INSERT":
        return []
    try:
        if kind == "LINE":
            a, b = entity.dxf.start, entity.dxf.end
            return [Line(a.x * scale, a.y * scale, b.x * scale, b.y * scale)]
        if kind == "CIRCLE" and entity.dxf.extrusion.z > 0:
            c = entity.dxf.center
            return [Arc(c.x * scale, c.y * scale, entity.dxf.radius * scale, 0.0, 360.0)]
        if kind == "ARC" and entity.dxf.extrusion.z > 0:
            c, first, last = entity.dxf.center, entity.dxf.start_angle, entity.dxf.end_angle
            return [
                Arc(c.x * scale, c.y * scale, entity.dxf.radius * scale, first, first + ((last - first) % 360 or 360))
            ]
        if kind in ("LWPOLYLINE", "POLYLINE") and entity.dxf.extrusion.z > 0:
            out: list[Piece] = []
            for part in entity.virtual_entities():  # type: ignore[attr-defined]
                out += _pieces(part, scale) or []
            return out
        if kind in ("SPLINE", "ELLIPSE", "LWPOLYLINE", "POLYLINE", "CIRCLE", "ARC", "HELIX"):
            places = list(islice(make_path(entity).flattening(_CHORD_MM / scale), _MOST_CHORDS + 1))
            if len(places) > _MOST_CHORDS:
                return None
            return [Line(a.x * scale, a.y * scale, b.x * scale, b.y * scale) for a, b in pairwise(places)]
    except (DXFError, ValueError, TypeError, AttributeError, ZeroDivisionError):
        return None
    return None
