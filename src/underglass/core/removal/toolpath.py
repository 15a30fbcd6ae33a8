"""Moves as a solid on the table sees them: the real tip's way in the solid's own frame, and the real tools' shapes."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from underglass.core.bench.frame import Frame
from underglass.core.bench.tool import Tool
from underglass.core.control.motions import Kind, Motions, arc_boxes
from underglass.core.frozen import freeze
from underglass.core.tolerances import TOLERANCES

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True, kw_only=True)
class ToolTable:
    """Every tool that is ever really in the spindle, a row each.

    ``outline`` (t, 4): radius, flat, corner, slope. ``radius``, ``bottom``, ``top``
    (t, parts): the cylinders of cutter, shank, holder, spindle nose above the tip, mm; radius 0 where there is none.
    """

    tools: tuple[Tool, ...]
    outline: Floats
    radius: Floats
    bottom: Floats
    top: Floats
    part_names: tuple[tuple[str, ...], ...]

    def __post_init__(self) -> None:
        freeze(self)


def make_tool_table(tools: Sequence[Tool], nose_diameter: float) -> ToolTable:
    """The shapes of these tools as arrays."""
    solids = [t.solids(nose_diameter) for t in tools]
    parts = max((len(s) for s in solids), default=1)
    outline = np.zeros((len(tools), 4))
    radius, bottom, top = (np.zeros((len(tools), parts)) for _ in range(3))
    for row, (tool, cylinders) in enumerate(zip(tools, solids)):
        profile = tool.profile
        outline[row] = (profile.radius, profile.flat, profile.corner, profile.slope)
        for k, part in enumerate(cylinders):
            radius[row, k], bottom[row, k], top[row, k] = part.radius, part.bottom, part.top
    names = tuple(tuple(c.part for c in cylinders) for cylinders in solids)
    return ToolTable(tools=tuple(tools), outline=outline, radius=radius, bottom=bottom, top=top, part_names=names)


@dataclass(frozen=True, slots=True, kw_only=True)
class TipPath:
    """The real tip's way in one frame, mm, in steps: a step is a straight move, an arc in XY, or a chord of another arc.

    ``row`` (k,) int32 is the tool's row in the table, -1 for none; ``move`` (k,) int32 the move a step belongs to;
    ``first`` (n + 1,) int64 the first step of each of the n moves, and the number of steps.
    """

    start: Floats
    end: Floats
    centre: Floats
    sweep: Floats
    row: NDArray[np.int32]
    move: NDArray[np.int32]
    first: NDArray[np.int64]

    def __post_init__(self) -> None:
        # Read-only from the first: a kernel is compiled once for arrays of one kind, and again for those of the other.
        freeze(self)

    def __len__(self) -> int:
        return len(self.row)

    @property
    def moves(self) -> int:
        return len(self.first) - 1

    def boxes(self) -> tuple[Floats, Floats]:
        """Lowest and highest place of each whole step, an arc's bulge with it. ``(k, 3)`` twice, mm."""
        first = np.zeros(len(self), dtype=np.int64)
        return arc_boxes(self.start, self.end, self.centre, self.sweep, first, first + 1)

    def step_at(self, move: int, share: float) -> tuple[int, float]:
        """(step, share of it) at a share of a move."""
        if move >= self.moves:
            return len(self), 0.0
        first, count = int(self.first[move]), int(self.first[move + 1] - self.first[move])
        done = share * count
        step = min(int(done), count - 1)
        return first + step, done - step

    def share_of(self, step: int, share: float) -> tuple[int, float]:
        """(move, share of it) at a share of a step."""
        move = int(self.move[step])
        first, count = int(self.first[move]), int(self.first[move + 1] - self.first[move])
        return move, (step - first + share) / count


def one_step_a_move(start: Floats, end: Floats, centre: Floats, sweep: Floats, row: NDArray[np.int32]) -> TipPath:
    """A path of straight moves and arcs in XY."""
    n = len(row)
    move, first = np.arange(n, dtype=np.int32), np.arange(n + 1, dtype=np.int64)
    return TipPath(start=start, end=end, centre=centre, sweep=sweep, row=row, move=move, first=first)


def real_tools(
    motions: Motions, tools: Mapping[int, Tool], loaded: Mapping[int, int]
) -> tuple[list[Tool], NDArray[np.int32]]:
    """The tools really used, and for every move the index of its own (-1: spindle empty, or a tool that is not there)."""
    order: dict[Tool, int] = {}
    rows: dict[int, int] = {}
    for number in motions.tools_called():
        tool = tools.get(loaded.get(number, number)) if number else None
        if tool is None:
            rows[number] = -1
            continue
        rows[number] = order.setdefault(tool, len(order))
    if not len(motions):
        return list(order), np.empty(0, dtype=np.int32)
    # A state that no move is made under may hold a tool that none calls.
    of_state = np.array([rows.get(s.tool, -1) for s in motions.in_force], dtype=np.int32)
    return list(order), of_state[motions.state]


def spare_bored_walls(
    motions: Motions, row: NDArray[np.int32], table: ToolTable
) -> tuple[ToolTable, NDArray[np.int32]]:
    """Boring bars that a cycle moves with the spindle stopped stand with their one edge away from the wall.

    For those moves each bar gets a second row without a cutting part; its shank and holder stay.
    """
    if all(tool.kind != "boring-bar" for tool in table.tools):
        return table, freeze(row)
    stopped = np.array([s.spindle == "off" for s in motions.in_force] or [True])[motions.state]
    aside = stopped & (motions.kind == Kind.CYCLE_RAPID)
    tools = list(table.tools)
    row = row.copy()
    bars = [k for k, tool in enumerate(table.tools) if tool.kind == "boring-bar" and (aside & (row == k)).any()]
    if not bars:
        return table, freeze(row)
    for k in bars:
        row[aside & (row == k)] = len(tools)
        tools.append(table.tools[k])
    pick = [*range(len(table.tools)), *bars]
    outline, radius = table.outline[pick].copy(), table.radius[pick].copy()
    outline[len(table.tools) :] = 0.0
    radius[len(table.tools) :, 0] = 0.0
    names = tuple(table.part_names[k] for k in pick)
    return ToolTable(
        tools=tuple(tools),
        outline=outline,
        radius=radius,
        bottom=table.bottom[pick],
        top=table.top[pick],
        part_names=names,
    ), freeze(row)


def tip_path(motions: Motions, row: NDArray[np.int32], tools: Sequence[Tool], frame: Frame) -> TipPath:
    """The real tip's way: machine Z less the real length, seen from ``frame``. No tool: the gauge line's."""
    lengths = np.array([t.length for t in tools] + [0.0])[row]
    # Whatever length a tool is said to have: the kernels count in cells, and cells beyond all reach have no number.
    far = 10.0 * TOLERANCES.farthest_mm
    lengths = np.clip(lengths, -far, far)
    start, end = motions.start.copy(), motions.end.copy()
    start[:, 2] -= lengths
    end[:, 2] -= lengths
    # A helix of a tool with a round corner is cut in chords, too: its lowest place over a point has no closed form.
    cornered = np.array([t.profile.corner > 0.0 for t in tools] + [False])[row]
    helix = cornered & (start[:, 2] != end[:, 2])
    upright = (motions.sweep != 0.0) & ((motions.plane != 17) | helix)
    if not upright.any():
        centre = motions.centre.copy()
        centre[:, 2] = 0.0
        flat = np.ascontiguousarray(frame.into(centre)[:, :2])
        return one_step_a_move(frame.into(start), frame.into(end), flat, np.ascontiguousarray(motions.sweep), row)
    return _with_chords(motions, row, lengths, upright, frame)


def tip_path_after(
    earlier: TipPath, since: int, motions: Motions, row: NDArray[np.int32], tools: Sequence[Tool], frame: Frame
) -> TipPath:
    """The same as ``tip_path``, where the first ``since`` moves are known to be those of an earlier path of these tools in this frame."""
    since = min(since, earlier.moves, len(motions))
    if not since:
        return tip_path(motions, row, tools, frame)
    new = tip_path(motions.part(since, len(motions)), row[since:], tools, frame)
    steps = int(earlier.first[since])
    columns = {
        name: np.concatenate([getattr(earlier, name)[:steps], getattr(new, name)])
        for name in ("start", "end", "centre", "sweep")
    }
    plain = len(new) == new.moves and steps == since
    # A path of one step a move is numbered as it stands.
    move = (
        np.arange(len(motions), dtype=np.int32) if plain else np.concatenate([earlier.move[:steps], new.move + since])
    )
    first = np.arange(len(motions) + 1) if plain else np.concatenate([earlier.first[:since], new.first + steps])
    whole_row = row if plain else np.concatenate([earlier.row[:steps], new.row])
    return TipPath(**columns, row=whole_row, move=move.astype(np.int32), first=first)


def _with_chords(
    motions: Motions, row: NDArray[np.int32], lengths: Floats, upright: NDArray[np.bool_], frame: Frame
) -> TipPath:
    """Arcs that stand upright, and such helices, become chords no farther from them than the tolerance; all else stays as it is."""
    radius = np.maximum(motions.radius(), TOLERANCES.chord_mm)
    step = 2.0 * np.arccos(np.clip(1.0 - TOLERANCES.chord_mm / radius, -1.0, 1.0))
    count = np.where(upright, np.maximum(np.ceil(np.abs(motions.sweep) / np.maximum(step, 1e-4)), 1), 1).astype(
        np.int64
    )
    first = np.concatenate([[0], np.cumsum(count)])
    move = np.repeat(np.arange(len(motions)), count)
    k = np.arange(first[-1]) - first[move]
    u, v, _w = (axis[move] for axis in motions.arc_axes())
    rows = np.arange(len(move))
    bent = upright[move]
    ends = []
    for share in (k / count[move], (k + 1) / count[move]):
        at = motions.start[move] + (motions.end[move] - motions.start[move]) * share[:, None]
        away_u = motions.start[move, u] - motions.centre[move, u]
        away_v = motions.start[move, v] - motions.centre[move, v]
        angle = np.arctan2(away_v, away_u) + motions.sweep[move] * share
        r = np.hypot(away_u, away_v)
        inner = bent & (share < 1.0)
        at[rows[inner], u[inner]] = (motions.centre[move, u] + r * np.cos(angle))[inner]
        at[rows[inner], v[inner]] = (motions.centre[move, v] + r * np.sin(angle))[inner]
        at[:, 2] -= lengths[move]
        # Ends of what stays whole are taken as they stand, to the last bit.
        done = share >= 1.0
        at[done, :2] = motions.end[move[done], :2]
        at[done, 2] = motions.end[move[done], 2] - lengths[move[done]]
        ends.append(frame.into(at))
    centre = motions.centre[move].copy()
    centre[:, 2] = 0.0
    return TipPath(
        start=ends[0],
        end=ends[1],
        centre=np.ascontiguousarray(frame.into(centre)[:, :2]),
        sweep=np.where(bent, 0.0, motions.sweep[move]),
        row=row[move],
        move=move.astype(np.int32),
        first=first,
    )
