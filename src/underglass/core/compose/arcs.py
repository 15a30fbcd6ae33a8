"""Many places in a row as few lines and arcs."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from underglass.core.compiled import kernel
from underglass.core.compose.contour import Seg

Floats = NDArray[np.float64]
_ROUNDEST = 500.0
"""An arc of a larger radius is a line or several, mm: a control reckons with the radius, not with its bend."""
_NONE, _LINE, _LEFT, _RIGHT = 0, 1, 2, 3


@kernel
def _through(p: Floats, first: int, last: int, near: float) -> tuple[int, float, float]:
    """What goes from one place to a later one by all between them, none of them farther off than ``near``; an arc with its middle."""
    ax, ay = p[first, 0], p[first, 1]
    dx, dy = p[last, 0] - ax, p[last, 1] - ay
    long = math.hypot(dx, dy)
    if long < 1e-9:
        return _NONE, 0.0, 0.0
    straight = True
    for k in range(first + 1, last):
        u, v = p[k, 0] - ax, p[k, 1] - ay
        along = (u * dx + v * dy) / long
        if abs(dx * v - dy * u) > near * long or along < 0.0 or along > long:
            straight = False
            break
    if straight:
        return _LINE, 0.0, 0.0
    mx, my = p[(first + last) // 2, 0] - ax, p[(first + last) // 2, 1] - ay
    d = 2.0 * (mx * dy - my * dx)
    if abs(d) < 1e-9:
        return _NONE, 0.0, 0.0
    mm, bb = mx * mx + my * my, long * long
    cx, cy = ax + (dy * mm - my * bb) / d, ay + (mx * bb - dx * mm) / d
    r = math.hypot(ax - cx, ay - cy)
    if r > _ROUNDEST:
        return _NONE, 0.0, 0.0
    turn = 1.0 if d > 0.0 else -1.0
    whole = 0.0
    for k in range(first, last):
        ux, uy, vx, vy = p[k, 0] - cx, p[k, 1] - cy, p[k + 1, 0] - cx, p[k + 1, 1] - cy
        if abs(math.hypot(vx, vy) - r) > near:
            return _NONE, 0.0, 0.0
        step = math.atan2(ux * vy - uy * vx, ux * vx + uy * vy) * turn
        whole += step
        # Back on its way, or a chord so long that it is a side between two corners.
        if step * r < -near or r * (1.0 - math.cos(step / 2.0)) > 2.0 * near:
            return _NONE, 0.0, 0.0
    if whole > 1.9 * math.pi:
        return _NONE, 0.0, 0.0
    return (_LEFT if turn > 0.0 else _RIGHT), cx, cy


def arcs_through(places: Floats, near: float) -> tuple[Seg, ...]:
    """Places in a row, (n, 2) mm, as few lines and arcs, none of the places farther from them than ``near``, mm."""
    p = np.ascontiguousarray(places)
    out: list[Seg] = []
    k, last = 0, len(p) - 1
    while k < last:
        # Twice as far each time, then by halves back to the last that fits.
        good, found, fails, step = k + 1, (_LINE, 0.0, 0.0), last + 1, 2
        while good < last and fails - good > 1:
            n = min(good + step, last, fails - 1)
            tried = _through(p, k, n, near)
            if tried[0] == _NONE:
                fails = n
            else:
                good, found = n, tried
            step = step * 2 if fails > last else max(1, (fails - good) // 2)
        kind, cx, cy = found
        turn = 1 if kind == _LEFT else -1 if kind == _RIGHT else 0
        (x0, y0), (x1, y1) = p[k].tolist(), p[good].tolist()
        out.append(Seg(x0, y0, x1, y1, turn, float(cx), float(cy)))
        k = good
    return tuple(s for s in out if s.length > 1e-6)
