"""A drawing to work from: lines and arcs in mm, and the places on it that a person means."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal, NamedTuple


class Line(NamedTuple):
    """A straight line, mm."""

    x0: float
    y0: float
    x1: float
    y1: float


class Arc(NamedTuple):
    """An arc anticlockwise from ``first`` to ``last`` degrees, mm; a circle where they are 360 apart."""

    cx: float
    cy: float
    r: float
    first: float
    last: float

    def at(self, deg: float) -> tuple[float, float]:
        return self.cx + self.r * math.cos(math.radians(deg)), self.cy + self.r * math.sin(math.radians(deg))


Piece = Line | Arc
Meaning = Literal["end", "centre", "middle", "crossing", "grid"]


class Spot(NamedTuple):
    """A place on the print that a person may mean, mm."""

    x: float
    y: float
    meaning: Meaning


@dataclass(frozen=True, slots=True)
class Print:
    """``unit_said``: whether the file says its unit; without it mm are taken. ``left_out`` counts what cannot be shown."""

    pieces: tuple[Piece, ...]
    unit_said: bool = True
    left_out: int = 0

    def moved(self, scale: float, turn_deg: float, dx: float, dy: float) -> Print:
        """Scaled and turned about its origin, then shifted."""
        c, s = math.cos(math.radians(turn_deg)) * scale, math.sin(math.radians(turn_deg)) * scale

        def at(x: float, y: float) -> tuple[float, float]:
            return x * c - y * s + dx, x * s + y * c + dy

        out: list[Piece] = []
        for piece in self.pieces:
            if isinstance(piece, Line):
                out.append(Line(*at(piece.x0, piece.y0), *at(piece.x1, piece.y1)))
            else:
                out.append(Arc(*at(piece.cx, piece.cy), piece.r * scale, piece.first + turn_deg, piece.last + turn_deg))
        return Print(tuple(out), self.unit_said, self.left_out)


def spots(pieces: Sequence[Piece]) -> list[Spot]:
    """Ends, centres and middles, each place once."""
    seen: dict[tuple[int, int], Spot] = {}

    def add(x: float, y: float, meaning: Meaning) -> None:
        seen.setdefault((round(x * 1e4), round(y * 1e4)), Spot(x, y, meaning))

    for piece in pieces:
        if isinstance(piece, Line):
            add(piece.x0, piece.y0, "end")
            add(piece.x1, piece.y1, "end")
        else:
            if piece.last - piece.first < 360.0 - 1e-9:
                add(*piece.at(piece.first), "end")
                add(*piece.at(piece.last), "end")
            add(piece.cx, piece.cy, "centre")
    for piece in pieces:
        if isinstance(piece, Line):
            add((piece.x0 + piece.x1) / 2, (piece.y0 + piece.y1) / 2, "middle")
        elif piece.last - piece.first < 360.0 - 1e-9:
            add(*piece.at((piece.first + piece.last) / 2), "middle")
        else:
            for deg in (0.0, 90.0, 180.0, 270.0):
                add(*piece.at(piece.first + deg), "middle")
    return list(seen.values())


def crossings(one: Piece, other: Piece) -> list[tuple[float, float]]:
    """Where two pieces cross."""
    if isinstance(one, Line) and isinstance(other, Line):
        ax, ay, bx, by = one.x1 - one.x0, one.y1 - one.y0, other.x1 - other.x0, other.y1 - other.y0
        cross = ax * by - ay * bx
        if abs(cross) < 1e-12:
            return []
        t = ((other.x0 - one.x0) * by - (other.y0 - one.y0) * bx) / cross
        u = ((other.x0 - one.x0) * ay - (other.y0 - one.y0) * ax) / cross
        return [(one.x0 + t * ax, one.y0 + t * ay)] if -1e-9 <= t <= 1 + 1e-9 and -1e-9 <= u <= 1 + 1e-9 else []
    if isinstance(one, Arc) and isinstance(other, Line):
        return crossings(other, one)
    if isinstance(one, Line) and isinstance(other, Arc):
        dx, dy = one.x1 - one.x0, one.y1 - one.y0
        fx, fy = one.x0 - other.cx, one.y0 - other.cy
        a, b, c = dx * dx + dy * dy, fx * dx + fy * dy, fx * fx + fy * fy - other.r * other.r
        root = b * b - a * c
        if a == 0.0 or root < 0.0:
            return []
        out = []
        for t in ((-b - math.sqrt(root)) / a, (-b + math.sqrt(root)) / a):
            x, y = one.x0 + t * dx, one.y0 + t * dy
            if -1e-9 <= t <= 1 + 1e-9 and _on(other, x, y):
                out.append((x, y))
        return out
    assert isinstance(one, Arc) and isinstance(other, Arc)
    d = math.hypot(other.cx - one.cx, other.cy - one.cy)
    if d < 1e-12 or d > one.r + other.r or d < abs(one.r - other.r):
        return []
    a = (one.r * one.r - other.r * other.r + d * d) / (2 * d)
    h = math.sqrt(max(one.r * one.r - a * a, 0.0))
    ux, uy = (other.cx - one.cx) / d, (other.cy - one.cy) / d
    both = [(one.cx + a * ux - s * h * uy, one.cy + a * uy + s * h * ux) for s in (1.0, -1.0)]
    return [(x, y) for x, y in both if _on(one, x, y) and _on(other, x, y)]


def _on(arc: Arc, x: float, y: float) -> bool:
    deg = math.degrees(math.atan2(y - arc.cy, x - arc.cx))
    return (deg - arc.first) % 360.0 <= arc.last - arc.first + 1e-9


def distance(piece: Piece, x: float, y: float) -> float:
    """How far a place is from a piece."""
    if isinstance(piece, Line):
        dx, dy = piece.x1 - piece.x0, piece.y1 - piece.y0
        length = dx * dx + dy * dy
        t = min(max(((x - piece.x0) * dx + (y - piece.y0) * dy) / length, 0.0), 1.0) if length else 0.0
        return math.hypot(x - piece.x0 - t * dx, y - piece.y0 - t * dy)
    if _on(piece, x, y):
        return abs(math.hypot(x - piece.cx, y - piece.cy) - piece.r)
    return min(math.dist(piece.at(deg), (x, y)) for deg in (piece.first, piece.last))


def placed(
    p1: tuple[float, float], q1: tuple[float, float], p2: tuple[float, float], q2: tuple[float, float]
) -> tuple[float, float, float, float]:
    """(scale, turn in degrees, dx, dy) of the similarity that takes p1 to q1 and p2 to q2. Raises ``ValueError``."""
    a = complex(p2[0] - p1[0], p2[1] - p1[1])
    b = complex(q2[0] - q1[0], q2[1] - q1[1])
    if abs(a) < 1e-12 or abs(b) < 1e-12:
        raise ValueError("the two places must be apart, on the picture and on the part")
    factor = b / a
    shift = complex(*q1) - factor * complex(*p1)
    return abs(factor), math.degrees(math.atan2(factor.imag, factor.real)), shift.real, shift.imag


def chain(pieces: Sequence[Piece], start: int, reach: float = 0.005) -> list[tuple[Piece, bool]]:
    """The pieces that hang together with one, end to end, in order; True where a piece is run from its last end.

    Where more than two meet at a place the chain ends there. A circle is a chain of its own.
    """

    def ends(piece: Piece) -> tuple[tuple[float, float], tuple[float, float]]:
        if isinstance(piece, Line):
            return (piece.x0, piece.y0), (piece.x1, piece.y1)
        return piece.at(piece.first), piece.at(piece.last)

    first = pieces[start]
    if isinstance(first, Arc) and first.last - first.first >= 360.0 - 1e-9:
        return [(first, False)]
    out = [(start, False)]
    used = {start}

    def following(at: tuple[float, float]) -> tuple[int, bool] | None:
        found = []
        for k, piece in enumerate(pieces):
            if k in used:
                continue
            a, b = ends(piece)
            if math.dist(a, b) < reach:
                continue
            if math.dist(a, at) <= reach:
                found.append((k, False))
            elif math.dist(b, at) <= reach:
                found.append((k, True))
        return found[0] if len(found) == 1 else None

    for forwards in (True, False):
        while True:
            k, back = out[-1] if forwards else out[0]
            a, b = ends(pieces[k])
            at = (a if back else b) if forwards else (b if back else a)
            step = following(at)
            if step is None:
                break
            used.add(step[0])
            if forwards:
                out.append(step)
            else:
                out.insert(0, (step[0], not step[1]))
    return [(pieces[k], back) for k, back in out]
