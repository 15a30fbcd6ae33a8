"""Clearing an area round by round: what is cut from which side, where the tool goes in, how it stays down between rounds.

Glossary
    reach    the region that the tool's centre may be in
    round    the outlines of the reach brought in by so many steps; those inside it are cut before it
    leaf     a round with none inside it: there the tool goes down
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import lru_cache

import numpy as np
import shapely

from underglass.core.compose.contour import Contour, fitted, grown, rings_of
from underglass.core.compose.operation import ShopEntries, need
from underglass.core.compose.writer import Writer
from underglass.core.trades.milling.operations.walls import go_round

_CHORD = 0.002
"""Chords of the inner rounds, mm: metal that the next round takes anyway."""
_AT = 0.005
"""What is written is rounded: a few thousandths above the depth is at it, mm."""
_LIFT = 0.3
"""How far off the floor the tool goes back at rapid, mm (common practice, no source)."""
_MOST = 2000
"""Rounds of one area; a step of a hundredth of the tool in a pocket of a metre is no work for anybody."""


@dataclass(slots=True, eq=False, kw_only=True)
class Round:
    """One part of the reach at one step in, its outlines as ways, and what lies inside."""

    region: shapely.Polygon
    ways: list[Contour]
    inner: list[Round] = field(default_factory=list)

    pole: tuple[float, float] | None = None

    def middle(self) -> tuple[float, float]:
        """The place farthest from its outlines, to a tenth of a millimetre."""
        if self.pole is None:
            rough = self.region.simplify(0.02)
            circle = shapely.maximum_inscribed_circle(rough if rough.area > 0.0 else self.region, tolerance=0.1)
            self.pole = (float(circle.coords[0][0]), float(circle.coords[0][1]))
        return self.pole

    def entry(self) -> tuple[float, float]:
        """Where the tool goes down first in it."""
        return self.inner[0].entry() if self.inner else self.middle()

    def count(self) -> int:
        return 1 + sum(other.count() for other in self.inner)


def rounds_in(reach: shapely.Geometry, step: float, r: float) -> Sequence[Round]:
    """The rounds that clear a reach, outermost first. Raises ``CannotBe`` where they are too many.

    Kept, for a form asks anew with every figure typed, and most of them leave the reach as it is.
    """
    return _rounds_in(reach.wkb, step, r)


@lru_cache(maxsize=32)
def _rounds_in(wkb: bytes, step: float, r: float) -> Sequence[Round]:
    reach = shapely.from_wkb(wkb)
    roots: list[Round] = []
    before: list[Round] = []
    for k in range(_MOST):
        region = grown(reach, -step * k, 0.0005 if not k else _CHORD)
        if k and step <= r:
            # Rounded a little inside, so that the tool does not stand still in corners that the next round cuts again.
            q = 0.5 * step
            region = grown(grown(region, -q, _CHORD), q, _CHORD) if region.area > 0.0 else region
        parts = [p for p in shapely.get_parts(region) if isinstance(p, shapely.Polygon) and p.area > 1e-9]
        if not parts:
            break
        here = []
        for part in parts:
            one = Round(region=part, ways=rings_of(part))
            here.append(one)
            outer = next((b for b in before if b.region.covers(part.representative_point())), None)
            if outer is None and k:
                continue
            (roots if outer is None else outer.inner).append(one)
        before = here
    else:
        need(False, "the step across is too small for an area of this size", "over")
    _no_rest(roots, reach, r)
    return tuple(roots)


def _all(rounds: list[Round]) -> list[Round]:
    return [one for r in rounds for one in (r, *_all(r.inner))]


def _no_rest(roots: list[Round], reach: shapely.Geometry, r: float) -> None:
    """Add the ways over what the rounds would leave standing between them."""
    ways = [shapely.LineString(way.places(0.02)) for one in _all(roots) for way in one.ways]
    if not ways:
        return
    rest = reach.difference(shapely.MultiLineString(ways).buffer(r - 0.02, quad_segs=8))
    for part in shapely.get_parts(rest):
        if part.area < 1e-4:
            continue
        owner = next((one for one in reversed(_all(roots)) if one.region.covers(part.representative_point())), None)
        if owner is not None:
            middle = np.asarray(part.exterior.coords)[:, :2]
            owner.inner.append(Round(region=part, ways=[fitted(middle, True)]))


# -- steps that were worked out before ----------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class Entry:
    """Down on a helix: its middle, mm, and its radius."""

    middle: tuple[float, float]
    radius: float


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class Ramp:
    """Where there is no room for a helix: down along a round, full width."""

    way: Contour


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class Cut:
    """Along a way; ``straight`` where the tool gets to its start at depth, through what is cleared, in one line.

    ``quick`` is the stretch of that line that lies clear of all walls and is long enough for rapid.
    """

    way: Contour
    straight: bool
    quick: tuple[tuple[float, float], tuple[float, float]] | None = None


Step = Entry | Ramp | Cut


def helix_in(reach: shapely.Geometry, middle: tuple[float, float], r: float) -> float:
    """The radius of a helix about a middle on which a tool of radius ``r`` goes down, mm; 0 where there is no room for one."""
    room = float(reach.boundary.distance(shapely.Point(middle))) - 0.003
    radius = min(0.8 * r, room)
    return radius if radius > 0.15 * r else 0.0


class Clearing:
    """Cuts rounds at one height after another; the tool stays down where it can."""

    def __init__(self, w: Writer, e: ShopEntries, reach: shapely.Geometry, rounds: Sequence[Round], r: float) -> None:
        self.w, self.e, self.rounds, self.r = w, e, rounds, r
        self.reach = reach.buffer(0.003)
        self.f, self.fdown = e.positive("f", "The feed"), e.positive("fdown", "The feed downwards")
        self.top, self.clear = e.number("top"), e.number("top") + e.number("near")
        self.way = e.word("way")
        self.slope = math.tan(math.radians(e.maybe("angle") or 3.0))
        self.back = e.word("turn") == "against"
        self._by_hole = False

    def level(self, start: float, z: float) -> None:
        """Everything at one height; above ``start`` the area is clear already."""
        left = list(self.rounds)
        # One hole is drilled: where the area has several middles, the others are gone into on a helix.
        self._by_hole = self.way == "hole"
        while left:
            self._cut(self._nearest(left), start, z)
            self.w.rapid(z=self.clear)

    def _nearest(self, left: list[Round]) -> Round:
        """The round whose first place to go down is nearest to where the tool is; taken out of those left."""
        here = self.w.here
        one = min(left, key=lambda r: math.dist(here, r.entry()))
        left.remove(one)
        return one

    def _cut(self, one: Round, start: float, z: float) -> None:
        left = list(one.inner)
        while left:
            inner = self._nearest(left)
            if len(left) + 1 < len(one.inner):
                self.w.rapid(z=self.clear)
            self._cut(inner, start, z)
        down = self._go_in(one, start, z) if not one.inner else True
        for k, way in enumerate(one.ways):
            way = way.back() if self.back else way
            if not down:
                down = True
                self._ramp(way, start, z)
                continue
            way = way.nearest(self.w.here)
            if not self._linked(way.start, one, z):
                self._ramp(way, start, z)
                continue
            assert k >= 0
            go_round(self.w, way, self.f, self.fdown, z, None)

    def _linked(self, to: tuple[float, float], one: Round, z: float) -> bool:
        """Go to a place at depth, if nothing stands between."""
        here = self.w.here
        if self.w.z is None or self.w.z > z + _AT:
            return False
        if math.dist(here, to) > 1e-6 and not self.reach.covers(shapely.LineString([here, to])):
            self.w.rapid(z=self.clear)
            return False
        self.w.feed(*to, f=self.f)
        return True

    def _over(self, x: float, y: float, start: float) -> None:
        """Above a place, at rapid: low where the area between is clear, else over it."""
        w = self.w
        if w.z is not None and w.z < self.clear - 1e-3 and start < self.top:
            w.rapid(z=min(start + 0.5, self.clear))
            if self.reach.covers(shapely.LineString([w.here, (x, y)])):
                w.rapid(x, y)
                return
        w.rapid(z=self.clear if w.z is not None and w.z < self.clear - 1e-3 else None)
        w.rapid(x, y)
        w.rapid(z=(self.clear if start >= self.top else min(start + 0.5, self.clear)))

    def _go_in(self, one: Round, start: float, z: float) -> bool:
        """Down at a leaf; False where the way down is along its first round."""
        w = self.w
        if self._by_hole:
            self._by_hole = False
            x, y = self.e.number("hx"), self.e.number("hy")
            need(
                self.reach.covers(shapely.Point(x, y)), "the drilled hole is not inside, or too near to the wall", "hx"
            )
            self._over(x, y, start)
            w.feed(z=z, f=self.fdown)
            return True
        where = one.middle()
        if self.way == "plunge":
            self._over(where[0], where[1], start)
            w.feed(z=z, f=self.fdown)
            return True
        if self.way in ("helix", "hole"):
            radius = helix_in(self.reach, where, self.r)
            if radius > 0.0:
                self._helix(where, radius, start, z)
                return True
        return False

    def _helix(self, middle: tuple[float, float], radius: float, start: float, z: float) -> None:
        """Down in whole turns of an even drop, and once round at the depth."""
        w, (x, y) = self.w, middle
        self._over(x + radius, y, start)
        w.feed(z=start, f=self.fdown)
        count = max(1, math.ceil((start - z) / (math.tau * radius * self.slope) - 1e-9))
        for k in range(1, count + 1):
            w.arc(False, x + radius, y, x, y, f=self.fdown, z=start - (start - z) * k / count)
        w.arc(False, x + radius, y, x, y, f=self.fdown)

    def planned(self, steps: Sequence[Step], start: float, z: float) -> None:
        """What was worked out for a level, at one height; above ``start`` the area is clear already."""
        for step in steps:
            if isinstance(step, Entry):
                self._helix(step.middle, step.radius, start, z)
            elif isinstance(step, Ramp):
                self._ramp(step.way, start, z)
            else:
                if not step.straight or self.w.z is None or self.w.z > z + _AT:
                    # Over everything: what the finishing cut takes still stands at the walls.
                    self.w.rapid(z=self.clear)
                    self.w.rapid(*step.way.start)
                    self.w.rapid(z=self.clear if start >= self.top else min(start + 0.5, self.clear))
                    self.w.feed(z=z, f=self.fdown)
                elif step.quick is not None:
                    self.w.feed(*step.quick[0], f=self.f)
                    self.w.rapid(z=z + _LIFT)
                    self.w.rapid(*step.quick[1])
                    self.w.feed(z=z, f=self.fdown)
                self.w.feed(*step.way.start, f=self.f)
                for seg in step.way.segs:
                    self.w.seg(seg, f=self.f)
        self.w.rapid(z=self.clear)

    def _ramp(self, way: Contour, start: float, z: float) -> None:
        """Down along a way, then round it."""
        need(way.length > 0.3 * self.r, "there is no room to go down: choose a smaller tool, or straight down", "way")
        self._over(*way.start, start)
        self.w.feed(z=start, f=self.fdown)
        fall = (start - z) / self.slope
        go_round(self.w, way, self.f, self.fdown, z, None, fall=(start, z), length=fall)
        go_round(self.w, way, self.f, self.fdown, z, None, first=fall % way.length)
