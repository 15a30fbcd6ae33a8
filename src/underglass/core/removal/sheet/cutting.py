"""Cutting a sheet: what each bite takes, and what comes loose with which of its moves."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
import shapely
from numpy.typing import NDArray

from underglass.core.errors import Cancelled
from underglass.core.frozen import freeze
from underglass.core.removal.sheet.history import Bite, Floats, Region, SheetHistory, SheetPiece, kerf
from underglass.core.removal.sheet.neighbours import needed

_SPECK_MM2 = 1e-5
"""Regions smaller than this are rounding."""
_TOUCH_MM = 1e-6
_FAR_MM = 100.0


def cut_sheet(
    sheet: Region, thickness: float, bites: Sequence[Bite], moves: int,
    progress: Callable[[float], None] = lambda _share: None, cancelled: Callable[[], bool] = lambda: False,
) -> SheetHistory:  # fmt: skip
    """Take every bite out of a sheet. Raises ``Cancelled``."""
    count = _held(bites, cancelled)
    left_out = bites[count].first if count < len(bites) else -1
    bites = bites[:count]
    shapes = np.array([b.shape for b in bites], dtype=object)
    kinds, places = _kinds(shapes, bites)
    area, pairs = _taken(sheet, shapes, kinds, places, cancelled)
    removed = np.zeros(moves)
    for bite, much in zip(bites, area.tolist()):
        _share_out(removed, bite, much * thickness)
    progress(0.5)
    pieces = _Loose(sheet, shapes, bites, pairs, kinds, cancelled).pieces() if len(shapes) else []
    progress(1.0)
    return freeze(
        SheetHistory(
            sheet=sheet, thickness=thickness, bites=tuple(bites), area=area, removed=removed,
            pieces=tuple(sorted(pieces, key=lambda p: (p.bite, p.move))), left_out=left_out,
        )
    )  # fmt: skip


_FEW, _FEW_HITS = 20_000, 1_000
_CHUNK = 200
MOST_PAIRS, MOST_MET = 2_000_000, 400
"""Bites that meet one another: a loop that does not end strikes the same place again and again, and each would be held against each."""


def _held(bites: Sequence[Bite], cancelled: Callable[[], bool]) -> int:
    """How many bites are held: all, but for a run that goes on over itself beyond every measure."""
    if len(bites) <= _FEW_HITS:
        return len(bites)
    hit = np.array([not len(b.way) for b in bites])
    boxes = shapely.box(*shapely.bounds(np.array([b.shape for b in bites], dtype=object)).T)
    tree = shapely.STRtree(boxes[:_FEW])
    pairs = 0
    for begin in range(0, len(bites), _CHUNK):
        if cancelled():
            raise Cancelled
        if begin >= _FEW and begin % _FEW == 0:
            tree = shapely.STRtree(boxes[: begin + _FEW])
        one, two = tree.query(boxes[begin : begin + _CHUNK])
        before = two < one + begin
        pairs += int(before.sum())
        met = np.bincount(one[before], minlength=_CHUNK)[: len(hit[begin : begin + _CHUNK])]
        often = np.flatnonzero(hit[begin : begin + _CHUNK] & (met > MOST_MET))
        if len(often):
            return begin + int(often[0])
        if pairs > MOST_PAIRS:
            return max(begin, 1)
    return len(bites)


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


def _kinds(shapes: NDArray[np.object_], bites: Sequence[Bite]) -> tuple[NDArray[np.int64], Floats]:
    """Of each hit a number that it shares with those of the same convex shape, moved but not turned (-1: none of these), and its place."""
    kinds = np.full(len(shapes), -1, dtype=np.int64)
    places = np.zeros((len(shapes), 2))
    hits = np.array([k for k, b in enumerate(bites) if not len(b.way)], dtype=np.int64)
    if not len(hits):
        return kinds, places
    counts = shapely.get_num_coordinates(shapes[hits])
    sorts: dict[bytes, int] = {}
    for count in np.unique(counts).tolist():
        mine = hits[counts == count]
        rings = shapely.get_coordinates(shapes[mine]).reshape(len(mine), count, 2)
        places[mine] = rings[:, 0]
        flat = np.round(rings - rings[:, :1], 7) + 0.0
        for k, row in zip(mine.tolist(), flat):
            key = row.tobytes()
            if key not in sorts:
                ring = shapely.Polygon(row)
                convex = shapely.convex_hull(ring).area - ring.area <= _SPECK_MM2
                sorts[key] = len(sorts) if convex else -1
            kinds[k] = sorts[key]
    return kinds, places


def _touching(shapes: NDArray[np.object_], kinds: NDArray[np.int64], places: Floats) -> NDArray[np.int64]:
    """Pairs (earlier, later) that overlap or touch, by the later one. Of hits that lie alike to one another one pair is looked at."""
    bounds = shapely.bounds(shapes) + np.array([-_TOUCH_MM, -_TOUCH_MM, _TOUCH_MM, _TOUCH_MM])
    boxes = shapely.box(*bounds.T)
    one, two = shapely.STRtree(boxes).query(boxes)
    pairs = np.column_stack([two, one])[two < one].astype(np.int64)
    ask = np.arange(len(pairs))
    back = np.arange(len(pairs))
    known = (kinds[pairs] >= 0).all(axis=1)
    if known.any():
        rows = pairs[known]
        apart = np.round((places[rows[:, 0]] - places[rows[:, 1]]) * 1e7).astype(np.int64)
        figures = np.column_stack([kinds[rows], apart])
        first, mine = _alike_rows(figures)
        others = np.flatnonzero(~known)
        ask = np.concatenate([np.flatnonzero(known)[first], others])
        back = np.empty(len(pairs), dtype=np.int64)
        back[known] = mine
        back[others] = len(first) + np.arange(len(others))
    # Made ready, a long kerf knows its own pieces: a hole within its outline is asked of those nearby alone.
    shapely.prepare(shapes[pairs[ask, 0]])
    near = shapely.dwithin(shapes[pairs[ask, 0]], shapes[pairs[ask, 1]], _TOUCH_MM)[back]
    pairs = pairs[near]
    out: NDArray[np.int64] = pairs[np.lexsort((pairs[:, 0], pairs[:, 1]))]
    return out


def _alike_rows(figures: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """(the first of each sort of rows, and to which of these each row belongs)."""
    order = np.lexsort(figures.T)
    new = np.ones(len(figures), dtype=np.bool_)
    new[1:] = (figures[order[1:]] != figures[order[:-1]]).any(axis=1)
    number = np.cumsum(new) - 1
    back = np.empty(len(figures), dtype=np.int64)
    back[order] = number
    return order[new].astype(np.int64), back


def _taken(
    sheet: Region, shapes: NDArray[np.object_], kinds: NDArray[np.int64], places: Floats, cancelled: Callable[[], bool]
) -> tuple[Floats, NDArray[np.int64]]:
    """(what each bite takes, mm2; the pairs (earlier, later) that overlap or touch)."""
    if not len(shapes):
        return np.zeros(0), np.empty((0, 2), dtype=np.int64)
    shapely.prepare(sheet)
    inside = shapely.contains(sheet, shapes)
    left = shapes.copy()
    if not inside.all():
        left[~inside] = shapely.intersection(shapes[~inside], sheet)
    pairs = needed(_touching(shapes, kinds, places), kinds, places)
    # One after the other what was taken before is no longer there; of each bite one neighbour a round, all bites at once.
    rank = np.arange(len(pairs)) - np.searchsorted(pairs[:, 1], pairs[:, 1], side="left")
    alike = _alike(inside, pairs, kinds)
    out = np.zeros(len(shapes))
    if alike.any():
        rows = pairs[alike]
        apart = np.round((places[rows[:, 0]] - places[rows[:, 1]]) * 1e7).astype(np.int64)
        first, back = _alike_rows(np.column_stack([kinds[rows[:, 1]], apart]))
        each = shapely.area(shapely.difference(shapes[rows[first, 1]], shapes[rows[first, 0]]))
        out[rows[:, 1]] = each[back]
        left[rows[:, 1]] = shapely.Polygon()
        rank[alike] = -1
    for turn in range(int(rank.max(initial=-1)) + 1):
        if cancelled():
            raise Cancelled
        mine = pairs[rank == turn]
        left[mine[:, 1]] = shapely.difference(left[mine[:, 1]], shapes[mine[:, 0]])
    return out + shapely.area(left), pairs


def _alike(inside: NDArray[np.bool_], pairs: NDArray[np.int64], kinds: NDArray[np.int64]) -> NDArray[np.bool_]:
    """Which pairs are a hit and its only neighbour of the same shape: along a row what such a hit takes is the same again and again."""
    if not len(pairs):
        return np.zeros(0, dtype=np.bool_)
    counts = np.bincount(pairs[:, 1], minlength=len(kinds))
    one, two = pairs[:, 0], pairs[:, 1]
    out: NDArray[np.bool_] = inside[two] & (counts[two] == 1) & (kinds[two] >= 0) & (kinds[one] == kinds[two])
    return out


class _Loose:
    """What comes loose, and when."""

    def __init__(
        self, sheet: Region, shapes: NDArray[np.object_], bites: Sequence[Bite], pairs: NDArray[np.int64], kinds: NDArray[np.int64],
        cancelled: Callable[[], bool],
    ) -> None:  # fmt: skip
        self.sheet, self.shapes, self.bites, self.cancelled = sheet, shapes, bites, cancelled
        x0, y0, x1, y1 = sheet.bounds
        world = shapely.box(x0 - _FAR_MM, y0 - _FAR_MM, x1 + _FAR_MM, y1 + _FAR_MM)
        self.outside = shapely.difference(world, sheet)
        self.roots = self._clusters(pairs)
        # Convex hits that hang together like the branches of a tree go round nothing (the nerve of a cover has its union's holes).
        strange = np.bincount(self.roots[kinds < 0], minlength=len(shapes) + 1)
        edges = np.bincount(self.roots[pairs[:, 1]], minlength=len(shapes) + 1)
        size = np.bincount(self.roots, minlength=len(shapes) + 1)
        self.no_hole = (strange == 0) & (edges < size)
        self.no_hole[0] = False
        self.whole_: dict[int, Region] = {}

    def _clusters(self, pairs: NDArray[np.int64]) -> NDArray[np.int64]:
        """Of each bite the number of its cluster; 0 is the one of the world outside."""
        parent = list(range(len(self.shapes) + 1))

        def root(k: int) -> int:
            while parent[k] != k:
                parent[k] = parent[parent[k]]
                k = parent[k]
            return k

        shapely.prepare(self.outside)
        at_the_edge = np.flatnonzero(shapely.dwithin(self.outside, self.shapes, _TOUCH_MM))
        for a, b in [*pairs.tolist(), *((-1, int(k)) for k in at_the_edge)]:
            one, two = root(a + 1), root(b + 1)
            parent[max(one, two)] = min(one, two)
        return np.array([root(k + 1) for k in range(len(self.shapes))], dtype=np.int64)

    def pieces(self) -> list[SheetPiece]:
        order = np.argsort(self.roots, kind="stable")
        begins = np.flatnonzero(np.diff(self.roots[order], prepend=-1))
        rows = np.split(order, begins[1:])
        self.numbers = self.roots[order[begins]].tolist()
        self.members = dict(zip(self.numbers, rows))
        bounds = shapely.bounds(self.shapes)
        boxes = [(*bounds[mine, :2].min(axis=0), *bounds[mine, 2:].max(axis=0)) for mine in rows]
        self.tree = shapely.STRtree([self.outside if r == 0 else shapely.box(*b) for r, b in zip(self.numbers, boxes)])
        out: list[SheetPiece] = []
        for r, mine in self.members.items():
            if self.cancelled():
                raise Cancelled
            if not self.no_hole[r]:
                out += self._of_cluster(r, mine)
        return out

    def whole(self, r: int) -> Region:
        """All that a cluster takes."""
        if r not in self.whole_:
            mine = self.members[r]
            first = [self.outside] if r == 0 else []
            self.whole_[r] = (
                shapely.union_all([*first, *self.shapes[mine]]) if len(mine) > 1 or first else self.shapes[mine[0]]
            )
        return self.whole_[r]

    def _holes(self, r: int, count: int) -> list[Region]:
        """What a cluster goes round with so many of its bites made."""
        mine = self.members[r]
        if count == len(mine):
            region = self.whole(r)
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
                found = self._around(r, count, mark) if count < len(mine) else hole
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
            part = self.whole(other) if len(before) == len(mine) else shapely.union_all(self.shapes[before])
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
            part = kerf(b.way[: int(b.done[moves - 1]) + 1], b.width)
            if not before.is_empty:
                part = shapely.union(before, part)
            found = next((h for h in _holes_of(part) if shapely.contains(h, mark)), None)
            return found is not None and not any(shapely.contains(found, m) for m in others)

        low, high = 0, b.last - b.first + 1
        step = 1
        likely = _closes(b)
        if 1 < likely < high and free(likely):
            high, step = likely, 1
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


_COMPARED = 300
"""Moves of one cut whose ends are held against each other."""


def _closes(b: Bite) -> int:
    """With how many of its moves a kerf most likely goes round something: the first that ends in what an earlier one has cut."""
    if len(b.done) > _COMPARED:
        return 0
    ends = b.way[b.done].tolist()
    room = (b.width / 2.0) ** 2
    for k in range(2, len(ends)):
        x, y = ends[k]
        if any((x - u) ** 2 + (y - v) ** 2 < room for u, v in ends[: k - 1]):
            return k + 1
    return 0


def _holes_of(region: Region) -> list[Region]:
    """What a region goes round."""
    out = []
    for part in shapely.get_parts(region):
        for k in range(shapely.get_num_interior_rings(part)):
            hole = shapely.Polygon(shapely.get_interior_ring(part, k))
            if hole.area > _SPECK_MM2:
                out.append(hole)
    return out
