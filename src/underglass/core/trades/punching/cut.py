"""How a sheet is punched: the tool's own shape at every hit."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from underglass.core.bench.bench import Bench
from underglass.core.bench.sheet import Punch, Sheet
from underglass.core.control.motions import Motions
from underglass.core.proof.cut_order import CutOrder
from underglass.core.removal.sheet.cutting import cut_sheet
from underglass.core.removal.sheet.history import Bite, Region, SheetHistory

Floats = NDArray[np.float64]
_NO_WAY = np.empty((0, 2))
_NO_MOVES = np.empty(0, dtype=np.int64)


def sheet_of(bench: Bench) -> Sheet:
    """The sheet that a job's bench has."""
    assert isinstance(bench.more, Sheet)
    return bench.more


def punch_at(bench: Bench, called: int) -> Punch | None:
    """The tool that is at a station when it is called."""
    return sheet_of(bench).punches.get(bench.loaded.get(called, called))


def hits_of(motions: Motions) -> NDArray[np.int64]:
    """The moves that are hits."""
    return np.flatnonzero(motions.dwell > 0.0)


def on_sheet(bench: Bench, motions: Motions, moves: NDArray[np.int64]) -> Floats:
    """Where the ram is at the end of moves, from the true zero ``(n, 2)``."""
    sheet = sheet_of(bench)
    moved = np.array([s.station.x if s.station else 0.0 for s in motions.in_force] or [0.0])[motions.state[moves]]
    out: Floats = motions.end[moves, :2] - (sheet.zero_x, sheet.zero_y)
    out[:, 0] -= moved
    return out


MOST_HITS = 100_000
"""Of different places: no panel has so many."""


def _first_left_out(first: NDArray[np.int64]) -> int:
    """The hit from which on places are no longer held; ``first``: where each different place is struck for the first time."""
    return int(np.sort(first)[MOST_HITS]) if len(first) > MOST_HITS else int(np.iinfo(np.int64).max)


def shapes_of(bench: Bench, motions: Motions, hits: NDArray[np.int64]) -> NDArray[np.object_]:
    """What each hit strikes, in its place; None where there is no tool."""
    places = on_sheet(bench, motions, hits)
    called = motions.tool_of()[hits]
    turns = np.array([s.station.turn if s.station else 0.0 for s in motions.in_force] or [0.0])[motions.state[hits]]
    out = np.full(len(hits), None, dtype=object)
    if not len(hits):
        return out
    # A loop that does not end strikes the same places a hundred thousand times: each has one shape.
    rows = np.column_stack([called, turns, places]).round(6)
    _rows, first, which = np.unique(rows, axis=0, return_index=True, return_inverse=True)
    shapes = np.full(len(first), None, dtype=object)
    held = first < _first_left_out(first)
    for tool, turn in {(int(t), float(a)) for t, a in zip(called[first], turns[first])}:
        punch = punch_at(bench, tool)
        if punch is None:
            continue
        mine = held & (called[first] == tool) & (turns[first] == turn)
        flat = punch.places(turn if punch.index else 0.0)
        shapes[mine] = shapely.polygons(flat[None, :, :] + places[first[mine]][:, None, :])
    out[:] = shapes[which.reshape(-1)]
    return out


class Form(NamedTuple):
    """What a forming hit raises: no metal goes. ``height`` mm over the sheet."""

    move: int
    shape: Region
    height: float


def forms_of(bench: Bench, motions: Motions) -> list[Form]:
    """Every form of a run, in order."""
    hits = hits_of(motions)
    called = motions.tool_of()[hits].tolist()
    rows = zip(hits.tolist(), shapes_of(bench, motions, hits), called)
    return [
        Form(move, shape, punch.height)
        for move, shape, tool in rows
        if shape is not None and (punch := punch_at(bench, tool)) is not None and punch.forming
    ]


def cut_stocks(order: CutOrder) -> tuple[SheetHistory, ...]:
    """The sheet, punched. Raises ``Cancelled``."""
    bench, motions = order.bench, order.motions
    sheet = sheet_of(bench)
    hits = hits_of(motions)
    shapes = shapes_of(bench, motions, hits)
    called = motions.tool_of()[hits]
    bites = []
    struck: set[tuple[int, float, float, float]] = set()
    for move, shape, tool in zip(hits.tolist(), shapes, called.tolist()):
        punch = punch_at(bench, tool)
        if shape is not None and punch is not None and not punch.forming:
            x0, y0, x1, _y1 = shape.bounds
            key = (tool, round(x0, 6), round(y0, 6), round(x1, 6))
            if key in struck and punch.index is False:
                # The same hit again takes nothing.
                continue
            struck.add(key)
            bites.append(Bite(move, move, shape, _NO_WAY, 0.0, _NO_MOVES))
    return (
        cut_sheet(
            sheet.region(), sheet.thickness, bites, len(motions), lambda share: order.progress("punching", share), order.cancelled
        ),
    )  # fmt: skip
