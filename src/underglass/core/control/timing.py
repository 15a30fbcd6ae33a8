"""How long each move takes: speed-up and slow-down within the machine's rates, and how fast corners are taken.

Every move is a trapezoid of speed over the way. Between feed moves the machine keeps as much speed as the corner
allows: the speed at which an arc that leaves the corner by ``CORNER_MM`` needs just the acceleration there is,
v^2 = a d s / (1 - s) with s the sine of half the angle between the two ways (common practice, no source).
Rapids start and end at rest.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from underglass.core.bench.machine import Machine
from underglass.core.compiled import kernel
from underglass.core.control.motions import Motions
from underglass.core.frozen import freeze

Floats = NDArray[np.float64]

CORNER_MM = 0.01
"""How far from a corner the machine may round it to keep its speed; a drive's usual following error."""

_INSTANT_S = 1e-9
"""Two moments nearer than this are one: sums of times carry rounding of that order."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Timing:
    """``start`` (n,) s from the start of the run; ``duration`` (n,) s; ``total`` s; ``events`` (m,) s, one an event."""

    start: Floats
    duration: Floats
    events: Floats
    total: float

    def locate(self, time_s: float) -> tuple[int, float]:
        """The move being made at a time, and the share of it that is done (0..1). ``(0, 0)`` where nothing moves.

        At the very moment between two moves it is the first of them, done: what is on show is what has been made.
        """
        if not len(self.start):
            return (0, 0.0)
        move = int(np.searchsorted(self.start, time_s - _INSTANT_S, side="left")) - 1
        if move < 0:
            return (0, 0.0)
        duration = float(self.duration[move])
        done = time_s - float(self.start[move])
        if done >= duration - _INSTANT_S:
            return (move, 1.0)
        return (move, max(done / duration, 0.0))

    def end_of(self, move: int) -> float:
        """The moment at which a move is finished, s."""
        return float(self.start[move] + self.duration[move])


def directions(motions: Motions) -> tuple[Floats, Floats]:
    """Unit vectors of the way at each move's start and end. ``(n, 3)`` twice."""
    step = motions.end - motions.start
    first, last = step, step.copy() if motions.bent else step
    if motions.bent:
        arc = motions.sweep != 0.0
        turn = motions.sweep[arc]
        u, v, w = (axis[arc] for axis in motions.arc_axes())
        rows = np.flatnonzero(arc)
        for out, at in ((first, motions.start), (last, motions.end)):
            out[rows, u] = -(at[rows, v] - motions.centre[rows, v]) * np.sign(turn)
            out[rows, v] = (at[rows, u] - motions.centre[rows, u]) * np.sign(turn)
            out[rows, w] = step[rows, w] / np.abs(turn)
    _unit(first)
    if not motions.bent:
        return first, first
    _unit(last)
    return first, last


@kernel
def _unit(out):  # type: ignore[no-untyped-def]
    """Make vectors (n, 3) of length 1, in place; those of no length stay."""
    for i in range(len(out)):
        size = np.sqrt(out[i, 0] * out[i, 0] + out[i, 1] * out[i, 1] + out[i, 2] * out[i, 2])
        if size > 0.0:
            for k in range(3):
                out[i, k] /= size


@kernel
def _along_axes(way, sweep, rate, accel, limit, gain):  # type: ignore[no-untyped-def]
    """What speed, mm/s, and acceleration, mm/s2, the axes allow along each way (n, 3); on arcs as if along each axis."""
    for i in range(len(way)):
        limit[i] = gain[i] = np.inf
        for k in range(3):
            share = 1.0 if sweep[i] != 0.0 else abs(way[i, k])
            if share <= 0.0:
                share = 1e-30
            limit[i] = min(limit[i], rate[k] / share)
            gain[i] = min(gain[i], accel[k] / share)


def time_motions(motions: Motions, machine: Machine, feed_override: float = 1.0, rapid_override: float = 1.0) -> Timing:
    """Time every move, with tool changes in between.

    The overrides, shares of 1, scale feeds and rapid rates; under M49 the feed's does not act (NISTIR 6556, from memory),
    and no override lifts a rate above the machine's own.
    """
    n = len(motions)
    length = motions.lengths()
    first, last = directions(motions)
    limit, gain = np.empty(n), np.empty(n)
    _along_axes(first, motions.sweep, np.array(machine.rapid) / 60.0, np.array(machine.acceleration), limit, gain)
    feed = np.minimum(np.nan_to_num(motions.feed), machine.feed_max) / 60.0
    # A feed move with no feed would never end on a machine; it is timed at the highest feed and is a finding.
    feed = np.where(feed > 0.0, feed, machine.feed_max / 60.0)
    rapid = motions.rapid()
    if feed_override != 1.0:
        acts = np.array([s.overrides for s in motions.in_force] or [True])[motions.state]
        feed = np.where(acts, np.minimum(feed * feed_override, machine.feed_max / 60.0), feed)
    speed = np.minimum(np.where(rapid, limit * rapid_override, feed), limit)
    radius = motions.radius()
    bent = motions.sweep != 0.0
    speed = np.where(bent, np.minimum(speed, np.sqrt(gain * np.where(bent, radius, 1.0))), speed)
    halts = np.zeros(n + 1, dtype=np.bool_)
    for event in motions.events:
        halts[event.before] = True
    exact = np.array([s.exact for s in motions.in_force] or [False])[motions.state]
    halts[1:] |= exact | (motions.dwell > 0.0)
    halts[:n] |= motions.dwell > 0.0
    duration = _trapezoids(length, speed, gain, first, last, rapid, halts) + motions.dwell
    pause = np.zeros(n + 1)
    for event in motions.events:
        if event.kind == "tool-change":
            pause[event.before] += machine.tool_change_s
    ends = np.cumsum(duration + pause[:n]) if n else np.empty(0)
    start = ends - duration
    total = float(ends[-1] if n else 0.0) + float(pause[n])
    before = np.array([e.before for e in motions.events], dtype=np.int64)
    done = np.concatenate([[0.0], ends])
    return freeze(
        Timing(start=start, duration=duration, events=done[before] if len(before) else np.empty(0), total=total)
    )


@kernel
def _trapezoids(length, speed, gain, first, last, rapid, halts):  # type: ignore[no-untyped-def]
    """Durations (n,) s of moves of ``length`` mm at up to ``speed`` mm/s with ``gain`` mm/s2."""
    n = len(length)
    corner = np.zeros(n + 1)
    for i in range(1, n):
        if halts[i] or rapid[i] or rapid[i - 1]:
            continue
        dot = 0.0
        for k in range(3):
            dot += last[i - 1, k] * first[i, k]
        top = min(speed[i - 1], speed[i])
        # s = sine of half the angle between the way back and the way on: 1 straight on, 0 straight back.
        s = np.sqrt(max(0.0, 0.5 * (1.0 + dot)))
        if s > 0.99999:
            corner[i] = top
        else:
            corner[i] = min(top, np.sqrt(min(gain[i - 1], gain[i]) * CORNER_MM * s / (1.0 - s)))
    for i in range(n):
        corner[i + 1] = min(corner[i + 1], np.sqrt(corner[i] ** 2 + 2.0 * gain[i] * length[i]))
    for i in range(n - 1, -1, -1):
        corner[i] = min(corner[i], np.sqrt(corner[i + 1] ** 2 + 2.0 * gain[i] * length[i]))
    out = np.zeros(n)
    for i in range(n):
        a, v0, v1, v = gain[i], corner[i], corner[i + 1], speed[i]
        if length[i] <= 0.0:
            continue
        peak = min(v, np.sqrt(a * length[i] + 0.5 * (v0 * v0 + v1 * v1)))
        ramps = (2.0 * peak * peak - v0 * v0 - v1 * v1) / (2.0 * a)
        out[i] = (2.0 * peak - v0 - v1) / a + max(0.0, length[i] - ramps) / peak
    return out
