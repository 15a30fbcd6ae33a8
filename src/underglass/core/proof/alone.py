"""One stretch of a run by itself: on fresh stock, or with everything before it already cut."""

from __future__ import annotations

from underglass.core.proof.proof import Proof, Segment
from underglass.core.removal.field import Field
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
