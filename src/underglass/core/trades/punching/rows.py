"""The rows of a run: the hits of each pattern, their pitch, scallop and time."""

from __future__ import annotations

import math
from dataclasses import dataclass

from underglass.core.bench.sheet import Punch
from underglass.core.control.motions import Motions
from underglass.core.control.timing import Timing
from underglass.core.proof.job import Job
from underglass.core.trades.punching.cut import hits_of, punch_at, sheet_of


def scallop(radius: float, pitch: float) -> float | None:
    """What stands between two round hits: h = r - sqrt(r^2 - (q/2)^2); None where they do not overlap."""
    half = pitch / 2.0
    return radius - math.sqrt(radius * radius - half * half) if 0.0 < half <= radius else None


def pitch_for(radius: float, wanted: float) -> float:
    """The pitch at which a scallop of so much stays: q = 2 sqrt(r^2 - (r - h)^2)."""
    h = min(wanted, radius)
    return 2.0 * math.sqrt(radius * radius - (radius - h) ** 2)


@dataclass(frozen=True, slots=True, kw_only=True)
class HitRow:
    """``hits`` are moves; ``pitch`` mm from hit to hit along the line on which they lie, of a rectangle its longest; ``scallop`` mm, None where there is none; ``wanted`` the pitch for the scallop that
    the job wants, None where it wants none."""

    line: int
    station: int
    motion: str
    hits: tuple[int, ...]
    pitch: float
    scallop: float | None
    time_s: float
    wanted: float | None
    nibbled: bool
    punch: Punch | None


def rows_of(job: Job, motions: Motions, timing: Timing) -> tuple[HitRow, ...]:
    """Every run of a pattern, in order."""
    hits = hits_of(motions)
    if not len(hits):
        return ()
    names = [motions.state_of(int(h)).motion for h in hits]
    out: list[HitRow] = []
    group: list[int] = []
    wanted_scallop = sheet_of(job.bench).scallop

    def put() -> None:
        if not group:
            return
        first = group[0]
        state = motions.state_of(first)
        pitch = state.station.pitch if state.station is not None and len(group) > 1 else 0.0
        punch = punch_at(job.bench, state.tool)
        round_ = punch is not None and punch.shape == "round"
        radius = punch.size[0] / 2.0 if punch is not None and round_ else 0.0
        begin = float(timing.start[first])
        out.append(
            HitRow(
                line=int(motions.line[first]), station=state.tool, motion=state.motion, hits=tuple(group), pitch=pitch,
                scallop=scallop(radius, pitch) if round_ else None, time_s=timing.end_of(group[-1]) - begin,
                wanted=pitch_for(radius, wanted_scallop) if round_ and wanted_scallop > 0.0 else None,
                nibbled=bool(state.station and state.station.nibbled), punch=punch,
            )
        )  # fmt: skip

    for move, name in zip(hits.tolist(), names):
        made = job.control.cycle_by_name.get(name)
        if made is None:
            put()
            group = []
            continue
        apart = group and (motions.line[group[-1]] != motions.line[move] or move - group[-1] > 2)
        if apart:
            put()
            group = []
        group.append(move)
    put()
    return tuple(out)
