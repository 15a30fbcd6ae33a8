"""How stock is cut.

Codes: spindle-direction, tap-feed, plunge-not-centre-cutting, too-deep, cuts-air, load-high, material-unknown.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from underglass.core.finding import Finding, Severity
from underglass.core.language import writing
from underglass.core.proof.rule import rule
from underglass.core.proof.rules.context import Context
from underglass.core.removal.loupe import FACTOR, taken_closer, window_around
from underglass.core.tolerances import TOLERANCES
from underglass.core.trades.milling.name import MILLING
from underglass.core.units import FEET_A_METRE, MM_PER_INCH, Unit

_TAP_SHARE = 0.005
"""How far a tap's feed may be from pitch times speed: half a per cent is a figure rounded, more strips the thread."""


@rule({"tap-feed": Severity.FAULT}, MILLING)
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
            mode, speed = state.feed_mode, state.speed
            word = writing.feed_word(want, state.units, mode, speed)
            pitch = f"{tool.TP:g} mm" if state.units == "mm" else f"{tool.TP / MM_PER_INCH:.4g} inch"

            def rate(feed: float, unit: Unit = state.units, mode: str = mode, speed: float = speed) -> str:
                return writing.feed_in_words(feed, unit, mode, speed)

            yield Finding(
                code="tap-feed",
                line=int(motions.line[move]),
                message=f"{context.tool_words(state.tool)} is fed at {rate(float(motions.feed[move]))}; its pitch of {pitch} at {state.speed:g} rpm asks for {rate(want)}",
                remedy=f"write {word}, or change S" if word else "check S, F and the feed mode",
                tool=state.tool,
                move=move,
                evidence={"feed_mm_min": float(motions.feed[move]), "wanted_mm_min": want, "write": word},
            )
            break


@rule({"spindle-direction": Severity.FAULT}, MILLING)
def _direction(context: Context) -> Iterator[Finding]:
    """The first move of each tool that cuts with the spindle turning the wrong way for it. Tapping out turns back: no fault."""
    motions = context.motions
    if not len(motions) or not context.stocks:
        return
    turns = {"clockwise": "right", "counter-clockwise": "left"}
    # The last row is that of no tool at all: -1.
    wrong = np.array(
        [
            [s.spindle != "off" and turns[s.spindle] != t.hand for s in motions.in_force]
            for t in context.tool_table.tools
        ]
        + [[False] * len(motions.in_force)]
    )
    told: set[int] = set()
    if not wrong.any():
        return
    for move in np.flatnonzero(wrong[context.tool_row, motions.state] & (context.removed() > 1e-6)).tolist():
        row = int(context.tool_row[move])
        if row in told:
            continue
        told.add(row)
        state, tool = motions.state_of(move), context.tool_table.tools[row]
        right = "clockwise" if tool.hand == "right" else "counter-clockwise"
        yield Finding(
            code="spindle-direction",
            line=int(motions.line[move]),
            message=f"{context.tool_words(state.tool)} cuts with the spindle turning {state.spindle}, but it is a {tool.hand}-hand tool",
            remedy=f"turn the spindle {right}, with {'M3' if right == 'clockwise' else 'M4'}",
            tool=state.tool,
            move=move,
            evidence={"spindle": state.spindle, "hand": tool.hand},
        )


_DRILLS = {"drill", "spot-drill", "centre-drill", "tap", "reamer"}
_NEED_A_HOLE = {"tap", "reamer", "boring-bar"}
"""Tools that open a hole out and cannot make one (common practice, no source)."""

_FEEL_MM = 0.02
"""Less than this over the cutting length is a figure rounded, not a depth."""


@rule({"plunge-not-centre-cutting": Severity.FAULT}, MILLING)
def _plunges(context: Context) -> Iterator[Finding]:
    """The first plunge of each tool that has no edge in its middle, into stock that stands there."""
    if not context.cuts:
        return
    motions = context.motions
    under = context.depths()[:, 1]
    for row, tool in enumerate(context.tool_table.tools):
        needs_hole = tool.kind in _NEED_A_HOLE
        if tool.centre_cutting and not needs_hole:
            continue
        mine = np.flatnonzero((context.tool_row == row) & (under > TOLERANCES.touch_mm) & ~motions.rapid())
        if not len(mine):
            continue
        move = int(mine[0])
        number = motions.state_of(move).tool
        yield Finding(
            code="plunge-not-centre-cutting",
            line=int(motions.line[move]),
            message=f"{context.tool_words(number)} is fed straight down {context.length(float(under[move]))} into the stock, {'but it only follows a hole that is there' if needs_hole else 'but it cannot cut at its centre'}",
            remedy="drill first, and as deep"
            if needs_hole
            else "go down on a ramp or a helix, drill first, or begin beside the stock",
            tool=number,
            move=move,
            evidence={"depth_mm": float(under[move])},
        )


@rule({"too-deep": Severity.CAUTION}, MILLING)
def _too_deep(context: Context) -> Iterator[Finding]:
    """The first move of each tool that cuts deeper than its cutting length; for a drill, a hole deeper than its flutes."""
    if not context.cuts:
        return
    motions = context.motions
    depths = context.depths()
    for row, tool in enumerate(context.tool_table.tools):
        if tool.kind == "boring-bar":
            # It cuts with one edge, a little way at a time: how far the hole goes is no depth of cut.
            continue
        limit = min(tool.APMX, tool.stickout)
        hole = tool.kind in _DRILLS
        depth = depths[:, 2] if hole else depths[:, 0]
        mine = np.flatnonzero((context.tool_row == row) & (depth > limit + _FEEL_MM) & ~motions.rapid())
        if not len(mine):
            continue
        move = int(mine[0])
        number = motions.state_of(move).tool
        # A tip below the stock's underside is no deeper in it.
        deepest = min(float(depth[mine].max()), max(s.extent[2] for s in context.job.bench.stocks))
        yield Finding(
            code="too-deep",
            line=int(motions.line[move]),
            message=f"{context.tool_words(number)} {'drills a hole' if hole else 'cuts'} {context.length(deepest)} deep, "
            f"but its {'flutes are' if hole else 'cutting length is'} {context.length(limit)}",
            remedy="take shallower passes, or use a longer tool" if not hole else "take a longer drill",
            tool=number,
            move=move,
            evidence={"depth_mm": deepest, "limit_mm": limit},
        )


@rule({"cuts-air": Severity.CAUTION}, MILLING)
def _air(context: Context) -> Iterator[Finding]:
    """A tool that is fed between its change and the next one and removes nothing at all; told of no guessed stock."""
    if not context.cuts:
        return
    if context.job.guessed:
        return
    motions = context.motions
    removed = context.removed()
    feeds = ~motions.rapid() & (motions.dwell == 0.0)
    changes = [e for e in motions.events if e.kind == "tool-change"]
    lengths, thin = motions.lengths(), dict[int, list[bool]]()
    for k, event in enumerate(changes):
        context.check()
        last = changes[k + 1].before if k + 1 < len(changes) else len(motions)
        tool = context.real_tool(event.tool)
        stretch = slice(event.before, last)
        fed = float(lengths[stretch][feeds[stretch]].sum())
        if tool is None or tool.kind == "probe" or fed <= 0.0 or float(removed[stretch].sum()) > 0.0:
            continue
        seen = thin.setdefault(event.tool, [])
        if len(seen) < _TRIES:
            seen.append(_takes_less_than_a_cell(context, np.flatnonzero(feeds[stretch]) + event.before))
        if any(seen) if len(seen) >= _TRIES else seen[-1]:
            continue
        yield Finding(
            code="cuts-air",
            line=event.line,
            message=f"{context.tool_words(event.tool)} feeds {context.length(fed)} and cuts only air",
            remedy="check its work offset and its depth, or leave it if this is a dry run",
            column=event.column,
            end_column=event.end_column,
            tool=event.tool,
            move=event.before,
            evidence={"fed_mm": fed},
        )


_LOOKS = 16
_LOOK_CELLS = 100_000
"""Cells of one look: some hundredths of a mm each, and a few milliseconds."""
_TRIES = 4
"""So many calls of one tool are looked at under the loupe; what they show is taken for the rest."""


def _takes_less_than_a_cell(context: Context, moves: NDArray[np.int64]) -> bool:
    """Whether a finishing cut, too thin for the cells, is seen under the loupe at some places along these feeds."""
    motions = context.motions
    for solid, history in zip(context.job.bench.stocks, context.stocks):
        for move in moves[:: max(1, len(moves) // _LOOKS)].tolist():
            context.check()
            x, y, z = motions.at(move, 0.5)
            at = history.grid.frame.into(np.array([[x, y, z]]))[0]
            reach = float(history.outline[int(context.tool_row[move]), 0]) + history.grid.cell
            if not all(-reach <= at[k] <= solid.extent[k] + reach for k in (0, 1)):
                continue
            window = window_around(history.grid, (at[0] - reach, at[1] - reach), (at[0] + reach, at[1] + reach))
            j0, j1, i0, i1 = window
            factor = max(2, min(FACTOR, int((_LOOK_CELLS / max((j1 - j0) * (i1 - i0), 1)) ** 0.5)))
            if taken_closer(history, solid, window, move, factor, context.cancelled) > TOLERANCES.touch_mm:
                return True
    return False


@rule({"load-high": Severity.CAUTION, "material-unknown": Severity.NOTE}, MILLING)
def _load(context: Context) -> Iterator[Finding]:
    """The hardest move of each tool that is beyond what its material usually bears, a finding a cause."""
    if not context.cuts:
        return
    motions, material = context.motions, context.job.bench.cuts_like
    if material is None:
        if context.job.bench.material:
            yield Finding(
                code="material-unknown",
                line=1,
                message=f"the material table has no {context.job.bench.material}: speeds, feeds and power are not judged",
                remedy="name one that the table has, as aluminium or steel",
                evidence={"material": context.job.bench.material},
            )
        return
    found = context.loads
    power = context.job.bench.machine.spindle_kw
    for row, tool in enumerate(context.tool_table.tools):
        cuts = (context.tool_row == row) & (found.rate > 0.0)
        if not cuts.any() or tool.kind == "tap":
            continue
        highest, fastest = material.highest_feed(tool.DC), material.vc[tool.substrate]
        usual = f"in {material.name}; usual is up to"
        inch = context.job.units == "inch"
        for what, column, limit, unit, scale, bound, remedy in (
            (
                "surface speed",
                found.surface_speed,
                fastest,
                "ft/min" if inch else "m/min",
                FEET_A_METRE if inch else 1.0,
                usual,
                "lower S",
            ),
            (
                "feed a tooth",
                found.fz,
                highest,
                "inch" if inch else "mm",
                1.0 / MM_PER_INCH if inch else 1.0,
                usual,
                "lower F, or raise S",
            ),
            ("power", found.power, power, "kW", 1.0, "; the spindle has", "take less depth or width, or lower F"),
        ):
            if limit is None or not (cuts & (column > limit * _ROOM)).any():
                continue
            move = int(np.argmax(np.where(cuts, column, 0.0)))
            number = motions.state_of(move).tool
            yield Finding(
                code="load-high",
                line=int(motions.line[move]),
                message=f"{context.tool_words(number)} reaches a {what} of {column[move] * scale:.3g} {unit}{'' if bound.startswith(';') else ' '}{bound} {limit * scale:.3g}",
                remedy=remedy,
                tool=number,
                move=move,
                evidence={"what": what, "value": float(column[move]), "limit": limit},
            )


_ROOM = 1.02
"""A figure rounded up a little is not beyond the limit."""
