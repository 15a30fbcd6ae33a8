"""Where something happens on a mill: from above with the stock's relief, and cut through at the place, seen from the front or from the right."""

from __future__ import annotations

import math

import numpy as np
import shapely
from numpy.typing import NDArray

from underglass.core.bench.solid import Solid
from underglass.core.bench.tool import Tool
from underglass.core.finding import Finding
from underglass.core.proof.compare import apart
from underglass.core.proof.measure import Surface
from underglass.core.proof.place_picture import (
    COMPARED,
    PLACES,
    Area,
    Looking,
    PlacePicture,
    Relief,
    around,
    moment_of,
    rings_of,
    ways_near,
)
from underglass.core.proof.proof import Proof
from underglass.core.trades.milling.name import MILLING

Floats = NDArray[np.float64]

_ACROSS, _UP = 300, 200
"""Places of a relief."""
_SAME_MM = 0.01
_LEAST_MM, _OF_STOCK = 12.0, 0.2
_ROUND = np.linspace(0.0, math.tau, 49)


class _MillPlaces:
    def __init__(self, proof: Proof) -> None:
        self.proof = proof
        self.world = proof.job.bench.part_zero
        self.cursors = [h.cursor() for h in proof.stocks]
        sizes = [math.hypot(*s.extent) for s in proof.job.bench.stocks]
        self.half = max(_LEAST_MM, _OF_STOCK * max(sizes, default=0.0))
        self.solids = [(f.solid, self._footprint(f.solid)) for f in proof.job.bench.fixtures if f.entry]

    def __call__(self, finding: Finding) -> tuple[PlacePicture, ...]:
        proof = self.proof
        move, share = moment_of(proof, finding)
        for cursor in self.cursors:
            cursor.go(move, share)
        surface = Surface.of(proof, [c.field for c in self.cursors])
        tool = proof.tool_at(move)
        tip = self._tips(move, np.array([proof.motions.at(move, share)]))[0] if tool is not None else None
        place = self._place(finding)
        return self._above(place, surface, tool, tip, move), self._aside(place, surface, tool, tip, move)

    def _place(self, finding: Finding) -> Floats:
        """The finding's place, from the first part zero. (It is told in the work offset in force.)"""
        assert finding.position is not None
        at = np.array([[finding.position.x, finding.position.y, finding.position.z]])
        motions = self.proof.motions
        state = motions.state_of(min(max(finding.move, 0), len(motions) - 1))
        zero = self.proof.job.bench.zero.get(state.offset)
        out: Floats = (self.world.into(zero.out(at)) if zero is not None else at)[0]
        return out

    def _tips(self, move: int, places: Floats) -> Floats:
        """The real tip at places of the gauge line."""
        tool = self.proof.tool_at(move)
        return self.world.into(places - (0.0, 0.0, tool.length if tool is not None else 0.0))

    def _footprint(self, solid: Solid) -> tuple[shapely.Polygon, float, float]:
        """A solid from above, and its lowest and highest Z."""
        wide, deep, high = solid.extent
        if solid.shape == "cylinder":
            r = wide / 2.0
            ring = np.column_stack([r + r * np.cos(_ROUND), r + r * np.sin(_ROUND)])
        else:
            ring = np.array([(0.0, 0.0), (wide, 0.0), (wide, deep), (0.0, deep)])
        at = self.world.into(solid.frame.out(np.column_stack([ring, np.zeros(len(ring))])))
        low = float(at[0, 2])
        return shapely.Polygon(at[:, :2]), low, low + high

    def _above(self, place: Floats, surface: Surface, tool: Tool | None, tip: Floats | None, move: int) -> PlacePicture:
        window = around((float(place[0]), float(place[1])), self.half)
        xs, ys = np.linspace(window[0], window[2], _ACROSS), np.linspace(window[1], window[3], _UP)
        grid = np.array(np.meshgrid(xs, ys)).reshape(2, -1).T
        heights = surface.heights(grid).reshape(_UP, _ACROSS)
        there = heights[np.isfinite(heights)]
        relief = Relief(heights, float(there.min()), float(there.max())) if len(there) else None
        below = min((self._footprint(one)[1] for one in self.proof.job.bench.stocks), default=-math.inf)
        under = [
            Area(rings_of(shape), "fixture") for _solid, (shape, _low, high) in self.solids if high <= below + 1e-6
        ]
        areas = [
            Area(rings_of(shape), "fixture", solid.name)
            for solid, (shape, _low, high) in self.solids
            if high > below + 1e-6
        ]
        if tool is not None and tip is not None:
            for part in tool.solids(self.proof.job.bench.machine.nose_diameter):
                if part.part in ("cutter", "holder"):
                    ring = np.column_stack(
                        [tip[0] + part.radius * np.cos(_ROUND), tip[1] + part.radius * np.sin(_ROUND)]
                    )
                    areas.append(Area((ring,), "cutter" if part.part == "cutter" else "holder"))
        return PlacePicture(
            title="From above", window=window, under=tuple(under), areas=tuple(areas), relief=relief, mark=(float(place[0]), float(place[1])),
            ways=ways_near(self.proof, move, window, lambda k, at: self._tips(k, at)[:, :2]),
        )  # fmt: skip

    def _aside(self, place: Floats, surface: Surface, tool: Tool | None, tip: Floats | None, move: int) -> PlacePicture:
        along = self._along(place, move, tip)
        other = 1 - along
        window = around((float(place[along]), float(place[2]) + 0.35 * self.half), self.half)
        line = np.linspace(window[0], window[2], 2 * _ACROSS)
        points = np.zeros((len(line), 2))
        points[:, along], points[:, other] = line, place[other]
        areas = self._profile(line, surface.heights(points))
        cut = shapely.LineString(points[[0, -1]])
        for solid, (shape, low, high) in self.solids:
            met = shapely.get_coordinates(shapely.intersection(shape, cut))
            if len(met):
                a, b = float(met[:, along].min()), float(met[:, along].max())
                areas.append(Area((np.array([(a, low), (b, low), (b, high), (a, high)]),), "fixture", solid.name))
        if tool is not None and tip is not None:
            areas += _silhouette(tool, self.proof.job.bench.machine.nose_diameter, float(tip[along]), float(tip[2]))
        side = "the front" if along == 0 else "the right"
        return PlacePicture(
            title=f"Cut through at {'XY'[other]} {float(place[other]):.2f}, from {side}", window=window, axes=("XY"[along], "Z"), areas=tuple(areas),
            mark=(float(place[along]), float(place[2])),
            ways=ways_near(self.proof, move, window, lambda k, at: self._tips(k, at)[:, [along, 2]]),
        )  # fmt: skip

    def _along(self, place: Floats, move: int, tip: Floats | None) -> int:
        """Which way the cut through the place runs: along the move, or from the tool to the place."""
        motions = self.proof.motions
        way = np.abs(motions.end[move, :2] - motions.start[move, :2])
        if float(way.max()) < 1e-6 and tip is not None:
            way = np.abs(place[:2] - tip[:2])
        return int(way[1] > way[0])

    def _profile(self, line: Floats, heights: Floats) -> list[Area]:
        """The sawn stock: under each stretch where there is any."""
        lows = [self._footprint(s)[1] for s in self.proof.job.bench.stocks]
        if not lows:
            return []
        low = min(lows)
        there = np.isfinite(heights) & (heights > low + 1e-6)
        edges = np.flatnonzero(np.diff(np.concatenate([[False], there, [False]]).astype(np.int8)))
        out = []
        for a, b in zip(edges[::2].tolist(), edges[1::2].tolist()):
            top = np.column_stack([line[a:b], heights[a:b]])
            out.append(Area((np.vstack([[line[a], low], top, [line[b - 1], low]]),), "stock"))
        return out


def _silhouette(tool: Tool, nose: float, across: float, z: float) -> list[Area]:
    """The tool as it is seen from a side."""
    out = []
    for part in tool.solids(nose):
        if part.part == "cutter":
            reach = np.linspace(0.0, part.radius, 25)
            half = [(r, tool.profile.height(r)) for r in reach.tolist()] + [(part.radius, part.top)]
            ring = np.array([(across + r, z + h) for r, h in half] + [(across - r, z + h) for r, h in half[::-1]])
        else:
            r = part.radius
            ring = np.array(
                [
                    (across - r, z + part.bottom),
                    (across + r, z + part.bottom),
                    (across + r, z + part.top),
                    (across - r, z + part.top),
                ]
            )
        out.append(Area((ring,), "cutter" if part.part == "cutter" else "shank" if part.part == "shank" else "holder"))
    return out


def _looking(proof: Proof) -> Looking:
    return _MillPlaces(proof)


PLACES[MILLING] = _looking


def _compared(one: Proof, two: Proof) -> tuple[PlacePicture, ...]:
    """Both finished stocks from above: how far the first stands above or below the second."""
    world = one.job.bench.part_zero
    out = []
    for a, b in zip(one.stocks, two.stocks):
        if a.grid.shape != b.grid.shape:
            continue
        wide, deep = a.grid.nx * a.grid.cell, a.grid.ny * a.grid.cell
        corners = world.into(a.grid.frame.out(np.array([(x, y, 0.0) for x in (0.0, wide) for y in (0.0, deep)])))[:, :2]
        low, high = corners.min(axis=0), corners.max(axis=0)
        half = 0.55 * max(float(high[1] - low[1]), float(high[0] - low[0]) / 1.5)
        window = around(((low + high) / 2.0).tolist(), half)
        grid = np.array(np.meshgrid(np.linspace(window[0], window[2], _ACROSS), np.linspace(window[1], window[3], _UP)))
        places = grid.reshape(2, -1).T
        # The surface itself tells where a place lies; the differences are those that count, within the cell.
        over = apart(a.final.h.astype(np.float64), b.final.h.astype(np.float64), _SAME_MM)
        at = a.grid.frame.into(world.out(np.column_stack([places, np.zeros(len(places))])))
        column, row = (at[:, :2] / a.grid.cell).astype(np.int64).T
        inside = (at[:, 0] >= 0.0) & (at[:, 1] >= 0.0) & (column < a.grid.nx) & (row < a.grid.ny)
        told = np.full(len(places), math.nan)
        told[inside] = over[row[inside], column[inside]]
        most = float(np.abs(over).max(initial=0.0)) or 1.0
        out.append(
            PlacePicture(title="Both finished, from above", window=window, relief=Relief(told.reshape(_UP, _ACROSS), -most, most, apart=True))
        )  # fmt: skip
    return tuple(out)


COMPARED[MILLING] = _compared
