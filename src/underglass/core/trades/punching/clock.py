"""How long punching takes: the way by acceleration, and no hit sooner after the last than the press's rate for that pitch.

The rate of a press is given with the way from hit to hit in it (common practice, no source): a hit lasts what is left of that time.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from underglass.core.bench.machine import Machine
from underglass.core.control.motions import Motions
from underglass.core.control.timing import Timing, time_motions
from underglass.core.frozen import freeze

_LEAST_S = 0.02
"""The ram itself goes down and up."""

_WAY_SHARE = 0.6
"""Of the time from hit to hit in nibbling, what the way takes."""


def rate(machine: Machine, kind: str, pitch: NDArray[np.float64]) -> NDArray[np.float64]:
    """Hits a minute at each pitch: between the profile's figures straight, beyond them the last one."""
    more = machine.more
    count = sum(k.startswith(f"{kind}_pitch_") for k in more)
    if not count:
        return np.full(len(pitch), 60.0 / _LEAST_S)
    pitches = [more[f"{kind}_pitch_{k}"] for k in range(count)]
    out: NDArray[np.float64] = np.interp(pitch, pitches, [more[f"{kind}_hits_{k}"] for k in range(count)])
    return out


def nibbled(
    motions: Motions, machine: Machine, hits: NDArray[np.int64], pitch: NDArray[np.float64]
) -> NDArray[np.bool_]:
    """Which hits follow the last one without waiting for the sheet: in a nibbling pattern, at a pitch that nibbling has."""
    asked = np.array([bool(s.station and s.station.nibbled) for s in motions.in_force] or [False])[motions.state[hits]]
    out: NDArray[np.bool_] = asked & (pitch >= machine.more.get("smallest_pitch", 0.0) - 1e-6) & (pitch > 0.0)
    return out


def pitches(motions: Motions, hits: NDArray[np.int64]) -> NDArray[np.float64]:
    """How far each hit is from the last one, mm; 0 for the first."""
    out = np.zeros(len(hits))
    if len(hits) > 1:
        out[1:] = np.hypot(*np.diff(motions.end[hits, :2], axis=0).T)
    return out


def time_punching(
    motions: Motions,
    machine: Machine,
    feed_override: float,
    rapid_override: float,
    _earlier: tuple[Timing, int] | None = None,
) -> Timing:
    """The run's times, made anew after each edit: how long a hit takes depends on the rows that it stands in."""
    plain = time_motions(motions, machine, feed_override, rapid_override)
    hits = np.flatnonzero(motions.dwell > 0.0)
    if not len(hits):
        return plain
    duration = plain.duration.copy()
    pitch = pitches(motions, hits)
    running = nibbled(motions, machine, hits, pitch)
    ends = np.concatenate([[0.0], np.cumsum(plain.duration)])
    begin = np.concatenate([[0], hits[:-1] + 1])
    travel = ends[hits] - ends[begin]
    each = 60.0 / np.where(running, rate(machine, "nibble", pitch), rate(machine, "punch", pitch))
    for k, (move, whole) in enumerate(zip(hits.tolist(), each.tolist())):
        if running[k]:
            # The sheet does not stop: the way and the hit share the time.
            way = duration[begin[k] : move]
            way *= _WAY_SHARE * whole / max(float(way.sum()), 1e-12)
            duration[move] = max(whole * (1.0 - _WAY_SHARE), _LEAST_S / 4.0)
        else:
            duration[move] = max(whole - float(travel[k]), _LEAST_S)
    more = np.concatenate([[0.0], np.cumsum(duration - plain.duration)])
    start = plain.start + more[:-1]
    events = (
        plain.events + more[[min(e.before, len(duration)) for e in motions.events]]
        if len(plain.events)
        else plain.events
    )
    return freeze(Timing(start=start, duration=duration, events=events, total=plain.total + float(more[-1])))
