"""Which of the hits that meet one have to be looked at with it: of a row of equal ones, the nearest."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from underglass.core.compiled import kernel

Floats = NDArray[np.float64]
_IN_LINE = 1e-7


@kernel
def _nearest_of_rows(
    pairs: NDArray[np.int64], kinds: NDArray[np.int64], places: Floats, keep: NDArray[np.bool_]
) -> None:
    first = 0
    while first < len(pairs):
        later = pairs[first, 1]
        last = first + 1
        while last < len(pairs) and pairs[last, 1] == later:
            last += 1
        kind = kinds[later]
        for k in range(first, last if kind >= 0 else first):
            if kinds[pairs[k, 0]] != kind:
                continue
            x, y = places[pairs[k, 0], 0] - places[later, 0], places[pairs[k, 0], 1] - places[later, 1]
            size = x * x + y * y
            for j in range(first, last):
                if kinds[pairs[j, 0]] != kind:
                    continue
                u, v = places[pairs[j, 0], 0] - places[later, 0], places[pairs[j, 0], 1] - places[later, 1]
                if 0.0 < u * u + v * v < size and abs(x * v - y * u) <= _IN_LINE * size and x * u + y * v > 0.0:
                    keep[k] = False
                    break
        first = last


def needed(pairs: NDArray[np.int64], kinds: NDArray[np.int64], places: Floats) -> NDArray[np.int64]:
    """The pairs (earlier, later; in the order of the later ones) without those that another one stands for.

    Of three equal convex shapes in a line the outer two have nothing in common that the one between them has not: with c = (1-t) a + t b
    a place a + u = b + v is c + (1-t) u + t v. So a hit of a row is asked for its nearest neighbour alone.
    """
    keep = np.ones(len(pairs), dtype=np.bool_)
    _nearest_of_rows(np.ascontiguousarray(pairs), kinds, np.ascontiguousarray(places), keep)
    return pairs[keep]
