"""Parts of sheet: simple shapes with their holes, and how they lie on a sheet.

Glossary
    part    its outline, then the contours of its holes, mm; its lowest corner lies at 0 0
    lay     where a part's own 0 0 comes to and how it is turned, in quarter turns
"""

from __future__ import annotations

import math
from typing import NamedTuple

import shapely
from shapely import affinity

from underglass.core.compose.contour import Contour, Seg
from underglass.core.compose.contour_rows import surrounding

_AS_NEAR = 1e-6
"""Parts that could lie no more than this nearer lie near enough, mm."""
_MOST_NEARER = 200
"""So often a part is pushed nearer at the most: along a slanting side each push leaves a share of the way."""


class Lay(NamedTuple):
    """A part on the sheet: quarter turns anticlockwise, then moved so that its lowest corner is at x y, mm."""

    quarters: int
    x: float
    y: float


def circle(x: float, y: float, d: float) -> Contour:
    """A whole circle, anticlockwise from its lowest place."""
    r = d / 2.0
    return Contour((Seg(x, y - r, x, y - r, 1, x, y),), True)


def polygon(places: list[tuple[float, float]]) -> Contour:
    """Straight sides through places, closed."""
    ends = [*places[1:], places[0]]
    return Contour(tuple(Seg(*a, *b) for a, b in zip(places, ends, strict=True)), True)


def turned(contour: Contour, quarters: int) -> Contour:
    """By quarter turns about 0 0."""
    c, s = ((1, 0), (0, 1), (-1, 0), (0, -1))[quarters % 4]

    def at(x: float, y: float) -> tuple[float, float]:
        return x * c - y * s, x * s + y * c

    return Contour(
        tuple(Seg(*at(g.x0, g.y0), *at(g.x1, g.y1), g.turn, *at(g.cx, g.cy)) for g in contour.segs), contour.closed
    )


def moved(contour: Contour, dx: float, dy: float) -> Contour:
    """By dx dy, mm."""
    return Contour(
        tuple(Seg(g.x0 + dx, g.y0 + dy, g.x1 + dx, g.y1 + dy, g.turn, g.cx + dx, g.cy + dy) for g in contour.segs),
        contour.closed,
    )


def extents(contour: Contour) -> tuple[float, float, float, float]:
    """X and Y from, X and Y to, mm."""
    p = contour.places(0.001)
    (x0, y0), (x1, y1) = p.min(axis=0).tolist(), p.max(axis=0).tolist()
    return x0, y0, x1, y1


def laid(part: tuple[Contour, ...], lay: Lay) -> tuple[Contour, ...]:
    """A part in its place."""
    there = [turned(c, lay.quarters) for c in part]
    x0, y0, _x1, _y1 = extents(there[0])
    return tuple(moved(c, lay.x - x0, lay.y - y0) for c in there)


def in_rows(part: tuple[Contour, ...], wide: float, high: float, gap: float, quarters: tuple[int, ...]) -> list[Lay]:
    """As many as go on ``wide`` x ``high``, in rows, by the quarter turn that takes most. The rows fill from 0 0."""
    best: list[Lay] = []
    for q in quarters:
        x0, y0, x1, y1 = extents(turned(part[0], q))
        w, h = x1 - x0, y1 - y0
        nx, ny = (math.floor((room + gap + 1e-9) / (size + gap)) for room, size in ((wide, w), (high, h)))
        if nx * ny > len(best):
            best = [Lay(q, i * (w + gap), j * (h + gap)) for j in range(ny) for i in range(nx)]
    return best


def in_pairs(part: tuple[Contour, ...], wide: float, high: float, gap: float) -> list[Lay]:
    """As many as go on when every second one is turned half round and pushed up against its neighbour."""
    best: list[Lay] = []
    for q in (0, 1):
        one, other = laid(part, Lay(q, 0.0, 0.0))[0], laid(part, Lay(q + 2, 0.0, 0.0))[0]
        x0, y0, x1, y1 = extents(one)
        w, h = x1 - x0, y1 - y0
        a, b = one.polygon(0.01), other.polygon(0.01)
        # The least shift along X at which the second keeps its distance from the first, and the first of the next pair from it.
        near = _least_shift(a, b, gap, w)
        over = near + _least_shift(b, a, gap, w)
        pairs_x = math.floor((wide - w + 1e-9) / over) + 1 if wide >= w else 0
        rows = math.floor((high + gap + 1e-9) / (h + gap))
        found: list[Lay] = []
        for j in range(rows):
            for i in range(pairs_x):
                found.append(Lay(q, i * over, j * (h + gap)))
                if i * over + near + w <= wide + 1e-9:
                    found.append(Lay(q + 2, i * over + near, j * (h + gap)))
        if len(found) > len(best):
            best = found
    return best


def _least_shift(still: shapely.Polygon, other: shapely.Polygon, gap: float, wide: float) -> float:
    """How far along X ``other`` must go to keep ``gap`` from ``still``, coming from where they keep it surely.

    A way is never longer than by how much it brings them nearer, so what is left over the gap can be gone at once, again and again.
    """
    at = wide + gap
    for _k in range(_MOST_NEARER):
        room = affinity.translate(other, at, 0.0).distance(still) - gap
        if room < _AS_NEAR or at <= 0.0:
            break
        at = max(at - room, 0.0)
    return at


def heat_apart(lays: list[Lay], size: tuple[float, float]) -> list[Lay]:
    """An order in which one part is far from those cut just before: of the ones left, that with the most room to the last three."""
    left, out = list(lays), [lays[0]] if lays else []
    left = left[1:]
    while left:
        recent = out[-3:]
        # Equal ones in the order of the list: not by the last bit of a sum.
        far = max(
            left, key=lambda p: round(min(math.hypot((p.x - r.x) / size[0], (p.y - r.y) / size[1]) for r in recent), 9)
        )
        out.append(far)
        left.remove(far)
    return out


def check_part(part: tuple[Contour, ...], key: str) -> tuple[Contour, ...]:
    """A part whose holes lie in it, its lowest corner at 0 0. Raises ``CannotBe``."""
    surrounding(part, key, "hole {} is not in the part")
    x0, y0, _x1, _y1 = extents(part[0])
    return tuple(moved(c, -x0, -y0) for c in part)
