"""Belief against truth on a lathe: tool offsets and nose registers.

Codes: geometry-wrong, offset-missing, offset-other, nose-register-wrong, tool-unknown.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from underglass.core.bench.lathe import LatheTool
from underglass.core.control.motions import RegisterUse
from underglass.core.finding import Finding, Severity
from underglass.core.proof.rule import rule
from underglass.core.proof.rules.context import Context
from underglass.core.trades.turning.lathe import lathe_of, really_there
from underglass.core.trades.turning.name import TURNING
from underglass.core.trades.turning.rules.looked import look

_SAME_MM = 0.02


@rule({"geometry-wrong": Severity.FAULT, "offset-other": Severity.CAUTION}, TURNING)
def geometry(context: Context) -> Iterator[Finding]:
    """The offset that a T word brings, against the gauge of the tool that is really there."""
    told: set[tuple[int, int, int]] = set()
    for use in context.motions.lengths_used:
        if not use.number or (use.line, use.number, use.tool) in told:
            continue
        told.add((use.line, use.number, use.tool))
        tool = really_there(context.job.bench, use.tool)
        if tool is None:
            continue
        if use.number != use.tool:
            yield Finding(
                code="offset-other", line=use.line, message=f"station {use.tool} runs on offset {use.number}, which is not its own",
                remedy=f"write T{use.tool:02d}{use.tool:02d}, or leave it if a second offset is meant", column=use.column, end_column=use.end_column,
                tool=use.tool, move=use.before, evidence={"offset": use.number, "station": use.tool},
            )  # fmt: skip
        yield from _wrong(context, use, tool)


def _wrong(context: Context, use: RegisterUse, tool: LatheTool) -> Iterator[Finding]:
    off = {"X": 2.0 * (use.x - tool.gauge[0]), "Z": use.value - tool.gauge[1]}
    within = context.job.settings.tolerance.length
    wrong = {axis: by for axis, by in off.items() if abs(by) > within}
    if not wrong:
        return
    axis = max(wrong, key=lambda a: abs(wrong[a]))
    held = {"X": 2.0 * use.x, "Z": use.value}
    real = {"X": 2.0 * tool.gauge[0], "Z": tool.gauge[1]}
    said = " and ".join(
        f"{a} holds {context.length(held[a])}, the real gauge is {context.length(real[a])}" for a in wrong
    )
    cause = _likely(context, axis, held[axis], real[axis], tool)
    yield Finding(
        code="geometry-wrong", line=use.line,
        message=f"offset {use.number} is wrong for {context.tool_words(use.tool)}: {said}{f' ({cause})' if cause else ''}",
        remedy="measure the tool again, and set geometry and wear of this offset", column=use.column, end_column=use.end_column, tool=use.tool,
        move=use.before,
        evidence={"offset": use.number, "axis": axis, "x_off_mm": off["X"], "z_off_mm": off["Z"], "cause": cause or None},
    )  # fmt: skip


def _likely(context: Context, axis: str, held: float, real: float, tool: LatheTool) -> str:
    """What a figure like this usually comes from."""
    if held == 0.0:
        return "it is empty"
    if abs(held + real) <= _SAME_MM:
        return "the sign is turned round"
    if axis == "X" and abs(held * 2.0 - real) <= _SAME_MM:
        return "the radius where a diameter belongs"
    if axis == "X" and abs(held - 2.0 * real) <= _SAME_MM:
        return "twice the diameter"
    for other in lathe_of(context.job.bench).tools.values():
        figure = 2.0 * other.gauge[0] if axis == "X" else other.gauge[1]
        if other.number != tool.number and abs(figure - held) <= _SAME_MM:
            return f"it is the figure of tool {other.number}"
    if tool.RE and abs(abs(held - real) - (2.0 if axis == "X" else 1.0) * tool.RE) <= _SAME_MM:
        return "the nose's radius was counted in"
    return ""


@rule({"nose-register-wrong": Severity.FAULT}, TURNING)
def noses(context: Context) -> Iterator[Finding]:
    """Radius and orientation that compensation reckons with, against the real insert."""
    told: set[tuple[int, int]] = set()
    for use in context.motions.radii_used:
        tool = really_there(context.job.bench, use.tool)
        if tool is None or (use.line, use.number) in told:
            continue
        told.add((use.line, use.number))
        off = use.value - tool.RE
        wrong_side = use.orientation != tool.orientation and use.value > 0.0
        if abs(off) <= context.job.settings.tolerance.radius and not wrong_side:
            continue
        parts = []
        if abs(off) > context.job.settings.tolerance.radius:
            parts.append(f"holds a radius of {context.length(use.value)}, the insert has {context.length(tool.RE)}")
        if wrong_side:
            parts.append(f"holds orientation {use.orientation}, the insert stands in {tool.orientation}")
        yield Finding(
            code="nose-register-wrong", line=use.line, message=f"nose register {use.number} {' and '.join(parts)}",
            remedy="set radius and orientation of the insert that is really in the holder", column=use.column, end_column=use.end_column,
            tool=use.tool, move=use.before,
            evidence={"radius_off_mm": off, "orientation": use.orientation, "real_orientation": tool.orientation},
        )  # fmt: skip


@rule({"offset-missing": Severity.FAULT}, TURNING)
def missing(context: Context) -> Iterator[Finding]:
    """A tool that moves to cut with no offset on: once for each stretch without one."""
    motions = context.motions
    if not len(motions):
        return
    none = np.array([s.station is not None and not s.station.offset and s.tool > 0 for s in motions.in_force])[
        motions.state
    ]
    feeds = ~motions.rapid() & (motions.dwell == 0.0) & none
    first = np.flatnonzero(feeds & ~np.r_[False, feeds[:-1]])
    seen = look(context)
    hit = {h.move for h in seen.cut.hits} if seen.cut is not None else set()
    taken = seen.taken(len(motions))
    told: set[int] = set()
    for move in first.tolist():
        state = motions.state_of(move)
        if state.tool in told:
            continue
        told.add(state.tool)
        under = np.flatnonzero(none & (motions.tool_of() == state.tool))
        touches = bool(taken[under].any()) or any(int(m) in hit for m in under)
        yield Finding(
            code="offset-missing", line=int(motions.line[move]),
            message=f"{context.tool_words(state.tool)} moves to cut with no offset on: the control does not know where its tip is",
            remedy=f"write T{state.tool:02d}{state.tool:02d} before it comes to work", tool=state.tool, move=move,
            evidence={"station": state.tool}, raised=Severity.CRASH if touches else None,
        )  # fmt: skip


@rule({"tool-unknown": Severity.FAULT}, TURNING)
def no_station(context: Context) -> Iterator[Finding]:
    """A feed before any T word, where the job does not say either what stands in front."""
    motions = context.motions
    feeds = np.flatnonzero(~motions.rapid() & (motions.dwell == 0.0) & (motions.tool_of() == 0))
    if len(feeds):
        move = int(feeds[0])
        yield Finding(
            code="tool-unknown", line=int(motions.line[move]),
            message="this moves to cut before any T word: the control knows neither the station nor its offset",
            remedy="write T and the station with its offset, as in T0101, before the first cut", move=move,
        )  # fmt: skip
