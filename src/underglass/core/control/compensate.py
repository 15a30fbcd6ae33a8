"""Radius compensation in a plane: the centre's path, one look-ahead move at a time.

Glossary
    element   a programmed move in the plane, straight or an arc, with its heights
    side      +1 the cutter runs left of its way (G41), -1 right (G42)
    normal    the way to the left of a direction
    entry     the first move with compensation on: straight, to the point square beside the start of the next element
    exit      the last element ends square beside its own end; the next move, without compensation, leaves from there
    roll      the arc about an outside corner
    trimmed   an element whose end is the crossing with the next one, at an inside corner

    traced    what became of an element: which moves of the centre it made

Coordinates are those of the plane, machine, mm: first axis, second axis, and the height across it. A move across the
plane, a stop or a wait between two elements happens where the first one ends.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Literal, NamedTuple

from underglass.core.control.motions import Kind
from underglass.core.language.block import Block
from underglass.core.tolerances import TOLERANCES

Point = tuple[float, float]
Corner = Literal["rolled", "extended"]
_PARALLEL = 1e-7
"""Sine of the angle below which two directions are one: a micrometre on ten metres."""
_ROUNDED_MM = 0.005
"""A corner whose two ways pass each other by no more than this is a smooth one: its figures were rounded to three places."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Element:
    """A programmed move. Heights ``z0``, ``z1``; ``sweep`` 0 for a straight one."""

    kind: Kind
    block: Block
    start: Point
    end: Point
    z0: float
    z1: float
    feed: float
    state: int
    centre: Point = (math.nan, math.nan)
    sweep: float = 0.0

    def direction(self, at_end: bool) -> Point:
        """Unit vector of the way at the start or the end."""
        if self.sweep == 0.0:
            dx, dy = self.end[0] - self.start[0], self.end[1] - self.start[1]
        else:
            place = self.end if at_end else self.start
            sign = 1.0 if self.sweep > 0.0 else -1.0
            dx, dy = -(place[1] - self.centre[1]) * sign, (place[0] - self.centre[0]) * sign
        size = math.hypot(dx, dy) or 1.0
        return (dx / size, dy / size)

    def length(self) -> float:
        if self.sweep == 0.0:
            return math.dist(self.start, self.end)
        return abs(self.sweep) * math.dist(self.start, self.centre)


Emit = Callable[[Kind, Block, Point, float, float, int, Point, float], None]
"""(kind, block, end, z, feed, state, centre, sweep): the next move of the centre."""


class Trouble(NamedTuple):
    """Why the centre's path cannot be drawn as asked. ``at`` is the place; ``figures`` are the lengths behind it, mm."""

    code: str
    block: Block
    message: str
    remedy: str
    figures: dict[str, float]
    element: Element | None = None
    at: Point | None = None


class Traced(NamedTuple):
    """An element and the moves of the centre that came of it: ``first`` up to, not including, ``last``."""

    line: int
    role: Literal["entry", "contour"]
    start: Point
    end: Point
    centre: Point
    sweep: float
    z0: float
    z1: float
    first: int
    last: int
    rapid: bool


@dataclass(slots=True, kw_only=True)
class Compensator:
    """Takes programmed elements, gives the centre's moves. ``radius`` mm, not negative."""

    side: float
    radius: float
    corner: Corner
    lookahead: int
    need_entry: bool
    emit: Emit
    complain: Callable[[Trouble], None]
    count: Callable[[], int]
    at: Point
    entered: bool = False
    current: Element | None = None
    begun: Point | None = None
    between: list[Callable[[], None]] = field(default_factory=list)
    idle: int = 0
    told_idle: bool = False
    traced: list[Traced] = field(default_factory=list)
    inside_before: bool = False
    inside_after: bool = False
    elements: int = 0
    joined: bool = False
    say: Callable[[float], str] = "{:.3f} mm".format

    # -- from the control ------------------------------------------------------------------------------------------------

    def element(self, new: Element) -> None:
        """The next move in the plane."""
        self.idle = 0
        self.told_idle = False
        self.elements += 1
        if self.current is None:
            if new.sweep != 0.0:
                what = "the radius in force changes at an arc" if self.joined else "compensation begins with an arc"
                self._trouble(
                    "comp-entry-short",
                    new,
                    f"{what}; the entry must be a straight move",
                    "put a straight move of at least the radius before this arc",
                    {"entry_mm": new.length()},
                    new.start,
                )
            elif self.need_entry and not self.joined and new.length() < self.radius - TOLERANCES.chord_mm:
                self._trouble(
                    "comp-entry-short",
                    new,
                    f"the entry is {self.say(new.length())} long, shorter than the radius of {self.say(self.radius)}",
                    "begin farther from the contour",
                    {"entry_mm": new.length(), "short_mm": self.radius - new.length()},
                    new.start,
                )
            self.current = new
            return
        if not self.entered:
            self._enter(self.current, new)
        else:
            self._join(self.current, new)
        self.current = new

    def aside(self, happens: Callable[[], None]) -> None:
        """Something between two elements: a move of Z, a wait, a stop."""
        if self.current is None:
            happens()
            return
        self.between.append(happens)

    def idle_block(self, block: Block) -> None:
        """A block without a move in the plane went by, whatever else it did."""
        self.idle += 1
        if self.current is not None and self.idle > self.lookahead and not self.told_idle:
            self.told_idle = True
            self.complain(
                Trouble(
                    "comp-lookahead",
                    block,
                    f"{self.idle} blocks in a row without a move in the plane: the control reads only {self.lookahead} ahead and cannot work out the corner",
                    "put the contour's moves together, or take these blocks out of it",
                    {"blocks": self.idle, "lookahead": self.lookahead, "radius_mm": self.radius},
                    self.current,
                    self.current.end,
                )
            )

    def finish(self) -> None:
        """Compensation ends: the last element is made up to the point square beside its end."""
        if self.current is not None:
            last = self.current
            self.inside_after = False
            if self.entered:
                self._make(last, self._beside(last, at_end=True))
            else:
                # Nothing followed the entry: there was no contour to stand beside.
                before = self.count()
                self._put(last, last.kind, last.end, last.centre, last.sweep)
                self._trace(last, before, "entry")
        self._flush()
        self.current = None
        self.entered = False

    def _trouble(
        self, code: str, element: Element, message: str, remedy: str, figures: dict[str, float], at: Point
    ) -> None:
        figures = {**figures, "radius_mm": self.radius}
        self.complain(Trouble(code, element.block, message, remedy, figures, element, at))

    def _put(
        self, element: Element, kind: Kind, to: Point, centre: Point = (math.nan, math.nan), sweep: float = 0.0
    ) -> None:
        """One move of the centre on an element's behalf."""
        self.emit(kind, element.block, to, element.z1, element.feed, element.state, centre, sweep)
        self.at = to

    def _trace(self, element: Element, first: int, role: Literal["entry", "contour"]) -> None:
        e = element
        self.traced.append(
            Traced(
                e.block.line,
                role,
                e.start,
                e.end,
                e.centre,
                e.sweep,
                e.z0,
                e.z1,
                first,
                self.count(),
                e.kind == Kind.RAPID,
            )
        )

    def where(self) -> Point:
        """Where the centre is after what has been emitted."""
        return self.at

    # -- geometry ----------------------------------------------------------------------------------------------------------

    def _beside(self, element: Element, at_end: bool) -> Point:
        place = element.end if at_end else element.start
        tx, ty = element.direction(at_end)
        off = self.side * self.radius
        return (place[0] - ty * off, place[1] + tx * off)

    def _flush(self) -> None:
        for happens in self.between:
            happens()
        self.between.clear()

    def _enter(self, entry: Element, first: Element) -> None:
        before = self.count()
        self._put(entry, entry.kind, self._beside(first, at_end=False))
        self._trace(entry, before, "entry")
        self._flush()
        self.entered = True
        self.inside_before = False

    def _offset_radius(self, arc: Element) -> float:
        """Radius of the centre's arc: nearer to the middle where the cutter runs inside."""
        inside = (arc.sweep > 0.0) == (self.side > 0.0)
        return math.dist(arc.start, arc.centre) + (-self.radius if inside else self.radius)

    def _make(self, element: Element, to: Point) -> None:
        """The centre's move of an element, from where it is to ``to``, with what waits behind it."""
        before = self.count()
        if element.sweep == 0.0:
            tx, ty = element.direction(False)
            along = (to[0] - self.at[0]) * tx + (to[1] - self.at[1]) * ty
            if along < -TOLERANCES.chord_mm:
                self._backwards(element, -along)
            self._put(element, element.kind, to)
        else:
            self._make_arc(element, to)
        self._trace(element, before, "contour")
        self._flush()

    def _make_arc(self, arc: Element, to: Point) -> None:
        radius = self._offset_radius(arc)
        if radius < -TOLERANCES.chord_mm:
            self._trouble(
                "comp-inside-corner",
                arc,
                f"this inside arc has a radius of {self.say(radius + self.radius)}, smaller than the cutter's {self.say(self.radius)}",
                "use a smaller cutter, or a larger radius in the corner",
                {"arc_radius_mm": radius + self.radius, "too_large_mm": -radius},
                arc.centre,
            )
        if radius <= TOLERANCES.chord_mm:
            self._put(arc, Kind.FEED, to)
            return
        a0 = math.atan2(self.at[1] - arc.centre[1], self.at[0] - arc.centre[0])
        a1 = math.atan2(to[1] - arc.centre[1], to[0] - arc.centre[0])
        # Of all turns that lead there, the one nearest to the programmed sweep.
        sweep = a1 - a0
        sweep += math.tau * round((arc.sweep - sweep) / math.tau)
        if sweep * arc.sweep < 0.0 and abs(sweep) * radius > TOLERANCES.chord_mm:
            self._backwards(arc, abs(sweep) * radius)
        self._put(arc, arc.kind, to, arc.centre, sweep)

    def _backwards(self, element: Element, by: float) -> None:
        """A move that its corners leave nothing of: the floor of a slot, or a step lower than the cutter's radius."""
        slot = self.inside_before and self.inside_after
        where = "between its corners" if slot else "beside its corner"
        self._trouble(
            "comp-inside-corner" if slot else "comp-backwards",
            element,
            f"this move is too short for a cutter of {self.say(self.radius)} radius {where}: the centre would reverse {self.say(by)} and gouge",
            "use a smaller cutter" if slot else "use a smaller cutter, or leave the short move out",
            {"length_mm": element.length(), "backwards_mm": by},
            element.end,
        )

    def _join(self, one: Element, two: Element) -> None:
        """Make ``one`` up to its corner with ``two``, and round the corner if it is an outside one."""
        t1, t2 = one.direction(True), two.direction(False)
        cross = t1[0] * t2[1] - t1[1] * t2[0]
        dot = t1[0] * t2[0] + t1[1] * t2[1]
        a, b = self._beside(one, at_end=True), self._beside(two, at_end=False)
        self.inside_after = cross * self.side > _PARALLEL
        if abs(cross) < _PARALLEL and dot > 0.0:
            self._make(one, a)
        elif cross * self.side > _PARALLEL:
            meeting = self._crossing(one, two)
            if meeting is None and math.dist(a, b) <= _ROUNDED_MM:
                meeting = a
            if meeting is None:
                self._trouble(
                    "comp-inside-corner",
                    two,
                    f"a cutter of {self.say(self.radius)} radius does not fit into the corner before this move",
                    "use a smaller cutter",
                    {},
                    one.end,
                )
                meeting = a
            self._make(one, meeting)
        else:
            self._round(one, two, a, b, t1, dot)
        self.inside_before = self.inside_after

    def _round(self, one: Element, two: Element, a: Point, b: Point, t1: Point, dot: float) -> None:
        turn = -self.side * math.acos(min(1.0, max(-1.0, dot)))
        if self.corner == "extended" and dot > -0.99:
            # Both offset lines are drawn out to where they meet; an arc's is drawn out along its tangent.
            reach = self.radius * math.tan(abs(turn) / 2.0)
            straight = Kind.RAPID if one.kind == Kind.RAPID else Kind.FEED
            if one.sweep != 0.0:
                self._make(one, a)
                self._put(one, straight, (a[0] + t1[0] * reach, a[1] + t1[1] * reach))
            else:
                self._make(one, (a[0] + t1[0] * reach, a[1] + t1[1] * reach))
            if two.sweep != 0.0:
                self._put(one, straight, b)
            return
        self._make(one, a)
        if math.dist(a, b) <= TOLERANCES.length_of_nothing_mm:
            return
        if one.kind == Kind.RAPID:
            self._put(one, Kind.RAPID, b)
        else:
            self._put(one, Kind.ARC_CCW if turn > 0.0 else Kind.ARC_CW, b, one.end, turn)

    def _crossing(self, one: Element, two: Element) -> Point | None:
        """Where the two offset ways cross, nearest to the corner; None where they do not."""
        corner = one.end
        if one.sweep == 0.0 and two.sweep == 0.0:
            a, b = self._beside(one, at_end=True), self._beside(two, at_end=False)
            t1, t2 = one.direction(True), two.direction(False)
            cross = t1[0] * t2[1] - t1[1] * t2[0]
            s = ((b[0] - a[0]) * t2[1] - (b[1] - a[1]) * t2[0]) / cross
            return (a[0] + t1[0] * s, a[1] + t1[1] * s)
        if one.sweep != 0.0 and two.sweep != 0.0:
            places = _two_circles(one.centre, self._offset_radius(one), two.centre, self._offset_radius(two))
        else:
            line, arc = (one, two) if one.sweep == 0.0 else (two, one)
            at = self._beside(line, at_end=line is one)
            places = _line_circle(at, line.direction(line is one), arc.centre, self._offset_radius(arc))
        return min(places, key=lambda p: math.dist(p, corner), default=None)


def _line_circle(at: Point, way: Point, centre: Point, radius: float) -> list[Point]:
    """Where a line meets a circle; where it passes it so near that only rounding keeps them apart, its place nearest to the middle."""
    dx, dy = at[0] - centre[0], at[1] - centre[1]
    along = -(dx * way[0] + dy * way[1])
    aside = math.sqrt(max(dx * dx + dy * dy - along * along, 0.0))
    if radius <= 0.0 or aside > radius + _ROUNDED_MM:
        return []
    root = math.sqrt(max(radius * radius - aside * aside, 0.0))
    return [(at[0] + way[0] * s, at[1] + way[1] * s) for s in (along - root, along + root)]


def _two_circles(c0: Point, r0: float, c1: Point, r1: float) -> list[Point]:
    """Where two circles meet; where only rounding keeps them apart, between them on the line of their middles."""
    apart = math.dist(c0, c1)
    if r0 <= 0.0 or r1 <= 0.0 or apart <= 1e-12:
        return []
    if apart > r0 + r1 + _ROUNDED_MM or apart < abs(r0 - r1) - _ROUNDED_MM:
        return []
    along = (r0 * r0 - r1 * r1 + apart * apart) / (2.0 * apart)
    along = min(max(along, -r0), r0)
    off = math.sqrt(max(r0 * r0 - along * along, 0.0))
    ux, uy = (c1[0] - c0[0]) / apart, (c1[1] - c0[1]) / apart
    x, y = c0[0] + ux * along, c0[1] + uy * along
    return [(x - uy * off, y + ux * off), (x + uy * off, y - ux * off)]
