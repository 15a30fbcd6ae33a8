"""How one stands at such a machine."""

from __future__ import annotations

from underglass.core.machine.habits import HABITS, Habits
from underglass.core.trades.sheet.name import SHEET

HABITS[SHEET] = Habits(
    work="sheet",
    holder="",
    tool_in="head",
    tools_by_hand=False,
    turns=False,
    put_wrong=False,
    pause="The torch is out and lifted.",
    pointer=(35.0, 0.0, 0.0),
)
