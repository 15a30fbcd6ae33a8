"""Going round a wall: onto it and off it again, down along it, over the tabs that hold the part.

Glossary
    free side   the side of the way on which the tool is clear of the wall: 1 left, -1 right
    ring        a closed way of the tool's centre
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import shapely

from underglass.core.compose.contour import Contour, Seg
from underglass.core.compose.writer import Writer

Lead = Literal["arc", "line", "ramp"]


@dataclass(frozen=True, slots=True)
class Tabs:
    """Bridges that stay standing: where along the ring, mm; how long the tool stays up over each; up to which height."""

    at: tuple[float, ...]
    long: float
    top: float

    def cuts(self, whole: float) -> list[float]:
        """Lengths along the ring at which the tool goes up or down, in their order."""
        out = []
        for at in self.at:
            out += [(at - self.long / 2.0) % whole, (at + self.long / 2.0) % whole]
        return sorted(out)

    def over(self, along: float, whole: float) -> bool:
        """Whether a place along the ring lies on a tab."""
        return any(abs((along - at + whole / 2.0) % whole - whole / 2.0) < self.long / 2.0 for at in self.at)


def tab_places(contour: Contour, count: int, wide: float, d: float) -> list[tuple[float, float]]:
    """Where so many tabs stand on a closed contour, shared out evenly from half a step behind its start.

    A tab that would begin or end at a corner is moved along: there the tool has no way left to go up or down.
    """
    whole, long = contour.length, wide + d
    corners, at = [], 0.0
    for seg in contour.segs:
        corners.append(at)
        at += seg.length

    def free(middle: float) -> float:
        ends = ((middle + s * long / 2.0) % whole for s in (-1.0, 1.0))
        return min(abs((e - c + whole / 2.0) % whole - whole / 2.0) for e in ends for c in corners)

    out = []
    for k in range(count):
        even, most = whole * (k + 0.5) / count, whole / count * 0.35
        tries = [even + s * most * n / 8.0 for n in range(9) for s in (1.0, -1.0)]
        along = next((t for t in tries if free(t) > d / 2.0 + 0.5), max(tries, key=free)) % whole
        seg = contour.between(along, along + 0.01)[0]
        out.append((seg.x0, seg.y0))
    return out


def tabs_on(ring: Contour, places: Sequence[tuple[float, float]], near: float, long: float, top: float) -> Tabs | None:
    """The tabs of a ring: where it passes the places of the tabs, no farther than ``near`` mm from them."""
    line, along = ring.line, []
    for place in places:
        point = shapely.Point(place)
        if line.distance(point) <= near:
            along.append(line.project(point) / line.length * ring.length)
    return Tabs(tuple(along), long, top) if along else None


def go_round(
    w: Writer,
    ring: Contour,
    f: float,
    fdown: float,
    z: float,
    tabs: Tabs | None,
    *,
    first: float = 0.0,
    fall: tuple[float, float] | None = None,
    length: float | None = None,
) -> None:
    """Along a ring from ``first`` mm for ``length`` (once round); over tabs at their top. The tool stands at the start.

    ``fall`` (from height, to height): falls evenly over the way instead of keeping to ``z``.
    """
    whole = ring.length
    length = whole if length is None else length
    stops = {0.0, length}
    low = tabs is not None and min(z, fall[1] if fall else z) < tabs.top
    if tabs is not None and low:
        for turn in range(math.ceil((first + length) / whole) + 1):
            stops |= {at + turn * whole - first for at in tabs.cuts(whole) if 0.0 < at + turn * whole - first < length}

    def height(along: float) -> float:
        return z if fall is None else fall[0] + (fall[1] - fall[0]) * along / length

    marks = sorted(stops)
    for a, b in pairwise(marks):
        if b - a < 1e-6:
            continue
        up = low and tabs is not None and tabs.over(first + (a + b) / 2.0, whole)
        top = tabs.top if tabs is not None else 0.0
        if up or (w.z is not None and height(a) < w.z - 1e-9):
            w.feed(z=max(height(a), top) if up else height(a), f=fdown)
        done = 0.0
        for seg in ring.between(first + a, first + b):
            done += seg.length
            level = height(min(a + done, length))
            w.seg(seg, f=fdown if fall else f, z=max(level, top) if up else level)


def leads(
    ring: Contour,
    free: int,
    kind: Lead,
    reach: float,
    room: shapely.Geometry | None,
    straight: float = 0.0,
    by: float = 0.0,
) -> tuple[tuple[Seg, ...], tuple[Seg, ...]]:
    """The ways onto the ring's start and off its end again: a quarter arc (after a straight of ``straight`` mm) or a line.

    On both the tool's centre stays within ``room``; they get shorter until it does, and are left out where there is none.
    ``by``: how far beside the written ring the control leads the centre; the first move takes that in, the last gives it up.
    """
    (x, y), (px, py) = ring.start, ring.end
    dx, dy = ring.segs[0].direction(0.0)
    ex, ey = ring.segs[-1].direction(1.0)
    nx, ny, mx, my = -dy * free, dx * free, -ey * free, ex * free
    least = reach * 0.2
    into: tuple[Seg, ...]
    out: tuple[Seg, ...]
    while reach >= max(least, 0.02):
        if kind == "line":
            into = (Seg(x + (nx - dx) * reach, y + (ny - dy) * reach, x, y),)
            out = (Seg(px, py, px + (mx + ex) * reach, py + (my + ey) * reach),)
        else:
            cx, cy, gx, gy = x + nx * reach, y + ny * reach, px + mx * reach, py + my * reach
            a, b = (cx - dx * reach, cy - dy * reach), (gx + ex * reach, gy + ey * reach)
            into = (Seg(*a, x, y, free, cx, cy),)
            out = (Seg(px, py, *b, free, gx, gy),)
            if straight:
                into = (Seg(a[0] + nx * straight, a[1] + ny * straight, *a), *into)
                out = (*out, Seg(*b, b[0] + mx * straight, b[1] + my * straight))
        ways = _centre(into, free, by, (dx, dy)), _centre(tuple(s.back() for s in out[::-1]), -free, by, (-ex, -ey))
        if room is None or all(room.covers(way) for way in ways):
            return into, out
        if straight:
            straight *= 0.8
        reach *= 0.8
    return (), ()


def _centre(segs: tuple[Seg, ...], free: int, by: float, then: tuple[float, float]) -> shapely.Geometry:
    """Where the tool's centre runs on a way on: ``by`` mm beside it on the free side, but for its start. ``then``: the ring's direction."""
    places = [(segs[0].x0, segs[0].y0)]
    for k, seg in enumerate(segs):
        if by and seg.turn:
            scale = 1.0 - by / seg.radius * (1.0 if seg.turn == free else -1.0)
            places += [(seg.cx + (x - seg.cx) * scale, seg.cy + (y - seg.cy) * scale) for x, y in seg.places(0.01)]
        elif by:
            dx, dy = segs[k + 1].direction(0.0) if k + 1 < len(segs) else then
            places.append((seg.x1 - dy * free * by, seg.y1 + dx * free * by))
        else:
            places += seg.places(0.01)
    return shapely.LineString(places)
