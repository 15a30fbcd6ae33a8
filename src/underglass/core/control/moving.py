"""How the machine comes from where it is to where a block wants it: moves, waits, and what happens in between."""

from __future__ import annotations

import math

from underglass.core.control import takeover
from underglass.core.control.desk import Desk
from underglass.core.control.motions import Event, Kind
from underglass.core.control.state import Vector
from underglass.core.control.way import NOWHERE, Asked
from underglass.core.language.block import Block
from underglass.core.tolerances import TOLERANCES


def go(
    c: Desk,
    kind: Kind,
    block: Block,
    end: Vector,
    feed: float,
    centre: Vector = NOWHERE,
    sweep: float = 0.0,
    machine: bool = False,
) -> None:
    """Make a move to a place in machine coordinates. ``machine``: it was given in machine coordinates."""
    if not _within_reach(c, block, end):
        return
    move = Asked(kind, block, c.at, end, feed, centre, sweep, machine)
    to = c.path.leads_to(c, move)
    nothing = TOLERANCES.length_of_nothing_mm
    if sweep == 0.0 and math.dist(c.at, end) <= nothing and math.dist(c.real, to) <= nothing:
        return
    if not machine:
        if c.left_over is not None:
            takeover.judge(c, block)
        if c.inherited is None:
            c.inherited = takeover.RELIED_ON - c.stated
    c.at = end
    c.path.go(c, move, to)


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

    c.path.aside(happens)


def event(c: Desk, what: Event) -> None:
    """Something that happens after the moves made so far; with compensation on, after the one that still waits."""
    c.path.aside(lambda: c.events.append(what._replace(before=len(c.moves))))
