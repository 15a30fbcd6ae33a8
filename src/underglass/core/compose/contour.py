"""Contours of lines and arcs: cut into stretches, turned round, offset, and found again in places."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from underglass.core.compose.fitting import pieces
from underglass.core.reckon.form import Stroke

SAME = 1e-6
"""Below this two figures of a contour are one, mm: what is left of rounding in sums of figures up to a metre."""
CHORD = 0.0005
"""How far a chord that stands for an arc may lie from it, mm: a twentieth of what a finished wall may be off."""


class Seg(NamedTuple):
    """A line (``turn`` 0) or an arc about ``cx cy``, anticlockwise for ``turn`` 1 and clockwise for -1."""

    x0: float
    y0: float
    x1: float
    y1: float
    turn: int = 0
    cx: float = 0.0
    cy: float = 0.0

    @property
    def radius(self) -> float:
        return math.hypot(self.x0 - self.cx, self.y0 - self.cy) if self.turn else math.inf

    @property
    def swept(self) -> float:
        """The angle of an arc, rad, above nought; a whole turn where it ends where it began."""
        a0 = math.atan2(self.y0 - self.cy, self.x0 - self.cx)
        a1 = math.atan2(self.y1 - self.cy, self.x1 - self.cx)
        angle = (a1 - a0) * self.turn % math.tau
        return math.tau if angle < 1e-9 or angle > math.tau - 1e-9 else angle

    @property
    def length(self) -> float:
        return self.radius * self.swept if self.turn else math.hypot(self.x1 - self.x0, self.y1 - self.y0)

    def direction(self, at: float) -> tuple[float, float]:
        """The way it runs, a unit vector, at a share of its length."""
        if not self.turn:
            n = self.length or 1.0
            return (self.x1 - self.x0) / n, (self.y1 - self.y0) / n
        x, y = self.at(at)
        r = self.radius or 1.0
        return -self.turn * (y - self.cy) / r, self.turn * (x - self.cx) / r

    def at(self, share: float) -> tuple[float, float]:
        if not self.turn:
            return self.x0 + (self.x1 - self.x0) * share, self.y0 + (self.y1 - self.y0) * share
        angle = math.atan2(self.y0 - self.cy, self.x0 - self.cx) + self.turn * self.swept * share
        return self.cx + self.radius * math.cos(angle), self.cy + self.radius * math.sin(angle)

    def part(self, first: float, last: float) -> Seg:
        """From one share of its length to another."""
        start = (self.x0, self.y0) if first <= 0.0 else self.at(first)
        end = (self.x1, self.y1) if last >= 1.0 else self.at(last)
        return self._replace(x0=start[0], y0=start[1], x1=end[0], y1=end[1])

    def back(self) -> Seg:
        return Seg(self.x1, self.y1, self.x0, self.y0, -self.turn, self.cx, self.cy)

    def places(self, chord: float = CHORD) -> list[tuple[float, float]]:
        """Its places without the first; an arc in chords no farther from it than ``chord`` mm."""
        if not self.turn:
            return [(self.x1, self.y1)]
        r, swept = self.radius, self.swept
        count = max(2, math.ceil(swept / step_of(r, chord)))
        first = math.atan2(self.y0 - self.cy, self.x0 - self.cx)
        angles = first + self.turn * swept * np.arange(1, count) / count
        inner = np.column_stack([self.cx + r * np.cos(angles), self.cy + r * np.sin(angles)])
        return [(x, y) for x, y in inner.tolist()] + [(self.x1, self.y1)]


def step_of(radius: float, chord: float = CHORD) -> float:
    """The angle whose chord lies ``chord`` mm from the arc, rad."""
    return 2.0 * math.acos(max(-1.0, 1.0 - chord / max(radius, chord)))


@dataclass(frozen=True)
class Contour:
    """Elements end to end; ``closed`` where the last one ends where the first began."""

    segs: tuple[Seg, ...]
    closed: bool

    @property
    def start(self) -> tuple[float, float]:
        return self.segs[0].x0, self.segs[0].y0

    @property
    def end(self) -> tuple[float, float]:
        return self.segs[-1].x1, self.segs[-1].y1

    @cached_property
    def length(self) -> float:
        return sum(s.length for s in self.segs)

    @cached_property
    def line(self) -> shapely.LineString:
        """For finding places beside it: its chords lie 0.01 mm from its arcs."""
        return shapely.LineString(self.places(0.01))

    def nearest(self, to: tuple[float, float]) -> Contour:
        """A closed contour that starts where it comes nearest to a place."""
        return self.from_length(self.line.project(shapely.Point(to)) / self.line.length * self.length)

    def places(self, chord: float = CHORD) -> NDArray[np.float64]:
        """(n, 2), from the start to the end, mm."""
        out = [self.start]
        for seg in self.segs:
            out += seg.places(chord)
        return np.array(out)

    def polygon(self, chord: float = CHORD) -> shapely.Polygon:
        """What a closed contour surrounds."""
        return shapely.Polygon(self.places(chord))

    @property
    def anticlockwise(self) -> bool:
        return self.area > 0.0

    @property
    def area(self) -> float:
        """What a closed contour surrounds, mm2: above nought where it runs anticlockwise (shoelace, and r2 (a - sin a) / 2 an arc)."""
        first_x, first_y = self.start
        out = 0.0
        for s in self.segs:
            out += (s.x0 - first_x) * (s.y1 - first_y) - (s.x1 - first_x) * (s.y0 - first_y)
            if s.turn:
                angle = s.swept
                out += s.turn * s.radius**2 * (angle - math.sin(angle))
        return out / 2.0

    def back(self) -> Contour:
        return replace(self, segs=tuple(s.back() for s in reversed(self.segs)))

    def run(self, anticlockwise: bool) -> Contour:
        """The same, run in that direction."""
        return self if self.anticlockwise == anticlockwise else self.back()

    def between(self, first: float, last: float) -> tuple[Seg, ...]:
        """The stretch from one length along it to another, mm; a closed one goes on past its end."""
        whole, out, at = self.length, [], 0.0
        rounds = math.ceil(last / whole) if self.closed and last > whole else 1
        for seg in self.segs * max(rounds, 1):
            n = seg.length
            a, b = max(first - at, 0.0), min(last - at, n)
            if b - a > SAME and n > 0.0:
                out.append(seg.part(a / n, b / n))
            at += n
            if at >= last:
                break
        return tuple(out)

    def from_length(self, along: float) -> Contour:
        """A closed contour that starts so far along."""
        whole = self.length
        along %= whole
        return self if along < SAME else Contour(self.between(along, along + whole), True)

    def from_longest(self) -> Contour:
        """A closed contour that starts in the middle of its longest line, or of its longest arc where there is none."""
        at, best, where = 0.0, (False, -1.0), 0.0
        for seg in self.segs:
            if (not seg.turn, seg.length) > best:
                best, where = (not seg.turn, seg.length), at + seg.length / 2.0
            at += seg.length
        return self.from_length(where)

    def scaled(self, by: float) -> Contour:
        """Every length times ``by``."""
        return replace(
            self,
            segs=tuple(
                Seg(s.x0 * by, s.y0 * by, s.x1 * by, s.y1 * by, s.turn, s.cx * by, s.cy * by) for s in self.segs
            ),
        )

    def strokes(self, style: str = "part") -> tuple[Stroke, ...]:
        """As a drawing."""
        return tuple(stroke(seg, style) for seg in self.segs)


def stroke(seg: Seg, style: str) -> Stroke:
    """An element as it is drawn."""
    if not seg.turn:
        return Stroke("line", (seg.x0, seg.y0, seg.x1, seg.y1), style)  # type: ignore[arg-type]
    first = math.degrees(math.atan2(seg.y0 - seg.cy, seg.x0 - seg.cx))
    swept = math.degrees(seg.swept)
    if seg.turn < 0:
        first -= swept
    return Stroke("arc", (seg.cx, seg.cy, seg.radius, first, first + swept), style)  # type: ignore[arg-type]


# -- found again in places ------------------------------------------------------------------------------------------------


def fitted(places: NDArray[np.float64], closed: bool, near: float = 0.0015) -> Contour:
    """Places in a row, (n, 2), as lines and arcs: what lies on one circle in short chords was an arc."""
    p = places[np.append(True, np.hypot(*np.diff(places, axis=0).T) > SAME)]
    if closed and len(p) > 2 and np.hypot(*(p[0] - p[-1])) <= SAME:
        p = p[:-1]
    if closed and len(p) > 3:
        # Begun at the sharpest corner, so that no arc is cut in two; at the longest side where all is round.
        into, out = p - np.roll(p, 1, axis=0), np.roll(p, -1, axis=0) - p
        bend = np.abs(np.arctan2(into[:, 0] * out[:, 1] - into[:, 1] * out[:, 0], (into * out).sum(axis=1)))
        reach = np.maximum(np.hypot(*into.T), np.hypot(*out.T))
        p = np.roll(p, -int(np.argmax(np.where(bend > 0.15, bend + 10.0, reach / reach.max()))), axis=0)
        p = np.vstack([p, p[:1]])
    found = pieces(p, near)
    ends = [(x, y) for x, y in p[[0, *(last for last, *_arc in found)]].tolist()]
    segs = [
        Seg(*start, *end, turn, cx, cy) if turn else Seg(*start, *end)
        for start, end, (_last, turn, cx, cy) in zip(ends, ends[1:], found, strict=False)
    ]
    return Contour(tuple(_joined(segs)), closed)


def _joined(segs: list[Seg]) -> list[Seg]:
    """Lines that go on straight are one."""
    out: list[Seg] = []
    for seg in segs:
        if out and not seg.turn and not out[-1].turn:
            (ax, ay), (bx, by) = out[-1].direction(1.0), seg.direction(0.0)
            if ax * bx + ay * by > 0.0 and abs(ax * by - ay * bx) * min(out[-1].length, seg.length) < 1e-5:
                out[-1] = out[-1]._replace(x1=seg.x1, y1=seg.y1)
                continue
        out.append(seg)
    return out


def area_of(contours: Sequence[Contour], chord: float = CHORD) -> shapely.Polygon:
    """The first closed contour without the others, which lie in it."""
    shape = contours[0].polygon(chord)
    for hole in contours[1:]:
        shape = shape.difference(hole.polygon(chord))
    return shape


def grown(shape: shapely.Geometry, by: float, chord: float = CHORD) -> shapely.Geometry:
    """The offset of a region, outwards or (minus) inwards, with round corners whose chords lie ``chord`` mm from them."""
    if by == 0.0:
        return shape
    quad = max(4, math.ceil(math.pi / 2.0 / step_of(abs(by), chord)))
    return shape.buffer(by, quad_segs=quad)


def rings_of(shape: shapely.Geometry) -> list[Contour]:
    """Outlines of a region as contours: outer ones anticlockwise, holes clockwise."""
    out = []
    for part in shapely.get_parts(shape):
        if isinstance(part, shapely.Polygon) and not part.is_empty:
            for k, ring in enumerate((part.exterior, *part.interiors)):
                places = np.asarray(ring.coords)[:, :2]
                out.append(fitted(places, True).run(k == 0))
    return out


def stretches_in(ring: Contour, region: shapely.Geometry) -> list[tuple[Seg, ...]]:
    """The stretches of a closed way that lie in a region."""
    line = shapely.LineString(ring.places(0.005))
    share = ring.length / line.length if line.length else 1.0
    prepared = line.intersection(region)
    if prepared.is_empty:
        return []
    if prepared.length > line.length - 0.01:
        return [ring.segs]
    marks = []
    for part in shapely.get_parts(shapely.line_merge(prepared) if prepared.geom_type != "LineString" else prepared):
        if part.geom_type != "LineString" or part.length < 0.01:
            continue
        a = line.project(shapely.Point(part.coords[0])) * share
        middle = line.project(part.interpolate(0.5, normalized=True)) * share
        half = part.length * share / 2.0
        assert a >= 0.0
        marks.append(((middle - half) % ring.length, 2.0 * half))
    return [ring.between(a, a + n) for a, n in sorted(marks)]
