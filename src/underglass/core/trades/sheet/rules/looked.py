"""What the rules of cutting sheet look at: the cuts with their ways, what came loose, and words for both."""

from __future__ import annotations

from bisect import bisect_right
from dataclasses import dataclass, field

import numpy as np
import shapely
from numpy.typing import NDArray

from underglass.core.bench.sheet import Cutter, Sheet
from underglass.core.finding import Position
from underglass.core.proof.rules.context import Context
from underglass.core.removal.sheet.history import Region, SheetHistory, kerf
from underglass.core.trades.sheet.cut import cuts_of, cutter_at, sheet_of, way_of

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True, kw_only=True)
class Cut:
    """One row of feeds under the cutter (in a dry trace: where it would be). ``bite`` is its number in the history, -1: none."""

    first: int
    last: int
    way: Floats
    done: NDArray[np.int64]
    cutter: Cutter
    bite: int
    line: int
    """Where it was switched on."""
    column: int = 1
    end_column: int = 1
    waits: float = 0.0
    """How long it stood after that before it moved, s."""

    @property
    def path(self) -> Region:
        return shapely.LineString(self.way) if len(self.way) > 1 else shapely.Point(self.way[0])

    def part(self, move: int) -> Floats:
        """The way of one of its moves."""
        k = move - self.first
        return self.way[(int(self.done[k - 1]) if k else 0) : int(self.done[k]) + 1]


@dataclass(frozen=True, slots=True, kw_only=True)
class Looked:
    sheet: Sheet
    region: Region
    history: SheetHistory | None
    cuts: tuple[Cut, ...]
    on: NDArray[np.bool_]
    feeds: NDArray[np.bool_]
    kept: dict[str, object] = field(default_factory=dict)

    @property
    def dry(self) -> bool:
        return self.sheet.dry_trace


def look(context: Context) -> Looked:
    """Worked out once a proof."""
    found = context.kept.get("sheet")
    if isinstance(found, Looked):
        return found
    bench, motions = context.job.bench, context.motions
    sheet = sheet_of(bench)
    history = next((h for h in context.histories if isinstance(h, SheetHistory)), None)
    seen = cuts_of(motions)
    rows = seen.stretches
    if sheet.dry_trace and len(motions):
        rows = _rows_of(seen.feeds)
    called = motions.tool_of()
    switched = [e for e in motions.events if e.kind == "cutter-on"]
    number = {b.first: k for k, b in enumerate(history.bites)} if history is not None else {}
    cuts = []
    for first, last in rows:
        cutter = cutter_at(bench, int(called[first]))
        if cutter is None:
            continue
        bite = number.get(first, -1)
        if history is not None and bite >= 0 and history.bites[bite].last == last:
            way, done = history.bites[bite].way, history.bites[bite].done
        else:
            way, done = way_of(bench, motions, first, last)
        k = bisect_right(switched, first, key=lambda e: e.before) - 1
        event = switched[k] if k >= 0 else None
        line = event.line if event is not None else int(motions.line[first])
        waits = float(motions.dwell[event.before : first].sum()) if event is not None else 0.0
        cuts.append(
            Cut(
                first=first, last=last, way=way, done=done, cutter=cutter, bite=bite, line=line, waits=waits,
                column=event.column if event is not None else 1, end_column=event.end_column if event is not None else 1,
            )
        )  # fmt: skip
    made = Looked(
        sheet=sheet, region=sheet.region(), history=history, cuts=tuple(cuts), on=seen.on, feeds=seen.feeds
    )  # fmt: skip
    context.kept["sheet"] = made
    return made


def _rows_of(feeds: NDArray[np.bool_]) -> list[tuple[int, int]]:
    rows = np.flatnonzero(feeds)
    if not len(rows):
        return []
    return [(int(p[0]), int(p[-1])) for p in np.split(rows, np.flatnonzero(np.diff(rows) > 1) + 1)]


def at(x: float, y: float) -> Position:
    """A place of the sheet as a report has it."""
    return Position(x, y, 0.0)


def inside(looked: Looked, place: Floats) -> bool:
    """Whether a place lies on the sheet as it was."""
    return bool(shapely.intersects_xy(looked.region, float(place[0]), float(place[1])))


def swept(cut: Cut, way: Floats | None = None) -> Region:
    """What its kerf takes along its way, or along another one."""
    return kerf(cut.way if way is None else way, cut.cutter.kerf)
