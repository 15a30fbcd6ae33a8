"""Which moves each line makes, in the stretch in which it is run first."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from underglass.core.compiled import kernel


@dataclass(frozen=True, slots=True)
class LineMoves:
    """``line`` (k,) rising, from 1; ``first`` and ``last`` (k,) its moves."""

    line: NDArray[np.int32]
    first: NDArray[np.int64]
    last: NDArray[np.int64]

    def of(self, line: int) -> tuple[int, int] | None:
        """First and last move of a line, or None."""
        at = int(np.searchsorted(self.line, line))
        if at >= len(self.line) or self.line[at] != line:
            return None
        return int(self.first[at]), int(self.last[at])


@kernel
def _stretches(line, first):  # type: ignore[no-untyped-def]
    """Where each stretch of one line begins, into ``first``: (how many, whether the lines rise)."""
    count, rises = 1, True
    first[0] = 0
    for i in range(1, len(line)):
        if line[i] != line[i - 1]:
            first[count] = i
            count += 1
            rises &= line[i] > line[i - 1]
    return count, rises


def line_moves(line: NDArray[np.int32]) -> LineMoves:
    """From each move's line, ``(n,)``."""
    if not len(line):
        nothing = np.empty(0, dtype=np.int64)
        return LineMoves(nothing.astype(np.int32), nothing, nothing)
    first = np.empty(len(line), dtype=np.int64)
    count, rises = _stretches(line, first)
    first = first[:count].copy()
    last = np.append(first[1:] - 1, len(line) - 1)
    lines = line[first]
    if not rises:
        lines, at = np.unique(lines, return_index=True)
        first, last = first[at], last[at]
    for column in (lines, first, last):
        column.setflags(write=False)
    return LineMoves(lines, first, last)
