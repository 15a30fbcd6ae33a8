"""Everything that holds at one moment: places, registers, spindle, feed."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from underglass.core.bench.tool import Tool
from underglass.core.control.motions import Kind
from underglass.core.control.state import InForce, Vector
from underglass.core.proof.proof import Proof


@dataclass(frozen=True, slots=True, kw_only=True)
class Now:
    """``work`` is the position as the control shows it, with G52 and G92. Lengths in mm, feed in mm/min (None on a rapid), surface speed in m/min, chip load in mm a tooth, times in s."""

    line: int
    kind: Kind | None
    state: InForce
    work: Vector
    machine: Vector
    to_go: Vector
    tip_commanded: float
    tip_real: float
    tool: Tool | None
    feed: float | None
    surface_speed: float | None
    chip_load: float | None
    elapsed: float
    total: float
    next_line: int | None = None
    """The line that moves next; None where none does."""
    offset_out: Vector | None = None
    """The control's work offset less the true zero it stands for, mm; None where the bench has no such zero."""
    radius_real: float | None = None

    @property
    def tip_off(self) -> float:
        """How much higher the tip really is than the control believes, mm."""
        return self.tip_real - self.tip_commanded


def now_at(proof: Proof, moment: float) -> Now | None:
    """What holds at a moment; None for a program that makes no move."""
    motions = proof.motions
    if not len(motions):
        return None
    move, share = proof.timing.locate(moment)
    state = motions.state_of(move)
    machine = motions.at(move, share)
    end = motions.at(move, 1.0)
    kind = Kind(int(motions.kind[move]))
    tool = proof.tool_at(move)
    feed = float(motions.feed[move])
    turning = state.spindle != "off" and state.speed > 0.0
    commanded, real = proof.tip_heights(moment)
    zero = proof.job.bench.zero.get(state.offset)
    return Now(
        line=int(motions.line[move]),
        kind=kind,
        state=state,
        work=state.shown(machine),
        machine=machine,
        to_go=(end[0] - machine[0], end[1] - machine[1], end[2] - machine[2]),
        tip_commanded=commanded,
        tip_real=real,
        tool=tool,
        feed=None if math.isnan(feed) else feed,
        surface_speed=tool.surface_speed(state.speed) if tool and turning else None,
        chip_load=tool.chip_load(feed, state.speed) if tool and turning and not math.isnan(feed) else None,
        elapsed=moment,
        total=proof.timing.total,
        next_line=_next_line(proof, move),
        offset_out=(state.shift[0] - zero.x, state.shift[1] - zero.y, state.shift[2] - zero.z)
        if zero is not None
        else None,
        radius_real=tool.profile.radius if tool is not None else None,
    )


def _next_line(proof: Proof, move: int) -> int | None:
    """The line of the first move after this one's block."""
    lines = proof.motions.line
    # A block seldom makes many moves: look near by first.
    for reach in (64, len(lines)):
        later = np.flatnonzero(lines[move : move + reach] != lines[move])
        if len(later):
            return int(lines[move + int(later[0])])
    return None
