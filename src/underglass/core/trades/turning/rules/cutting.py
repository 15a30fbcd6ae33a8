"""How the metal comes off: edges, depths, the axis, what was parted.

Codes: insert-back-edge, too-deep, deep-for-hold, cuts-air, off-centre, pip-left, parted-early, chip-window.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import shapely

from underglass.core.finding import Finding, Severity
from underglass.core.proof.rule import rule
from underglass.core.proof.rules.context import Context
from underglass.core.removal.section.history import Piece
from underglass.core.removal.section.shape import folded, swept
from underglass.core.tolerances import TOLERANCES
from underglass.core.trades.turning.clock import speeds
from underglass.core.trades.turning.name import TURNING
from underglass.core.trades.turning.rules.looked import Looked, look, place, runs, tool_events

_NEAR_AXIS_MM = 2.0
"""A cut that ends so near the axis (a radius) is meant to come to it."""

_OFF_MM = 0.05
"""So far beside the axis (a radius) a tip does not clean the face up (as the contract of the trade has it)."""


@rule({"insert-back-edge": Severity.FAULT}, TURNING)
def back_edge(context: Context) -> Iterator[Finding]:
    """Metal taken on the finished side of the nose, by an edge that must not cut."""
    seen, motions = look(context), context.motions
    if seen.cut is None:
        return
    for group in runs(np.flatnonzero(seen.cut.back > 0.0).tolist()):
        worst = max(group, key=lambda m: float(seen.cut.back[m]))  # type: ignore[union-attr]
        move, depth = group[0], float(seen.cut.back[worst])
        tool = motions.state_of(move).tool
        yield Finding(
            code="insert-back-edge", line=int(motions.line[move]),
            message=f"{context.tool_words(tool)} cuts with its back edge: it takes {context.length(depth)} more than the nose leaves",
            remedy="take an insert with a smaller corner angle, or turn this side from the other end", tool=tool, move=move,
            position=place(context, float(seen.end[worst, 0]), float(seen.end[worst, 1])),
            evidence={"depth_mm": depth, "moves": len(group)},
        )  # fmt: skip


@rule({"too-deep": Severity.CAUTION, "deep-for-hold": Severity.CAUTION}, TURNING)
def deep(context: Context) -> Iterator[Finding]:
    """Depth of cut beyond the edge, and beyond what the hold takes. Once a tool, at its first such move."""
    seen, motions = look(context), context.motions
    if seen.cut is None:
        return
    grip = seen.lathe.chuck.grip_limit
    lead = np.array([s.station.lead if s.station else 0.0 for s in motions.in_force] or [0.0])[motions.state]
    told: set[tuple[str, int]] = set()
    most_of = np.array([t.whole_depth() or np.inf for t in seen.tools] + [np.inf])[seen.row]
    deep_ones = seen.cut.depth > np.minimum(most_of, grip or np.inf) + TOLERANCES.touch_mm
    turned = seen.those(lambda t: not t.on_axis and t.kind != "threading")
    for move in np.flatnonzero(deep_ones & turned & ~motions.rapid() & (lead == 0.0)).tolist():
        tool = seen.tool(move)
        assert tool is not None
        depth, most = float(seen.cut.depth[move]), tool.whole_depth()
        number = motions.state_of(move).tool
        if most and depth > most + TOLERANCES.touch_mm and ("too-deep", number) not in told:
            told.add(("too-deep", number))
            yield Finding(
                code="too-deep", line=int(motions.line[move]),
                message=f"{context.tool_words(number)} cuts {context.length(depth)} deep, and its edge is {context.length(most)} long",
                remedy="take it in more passes, or a longer edge", tool=number, move=move,
                evidence={"depth_mm": depth, "edge_mm": most},
            )  # fmt: skip
        if grip and depth > grip + TOLERANCES.touch_mm and ("deep-for-hold", number) not in told:
            told.add(("deep-for-hold", number))
            yield Finding(
                code="deep-for-hold", line=int(motions.line[move]),
                message=f"{context.tool_words(number)} cuts {context.length(depth)} deep, and this hold takes {context.length(grip)}",
                remedy="take it in more passes, or hold it better", tool=number, move=move,
                evidence={"depth_mm": depth, "grip_limit_mm": grip},
            )  # fmt: skip


@rule({"too-deep": Severity.CAUTION}, TURNING)
def flutes(context: Context) -> Iterator[Finding]:
    """A tool on the axis that is fed past its flutes."""
    seen, motions = look(context), context.motions
    if seen.cut is None:
        return
    rapid = motions.rapid()
    for station, first, last, _line, _column in tool_events(context):
        mine = (first + np.flatnonzero((seen.cut.removed[first:last] > 0.0) & ~rapid[first:last])).tolist()
        tool = seen.tool(mine[0]) if mine else None
        if tool is None or not tool.on_axis:
            continue
        front = seen.cut.at(first, 0.0).shape.bounds[3]
        move = min(mine, key=lambda m: float(min(seen.start[m, 1], seen.end[m, 1])))
        depth = float(front) - float(min(seen.start[move, 1], seen.end[move, 1]))
        if tool.APMX and depth > tool.APMX + TOLERANCES.touch_mm:
            at = next(m for m in mine if front - float(seen.end[m, 1]) > tool.APMX + TOLERANCES.touch_mm)
            yield Finding(
                code="too-deep", line=int(motions.line[at]),
                message=f"{context.tool_words(station)} goes {context.length(depth)} deep, and its flutes are {context.length(tool.APMX)} long",
                remedy="take a longer tool", tool=station, move=at, evidence={"depth_mm": depth, "flutes_mm": tool.APMX},
            )  # fmt: skip


@rule({"cuts-air": Severity.CAUTION}, TURNING)
def air(context: Context) -> Iterator[Finding]:
    """A tool that is fed between its T word and the next one and takes nothing. Of what was faced before a pull it is none."""
    seen, motions = look(context), context.motions
    if seen.cut is None or not len(motions):
        return
    feeds = ~motions.rapid() & (motions.dwell == 0.0)
    late = {move for _piece, move in _too_late(context)}
    for station, first, last, line, column in tool_events(context):
        if seen.lathe.pulls and first < len(seen.cut.ways.shift) and seen.cut.ways.shift[first] > 0.0:
            continue
        mine = slice(first, last)
        if any(first <= move < last for move in late) or any(first <= h.move < last for h in seen.cut.hits):
            continue
        if feeds[mine].any() and not (seen.cut.removed[mine] > 0.0).any() and seen.tool(first) is not None:
            yield Finding(
                code="cuts-air", line=line, message=f"{context.tool_words(station)} is fed, and takes nothing at all",
                remedy="check its offset, the zero and the stock", column=column, end_column=column + 5, tool=station, move=first,
            )  # fmt: skip


@rule({"off-centre": Severity.FAULT, "pip-left": Severity.NOTE}, TURNING)
def centre(context: Context) -> Iterator[Finding]:
    """Tips that should come to the axis and do not, or pass beside it."""
    seen, motions = look(context), context.motions
    if seen.cut is None:
        return
    told: set[int] = set()
    for move in np.flatnonzero((seen.cut.removed > 0.0) & ~motions.rapid() & seen.those(lambda t: t.on_axis)).tolist():
        number = motions.state_of(move).tool
        if number in told:
            continue
        off = max(abs(float(seen.start[move, 0])), abs(float(seen.end[move, 0])))
        if off > _OFF_MM:
            told.add(number)
            yield Finding(
                code="off-centre", line=int(motions.line[move]),
                message=f"{context.tool_words(number)} is fed {context.length(off)} off the axis",
                remedy="bring it to X 0, and check X of its offset", tool=number, move=move, evidence={"off_mm": off},
            )  # fmt: skip
    yield from _pips(context)


def _pips(context: Context) -> Iterator[Finding]:
    """Facing and parting that ends short of the axis."""
    seen, motions = look(context), context.motions
    assert seen.cut is not None
    n = len(motions)
    end, start = seen.end, seen.start
    freed = {piece.move for piece in seen.cut.pieces}
    into = (end[:, 0] < start[:, 0] - 1e-6) & (np.abs(end[:, 1] - start[:, 1]) < 1e-6) & ~motions.rapid()
    for move in np.flatnonzero(into & (seen.cut.removed > 0.0) & (end[:, 0] < _NEAR_AXIS_MM)).tolist():
        tool, number, x = seen.tool(move), motions.state_of(move).tool, float(end[move, 0])
        if tool is None or tool.on_axis or move in freed or tool.kind not in ("turning", "parting", "grooving"):
            continue
        if move + 1 < n and not motions.rapid()[move + 1] and end[move + 1, 0] < x - 1e-6:
            continue
        sharp = tool.kind == "parting" or (tool.RE <= 0.0 and tool.kind == "turning")
        if sharp and x > _OFF_MM and _solid(seen, move):
            yield Finding(
                code="off-centre", line=int(motions.line[move]),
                message=f"{context.tool_words(number)} stops {context.length(x)} short of the axis",
                remedy="go to X 0, or a little beyond, and check X of its offset", tool=number, move=move, evidence={"off_mm": x},
            )  # fmt: skip
        elif not sharp and tool.kind == "turning" and -tool.RE + TOLERANCES.touch_mm < x <= 1e-6:
            left = 2.0 * (x + tool.RE)
            yield Finding(
                code="pip-left", line=int(motions.line[move]),
                message=f"facing ends at X {context.figure(2.0 * x)}: the nose leaves a pip of up to {context.length(left)} in diameter",
                remedy=f"go on to X {context.figure(-2.0 * tool.RE)}", tool=number, move=move, evidence={"pip_mm": left},
            )  # fmt: skip


def _solid(seen: Looked, move: int) -> bool:
    """Whether metal stands on the axis where a blade or a tip has stopped."""
    assert seen.cut is not None
    section = seen.cut.at(move, 1.0)
    row = int(seen.row[move])
    low, high = (
        float(v)
        for v in (
            min(p[:, 1].min() for p in seen.cut.tools[row].edge),
            max(p[:, 1].max() for p in seen.cut.tools[row].edge),
        )
    )
    z = float(seen.end[move, 1]) + (low + min(high, low + 2.0)) / 2.0
    return any(inner == 0.0 for _outer, inner in section.rings_at(z))


@rule({"parted-early": Severity.FAULT}, TURNING)
def early(context: Context) -> Iterator[Finding]:
    """Work at a piece that has been parted off already."""
    motions = context.motions
    for piece, move in _too_late(context):
        tool = motions.state_of(move).tool
        yield Finding(
            code="parted-early", line=int(motions.line[move]),
            message=f"{context.tool_words(tool)} works at a piece of {context.volume(piece.volume)} that line {int(motions.line[piece.move])} has parted off",
            remedy="part off last", tool=tool, move=move,
            evidence={"parted_line": int(motions.line[piece.move]), "volume_mm3": piece.volume},
        )  # fmt: skip


def _too_late(context: Context) -> list[tuple[Piece, int]]:
    """Each piece that is worked at after it was parted off, and the first move that does. Worked out once a proof."""
    seen, motions = look(context), context.motions
    found = context.kept.get("too late")
    if isinstance(found, list):
        return found
    out: list[tuple[Piece, int]] = []
    context.kept["too late"] = out
    if seen.cut is None:
        return out
    ways = seen.cut.ways
    for piece in seen.cut.pieces:
        until = next(
            (m for m in range(piece.move + 1, len(motions)) if ways.shift[m] != ways.shift[piece.move]), len(motions)
        )
        for step in range(ways.first_of(piece.move + 1), ways.first_of(until)):
            move, row = int(ways.move[step]), int(ways.row[step])
            if motions.rapid()[move] or row < 0:
                continue
            shapes = swept(list(seen.cut.tools[row].edge), ways.start[step][None, :], ways.end[step][None, :])
            if any(shapely.intersection(folded(s), piece.shape).area > 1e-3 for s in shapes):
                out.append((piece, move))
                break
    return out


@rule({"chip-window": Severity.NOTE}, TURNING)
def chips(context: Context) -> Iterator[Finding]:
    """Depth and feed a turn outside the window in which this material's chip breaks. Once a tool, by what most of its cut has."""
    seen, motions, material = look(context), context.motions, context.job.bench.cuts_like
    if seen.cut is None or material is None or material.chip is None or not len(motions):
        return
    deep_low, deep_high, feed_low, feed_high = material.chip
    rpm = speeds(motions, context.job.bench.machine)
    lead = np.array([s.station.lead if s.station else 0.0 for s in motions.in_force])[motions.state]
    for station, first, last, _line, _column in tool_events(context):
        mine = [
            m for m in range(first, last)
            if seen.cut.removed[m] > 0.0 and not motions.rapid()[m] and rpm[m] > 0.0 and lead[m] == 0.0
        ]  # fmt: skip
        tool = seen.tool(mine[0]) if mine else None
        if tool is None or tool.kind not in ("turning", "boring"):
            continue
        move = max(mine, key=lambda m: float(seen.cut.removed[m]))  # type: ignore[union-attr]
        depth, feed = float(seen.cut.depth[move]), float(motions.feed[move]) / float(rpm[move])
        if deep_low <= depth <= deep_high and feed_low <= feed <= feed_high:
            continue
        yield Finding(
            code="chip-window", line=int(motions.line[move]),
            message=f"{context.tool_words(station)} takes {context.length(depth)} at {context.length(feed)} a turn: {material.name} breaks its chip at "
            f"{deep_low:g} to {deep_high:g} mm and {feed_low:g} to {feed_high:g} mm a turn",
            remedy="change depth or feed if the chip gets long", tool=station, move=move,
            evidence={"depth_mm": depth, "feed_mm_turn": feed},
        )  # fmt: skip
