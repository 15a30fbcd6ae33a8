"""The stops that a run meets, in order: where the cut can be measured and corrected."""

from __future__ import annotations

from typing import NamedTuple

from underglass.core.control.state import AtStop
from underglass.core.proof.proof import Proof


class Stop(NamedTuple):
    """``number`` counts the run's M0 and M1 from 1, as ``[[at_stop]]`` of the job does."""

    number: int
    line: int
    time_s: float
    optional: bool
    tool: int
    told: tuple[AtStop, ...]


def stops(proof: Proof) -> tuple[Stop, ...]:
    """All stops of the run. Where optional stops are off, they are passed by but counted."""
    out = []
    for event, moment in zip(proof.motions.events, proof.timing.events.tolist()):
        if event.kind in ("stop", "optional-stop"):
            told = tuple(a for a in proof.job.at_stops if a.stop == event.number)
            out.append(Stop(event.number, event.line, moment, event.kind == "optional-stop", event.tool, told))
    return tuple(out)
