"""How the machine comes from where it is to where a block wants it: moves, waits, and what happens in between."""

from __future__ import annotations

import math

from underglass.core.control import compensated, takeover
from underglass.core.control.desk import Desk
from underglass.core.control.motions import Event, Kind, OffsetUse
from underglass.core.control.places import axis_by_axis
from underglass.core.control.state import Vector
from underglass.core.language.block import Block
from underglass.core.tolerances import TOLERANCES

_NOWHERE = (math.nan, math.nan, math.nan)


def go(
    c: Desk,
    kind: Kind,
    block: Block,
    end: Vector,
    feed: float,
    centre: Vector = _NOWHERE,
    sweep: float = 0.0,
    machine: bool = False,
) -> None:
    """Make a move to a place in machine coordinates. ``machine``: it was given in machine coordinates."""
    start = c.at
    if not _within_reach(c, block, end):
        return
    real_end = end
    if c.comp is None and c.real != start:
        # With compensation just ended the machine stands beside the place where the program believes it to be.
        real_end = compensated.with_offset_left(c, block, start, end)
    nothing = TOLERANCES.length_of_nothing_mm
    if sweep == 0.0 and math.dist(start, end) <= nothing and math.dist(c.real, real_end) <= nothing:
        return
    if not machine:
        if c.left_over is not None:
            takeover.judge(c, block)
        if c.inherited is None:
            c.inherited = takeover.RELIED_ON - c.stated
    line = c.flow.main_line or block.line
    c.at = end
    if c.comp is not None:
        compensated.go(c, c.comp, kind, block, start, end, feed, centre, sweep)
        return
    real, c.real = c.real, real_end
    if sweep == 0.0 and math.dist(real, real_end) <= nothing:
        return
    move = len(c.moves)
    if kind in (Kind.RAPID, Kind.CYCLE_RAPID) and c.profile.rapids == "axes":
        for place in axis_by_axis(real, real_end, c.machine.rapid):
            c.moves.add(line, kind, c.in_force(), real, place, feed, plane=c.modal.plane)
            real = place
    else:
        c.moves.add(line, kind, c.in_force(), real, real_end, feed, centre, sweep, c.modal.plane)
    if not c.offset_judged and not machine:
        c.offset_judged = True
        c.offsets.append(OffsetUse(line, c.modal.offset, c.work_shift, move))


def _within_reach(c: Desk, block: Block, end: Vector) -> bool:
    """Whether a place can be one at all; the finding that it is none is made here."""
    far = TOLERANCES.farthest_mm
    if abs(end[0]) <= far and abs(end[1]) <= far and abs(end[2]) <= far:
        return True
    axis = next(k for k in range(3) if not abs(end[k]) <= far)
    word = next((w for w in block.words if w.letter == "XYZ"[axis]), block.words[0] if block.words else None)
    c.find(
        "travel-limit",
        block,
        f"{'XYZ'[axis]} would go {c.said(abs(end[axis]))} from where the machine measures from: no machine is that long, and the move is left out",
        "check the figure and its decimal point",
        (word.start, word.end) if word is not None else (0, 1),
        {"axis": "XYZ"[axis], "place_mm": end[axis]},
    )
    return False


def wait(c: Desk, block: Block, seconds: float) -> None:
    """A dwell."""
    if seconds <= 0.0:
        return
    line, state = c.flow.main_line or block.line, c.in_force()

    def happens() -> None:
        c.moves.add(line, Kind.DWELL, state, c.real, c.real, math.nan, dwell=seconds)

    if c.comp is not None:
        c.comp.aside(happens)
    else:
        happens()


def event(c: Desk, what: Event) -> None:
    """Something that happens after the moves made so far; with compensation on, after the one that still waits."""
    if c.comp is None:
        c.events.append(what)
    else:
        c.comp.aside(lambda: c.events.append(what._replace(before=len(c.moves))))
