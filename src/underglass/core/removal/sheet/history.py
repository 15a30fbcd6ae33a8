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
from underglass.core.errors import Cancelled
from underglass.core.frozen import freeze

Floats = NDArray[np.float64]
Region = Any
"""A shapely geometry of one or several polygons."""

_SPECK_MM2 = 1e-5
"""Regions smaller than this are rounding."""
_TOUCH_MM = 1e-6
_KEY_EVERY = 64
_FAR_MM = 100.0


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
            area -= float(shapely.intersection(part, self.region(done)).area)
        return SheetState(lambda: self.region(done, part), area, self.thickness)

    def region(self, done: int, part: Region | None = None) -> Region:
        """The metal with so many bites made, and a part of the next one."""
        keys: dict[int, Region] = self._kept.setdefault("keys", {0: self.sheet})
        k = done - done % _KEY_EVERY
        if k not in keys:
            keys[k] = _less(self.sheet, [b.shape for b in self.bites[:k]])
        rest = [b.shape for b in self.bites[k:done]] + ([part] if part is not None else [])
        return _less(keys[k], rest) if rest else keys[k]

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


def cut_sheet(
    sheet: Region, thickness: float, bites: Sequence[Bite], moves: int,
    progress: Callable[[float], None] = lambda _share: None, cancelled: Callable[[], bool] = lambda: False,
) -> SheetHistory:  # fmt: skip
    """Take every bite out of a sheet. Raises ``Cancelled``."""
    shapes = np.array([b.shape for b in bites], dtype=object)
    area, pairs = _taken(sheet, shapes, cancelled)
    removed = np.zeros(moves)
    for bite, much in zip(bites, area.tolist()):
        _share_out(removed, bite, much * thickness)
    progress(0.5)
    pieces = _Loose(sheet, shapes, bites, pairs, cancelled).pieces() if len(shapes) else []
    progress(1.0)
    return freeze(
        SheetHistory(
            sheet=sheet, thickness=thickness, bites=tuple(bites), area=area, removed=removed,
            pieces=tuple(sorted(pieces, key=lambda p: (p.bite, p.move))),
        )
    )  # fmt: skip


def _share_out(removed: Floats, bite: Bite, much: float) -> None:
    """What a bite took goes to its moves by the length of each."""
    if bite.last == bite.first or not len(bite.way):
        removed[bite.last] += much
        return
    size = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(bite.way, axis=0).T))])
    at = size[bite.done]
    each = np.diff(np.concatenate([[0.0], at]))
    total = float(each.sum())
    removed[bite.first : bite.last + 1] += much * (each / total if total > 0.0 else 1.0 / len(each))


def _taken(
    sheet: Region, shapes: NDArray[np.object_], cancelled: Callable[[], bool]
) -> tuple[Floats, NDArray[np.int64]]:
    """(what each bite takes, mm2; the pairs (earlier, later) that overlap or touch)."""
    if not len(shapes):
        return np.zeros(0), np.empty((0, 2), dtype=np.int64)
    shapely.prepare(sheet)
    inside = shapely.contains(sheet, shapes)
    left = shapes.copy()
    if not inside.all():
        left[~inside] = shapely.intersection(shapes[~inside], sheet)
    one, two = shapely.STRtree(shapes).query(shapes, predicate="dwithin", distance=_TOUCH_MM)
    earlier = two < one
    pairs = np.column_stack([two[earlier], one[earlier]]).astype(np.int64)
    pairs = pairs[np.lexsort((pairs[:, 0], pairs[:, 1]))]
    # One after the other what was taken before is no longer there; of each bite one neighbour a round, all bites at once.
    rank = np.arange(len(pairs)) - np.searchsorted(pairs[:, 1], pairs[:, 1], side="left")
    for turn in range(int(rank.max(initial=-1)) + 1):
        if cancelled():
            raise Cancelled
        mine = pairs[rank == turn]
        left[mine[:, 1]] = shapely.difference(left[mine[:, 1]], shapes[mine[:, 0]])
    return shapely.area(left), pairs


class _Loose:
    """What comes loose, and when."""

    def __init__(
        self, sheet: Region, shapes: NDArray[np.object_], bites: Sequence[Bite], pairs: NDArray[np.int64], cancelled: Callable[[], bool]
    ) -> None:  # fmt: skip
        self.sheet, self.shapes, self.bites, self.cancelled = sheet, shapes, bites, cancelled
        x0, y0, x1, y1 = sheet.bounds
        world = shapely.box(x0 - _FAR_MM, y0 - _FAR_MM, x1 + _FAR_MM, y1 + _FAR_MM)
        self.outside = shapely.difference(world, sheet)
        self.roots = self._clusters(pairs)
        self.filled: dict[int, Region] = {}

    def _clusters(self, pairs: NDArray[np.int64]) -> NDArray[np.int64]:
        """Of each bite the number of its cluster; 0 is the one of the world outside."""
        parent = list(range(len(self.shapes) + 1))

        def root(k: int) -> int:
            while parent[k] != k:
                parent[k] = parent[parent[k]]
                k = parent[k]
            return k

        at_the_edge = np.flatnonzero(shapely.dwithin(self.outside, self.shapes, _TOUCH_MM))
        for a, b in [*pairs.tolist(), *((-1, int(k)) for k in at_the_edge)]:
            one, two = root(a + 1), root(b + 1)
            parent[max(one, two)] = min(one, two)
        return np.array([root(k + 1) for k in range(len(self.shapes))], dtype=np.int64)

    def pieces(self) -> list[SheetPiece]:
        self.members = {int(r): np.flatnonzero(self.roots == r) for r in np.unique(self.roots).tolist()}
        whole: dict[int, Region] = {}
        for r, mine in self.members.items():
            if self.cancelled():
                raise Cancelled
            first = [self.outside] if r == 0 else []
            whole[r] = (
                shapely.union_all([*first, *self.shapes[mine]]) if len(mine) > 1 or first else self.shapes[mine[0]]
            )
        self.whole = whole
        self.numbers = list(whole)
        self.tree = shapely.STRtree([whole[r] for r in self.numbers])
        out: list[SheetPiece] = []
        for r, mine in self.members.items():
            out += self._of_cluster(r, mine)
        return out

    def _holes(self, r: int, count: int) -> list[Region]:
        """What a cluster goes round with so many of its bites made."""
        mine = self.members[r]
        if count == len(mine):
            region = self.whole[r]
        else:
            region = shapely.union_all([*([self.outside] if r == 0 else []), *self.shapes[mine[:count]]])
        return _holes_of(region)

    def _around(self, r: int, count: int, place: Region) -> Region | None:
        """The hole that a place lies in with so many bites made; None where it lies in none."""
        return next((h for h in self._holes(r, count) if shapely.contains(h, place)), None)

    def _first(self, r: int, fits: Callable[[int], bool]) -> int:
        """The smallest number of bites with which something holds that holds with all of them: it mostly comes with the last."""
        high, step = len(self.members[r]), 1
        low = high
        while low > 0:
            low = max(high - step, 0)
            if not fits(low):
                break
            high, step = low, step * 2
            if high == 0:
                return 0
        while high - low > 1:
            middle = (low + high) // 2
            if fits(middle):
                high = middle
            else:
                low = middle
        return high

    def _of_cluster(self, r: int, mine: NDArray[np.int64]) -> list[SheetPiece]:
        holes = sorted(self._holes(r, len(mine)), key=lambda h: -h.area)
        if not holes or (r == 0 and len(holes) == len(_holes_of(self.outside))):
            return []
        marks = [shapely.point_on_surface(h) for h in holes]
        out: list[SheetPiece] = []
        seen: list[tuple[Region, int]] = []
        for hole, mark in zip(holes, marks):
            same: list[Region] = []
            if r == 0:
                same = [m for m, _c in seen]
                count = self._parted(r, mark, same)
            elif len(mine) == 1:
                count = 1
            else:
                count = self._first(r, lambda c, m=mark: self._around(r, c, m) is not None)  # type: ignore[misc]
                same = [
                    m
                    for m, c in seen
                    if c == count and (h := self._around(r, count, m)) is not None and shapely.contains(h, mark)
                ]
                if same:
                    # It came loose with a larger one and was cut off from it later.
                    count = self._parted(r, mark, same)
            seen.append((mark, count))
            if count:
                found = self._around(r, count, mark)
                out.append(self._piece(r, count, hole if found is None else found, mark, same))
        return out

    def _parted(self, r: int, mark: Region, others: list[Region]) -> int:
        """With how many bites a place no longer hangs together with any of the others; 0: it never did."""
        if not others:
            return 0

        def apart(count: int) -> bool:
            hole = self._around(r, count, mark)
            return hole is not None and not any(shapely.contains(hole, m) for m in others)

        return self._first(r, apart)

    def _piece(self, r: int, count: int, hole: Region, mark: Region, others: list[Region]) -> SheetPiece:
        """What came loose with the ``count``-th bite of a cluster: the hole less what had been cut out of it by then."""
        bite = int(self.members[r][count - 1])
        inner = []
        for k in sorted(self.tree.query(hole, predicate="intersects").tolist()):
            other = self.numbers[k]
            mine = self.members[other]
            before = mine[mine < bite]
            if other in (r, 0) or not len(before):
                continue
            part = self.whole[other] if len(before) == len(mine) else shapely.union_all(self.shapes[before])
            for one in shapely.get_parts(part):
                if shapely.contains(hole, one):
                    inner.append(shapely.Polygon(one.exterior))
        shape = shapely.difference(hole, shapely.union_all(inner)) if inner else hole
        centre = shape.centroid
        if not shapely.contains(shape, centre):
            centre = shapely.get_point(shapely.shortest_line(shape, centre), 0)
        return SheetPiece(self._move(r, count, bite, mark, others), bite, shape, (float(centre.x), float(centre.y)))

    def _move(self, r: int, count: int, bite: int, mark: Region, others: list[Region]) -> int:
        """The move of a bite that frees a hole."""
        b = self.bites[bite]
        if b.first == b.last or not len(b.way):
            return b.last
        before = shapely.union_all([*([self.outside] if r == 0 else []), *self.shapes[self.members[r][: count - 1]]])

        def free(moves: int) -> bool:
            part = shapely.union(before, kerf(b.way[: int(b.done[moves - 1]) + 1], b.width))
            found = next((h for h in _holes_of(part) if shapely.contains(h, mark)), None)
            return found is not None and not any(shapely.contains(found, m) for m in others)

        low, high = 0, b.last - b.first + 1
        step = 1
        while True:
            low = max(high - step, 0)
            if low == 0 or not free(low):
                break
            high, step = low, step * 2
        while high - low > 1:
            middle = (low + high) // 2
            if free(middle):
                high = middle
            else:
                low = middle
        return b.first + high - 1


def _holes_of(region: Region) -> list[Region]:
    """What a region goes round."""
    out = []
    for part in shapely.get_parts(region):
        for k in range(shapely.get_num_interior_rings(part)):
            hole = shapely.Polygon(shapely.get_interior_ring(part, k))
            if hole.area > _SPECK_MM2:
                out.append(hole)
    return out
