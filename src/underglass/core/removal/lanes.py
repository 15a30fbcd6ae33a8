"""The pass over the moves that cuts a field, in lanes: two cores side by side, and one alone to the same last bit.

No cell asks another, so what one lane does with a move is nothing to the other: each goes over all the moves of a stretch for its own rows of
tiles, and what both have seen is put together at the stretch's end. The lanes are a matter of the field's size alone; with one core they are
cut one after the other.

Glossary
    lane     every second row of tiles, so that a tool is nearly always in both
    stretch  moves that are cut between two looks round: at the keyframe, the progress, the wish to stop
"""

from __future__ import annotations

import os
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from underglass.core.compiled import kernel
from underglass.core.control.motions import arc_boxes
from underglass.core.removal.field import Dirty, Field
from underglass.core.removal.near import near_move
from underglass.core.removal.rows import height_around, height_at
from underglass.core.removal.sweep import sweep_move
from underglass.core.removal.toolpath import TipPath, ToolTable
from underglass.core.removal.touch import touch_move
from underglass.core.tolerances import TOLERANCES

Floats = NDArray[np.float64]

_LANES = 2
_LANES_FROM = 100_000
"""Cells: a smaller field is cut in a moment."""

STRETCH_CELLS = 2_000_000
"""Cells under the boxes of a stretch's moves, at the most: a few milliseconds."""

_WORTH_A_THREAD = 2_000_000
_HITS = 4096


@kernel
def cut_range(  # type: ignore[no-untyped-def]
    h, owner, dirty, cell, start, end, centre, sweep, row, move, outline, radius, bottom, forbid, i0, i1, base, limit_z, side, doubt, tol,
    removed, depths, hits, watched, near, chord, lane, lanes,
):  # fmt: skip
    """Cut steps from ``i0`` to ``i1`` in one lane, or until the hit list is full.

    Returns (next step, hits used, cells looked at). ``removed`` gets each step's volume, mm3, from step ``base`` on; ``depths`` (n, 3) the most
    height it takes in one cell, and on a plunge what it takes under its axis and how deep it ends below what is around
    it. A contact that the cells are too coarse to tell, within ``doubt`` mm of a part, is a hit of part -1 - p. ``near`` (tools, parts, 3) keeps the least gap of each ``watched`` part to the stock, with its step and share.
    """
    used = 0
    visited = 0
    out = np.empty(5)
    parts = radius.shape[1]
    i = i0
    while i < i1 and used + parts <= hits.shape[0]:
        k = row[i]
        if k >= 0:
            a, b = start[i], end[i]
            low = min(a[2], b[2])
            r, flat, corner, slope = outline[k, 0], outline[k, 1], outline[k, 2], outline[k, 3]
            if r > 0.0 and low < limit_z:
                if forbid[i] != 0:
                    shrunk = max(r - side, 0.25 * r)
                    rises = sweep[i] == 0.0 and a[0] == b[0] and a[1] == b[1] and b[2] >= a[2]
                    # Copies, as below: one kernel is compiled, not one more for rows that nobody writes to.
                    a2, b2 = a.copy(), b.copy()
                    if (
                        touch_move(
                            h,
                            cell,
                            a2,
                            b2,
                            centre[i],
                            sweep[i],
                            shrunk,
                            min(flat, shrunk),
                            corner,
                            slope,
                            tol,
                            out,
                            lane,
                            lanes,
                        )
                        > 0.0
                    ):
                        hits[used, 0], hits[used, 1] = i, 0.0
                        hits[used, 2:7] = out
                        used += 1
                    elif (
                        not rises
                        and forbid[i] == 1
                        and touch_move(
                            h, cell, a2, b2, centre[i], sweep[i], r + doubt, flat, corner, slope, tol, out, lane, lanes
                        )
                        > 0.0
                    ):
                        hits[used, 0], hits[used, 1] = i, -1.0
                        hits[used, 2:7] = out
                        used += 1
                plunge = sweep[i] == 0.0 and a[0] == b[0] and a[1] == b[1] and b[2] < a[2]
                under = height_at(h, cell, b[0], b[1], lane, lanes) if plunge else 0.0
                taken, seen, deepest = sweep_move(
                    h, owner, dirty, cell, a, b, centre[i], sweep[i], 1.0, r, flat, corner, slope, move[i], lane, lanes
                )
                removed[i - base] = taken * cell * cell
                depths[i - base, 0] = deepest
                if plunge:
                    depths[i - base, 1] = under - height_at(h, cell, b[0], b[1], lane, lanes)
                    depths[i - base, 2] = height_around(h, cell, b[0], b[1], r + 1.5 * cell, lane, lanes) - b[2]
                visited += seen
            for p in range(1, parts):
                pr = radius[k, p] - side
                if pr > 0.0 and low + bottom[k, p] < limit_z - tol:
                    lift = bottom[k, p]
                    a2, b2 = a.copy(), b.copy()
                    a2[2] += lift
                    b2[2] += lift
                    if touch_move(h, cell, a2, b2, centre[i], sweep[i], pr, pr, 0.0, 0.0, tol, out, lane, lanes) > 0.0:
                        hits[used, 0], hits[used, 1] = i, p
                        hits[used, 2:7] = out
                        used += 1
                    elif watched[k, p] == 1:
                        wide = pr + side + doubt
                        if (
                            touch_move(
                                h, cell, a2, b2, centre[i], sweep[i], wide, wide, 0.0, 0.0, tol, out, lane, lanes
                            )
                            > 0.0
                        ):
                            hits[used, 0], hits[used, 1] = i, -1 - p
                            hits[used, 2:7] = out
                            used += 1
                        gap, part = near_move(
                            h, cell, a, b, centre[i], sweep[i], radius[k, p], lift, near[k, p, 0], chord, lane, lanes
                        )
                        if gap < near[k, p, 0]:
                            near[k, p, 0], near[k, p, 1], near[k, p, 2] = gap, i, part
                elif pr > 0.0 and watched[k, p] == 1 and low + bottom[k, p] < limit_z + near[k, p, 0]:
                    gap, part = near_move(
                        h,
                        cell,
                        a,
                        b,
                        centre[i],
                        sweep[i],
                        radius[k, p],
                        bottom[k, p],
                        near[k, p, 0],
                        chord,
                        lane,
                        lanes,
                    )
                    if gap < near[k, p, 0]:
                        near[k, p, 0], near[k, p, 1], near[k, p, 2] = gap, i, part
        i += 1
        visited += 20
    return i, used, visited


class Seen(NamedTuple):
    """A part of a tool in the stock, or nearly (``doubt``), on a step. ``depth`` and place mm."""

    step: int
    part: int
    doubt: bool
    cells: int
    share: float
    depth: float
    x: float
    y: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Stretch:
    """What came of a stretch: ``removed`` (k,) mm3 and ``depths`` (k, 3) mm by step, ``near`` as of the end, cells looked at."""

    removed: Floats
    depths: Floats
    seen: tuple[Seen, ...]
    near: Floats
    visited: int


def stretches(path: TipPath, outline: Floats, field: Field, first: int, most: int) -> tuple[list[int], float]:
    """Where each stretch ends, from step ``first`` on, with up to ``most`` cells under the boxes of its moves; and all those cells."""
    n, cell = len(path), field.grid.cell
    if first >= n:
        return [], 0.0
    rows = slice(first, n)
    level = np.zeros(n - first, dtype=np.int64)
    low, high = arc_boxes(path.start[rows], path.end[rows], path.centre[rows], path.sweep[rows], level, level + 1)
    reach = np.append(outline[:, 0], 0.0)[path.row[rows]]
    wide, deep = (
        np.minimum((high[:, k] - low[:, k] + 2.0 * reach) / cell + 1.0, size)
        for k, size in ((0, field.grid.nx), (1, field.grid.ny))
    )
    total = np.cumsum(wide * deep + 20.0)
    ends = []
    at, done = 0, 0.0
    while at < n - first:
        at = max(int(np.searchsorted(total, done + most, side="right")), at + 1)
        done = float(total[at - 1])
        ends.append(first + at)
    return ends, done


class LanePass:
    """Cuts a field along a path, stretch after stretch. To be closed by ``with``: it may hold a thread."""

    def __init__(
        self, field: Field, dirty: Dirty, path: TipPath, table: ToolTable, forbid: NDArray[np.uint8],
        watched: NDArray[np.uint8], work: float,
    ) -> None:  # fmt: skip
        """``work``: about how many cells there are to be looked at in all."""
        grid = field.grid
        self._lanes = _LANES if grid.nx * grid.ny >= _LANES_FROM and grid.tiles[0] >= _LANES else 1
        self._field, self._dirty, self._path, self._table = field, dirty, path, table
        self._forbid, self._watched = forbid, watched
        side = self._lanes > 1 and work >= _WORTH_A_THREAD and len(os.sched_getaffinity(0)) > 1
        self._beside = ThreadPoolExecutor(self._lanes - 1, "lane") if side else None

    def __enter__(self) -> LanePass:
        return self

    def __exit__(self, *_error: object) -> None:
        if self._beside is not None:
            self._beside.shutdown()

    def go(self, first: int, until: int, near: Floats) -> Stretch:
        """Cut steps ``first`` to ``until``, exclusive; ``near`` (tools, parts, 3) is what had come nearest before."""
        if self._lanes == 1:
            return self._lane(0, first, until, near)
        if self._beside is not None:
            others = [self._beside.submit(self._lane, k, first, until, near) for k in range(1, self._lanes)]
            return _together([self._lane(0, first, until, near), *(other.result() for other in others)])
        return _together([self._lane(k, first, until, near) for k in range(self._lanes)])

    def _lane(self, lane: int, first: int, until: int, near: Floats) -> Stretch:
        field, path, table, grid = self._field, self._path, self._table, self._field.grid
        removed, depths, near = np.zeros(until - first), np.zeros((until - first, 3)), near.copy()
        hits = np.zeros((min(_HITS, max(until - first, 1) * table.radius.shape[1]), 7))
        seen: list[Seen] = []
        at, visited = first, 0
        while at < until:
            at, used, looked = cut_range(
                field.h, field.owner, self._dirty, grid.cell, path.start, path.end, path.centre, path.sweep, path.row, path.move,
                table.outline, table.radius, table.bottom, self._forbid, at, until, first, grid.height, TOLERANCES.touch_side_mm,
                TOLERANCES.doubt_cells * grid.cell, TOLERANCES.touch_mm, removed, depths, hits, self._watched, near,
                TOLERANCES.chord_mm, lane, self._lanes,
            )  # fmt: skip
            visited += looked
            for step, code, cells, share, depth, x, y in hits[:used].tolist():
                part = int(code) if code >= 0 else -1 - int(code)
                seen.append(Seen(int(step), part, code < 0, int(cells), share, depth, x, y))
        return Stretch(removed=removed, depths=depths, seen=tuple(seen), near=near, visited=visited)


def _together(lanes: list[Stretch]) -> Stretch:
    """What several lanes have seen of the same moves, as one that looks at the whole field would have it."""
    removed, depths, near = lanes[0].removed, lanes[0].depths, lanes[0].near
    for other in lanes[1:]:
        removed, depths = removed + other.removed, np.maximum(depths, other.depths)
        gap, step = near[:, :, 0], near[:, :, 1]
        nearer = (other.near[:, :, 0] < gap) | ((other.near[:, :, 0] == gap) & (other.near[:, :, 1] < step))
        near = np.where(nearer[:, :, None], other.near, near)
    found: dict[tuple[int, int], Seen] = {}
    for one in (one for lane in lanes for one in lane.seen):
        known = found.get((one.step, one.part))
        found[one.step, one.part] = one if known is None else _both(known, one)
    seen = tuple(found[key] for key in sorted(found))
    return Stretch(removed=removed, depths=depths, seen=seen, near=near, visited=sum(lane.visited for lane in lanes))


def _both(a: Seen, b: Seen) -> Seen:
    """One part on one step, seen in two lanes: a contact outdoes a doubt; the deepest place is told, of equals the first."""
    if a.doubt != b.doubt:
        return b if a.doubt else a
    deep = min(a, b, key=lambda one: (-one.depth, one.y, one.x))
    return deep._replace(cells=a.cells + b.cells, share=min(a.share, b.share))
