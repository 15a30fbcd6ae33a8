"""How the parts of a tool pass a solid that is not cut: every touch, and the nearest place of each part, over a whole path.

Kept so that a path that goes on as an earlier one did is looked at from there only.

Glossary
    mark   a move at which what is nearest by then is kept
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from underglass.core.removal.toolpath import TipPath

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

SLAB = 2048
"""Moves that are looked at together: a millisecond or so, and some MB of memory."""

Look = Callable[[int, int], tuple[TipPath, Floats]]
"""(first move, last move, exclusive) to their own path and ``(steps, parts, 4)``: touched 0/1, share, depth, gap."""


class Touch(NamedTuple):
    """A part of a tool (by its row) in the solid at a share of a move. ``depth`` mm."""

    move: int
    row: int
    part: int
    share: float
    depth: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Approaches:
    """``touches`` in order. ``gap`` (tools, parts) mm and ``move`` (tools, parts) of what is nearest in the end.

    ``marks`` are moves, ``at_marks`` what was nearest by then, as (gap, move).
    """

    touches: tuple[Touch, ...]
    gap: Floats
    move: Ints
    marks: tuple[int, ...]
    at_marks: tuple[tuple[Floats, Ints], ...]


def pass_by(
    moves: int, shape: tuple[int, int], far: float, look: Look, check: Callable[[], None],
    earlier: Approaches | None = None, since: int = 0,
) -> Approaches:  # fmt: skip
    """Look at a whole run of ``moves``. ``shape`` (tools, parts); gaps of ``far`` mm and more are nobody's worry.

    ``earlier`` passed the same solid with the same moves up to ``since``. ``check`` is asked between slabs.
    """
    gap, nearest_move = np.full(shape, far), np.zeros(shape, dtype=np.int64)
    touches: list[Touch] = []
    marks: list[int] = []
    kept: list[tuple[Floats, Ints]] = []
    at = 0
    if earlier is not None and earlier.gap.shape == shape:
        k = bisect_right(earlier.marks, since) - 1
        if k >= 0:
            at, (gap, nearest_move) = earlier.marks[k], earlier.at_marks[k]
            if since > at and (earlier.move < since).all():
                # What came nearest in the whole run had come by then.
                at, gap, nearest_move, k = since, earlier.gap, earlier.move, k + 1
            gap, nearest_move = gap.copy(), nearest_move.copy()
            touches = [t for t in earlier.touches if t.move < at]
            marks, kept = list(earlier.marks[:k]), list(earlier.at_marks[:k])
    while at < moves:
        check()
        if not marks or at - marks[-1] >= SLAB:
            marks.append(at)
            kept.append((gap.copy(), nearest_move.copy()))
        last = min(at + SLAB, moves)
        path, seen = look(at, last)
        for step, part in np.argwhere(seen[:, :, 0] > 0.0).tolist():
            move, share = path.share_of(step, float(seen[step, part, 1]))
            touches.append(Touch(at + move, int(path.row[step]), part, share, float(seen[step, part, 2])))
        for row in np.unique(path.row[path.row >= 0]).tolist():
            mine = np.flatnonzero(path.row == row)
            gaps = seen[mine, :, 3]
            nearest = gaps.argmin(axis=0)
            for part in np.flatnonzero(gaps.min(axis=0) < gap[row]).tolist():
                gap[row, part] = gaps[nearest[part], part]
                nearest_move[row, part] = at + int(path.move[mine[nearest[part]]])
        at = last
    for column in (gap, nearest_move, *(c for pair in kept for c in pair)):
        column.setflags(write=False)
    return Approaches(touches=tuple(touches), gap=gap, move=nearest_move, marks=tuple(marks), at_marks=tuple(kept))
