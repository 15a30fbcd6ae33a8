"""How one stands at such a machine."""

from __future__ import annotations

from underglass.core.machine.habits import HABITS, Habits
from underglass.core.trades.turning.name import TURNING

HABITS[TURNING] = Habits(work="bar", holder="chuck", tool_in="turret", tools_by_hand=False, put_wrong=False)
