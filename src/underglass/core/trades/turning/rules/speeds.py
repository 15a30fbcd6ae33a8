"""Spindle: which way it turns, how fast, and whether it is held in check.

Codes: spindle-direction, speed-unlimited, load-high, tap-feed.
"""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from underglass.core.finding import Finding, Severity
from underglass.core.proof.rule import rule
from underglass.core.proof.rules.context import Context
from underglass.core.trades.turning.clock import speeds
from underglass.core.trades.turning.name import TURNING
from underglass.core.trades.turning.rules.looked import look, runs

_AXIS_MM = 0.05
"""So near the axis (a radius) a surface speed asks for all that the spindle has."""


@rule({"spindle-direction": Severity.FAULT}, TURNING)
def direction(context: Context) -> Iterator[Finding]:
    """Stock that is cut while the spindle turns against the tool."""
    seen, motions = look(context), context.motions
    spindle = np.array([{"off": 0, "clockwise": 1}.get(s.spindle, 2) for s in motions.in_force] or [0])[motions.state]
    against = (seen.those(lambda t: t.turns == "cw") & (spindle == 2)) | (
        seen.those(lambda t: t.turns == "ccw") & (spindle == 1)
    )
    cut = np.flatnonzero((seen.taken(len(motions)) > 0.0) & against)
    for group in runs(_against(context, cut.tolist())):
        move = group[0]
        tool, state = seen.tool(move), motions.state_of(move)
        assert tool is not None
        wanted = "M3" if tool.turns == "cw" else "M4"
        yield Finding(
            code="spindle-direction", line=int(motions.line[move]),
            message=f"{context.tool_words(state.tool)} cuts while the spindle turns the wrong way for it",
            remedy=f"start the spindle with {wanted}, or say in the job that the tool stands the other way up",
            tool=state.tool, move=move, evidence={"wants": wanted, "moves": len(group)},
        )  # fmt: skip


def _against(context: Context, moves: list[int]) -> Iterator[int]:
    seen, motions = look(context), context.motions
    told: set[tuple[int, int]] = set()
    for move in moves:
        tool, state = seen.tool(move), motions.state_of(move)
        if tool is None or tool.turns == "either" or state.spindle == "off":
            continue
        backing_out = tool.kind == "tap" and motions.end[move, 2] > motions.start[move, 2]
        wrong = (tool.turns == "cw") != (state.spindle == "clockwise")
        if wrong and not backing_out and (state.tool, int(motions.state[move])) not in told:
            told.add((state.tool, int(motions.state[move])))
            yield move


@rule({"speed-unlimited": Severity.CAUTION}, TURNING)
def unlimited(context: Context) -> Iterator[Finding]:
    """G96 with no limit in force, at the first move that comes to the axis."""
    motions = context.motions
    if not len(motions):
        return
    free = np.array([
        s.station is not None and s.station.surface and not s.station.limit and s.spindle != "off" for s in motions.in_force
    ])[motions.state]  # fmt: skip
    if not free.any():
        return
    shift = motions.shifts()[:, 0]
    low, high = context.boxes()
    near = (low[:, 0] - shift <= _AXIS_MM) & (high[:, 0] - shift >= -_AXIS_MM)
    found = np.flatnonzero(free & near)
    if len(found):
        move = int(found[0])
        yield Finding(
            code="speed-unlimited", line=int(motions.line[move]),
            message=f"G96 is in force with no limit: at the axis the spindle runs up to the machine's {context.job.bench.machine.spindle_max:g} rpm",
            remedy="write G50 S and the highest speed that chuck and bar allow, before G96", tool=motions.state_of(move).tool or None,
            move=move, evidence={"highest_rpm": context.job.bench.machine.spindle_max},
        )  # fmt: skip


@rule({"load-high": Severity.CAUTION}, TURNING)
def fast(context: Context) -> Iterator[Finding]:
    """Surface speed above the material table's upper limit: once a tool, at the first move that cuts so."""
    material, motions, seen = context.job.bench.cuts_like, context.motions, look(context)
    if material is None or seen.cut is None or not len(motions):
        return
    rpm = speeds(motions, context.job.bench.machine)
    radius = np.maximum(np.abs(seen.start[:, 0]), np.abs(seen.end[:, 0]))
    taken = seen.taken(len(motions)) > 0.0
    told: set[int] = set()
    for move in np.flatnonzero(taken & ~motions.rapid()).tolist():
        tool = seen.tool(move)
        if tool is None or tool.number in told:
            continue
        reach = tool.DC / 2.0 if tool.on_axis else float(radius[move])
        speed = math.tau * reach * float(rpm[move]) / 1000.0
        limit = material.vc.get(tool.substrate)
        if limit is not None and speed > limit * 1.001:
            told.add(tool.number)
            yield Finding(
                code="load-high", line=int(motions.line[move]),
                message=f"{context.tool_words(motions.state_of(move).tool)} cuts {material.name} at {speed:.0f} m/min, above the usual {limit:g}",
                remedy="lower S, or take another insert", tool=motions.state_of(move).tool, move=move,
                evidence={"surface_speed_m_min": speed, "usual_m_min": limit},
            )  # fmt: skip


@rule({"tap-feed": Severity.FAULT}, TURNING)
def taps(context: Context) -> Iterator[Finding]:
    """A tap is fed by its pitch a turn."""
    motions, seen = context.motions, look(context)
    rpm = speeds(motions, context.job.bench.machine)
    taken = seen.taken(len(motions)) > 0.0
    told: set[int] = set()
    for move in np.flatnonzero(taken & ~motions.rapid() & seen.those(lambda t: t.kind == "tap")).tolist():
        tool = seen.tool(move)
        if tool is None or not tool.TP or tool.number in told or rpm[move] <= 0.0:
            continue
        per_turn = float(motions.feed[move]) / float(rpm[move])
        if abs(per_turn - tool.TP) > 0.005 * tool.TP:
            told.add(tool.number)
            yield Finding(
                code="tap-feed", line=int(motions.line[move]),
                message=f"the tap of {context.length(tool.TP)} pitch is fed {context.length(per_turn)} a turn",
                remedy="feed a tap by its pitch a turn", tool=motions.state_of(move).tool, move=move,
                evidence={"pitch_mm": tool.TP, "per_turn_mm": per_turn},
            )  # fmt: skip
