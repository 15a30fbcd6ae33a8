"""What the rules of punching look at: every hit with its shape, what was there before it, the clamps where they are."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from underglass.core.bench.sheet import Punch, Sheet
from underglass.core.finding import Position
from underglass.core.proof.rules.context import Context
from underglass.core.removal.sheet.history import Region, SheetHistory
from underglass.core.trades.punching.cut import hits_of, on_sheet, punch_at, shapes_of, sheet_of
from underglass.core.trades.punching.rows import HitRow, rows_of

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True, kw_only=True)
class Looked:
    """``hits`` moves; ``places`` (n, 2), ``shapes`` and ``punches`` of each; ``bite`` its number in the history, -1: none."""

    sheet: Sheet
    region: Region
    history: SheetHistory | None
    hits: NDArray[np.int64]
    places: Floats
    shapes: NDArray[np.object_]
    called: NDArray[np.int64]
    bite: NDArray[np.int64]
    moved: Floats
    rows: tuple[HitRow, ...]
    row_of: dict[int, int] = field(default_factory=dict)

    def punch(self, context: Context, k: int) -> Punch | None:
        return punch_at(context.job.bench, int(self.called[k]))


def look(context: Context) -> Looked:
    """Worked out once a proof."""
    found = context.kept.get("punching")
    if isinstance(found, Looked):
        return found
    bench, motions = context.job.bench, context.motions
    sheet = sheet_of(bench)
    hits = hits_of(motions)
    history = next((h for h in context.histories if isinstance(h, SheetHistory)), None)
    number = {b.first: k for k, b in enumerate(history.bites)} if history is not None else {}
    bite = np.array([number.get(int(h), -1) for h in hits], dtype=np.int64)
    shapes = np.full(len(hits), None, dtype=object)
    if history is not None:
        shapes[bite >= 0] = np.array([b.shape for b in history.bites], dtype=object)[bite[bite >= 0]]
    shapes[bite < 0] = shapes_of(bench, motions, hits[bite < 0])
    rows = rows_of(context.job, motions, context.timing)
    moved = np.array([s.station.x if s.station else 0.0 for s in motions.in_force] or [0.0])
    made = Looked(
        sheet=sheet, region=sheet.region(), history=history, hits=hits, places=on_sheet(bench, motions, hits),
        shapes=shapes, called=motions.tool_of()[hits].astype(np.int64),
        bite=bite, moved=moved[motions.state] if len(motions) else moved[:0],
        rows=rows, row_of={h: k for k, row in enumerate(rows) for h in row.hits},
    )  # fmt: skip
    context.kept["punching"] = made
    return made


def at(place: Floats) -> Position:
    """A place of the sheet as a report has it."""
    return Position(float(place[0]), float(place[1]), 0.0)
