"""The trade's own part of a job's bench, and where its tools really are."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from underglass.core.bench.bench import Bench
from underglass.core.bench.lathe import ON_AXIS, TIP_FROM_CENTRE, Lathe, LatheTool
from underglass.core.control.motions import Motions
from underglass.core.frozen import freeze
from underglass.core.removal.section.ways import SectionTool

Floats = NDArray[np.float64]


def lathe_of(bench: Bench) -> Lathe:
    """The lathe that a turning job's bench has."""
    assert isinstance(bench.more, Lathe)
    return bench.more


def really_there(bench: Bench, station: int) -> LatheTool | None:
    """The tool that comes when a station is called; None where it is empty."""
    return lathe_of(bench).tools.get(bench.loaded.get(station, station))


def stop_before(motions: Motions) -> dict[int, int]:
    """The first move after each stop that the run meets, by the stop's number."""
    stops = [e for e in motions.events if e.kind in ("stop", "optional-stop")]
    return {e.number or k: e.before for k, e in enumerate(stops, 1)}


def tool_rows(bench: Bench, motions: Motions) -> tuple[tuple[LatheTool, ...], NDArray[np.int32]]:
    """Every tool that is there, and by move (n,) which of them cuts; -1 where none is."""
    lathe = lathe_of(bench)
    numbers = sorted(lathe.tools)
    tools = [lathe.tools[n] for n in numbers]
    place = {n: k for k, n in enumerate(numbers)}
    called = motions.tool_of()
    out = np.full(len(motions), -1, dtype=np.int32)
    for station in set(called.tolist()) - {0}:
        found = place.get(bench.loaded.get(station, station))
        if found is not None:
            out[called == station] = found
    after = stop_before(motions)
    for stop, loads in sorted(lathe.loads.items()):
        first = after.get(stop)
        for station, load in loads.items():
            if first is not None and load in place:
                mine = called == station
                mine[:first] = False
                out[mine] = place[load]
    return tuple(tools), out


def tips(
    bench: Bench, motions: Motions, tools: tuple[LatheTool, ...], rows: NDArray[np.int32]
) -> tuple[Floats, Floats, Floats]:
    """The real tip at each move's start and end, and arcs' centres, ``(n, 2)``: X as a radius from the axis, Z from the true zero.

    tip = machine place - the tool's real gauge. (The gauge's X stands as a radius here.)
    """
    lathe = lathe_of(bench)
    gauges = np.array([t.gauge for t in tools] or [(0.0, 0.0)])[np.maximum(rows, 0)]
    off = gauges + (0.0, lathe.zero_z)
    return tuple(column[:, [0, 2]] - off for column in (motions.start, motions.end, motions.centre))  # type: ignore[return-value]


@lru_cache(maxsize=256)
def section_tool(tool: LatheTool) -> SectionTool:
    """The tool as the engine takes it; kept, for a turret is the same in proof after proof."""
    ox, oz = TIP_FROM_CENTRE[tool.orientation]
    holds = (0.0, 0.0) if tool.kind in ON_AXIS else (-ox, -oz)
    judged = tool.kind in ("turning", "boring", "grooving", "parting")
    made = SectionTool.of(tool.cutting(), tool.body(), tool.nose, tool.RE, holds, judged=judged)
    for part in (*made.edge, *made.body):
        freeze(part)
    return made
