"""The cut of a half section over time: one pass that finds contacts, and any moment of it afterwards.

Each band keeps every shape that it has had, with the step after which it had it. A moment is looked up, not cut again.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from underglass.core.errors import Cancelled
from underglass.core.frozen import freeze
from underglass.core.removal.section.shape import NOTHING, Floats, Shape, clean, folded, swept
from underglass.core.removal.section.state import Section, joined, split, volumes
from underglass.core.removal.section.ways import SectionTool, Ways
from underglass.core.tolerances import TOLERANCES

_BATCH = 512
_CHANGED_MM2 = 1e-7
"""A band that loses less than this has lost nothing but rounding."""
_PIECE_MM3 = 1e-3
"""What comes loose and is smaller is a chip."""
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


@dataclass(slots=True)
class _Bands:
    """Every version of every band, with the step that made it (-1: uncut)."""

    edges: Floats
    steps: list[list[int]]
    shapes: list[list[Shape]]

    def at(self, step: int) -> list[Shape]:
        """The bands before a step."""
        return [shapes[bisect_right(steps, step - 1) - 1] for steps, shapes in zip(self.steps, self.shapes)]

    def up_to(self, step: int) -> _Bands:
        """The versions that the steps before this one made."""
        cut = [bisect_right(steps, step - 1) for steps in self.steps]
        return _Bands(
            self.edges, [s[:k] for s, k in zip(self.steps, cut)], [s[:k] for s, k in zip(self.shapes, cut)]
        )  # fmt: skip


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
    bands: _Bands
    cell_mm: float | None = None
    _kept: dict[str, tuple[object, object]] = field(default_factory=dict, compare=False, repr=False)

    def at(self, move: int, share: float) -> Section:
        """The section a share (0..1) of the way through a move."""
        step = self.ways.first_of(move)
        steps = []
        while step < len(self.ways) and self.ways.move[step] == move and self.ways.until[step] <= share + 1e-12:
            step += 1
        bands = self.bands.at(step)
        if step < len(self.ways) and self.ways.move[step] == move and not self.ways.ring[step]:
            before = float(self.ways.until[step - 1]) if step and self.ways.move[step - 1] == move else 0.0
            span = float(self.ways.until[step]) - before
            if span > 0.0 and share > before:
                a, b = self.ways.start[step], self.ways.end[step]
                steps.append((int(self.ways.row[step]), a, a + (b - a) * ((share - before) / span)))
        for row, a, b in steps:
            for shape in swept(list(self.tools[row].edge), a[None, :], b[None, :]):
                _cut(bands, self.bands.edges, folded(shape))
        k = min(move, len(self.ways.shift) - 1)
        return Section(self.bands.edges, tuple(bands), float(self.ways.shift[k]))

    def owner_at(self, x: float, z: float, moves_done: int) -> int:
        """The move that made the surface at a place of the section (X as a radius, Z as it stands); -1 where it is uncut.

        Of the moves that took metal from the band there, the first whose edge passes through the place.
        """
        shift = float(self.ways.shift[min(max(moves_done - 1, 0), len(self.ways.shift) - 1)])
        at = shapely.Point(abs(x), z - shift)
        last = self.ways.first_of(moves_done)
        k = int(np.clip(np.searchsorted(self.bands.edges, z - shift, side="right") - 1, 0, len(self.bands.steps) - 1))
        best = -1
        for band in {max(k - 1, 0), k, min(k + 1, len(self.bands.steps) - 1)}:
            for step in self.bands.steps[band]:
                if step < 0 or step >= last:
                    continue
                row = int(self.ways.row[step])
                shapes = swept(list(self.tools[row].edge), self.ways.start[step][None, :], self.ways.end[step][None, :])
                if any(folded(s).boundary.distance(at) < _TOUCHES_MM for s in shapes):
                    move = int(self.ways.move[step])
                    best = move if best < 0 else min(best, move)
        return best


_TOUCHES_MM = 2e-3


def _under(edges: Floats, z0: float, z1: float) -> range:
    """The bands that a span of Z may meet."""
    first = max(int(np.searchsorted(edges, z0, side="right")) - 1, 0)
    return range(first, min(int(np.searchsorted(edges, z1, side="left")), len(edges) - 1))


def _cut(bands: list[Shape], edges: Floats, shape: Shape) -> list[tuple[int, Shape, Shape]]:
    """Take a shape away from the bands, in place; (band, before, after) of those that lost something."""
    x0, z0, x1, z1 = shape.bounds
    met = [k for k in _under(edges, z0, z1) if not bands[k].is_empty and _overlap(bands[k].bounds, x0, x1)]
    if not met:
        return []
    before = np.array([bands[k] for k in met], dtype=object)
    after = shapely.difference(before, shape)
    lost = shapely.area(before) - shapely.area(after)
    out = []
    for k, old, new, less in zip(met, before, after, lost):
        if less > _CHANGED_MM2:
            bands[k] = clean(new)
            out.append((k, old, bands[k]))
    return out


def _overlap(bounds: tuple[float, float, float, float], x0: float, x1: float) -> bool:
    return bounds[0] < x1 and bounds[2] > x0


class _Cutter:
    """One pass over the steps."""

    def __init__(
        self,
        bands: list[Shape],
        versions: _Bands,
        ways: Ways,
        tools: tuple[SectionTool, ...],
        forbid: NDArray[np.bool_],
        look: float,
    ) -> None:
        self.bands, self.versions, self.ways, self.tools, self.forbid = bands, versions, ways, tools, forbid
        self.edges = versions.edges
        n = ways.moves
        self.removed, self.depth, self.back = np.zeros(n), np.zeros(n), np.zeros(n)
        self.lowest, self.near = np.full(n, np.inf), np.full(n, np.inf)
        self.span = np.tile([np.inf, -np.inf], (n, 1))
        self.look = look
        self.hits: list[SectionHit] = []
        self.pieces: list[Piece] = []
        self.marks = [self._mark(k) for k in range(len(bands))]

    def step(self, i: int, edge: list[Shape], body: list[Shape]) -> None:
        move, row = int(self.ways.move[i]), int(self.ways.row[i])
        bites: list[Shape] = []
        torn = False
        for shape in edge:
            one = folded(shape)
            changed = _cut(self.bands, self.edges, one)
            if not changed:
                continue
            was = np.array([c[1] for c in changed], dtype=object)
            now = np.array([c[2] for c in changed], dtype=object)
            self.removed[move] += float((volumes(was) - volumes(now)).sum())
            bites.extend(shapely.intersection(was, one))
            for k, _old, new in changed:
                steps, shapes = self.versions.steps[k], self.versions.shapes[k]
                if steps[-1] == i:
                    shapes[-1] = new
                else:
                    steps.append(i)
                    shapes.append(new)
                mark = self._mark(k)
                torn = torn or mark != self.marks[k]
                self.marks[k] = mark
        if bites:
            self._judge(i, move, row, np.array(bites, dtype=object))
        if torn:
            self._loose(i, move)
        for shape in body:
            self._body(i, move, folded(shape))

    def _judge(self, i: int, move: int, row: int, bites: NDArray[np.object_]) -> None:
        """What a bite says: how deep, how near the axis, whether the edge may take it there."""
        places = shapely.get_coordinates(bites)
        self.lowest[move] = min(self.lowest[move], float(places[:, 0].min()))
        low, high = float(places[:, 1].min()), float(places[:, 1].max())
        self.span[move] = min(self.span[move, 0], low), max(self.span[move, 1], high)
        way = self.ways.end[i] - self.ways.start[i]
        length = float(np.hypot(*way))
        if length > 0.0:
            square = np.array([-way[1], way[0]]) / length
            off = places @ square
            self.depth[move] = max(self.depth[move], float(off.max() - off.min()))
            tool = self.tools[row]
            side = float(square @ np.array(tool.holds))
            if tool.judged and abs(side) > 1e-6 and not self.forbid[move]:
                away = -square if side > 0.0 else square
                centre = self.ways.start[i] + np.array(tool.nose)
                here = places[places[:, 0] > 0.0]
                beyond = float(((here - centre) @ away).max(initial=0.0)) - tool.radius
                if beyond > _BACK_MM:
                    self.back[move] = max(self.back[move], beyond)
        if self.forbid[move]:
            wide = places.max(axis=0) - places.min(axis=0)
            depth = float(wide.min())
            if depth > TOLERANCES.touch_mm:
                largest = bites[int(np.argmax(shapely.area(bites)))].centroid
                self._hit(move, "edge", depth, largest.x, largest.y + float(self.ways.shift[move]))

    def _body(self, i: int, move: int, shape: Shape) -> None:
        x0, z0, x1, z1 = shape.bounds
        room = min(self.look, float(self.near[move]))
        met = [
            k
            for k in _under(self.edges, z0 - room, z1 + room)
            if not self.bands[k].is_empty and _overlap(self.bands[k].bounds, x0 - room, x1 + room)
        ]
        if not met:
            return
        gap = float(shapely.distance(np.array([self.bands[k] for k in met], dtype=object), shape).min())
        if gap > 0.0:
            self.near[move] = min(self.near[move], gap)
            return
        inside = shapely.intersection(np.array([self.bands[k] for k in met], dtype=object), shape)
        areas = shapely.area(inside)
        if float(areas.sum()) <= _CHANGED_MM2:
            return
        places = shapely.get_coordinates(inside[areas > 0.0])
        wide = places.max(axis=0) - places.min(axis=0)
        depth = float(wide.min())
        if depth > TOLERANCES.touch_mm:
            largest = inside[int(np.argmax(areas))].centroid
            self._hit(move, "body", depth, largest.x, largest.y + float(self.ways.shift[move]))

    def _hit(self, move: int, part: str, depth: float, x: float, z: float) -> None:
        if self.hits and self.hits[-1].move == move and self.hits[-1].part == part:
            if depth > self.hits[-1].depth:
                self.hits[-1] = SectionHit(move, part, depth, x, z)
            return
        self.hits.append(SectionHit(move, part, depth, x, z))

    def _mark(self, k: int) -> tuple[int, int, int]:
        """What of a band decides whether it holds together: its parts, and where it reaches its neighbours."""
        band = self.bands[k]
        if band.is_empty:
            return (0, 0, 0)
        z = shapely.get_coordinates(band)[:, 1]
        return (
            shapely.get_num_geometries(band),
            int((z == self.edges[k]).sum()),
            int((z == self.edges[k + 1]).sum()),
        )

    def _loose(self, i: int, move: int) -> None:
        """What is no longer held falls off: everything that does not hang together with the end in the chuck."""
        whole = joined(self.bands)
        parts = shapely.get_parts(whole)
        if len(parts) < 2:
            return
        held = parts[int(np.argmin(shapely.bounds(parts)[:, 1]))]
        for part in parts:
            if part is held:
                continue
            much = float(volumes(np.array([part], dtype=object))[0])
            if much > _PIECE_MM3:
                self.pieces.append(Piece(move, much, part))
        shapely.prepare(held)
        for k, band in enumerate(self.bands):
            if band.is_empty:
                continue
            pieces = shapely.get_parts(band)
            stays = [p for p in pieces if held.contains(p.representative_point())]
            if len(stays) == len(pieces):
                continue
            left = stays[0] if len(stays) == 1 else shapely.MultiPolygon(stays) if stays else NOTHING
            self.bands[k] = left
            if self.versions.steps[k][-1] == i:
                self.versions.shapes[k][-1] = left
            else:
                self.versions.steps[k].append(i)
                self.versions.shapes[k].append(left)
            self.marks[k] = self._mark(k)


def edges_of(shape: Shape, moves: int) -> Floats:
    """Where the bands lie: as many as the program is long, within reason."""
    _x0, z0, _x1, z1 = shape.bounds
    count = int(np.clip(moves // 40, 24, 320))
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
        versions = before.bands.up_to(first)
        edges = versions.edges
    else:
        edges = edges_of(uncut, ways.moves)
        versions = _Bands(edges, [[-1] for _ in range(len(edges) - 1)], [[b] for b in split(uncut, edges)])
    cutter = _Cutter([s[-1] for s in versions.shapes], versions, ways, tools, forbid, look)
    if first and before is not None:
        for name in ("removed", "depth", "back", "lowest", "span", "near"):
            getattr(cutter, name)[:same_moves] = getattr(before, name)[:same_moves]
        cutter.hits = [h for h in before.hits if h.move < same_moves]
        cutter.pieces = [p for p in before.pieces if p.move < same_moves]
    start = Section(edges, tuple(s[0] for s in versions.shapes), float(ways.shift[0]) if len(ways.shift) else 0.0)
    box = uncut.bounds
    for at in range(first, len(ways), _BATCH):
        if cancelled():
            raise Cancelled
        progress(at / max(len(ways), 1))
        _batch(cutter, ways, tools, range(at, min(at + _BATCH, len(ways))), box, cancelled)
    final = Section(edges, tuple(cutter.bands), float(ways.shift[-1]) if len(ways.shift) else 0.0)
    return freeze(
        SectionHistory(
            uncut=start, final=final, ways=ways, tools=tools, removed=cutter.removed, depth=cutter.depth,
            back=cutter.back, lowest=cutter.lowest, span=cutter.span, near=cutter.near, hits=tuple(cutter.hits), pieces=tuple(cutter.pieces), bands=versions,
        )
    )  # fmt: skip


def _batch(
    cutter: _Cutter, ways: Ways, tools: tuple[SectionTool, ...], steps: range,
    box: tuple[float, float, float, float], cancelled: Callable[[], bool],
) -> None:  # fmt: skip
    """Steps whose swept shapes are made together."""
    rows = ways.row[steps.start : steps.stop]
    made: dict[int, tuple[list[Shape], list[Shape]]] = {}
    for row in np.unique(rows).tolist():
        if row < 0:
            continue
        tool = tools[row]
        mine = steps.start + np.flatnonzero(rows == row)
        for which, parts in enumerate((tool.edge, tool.body)):
            if not parts:
                continue
            near = mine[_may_meet(ways.start[mine], ways.end[mine], parts, box)]
            shapes = swept(list(parts), ways.start[near], ways.end[near])
            for k, i in enumerate(near.tolist()):
                made.setdefault(i, ([], []))[which].extend(shapes[k * len(parts) : (k + 1) * len(parts)])
    for count, i in enumerate(sorted(made)):
        if count % 64 == 0 and cancelled():
            raise Cancelled
        cutter.step(i, *made[i])


def _may_meet(
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
