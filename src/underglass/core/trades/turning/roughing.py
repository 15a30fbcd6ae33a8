"""How roughing takes the metal off a contour: along Z, along X, or along its own shape. X as a radius, machine coordinates, mm."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from underglass.core.control import moving
from underglass.core.control.block_words import BlockWords
from underglass.core.control.desk import Desk
from underglass.core.control.motions import Kind
from underglass.core.language.block import Block
from underglass.core.trades.turning.contour import Contour, along
from underglass.core.trades.turning.inputs import Told

Floats = NDArray[np.float64]
Way = Callable[[Desk, BlockWords, Contour, Told], None]


def _go(c: Desk, block: Block, x: float, z: float, *, fast: bool) -> None:
    end = (x, c.at[1], z)
    if fast:
        moving.go(c, Kind.CYCLE_RAPID, block, end, math.nan)
    else:
        moving.go(c, Kind.CYCLE_FEED, block, end, c.feed_of(math.dist(c.at, end)))


def _shifted(contour: Contour, told: Told) -> Floats:
    """The contour with what is left for the finish: positive leaves stock outside and on the +Z side."""
    out: Floats = along(contour) + np.array([told.get("leave_x", 0.0), told.get("leave_z", 0.0)])
    return out


def _first_meeting(way: Floats, axis: int, level: float, start: float, sign: float) -> float | None:
    """Where a straight cut at a level (of ``axis``) from ``start`` first meets the contour, along the other axis."""
    other = 1 - axis
    a, b = way[:-1], way[1:]
    low, high = np.minimum(a[:, axis], b[:, axis]), np.maximum(a[:, axis], b[:, axis])
    hits = np.flatnonzero((low <= level + 1e-9) & (high >= level - 1e-9))
    best: float | None = None
    for k in hits.tolist():
        span = b[k, axis] - a[k, axis]
        share = (level - a[k, axis]) / span if abs(span) > 1e-12 else 0.0
        places = (
            [a[k, other] + share * (b[k, other] - a[k, other])] if abs(span) > 1e-12 else [a[k, other], b[k, other]]
        )
        for place in places:
            if (place - start) * sign >= -1e-9 and (best is None or (place - best) * sign < 0.0):
                best = float(place)
    return best


def _levels(begin: float, end: float, step: float) -> list[float]:
    """From ``begin`` towards ``end`` in equal steps, the last one smaller; ``begin`` is not among them."""
    count = max(0, math.ceil(abs(end - begin) / step - 1e-6)) if step > 0.0 else 0
    return [begin + math.copysign(min(k * step, abs(end - begin)), end - begin) for k in range(1, count + 1)]


def _rough(c: Desk, b: BlockWords, contour: Contour, told: Told, axis: int) -> None:
    """In steps along ``axis`` (0: X, 1: Z), each cut along the other one up to the contour."""
    block, start = b.block, np.array([c.at[0], c.at[2]])
    way = _shifted(contour, told)
    other = 1 - axis
    step, lift = abs(told.get("pass", 0.0)), abs(told.get("lift", c.profile.pecks.lift))
    if step <= 0.0:
        c.find_span(
            "cycle-incomplete", b, b.g_word("motion"), f"{c.modal.motion} has no depth for a pass", "give the depth of a pass"
        )  # fmt: skip
        return
    target = float(way[0, axis])
    into = math.copysign(1.0, target - start[axis])
    along_sign = math.copysign(1.0, float(way[-1, other]) - start[other])
    for level in _levels(float(start[axis]), target, step):
        if not c.work(block):
            return
        met = _first_meeting(way, axis, level, float(start[other]), along_sign)
        if met is None:
            met = float(way[-1, other])
        if (met - start[other]) * along_sign <= 1e-9:
            continue
        place = [0.0, 0.0]
        place[axis], place[other] = level, float(start[other])
        _go(c, block, place[0], place[1], fast=True)
        place[other] = met
        _go(c, block, place[0], place[1], fast=False)
        place[axis], place[other] = level - into * lift, met - along_sign * lift
        if (place[other] - start[other]) * along_sign > 0.0:
            _go(c, block, place[0], place[1], fast=False)
        else:
            place[other] = met
            _go(c, block, place[0], place[1], fast=False)
        place[other] = float(start[other])
        _go(c, block, place[0], place[1], fast=True)
    _last_pass(c, block, way, start, axis)


def _last_pass(c: Desk, block: Block, way: Floats, start: Floats, axis: int) -> None:
    """Along the shifted contour, and back to where the cycle began."""
    first = [float(way[0, 0]), float(way[0, 1])]
    lead = [first[0], first[1]]
    lead[1 - axis] = float(start[1 - axis])
    _go(c, block, lead[0], lead[1], fast=True)
    for x, z in way.tolist():
        _go(c, block, x, z, fast=False)
    back = [float(way[-1, 0]), float(way[-1, 1])]
    back[axis] = float(start[axis])
    _go(c, block, back[0], back[1], fast=True)
    _go(c, block, float(start[0]), float(start[1]), fast=True)


def along_z(c: Desk, b: BlockWords, contour: Contour, told: Told) -> None:
    _rough(c, b, contour, told, 0)


def along_x(c: Desk, b: BlockWords, contour: Contour, told: Told) -> None:
    _rough(c, b, contour, told, 1)


def by_shape(c: Desk, b: BlockWords, contour: Contour, told: Told) -> None:
    """Copies of the contour, each a share of the total nearer."""
    block, start = b.block, np.array([c.at[0], c.at[2]])
    times = int(max(told.get("times", 1.0), 1.0))
    total = np.array([told.get("total_x", 0.0), told.get("total_z", 0.0)])
    base = _shifted(contour, told)
    for k in range(min(times, c.profile.limits.pecks)):
        if not c.work(block):
            return
        share = 1.0 - k / (times - 1) if times > 1 else 0.0
        way = base + total * share
        _go(c, block, float(way[0, 0]), float(way[0, 1]), fast=True)
        for x, z in way.tolist():
            _go(c, block, x, z, fast=False)
        _go(c, block, float(start[0]), float(way[-1, 1]), fast=True)
        _go(c, block, float(start[0]), float(start[1]), fast=True)
