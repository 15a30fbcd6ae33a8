"""The loupe: a small part of the stock on much finer cells, cut from only those moves that touch it.

Glossary
    window    rows and columns of the stock's own cells that the loupe stands for, ends exclusive
    factor    how many of the loupe's cells lie along one of the stock's
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from underglass.core.bench.solid import Solid
from underglass.core.errors import Cancelled
from underglass.core.frozen import freeze
from underglass.core.removal.field import Field, Grid, fill
from underglass.core.removal.history import MAY_TOUCH, StockHistory, StockHit, replay
from underglass.core.removal.toolpath import TipPath, ToolTable
from underglass.core.removal.touch import touch_move
from underglass.core.tolerances import TOLERANCES

FACTOR = 10
_MOST_CELLS = 4_000_000
_AT_ONCE = 2000

Window = tuple[int, int, int, int]


@dataclass(frozen=True, slots=True, kw_only=True)
class Loupe:
    """A finer field that stands for ``window`` (j0, j1, i0, i1) of a stock's cells, ``steps`` of its path cut into it."""

    window: Window
    field: Field
    factor: int
    steps: int


def window_around(grid: Grid, low: tuple[float, float], high: tuple[float, float]) -> Window:
    """The cells of a stock that a rectangle of its own frame (mm) touches, at least one."""
    i0, i1 = (int(np.clip(np.floor(v / grid.cell), 0, grid.nx - 1)) for v in (low[0], high[0]))
    j0, j1 = (int(np.clip(np.floor(v / grid.cell), 0, grid.ny - 1)) for v in (low[1], high[1]))
    return (min(j0, j1), max(j0, j1) + 1, min(i0, i1), max(i0, i1) + 1)


def look_closer(
    history: StockHistory,
    solid: Solid,
    window: Window,
    move: int,
    share: float,
    factor: int = FACTOR,
    cancelled: Callable[[], bool] = lambda: False,
) -> Loupe:
    """The stock at ``share`` of ``move`` in a window, ``factor`` times finer (less for a large window).

    Raises ``Cancelled`` when told to stop.
    """
    j0, j1, i0, i1 = window
    cells = (j1 - j0) * (i1 - i0)
    while factor > 1 and cells * factor * factor > _MOST_CELLS:
        factor -= 1
    coarse = history.grid
    x0, y0 = i0 * coarse.cell, j0 * coarse.cell
    grid = Grid(
        frame=coarse.frame.moved(x0, y0, 0.0),
        cell=coarse.cell / factor,
        nx=(i1 - i0) * factor,
        ny=(j1 - j0) * factor,
        height=coarse.height,
    )
    field = fill(solid, grid, (x0, y0))
    path = history.path
    step, part = path.step_at(move, share)
    chosen = _touching(history, window, min(step + 1, len(path)))
    last = part if len(chosen) and int(chosen[-1]) == step else 1.0
    _cut(field, history, chosen, (x0, y0), last, cancelled)
    return Loupe(window=window, field=field, factor=factor, steps=len(chosen))


def taken_closer(
    history: StockHistory,
    solid: Solid,
    window: Window,
    move: int,
    factor: int = FACTOR,
    cancelled: Callable[[], bool] = lambda: False,
) -> float:
    """The most height, mm, that one whole move takes anywhere in a window, seen through the loupe. Raises ``Cancelled``."""
    field = look_closer(history, solid, window, move, 0.0, factor, cancelled).field
    before = field.h.copy()
    first = history.path.first
    at = (window[2] * history.grid.cell, window[0] * history.grid.cell)
    _cut(field, history, np.arange(first[move], first[move + 1]), at, 1.0, cancelled)
    return float((before - field.h).max())


def _cut(
    field: Field,
    history: StockHistory,
    chosen: NDArray[np.int64],
    at: tuple[float, float],
    last: float,
    cancelled: Callable[[], bool],
) -> None:
    """Cut chosen steps into the loupe's field, whose corner lies ``at`` the stock's own place; of the last one only this share."""
    path, by = history.path, np.array([*at, 0.0])
    near = TipPath(
        start=path.start[chosen] - by,
        end=path.end[chosen] - by,
        centre=path.centre[chosen] - by[:2],
        sweep=np.ascontiguousarray(path.sweep[chosen]),
        row=np.ascontiguousarray(path.row[chosen]),
        move=np.ascontiguousarray(path.move[chosen]),
        first=path.first,
    )
    count = len(chosen)
    for begin in range(0, count, _AT_ONCE):
        if cancelled():
            raise Cancelled
        end = min(begin + _AT_ONCE, count) - 1
        replay(field, near, history.outline, begin, end, last if end == count - 1 else 1.0)


_DOUBT_CELL_MM = 0.01
_DOUBT_CELLS = 1_000_000
_DOUBT_REACH_MM = 6.0
_DOUBT_WORK = 3e7
"""Cells that one look may cut."""
_DOUBT_WORK_IN_ALL = 3e8
"""And all looks of a proof together: some seconds. The more has been spent, the coarser the next looks."""
_MOST_DOUBTS = 100
_SAME_MM = 1e-6


def settle_doubts(
    history: StockHistory,
    solid: Solid,
    table: ToolTable,
    forbid: NDArray[np.uint8],
    cancelled: Callable[[], bool] = lambda: False,
) -> tuple[StockHit, ...]:
    """The contacts that cells of a hundredth of a millimetre show where the stock's own were too coarse to tell.

    ``forbid`` (moves,): the move's cutting part must not touch stock. A part that touches elsewhere on the same move is told
    already. Raises ``Cancelled`` when told to stop.
    """
    told = {(hit.move, hit.part) for hit in history.hits}
    path, out = history.path, np.zeros(5)
    found: list[StockHit] = []
    seen: set[tuple[object, ...]] = set()
    left = _DOUBT_WORK_IN_ALL
    for doubt in history.doubts:
        row = int(path.row[doubt.step])
        place = (
            row,
            doubt.part,
            *np.round([*path.start[doubt.step], *path.end[doubt.step], path.sweep[doubt.step]], 3).tolist(),
        )
        if (doubt.move, doubt.part) in told or place in seen or _been_there(path, doubt.step):
            continue
        seen.add(place)
        if len(seen) > _MOST_DOUBTS:
            break
        wide = float(table.radius[row, doubt.part]) if doubt.part else float(table.outline[row, 0])
        reach = max(3.0 * history.grid.cell, min(wide, _DOUBT_REACH_MM))
        window = window_around(history.grid, (doubt.x - reach, doubt.y - reach), (doubt.x + reach, doubt.y + reach))
        cells = (window[1] - window[0]) * (window[3] - window[2])
        steps = max(1, len(_touching(history, window, doubt.step)))
        # Finer where little was cut there before, coarser where much was: a look has its price.
        under = steps * min(cells, (2.0 * wide / history.grid.cell) ** 2)
        most = min(_DOUBT_CELLS / cells, min(_DOUBT_WORK, max(left, 0.0) / 4.0) / under)
        factor = max(2, min(round(history.grid.cell / _DOUBT_CELL_MM), int(most**0.5)))
        left -= under * factor * factor
        # The stock before the move; behind it where, on a feed, the cutter clears the way for what follows it.
        share = 1.0 if doubt.part and int(forbid[doubt.move]) == MAY_TOUCH else 0.0
        loupe = look_closer(history, solid, window, doubt.move, share, factor, cancelled)
        x0, y0 = window[2] * history.grid.cell, window[0] * history.grid.cell
        by = np.array([x0, y0, 0.0])
        a, b, c = path.start[doubt.step] - by, path.end[doubt.step] - by, freeze(path.centre[doubt.step] - by[:2])
        if doubt.part:
            lift = float(table.bottom[row, doubt.part])
            r, flat, corner, slope = float(table.radius[row, doubt.part]), 1e9, 0.0, 0.0
            a[2] += lift
            b[2] += lift
        else:
            r, flat, corner, slope = (float(v) for v in table.outline[row])
        r -= TOLERANCES.touch_side_mm
        field = loupe.field
        touched = touch_move(
            field.h,
            field.grid.cell,
            a,
            b,
            c,
            float(path.sweep[doubt.step]),
            r,
            min(flat, r),
            corner,
            slope,
            TOLERANCES.touch_mm,
            out,
            0,
            1,
        )
        if touched:
            _move, share = path.share_of(doubt.step, float(out[1]))
            found.append(
                doubt._replace(
                    cells=int(touched), share=share, depth=float(out[2]), x=float(out[3]) + x0, y=float(out[4]) + y0
                )
            )
    return tuple(found)


def _been_there(path: TipPath, step: int) -> bool:
    """Whether the same tool has stood where this upright step ends, or deeper: what it would touch it has touched, or taken away, then."""
    begin, end = path.start[step], path.end[step]
    if path.sweep[step] != 0.0 or np.abs(begin - end)[:2].max() > _SAME_MM:
        return False
    mine = path.row[:step] == path.row[step]
    return any(
        bool(
            (
                mine & (np.abs(at[:step, :2] - end[:2]).max(axis=1) <= _SAME_MM) & (at[:step, 2] <= end[2] + _SAME_MM)
            ).any()
        )
        for at in (path.start, path.end)
    )


def _touching(history: StockHistory, window: Window, before: int) -> NDArray[np.int64]:
    """Steps before one whose tool reaches over the window."""
    path, cell = history.path, history.grid.cell
    j0, j1, i0, i1 = window
    reach = np.append(history.outline[:, 0], 0.0)[path.row[:before]]
    start, end = path.start[:before], path.end[:before]
    low, high = np.minimum(start, end)[:, :2], np.maximum(start, end)[:, :2]
    bent = path.sweep[:before] != 0.0
    if bent.any():
        centre = path.centre[:before][bent]
        r = np.hypot(*(start[bent, :2] - centre).T)[:, None]
        low[bent], high[bent] = np.minimum(low[bent], centre - r), np.maximum(high[bent], centre + r)
    over = (
        (path.row[:before] >= 0)
        & (low[:, 0] - reach <= i1 * cell)
        & (high[:, 0] + reach >= i0 * cell)
        & (low[:, 1] - reach <= j1 * cell)
        & (high[:, 1] + reach >= j0 * cell)
    )
    return _deepest(history, np.flatnonzero(over))


def _deepest(history: StockHistory, steps: NDArray[np.int64]) -> NDArray[np.int64]:
    """Of the steps straight up and down at one place with one tool only the lowest: pecks of a thousand leave what the last one leaves.

    The last step stays whatever it is: it may be in hand yet.
    """
    path = history.path
    before = steps[:-1]
    start, end = path.start[before], path.end[before]
    straight = (path.sweep[before] == 0.0) & (start[:, :2] == end[:, :2]).all(axis=1)
    pecks = before[straight]
    if len(pecks) < 2:
        return steps
    at, low, row = path.start[pecks, :2], np.minimum(path.start[pecks, 2], path.end[pecks, 2]), path.row[pecks]
    order = np.lexsort((pecks, low, at[:, 1], at[:, 0], row))
    alike = (row[order][1:] == row[order][:-1]) & (at[order][1:] == at[order][:-1]).all(axis=1)
    return np.setdiff1d(steps, pecks[order[1:][alike]], assume_unique=True)
