"""How far the tool is from what it would touch next: what a person at the machine sees by eye, by paper and by edge finder.

Held against the work as it lies and, downwards, as it is cut; sideways against the solids as they were put on the table.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from shapely import LineString, Point

from underglass.core.bench.solid import Solid
from underglass.core.bench.tool import Tool
from underglass.core.machine.instruments import EDGE_FINDER, PAPER_MM, TOUCH_PROBE
from underglass.core.machine.stand import Stand
from underglass.core.proof.touch_off import plan_of
from underglass.core.removal.history import StockHistory
from underglass.core.units import Unit, show_length

REACH_MM = 200.0
FEELS_MM = 0.005
"""Nearer than this an edge finder kicks and a probe's lamp lights."""

WAYS = ("x+", "x-", "y+", "y-", "z-")
_FACE = {"x+": "left", "x-": "right", "y+": "front", "y-": "back", "z-": "top"}


@dataclass(frozen=True, slots=True)
class Gap:
    """From the tool, this way, to the face of a thing: mm, below 0 where it is inside."""

    way: str
    mm: float
    thing: str

    @property
    def face(self) -> str:
        """The face that is met, as one stands in front of the machine."""
        return _FACE[self.way]


def gaps(stand: Stand, heights: tuple[NDArray[np.float64], ...] = ()) -> tuple[Gap, ...]:
    """The gaps in every way in which something is in reach, the nearest first. ``heights``: the fields of the work as it is cut now."""
    tool = stand.tool_there
    bench = stand.job.bench
    if tool is None or bench.more is not None or "z" not in bench.machine.axes:
        return ()
    x, y, z = stand.place
    tip = (x, y, z - tool.length)
    named = [("the work", s) for s in bench.stocks] + [(f"the {f.name}", f.solid) for f in bench.fixtures]
    out = []
    for way in WAYS:
        best: Gap | None = None
        for k, (name, solid) in enumerate(named):
            field = heights[k] if k < len(bench.stocks) and k < len(heights) else None
            found = _down(stand, k, solid, tool, tip, field) if way == "z-" else _across(solid, tool, tip, way)
            if found is not None and found <= REACH_MM and (best is None or found < best.mm):
                best = Gap(way, round(found, 4), name)
        if best is not None:
            out.append(best)
    return tuple(sorted(out, key=lambda g: g.mm))


def _across(solid: Solid, tool: Tool, tip: tuple[float, float, float], way: str) -> float | None:
    """Sideways, where tool and solid share a height; the tool as an upright cylinder."""
    x, y, z = tip
    if z >= solid.top or z + tool.APMX + tool.stickout <= solid.frame.z:
        return None
    plan, sign = plan_of(solid), 1.0 if way.endswith("+") else -1.0
    reach = REACH_MM + tool.radius
    end = (x + sign * reach, y) if way[0] == "x" else (x, y + sign * reach)
    round_it = plan.buffer(tool.radius, quad_segs=64)
    if round_it.contains(Point(x, y)):
        return None
    met = round_it.intersection(LineString([(x, y), end]))
    return None if met.is_empty else float(met.distance(Point(x, y)))


def _down(
    stand: Stand, k: int, solid: Solid, tool: Tool, tip: tuple[float, float, float], heights: NDArray[np.float64] | None
) -> float | None:
    """Downwards, to the highest place under the tool."""
    x, y, z = tip
    radius = min(tool.radius, tool.profile.flat or tool.radius * 0.2) if tool.kind != "probe" else 0.2
    if plan_of(solid).distance(Point(x, y)) > radius:
        return None
    if heights is None or k >= len(stand.course.proof.stocks):
        return z - solid.top
    history = stand.course.proof.stocks[k]
    under = _under(history, heights, (x, y), radius)
    return None if under is None else z - under


def _under(history: StockHistory, heights: NDArray[np.float64], at: tuple[float, float], radius: float) -> float | None:
    """The highest of the work's cells under a disc, real height."""
    grid = history.grid
    local = grid.frame.into(np.array([[at[0], at[1], 0.0]]))[0]
    c, reach = grid.cell, radius + grid.cell
    i0, i1 = max(math.floor((local[0] - reach) / c), 0), min(math.ceil((local[0] + reach) / c), grid.nx)
    j0, j1 = max(math.floor((local[1] - reach) / c), 0), min(math.ceil((local[1] + reach) / c), grid.ny)
    if i1 <= i0 or j1 <= j0:
        return None
    return grid.frame.z + float(heights[j0:j1, i0:i1].max())


def felt(stand: Stand, gap: Gap, unit: Unit) -> str:
    """A gap as it is felt: the edge finder kicks, the paper drags, or how far it is."""
    to = f"the {gap.face} of {gap.thing}" if gap.thing == "the work" else gap.thing
    if stand.tool == EDGE_FINDER and gap.way != "z-" and gap.mm <= FEELS_MM:
        return f"The edge finder kicks over at {to}."
    if stand.tool == TOUCH_PROBE and gap.mm <= FEELS_MM:
        return f"The probe's lamp lights: it touches {to}."
    if gap.mm < -FEELS_MM and gap.way == "z-":
        return f"in the cut, {show_length(-gap.mm, unit)} {unit} below the metal beside it"
    if gap.mm < -FEELS_MM:
        return f"{show_length(-gap.mm, unit)} {unit} into {to}"
    if gap.mm <= FEELS_MM:
        return f"The tool rests against {to}."
    if gap.mm <= PAPER_MM:
        return f"{show_length(gap.mm, unit)} {unit} to {to}: the paper is held fast" if gap.mm < PAPER_MM - 0.02 else f"{show_length(gap.mm, unit)} {unit} to {to}: the paper just drags"  # fmt: skip
    return f"{show_length(gap.mm, unit)} {unit} to {to}"
