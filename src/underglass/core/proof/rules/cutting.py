"""How stock is cut. Codes: spindle-direction, tap-feed."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from underglass.core.finding import Finding
from underglass.core.proof.rules.context import Context

_TAP_SHARE = 0.005
"""How far a tap's feed may be from pitch times speed: half a per cent is a figure rounded, more strips the thread."""


def find(context: Context) -> Iterator[Finding]:
    """All findings of this family."""
    yield from _direction(context)
    yield from _taps(context)


def _taps(context: Context) -> Iterator[Finding]:
    """The first feed move of each tap that is not fed at pitch times speed (any machinist's handbook)."""
    motions = context.motions
    for row, tool in enumerate(context.tool_table.tools):
        if tool.kind != "tap" or tool.TP <= 0.0:
            continue
        for move in np.flatnonzero((context.tool_row == row) & (motions.feed > 0.0) & ~motions.rapid()).tolist():
            state = motions.state_of(move)
            want = tool.TP * state.speed
            if abs(float(motions.feed[move]) - want) <= _TAP_SHARE * want:
                continue
            yield Finding(
                "tap-feed",
                int(motions.line[move]),
                f"{context.tool_words(state.tool)} is fed at {motions.feed[move]:g} mm/min; its pitch of {tool.TP:g} mm at {state.speed:g} rpm asks for {want:g}",
                f"write F{want:g}, or change S",
                tool=state.tool,
                move=move,
                evidence={"feed_mm_min": float(motions.feed[move]), "wanted_mm_min": want},
            )
            break


def _direction(context: Context) -> Iterator[Finding]:
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
