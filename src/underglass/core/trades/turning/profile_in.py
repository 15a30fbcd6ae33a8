"""A turned profile as closed rings of (diameter, Z), mm: typed, or from a drawing."""

from __future__ import annotations

from pathlib import Path

from underglass.core.entries.checked import Table

Ring = tuple[tuple[float, float], ...]

_MOST_PLACES = 20_000


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
    from underglass.core.entries.drawing import closed_loops  # slow to take in

    loops = closed_loops(path, scale, part, key, _MOST_PLACES)
    return tuple(closed_ring([(2.0 * y, x) for x, y in loop], part, key) for loop in loops)
