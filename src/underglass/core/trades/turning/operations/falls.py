"""A profile that drops again behind a shoulder: what the insert's back edge allows, and the hollows roughed one by one.

Glossary
    hollow   a stretch of the profile behind a shoulder that lies deeper than it: in a bar nearer to the axis, in a bore farther from it
    fall     how steep the way into a hollow is, against the axis, rad
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from underglass.core.compose.contour import Contour
from underglass.core.compose.fitting import few
from underglass.core.compose.operation import ShopEntries, need
from underglass.core.reckon.form import plain
from underglass.core.trades.turning.operations.common import LatheWriter

Floats = NDArray[np.float64]
_FLAT = 1e-6


def steepest_fall(contour: Contour, outside: bool) -> tuple[float, float]:
    """How steep a profile falls again at the most, rad, and the Z where; 0 where it never does."""
    sign = 1.0 if outside else -1.0
    most, where = 0.0, 0.0
    for seg in contour.segs:
        count = 32 if seg.turn else 1
        for k in range(count + 1):
            dz, dr = seg.direction(k / count)
            falls = math.atan2(-sign * dr, -dz) if sign * dr < -_FLAT else 0.0
            if falls > most + 1e-9:
                most, where = falls, seg.at(k / count)[0]
    return most, where


def check_falls(e: ShopEntries, contour: Contour, outside: bool) -> bool:
    """Whether a profile falls again. Raises ``CannotBe`` where it does so steeper than the insert's back edge lets it."""
    steep, where = steepest_fall(contour, outside)
    if steep <= _FLAT:
        return False
    may = e.number("fall")
    need(0.0 < may < 90.0, "a back edge leaves more than 0 and less than 90 degrees", "fall")
    deg = math.degrees(steep)
    need(
        deg <= may + 1e-6,
        f"the profile drops {plain(deg, 1)} degrees at Z{e.show(where)}, this insert can take {plain(may, 1)}",
        "profile",
    )
    return True


class Pass(NamedTuple):
    """One cut in a hollow: the places down its falling side, then along Z to where it has to stop; all of the tip, mm."""

    shoulder: int
    level: int
    down: list[tuple[float, float]]
    stop: float
    before: float
    """The radius down to which the cut before has cleared."""


def hollow_passes(z: Floats, r: Floats, sign: float, levels: list[float], stock: float, near: float) -> list[Pass]:
    """The cuts in the hollows of a way (its places in order, from the face on), hollow by hollow, from above downwards.

    ``sign`` is 1 outside and -1 in a bore; ``levels`` are the radii of the passes, the first one nearest to the stock's surface,
    which is at the radius ``stock``.
    """
    out: list[Pass] = []
    high = sign * r
    for k, level in enumerate(levels):
        free = high <= sign * level + _FLAT
        begins = np.flatnonzero(free[1:] & ~free[:-1]) + 1
        for first in begins.tolist():
            after = np.flatnonzero(~free[first:])
            last = first + (int(after[0]) if len(after) else len(free) - first) - 1
            if z[first] - z[last] <= 2.0 * near:
                continue
            before = levels[k - 1] if k else stock
            # Up the falling side to where the pass before has been, or to the shoulder.
            top = first
            while top > 0 and high[top - 1] >= high[top] and high[top] < sign * before:
                top -= 1
            shoulder = top
            while shoulder > 0 and high[shoulder - 1] >= high[shoulder]:
                shoulder -= 1
            keep = few(z[top : first + 1], r[top : first + 1], 0.005) if first > top else [0]
            down = [(float(z[top + i]), float(r[top + i])) for i in keep]
            down[-1] = (down[-1][0], level)
            out.append(Pass(shoulder, k, down, float(z[last]) + near, before))
    return sorted(out, key=lambda p: (p.shoulder, p.level))


def rough_hollows(w: LatheWriter, e: ShopEntries, passes: list[Pass], outside: bool, far: float) -> None:
    """Cut them; the tool comes from ``far`` (a radius clear of all that stands) and goes back there."""
    f, clear = e.positive("f", "The feed"), e.positive("clear", "The clearance")
    sign = 1.0 if outside else -1.0
    lift = min(0.5, 0.5 * clear)
    for one in passes:
        w.rapid(y=far)
        (z, r), *rest = one.down
        w.rapid(z)
        over = sign * max(sign * r, sign * one.before)
        w.rapid(y=over + sign * min(lift, abs(far - over)))
        for at in ((z, r), *rest):
            w.feed(*at, f=f)
        if one.stop < w.place[0] - 1e-6:
            w.feed(one.stop, f=f)
        w.feed(one.stop + lift, w.place[1] + sign * lift, f=f)
    if passes:
        w.rapid(y=far)
