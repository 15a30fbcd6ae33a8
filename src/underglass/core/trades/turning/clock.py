"""Time on a lathe: the speed that the diameter gives, within its limits, and a feed that follows it.

Under G96 the speed is n = 1000 v / (pi d), not above the limit; a feed by the turn then takes the time of the integral of
ds / (f n(s)) along the way.
"""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from underglass.core.bench.machine import Machine
from underglass.core.control.motions import Motions
from underglass.core.control.timing import Timing, time_motions

Floats = NDArray[np.float64]

_SAMPLES = 33


def _figures(motions: Motions, machine: Machine) -> tuple[Floats, Floats, Floats, Floats]:
    """By move: surface speed (m/min, 0: none), fixed speed (rpm), the highest speed (rpm), and whether the feed is by the turn."""
    rows = []
    for s in motions.in_force:
        on = s.station
        surface = on is not None and on.surface
        most = min(on.limit or machine.spindle_max, machine.spindle_max) if on is not None else machine.spindle_max
        turning = s.spindle != "off"
        lead = on is not None and on.lead > 0.0
        rows.append((
            s.speed if surface and turning else 0.0, 0.0 if surface or not turning else min(s.speed, machine.spindle_max),
            most, float(s.feed_mode == "G95" or lead),
        ))  # fmt: skip
    table = np.array(rows or [(0.0, 0.0, 1.0, 0.0)])[motions.state]
    return table[:, 0], table[:, 1], table[:, 2], table[:, 3]


def speeds(motions: Motions, machine: Machine) -> Floats:
    """The spindle's speed as each move begins, rpm ``(n,)``; 0 where it stands."""
    surface, fixed, most, _turn = _figures(motions, machine)
    radius = np.abs(motions.start[:, 0] - motions.shifts()[:, 0])
    return np.where(surface > 0.0, np.minimum(1000.0 * surface / (math.tau * np.maximum(radius, 1e-9)), most), fixed)


def speed_at(motions: Motions, machine: Machine, move: int, x: float) -> float:
    """The spindle's speed with the machine's X at a place of a move, rpm."""
    state = motions.state_of(move)
    if state.spindle == "off":
        return 0.0
    on = state.station
    if on is None or not on.surface:
        return min(state.speed, machine.spindle_max)
    most = min(on.limit or machine.spindle_max, machine.spindle_max)
    return min(1000.0 * state.speed / (math.tau * max(abs(x - state.shift[0]), 1e-9)), most)


def time_turning(
    motions: Motions,
    machine: Machine,
    feed_override: float = 1.0,
    rapid_override: float = 1.0,
    earlier: tuple[Timing, int] | None = None,
) -> Timing:
    """As of any machine, with feeds by the turn taken as the mean that their integral gives."""
    surface, _fixed, most, per_turn = _figures(motions, machine)
    follows = np.flatnonzero((surface > 0.0) & (per_turn > 0.0) & ~motions.rapid() & (motions.dwell == 0.0))
    if len(follows):
        share = np.linspace(0.0, 1.0, _SAMPLES)
        weights = np.ones(_SAMPLES)
        weights[1:-1:2], weights[2:-1:2] = 4.0, 2.0
        weights /= weights.sum()
        shift = motions.shifts()[follows, 0]
        x0, x1 = motions.start[follows, 0] - shift, motions.end[follows, 0] - shift
        feed = motions.feed.copy()
        begin = np.minimum(1000.0 * surface[follows] / (math.tau * np.maximum(np.abs(x0), 1e-9)), most[follows])
        straight = motions.sweep[follows] == 0.0
        mean = np.empty(len(follows))
        mean[straight] = mean_time(x0[straight], x1[straight], surface[follows][straight], most[follows][straight])
        for k in np.flatnonzero(~straight).tolist():
            x = np.array([motions.at(int(follows[k]), s)[0] for s in share]) - shift[k]
            turns = np.minimum(
                1000.0 * surface[follows[k]] / (math.tau * np.maximum(np.abs(x), 1e-9)), most[follows[k]]
            )
            mean[k] = float((weights / turns).sum())
        # feed = f n at the start; what it comes to on the whole way is f over the mean of 1 / n.
        feed[follows] = feed[follows] / begin / mean
        motions = replace(motions, feed=feed, _kept={}, earlier=None)
    return time_motions(motions, machine, feed_override, rapid_override, earlier)


def mean_time(x0: Floats, x1: Floats, surface: Floats, most: Floats) -> Floats:
    """The mean of 1 / n along straight ways from one radius to another: n = min(c / |x|, most), c = 1000 v / (2 pi).

    With y = |x| / c it is the mean of max(y, 1 / most): closed by its integral, F(y) = y^2 / 2 above 1 / most and linear below.
    """
    c = 1000.0 * surface / math.tau
    low = 1.0 / most

    def whole(y: Floats) -> Floats:
        """The integral from 0 to y, odd in y."""
        a = np.abs(y)
        out: Floats = np.sign(y) * np.where(a <= low, a * low, low * low + 0.5 * (a * a - low * low))
        return out

    y0, y1 = x0 / c, x1 / c
    same = np.abs(y1 - y0) < 1e-15
    out: Floats = np.where(
        same, np.maximum(np.abs(y0), low), (whole(y1) - whole(y0)) / np.where(same, 1.0, y1 - y0)
    )  # fmt: skip
    return out
