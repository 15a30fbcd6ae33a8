"""How turning cuts: the half section, along the real tips' ways."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray

from underglass.core.bench.lathe import Lathe
from underglass.core.control.motions import Motions
from underglass.core.proof.cut_order import CutOrder
from underglass.core.removal.section.history import SectionHistory, cut_section
from underglass.core.removal.section.shape import Shape, clean
from underglass.core.removal.section.ways import make_ways
from underglass.core.trades.turning.lathe import lathe_of, section_tool, stop_before, tips, tool_rows


def uncut(lathe: Lathe) -> Shape:
    """The stock before the run: outlines that lie in one another are holes."""
    shape = shapely.Polygon()
    for ring in lathe.stock:
        one = shapely.make_valid(shapely.Polygon(ring))
        shape = shapely.symmetric_difference(shape, one)
    return clean(shape)


def forbidden(motions: Motions) -> NDArray[np.bool_]:
    """Moves on which even the edge must not touch: every rapid, and all with the spindle stopped."""
    stopped = np.array([s.spindle == "off" or s.speed <= 0.0 for s in motions.in_force] or [True])
    out: NDArray[np.bool_] = motions.rapid() | stopped[motions.state]
    return out


def out_of_thread(motions: Motions, lead: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Rapids straight out of a thread: there the tool stands in the groove that it has just cut, whichever turn the section shows."""
    out = np.zeros(len(motions), dtype=np.bool_)
    if len(motions) > 1:
        straight = np.abs(motions.end[:, 2] - motions.start[:, 2]) < 1e-9
        out[1:] = (lead[:-1] > 0.0) & motions.rapid()[1:] & straight[1:]
    return out


def cut_stocks(order: CutOrder) -> tuple[SectionHistory, ...]:
    """The stock in the chuck, cut. Raises ``Cancelled``."""
    lathe, motions = lathe_of(order.bench), order.motions
    shape = uncut(lathe)
    if shape.is_empty:
        return ()
    tools, rows = tool_rows(order.bench, motions)
    start, end, centre = tips(order.bench, motions, tools, rows)
    lead = np.array([s.station.lead if s.station else 0.0 for s in motions.in_force] or [0.0])[motions.state]
    shift = np.zeros(len(motions) + 1)
    after = stop_before(motions)
    for stop, pull in lathe.pulls.items():
        if stop in after:
            shift[after[stop] :] += pull
    made = [section_tool(tool) for tool in tools]
    extra = []
    for stop, (tool, to_z) in lathe.by_hand.items():
        if stop in after:
            made.append(section_tool(tool))
            front = float(shape.bounds[3]) + 10.0
            extra.append((after[stop], len(made) - 1, np.array([0.0, front]), np.array([0.0, to_z])))
    rows = np.where((motions.dwell > 0.0) | out_of_thread(motions, lead), -1, rows).astype(np.int32)
    ways = make_ways(start, end, centre, motions.sweep, lead, rows, shift, tuple(extra))
    before = order.before[0] if order.before and isinstance(order.before[0], SectionHistory) else None
    same = order.since if before is not None and not extra and len(before.tools) == len(made) else 0
    return (
        cut_section(
            shape, ways, tuple(made), forbidden(motions), lambda share: order.progress("cutting", share),
            order.cancelled, before, same,
        ),
    )  # fmt: skip
