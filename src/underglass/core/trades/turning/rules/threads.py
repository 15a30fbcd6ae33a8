"""Threads: room before and behind, one speed for all passes, and the root at the basic size.

Codes: thread-runout, thread-speed-changes, thread-lead-changes, thread-depth, thread-as-rings, over-feed.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise

import numpy as np
import shapely

from underglass.core.finding import Finding, Severity
from underglass.core.language import writing
from underglass.core.proof.rule import rule
from underglass.core.proof.rules.context import Context
from underglass.core.trades.turning.clock import speeds
from underglass.core.trades.turning.name import TURNING
from underglass.core.trades.turning.rules.looked import Looked, look

_FRONT, _BEHIND = 2.0, 1.0
"""Leads of room that a thread needs to get into step, and to get out (common practice, no source)."""

_BASIC = (1.0825, 1.2269)
"""An external root lies so many pitches under the diameter: the minor diameter's basic size and the root of the full rounded
form (ISO 68-1, ISO 724, from memory)."""

NOMINALS = (
    1.6, 2, 2.5, 3, 3.5, 4, 5, 6, 7, 8, 9, 10, 11, 12, 14, 15, 16, 17, 18, 20, 22, 24, 25, 26, 27, 28, 30, 32, 33, 35, 36, 38,
    39, 40, 42, 45, 48, 50, 52, 55, 56, 58, 60, 62, 64, 65, 68, 70, 72, 75, 76, 78, 80, 82, 85, 90, 95, 100, 105, 110, 115, 120,
)  # fmt: skip
"""Diameters of ISO 261 (from memory), mm."""


def passes(context: Context) -> list[list[int]]:
    """The moves of each thread: of one tool and lead, one after the other with only rapids between."""
    motions = context.motions
    leads = np.array([s.station.lead if s.station else 0.0 for s in motions.in_force] or [0.0])
    if not len(motions) or not leads.any():
        return []
    lead, called = leads[motions.state], motions.tool_of()
    fed = ~motions.rapid() & (motions.dwell == 0.0)
    out: list[list[int]] = []
    key: tuple[int, float] | None = None
    for move in np.flatnonzero((lead > 0.0) | fed).tolist():
        if lead[move] > 0.0:
            now = (int(called[move]), float(lead[move]))
            if key != now:
                out.append([])
                key = now
            out[-1].append(move)
        else:
            key = None
    return out


@rule(
    {"thread-runout": Severity.FAULT, "thread-speed-changes": Severity.FAULT, "thread-depth": Severity.CAUTION, "thread-as-rings": Severity.NOTE},
    TURNING,
)  # fmt: skip
def threads(context: Context) -> Iterator[Finding]:
    """Every thread that takes metal."""
    seen, motions = look(context), context.motions
    if seen.cut is None:
        return
    changed = _lead_changes(context)  # there the depth of each stretch says nothing
    for moves in passes(context):
        cutting = [m for m in moves if seen.cut.removed[m] > 0.0]
        if not cutting:
            continue
        first = cutting[0]
        state = motions.state_of(first)
        lead = state.station.lead if state.station is not None else 0.0
        yield Finding(
            code="thread-as-rings", line=int(motions.line[first]),
            message="this thread is held as rings of its form: the section is right, the helix is not there to be seen",
            remedy="measure core and crest; the flanks' lead is the program's", tool=state.tool, move=first,
            evidence={"lead_mm": lead},
        )  # fmt: skip
        yield from _room(context, cutting[0], lead)
        yield from _speed(context, cutting)
        if state.tool not in changed:
            yield from _depth(context, cutting, lead)


@rule({"thread-lead-changes": Severity.FAULT, "over-feed": Severity.FAULT}, TURNING)
def leads(context: Context) -> Iterator[Finding]:
    """A pass on the same way as the one before it with another lead; and a thread that needs more feed than there is."""
    motions = context.motions
    most = context.job.bench.machine.feed_max
    for moves in passes(context):
        move = moves[0]
        state, feed = motions.state_of(move), float(np.max(motions.feed[moves]))
        if feed > most * (1.0 + 1e-6):
            yield Finding(
                code="over-feed", line=int(motions.line[move]),
                message=f"this thread needs {writing.feed_in_words(feed, state.units)}, more than the machine's highest feed, {writing.feed_in_words(most, state.units)}",
                remedy="check the lead, or lower S", tool=state.tool, move=move, evidence={"feed_mm_min": feed, "highest_mm_min": most},
            )  # fmt: skip
    for a, b in _lead_changes(context).values():
        before, now = motions.state_of(a), motions.state_of(b)
        assert before.station is not None and now.station is not None
        yield Finding(
            code="thread-lead-changes", line=int(motions.line[b]),
            message=f"this pass has a lead of {context.length(now.station.lead)}, the pass before it {context.length(before.station.lead)}: "
            "it does not meet the same groove",
            remedy="cut every pass of a thread with one lead", tool=now.tool, move=b,
            evidence={"lead_mm": now.station.lead, "before_mm": before.station.lead},
        )  # fmt: skip


def _lead_changes(context: Context) -> dict[int, tuple[int, int]]:
    """By tool: the first two passes, one behind the other on the same way, whose leads differ."""
    seen, motions = look(context), context.motions
    out: dict[int, tuple[int, int]] = {}
    for one, other in pairwise(passes(context)):
        a, b = one[-1], other[0]
        tool = motions.state_of(b).tool
        rapids = bool(motions.rapid()[a + 1 : b].all())
        alike = np.allclose([seen.start[a, 1], seen.end[a, 1]], [seen.start[b, 1], seen.end[b, 1]], rtol=0.0, atol=1e-6)
        if motions.state_of(a).tool == tool and rapids and alike:
            out.setdefault(tool, (a, b))
    return out


def _room(context: Context, move: int, lead: float) -> Iterator[Finding]:
    seen, motions = look(context), context.motions
    assert seen.cut is not None
    z0, z1 = float(seen.start[move, 1]), float(seen.end[move, 1])
    low, high = _metal(seen, move, min(z0, z1), max(z0, z1))
    front, behind = (z0 - high, low - z1) if z1 < z0 else (low - z0, z1 - high)
    # A pass that is pulled out along a slope gets out within the metal.
    after = motions.state_of(move + 1).station if move + 1 < len(motions) else None
    pulled = after is not None and after.lead > 0.0 and not motions.rapid()[move + 1]
    short = []
    if front < _FRONT * lead - 1e-6:
        short.append(
            f"{context.length(max(front, 0.0))} in front, where {context.length(_FRONT * lead)} is needed to get into step"
        )
    if not pulled and behind < _BEHIND * lead - 1e-6:
        short.append(
            f"{context.length(max(behind, 0.0))} behind, where {context.length(_BEHIND * lead)} is needed to get out"
        )
    if short:
        yield Finding(
            code="thread-runout", line=int(motions.line[move]), message=f"this thread has {' and '.join(short)}",
            remedy="begin farther in front, or run out into a groove", tool=motions.state_of(move).tool, move=move,
            evidence={"front_mm": front, "behind_mm": behind, "lead_mm": lead},
        )  # fmt: skip


def _metal(seen: Looked, move: int, z0: float, z1: float) -> tuple[float, float]:
    """From where to where metal stands on the way of a pass, at the depth that it cuts."""
    assert seen.cut is not None
    section = seen.cut.at(move, 0.0)
    x = (float(seen.start[move, 0]) + float(seen.end[move, 0])) / 2.0
    line = shapely.LineString([(x, z0 - 1e3), (x, z1 + 1e3)])
    spans = [p.bounds for p in shapely.get_parts(shapely.intersection(section.shape, line)) if p.length > 1e-6]
    met = [(b[1], b[3]) for b in spans if b[3] > z0 and b[1] < z1]
    if not met:
        return z1, z0
    return min(a for a, _b in met), max(b for _a, b in met)


def _speed(context: Context, moves: list[int]) -> Iterator[Finding]:
    motions = context.motions
    rpm = speeds(motions, context.job.bench.machine)
    first = float(rpm[moves[0]])
    for move in moves[1:]:
        if abs(float(rpm[move]) - first) > 0.5:
            held = motions.state_of(move).station
            why = (
                "G96 lets the speed follow the diameter"
                if held is not None and held.surface
                else "S changes between the passes"
            )
            yield Finding(
                code="thread-speed-changes", line=int(motions.line[move]),
                message=f"this pass runs at {float(rpm[move]):.0f} rpm, the first at {first:.0f}: it does not meet the same groove ({why})",
                remedy="cut every pass of a thread at one speed, under G97", tool=motions.state_of(move).tool, move=move,
                evidence={"speed_rpm": float(rpm[move]), "first_rpm": first},
            )  # fmt: skip
            return


def _depth(context: Context, moves: list[int], lead: float) -> Iterator[Finding]:
    """Only of threads outside: the crest is what stood there before the first pass."""
    seen, motions = look(context), context.motions
    assert seen.cut is not None
    tool = seen.tool(moves[0])
    if tool is None or tool.kind != "threading" or tool.orientation in (1, 2, 6):
        return
    low, high = seen.cut.span[moves[0]]
    section = seen.cut.at(moves[0], 0.0)
    rings = section.rings_at((float(low) + float(high)) / 2.0 + section.shift)
    if not rings:
        return
    crest = rings[0][0]
    nominal = next((d for d in NOMINALS if d >= crest - 0.03), crest)
    if nominal - crest > 0.3 * lead + 0.1:
        nominal = crest
    root = 2.0 * float(seen.cut.lowest[moves].min())
    deep, shallow = nominal - _BASIC[1] * lead, nominal - _BASIC[0] * lead
    if deep - 0.005 <= root <= shallow + 0.005:
        return
    move = moves[int(np.argmin(seen.cut.lowest[moves]))]
    word = "deep" if root < deep else "shallow"
    yield Finding(
        code="thread-depth", line=int(motions.line[move]),
        message=f"the root of this thread is {context.length(root)} in diameter: too {word} for {nominal:g} x {lead:g}, "
        f"which wants {context.length(deep)} to {context.length(shallow)}",
        remedy="check the thread's depth and where the last pass stands", tool=motions.state_of(move).tool, move=move,
        evidence={"root_mm": root, "nominal_mm": float(nominal), "deepest_mm": deep, "shallowest_mm": shallow},
    )  # fmt: skip
