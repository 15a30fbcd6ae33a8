"""The cut of a half section over time: one pass that finds contacts, and any moment of it afterwards.

Each band keeps every shape that it has had, with the step after which it had it. A moment is looked up, not cut again.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from underglass.core.errors import Cancelled
from underglass.core.frozen import freeze
from underglass.core.removal.keyframes import Versions
from underglass.core.removal.section.bands import CHANGED_MM2, NO_BOX, Band, Now, band, bite, meet, under
from underglass.core.removal.section.shape import NOTHING, Floats, Shape, clean, folded, swept, swept_rings
from underglass.core.removal.section.state import Section, joined, split, volumes
from underglass.core.removal.section.ways import SectionTool, Ways
from underglass.core.tolerances import TOLERANCES

_BATCH = 512
_PIECE_MM3 = 1e-3
"""What comes loose and is smaller is a chip."""
_SLIDES_MM = 0.05
"""An edge that leaves a shoulder square to it slides along a wall that leans by the insert's own few degrees: so little is no contact."""
_BACK_MM = 0.01
"""An edge cuts on the wrong side where it reaches so far beyond the nose: below it nothing on a machine is certain."""


class SectionHit(NamedTuple):
    """A part in the stock where it must not be. ``part``: edge or body; ``depth`` mm; the place, as the stock stands now."""

    move: int
    part: str
    depth: float
    x: float
    z: float


class Piece(NamedTuple):
    """What a move freed: how much, and its section where it was."""

    move: int
    volume: float
    shape: Shape


Bands = Versions[Band]
"""By band; ``when`` is the step that made it, -1 the uncut stock."""


@dataclass(frozen=True, slots=True, kw_only=True)
class SectionHistory:
    """A stock's whole cut. By move (n,): ``removed`` mm3, ``depth`` the most metal taken square to the way, mm, ``back`` how far an edge
    cut on the wrong side of the nose, mm, ``lowest`` the smallest radius at which it cut (inf: none), mm; ``span`` (n, 2) lowest and highest Z of what it took, as the stock counts (inf, -inf: nothing); ``near`` how close its body
    passed the stock, where that is less than ``look`` (inf: no), mm."""

    uncut: Section
    final: Section
    ways: Ways
    tools: tuple[SectionTool, ...]
    removed: Floats
    depth: Floats
    back: Floats
    lowest: Floats
    span: Floats
    near: Floats
    hits: tuple[SectionHit, ...]
    pieces: tuple[Piece, ...]
    edges: Floats
    bands: Bands
    met: dict[tuple[int, str], tuple[float, float, float]] = field(default_factory=dict, compare=False, repr=False)
    """The share of a move at which a part (edge or body) first touched what it must not, and where (X as a radius, Z), as far as somebody has asked."""
    cell_mm: float | None = None
    _kept: dict[str, tuple[object, object]] = field(default_factory=dict, compare=False, repr=False)

    def at(self, move: int, share: float) -> Section:
        """The section a share (0..1) of the way through a move."""
        cursor = self.cursor()
        cursor.go(move, share)
        return cursor.state

    def cursor(self) -> SectionCursor:
        return SectionCursor(self)

    def with_pieces(self) -> Shape:
        """What is left in the end, and what was parted off where it was."""
        return clean(shapely.union_all([self.final.shape, *(p.shape for p in self.pieces)]))

    def owners(self, places: Floats, moves_done: int) -> NDArray[np.int64]:
        """The move that made the surface at places ``(n, 2)`` of the section, X as a radius and Z as the stock counts; -1 where
        it is uncut. Of the moves that took metal, the first whose edge passes through the place."""
        out = np.full(len(places), -1, dtype=np.int64)
        steps, tree = self._edges()
        if tree is None or not len(places):
            return out
        last = self.ways.first_of(moves_done)
        which, found = tree.query(shapely.points(places), predicate="dwithin", distance=_TOUCHES_MM)
        mine = steps[found]
        before = mine < last
        best = np.full(len(places), np.iinfo(np.int64).max)
        np.minimum.at(best, which[before], mine[before])
        known = best < np.iinfo(np.int64).max
        out[known] = self.ways.move[best[known]]
        return out

    def _edges(self) -> tuple[NDArray[np.int64], shapely.STRtree | None]:
        """The steps that took metal, and a tree of the outlines that they passed over. Made when it is first asked for."""
        found = self._kept.get("edges")
        if found is None:
            steps = np.array(sorted({s for s in self.bands.times if s >= 0}), dtype=np.int64)
            shapes: list[Shape] = []
            numbers: list[int] = []
            for row in np.unique(self.ways.row[steps]).tolist() if len(steps) else []:
                mine = steps[self.ways.row[steps] == row]
                parts = list(self.tools[row].edge)
                made = swept(parts, self.ways.start[mine], self.ways.end[mine])
                shapes += [folded(s).boundary for s in made]
                numbers += np.repeat(mine, len(parts)).tolist()
            tree = shapely.STRtree(shapes) if shapes else None
            found = self._kept["edges"] = (np.array(numbers, dtype=np.int64), tree)
        return found  # type: ignore[return-value]


_TOUCHES_MM = 2e-3


class SectionCursor:
    """A half section that can be put to any moment of its history."""

    def __init__(self, history: SectionHistory) -> None:
        self._history = history
        self._bands: list[Shape] = list(history.uncut.bands)
        self._step = 0
        self._cut_further: set[int] = set()
        """Bands that a part of a step has been taken from."""
        self.state = history.uncut

    def go(self, move: int, share: float) -> set[int]:
        """Put it to a share (0..1) of the way through a move. The bands that changed."""
        history, ways = self._history, self._history.ways
        step = ways.first_of(move)
        while step < len(ways) and ways.move[step] == move and ways.until[step] <= share + 1e-12:
            step += 1
        changed = set(history.bands.differing(step - 1, self._step - 1)) | self._cut_further
        for k in changed:
            made = history.bands.at(k, step - 1)
            assert made is not None
            self._bands[k] = made.shape
        self._step, self._cut_further = step, set()
        if step < len(ways) and ways.move[step] == move and not ways.ring[step]:
            before = float(ways.until[step - 1]) if step and ways.move[step - 1] == move else 0.0
            span = float(ways.until[step]) - before
            if span > 0.0 and share > before:
                self._part_of(step, (share - before) / span)
        k = min(move, len(ways.shift) - 1)
        self.state = Section(edges=history.edges, bands=tuple(self._bands), shift=float(ways.shift[k]))
        return changed | self._cut_further

    def _part_of(self, step: int, share: float) -> None:
        """Take what the first part of a step takes."""
        ways, edges = self._history.ways, self._history.edges
        a, b = ways.start[step], ways.end[step]
        edge = list(self._history.tools[int(ways.row[step])].edge)
        for shape in map(folded, swept(edge, a[None, :], (a + (b - a) * share)[None, :])):
            met = [k for k in under(edges, shape.bounds[1], shape.bounds[3]) if not self._bands[k].is_empty]
            for k, left in zip(met, shapely.difference([self._bands[k] for k in met], shape) if met else ()):
                self._bands[k] = clean(left)
                self._cut_further.add(k)


Bitten = tuple[int, float, float, float, float, float]
"""As ``bands.bite`` says it."""


def _both(a: Bitten, b: Bitten) -> Bitten:
    return (a[0] + b[0], min(a[1], b[1]), min(a[2], b[2]), max(a[3], b[3]), min(a[4], b[4]), max(a[5], b[5]))


class _Cutter:
    """One pass over the steps."""

    def __init__(
        self, bands: list[Band], edges: Floats, versions: Bands, ways: Ways, tools: tuple[SectionTool, ...], forbid: NDArray[np.bool_], look: float,
    ) -> None:  # fmt: skip
        self.now = Now(bands, edges)
        self.versions, self.ways, self.tools, self.forbid = versions, ways, tools, forbid
        n = ways.moves
        self.removed, self.depth, self.back = np.zeros(n), np.zeros(n), np.zeros(n)
        self.lowest, self.near = np.full(n, np.inf), np.full(n, np.inf)
        self.span = np.tile([np.inf, -np.inf], (n, 1))
        self.look = look
        self.hits: list[SectionHit] = []
        self.pieces: list[Piece] = []

    def step(self, i: int, edge: list[tuple[Shape, Floats]], body: list[Shape]) -> None:
        """``edge``: what the cutting part passes over, with its outline; ``body``: what must not touch."""
        move, row = int(self.ways.move[i]), int(self.ways.row[i])
        if self.forbid[move] and not self.ways.by_hand[i]:
            self._touch(move, "edge", [folded(shape) for shape, _ring in edge])
            edge = []
        way = self.ways.end[i] - self.ways.start[i]
        length = math.hypot(way[0], way[1])
        sx, sz = (-way[1] / length, way[0] / length) if length > 0.0 else (0.0, 0.0)
        found: Bitten | None = None
        torn = False
        for shape, ring in edge:
            one = folded(shape) if ring[:, 0].min() < 0.0 else shape
            changed = self.now.cut(one, one.bounds) if one is not shape else self.now.cut(one, NO_BOX, ring)
            for k, old, new in changed:
                self.removed[move] += old.volume - new.volume
                said = bite(old.places, new.places, sx, sz)
                if said[0]:
                    found = said if found is None else _both(found, said)
                self.versions.keep(k, i, new)
            # What hangs together with its neighbours as before came loose from nothing.
            torn = torn or not all(old.mark == new.mark or self._sound(k) for k, old, new in changed)
        if found is not None:
            self._judge(i, move, row, found, sx, sz)
        if torn:
            self._loose(i, move)
        for shape in body:
            self._body(move, folded(shape))

    def _judge(self, i: int, move: int, row: int, found: Bitten, sx: float, sz: float) -> None:
        """What a bite says: how deep, how near the axis, whether the edge may take it there. (sx, sz): square to the way."""
        _count, x0, low, high, near, far = found
        self.lowest[move] = min(self.lowest[move], x0)
        self.span[move] = min(self.span[move, 0], low), max(self.span[move, 1], high)
        if not sx and not sz:
            return
        self.depth[move] = max(self.depth[move], far - near)
        tool = self.tools[row]
        side = sx * tool.holds[0] + sz * tool.holds[1]
        if tool.judged and abs(side) > 1e-6:
            start = self.ways.start[i]
            centre = (float(start[0]) + tool.nose[0]) * sx + (float(start[1]) + tool.nose[1]) * sz
            beyond = (centre - near if side > 0.0 else far - centre) - tool.radius
            if beyond > _BACK_MM:
                self.back[move] = max(self.back[move], beyond)

    def _body(self, move: int, shape: Shape) -> None:
        room = min(self.look, float(self.near[move]))
        met = self.now.met(shape.bounds, room)
        if not met:
            return
        gap = float(shapely.distance([self.now.each[k].shape for k in met], shape).min())
        if gap > 0.0:
            self.near[move] = min(self.near[move], gap)
            return
        self._touch(move, "body", [shape])

    def _touch(self, move: int, part: str, shapes: list[Shape]) -> None:
        """What must not be in the stock and is: how deep, and where. It takes nothing away: there the machine has crashed."""
        inside: list[Shape] = []
        for shape in shapes:
            met = self.now.met(shape.bounds)
            if met:
                inside += [
                    s for s in shapely.intersection([self.now.each[k].shape for k in met], shape) if s.area > 0.0
                ]
        if sum(s.area for s in inside) <= CHANGED_MM2:
            return
        whole = shapely.get_parts(joined(inside))
        depth = 2.0 * max((float(shapely.maximum_inscribed_circle(p, 1e-3).length) for p in whole), default=0.0)
        if depth > (_SLIDES_MM if part == "edge" else TOLERANCES.touch_mm):
            largest = max(inside, key=lambda s: float(s.area)).centroid
            self._hit(move, part, depth, largest.x, largest.y + float(self.ways.shift[move]))

    def _hit(self, move: int, part: str, depth: float, x: float, z: float) -> None:
        if self.hits and self.hits[-1].move == move and self.hits[-1].part == part:
            if depth > self.hits[-1].depth:
                self.hits[-1] = SectionHit(move, part, depth, x, z)
            return
        self.hits.append(SectionHit(move, part, depth, x, z))

    def _sound(self, k: int) -> bool:
        """Whether a band surely hangs together with what is beside it: one part, that reaches its neighbours or has none."""
        mark = self.now.each[k].mark
        if not mark:
            return not any(b.mark for b in self.now.each[k + 1 :])
        if len(mark) > 1:
            return False
        before = self.now.each[k - 1].mark if k else []
        behind = self.now.each[k + 1].mark if k + 1 < len(self.now.each) else []
        if k and not before:
            return False
        return all(meet(p[1], mark[0][0]) for p in before) and all(meet(mark[0][1], p[0]) for p in behind)

    def _held(self) -> list[list[bool]]:
        """Of each part of each band, whether it hangs together with the end in the chuck: the first band there is."""
        marks = [band.mark for band in self.now.each]
        first = next((k for k, mark in enumerate(marks) if mark), None)
        held = [[False] * len(mark) for mark in marks]
        if first is None:
            return held
        open_ones = [(first, p) for p in range(len(marks[first]))]
        for k, p in open_ones:
            held[k][p] = True
        while open_ones:
            k, p = open_ones.pop()
            for other, mine, theirs in ((k - 1, 0, 1), (k + 1, 1, 0)):
                if not 0 <= other < len(marks):
                    continue
                for q, part in enumerate(marks[other]):
                    if not held[other][q] and meet(marks[k][p][mine], part[theirs]):
                        held[other][q] = True
                        open_ones.append((other, q))
        return held

    def _loose(self, i: int, move: int) -> None:
        """What is no longer held falls off: everything that does not hang together with the end in the chuck."""
        held = self._held()
        if all(all(parts) for parts in held):
            return
        fallen: list[Shape] = []
        for k, flags in enumerate(held):
            if all(flags):
                continue
            parts = shapely.get_parts(self.now.each[k].shape)
            stays = [p for p, on in zip(parts, flags) if on]
            fallen += [p for p, on in zip(parts, flags) if not on]
            left = stays[0] if len(stays) == 1 else shapely.MultiPolygon(stays) if stays else NOTHING
            self.now.put(k, self.now.made(k, left))
            self.versions.keep(k, i, self.now.each[k])
        for piece in shapely.get_parts(joined(fallen)):
            much = float(volumes(np.array([piece], dtype=object))[0])
            if much > _PIECE_MM3:
                self.pieces.append(Piece(move, much, piece))


def edges_of(shape: Shape, moves: int) -> Floats:
    """Where the bands lie: as many as the program is long, within reason."""
    _x0, z0, _x1, z1 = shape.bounds
    count = int(np.clip(moves // 250, 24, 320))
    out: Floats = np.linspace(z0, z1, count + 1)
    return out


def cut_section(
    uncut: Shape,
    ways: Ways,
    tools: tuple[SectionTool, ...],
    forbid: NDArray[np.bool_],
    progress: Callable[[float], None] = lambda _share: None,
    cancelled: Callable[[], bool] = lambda: False,
    before: SectionHistory | None = None,
    same_moves: int = 0,
    look: float = 1.0,
) -> SectionHistory:
    """Cut a section. ``forbid`` (moves,): the edge must not touch there. ``before``: an earlier cut whose first ``same_moves`` moves
    were the same, made by the same tools on the same stock. Raises ``Cancelled``."""
    first = 0
    if before is not None and same_moves > 0:
        first = min(ways.first_of(same_moves), before.ways.first_of(same_moves))
        edges, versions = before.edges, before.bands.up_to(first - 1)
    else:
        edges, versions = edges_of(uncut, ways.moves), Versions()
        for k, shape in enumerate(split(uncut, edges)):
            versions.keep(k, -1, band(shape, *edges[k : k + 2].tolist()))
    bands = [versions.last(k) for k in range(len(edges) - 1)]
    uncut_bands = tuple(one.shape for k in range(len(edges) - 1) if (one := versions.at(k, -1)) is not None)
    cutter = _Cutter(bands, edges, versions, ways, tools, forbid, look)
    if first and before is not None:
        for name in ("removed", "depth", "back", "lowest", "span", "near"):
            getattr(cutter, name)[:same_moves] = getattr(before, name)[:same_moves]
        cutter.hits = [h for h in before.hits if h.move < same_moves]
        cutter.pieces = [p for p in before.pieces if p.move < same_moves]
    start = Section(
        edges=edges,
        bands=uncut_bands,
        shift=float(ways.shift[0]) if len(ways.shift) else 0.0,
    )
    box = uncut.bounds
    for at in range(first, len(ways), _BATCH):
        if cancelled():
            raise Cancelled
        progress(at / max(len(ways), 1))
        _batch(cutter, ways, tools, range(at, min(at + _BATCH, len(ways))), box, cancelled)
    final = Section(
        edges=edges, bands=tuple(cutter.now.shapes), shift=float(ways.shift[-1]) if len(ways.shift) else 0.0
    )
    return freeze(
        SectionHistory(
            uncut=start, final=final, ways=ways, tools=tools, removed=cutter.removed, depth=cutter.depth,
            back=cutter.back, lowest=cutter.lowest, span=cutter.span, near=cutter.near, hits=tuple(cutter.hits), pieces=tuple(cutter.pieces), edges=edges, bands=versions,
            met={key: found for key, found in before.met.items() if key[0] < same_moves} if before is not None else {},
        )
    )  # fmt: skip


def _batch(
    cutter: _Cutter, ways: Ways, tools: tuple[SectionTool, ...], steps: range,
    box: tuple[float, float, float, float], cancelled: Callable[[], bool],
) -> None:  # fmt: skip
    """Steps whose swept shapes are made together."""
    rows = ways.row[steps.start : steps.stop]
    made: dict[int, tuple[list[tuple[Shape, Floats]], list[Shape]]] = {}
    for row in np.unique(rows).tolist():
        if row < 0:
            continue
        tool = tools[row]
        mine = steps.start + np.flatnonzero(rows == row)
        for which, parts in enumerate((tool.edge, tool.body)):
            if not parts:
                continue
            near = mine[_maymeet(ways.start[mine], ways.end[mine], parts, box)]
            for part in parts:
                rings = swept_rings(part, ways.start[near], ways.end[near])
                if which:
                    for i, shape in zip(near.tolist(), shapely.polygons(rings)):
                        made.setdefault(i, ([], []))[1].append(shape)
                    continue
                # The stock only gets smaller: what meets nothing now will not later in the batch.
                for k, shape, ring in cutter.now.cropped(rings):
                    made.setdefault(int(near[k]), ([], []))[0].append((shape, ring))
    for count, i in enumerate(sorted(made)):
        if count % 64 == 0 and cancelled():
            raise Cancelled
        cutter.step(i, *made[i])


def _maymeet(
    a: Floats, b: Floats, parts: tuple[Floats, ...], box: tuple[float, float, float, float]
) -> NDArray[np.bool_]:
    """Which steps come near the stock at all, on either side of the axis."""
    room = 1.0
    low = np.minimum(a, b) + np.min([p.min(axis=0) for p in parts], axis=0) - room
    high = np.maximum(a, b) + np.max([p.max(axis=0) for p in parts], axis=0) + room
    out: NDArray[np.bool_] = (
        (low[:, 0] < box[2]) & (high[:, 0] > -box[2]) & (low[:, 1] < box[3]) & (high[:, 1] > box[1])
    )
    return out
