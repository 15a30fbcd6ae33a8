"""Patterns of hits, each all of what is known of it in one value, and where its hits are.

Lines, grids and rectangles begin with their first hit, which counts; a circle and an arc have their centre there, unpunched. Steps
are equal and no longer than the pitch; with a count the pitch is kept (common practice, no source).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from typing import NamedTuple

from underglass.core.control.cycles import CYCLES, Cycle, Input

PATTERN_INPUTS: Mapping[str, Input] = {
    "angle": Input("A", "which way it goes, degrees counter-clockwise from X", length=False),
    "length": Input("L", "how long it is"),
    "count": Input("K", "how many hits", length=False),
    "pitch": Input("Q", "how far from hit to hit"),
    "radius": Input("R", "radius"),
    "start": Input("A", "where it begins, degrees counter-clockwise from X", length=False),
    "sweep": Input("C", "how far it goes round, degrees counter-clockwise", length=False),
    "punch": Input("B", "the punch's diameter: plus outside the line, minus inside"),
    "thickness": Input("E", "how thick the sheet is"),
    "pitch_x": Input("I", "pitch along X"),
    "count_x": Input("P", "hits along X", length=False),
    "pitch_y": Input("J", "pitch along Y"),
    "count_y": Input("K", "hits along Y", length=False),
    "first": Input("D", "0: along X first; 1: along Y", length=False),
    "size_x": Input("I", "how wide it is"),
    "size_y": Input("J", "how high it is"),
    "distance": Input("I", "how far the clamps go along X"),
}
"""Every input that a pattern can have. The letters hold where a profile names no other."""

Told = Mapping[str, float]
Place = tuple[float, float]


class Hits(NamedTuple):
    """Where a pattern strikes, from its own place on, mm; ``missing``: what it needs and was not told; ``ends``: where it leaves the machine."""

    places: list[Place]
    pitch: float
    missing: str = ""
    ends: Place | None = None


def _count(length: float, pitch: float) -> int:
    """Equal steps no longer than the pitch: n = ceil(length / pitch - 1e-6)."""
    return max(1, math.ceil(length / pitch - 1e-6))


def _line(told: Told) -> Hits:
    pitch, length, count = told.get("pitch"), told.get("length"), told.get("count")
    if count is None and length is None:
        return Hits([(0.0, 0.0)], 0.0, "length or count")
    if not pitch or pitch <= 0.0:
        return Hits([(0.0, 0.0)], 0.0, "pitch")
    a = math.radians(told.get("angle", 0.0))
    if count is not None:
        n, step = max(int(count) - 1, 0), pitch
    else:
        assert length is not None
        n = _count(abs(length), pitch) if length else 0
        step = length / n if n else 0.0
    return Hits([(k * step * math.cos(a), k * step * math.sin(a)) for k in range(n + 1)], abs(step))


def _circle(told: Told) -> Hits:
    r, count = told.get("radius"), told.get("count")
    if not r or not count or count < 1:
        return Hits([], 0.0, "radius and count")
    a0, n = math.radians(told.get("start", 0.0)), int(count)
    angles = [a0 + math.tau * k / n for k in range(n)]
    return Hits(
        [(r * math.cos(a), r * math.sin(a)) for a in angles],
        2.0 * r * math.sin(math.pi / n) if n > 1 else 0.0,
        ends=(0.0, 0.0),
    )


def _arc(told: Told) -> Hits:
    r, pitch = told.get("radius"), told.get("pitch")
    if not r or not pitch or pitch <= 0.0:
        return Hits([], 0.0, "radius and pitch")
    sweep = told.get("sweep", 360.0)
    at = r + told.get("punch", 0.0) / 2.0
    if at <= 0.0:
        return Hits([], 0.0, "a radius larger than half the punch")
    full = abs(abs(sweep) - 360.0) < 1e-9
    n = _count(math.radians(abs(sweep)) * at, pitch)
    a0, step = math.radians(told.get("start", 0.0)), math.radians(sweep) / n
    angles = [a0 + step * k for k in range(n if full else n + 1)]
    return Hits(
        [(at * math.cos(a), at * math.sin(a)) for a in angles], math.radians(abs(sweep)) * at / n, ends=(0.0, 0.0)
    )


def _grid(told: Told) -> Hits:
    nx, ny = told.get("count_x", 1.0), told.get("count_y", 1.0)
    px, py = told.get("pitch_x", 0.0), told.get("pitch_y", 0.0)
    if nx < 1 or ny < 1 or (nx > 1 and not px) or (ny > 1 and not py):
        return Hits([(0.0, 0.0)], 0.0, "pitch and count along both axes")
    rows = range(int(ny)), range(int(nx))
    if told.get("first", 0.0):
        # Along Y first, there and back.
        places = [(i * px, (j if i % 2 == 0 else int(ny) - 1 - j) * py) for i in rows[1] for j in rows[0]]
    else:
        places = [((i if j % 2 == 0 else int(nx) - 1 - i) * px, j * py) for j in rows[0] for i in rows[1]]
    return Hits(places, min([abs(p) for p, n in ((px, nx), (py, ny)) if n > 1], default=0.0))


def _rectangle(told: Told) -> Hits:
    w, h, pitch = told.get("size_x"), told.get("size_y"), told.get("pitch")
    if not w or not h or not pitch or pitch <= 0.0:
        return Hits([(0.0, 0.0)], 0.0, "both sizes and the pitch")
    off = told.get("punch", 0.0) / 2.0
    corners = [(-off, -off), (w + off, -off), (w + off, h + off), (-off, h + off)]
    places: list[Place] = []
    step = 0.0
    for (x0, y0), (x1, y1) in zip(corners, [*corners[1:], corners[0]]):
        size = math.hypot(x1 - x0, y1 - y0)
        n = _count(size, pitch)
        step = max(step, size / n)
        places += [(x0 + (x1 - x0) * k / n, y0 + (y1 - y0) * k / n) for k in range(n)]
    return Hits(places, step, ends=places[-1] if places else None)


def _reposition(told: Told) -> Hits:
    return Hits([], 0.0, "" if told.get("distance") else "distance")


PLACES: Mapping[str, Callable[[Told], Hits]] = {
    "punch-line": _line, "nibble-line": _line, "punch-circle": _circle, "punch-arc": _arc, "nibble-arc": _arc, "punch-grid": _grid,
    "nibble-rectangle": _rectangle, "reposition": _reposition,
}  # fmt: skip

_ARC = ("radius", "start", "sweep", "pitch", "punch", "thickness")


def _pattern(name: str, said: str, inputs: tuple[str, ...]) -> Cycle:
    return Cycle(name=name, said=said, inputs=inputs, kind="punch", known=PATTERN_INPUTS, once=True)


for _one in (
    _pattern("punch-line", "Punches a row, hit by hit", ("angle", "length", "count", "pitch")),
    _pattern("nibble-line", "Nibbles along a line", ("angle", "length", "count", "pitch")),
    _pattern("punch-circle", "Punches a circle of holes", ("radius", "start", "count")),
    _pattern("punch-arc", "Punches along an arc, hit by hit", _ARC),
    _pattern("nibble-arc", "Nibbles along an arc", _ARC),
    _pattern("punch-grid", "Punches a grid", ("pitch_x", "count_x", "pitch_y", "count_y", "first")),
    _pattern("nibble-rectangle", "Nibbles out a rectangle", ("size_x", "size_y", "pitch", "punch")),
    _pattern("reposition", "Moves the clamps along the sheet", ("distance",)),
):
    CYCLES.setdefault(_one.name, _one)


def nibbles(name: str) -> bool:
    """Whether a pattern runs on from hit to hit."""
    return name.startswith("nibble-")
