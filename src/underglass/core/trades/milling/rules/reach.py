"""How the program stands to the size of things: first approaches, tools too short, units that cannot be meant.

Codes: first-approach, short-reach, units-suspect.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from underglass.core.compiled import kernel
from underglass.core.finding import Finding, Severity
from underglass.core.proof.rule import rule
from underglass.core.proof.rules.context import Context
from underglass.core.tolerances import TOLERANCES
from underglass.core.trades.milling.name import MILLING
from underglass.core.units import MM_PER_INCH

_LOOK = 200
"""Moves that are looked through for the way in: no tool walks round the stock for longer."""

_ABOUT = 1.25
"""A program that fits its stock is seldom smaller or larger than it by more than this, both ways alike."""


@kernel
def _first_below(end, start, first, last, by):  # type: ignore[no-untyped-def]
    """The first row from ``first`` on that ends more than ``by`` below where it starts; ``last`` where none does."""
    for i in range(first, last):
        if end[i] < start[i] - by:
            return i
    return last


@kernel
def _first_under(end, level, first, last, none):  # type: ignore[no-untyped-def]
    """The first of some rows that ends below a level; ``none`` where none does."""
    for i in range(first, last):
        if end[i] < level:
            return i
    return none


@rule({"first-approach": Severity.NOTE}, MILLING)
def _first_approaches(context: Context) -> Iterator[Finding]:
    """The first move down after each tool change, and how high above the stock it ends, for the setter to compare."""
    motions, bench = context.motions, context.job.bench
    top = max((s.top for s in bench.stocks), default=None)
    if top is None:
        return
    fall = TOLERANCES.chord_mm
    changes = [e for e in motions.events if e.kind == "tool-change"]
    for k, event in enumerate(changes):
        tool = context.real_tool(event.tool)
        move = _first_below(motions.end[:, 2], motions.start[:, 2], event.before, len(motions), fall)
        if tool is None or move >= len(motions):
            continue
        last = changes[k + 1].before if k + 1 < len(changes) else len(motions)
        if motions.state_of(move).tool != event.tool:
            continue
        place = motions.end[move]
        x, y, z = motions.state_of(move).shown((float(place[0]), float(place[1]), float(place[2])))
        height = float(place[2]) - tool.length - top
        where = f"{context.length(abs(height))} {'above' if height >= 0.0 else 'below'} the stock's top"
        said = f"X {context.figure(x)} Y {context.figure(y)} Z {context.figure(z)}"
        evidence: dict[str, float | int | str | bool | None] = {"height_mm": height, "x_mm": x, "y_mm": y, "z_mm": z}
        deep = _first_under(motions.end[:, 2], tool.length + top - fall, move, max(last, move + 1), len(motions))
        mine = deep < len(motions) and motions.state_of(deep).tool == event.tool
        beside = _beside(context, deep, tool.profile.radius) if mine else None
        aside = ""
        if beside is not None:
            # Down beside the stock: the way in is sideways, and to be watched as well.
            aside = f"; line {beside.line} then moves in along {beside.axis} from the {beside.side}, starting {context.length(beside.gap)} clear of the stock"
            evidence |= {"side_mm": beside.gap, "side": beside.side, "side_axis": beside.axis, "side_line": beside.line}
        yield Finding(
            code="first-approach",
            line=int(motions.line[move]),
            message=f"{context.tool_words(event.tool)} comes down to {where}, at {said}{aside}",
            remedy="at the machine, stop here and check the height by eye before you continue"
            + (f"; hold again before line {beside.line} and compare the distance" if beside is not None else ""),
            tool=event.tool,
            move=move,
            evidence=evidence,
        )


class _Beside(NamedTuple):
    """How far the cutter stands off the nearest side of the stock, mm, and the line that goes in from there."""

    gap: float
    side: str
    axis: str
    line: int


def _beside(context: Context, move: int, radius: float) -> _Beside | None:
    """Where a tool that came down beside the stocks goes in; None over one of them, or where it never does."""
    motions = context.motions
    tool = motions.state_of(move).tool

    def gaps(place: NDArray[np.float64]) -> tuple[float, str, str]:
        best = (np.inf, "", "")
        for stock in context.job.bench.stocks:
            x, y, _z = stock.frame.into(place[None, :])[0]
            wide, deep, _high = stock.extent
            sides = ((-x, "left", "X"), (x - wide, "right", "X"), (-y, "front", "Y"), (y - deep, "back", "Y"))
            best = min(best, max((float(off) - radius, side, axis) for off, side, axis in sides))
        return best

    gap, side, axis = gaps(motions.end[move])
    if gap <= TOLERANCES.chord_mm:
        return None
    for later in range(move + 1, min(len(motions), move + _LOOK)):
        if motions.state_of(later).tool != tool or motions.end[later, 2] > motions.end[move, 2] + TOLERANCES.chord_mm:
            return None
        # A pass may go right across and end as far off on the other side.
        way = min(gaps(np.array(motions.at(later, share)))[0] for share in (0.25, 0.5, 0.75, 1.0))
        if way < gap - TOLERANCES.chord_mm:
            return _Beside(gap, side, axis, int(motions.line[later]))
        gap, side, axis = gaps(motions.end[later])
    return None


@rule({"short-reach": Severity.FAULT}, MILLING)
def _short(context: Context) -> Iterator[Finding]:
    """A tool whose deepest move needs the spindle lower than the machine goes."""
    motions, machine = context.motions, context.job.bench.machine
    low = context.boxes()[0][:, 2]
    numbers = motions.tools_called()
    called = motions.tool_of() if len(numbers) > 1 else None
    for number in numbers:
        if not number:
            continue
        move = int(np.argmin(low if called is None else np.where(called == number, low, np.inf)))
        beyond = machine.travel_min[2] - float(low[move])
        tool = context.real_tool(number)
        if tool is None or beyond <= TOLERANCES.chord_mm:
            continue
        yield Finding(
            code="short-reach",
            line=int(motions.line[move]),
            message=f"the deepest move of {context.tool_words(number)} needs the spindle {context.length(beyond)} lower than the machine goes",
            remedy=f"take a tool longer than {context.length(tool.length + beyond)}, or set the part higher",
            tool=number,
            move=move,
            evidence={"short_mm": beyond, "length_mm": tool.length},
        )


@kernel
def _span(low, high, cuts):  # type: ignore[no-untyped-def]
    """How far the moves that cut go in X and in Y, mm ``(2,)``; below 0 where none does."""
    out = np.empty(2)
    for k in range(2):
        least, most = np.inf, -np.inf
        for i in range(len(cuts)):
            if cuts[i]:
                least, most = min(least, low[i, k]), max(most, high[i, k])
        out[k] = most - least
    return out


@rule({"units-suspect": Severity.CAUTION}, MILLING)
def _units(context: Context) -> Iterator[Finding]:
    """Program and stock differ by about 25.4 in both directions of the table."""
    motions, stocks = context.motions, context.job.bench.stocks
    cuts = ~motions.rapid() & (motions.dwell == 0.0)
    if len(stocks) != 1:
        return
    span = _span(*context.boxes(), cuts)
    size = np.array(stocks[0].extent[:2])
    if float(span.min()) <= 0.0:
        return
    ratio = span / size
    small, large = ratio * MM_PER_INCH, ratio / MM_PER_INCH
    for share, word, way in ((small, "smaller", "inches"), (large, "larger", "millimetres")):
        if ((share > 1.0 / _ABOUT) & (share < _ABOUT)).all():
            move = int(np.flatnonzero(cuts)[0])
            yield Finding(
                code="units-suspect",
                line=int(motions.line[move]),
                message=f"the program is about 25 times {word} than the stock: {context.length(float(span[0]))} by {context.length(float(span[1]))} "
                f"on {context.length(float(size[0]))} by {context.length(float(size[1]))}; its figures look like {way}",
                remedy=f"check G20 and G21; the program runs in {motions.state_of(move).units}",
                move=move,
                evidence={"span_x_mm": float(span[0]), "span_y_mm": float(span[1])},
            )
