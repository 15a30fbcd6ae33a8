"""What radius compensation leaves behind: material beside a retreat, a bite at the entry or the exit, a gap where a
contour should close.

Codes: comp-exit-remains, comp-entry-witness.

Glossary (contour, lead, entry: see ``control.stretch``)
    run       elements of one compensated stretch that follow each other at one height
    retreat   the element that leaves the contour: a lead, or the last one where it is made at rapid or back to where the
              entry began
    kept      the side of the contour that the cutter is not on: the part, or the wall
    bite      what the way in or out cuts out of the kept side
Regions lie in the XY plane, machine coordinates, mm; the cutter is the control's, with the register's radius. A contour
in another plane is not judged.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import replace

import numpy as np
import shapely
import shapely.errors
import shapely.ops

from underglass.core.control.motions import Motions
from underglass.core.control.stretch import LEADS, Stretch
from underglass.core.finding import Finding, Severity
from underglass.core.proof.level_runs import (
    LEVEL_MM,
    RING,
    Floats,
    LevelRun,
    Region,
    arc_points,
    area_of,
    element_points,
    level_runs,
)
from underglass.core.proof.rule import rule
from underglass.core.proof.rules.context import Context
from underglass.core.tolerances import TOLERANCES

_SEEN_MM = 0.02
"""Smaller slivers and bites than this are below what a finger feels and a finish allows (common practice, no source)."""

_LONG, _ENDS = 96, 12
"""Contours of more elements than the first are looked at by so many elements at each end."""

_MOST_PLACES = 20_000
"""Along a region's edge no more places than this are looked at, however long it is."""

_TANGENT = 1e-3
"""Sine of the angle below which a lead goes on where the contour ends: a micrometre on a millimetre."""


@rule({"comp-exit-remains": Severity.CAUTION, "comp-entry-witness": Severity.CAUTION})
def left_behind(context: Context) -> Iterator[Finding]:
    """All findings of this family. Passes over one contour, one below the other, are one finding a place."""
    found: dict[tuple[object, ...], Finding] = {}
    told: dict[tuple[object, ...], list[tuple[object, ...]]] = {}
    if not context.job.bench.stocks:
        # What is asked here is of a stock with a height; of a sheet, ways that run into the part are the trade's own finding.
        return
    ways = _ways_of_all(context.run.stretches)
    for stretch in context.run.stretches:
        if stretch.plane != 17 or stretch.radius <= _SEEN_MM:
            continue
        for run in level_runs(stretch, context.motions):
            context.check()
            shape = _shape(context.motions, stretch, run)
            for key in told.get(shape, ()):
                at = run.first if key[0] == "comp-entry-witness" else run.last
                found[key] = _once_more(found[key], int(stretch.line[at]))
            if shape in told:
                continue
            try:
                new = list(_Judge(context, stretch, run, ways).find())
            except shapely.errors.GEOSException:
                # A contour so far from sense that its regions cannot be worked out has other findings.
                continue
            for finding in new:
                x, y = (round(float(finding.evidence[f"at_{axis}_mm"] or 0.0), 2) for axis in "xy")
                key = (finding.code, finding.tool, x, y)
                found[key] = _once_more(found[key], finding.line) if key in found else finding
                told.setdefault(shape, []).append(key)
    yield from found.values()


def _once_more(finding: Finding, line: int) -> Finding:
    """The same trouble met again, further on."""
    passes = int(finding.evidence.get("passes") or 1) + 1
    return replace(finding, evidence={**finding.evidence, "passes": passes, "last_line": line})


def _shape(motions: Motions, stretch: Stretch, run: LevelRun) -> tuple[object, ...]:
    """What makes two runs the same but for their height."""
    rows = slice(run.first, run.last + 1)
    g40 = motions.end[stretch.end_move, :2] if stretch.end_move < len(motions) else np.zeros(2)
    figures = [stretch.start[rows], stretch.end[rows], np.nan_to_num(stretch.centre[rows]), stretch.sweep[rows], g40]
    return (
        stretch.tool, stretch.side, stretch.radius, run.leaves, run.last == len(stretch) - 1,
        *(np.round(f, 6).tobytes() for f in figures),
    )  # fmt: skip


def _ways_of_all(stretches: Sequence[Stretch]) -> set[int]:
    """Moves of every entry, exit and retreat, and the contours' ends: a second pass does not excuse the first."""
    out: set[int] = set()
    for s in stretches:
        entries = np.flatnonzero(s.entry)
        begun = [k for e in entries.tolist() for k in range(e, min(e + LEADS, len(s)))]
        for row in {*begun, *range(max(len(s) - LEADS, 0), len(s))}:
            out |= set(range(int(s.first[row]), int(s.last[row])))
        out.add(s.end_move)
    return out


class _Judge:
    """One level run of a stretch."""

    def __init__(self, context: Context, stretch: Stretch, run: LevelRun, ways: set[int]) -> None:
        self.context, self.s, self.run, self.ways = context, stretch, run, ways
        self.r = stretch.radius
        self.tip = run.z - self._length()
        entered = run.first == 0 and bool(stretch.entry[0])
        self.entry = run.first if entered else None
        rows = list(range(run.first + entered, run.last + 1))
        first, last, self.closed = stretch.contour(rows)
        self.lead_in, self.rows, self.lead_out = rows[:first], rows[first:last], rows[last:]
        self.retreat: int | None = None
        if run.leaves and self.closed and self.lead_out:
            self.retreat = self.lead_out[0]
        elif run.leaves and not self.closed and len(rows) > 1 and self._goes_back(rows[-1]):
            if not self.lead_out and len(self.rows) > 1:
                self.lead_out = [self.rows.pop()]
            self.retreat = self.lead_out[0] if self.lead_out else None

    def _length(self) -> float:
        tool = self.context.real_tool(self.s.tool)
        return tool.length if tool is not None else 0.0

    def find(self) -> Iterator[Finding]:
        if not self.rows:
            return
        path = np.concatenate([element_points(self.s, row) for row in self.rows])
        self.line = shapely.LineString(path)
        self.gap = float(math.dist(path[0], path[-1]))
        self.kept = self._kept(path)
        if self.retreat is not None:
            yield from self._remains()
        yield from self._ways_in_and_out()
        if not self.closed and len(self.rows) > 1 and TOLERANCES.chord_mm < self.gap < self.r:
            yield from self._open_by_a_gap(path)

    # -- what there is -------------------------------------------------------------------------------------------------

    def _goes_back(self, last: int) -> bool:
        """A last element at rapid, or to where the entry began."""
        s = self.s
        if bool(s.rapid[last]):
            return True
        return self.entry is not None and math.dist(s.end[last], s.start[self.entry]) <= _SEEN_MM

    def _kept(self, path: Floats) -> Region:
        """The side of the contour that is to stay: its inside or a band around it; for an open one a band beside it."""
        if len(self.rows) > _LONG:
            # Only what lies by the ways in and out is asked for: a long contour's ends do.
            ends = [self.rows[:_ENDS], self.rows[-_ENDS:]]
            lines = [shapely.LineString(np.concatenate([element_points(self.s, row) for row in part])) for part in ends]
            side = -self.s.side * self.r
            return shapely.union_all(
                [shapely.buffer(line, side, single_sided=True, cap_style="flat", quad_segs=RING) for line in lines]
            )
        if not self.closed:
            # A positive distance is the left of the line; the kept side lies the other way.
            return shapely.buffer(self.line, -self.s.side * self.r, single_sided=True, cap_style="flat", quad_segs=RING)
        ring = shapely.Polygon(path)
        whole = area_of(ring)
        x, y = path[:, 0], path[:, 1]
        area = float(np.sum(x * np.roll(y, -1) - np.roll(x, -1) * y)) / 2.0
        if (area > 0.0) == (self.s.side > 0.0):
            return shapely.difference(shapely.buffer(whole, 2.0 * self.r, quad_segs=RING), whole)
        return whole

    def _direction(self, row: int, at_end: bool) -> Floats:
        """Unit vector of an element's way at its end or its start."""
        s = self.s
        way = s.end[row] - s.start[row]
        turn = float(s.sweep[row])
        if turn != 0.0:
            off = (s.end[row] if at_end else s.start[row]) - s.centre[row]
            way = np.array([-off[1], off[0]]) * math.copysign(1.0, turn)
        return np.array(way / max(float(np.hypot(*way)), 1e-12))

    def _way(self, move: int) -> Region:
        """A move's way seen from above, as a line."""
        motions = self.context.motions
        a, b, turn = motions.start[move, :2], motions.end[move, :2], float(motions.sweep[move])
        level = turn != 0.0 and motions.plane[move] == 17
        return shapely.LineString(arc_points(a, b, motions.centre[move, :2], turn) if level else np.array([a, b]))

    def _sweep(self, moves: list[int]) -> Region:
        """What the control's cutter covers on these moves."""
        ways = [shapely.buffer(self._way(m), self.r, quad_segs=RING) for m in moves]
        return shapely.union_all(ways) if ways else shapely.Polygon()

    def _at_depth(self, moves: list[int]) -> list[int]:
        motions = self.context.motions
        return [
            m
            for m in moves
            if m < len(motions)
            and motions.dwell[m] == 0.0
            and max(motions.start[m, 2], motions.end[m, 2]) <= self.run.z + LEVEL_MM
        ]

    def _covered(self, region: Region, without: set[int]) -> Region:
        """What other moves cut here at this depth or deeper, with the real tools: ``without`` are left out."""
        context, motions = self.context, self.context.motions
        x0, y0, x1, y1 = region.bounds
        reach = max((t.radius for t in context.tool_table.tools), default=0.0)
        low, high = context.boxes()
        length = np.array([t.length for t in context.tool_table.tools] + [0.0])[context.tool_row]
        near = (
            (context.tool_row >= 0)
            & (high[:, 2] - length <= self.tip + LEVEL_MM)
            & (low[:, 0] <= x1 + reach)
            & (high[:, 0] >= x0 - reach)
            & (low[:, 1] <= y1 + reach)
            & (high[:, 1] >= y0 - reach)
        )
        ways = []
        for m in np.flatnonzero(near).tolist():
            tool = context.tool_table.tools[int(context.tool_row[m])]
            profile = tool.profile
            if m in without or profile.flat <= 0.0:
                continue
            radius = self.r if motions.state_of(m).comp != "off" and tool.number == self.s.tool else profile.flat
            ways.append(shapely.buffer(self._way(m), radius, quad_segs=RING))
        return shapely.union_all(ways) if ways else shapely.Polygon()

    def _stock(self) -> Region:
        """Where there is stock at this height at the start of the run."""
        out = []
        for stock in self.context.job.bench.stocks:
            if not stock.frame.z <= self.tip + _SEEN_MM <= stock.top:
                continue
            x, y, _z = stock.extent
            if stock.shape == "cylinder":
                at = stock.frame.out(np.array([[x / 2.0, y / 2.0, 0.0]]))[0]
                out.append(shapely.buffer(shapely.Point(at[0], at[1]), x / 2.0, quad_segs=RING))
            else:
                corners = np.array([[0.0, 0.0, 0.0], [x, 0.0, 0.0], [x, y, 0.0], [0.0, y, 0.0]])
                out.append(shapely.Polygon(stock.frame.out(corners)[:, :2]))
        return shapely.union_all(out) if out else shapely.Polygon()

    # -- what is found -------------------------------------------------------------------------------------------------

    def _largest(self, region: Region) -> tuple[float, float, Floats] | None:
        """(how far it stands off the contour, its area, the place) of a region; None where nobody would see it."""
        best: tuple[float, float, Floats] | None = None
        for piece in shapely.get_parts(region):
            if piece.geom_type != "Polygon" or piece.is_empty:
                continue
            step = max(self.r / 200.0, 1e-3, piece.length / _MOST_PLACES)
            ring = shapely.get_coordinates(shapely.segmentize(piece, step))
            far = shapely.distance(shapely.points(ring), self.line)
            k = int(np.argmax(far))
            if best is None or far[k] > best[0]:
                best = (float(far[k]), float(piece.area), ring[k])
        return best if best is not None and best[0] > _SEEN_MM else None

    def _corner(self) -> Region:
        """The inside corner between the contour's last element and the retreat: what the cutter cannot reach in it."""
        s, last, way = self.s, self.rows[-1], self.retreat
        assert way is not None
        tip = self.context.motions.end[int(s.last[last]) - 1, :2]
        corner = s.end[last]
        sides = []
        for row, at_end in ((last, True), (way, False)):
            # Measured from the corner, so that a full circle's end is its end and not its start.
            points = element_points(s, row)[:: -1 if at_end else 1]
            line = shapely.LineString(points)
            side = shapely.get_coordinates(shapely.ops.substring(line, 0.0, line.project(shapely.Point(tip))))
            sides.append(side[:: -1 if at_end else 1])
        ring = np.concatenate([[tip], sides[0], [corner], sides[1], [tip]])
        return shapely.difference(
            area_of(shapely.Polygon(ring)), shapely.buffer(shapely.Point(tip), self.r, quad_segs=RING)
        )

    def _remains(self) -> Iterator[Finding]:
        s, last, way = self.s, self.rows[-1], self.retreat
        assert way is not None
        one, two = self._direction(last, True), self._direction(way, False)
        if (one[0] * two[1] - one[1] * two[0]) * s.side <= _TANGENT or s.last[last] <= s.first[last]:
            return
        corner = shapely.intersection(self._corner(), self._stock())
        if corner.is_empty:
            return
        found = self._largest(shapely.difference(corner, self._covered(corner, set())))
        if found is None:
            return
        height, area, place = found
        yield self._finding(
            "comp-exit-remains",
            int(s.line[way]),
            f"compensation is still on as the tool leaves the contour: the corner before this move keeps {self._mm(height)} of material, "
            f"{self.context.area(area)}, that no other move removes",
            "overlap the start of the contour before leaving, or cancel with G40 on this move",
            int(s.first[way]),
            place,
            {"remains_mm": height, "area_mm2": area},
        )

    def _ways_in_and_out(self) -> Iterator[Finding]:
        """What the entry, the retreat and the G40 move bite out of the kept side."""
        s, motions = self.s, self.context.motions
        out: list[int] = []
        for row in self.lead_out:
            out += range(int(s.first[row]), int(s.last[row]))
        g40 = s.end_move if self.run.last == len(s) - 1 else -1
        if 0 <= g40 < len(motions) and math.dist(motions.start[g40, :2], motions.end[g40, :2]) > TOLERANCES.chord_mm:
            out.append(g40)
        into: list[int] = []
        for row in ([self.entry] if self.entry is not None else []) + self.lead_in:
            into += range(int(s.first[row]), int(s.last[row]))
        into, out = self._at_depth(into), self._at_depth(out)
        found = self._bite(into) if into else None
        if found is not None:
            depth, area, place = found
            yield self._finding(
                "comp-entry-witness",
                int(motions.line[into[0]]),
                f"the lead-in gouges the part by {self._mm(depth)}, {self.context.area(area)}",
                "begin farther from the contour and on the cutter's side of it, away from an inside corner",
                into[0],
                place,
                {"divot_mm": depth, "area_mm2": area},
            )
        same = found
        found = self._bite(out) if out else None
        # Begun in an inside corner, a contour is bitten by both ways: one cause.
        if found is not None and not (same is not None and math.dist(same[2], found[2]) < 4.0 * self.r):
            depth, area, place = found
            bites = min(out, key=lambda m: float(self._way(m).distance(shapely.Point(place))))
            yield self._finding(
                "comp-exit-remains",
                int(motions.line[bites]),
                f"the lead-out gouges the part by {self._mm(depth)}, {self.context.area(area)}",
                "leave the contour on the cutter's side, and end compensation away from it",
                bites,
                place,
                {"bite_mm": depth, "area_mm2": area},
            )

    def _bite(self, moves: list[int]) -> tuple[float, float, Floats] | None:
        region = shapely.intersection(self._sweep(moves), self.kept)
        if region.is_empty or self._largest(region) is None:
            return None
        region = shapely.intersection(region, self._stock())
        if region.is_empty:
            return None
        return self._largest(shapely.difference(region, self._covered(region, self.ways)))

    def _open_by_a_gap(self, path: Floats) -> Iterator[Finding]:
        """A contour that stops short of where it began, by less than the cutter's radius."""
        s, motions = self.s, self.context.motions
        first, last = self.rows[0], self.rows[-1]
        if s.last[first] <= s.first[first] or s.last[last] <= s.first[last]:
            return
        begin, end = motions.start[int(s.first[first]), :2], motions.end[int(s.last[last]) - 1, :2]
        gap = area_of(shapely.Polygon([path[-1], path[0], begin, end]))
        self.line = shapely.LineString([path[-1], path[0]])
        gap = shapely.intersection(gap, self._stock())
        if gap.is_empty:
            return
        found = self._largest(shapely.difference(gap, self._covered(gap, set())))
        if found is None:
            return
        height, area, place = found
        yield self._finding(
            "comp-entry-witness",
            int(s.line[last]),
            f"the contour ends {self._mm(self.gap)} short of its start, leaving a ridge of {self._mm(height)}",
            "end the contour where it began, or run a little past it",
            int(s.first[last]),
            place,
            {"ridge_mm": height, "area_mm2": area, "gap_mm": self.gap},
        )

    def _mm(self, value: float) -> str:
        return self.context.length(value)

    def _finding(
        self, code: str, line: int, message: str, remedy: str, move: int, place: Floats, figures: dict[str, float]
    ) -> Finding:
        s = self.s
        return Finding(
            code=code,
            line=line,
            message=message,
            remedy=remedy,
            tool=s.tool or None,
            move=move,
            evidence={
                **figures,
                "at_x_mm": float(place[0]) - s.shift[0],
                "at_y_mm": float(place[1]) - s.shift[1],
                "at_z_mm": self.run.z - s.shift[2],
                "radius_mm": self.r,
                "switched_on_line": s.switched_on_line,
            },
        )
