"""What differs between the machines of the trades, as a person at one meets it: words, what is put in by hand, what turns.

A trade registers its own, as it registers what it says of a proof; one that does not is stood at like a mill.
"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class Habits:
    """``work`` is what is cut, ``holder`` what holds it (empty: nothing is clamped), ``tool_in`` where a tool sits.

    ``tools_by_hand``: the program waits until the tool that it calls has been put in, which a drawbar holds. ``turns``: there is a
    spindle. ``put_wrong``: the work can be put in askew, turned, or on a chip. ``pause``: what the machine does by itself before it stands
    in the middle of a cut.
    """

    work: str = "block"
    holder: str = "vice"
    tool_in: str = "spindle"
    tools_by_hand: bool = True
    turns: bool = True
    put_wrong: bool = True
    pause: str = ""


HABITS: dict[str, Habits] = {}
"""By the trade's name."""

_USUAL = Habits()


def habits_of(trade: str) -> Habits:
    """How one stands at the machines of a trade."""
    return HABITS.get(trade, _USUAL)
