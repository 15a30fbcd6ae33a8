"""Radius compensation looked at closely: the programmed path, the control's path, the real edge, and what lies between.

Glossary (element, entry, contour, lead: see ``control.stretch``; run: see ``level_runs``)
    told      the radius that the control reckons with: half of D, or D itself, as its profile says
    real      the radius of the cutter that is in the spindle
    swept     what the real cutter covers on the control's path
    left      what it should have cut beside the contour and did not, and no other move cuts
    bitten    what it cut beyond the contour
    overrun   how far the contour is run past its beginning before the tool leaves

Coordinates are those of the plane's two axes as the control shows them under the work offset, mm.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial
from typing import Literal

import numpy as np
import shapely

from underglass.core.control.compensate import Compensator, Corner, Element, Point, Trouble
from underglass.core.control.motions import PLANE_AXES, Kind
from underglass.core.control.stretch import Stretch
from underglass.core.language.block import Block, read_block
from underglass.core.proof.lens_ways import PLAN, Axis, RealCutter, lens_ways, stretches_of
from underglass.core.proof.level_runs import (
    LEVEL_MM,
    RING,
    Floats,
    Region,
    arc_points,
    area_of,
    element_points,
    level_runs,
)
from underglass.core.proof.proof import Proof
from underglass.core.units import Unit, show_length

Role = Literal["entry", "lead in", "contour", "lead out", "overrun", "exit"]
_SEEN_MM = 0.005
_MOST_OTHERS = 4000
"""Moves near one contour that are looked at; more would not be waited for."""

_GRID_MM = 1e-6
"""Edges that lie on each other but for rounding are too much for an overlay without a grid."""

_SMOOTH = 1e-3
"""Sine of the angle below which a corner is none: a micrometre on a millimetre."""


@dataclass(frozen=True, slots=True)
class Leg:
    """A programmed element, or the way of the control's centre that came of one: ``points`` (k, 2) mm."""

    role: Role
    line: int
    points: Floats


@dataclass(frozen=True, slots=True, kw_only=True)
class Patch:
    """Material left or bitten: ``size`` is how far it reaches from the contour, mm; ``area`` mm2; ``line`` the one to look at."""

    what: Literal["left", "bitten"]
    size: float
    area: float
    at: Point
    line: int
    rings: tuple[Floats, ...]
    """Its edge, and those of the holes in it."""


@dataclass(frozen=True, slots=True, kw_only=True)
class CornerSeen:
    """A corner between two elements: what the control makes of it, in words."""

    line: int
    at: Point
    kind: Literal["inside", "outside"]
    words: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Lens:
    """One level run of one stretch. ``side`` +1: the cutter left of its way. ``closed``: the contour comes back to its beginning."""

    side: float
    where: str
    told: float
    real: float
    overrun: float
    closed: bool
    switched_on_line: int
    lines: tuple[int, int]
    programmed: tuple[Leg, ...]
    centre: tuple[Leg, ...]
    swept: Region
    patches: tuple[Patch, ...]
    corners: tuple[CornerSeen, ...]
    words: tuple[str, ...]
    troubles: tuple[str, ...]
    lookahead: int
    """How many blocks ahead the control looks for the next corner."""
    axes: tuple[Axis, Axis] = PLAN
    tip_off: Point = (0.0, 0.0)
    """From the place that the control shows to the cutter's centre."""

    @property
    def bounds(self) -> tuple[float, float, float, float]:
        """(low x, low y, high x, high y) of all that is drawn."""
        places = np.concatenate([leg.points for leg in (*self.programmed, *self.centre)])
        low, high = places.min(axis=0) - self.real, places.max(axis=0) + self.real
        return (float(low[0]), float(low[1]), float(high[0]), float(high[1]))


@dataclass(frozen=True, slots=True)
class Place:
    """A level run of a stretch of a proof, by number."""

    stretch: int
    run: int


def place_of(proof: Proof, line: int) -> Place | None:
    """The run that a line belongs to: its own, else the next one after it; None where nothing is compensated.

    A stretch belongs to every line from the one that switches it on to the one that ends it.
    """
    best: tuple[int, Place] | None = None
    for k, stretch in enumerate(stretches_of(proof)):
        runs = level_runs(stretch, proof.motions)
        if not runs:
            continue
        last = max(int(stretch.line.max()), _exit_line(proof, stretch))
        begin = stretch.switched_on_line or int(stretch.line.min())
        if begin <= line <= last:
            within = [n for n, r in enumerate(runs) if line <= int(stretch.line[r.last])]
            return Place(k, within[0] if within else len(runs) - 1)
        if begin > line and (best is None or begin < best[0]):
            best = (begin, Place(k, 0))
    return best[1] if best is not None else None


def _exit_line(proof: Proof, stretch: Stretch) -> int:
    k = stretch.end_move
    return int(proof.motions.line[k]) if k < len(proof.motions) else proof.run.last_line


def look(
    proof: Proof,
    place: Place,
    told: float | None = None,
    real: float | None = None,
    overrun: float = 0.0,
    others: Region | None = None,
    unit: Unit = "mm",
) -> Lens:
    """The run with the radii that hold, or with others tried in their place. mm; the words are in ``unit``.

    ``others``: what ``cut_by_others`` gave for this place; worked out here where it is not given.
    """
    stretch = stretches_of(proof)[place.stretch]
    covered = cut_by_others(proof, place) if others is None else others
    return _Looking(proof, stretch, place, told, real, overrun, covered, unit).lens()


def cut_by_others(proof: Proof, place: Place) -> Region:
    """What all other moves cut near a run, at its depth or deeper, with the real tools: nothing of it is left standing."""
    motions, stretch = proof.motions, stretches_of(proof)[place.stretch]
    if stretch.plane != 17:
        return shapely.Polygon()
    run = level_runs(stretch, motions)[place.run]
    rows = slice(run.first, run.last + 1)
    first, last = int(stretch.first[run.first]), int(stretch.last[run.last])
    low = np.minimum(stretch.start[rows], stretch.end[rows]).min(axis=0) - 2.0 * stretch.radius
    high = np.maximum(stretch.start[rows], stretch.end[rows]).max(axis=0) + 2.0 * stretch.radius
    length = np.array([t.length for t in proof.tool_table.tools] + [0.0])[proof.tool_row]
    flat = np.array([t.profile.flat for t in proof.tool_table.tools] + [0.0])[proof.tool_row]
    own = float(length[min(first, len(motions) - 1)])
    tip = np.maximum(motions.start[:, 2], motions.end[:, 2]) - length
    bulge = (np.where(motions.sweep != 0.0, 2.0 * motions.radius(), 0.0) + flat)[:, None]
    near = (tip <= run.z - own + LEVEL_MM) & (flat > 0.0) & (motions.dwell == 0.0)
    near &= (np.minimum(motions.start, motions.end)[:, :2] - bulge <= high).all(axis=1)
    near &= (np.maximum(motions.start, motions.end)[:, :2] + bulge >= low).all(axis=1)
    near[first:last] = False
    if stretch.end_move < len(motions) and run.last == len(stretch) - 1:
        near[stretch.end_move] = False
    shift = np.array(stretch.shift[:2])
    ways = []
    for m in np.flatnonzero(near)[:_MOST_OTHERS].tolist():
        a, b, turn = motions.start[m, :2], motions.end[m, :2], float(motions.sweep[m])
        level = turn != 0.0 and motions.plane[m] == 17
        points = arc_points(a, b, motions.centre[m, :2], turn) if level else np.array([a, b])
        ways.append(shapely.buffer(shapely.LineString(points - shift), float(flat[m]), quad_segs=RING))
    return shapely.union_all(ways) if ways else shapely.Polygon()


class _Looking:
    """Makes the control's path anew from the programmed elements, so that other radii and an overrun can be tried."""

    def __init__(
        self,
        proof: Proof,
        stretch: Stretch,
        place: Place,
        told: float | None,
        real: float | None,
        overrun: float,
        covered: Region,
        unit: Unit,
    ) -> None:
        self.proof, self.s, self.covered, self.unit = proof, stretch, covered, unit
        run = level_runs(stretch, proof.motions)[place.run]
        u, v, _w = PLANE_AXES[stretch.plane]
        self.shift = np.array([stretch.shift[u], stretch.shift[v]])
        self.axes = (u, v)
        self.told = stretch.radius if told is None else told
        self.ways = lens_ways(proof)
        cutter = self._cutter(int(stretch.first[run.first]))
        self.real = real if real is not None else (cutter.radius if cutter is not None else self.told)
        turns = cutter if cutter is not None else RealCutter(0.0)
        self.tip_off = -self.real * np.array(turns.real_way)
        # From the control's centre to the real one: by way of the point that both call the tip.
        self.off = self.told * np.array(turns.told_way) + self.tip_off
        entered = run.first == 0 and bool(stretch.entry[0])
        rows = list(range(run.first + entered, run.last + 1))
        a, b, self.closed = stretch.contour(rows)
        self.entry = run.first if entered else None
        self.lead_in, self.contour, self.lead_out = rows[:a], rows[a:b], rows[b:]
        self.is_last = run.last == len(stretch) - 1
        self.overrun = overrun if self.closed else 0.0
        self.centre: list[Leg] = []
        self.at: Point = (0.0, 0.0)
        self.troubles: list[str] = []

    def _cutter(self, move: int) -> RealCutter | None:
        if self.ways is not None:
            return self.ways.real(self.proof, self.s)
        tool = self.proof.tool_at(move)
        return RealCutter(tool.profile.radius) if tool is not None else None

    # -- the programmed elements ---------------------------------------------------------------------------------------

    def _block(self, row: int) -> Block:
        return read_block("", int(self.s.line[row]))

    def _element(self, row: int, shift: Floats | None = None) -> Element:
        s = self.s
        off = np.zeros(2) if shift is None else shift
        turn = float(s.sweep[row])
        kind = Kind.RAPID if s.rapid[row] else Kind.FEED
        if turn != 0.0:
            kind = Kind.ARC_CCW if turn > 0.0 else Kind.ARC_CW
        a, b, c = s.start[row] + off, s.end[row] + off, s.centre[row] + off
        return Element(
            kind=kind, block=self._block(row), start=(float(a[0]), float(a[1])), end=(float(b[0]), float(b[1])), z0=0.0, z1=0.0, feed=0.0, state=0,
            centre=(float(c[0]), float(c[1])), sweep=turn,
        )  # fmt: skip

    def _elements(self) -> list[tuple[Role, Element]]:
        out: list[tuple[Role, Element]] = []
        if self.entry is not None:
            out.append(("entry", self._element(self.entry)))
        out += [("lead in", self._element(row)) for row in self.lead_in]
        out += [("contour", self._element(row)) for row in self.contour]
        off = np.zeros(2)
        if self.overrun > 0.0 and self.contour:
            extra = self._overrun()
            out += [("overrun", e) for e in extra]
            if extra:
                off = np.array(extra[-1].end) - self.s.end[self.contour[-1]]
        out += [("lead out", self._element(row, off)) for row in self.lead_out]
        return out

    def _overrun(self) -> list[Element]:
        """The contour's first elements once more, as far as is overrun."""
        rest, out = self.overrun, []
        for row in self.contour:
            whole = self._element(row)
            size = whole.length()
            if rest <= 1e-9:
                break
            share = min(1.0, rest / max(size, 1e-9))
            points = element_points(self.s, row)
            if whole.sweep == 0.0:
                end = points[0] + (points[-1] - points[0]) * share
            else:
                off = points[0] - self.s.centre[row]
                turn = whole.sweep * share
                cos, sin = math.cos(turn), math.sin(turn)
                end = self.s.centre[row] + np.array([off[0] * cos - off[1] * sin, off[0] * sin + off[1] * cos])
            out.append(
                Element(
                    kind=whole.kind, block=whole.block, start=whole.start, end=(float(end[0]), float(end[1])), z0=0.0, z1=0.0, feed=0.0, state=0,
                    centre=whole.centre, sweep=whole.sweep * share,
                )
            )  # fmt: skip
            rest -= size
        return out

    # -- the control's path --------------------------------------------------------------------------------------------

    def _emit(
        self, role: list[Role], _kind: Kind, block: Block, end: Point, _z: float, _feed: float, _state: int, centre: Point, sweep: float
    ) -> None:  # fmt: skip
        a, b = np.array(self.at), np.array(end)
        if sweep == 0.0 and math.dist(self.at, end) <= 1e-9:
            return
        points = arc_points(a, b, np.array(centre), sweep) if sweep != 0.0 else np.array([a, b])
        self.centre.append(Leg(role[0], block.line, points - self.shift + self.off))
        self.at = end

    def _run(self, elements: list[tuple[Role, Element]]) -> None:
        if not elements:
            return
        if self.told == 0.0:
            for what, element in elements:
                self.centre.append(Leg(what, element.block.line, _way(element) - self.shift + self.off))
            self.at = elements[-1][1].end
            self._leave()
            return
        # What is emitted belongs to the element before the one that is handed over.
        role: list[Role] = [elements[0][0]]
        self.at = elements[0][1].start
        if self.entry is None:
            # Begun on another level: the centre already stands beside the contour.
            first = int(self.s.first[self.lead_in[0] if self.lead_in else self.contour[0]])
            at = self.proof.motions.start[min(first, len(self.proof.motions) - 1)]
            self.at = (float(at[self.axes[0]]), float(at[self.axes[1]]))

        def complain(trouble: Trouble) -> None:
            self.troubles.append(trouble.message)

        profile = self.proof.job.control
        corner: Corner = profile.corner
        made = Compensator(
            side=self.s.side, radius=self.told, corner=corner, lookahead=profile.lookahead, need_entry=profile.entry_at_least_radius,
            emit=partial(self._emit, role), complain=complain, count=lambda: len(self.centre), at=self.at, entered=self.entry is None,
        )  # fmt: skip
        for n, (_what, element) in enumerate(elements):
            made.element(element)
            role[0] = elements[n][0]
        made.finish()
        self._leave()

    def _leave(self) -> None:
        """The way off, by the first move that is made without."""
        if self.is_last and self.s.end_move < len(self.proof.motions):
            end = self.proof.motions.end[self.s.end_move]
            line = int(self.proof.motions.line[self.s.end_move])
            points = np.array([self.at, (end[self.axes[0]], end[self.axes[1]])])
            if math.dist(points[0], points[1]) > 1e-9:
                self.centre.append(Leg("exit", line, points - self.shift + self.off))

    # -- what is left and bitten ---------------------------------------------------------------------------------------

    def _bands(self, path: Floats) -> tuple[Region, Region, Region]:
        """(contour, the band beside it that is to be cut, the side that is to stay)."""
        wide = max(min(self.told, self.real) if self.told > 0.0 else self.real, 1e-3)
        line = shapely.LineString(path)
        if not self.closed:
            band = partial(shapely.buffer, line, single_sided=True, cap_style="flat", quad_segs=RING)
            return line, band(self.s.side * wide), band(-self.s.side * 2.0 * max(self.told, self.real))
        whole = area_of(shapely.Polygon(path))
        x, y = path[:, 0], path[:, 1]
        anti = float(np.sum(x * np.roll(y, -1) - np.roll(x, -1) * y)) > 0.0
        inner = shapely.difference(whole, shapely.buffer(whole, -wide, quad_segs=RING))
        outer = shapely.difference(shapely.buffer(whole, wide, quad_segs=RING), whole)
        if anti == (self.s.side > 0.0):
            # The cutter runs inside: all that is outside stays.
            far = shapely.buffer(whole, 4.0 * max(self.told, self.real), quad_segs=RING)
            return line, inner, shapely.difference(far, whole)
        return line, outer, whole

    def _patches(self, path: Floats, swept: Region) -> list[Patch]:
        line, to_cut, to_stay = self._bands(path)
        out = []
        for what, region in (
            ("left", _less(_less(to_cut, swept), self.covered)),
            ("bitten", shapely.intersection(to_stay, swept, grid_size=_GRID_MM)),
        ):
            for piece in shapely.get_parts(area_of(region)):
                if piece.geom_type != "Polygon" or piece.is_empty:
                    continue
                edges = shapely.get_coordinates(shapely.segmentize(piece.boundary, max(self.real / 100.0, 2e-3)))
                far = shapely.distance(shapely.points(edges), line)
                k = int(np.argmax(far))
                if far[k] > _SEEN_MM:
                    at = (float(edges[k, 0]), float(edges[k, 1]))
                    rings = tuple(shapely.get_coordinates(ring) for ring in (piece.exterior, *piece.interiors))
                    kind: Literal["left", "bitten"] = "left" if what == "left" else "bitten"
                    out.append(
                        Patch(
                            what=kind,
                            size=float(far[k]),
                            area=float(piece.area),
                            at=at,
                            line=self._line_at(edges[k]),
                            rings=rings,
                        )
                    )
        return sorted(out, key=lambda p: -p.size)

    def _line_at(self, at: Floats) -> int:
        """The line of the contour's element nearest to a place."""
        point = shapely.Point(at[0], at[1])
        rows = self.contour or self.lead_in
        ways = [
            (float(shapely.distance(point, shapely.LineString(element_points(self.s, r) - self.shift))), r)
            for r in rows
        ]
        return int(self.s.line[min(ways)[1]])

    def _said(self, mm: float) -> str:
        return show_length(mm, self.unit)

    # -- in words ------------------------------------------------------------------------------------------------------

    def _corners(self, elements: Sequence[tuple[Role, Element]]) -> list[CornerSeen]:
        out: list[CornerSeen] = []
        if self.told == 0.0:
            return out
        both = [(a, b) for (ra, a), (rb, b) in itertools.pairwise(elements) if ra != "entry"]
        for one, two in both:
            t1, t2 = one.direction(True), two.direction(False)
            cross, dot = t1[0] * t2[1] - t1[1] * t2[0], t1[0] * t2[0] + t1[1] * t2[1]
            if abs(cross) < _SMOOTH and dot > 0.0:
                continue
            at = (one.end[0] - float(self.shift[0]), one.end[1] - float(self.shift[1]))
            angle = math.degrees(math.acos(min(1.0, max(-1.0, dot))))
            inside = cross * self.s.side > 0.0
            if inside:
                words = f"inside corner of {180.0 - angle:.4g}°: the centre turns where the two ways cross; a radius of {self._said(self.real)} stays in it"
            elif self.proof.job.control.corner == "rolled":
                words = f"outside corner turning {angle:.4g}°: the centre rolls round it on a radius of {self._said(self.told)}"
            else:
                words = f"outside corner turning {angle:.4g}°: both ways are drawn out to where they meet"
            out.append(CornerSeen(line=two.block.line, at=at, kind="inside" if inside else "outside", words=words))
        return out

    def _words(self) -> list[str]:
        s = self.s
        if self.ways is not None:
            return self.ways.words(self.proof, s, self.told, self.real, self.unit)
        hand = "left" if s.side > 0.0 else "right"
        state = self.proof.motions.state_of(int(s.first[0]))
        word = "G42" if state.comp == "right" else "G41"
        where = f", {s.where} the contour" if s.where else ""
        if state.spindle == "off":
            way = "the spindle stands"
        else:
            climb = (s.side > 0.0) == (state.spindle == "clockwise")
            way = f"with this spindle that is {'climb' if climb else 'conventional'} milling"
        out = [f"{word}: the cutter runs {hand} of its way{where}; {way}."]
        if (word == "G41") != (s.side > 0.0):
            out.append(f"The register is negative: it runs on the other side than {word} says.")
        on = s.switched_on_line
        if self.entry is not None:
            line = int(s.line[self.entry])
            if on and on != line:
                out.append(
                    f"Line {on} switches it on and moves nothing in the plane: it begins with the move of line {line}."
                )
            out.append(
                f"Line {line} comes in: it ends square beside the start of the next element, {self._said(self.told)} off it, not at its own programmed end."
            )
        if self.proof.job.control.lookahead:
            out.append(f"The control looks {self.proof.job.control.lookahead} blocks ahead for the next corner.")
        apart = self.real - self.told
        if abs(apart) > _SEEN_MM:
            less = f"{self._said(abs(apart))} {'too deep into the part' if apart > 0 else 'short of the contour'}"
            out.append(
                f"The cutter's radius is {self._said(self.real)}, the control reckons with {self._said(self.told)}: the edge runs {less} all along."
            )
        return out

    def lens(self) -> Lens:
        elements = self._elements()
        self._run(elements)
        programmed = [Leg(role, e.block.line, _way(e) - self.shift) for role, e in elements]
        ways = [shapely.buffer(shapely.LineString(leg.points), self.real, quad_segs=RING) for leg in self.centre]
        swept = shapely.union_all(ways) if ways else shapely.Polygon()
        rows = self.contour
        path = np.concatenate([element_points(self.s, r) for r in rows]) - self.shift if rows else np.zeros((0, 2))
        patches = self._patches(path, swept) if len(path) > 1 and self.real > 0.0 else []
        used = [*([self.entry] if self.entry is not None else []), *self.lead_in, *rows, *self.lead_out]
        lines = [int(self.s.line[r]) for r in used] or [self.s.switched_on_line]
        return Lens(
            side=self.s.side, where=self.s.where, told=self.told, real=self.real, overrun=self.overrun, closed=self.closed, switched_on_line=self.s.switched_on_line,
            lines=(min(lines), max(lines)), programmed=tuple(programmed), centre=tuple(self.centre), swept=swept, patches=tuple(patches),
            corners=tuple(self._corners(elements)), words=tuple(self._words()), troubles=tuple(dict.fromkeys(self.troubles)),
            lookahead=self.proof.job.control.lookahead, axes=self.ways.axes if self.ways is not None else PLAN,
            tip_off=(float(self.tip_off[0]), float(self.tip_off[1])),
        )  # fmt: skip


def _less(one: Region, two: Region) -> Region:
    return shapely.difference(one, two, grid_size=_GRID_MM)


def _way(element: Element) -> Floats:
    a, b = np.array(element.start), np.array(element.end)
    return arc_points(a, b, np.array(element.centre), element.sweep) if element.sweep != 0.0 else np.array([a, b])
