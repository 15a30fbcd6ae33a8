"""An area cleared so that the tool is nowhere engaged over more than a wanted angle.

From one hole in the widest place it is cleared in waves: a wave goes as far as the tool's middle may go with no more than the wanted
contact (``engaged.Floor``), no farther than the step across, and never beyond the wall. In the open that is a round, into a corner and
along a neck a few short cuts one behind the other. The next wave is always the one nearest to where the tool stands.
What is told is what was felt: the greatest engagement is measured along every cut, its way in included.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import shapely
from numpy.typing import NDArray

from underglass.core.compose.arcs import arcs_through
from underglass.core.compose.contour import Contour, Seg, grown, rings_of
from underglass.core.compose.engaged import Floor
from underglass.core.compose.operation import ShopEntries, need
from underglass.core.reckon.form import Field, Row, still_wanted
from underglass.core.trades.milling.operations.clearing import Cut, Entry, Ramp, Round, Step, helix_in

Floats = NDArray[np.float64]
Place = tuple[float, float]
_NEAR = 0.02
"""How far an arc may lie from the places it stands for, mm; the outermost wave keeps twice as far off the wall."""
_OFF = 2.0 * _NEAR
_SLACK = 1.03
"""What is felt on squares is as good as this."""
_WAVES = 4000
_LONGEST = 60_000.0
"""How long a way across one level may be, mm: half a minute to work out, an hour or two to cut."""


@dataclass(slots=True, eq=False, kw_only=True)
class Plan:
    """The steps of one level, the greatest engagement in them, rad, and how many cuts went over what was wanted."""

    steps: list[Step]
    most: float = 0.0
    over: int = 0

    def cuts(self) -> int:
        return sum(isinstance(step, Cut) for step in self.steps)


@lru_cache(maxsize=16)
def plan_for(reach_wkb: bytes, d: float, share: float, most: float, back: bool, exact: bool) -> Plan:
    """The plan of an area for a tool of ``d`` mm that steps by a share of it; kept, for a form asks anew with every figure typed."""
    reach = shapely.from_wkb(reach_wkb)
    need(
        reach.area <= _LONGEST * d * share,
        "the area is too large for this tool and step to be worked out cut by cut: step farther, or take a larger tool",
        "hold",
    )
    return Holding(reach, d / 2.0, d * share, most, back).work(exact)


class Holding:
    """Works out a plan: where the middle of a tool of radius ``r`` may be, how far it steps, mm; the most it may be engaged over, rad."""

    def __init__(self, reach: shapely.Geometry, r: float, step: float, most: float, back: bool) -> None:
        self.r, self.step, self.most, self.back = r, step, most, back
        self.floor = Floor(reach, r)
        self.reach = reach.buffer(0.003)
        shapely.prepare(self.reach)
        self.plan = Plan(steps=[])
        self.here = (0.0, 0.0)

    def work(self, exact: bool) -> Plan:
        """The plan; ``exact`` where no other cut goes along the wall after it."""
        parts = (
            p for p in shapely.get_parts(self.reach.buffer(-0.003)) if isinstance(p, shapely.Polygon) and p.area > 1e-9
        )
        left = [Round(region=part, ways=rings_of(part)) for part in parts]
        while left:
            one = min(left, key=lambda o: math.dist(self.here, o.middle()))
            left.remove(one)
            cleared, wanted = self._enter(one), grown(one.region, -_OFF, 0.01)
            # Rounder than the tool where it need not be sharper; at the wall at last as sharp as the wall is.
            for share in (0.5, 0.25, 0.1, 0.0):
                cleared = self._waves(cleared, wanted, share * self.r)
            for way in one.ways if exact else ():
                way = way.back() if self.back else way
                self._along(way.nearest(self.here), wanted, closed=True)
        return self.plan

    def _enter(self, one: Round) -> shapely.Geometry:
        radius = helix_in(one.region, one.middle(), self.r)
        if radius > 0.0:
            middle = one.middle()
            self.plan.steps.append(Entry(middle=middle, radius=radius))
            circle = shapely.Point(middle).buffer(radius, quad_segs=16)
            self.floor.cut(shapely.get_coordinates(circle.exterior))
            self.here = (middle[0] + radius, middle[1])
            return circle
        for k, way in enumerate(one.ways):
            way = way.back() if self.back else way
            places = way.places(0.01)
            self._felt(places)
            self.plan.steps.append(Ramp(way=way) if not k else Cut(way=way, straight=False))
            self.here = way.end
        return one.region

    def _felt(self, places: Floats) -> None:
        felt = self.floor.engaged(places)
        self.plan.most = max(self.plan.most, felt)
        self.plan.over += felt > self.most * _SLACK

    def _waves(self, cleared: shapely.Geometry, wanted: shapely.Geometry, rounded: float) -> shapely.Geometry:
        """Wave after wave, each time where the tool stands nearest to, until the wanted is cleared or none goes on."""
        enough = 0.01 * self.r * self.r
        contact = 2.0 * self.most
        for _k in range(_WAVES):
            still_wanted()
            part = self._further(cleared, wanted, contact, rounded, enough)
            if part is None:
                break
            further = shapely.union_all([cleared, part])
            runs = self._runs(further, cleared, part)
            trial = self.floor.copy()
            worst = max((self._try(trial, run, cleared) for run in runs), default=0.0)
            if worst > self.most * _SLACK and contact > 0.3 * self.most:
                contact *= 0.85
                continue
            while runs:
                here = self.here
                run = min(runs, key=lambda c: math.dist(here, c.start) if not c.closed else 0.0)
                runs.remove(run)
                self._along(run.nearest(here) if run.closed else run, cleared, closed=run.closed)
            cleared = further
            contact = min(2.0 * self.most, contact / 0.85)
        return cleared

    def _further(
        self, cleared: shapely.Geometry, wanted: shapely.Geometry, contact: float, rounded: float, enough: float
    ) -> shapely.Geometry | None:
        """What a wave would clear next to where the tool stands; None where none goes on."""
        may = self.floor.within(contact).intersection(wanted.intersection(grown(cleared, self.step, 0.02)))
        may = (_opened(may, rounded) if rounded else may).simplify(0.25 * _NEAR)
        # Only what hangs together with what is cleared can be reached at depth.
        whole = [p for p in shapely.get_parts(may) if p.geom_type == "Polygon" and p.intersects(cleared)]
        fresh = shapely.get_parts(shapely.union_all(whole).difference(cleared)) if whole else []
        here = shapely.Point(self.here)
        return min((p for p in fresh if p.area >= enough), key=lambda p: float(p.distance(here)), default=None)

    def _runs(self, further: shapely.Geometry, cleared: shapely.Geometry, part: shapely.Geometry) -> list[Contour]:
        """What is new of an outline, with the cleared at its left (at its right where the tool is to cut conventionally)."""
        reach = 0.02 * self.r
        near = part.buffer(1e-3, quad_segs=2)
        old = cleared.intersection(part.buffer(2.0 * reach, quad_segs=4)).buffer(reach, quad_segs=4)
        out: list[Contour] = []
        for body in shapely.get_parts(further):
            body = shapely.orient_polygons(body)
            for ring in (body.exterior, *body.interiors):
                if not ring.intersects(near):
                    continue
                fresh = ring.intersection(near).difference(old)
                fresh = shapely.line_merge(fresh, directed=True) if fresh.geom_type == "MultiLineString" else fresh
                for line in shapely.get_parts(fresh):
                    if line.geom_type != "LineString" or line.length < 0.1 * self.r:
                        continue
                    places = shapely.get_coordinates(line)
                    places = places[::-1] if self.back else places
                    out.append(Contour(arcs_through(places, _NEAR), bool(np.hypot(*(places[0] - places[-1])) < 1e-6)))
        return [c for c in out if c.segs]

    def _into(self, floor: Floor, way: Contour, cleared: shapely.Geometry) -> tuple[Seg, ...]:
        """The way onto a closed one: slanting from what is cleared, so that the step across is not taken head on."""
        best: tuple[float, Seg] | None = None
        for far in (1.5, 3.0, 6.0, 10.0, 0.0):
            if not far and best is not None:
                break
            behind = way.from_length(way.length - min(far * self.r, 0.4 * way.length)).start
            near = shapely.get_coordinates(shapely.shortest_line(cleared, shapely.Point(behind)))[0].tolist()
            if far and not self.reach.covers(shapely.LineString([near, way.start])):
                continue
            felt = floor.copy().engaged(np.array([near, way.start]))
            if best is None or felt < best[0] - 1e-6:
                best = (felt, Seg(near[0], near[1], *way.start))
            if felt <= self.most:
                break
        assert best is not None
        return (best[1],) if best[1].length > 1e-6 else ()

    def _try(self, floor: Floor, run: Contour, cleared: shapely.Geometry) -> float:
        run = run.nearest(self.here) if run.closed else run
        segs = (*self._into(floor, run, cleared), *run.segs) if run.closed else run.segs
        return floor.engaged(Contour(segs, False).places(0.01))

    def _along(self, way: Contour, cleared: shapely.Geometry, *, closed: bool) -> None:
        segs = (*self._into(self.floor, way, cleared), *way.segs) if closed else way.segs
        whole = Contour(segs, False)
        self._felt(whole.places(0.01))
        straight = self._open(cleared, whole.start)
        self.plan.steps.append(
            Cut(way=whole, straight=straight, quick=self._quick(cleared, whole.start) if straight else None)
        )
        self.here = whole.end

    def _open(self, cleared: shapely.Geometry, to: tuple[float, float]) -> bool:
        """Whether the tool gets straight to a place through what is cleared, but for a shaving."""
        if math.dist(self.here, to) < 1e-6:
            return True
        beside = shapely.LineString([self.here, to]).difference(cleared)
        places = shapely.points(shapely.get_coordinates(beside.segmentize(0.2 * self.r)))
        return bool((shapely.distance(places, cleared) < 0.03 * self.r).all())

    def _quick(self, cleared: shapely.Geometry, to: tuple[float, float]) -> tuple[Place, Place] | None:
        """The middle of a straight way, where it is long and clear of all walls."""
        long, off = math.dist(self.here, to), 0.5 * self.r
        if long < 4.0 * self.r:
            return None
        line = shapely.LineString([self.here, to])
        a, b = (shapely.get_coordinates(line.interpolate(at))[0].tolist() for at in (off, long - off))
        free = cleared.buffer(-0.1, quad_segs=4).covers(shapely.LineString([a, b]))
        return ((a[0], a[1]), (b[0], b[1])) if free else None


def _opened(shape: shapely.Geometry, by: float) -> shapely.Geometry:
    """A region without what is narrower than twice ``by``, its corners as round as that."""
    return grown(grown(shape, -by, 0.02), by, 0.02)


# -- as a form asks for it ---------------------------------------------------------------------------------------------------------

HOLD = Field(key="hold", word="Most engagement", kind="angle", start="", blank=True, slow=True, usual=(115, 170),
              shown=lambda v: v.get("way", "helix") == "helix",
    tip="The angle over which the tool is in the metal, 180 is full width; left empty, corners and the first round take what comes")  # fmt: skip


def held_at(e: ShopEntries, share: float) -> float | None:
    """The engagement that is not to be passed, rad; None where none is asked for. Raises ``CannotBe``."""
    deg = e.maybe("hold") if "hold" in e.values else None
    if deg is None:
        return None
    # Along a straight wall: acos(1 - a / r) with a = 2 r share (plane geometry).
    straight = math.degrees(math.acos(1.0 - 2.0 * share))
    need(deg <= 180.0, "a tool is engaged over 180 degrees at the most: that is full width", "hold")
    need(
        deg >= straight + 5.0,
        f"rows at this step take {straight:.0f} degrees by themselves: ask for {math.ceil(straight + 5.0)} or more, or step less across",
        "hold",
    )
    return math.radians(deg)


def most_row(plan: Plan) -> Row:
    over = (
        ""
        if not plan.over
        else f"{plan.over} {'cut takes' if plan.over == 1 else 'cuts take'} more than asked: there is no room beside the tool"
    )
    return Row(
        "Most engagement",
        f"{math.degrees(plan.most):.0f}°",
        over or "felt along every cut; the helix goes into full metal",
    )
