"""Where a probe's tip first touches what lies on the bench.

The tip is a ball of the probe's diameter (a point for any other tool). It is held against stock and fixtures as they
were put on the table: what the program has cut away by then is not asked.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from underglass.core.bench.bench import Bench
from underglass.core.bench.solid import Solid
from underglass.core.control.state import Vector

_STEPS = 60
"""Halvings of a way: a metre comes down to less than a nanometre in 30."""

Floats = NDArray[np.float64]


def first_touch(bench: Bench, start: Vector, end: Vector, called: int) -> float | None:
    """The share of a move (gauge line, machine coordinates) at which the tip first touches; None where it never does."""
    tool = bench.really_in_spindle(called)
    length, radius = (tool.length, tool.radius if tool.kind == "probe" else 0.0) if tool is not None else (0.0, 0.0)
    # The centre of the ball stands a radius above the tip.
    lift = np.array([0.0, 0.0, radius - length])
    a, b = np.array(start) + lift, np.array(end) + lift
    found = [_touch(solid, a, b, radius) for solid in (*bench.stocks, *(f.solid for f in bench.fixtures))]
    return min((share for share in found if share is not None), default=None)


def _gap(solid: Solid, point: Floats) -> float:
    """Distance of a point from a solid, mm; 0 inside. A convex function of the point, as both shapes are convex."""
    local = solid.frame.into(point[None, :])[0]
    size = np.array(solid.extent)
    if solid.shape == "cylinder":
        r = size[0] / 2.0
        across = max(float(np.hypot(local[0] - r, local[1] - r)) - r, 0.0)
        return float(np.hypot(across, max(-local[2], local[2] - size[2], 0.0)))
    return float(np.linalg.norm(np.maximum(np.maximum(-local, local - size), 0.0)))


def _touch(solid: Solid, a: Floats, b: Floats, radius: float) -> float | None:
    """First share of the way from ``a`` to ``b`` at which the gap is ``radius``: it is convex along the way."""

    def gap(share: float) -> float:
        return _gap(solid, a + (b - a) * share)

    if gap(0.0) <= radius:
        return 0.0
    low, high = 0.0, 1.0
    for _ in range(_STEPS):
        one, two = low + (high - low) / 3.0, high - (high - low) / 3.0
        low, high = (low, two) if gap(one) <= gap(two) else (one, high)
    nearest = high if gap(high) <= gap(low) else low
    if gap(nearest) > radius + 1e-9:
        return None
    low, high = 0.0, nearest
    for _ in range(_STEPS):
        middle = (low + high) / 2.0
        low, high = (low, middle) if gap(middle) <= radius else (middle, high)
    return high
