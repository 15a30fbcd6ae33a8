"""A sheet over a run: what each bite takes, what comes loose, and any moment of it.

Glossary
    bite     what one stretch of cutting, or one hit, takes out of the plane
    cluster  bites that overlap or touch one another; the world outside of the sheet is the first member of one
    hole     what a cluster goes round: metal that no longer hangs together with what is outside
    piece    what has come loose: it no longer touches the sheet's outer edge; where a cut parts the sheet, the smaller half

All is exact but for the chords of round edges (``bench.sheet.SAGITTA_MM``). Places are seen from the true zero, mm.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any, NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from underglass.core.bench.sheet import quarter_steps
from underglass.core.removal.keyframes import Versions

Floats = NDArray[np.float64]
Region = Any
"""A shapely geometry of one or several polygons."""

_SPECK_MM2 = 1e-5
"""Regions smaller than this are rounding."""
_TOUCH_MM = 1e-6
_KEY_EVERY = 64
_FAR_MM = 100.0
_WHOLE_WAY, _WAY_PART = 2000, 500


class Bite(NamedTuple):
    """``first`` and ``last``: the moves that make it. ``way`` (k, 2) and ``width`` of a kerf, with the place in ``way`` at which each move is done
    (``done``, one a move); of a hit both are empty."""

    first: int
    last: int
    shape: Region
    way: Floats
    width: float
    done: NDArray[np.int64]


def kerf(way: Floats, width: float) -> Region:
    """What a round cut of a width takes along a way; at one place alone a disc."""
    if len(way) > _WHOLE_WAY:
        # A long way that comes over itself again and again is too much at once: it is taken in parts.
        parts = [_kerf(way[k : k + _WAY_PART + 1], width) for k in range(0, len(way) - 1, _WAY_PART)]
        return shapely.union_all(parts)
    return _kerf(way, width)


def kerfs(ways: Sequence[Floats], widths: Sequence[float]) -> NDArray[np.object_]:
    """The same of many ways at once."""
    out = np.empty(len(ways), dtype=object)
    simple = [1 < len(w) <= _WHOLE_WAY and float(np.ptp(w, axis=0).max()) > 0.0 for w in ways]
    for k in np.flatnonzero(~np.array(simple, dtype=np.bool_)).tolist():
        out[k] = kerf(ways[k], widths[k])
    for width in {w for w, plain in zip(widths, simple) if plain}:
        mine = [k for k, plain in enumerate(simple) if plain and widths[k] == width]
        rows = np.repeat(np.arange(len(mine)), [len(ways[k]) for k in mine])
        lines = shapely.linestrings(np.concatenate([ways[k] for k in mine]), indices=rows)
        out[mine] = shapely.buffer(lines, width / 2.0, quad_segs=quarter_steps(width / 2.0))
    return out


def _kerf(way: Floats, width: float) -> Region:
    line = shapely.LineString(way) if len(way) > 1 and float(np.ptp(way, axis=0).max()) > 0.0 else shapely.Point(way[0])
    return shapely.buffer(line, width / 2.0, quad_segs=quarter_steps(width / 2.0))


class SheetPiece(NamedTuple):
    """What the move freed, as it was then. ``bite``: by number; ``centre``: its centroid, or the nearest place within it."""

    move: int
    bite: int
    shape: Region
    centre: tuple[float, float]

    @property
    def area(self) -> float:
        return float(self.shape.area)


@dataclass(frozen=True, slots=True)
class SheetState:
    """The sheet at one moment. ``region`` is the metal that is there, loose pieces with it."""

    region_of: Callable[[], Region]
    area: float
    thickness: float

    @property
    def region(self) -> Region:
        return self.region_of()

    def volume(self) -> float:
        """What is there, mm3."""
        return self.area * self.thickness


@dataclass(frozen=True, slots=True, kw_only=True)
class SheetHistory:
    """``sheet`` before the run; ``bites`` in time; ``area`` (bites,) what each took, mm2; ``removed`` (n,) mm3 a move."""

    sheet: Region
    thickness: float
    bites: tuple[Bite, ...]
    area: Floats
    removed: Floats
    pieces: tuple[SheetPiece, ...]
    left_out: int = -1
    """The move from which on nothing is cut, where a run goes on over itself beyond every measure; -1: all is."""
    cell_mm: float | None = None
    _kept: dict[str, Any] = field(default_factory=dict, compare=False, repr=False)

    @property
    def uncut(self) -> SheetState:
        return SheetState(lambda: self.sheet, float(self.sheet.area), self.thickness)

    @property
    def final(self) -> SheetState:
        return self._state(len(self.bites), None)

    def at(self, move: int, share: float) -> SheetState:
        """The sheet a share (0..1) of the way through a move."""
        done = self.bites_done(move, share)
        part = None
        if done < len(self.bites):
            bite = self.bites[done]
            if bite.first <= move <= bite.last and len(bite.way):
                part = kerf(way_so_far(bite, move, share), bite.width)
        return self._state(done, part)

    def cursor(self) -> SheetCursor:
        return SheetCursor(self)

    def bites_done(self, move: int, share: float = 1.0) -> int:
        """How many bites are whole."""
        last = self._kept.get("last")
        if last is None:
            last = self._kept["last"] = [b.last for b in self.bites]
        done = bisect_right(last, move - 1)
        while done < len(self.bites) and self.bites[done].last == move and share >= 1.0 - 1e-12:
            done += 1
        return done

    def _state(self, done: int, part: Region | None) -> SheetState:
        area = float(self.sheet.area) - float(self.area[:done].sum())
        if part is not None:
            near = [self.bites[int(k)].shape for k in self.tree.query(part, predicate="intersects") if k < done]
            area -= float(_less(shapely.intersection(part, self.sheet), near).area)
        return SheetState(lambda: self.region(done, part), area, self.thickness)

    def region(self, done: int, part: Region | None = None) -> Region:
        """The metal with so many bites made, and a part of the next one."""
        keys: Versions[Region] = self._kept.setdefault("keys", Versions())
        k = done - done % _KEY_EVERY
        since = keys.newest(0, k) or 0
        key = keys.at(0, since) if since else self.sheet
        if since < k:
            key = _less(key, [b.shape for b in self.bites[since:k]])
            keys.keep(0, k, key)
        rest = [b.shape for b in self.bites[k:done]] + ([part] if part is not None else [])
        return _less(key, rest) if rest else key

    def left_of(self, shape: Region, move: int, share: float) -> Region:
        """What of a line or an area is metal with so much of the run done: only the bites that reach it are looked at."""
        done = self.bites_done(move, share)
        near = [self.bites[int(k)].shape for k in self.tree.query(shape, predicate="intersects") if k < done]
        if done < len(self.bites):
            bite = self.bites[done]
            if bite.first <= move <= bite.last and len(bite.way):
                near.append(kerf(way_so_far(bite, move, share), bite.width))
        return _less(shapely.intersection(shape, self.sheet), near)

    def there(self, places: Sequence[tuple[float, float]], move: int, share: float = 1.0) -> NDArray[np.bool_]:
        """Whether there is metal at places with so much of the run done."""
        points = shapely.points(np.array(places, dtype=np.float64).reshape(-1, 2))
        out: NDArray[np.bool_] = shapely.intersects(self.sheet, points)
        done = self.bites_done(move, share)
        for k, found in zip(*self.tree.query(points, predicate="intersects")):
            if found < done and shapely.contains_properly(self.bites[int(found)].shape, points[k]):
                out[k] = False
        if done < len(self.bites):
            bite = self.bites[done]
            if bite.first <= move <= bite.last and len(bite.way):
                out &= ~shapely.contains_properly(kerf(way_so_far(bite, move, share), bite.width), points)
        return out

    @property
    def tree(self) -> shapely.STRtree:
        found = self._kept.get("tree")
        if found is None:
            found = self._kept["tree"] = shapely.STRtree([b.shape for b in self.bites])
        return found

    def owner(self, place: tuple[float, float], done: int) -> int:
        """The bite that made the edge at a place, of those made by then; -1: the sheet's own edge."""
        point = shapely.Point(place)
        found = self.tree.query(point, predicate="dwithin", distance=0.02)
        near = (
            sorted(int(k) for k in found if k < done and self.bites[int(k)].shape.exterior.distance(point) < 0.02)
            if len(found)
            else []
        )
        return near[0] if near else -1

    def move_at(self, bite: int, place: tuple[float, float]) -> int:
        """The move of a bite that passed nearest to a place."""
        b = self.bites[bite]
        if not len(b.way):
            return b.last
        ends = [0, *b.done.tolist()]
        best, out = np.inf, b.first
        point = shapely.Point(place)
        for k in range(len(b.done)):
            way = b.way[ends[k] : ends[k + 1] + 1]
            far = float(shapely.LineString(way).distance(point)) if len(way) > 1 else np.inf
            if far < best - 1e-9:
                best, out = far, b.first + k
        return out


class SheetCursor:
    """A sheet that can be put to any moment of its history."""

    def __init__(self, history: SheetHistory) -> None:
        self._history = history
        self._done = 0
        self.state = history.uncut

    def go(self, move: int, share: float) -> range:
        """Put it to a share (0..1) of the way through a move. The bites that were made or taken back, the one that is being made with them."""
        done = self._history.bites_done(move, share)
        changed = range(min(done, self._done), min(max(done, self._done) + 1, len(self._history.bites)))
        self._done, self.state = done, self._history.at(move, share)
        return changed


def way_so_far(bite: Bite, move: int, share: float) -> Floats:
    """The way of a bite up to a share of one of its moves."""
    k = move - bite.first
    begin = int(bite.done[k - 1]) if k else 0
    mine = bite.way[begin : int(bite.done[k]) + 1]
    size = np.hypot(*np.diff(mine, axis=0).T) if len(mine) > 1 else np.zeros(0)
    along = float(size.sum()) * share
    rest = bite.way[: begin + 1].tolist()
    for a, b, d in zip(mine[:-1].tolist(), mine[1:].tolist(), size.tolist()):
        if along >= d:
            rest.append(b)
            along -= d
            continue
        if d > 0.0:
            rest.append([a[0] + (b[0] - a[0]) * along / d, a[1] + (b[1] - a[1]) * along / d])
        break
    return np.array(rest, dtype=np.float64)


def _less(region: Region, shapes: Sequence[Region]) -> Region:
    return shapely.difference(region, shapely.union_all(list(shapes))) if len(shapes) else region
