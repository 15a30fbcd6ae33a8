"""How long each move takes: speed-up and slow-down within the machine's rates, and how fast corners are taken.

Every move is a trapezoid of speed over the way. Between feed moves the machine keeps as much speed as the corner
allows: the speed at which an arc that leaves the corner by ``CORNER_MM`` needs just the acceleration there is,
v^2 = a d s / (1 - s) with s the sine of half the angle between the two ways (common practice, no source).
Rapids start and end at rest.
"""

from __future__ import annotations

from dataclasses import dataclass, field

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


_AHEAD = 256
"""Moves before an edit that are timed again: so far back a stop is seldom seen to come. Where it is, more are."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Speeds:
    """What a later timing of nearly the same moves can go on from. ``ends`` (n,) s from the start of the run.

    ``rising`` (n + 1,) mm/s: how fast each corner may be taken, for what comes before it; ``corner``, for what comes after it, too.
    """

    ends: Floats
    rising: Floats
    corner: Floats


@dataclass(frozen=True, slots=True, kw_only=True)
class Timing:
    """``start`` (n,) s from the start of the run; ``duration`` (n,) s; ``total`` s; ``events`` (m,) s, one an event."""

    start: Floats
    duration: Floats
    events: Floats
    total: float
    speeds: Speeds | None = field(default=None, compare=False, repr=False)

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


def time_motions(
    motions: Motions,
    machine: Machine,
    feed_override: float = 1.0,
    rapid_override: float = 1.0,
    earlier: tuple[Timing, int] | None = None,
) -> Timing:
    """Time every move, with tool changes in between.

    The overrides, shares of 1, scale feeds and rapid rates; under M49 the feed's does not act (NISTIR 6556, from memory),
    and no override lifts a rate above the machine's own. ``earlier``: another run's timing on the same machine, and how many moves
    at the beginning are the same in both; it is gone on from, to the same figures.
    """
    n = len(motions)
    was, same = earlier if earlier is not None else (None, 0)
    old = was.speeds if was is not None else None
    first = max(min(same, n) - _AHEAD, 0) if old is not None else 0
    while True:
        begin = float(old.rising[first]) if old is not None and first else 0.0
        made = _timed(motions, first, machine, feed_override, rapid_override, begin)
        if old is None or not first or made.corner[0] == old.corner[first]:
            break
        # The stop is seen from farther off.
        first = max(first - 8 * (min(same, n) - first), 0)
    duration, pause = made.ends, np.zeros(n + 1 - first)
    for event in motions.events:
        if event.kind == "tool-change" and event.before >= first:
            pause[event.before - first] += machine.tool_change_s
    if was is not None and old is not None and first:
        ends = np.cumsum(np.concatenate([old.ends[first - 1 : first], duration + pause[:-1]]))[1:]
        ends, duration = np.concatenate([old.ends[:first], ends]), np.concatenate([was.duration[:first], duration])
        rising, corner = (
            np.concatenate([one[:first], two]) for one, two in ((old.rising, made.rising), (old.corner, made.corner))
        )
    else:
        ends, rising, corner = np.cumsum(duration + pause[:-1]), made.rising, made.corner
    start = ends - duration
    total = float(ends[-1] if n else 0.0) + float(pause[-1])
    moments = np.array([float(ends[e.before - 1]) if e.before else 0.0 for e in motions.events])
    speeds = freeze(Speeds(ends=ends, rising=rising, corner=corner))
    return freeze(Timing(start=start, duration=duration, events=moments, total=total, speeds=speeds))


def _timed(
    motions: Motions, first: int, machine: Machine, feed_override: float, rapid_override: float, begin: float
) -> Speeds:
    """The moves from ``first`` on, into which the machine may come at ``begin`` mm/s; ``ends`` are their durations, s."""
    n = len(motions) - first
    lengths, rapids, radii = motions.lengths()[first:], motions.rapid()[first:], motions.radius()[first:]
    events = [e.before - first for e in motions.events if e.before >= first]
    motions = motions.part(first, len(motions))
    into, out = directions(motions)
    limit, gain = np.empty(n), np.empty(n)
    _along_axes(into, motions.sweep, np.array(machine.rapid) / 60.0, np.array(machine.acceleration), limit, gain)
    feed = np.minimum(np.nan_to_num(motions.feed), machine.feed_max) / 60.0
    # A feed move with no feed would never end on a machine; it is timed at the highest feed and is a finding.
    feed = np.where(feed > 0.0, feed, machine.feed_max / 60.0)
    if feed_override != 1.0:
        acts = np.array([s.overrides for s in motions.in_force] or [True])[motions.state]
        feed = np.where(acts, np.minimum(feed * feed_override, machine.feed_max / 60.0), feed)
    speed = np.minimum(np.where(rapids, limit * rapid_override, feed), limit)
    bent = motions.sweep != 0.0
    speed = np.where(bent, np.minimum(speed, np.sqrt(gain * np.where(bent, radii, 1.0))), speed)
    halts = np.zeros(n + 1, dtype=np.bool_)
    halts[events] = True
    exact = np.array([s.exact for s in motions.in_force] or [False])[motions.state]
    halts[1:] |= exact | (motions.dwell > 0.0)
    halts[:n] |= motions.dwell > 0.0
    rising, corner = np.zeros(n + 1), np.zeros(n + 1)
    duration = _trapezoids(lengths, speed, gain, into, out, rapids, halts, begin, rising, corner) + motions.dwell
    return Speeds(ends=duration, rising=rising, corner=corner)


@kernel
def _trapezoids(length, speed, gain, first, last, rapid, halts, begin, rising, corner):  # type: ignore[no-untyped-def]
    """Durations (n,) s of moves of ``length`` mm at up to ``speed`` mm/s with ``gain`` mm/s2, from ``begin`` mm/s.

    ``rising`` and ``corner`` (n + 1,) are filled, as in ``Speeds``.
    """
    n = len(length)
    rising[0] = begin
    for i in range(n):
        most = 0.0
        if i + 1 < n and not (halts[i + 1] or rapid[i + 1] or rapid[i]):
            dot = 0.0
            for k in range(3):
                dot += last[i, k] * first[i + 1, k]
            top = min(speed[i], speed[i + 1])
            # s = sine of half the angle between the way back and the way on: 1 straight on, 0 straight back.
            s = np.sqrt(max(0.0, 0.5 * (1.0 + dot)))
            most = top
            if s <= 0.99999:
                most = min(top, np.sqrt(min(gain[i], gain[i + 1]) * CORNER_MM * s / (1.0 - s)))
        rising[i + 1] = min(most, np.sqrt(rising[i] ** 2 + 2.0 * gain[i] * length[i]))
    corner[n] = rising[n]
    for i in range(n - 1, -1, -1):
        corner[i] = min(rising[i], np.sqrt(corner[i + 1] ** 2 + 2.0 * gain[i] * length[i]))
    out = np.zeros(n)
    for i in range(n):
        a, v0, v1, v = gain[i], corner[i], corner[i + 1], speed[i]
        if length[i] <= 0.0:
            continue
        peak = min(v, np.sqrt(a * length[i] + 0.5 * (v0 * v0 + v1 * v1)))
        ramps = (2.0 * peak * peak - v0 * v0 - v1 * v1) / (2.0 * a)
        out[i] = (2.0 * peak - v0 - v1) / a + max(0.0, length[i] - ramps) / peak
    return out
