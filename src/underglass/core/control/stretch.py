"""What the control did from the word that puts radius compensation on to the one that ends it.

Glossary
    element   a programmed move in the plane, straight or an arc
    entry     the first element: onto the contour
    contour   of the elements after it, those that come back to where they began; of an open one all but arcs at its ends
    lead      elements before and after the contour, as arcs onto it and off it
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from underglass.core.control.state import Vector
from underglass.core.tolerances import TOLERANCES

LEADS = 3
"""More elements than this nobody uses to come onto a contour or off it."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Stretch:
    """A row an element, for judging what compensation leaves and for the picture.

    ``side`` +1 the cutter left of its way, -1 right; ``radius`` what the control reckons with, mm; ``shift`` what to take
    from machine coordinates to get work coordinates. ``line``, ``entry`` (whether it is one), ``rapid`` and the moves
    ``first`` to ``last`` (exclusive) that an element made, ``(n,)``; ``start``, ``end``, ``centre`` (n, 2) and ``height``
    (n, 2) at its start and end in the plane's axes, machine, mm; ``sweep`` (n,) rad. ``end_move`` is the first move made
    without compensation.
    """

    side: float
    radius: float
    plane: int
    tool: int
    switched_on_line: int
    shift: Vector
    line: NDArray[np.int64]
    entry: NDArray[np.bool_]
    rapid: NDArray[np.bool_]
    first: NDArray[np.int64]
    last: NDArray[np.int64]
    start: NDArray[np.float64]
    end: NDArray[np.float64]
    centre: NDArray[np.float64]
    height: NDArray[np.float64]
    sweep: NDArray[np.float64]
    end_move: int

    def __len__(self) -> int:
        return len(self.line)

    def moved(self, lines: int, moves: int, switched_on_line: int) -> Stretch:
        """The same stretch in a program whose lines and moves before it are more or fewer by so many."""
        return replace(
            self,
            line=self.line + lines,
            first=self.first + moves,
            last=self.last + moves,
            end_move=self.end_move + moves,
            switched_on_line=switched_on_line,
        )

    def contour(self, rows: Sequence[int]) -> tuple[int, int, bool]:
        """Which of these rows, none an entry, are the contour (first, last + 1), and whether it is closed.

        Closed is what ends where it began, or has run a little past it: on its first element, but not at that one's end.
        """
        n = len(rows)
        for i in range(min(n, LEADS)):
            begin = self.start[rows[i]]
            for j in range(n - 1, max(i - 1, n - 1 - LEADS), -1):
                end = self.end[rows[j]]
                whole_turn = i == j and abs(float(self.sweep[rows[i]])) > math.tau - 1e-6
                if whole_turn or (j > i and math.dist(begin, end) <= TOLERANCES.chord_mm):
                    return i, j + 1, True
                past = math.dist(end, self.end[rows[i]]) > TOLERANCES.chord_mm
                if j > i + 1 and past and self._on(rows[i], end):
                    return i, j + 1, True
        first, last = 0, n
        if n > 1 and self.sweep[rows[0]] != 0.0:
            first = 1
        if last - first > 1 and self.sweep[rows[-1]] != 0.0:
            last -= 1
        return first, last, False

    def _on(self, row: int, place: NDArray[np.float64]) -> bool:
        """Whether a place lies on an element."""
        a, b, turn = self.start[row], self.end[row], float(self.sweep[row])
        if turn == 0.0:
            way, off = b - a, place - a
            size = float(np.hypot(*way))
            across = abs(float(off[0] * way[1] - off[1] * way[0])) / max(size, 1e-12)
            return across <= TOLERANCES.chord_mm and 0.0 <= float(off @ way) <= size * size
        from_a, from_place = a - self.centre[row], place - self.centre[row]
        if abs(float(np.hypot(*from_a) - np.hypot(*from_place))) > TOLERANCES.chord_mm:
            return False
        angle = math.atan2(from_place[1], from_place[0]) - math.atan2(from_a[1], from_a[0])
        return (angle if turn > 0.0 else -angle) % math.tau <= abs(turn)

    @property
    def _rows(self) -> tuple[list[int], bool]:
        """The contour's rows, and whether it is closed."""
        rows = np.flatnonzero(~self.entry).tolist()
        first, last, closed = self.contour(rows)
        return rows[first:last], closed

    @property
    def closed(self) -> bool:
        """Whether the contour comes back to where it began, or runs a little past it."""
        return self._rows[1]

    @property
    def where(self) -> str:
        """``inside`` or ``outside``: on which side of its closed contour the cutter runs; empty for an open one."""
        rows, closed = self._rows
        if not closed:
            return ""
        # Counted from where it began: the little that it runs past that would weigh as much as it lies far from the zero.
        began = self.start[rows][0]
        a, b = self.start[rows] - began, self.end[rows] - began
        area = float(np.sum(a[:, 0] * b[:, 1] - b[:, 0] * a[:, 1])) / 2.0
        # The segment between an arc and its chord: r^2 (angle - sin angle) / 2, with the arc's sign.
        turn = self.sweep[rows]
        r = np.where(turn != 0.0, np.hypot(*(self.start[rows] - np.nan_to_num(self.centre[rows])).T), 0.0)
        area += float(np.sum(r * r * (turn - np.sin(turn)))) / 2.0
        return "inside" if (area > 0.0) == (self.side > 0.0) else "outside"
