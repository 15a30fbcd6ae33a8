"""How stock is cut. Code: spindle-direction."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from underglass.core.finding import Finding
from underglass.core.proof.rules.context import Context


def find(context: Context) -> Iterator[Finding]:
    """The first move of each tool that cuts with the spindle turning the wrong way for it. Tapping out turns back: no fault."""
    motions = context.motions
    if not len(motions) or not context.stocks:
        return
    removed = np.sum([s.removed for s in context.stocks], axis=0)
    told: set[int] = set()
    for move in np.flatnonzero(removed > 1e-6).tolist():
        row = int(context.tool_row[move])
        state = motions.state_of(move)
        if row < 0 or row in told or state.spindle == "off":
            continue
        tool = context.tool_table.tools[row]
        right = "clockwise" if tool.hand == "right" else "counter-clockwise"
        if state.spindle == right:
            continue
        told.add(row)
        yield Finding(
            "spindle-direction",
            int(motions.line[move]),
            f"{context.tool_words(state.tool)} cuts with the spindle turning {state.spindle}, but it is a {tool.hand}-hand tool",
            f"turn the spindle {right}, with {'M3' if right == 'clockwise' else 'M4'}",
            tool=state.tool,
            move=move,
            evidence={"spindle": state.spindle, "hand": tool.hand},
        )
