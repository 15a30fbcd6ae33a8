"""What differs between the machines of the trades, as a person at one meets it: words, what is put in by hand, what turns.

A trade registers its own, as it registers what it says of a proof; one that does not is stood at like a mill.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import NamedTuple

from underglass.core.control.state import Vector
from underglass.core.proof.job import Job
from underglass.core.proof.proof import Proof


class Measured(NamedTuple):
    """What a person measures on the work with a hand tool: the words for it, and the figure, mm."""

    words: str
    mm: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Habits:
    """``work`` is what is cut, ``holder`` what holds it (empty: nothing is clamped), ``tool_in`` where a tool sits.

    ``tools_by_hand``: the program waits until the tool that it calls has been put in, which a drawbar holds. ``turns``: there is a
    spindle. ``put_wrong``: the work can be put in askew, turned, or on a chip. ``pause``: what the machine does by itself before it stands
    in the middle of a cut. ``micrometer``: what is measured on the work where the tool's tip is, in words with the figure in mm, of a
    proof at a move and a share of it with the gauge line at a place; nothing where there is nothing to measure. ``setter``: what
    the machine's tool setter finds of a station's tool, by axis; ``pointer``: where the spot of its pointer lies from the tool, mm; ``stops``: the work
    is laid against stops, whose place the control knows.
    """

    work: str = "block"
    holder: str = "vice"
    tool_in: str = "spindle"
    tools_by_hand: bool = True
    turns: bool = True
    put_wrong: bool = True
    pause: str = ""
    setter: Callable[[Job, int], tuple[tuple[str, float], ...]] | None = None
    pointer: Vector | None = None
    stops: bool = False
    micrometer: Callable[[Proof, int, float, Vector, int], Measured | None] = lambda _p, _m, _s, _at, _t: None


HABITS: dict[str, Habits] = {}
"""By the trade's name."""

_USUAL = Habits()


def habits_of(trade: str) -> Habits:
    """How one stands at the machines of a trade."""
    return HABITS.get(trade, _USUAL)
