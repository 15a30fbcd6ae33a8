"""A turned profile as closed rings of (diameter, Z), mm: typed, or from a drawing."""

from __future__ import annotations

import math
from pathlib import Path

import ezdxf.path
from ezdxf.filemanagement import readfile
from ezdxf.lldxf.const import DXFError

from underglass.core.entries.checked import Table
from underglass.core.errors import UnusableFile
from underglass.core.reading import MESH_BYTES, read_regular

Ring = tuple[tuple[float, float], ...]

_MOST_PLACES = 20_000
_KINDS = {"LINE", "ARC", "CIRCLE", "LWPOLYLINE", "POLYLINE", "SPLINE", "ELLIPSE"}
_JOINS_MM = 0.01


def closed_ring(places: list[tuple[float, float]], part: Table, key: str = "profile") -> Ring:
    """Places as one closed ring. Raises ``BadEntry`` where they enclose nothing or pass the axis."""
    ring = places[:-1] if len(places) > 1 and places[0] == places[-1] else places
    if len(ring) < 3:
        raise part.bad(key, "a profile needs at least three places")
    if any(x < 0.0 for x, _z in ring):
        raise part.bad(key, "a profile lies on one side of the axis: its diameters are not below 0")
    area = sum(a[0] * b[1] - b[0] * a[1] for a, b in zip(ring, [*ring[1:], ring[0]])) / 2.0
    if abs(area) < 1e-9:
        raise part.bad(key, "this profile encloses nothing")
    return tuple(ring)


def rings_of_drawing(path: Path, scale: float, part: Table, key: str = "profile") -> tuple[Ring, ...]:
    """The closed outlines of a DXF drawing: its X is Z of the lathe, its Y the radius (a section drawn as it lies in the lathe)."""
    try:
        read_regular(path, MESH_BYTES)
        drawing = readfile(path)
    except UnusableFile as error:
        raise part.bad(key, f"{path.name}: {error.why}") from None
    except (OSError, ValueError, KeyError, DXFError):
        raise part.bad(key, f"{path.name}: this is no drawing that can be read") from None
    factor = {1: 25.4, 4: 1.0, 5: 10.0, 6: 1000.0}.get(int(drawing.header.get("$INSUNITS", 0)), scale)
    chains: list[list[tuple[float, float]]] = []
    total = 0
    for entity in drawing.modelspace():
        if entity.dxftype() not in _KINDS:
            continue
        way = ezdxf.path.make_path(entity)
        places = [(v.y * factor * 2.0, v.x * factor) for v in way.flattening(0.0005 / factor)]
        total += len(places)
        if total > _MOST_PLACES or not all(math.isfinite(x) and math.isfinite(z) for x, z in places):
            raise part.bad(key, f"{path.name}: this drawing is too large for a profile, or has figures that are none")
        chains.append(places)
    rings = [closed_ring(chain, part, key) for chain in _joined(chains)]
    if not rings:
        raise part.bad(key, f"{path.name}: this drawing has no closed outline")
    return tuple(rings)


def _joined(chains: list[list[tuple[float, float]]]) -> list[list[tuple[float, float]]]:
    """Lines and arcs that meet end to end as closed loops; what stays open is left out."""
    left, loops = [c for c in chains if len(c) > 1], []
    while left:
        chain = left.pop(0)
        grown = True
        while grown and math.dist(chain[0], chain[-1]) > _JOINS_MM:
            grown = False
            for k, other in enumerate(left):
                if math.dist(chain[-1], other[0]) <= _JOINS_MM:
                    chain = [*chain, *other[1:]]
                elif math.dist(chain[-1], other[-1]) <= _JOINS_MM:
                    chain = [*chain, *other[-2::-1]]
                else:
                    continue
                left.pop(k)
                grown = True
                break
        if len(chain) > 3 and math.dist(chain[0], chain[-1]) <= _JOINS_MM:
            loops.append(chain)
    return loops
