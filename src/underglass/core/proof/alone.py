"""One stretch of a run by itself: on fresh stock, or with everything before it already cut."""

from __future__ import annotations

import numpy as np

from underglass.core.proof.proof import Proof, Segment
from underglass.core.removal.field import Dirty, Field
from underglass.core.removal.history import StockHistory, replay


def moves_of(proof: Proof, segment: Segment) -> tuple[int, int]:
    """First move of a stretch, and the first one after it."""
    start = proof.timing.start
    inside = (start >= segment.start_s - 1e-9) & (start < segment.end_s - 1e-9)
    moves = inside.nonzero()[0]
    return (int(moves[0]), int(moves[-1]) + 1) if len(moves) else (0, 0)


def cut_alone(history: StockHistory, first: int, last: int) -> Field:
    """The uncut stock with only the moves ``first`` to ``last`` (exclusive) cut into it."""
    field = history.uncut.copy()
    field.h.setflags(write=True)
    field.owner.setflags(write=True)
    steps = history.path.first
    a, b = int(steps[first]), int(steps[last]) - 1
    if b >= a:
        replay(field, history.path, history.outline, a, b, 1.0)
    return field


def cut_up_to(history: StockHistory, move: int) -> Field:
    """The stock with everything before a move cut: what an operation that begins there finds."""
    cursor = history.cursor()
    cursor.go(move, 0.0)
    return cursor.field


class AloneCursor:
    """A stock into which only some moves are cut: fresh before ``first``, and no further than ``last`` (exclusive).

    Goes to any moment as ``StockCursor`` does; backwards it begins anew.
    """

    def __init__(self, history: StockHistory, first: int, last: int) -> None:
        self._history = history
        steps = history.path.first
        self._range = (int(steps[first]), int(steps[last]))
        self.field = self._fresh()
        self._step, self._part = self._range[0], 0.0
        self._touched: Dirty = np.zeros(history.grid.tiles, dtype=np.uint8)

    def _fresh(self) -> Field:
        field = self._history.uncut.copy()
        field.h.setflags(write=True)
        field.owner.setflags(write=True)
        return field

    def go(self, move: int, share: float) -> Dirty:
        """Put the stock to ``share`` of ``move``. Returns the tiles that changed."""
        step, part = self._history.path.step_at(move, share)
        low, high = self._range
        if step < low:
            step, part = low, 0.0
        elif step >= high:
            step, part = high, 0.0
        changed: Dirty = np.zeros_like(self._touched)
        if (step, part) < (self._step, self._part):
            changed |= self._touched
            self._touched[:] = 0
            self.field = self._fresh()
            self._step, self._part = low, 0.0
        dirty: Dirty = np.zeros_like(self._touched)
        path = self._history.path
        if step > self._step or part > 0.0:
            replay(self.field, path, self._history.outline, self._step, step, part, dirty)
        self._touched |= dirty
        self._step, self._part = step, part
        return changed | dirty
