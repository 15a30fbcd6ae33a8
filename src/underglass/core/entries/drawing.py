"""The closed loops of a DXF drawing: outlines of sheets, profiles of turned parts."""

from __future__ import annotations

import math
from pathlib import Path

import ezdxf.path
from ezdxf.filemanagement import readfile
from ezdxf.lldxf.const import DXFError

from underglass.core.entries.checked import Table
from underglass.core.errors import UnusableFile
from underglass.core.reading import MESH_BYTES, read_regular
from underglass.core.units import MM_PER_INCH

Place = tuple[float, float]

_KINDS = {"LINE", "ARC", "CIRCLE", "LWPOLYLINE", "POLYLINE", "SPLINE", "ELLIPSE"}
_JOINS_MM = 0.01
_UNITS = {1: MM_PER_INCH, 4: 1.0, 5: 10.0, 6: 1000.0}
_CHORD_MM = 0.0005
_MOST_CHAINS = 20_000
"""Ends of more lines than this are not looked for one another."""


def closed_loops(path: Path, scale: float, part: Table, key: str, most: int) -> list[list[Place]]:
    """Every closed loop, mm, its last place not its first again. ``scale``: mm of a unit where the drawing names none; ``most`` places in
    all. Raises ``BadEntry``."""
    try:
        read_regular(path, MESH_BYTES)
        drawing = readfile(path)
    except UnusableFile as error:
        raise part.bad(key, f"{path.name}: {error.why}") from None
    except (OSError, ValueError, KeyError, DXFError):
        raise part.bad(key, f"{path.name}: this is no drawing that can be read") from None
    factor = _UNITS.get(int(drawing.header.get("$INSUNITS", 0)), scale)
    chains: list[list[Place]] = []
    total = 0
    for entity in drawing.modelspace():
        if entity.dxftype() not in _KINDS:
            continue
        way = ezdxf.path.make_path(entity)
        places = [(v.x * factor, v.y * factor) for v in way.flattening(_CHORD_MM / factor)]
        total += len(places)
        if (
            total > most
            or len(chains) > _MOST_CHAINS
            or not all(math.isfinite(x) and math.isfinite(y) for x, y in places)
        ):
            raise part.bad(key, f"{path.name}: this drawing is too large for an outline, or has figures that are none")
        chains.append(places)
    loops = [c[:-1] if c[0] == c[-1] or math.dist(c[0], c[-1]) <= _JOINS_MM else c for c in _joined(chains)]
    if not loops:
        raise part.bad(key, f"{path.name}: this drawing has no closed outline")
    return loops


def _joined(chains: list[list[Place]]) -> list[list[Place]]:
    """Lines and arcs that meet end to end as closed loops; what stays open is left out."""
    cell = 4.0 * _JOINS_MM
    left: dict[int, list[Place]] = {k: c for k, c in enumerate(chains) if len(c) > 1}
    ends: dict[tuple[int, int], set[int]] = {}

    def cells(at: Place) -> list[tuple[int, int]]:
        x, y = round(at[0] / cell), round(at[1] / cell)
        return [(x + i, y + j) for i in (-1, 0, 1) for j in (-1, 0, 1)]

    for k, chain in left.items():
        for at in (chain[0], chain[-1]):
            ends.setdefault((round(at[0] / cell), round(at[1] / cell)), set()).add(k)
    loops = []
    while left:
        first = next(iter(left))
        chain = left.pop(first)
        while math.dist(chain[0], chain[-1]) > _JOINS_MM:
            near = (k for c in cells(chain[-1]) for k in ends.get(c, ()) if k in left)
            found = None
            for k in near:
                other = left[k]
                if math.dist(chain[-1], other[0]) <= _JOINS_MM:
                    found = (k, other[1:])
                elif math.dist(chain[-1], other[-1]) <= _JOINS_MM:
                    found = (k, other[-2::-1])
                if found is not None:
                    break
            if found is None:
                break
            del left[found[0]]
            chain = [*chain, *found[1]]
        if len(chain) > 3 and math.dist(chain[0], chain[-1]) <= _JOINS_MM:
            loops.append(chain)
    return loops
