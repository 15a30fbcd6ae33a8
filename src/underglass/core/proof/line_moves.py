"""Which moves each line makes, in the stretch in which it is run first."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


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


def line_moves(line: NDArray[np.int32]) -> LineMoves:
    """From each move's line, ``(n,)``."""
    if not len(line):
        nothing = np.empty(0, dtype=np.int64)
        return LineMoves(nothing.astype(np.int32), nothing, nothing)
    change = np.flatnonzero(np.diff(line)) + 1
    first = np.concatenate([[0], change])
    last = np.concatenate([change - 1, [len(line) - 1]])
    lines = line[first]
    if (np.diff(lines) <= 0).any():
        lines, at = np.unique(lines, return_index=True)
        first, last = first[at], last[at]
    for column in (lines, first, last):
        column.setflags(write=False)
    return LineMoves(lines, first, last)
