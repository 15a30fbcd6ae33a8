"""Clamps: no tool's shape at a hit, and no station's disc along a move, may come over one. Codes: clamp-zone, tool-into-fixture."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import shapely

from underglass.core.finding import Finding, Severity
from underglass.core.proof.rule import rule
from underglass.core.proof.rules.context import Context
from underglass.core.tolerances import TOLERANCES
from underglass.core.trades.punching.cut import on_sheet
from underglass.core.trades.punching.name import PUNCHING
from underglass.core.trades.punching.rules.looked import at, look


@rule({"clamp-zone": Severity.CRASH, "tool-into-fixture": Severity.CRASH}, PUNCHING)
def over_a_clamp(context: Context) -> Iterator[Finding]:
    """One finding a clamp, for each row of moves in it."""
    seen, motions = look(context), context.motions
    if not seen.sheet.held or not len(motions):
        return
    radius = context.job.bench.machine.more.get("station_diameter", 0.0) / 2.0
    ends = on_sheet(context.job.bench, motions, np.arange(len(motions)))
    starts = np.vstack([ends[:1], ends[:-1]])
    starts[0] = motions.start[0, :2] - (seen.sheet.zero_x, seen.sheet.zero_y)
    ways = shapely.linestrings(np.stack([starts, ends], axis=1))
    shapes = np.full(len(motions), None, dtype=object)
    shapes[seen.hits] = seen.shapes
    for held in seen.sheet.held:
        # The clamps go along when they are moved: they stand elsewhere on the sheet then.
        shifts = np.unique(seen.moved)
        touched: dict[int, float] = {}
        for shift in shifts.tolist():
            box = shapely.box(held.box[0] - shift, held.box[1], held.box[2] - shift, held.box[3])
            mine = np.flatnonzero(seen.moved == shift)
            gaps = shapely.distance(ways[mine], box)
            for k in np.flatnonzero(gaps < radius - TOLERANCES.touch_mm).tolist():
                touched[int(mine[k])] = radius - float(gaps[k])
            shapely.prepare(box)
            for move in mine[shapely.intersects(box, shapes[mine])].tolist():
                if shapely.intersection(shapes[move], box).area > 1e-6:
                    touched.setdefault(move, 0.0)
        rows = sorted(touched)
        for part in np.split(np.array(rows), np.flatnonzero(np.diff(rows) > 3) + 1) if rows else ():
            move = int(part[0])
            code = "clamp-zone" if held.kind == "clamp-zone" else "tool-into-fixture"
            deep = max(touched[int(m)] for m in part)
            yield Finding(
                code=code, line=int(motions.line[move]), message=f"the turret comes {context.length(deep)} over {held.name}",
                remedy="move the clamp, or reposition before this", tool=motions.state_of(move).tool, move=move, position=at(ends[move]),
                evidence={"thing": held.name, "depth_mm": deep, "moves": len(part)},
            )  # fmt: skip
