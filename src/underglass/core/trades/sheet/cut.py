"""How a sheet is cut: the real kerf along the real way, from where the cutter goes on to where it goes off."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from underglass.core.bench.bench import Bench
from underglass.core.bench.sheet import Cutter, Sheet, quarter_steps
from underglass.core.control.motions import Motions
from underglass.core.errors import Cancelled
from underglass.core.proof.cut_order import CutOrder
from underglass.core.proof.level_runs import arc_points
from underglass.core.removal.sheet.cutting import cut_sheet
from underglass.core.removal.sheet.history import Bite, SheetHistory, kerfs

Floats = NDArray[np.float64]

_STILL_MM = 1e-9


def sheet_of(bench: Bench) -> Sheet:
    """The sheet that a job's bench has."""
    assert isinstance(bench.more, Sheet)
    return bench.more


def cutter_at(bench: Bench, called: int) -> Cutter | None:
    """The cutter that is there when a number is called."""
    return sheet_of(bench).cutters.get(bench.loaded.get(called, called))


def on_part(bench: Bench, places: Floats) -> Floats:
    """Machine places (n, 3) seen from the true zero ``(n, 2)``."""
    sheet = sheet_of(bench)
    out: Floats = places[:, :2] - (sheet.zero_x, sheet.zero_y)
    return out


class Cuts(NamedTuple):
    """``on`` (n,): the cutter is on; ``feeds`` (n,): no rapid and no wait; ``stretches``: first and last move of each row of cuts."""

    on: NDArray[np.bool_]
    feeds: NDArray[np.bool_]
    stretches: list[tuple[int, int]]


def cuts_of(motions: Motions) -> Cuts:
    """Where the cutter is on, and the rows of feeds under it: waits do not end one, a rapid or switching off does."""
    n = len(motions)
    if not n:
        empty = np.zeros(0, dtype=np.bool_)
        return Cuts(empty, empty, [])
    on = np.array([s.spindle != "off" for s in motions.in_force])[motions.state]
    feeds = ~motions.rapid() & (motions.dwell == 0.0)
    cut = on & feeds
    out: list[tuple[int, int]] = []
    begin = last = prior = -1
    for k in np.flatnonzero(on & ~motions.rapid()).tolist():
        if begin >= 0 and k != prior + 1:
            if last >= 0:
                out.append((begin, last))
            begin = last = -1
        prior = k
        if cut[k]:
            begin, last = (k if begin < 0 else begin), k
    if begin >= 0 and last >= 0:
        out.append((begin, last))
    return Cuts(on, feeds, out)


MOST_PLACES = 200_000
"""Of one cut: no contour has so many; what runs on beyond is not cut, and is told."""
_ROUND_AGAIN = 200
"""Cuts of more moves are looked at for rounds that were run before."""


def way_of(bench: Bench, motions: Motions, first: int, last: int) -> tuple[Floats, NDArray[np.int64]]:
    """The real way of the cutter over moves ``first`` to ``last``: places (k, 2) from the true zero, and where each move is done.

    A long cut that goes round and round over what it has cut already (a loop that does not end) has each round but once; what
    comes after ``MOST_PLACES`` is left out.
    """
    start, end = on_part(bench, motions.start[first : last + 1]), on_part(bench, motions.end[first : last + 1])
    centre = on_part(bench, motions.centre[first : last + 1])
    places: list[Floats] = [start[:1]]
    n = last - first + 1
    done = np.zeros(n, dtype=np.int64)
    count = 0
    again = np.zeros(n, dtype=np.bool_)
    if n > _ROUND_AGAIN:
        rows = np.column_stack([start, end, np.nan_to_num(centre), motions.sweep[first : last + 1]]).round(6)
        again[:] = True
        again[np.unique(rows, axis=0, return_index=True)[1]] = False
    waiting: list[int] = []
    at = start[0]

    def put(k: int) -> None:
        nonlocal count, at
        sweep = float(motions.sweep[first + k])
        more = arc_points(start[k], end[k], centre[k], sweep)[1:] if sweep else end[k : k + 1]
        if not sweep and float(np.abs(end[k] - start[k]).max()) < _STILL_MM:
            more = more[:0]
        places.append(more)
        count += len(more)
        at = end[k]

    for k in range(n):
        if again[k]:
            waiting.append(k)
            if float(np.abs(end[k] - at).max()) < _STILL_MM:
                # Round again, and back where it was.
                waiting.clear()
            done[k] = count
            continue
        for old in waiting:
            put(old)
        waiting.clear()
        put(k)
        done[k] = count
        if count > MOST_PLACES:
            done[k:] = count
            break
    for old in waiting[: MOST_PLACES // 100]:
        put(old)
        done[old:] = count
    return np.concatenate(places), done


def cut_stocks(order: CutOrder) -> tuple[SheetHistory, ...]:
    """The sheet, cut. Raises ``Cancelled``."""
    bench, motions = order.bench, order.motions
    sheet = sheet_of(bench)
    region = sheet.region()
    called = motions.tool_of()
    rows: list[tuple[int, int, Floats, NDArray[np.int64], Cutter]] = []
    for first, last in [] if sheet.dry_trace else cuts_of(motions).stretches:
        cutter = cutter_at(bench, int(called[first]))
        if cutter is None:
            continue
        if order.cancelled():
            raise Cancelled
        rows.append((first, last, *way_of(bench, motions, first, last), cutter))
    bites: list[Bite] = []
    for begin in range(0, len(rows), _AT_ONCE):
        if order.cancelled():
            raise Cancelled
        some = rows[begin : begin + _AT_ONCE]
        shapes = kerfs([way for _f, _l, way, _d, _c in some], [c.kerf for *_r, c in some])
        for (first, last, way, done, cutter), shape in zip(some, _with_pierces(region, some, shapes)):
            bites.append(Bite(first, last, shape, way, cutter.kerf, done))
    return (
        cut_sheet(
            region, sheet.thickness, bites, len(motions), lambda share: order.progress("cutting", share), order.cancelled
        ),
    )  # fmt: skip


_AT_ONCE = 250


def _with_pierces(
    region: shapely.Polygon, rows: Sequence[tuple[int, int, Floats, NDArray[np.int64], Cutter]], shapes: NDArray[np.object_]
) -> NDArray[np.object_]:  # fmt: skip
    """Where the cutter has to go through the sheet its pierce takes a disc; beside it an edge start needs no pierce."""
    starts = np.array([way[0] for _f, _l, way, _d, _c in rows])
    wide = np.array([c.pierce_diameter / 2.0 if c.pierce_diameter > c.kerf else 0.0 for *_r, c in rows])
    out = shapes.copy()
    inside = shapely.contains_xy(region, starts)
    for r in set(wide[(wide > 0.0) & inside].tolist()):
        mine = np.flatnonzero((wide == r) & inside)
        out[mine] = shapely.union(
            shapes[mine], shapely.buffer(shapely.points(starts[mine]), r, quad_segs=quarter_steps(r))
        )
    return out
