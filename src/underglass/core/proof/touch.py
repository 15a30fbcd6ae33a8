"""Where a probe's tip first touches what lies on the bench.

The tip is a ball of the probe's diameter (a point for any other tool). It is held against stock and fixtures as they
were put on the table: what the program has cut away by then is not asked. Boxes and cylinders exactly, meshes as heights.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from underglass.core.bench.bench import Bench
from underglass.core.bench.solid import Solid
from underglass.core.control.state import Vector
from underglass.core.frozen import freeze
from underglass.core.removal.contact import gap_at, nearest
from underglass.core.removal.field import default_cell, make_field
from underglass.core.removal.touch import touch_move

_HALVINGS = 50
"""A metre comes down to less than a nanometre in 30."""

_ROUNDING_MM = 1e-9

Floats = NDArray[np.float64]
_NO_CENTRE: Floats = freeze(np.array([math.nan, math.nan]))


def first_touch(bench: Bench, start: Vector, end: Vector, called: int) -> float | None:
    """The share of a move (gauge line, machine coordinates) at which the tip first touches; None where it never does."""
    tool = bench.really_in_spindle(called)
    length, radius = (tool.length, tool.radius if tool.kind == "probe" else 0.0) if tool is not None else (0.0, 0.0)
    tip = np.array([start, end]) - (0.0, 0.0, length)
    found = []
    for solid in (*bench.stocks, *(f.solid for f in bench.fixtures)):
        a, b = solid.frame.into(tip)
        found.append(_seen(solid, a, b, radius) if solid.mesh is not None else _exact(solid, a, b, radius))
    return min((share for share in found if share is not None), default=None)


def _exact(solid: Solid, a: Floats, b: Floats, radius: float) -> float | None:
    """A box or a cylinder: the gap of the ball's middle is convex along the way, so before the least it only falls."""
    lift = np.array([0.0, 0.0, radius])
    shape = (np.array(solid.extent), solid.shape == "cylinder", 0.0, 0.0, 0.0)
    if gap_at(a + lift, b + lift, 0.0, *shape) <= radius:
        return 0.0
    gap, high = nearest(a + lift, b + lift, *shape)
    if gap > radius + _ROUNDING_MM:
        return None
    low = 0.0
    for _ in range(_HALVINGS):
        middle = (low + high) / 2.0
        low, high = (low, middle) if gap_at(a + lift, b + lift, middle, *shape) <= radius else (middle, high)
    return float(high)


def _seen(solid: Solid, a: Floats, b: Floats, radius: float) -> float | None:
    """A mesh, as it is seen from above: the ball's lower half against its heights."""
    field = make_field(solid, default_cell(solid))
    reach = max(radius, field.grid.cell / 2.0)
    out = np.zeros(5)
    touched = touch_move(field.h, field.grid.cell, a, b, _NO_CENTRE, 0.0, reach, 0.0, radius, 0.0, 0.0, out, 0, 1)
    return float(out[1]) if touched > 0.0 else None
