"""The cut over time: one pass that finds contacts, and any moment of it afterwards.

Glossary
    keyframe  the stock before a certain move, kept as the tiles that changed since the keyframe before it
    cursor    a stock of one's own that can be put to any moment; forwards it goes on cutting, backwards it takes
              tiles from the keyframe before the moment and cuts only the few moves after it
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from underglass.core.bench.solid import Solid
from underglass.core.compiled import kernel
from underglass.core.errors import Cancelled
from underglass.core.frozen import freeze
from underglass.core.removal.field import Dirty, Field, Grid, Heights, Owners
from underglass.core.removal.keyframes import Versions
from underglass.core.removal.lanes import STRETCH_CELLS, LanePass, stretches
from underglass.core.removal.rows import TILE
from underglass.core.removal.sweep import sweep_move
from underglass.core.removal.toolpath import TipPath, ToolTable
from underglass.core.tolerances import TOLERANCES

KEYFRAME_CELLS = 3_000_000
"""Cells looked at between two keyframes: some ten milliseconds of cutting."""

_MEMORY_LIMIT = 600_000_000
_TILE_BYTES = TILE * TILE * 8

Tiles = Versions[tuple[Heights, Owners]]
"""By tile; ``when`` is a keyframe's number."""

Floats = NDArray[np.float64]

MAY_TOUCH, NO_TOUCH, OWN_HOLE = 0, 1, 2
"""Whether a move's cutting part may touch stock. On a rapid, and with the spindle stopped, it must not; ``OWN_HOLE``: it must
not, and there is no doubt about the walls beside it, which the same tool has just cut there."""


class StockHit(NamedTuple):
    """A part of the tool in the stock where it must not be, on a step of a move. Depth and place (stock's frame) in mm."""

    step: int
    move: int
    part: int
    cells: int
    share: float
    depth: float
    x: float
    y: float


class StockNear(NamedTuple):
    """The closest approach of a part of a tool (by its row) to the stock, mm."""

    row: int
    part: int
    move: int
    gap: float


@kernel
def _replay(h, owner, dirty, cell, start, end, centre, sweep, row, move, outline, i0, i1, share):  # type: ignore[no-untyped-def]
    """Cut steps i0..i1-1 whole and ``share`` of step i1, all in one lane.

    A figure that is written out where a kernel is called would make another kernel of it; hence ``np.int64``.
    """
    for i in range(i0, i1 + 1):
        if i >= len(row) or row[i] < 0:
            continue
        part = 1.0 if i < i1 else share
        k = row[i]
        if part > 0.0 and outline[k, 0] > 0.0:
            sweep_move(
                h,
                owner,
                dirty,
                cell,
                start[i],
                end[i],
                centre[i],
                sweep[i],
                part,
                outline[k, 0],
                outline[k, 1],
                outline[k, 2],
                outline[k, 3],
                move[i],
                np.int64(0),
                np.int64(1),
            )


@dataclass(frozen=True, slots=True, kw_only=True)
class _Kept:
    """What a later cut of nearly the same path can take over: inputs and results by step, and ``near`` at each keyframe.

    ``last_near``, ``since`` (cells looked at) and ``dirty`` tiles are those from the last keyframe to the end.
    """

    table: ToolTable
    forbid: NDArray[np.uint8]
    look: float
    keyframe_cells: int
    removed: Floats
    depths: Floats
    near: tuple[Floats, ...]
    last_near: Floats
    since: int
    dirty: Dirty


@dataclass(frozen=True, slots=True, kw_only=True)
class StockHistory:
    """One stock's whole cut. ``frames[k]`` is the step of the path before which keyframe k stands; keyframe 0 is the uncut stock.

    A move's ``removed`` (n,) in mm3 and ``depths`` (n, 3) in mm: the most height taken in one cell; and, of a plunge, what
    was taken under the axis, and how far below the stock around it the tip ends.
    """

    uncut: Field
    final: Field
    path: TipPath
    outline: Floats
    frames: tuple[int, ...]
    tiles: Tiles
    removed: Floats
    near: tuple[StockNear, ...]
    depths: Floats
    hits: tuple[StockHit, ...]
    kept: _Kept
    doubts: tuple[StockHit, ...] = ()
    """Contacts that the cells are too coarse to tell; to be looked at closer."""
    solid: Solid | None = None
    """What the uncut stock was made from, where that is known."""

    @property
    def grid(self) -> Grid:
        return self.uncut.grid

    @property
    def cell_mm(self) -> float | None:
        """How fine it is held."""
        return self.grid.cell

    def cursor(self) -> StockCursor:
        return StockCursor(self)

    @property
    def kept_bytes(self) -> int:
        """Memory of the keyframes, bytes."""
        return self.tiles.count * _TILE_BYTES


def _tile_slices(tile: int, across: int) -> tuple[slice, slice]:
    j, i = divmod(tile, across)
    return slice(j * TILE, (j + 1) * TILE), slice(i * TILE, (i + 1) * TILE)


def cut(
    uncut: Field,
    path: TipPath,
    table: ToolTable,
    forbid: NDArray[np.uint8],
    progress: Callable[[float], None] = lambda _share: None,
    cancelled: Callable[[], bool] = lambda: False,
    keyframe_cells: int = KEYFRAME_CELLS,
    look: float = 0.0,
    before: StockHistory | None = None,
    same_moves: int = 0,
    solid: Solid | None = None,
) -> StockHistory:
    """Cut the whole path into a copy of ``uncut``. ``forbid`` (n,): the move's cutting part must not touch stock.

    ``look``: shank, holder and spindle nose that come nearer than this to the stock are kept in mind, mm. ``before``: an
    earlier cut of the same stock; what comes before the first step that differs is taken over from its keyframes.
    ``same_moves``: so many moves are known to be the same. ``solid``: what ``uncut`` was made from.

    Raises ``Cancelled`` when told to stop.
    """
    grid = uncut.grid
    n = len(path)
    dirty = np.zeros(grid.tiles, dtype=np.uint8)
    forbid = freeze(np.ascontiguousarray(forbid[path.move]) if len(forbid) != n else forbid)
    removed, depths = np.zeros(n), np.zeros((n, 3))
    hits: list[StockHit] = []
    doubts: list[StockHit] = []
    watched = _watched(table)
    near = np.zeros((*table.radius.shape, 3))
    near[:, :, 0] = look
    frames = [0]
    tiles = Tiles()
    across = grid.tiles[1]
    since = 0
    at = 0
    nears = [near]
    same = _same_steps(before, uncut, path, table, forbid, look, same_moves) if before is not None else 0
    if before is not None and same:
        whole = same == len(before.path)
        k = len(before.frames) - 1 if whole else bisect_right(before.frames, same) - 1
        if whole:
            # All of it stands, and more comes: from the end on.
            at, field = same, before.final.copy()
            since, dirty = before.kept.since, before.kept.dirty.copy()
        else:
            at = before.frames[k]
            cursor = before.cursor()
            cursor.go_to_keyframe(k)
            field = cursor.field
        frames, tiles = list(before.frames[: k + 1]), before.tiles.up_to(k)
        keyframe_cells = before.kept.keyframe_cells
        removed[:at], depths[:at] = before.kept.removed[:at], before.kept.depths[:at]
        hits = [hit for hit in before.hits if hit.step < at]
        doubts = [hit for hit in before.doubts if hit.step < at]
        nears = list(before.kept.near[: k + 1])
        near = before.kept.last_near if whole else nears[-1]
    else:
        field = uncut.copy()
    ends, work = stretches(path, table.outline, field, at, min(STRETCH_CELLS, keyframe_cells))
    with LanePass(field, dirty, path, table, forbid, watched, work) as lanes:
        for end in ends:
            if cancelled():
                raise Cancelled
            made = lanes.go(at, end, near)
            removed[at:end], depths[at:end], near = made.removed, made.depths, made.near
            for one in made.seen:
                move, done = path.share_of(one.step, one.share)
                into = doubts if one.doubt else hits
                into.append(StockHit(one.step, move, one.part, one.cells, done, one.depth, one.x, one.y))
            at, since = end, since + made.visited
            if since < keyframe_cells or at == n:
                continue
            since = 0
            frames.append(at)
            nears.append(near)
            for tile in np.flatnonzero(dirty):
                where = _tile_slices(int(tile), across)
                tiles.keep(int(tile), len(frames) - 1, (field.h[where].copy(), field.owner[where].copy()))
            dirty[:] = 0
            if tiles.count * _TILE_BYTES > _MEMORY_LIMIT:
                frames, nears, keyframe_cells = _thin(frames, nears, tiles, keyframe_cells)
            progress(at / n)
    progress(1.0)
    kept = freeze(
        _Kept(
            table=table,
            forbid=forbid,
            look=look,
            keyframe_cells=keyframe_cells,
            removed=removed,
            depths=depths,
            near=tuple(freeze(one) for one in nears),
            last_near=near,
            since=since,
            dirty=dirty,
        )
    )
    removed = (
        removed if len(path) == path.moves else np.bincount(path.move, removed, minlength=path.moves).astype(np.float64)
    )
    nearest = tuple(
        StockNear(k, part, path.share_of(int(near[k, part, 1]), 0.0)[0], float(near[k, part, 0]))
        for k, part in np.argwhere(near[:, :, 0] < look).tolist()
    )
    if len(path) == path.moves:
        deepest = depths
    else:
        deepest = np.zeros((path.moves, 3))
        np.maximum.at(deepest, path.move, depths)
    for array in (uncut.h, uncut.owner, field.h, field.owner, removed, deepest):
        array.setflags(write=False)
    return StockHistory(
        uncut=uncut, final=field, path=path, outline=table.outline, frames=tuple(frames), tiles=tiles, removed=removed, near=nearest, depths=deepest, hits=tuple(hits), kept=kept,
        doubts=tuple(doubts), solid=solid,
    )  # fmt: skip


def _watched(table: ToolTable) -> NDArray[np.uint8]:
    """Parts whose gap to the stock is worth keeping: not the cutter, and no shank that follows the cutter into its own cut."""
    out = (table.radius > 0.0).astype(np.uint8)
    if out.size:
        out[:, 0] = 0
    for k, names in enumerate(table.part_names):
        for part, name in enumerate(names):
            if name == "shank" and table.radius[k, part] <= table.outline[k, 0] + TOLERANCES.touch_mm:
                out[k, part] = 0
    return out


def _same_steps(
    old: StockHistory, uncut: Field, path: TipPath, table: ToolTable, forbid: NDArray[np.uint8], look: float, known: int
) -> int:
    """How many steps from the beginning are the same in an earlier cut of the same stock with the same tools."""
    kept = old.kept
    shapes = ("outline", "radius", "bottom")
    if (
        kept.look != look
        or old.grid != uncut.grid
        or any(not np.array_equal(getattr(kept.table, name), getattr(table, name)) for name in shapes)
        or (old.uncut is not uncut and not np.array_equal(old.uncut.h, uncut.h))
    ):
        return 0
    count = min(len(old.path), len(path))
    # A move's own way is known to be the same; whether it may touch depends on two moves before it and none after.
    sure = int(path.first[min(known, path.moves, old.path.moves)])
    differs = _differing(old.path, path, kept.forbid, forbid, sure, count)
    return sure + int(np.argmax(differs)) if differs.any() else count


def _differing(
    old: TipPath, path: TipPath, was: NDArray[np.uint8], forbid: NDArray[np.uint8], first: int, last: int
) -> NDArray[np.bool_]:
    """Which of these steps are not the same in two paths."""
    rows = slice(first, last)
    differs: NDArray[np.bool_] = (old.row[rows] != path.row[rows]) | (old.move[rows] != path.move[rows])
    differs |= (was[rows] != forbid[rows]) | (old.sweep[rows] != path.sweep[rows])
    for name in ("start", "end", "centre"):
        one, two = getattr(old, name)[rows], getattr(path, name)[rows]
        differs |= ((one != two) & ~(np.isnan(one) & np.isnan(two))).any(axis=1)
    return differs


def _thin(
    frames: list[int], nears: list[Floats], tiles: Tiles, keyframe_cells: int
) -> tuple[list[int], list[Floats], int]:
    """Half the keyframes, twice as far apart. The newest always stays, for the tiles after it build on it."""
    if len(frames) % 2 == 0:
        frames, nears = [*frames, frames[-1]], [*nears, nears[-1]]
    tiles.thin()
    return frames[::2], nears[::2], keyframe_cells * 2


def replay(
    field: Field, path: TipPath, outline: Floats, first: int, last: int, share: float, dirty: Dirty | None = None
) -> None:
    """Cut steps ``first`` to ``last`` into a field, the last one only to its ``share``; marks ``dirty`` tiles."""
    _replay(
        field.h, field.owner, np.zeros(field.grid.tiles, dtype=np.uint8) if dirty is None else dirty, field.grid.cell, path.start, path.end, path.centre,
        path.sweep, path.row, path.move, outline, first, last, share,
    )  # fmt: skip


class StockCursor:
    """A stock that can be put to any moment of its history. Not for use from two threads at once."""

    def __init__(self, history: StockHistory) -> None:
        self._history = history
        self.field = history.uncut.copy()
        """The stock as it stands, to be read."""
        self._step = 0
        self._part = 0.0
        self._frame = 0
        self._touched: Dirty = np.zeros(history.grid.tiles, dtype=np.uint8)

    @property
    def state(self) -> Field:
        """The stock as it stands."""
        return self.field

    def go(self, move: int, share: float) -> Dirty:
        """Put the stock to ``share`` of ``move``, all moves before it done. Returns the tiles that changed."""
        step, part = self._history.path.step_at(move, share)
        changed: Dirty = np.zeros_like(self._touched)
        frame = bisect_right(self._history.frames, step) - 1
        if (step, part) < (self._step, self._part) or frame > self._frame:
            self._restore(frame, changed)
        dirty: Dirty = np.zeros_like(self._touched)
        path = self._history.path
        _replay(
            self.field.h, self.field.owner, dirty, self._history.grid.cell, path.start, path.end, path.centre, path.sweep,
            path.row, path.move, self._history.outline, self._step, step, part,
        )  # fmt: skip
        self._touched |= dirty
        changed |= dirty
        self._step, self._part = step, part
        return changed

    def go_to_keyframe(self, frame: int) -> None:
        """Put the stock to a keyframe exactly."""
        self._restore(frame, np.zeros_like(self._touched))

    def _restore(self, frame: int, changed: Dirty) -> None:
        history = self._history
        across = history.grid.tiles[1]
        stale = set(np.flatnonzero(self._touched).tolist()) | set(history.tiles.differing(frame, self._frame))
        flat = changed.reshape(-1)
        for tile in stale:
            where = _tile_slices(tile, across)
            kept = history.tiles.at(tile, frame)
            self.field.h[where], self.field.owner[where] = (
                kept if kept is not None else (history.uncut.h[where], history.uncut.owner[where])
            )
            flat[tile] = 1
        self._touched[:] = 0
        self._frame = frame
        self._step, self._part = history.frames[frame], 0.0
