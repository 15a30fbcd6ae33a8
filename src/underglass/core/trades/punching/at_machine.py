"""How one stands at such a machine."""

from __future__ import annotations

from underglass.core.machine.habits import HABITS, Habits
from underglass.core.trades.punching.name import PUNCHING

HABITS[PUNCHING] = Habits(
    work="sheet", holder="clamps", tool_in="turret", tools_by_hand=False, turns=False, put_wrong=False, stops=True
)
