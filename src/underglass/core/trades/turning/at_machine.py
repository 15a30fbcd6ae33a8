"""How one stands at a lathe, and what a micrometer reads there."""

from __future__ import annotations

from underglass.core.control.state import Vector
from underglass.core.machine.habits import HABITS, Habits, Measured
from underglass.core.proof.job import Job
from underglass.core.proof.proof import Proof
from underglass.core.trades.turning.lathe import lathe_of, really_there
from underglass.core.trades.turning.name import TURNING
from underglass.core.trades.turning.outputs import history_of

_BEHIND_MM = 1.0
"""So far towards the chuck from the tip it is measured: on what the tip has just left, not on its corner."""


def _micrometer(proof: Proof, move: int, share: float, at: Vector, station: int) -> Measured | None:
    """The diameter beside the tip, outside or, with the tip inside it, of the bore."""
    history, tool = history_of(proof), really_there(proof.job.bench, station)
    if history is None or tool is None:
        return None
    lathe = lathe_of(proof.job.bench)
    x, z = at[0] - tool.gauge[0], at[2] - tool.gauge[1] - lathe.zero_z
    section = history.at(move, share) if len(proof.motions) else history.uncut
    found = section.rings_at(z - _BEHIND_MM)
    if not found:
        return None
    outer, inner = found[0]
    if inner > 0.0 and 2.0 * x <= (outer + inner) / 2.0:
        return Measured("bore", inner)
    return Measured("diameter", outer)


def _setter(job: Job, station: int) -> tuple[tuple[str, float], ...]:
    """Both figures of a tool's offset, as its tip trips the sensor; X as a radius."""
    tool = really_there(job.bench, station)
    return (("x", tool.gauge[0]), ("z", tool.gauge[1])) if tool is not None else ()


HABITS[TURNING] = Habits(
    work="bar",
    holder="chuck",
    tool_in="turret",
    tools_by_hand=False,
    put_wrong=False,
    micrometer=_micrometer,
    setter=_setter,
)
