"""Stock and zero of a bare program, guessed so that the program can be right.

The stock goes around the contours that are cut round, on their kept side, not out to where a face mill comes in from; where
nothing is cut round, around the pockets and holes, as far on the far side as on the near one. Common practice, no source.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from underglass.core.bench.tool import Tool
from underglass.core.control.motions import Motions
from underglass.core.control.run import Run
from underglass.core.control.state import Vector
from underglass.core.files.guess_tools import THIN_MM, row_step
from underglass.core.proof.level_runs import element_points
from underglass.core.units import MM_PER_INCH, Unit

Floats = NDArray[np.float64]
_ALLOWANCE_MM = 1.0
"""What a contour takes off the raw block's side."""
_UNDER_MM = 5.0
"""What stays below the deepest cut."""
_AROUND_MM = 10.0
"""How far a pocket or a hole stands from a side, where nothing says."""
_MOST_POINTS = 5000
"""Contours of more elements than this are surfaces, not outlines."""

_HOLE_TOOLS = {"drill", "spot-drill", "centre-drill", "tap", "reamer", "boring-bar"}


class Block(NamedTuple):
    """Minimum corner and size, from the zero, mm; ``why`` in words."""

    corner: Vector
    size: Vector
    why: str


def _outline(run: Run, tools: dict[int, Tool], deep: NDArray[np.bool_]) -> tuple[Floats, Floats] | None:
    """Bounds, in X and Y, of the largest part that a contour is cut round, from the zero."""
    best: tuple[float, Floats, Floats] | None = None
    for part in (*_compensated(run), *_bare(run, tools, deep)):
        x0, y0, x1, y1 = part.bounds
        area = (x1 - x0) * (y1 - y0)
        if best is None or area > best[0]:
            best = (area, np.array([x0, y0]), np.array([x1, y1]))
    return (best[1], best[2]) if best is not None else None


def _loop(points: Floats) -> shapely.Polygon | None:
    """The largest area that a way goes round, its ways in and out left off; None where it closes nowhere."""
    if len(points) < 3 or len(points) > _MOST_POINTS:
        return None
    line = shapely.node(shapely.LineString(points))
    areas = shapely.get_parts(shapely.polygonize(shapely.get_parts(line)))
    return max(areas, key=lambda a: a.area, default=None)


def _compensated(run: Run) -> Iterator[shapely.Polygon]:
    """What compensated contours go round with the cutter outside; the programmed path is the part's own edge."""
    for s in run.stretches:
        rows = np.flatnonzero(~s.entry)
        if s.plane != 17 or not len(rows) or len(rows) > _MOST_POINTS:
            continue
        points = np.concatenate([element_points(s, int(row)) for row in rows]) - np.array(s.shift[:2])
        loop = _loop(points)
        if loop is None:
            continue
        size = np.hypot(*np.diff(points, axis=0).T)
        k = int(np.argmax(size))
        way = (points[k + 1] - points[k]) / max(float(size[k]), 1e-9)
        beside = (points[k] + points[k + 1]) / 2.0 + s.side * 1e-3 * np.array([-way[1], way[0]])
        if not loop.contains(shapely.Point(beside)):
            yield loop


def _bare(run: Run, tools: dict[int, Tool], deep: NDArray[np.bool_]) -> Iterator[shapely.Polygon]:
    """What a cutter's centre goes round, coming in from outside of it: the part is a radius smaller."""
    motions = run.motions
    shift = motions.shifts()
    comp = np.array([s.comp != "off" for s in motions.in_force] or [False])[motions.state]
    level = np.abs(motions.end[:, 2] - motions.start[:, 2]) < 1e-6
    rows = np.flatnonzero(deep & level & ~comp & (motions.plane == 17))
    if not len(rows):
        return
    called = motions.tool_of()
    for part in np.split(rows, np.flatnonzero((np.diff(rows) > 1) | (np.diff(called[rows]) != 0)) + 1):
        tool = tools.get(int(called[int(part[0])]))
        if tool is None or tool.kind in _HOLE_TOOLS or len(part) > _MOST_POINTS:
            continue
        points = np.concatenate([_points(motions, int(m)) for m in part]) - shift[int(part[0]), :2]
        loop = _loop(points)
        if loop is None or loop.area < (2.0 * tool.DC) ** 2:
            continue
        if loop.buffer(1e-6).contains(shapely.Point(points[0])):
            continue
        inner = loop.buffer(-tool.radius)
        if not inner.is_empty:
            yield inner


def _points(motions: Motions, move: int) -> Floats:
    count = 1 if motions.sweep[move] == 0.0 else 24
    return np.array([motions.at(move, k / count)[:2] for k in range(count + 1)])


def guess_block(run: Run, tools: dict[int, Tool], zero: Vector, unit: Unit) -> Block:
    """The block around what is cut, its top at Z0 or, where nothing goes below, as high as the highest cut."""
    motions = run.motions
    lows, highs = motions.boxes() if len(motions) else (np.zeros((0, 3)), np.zeros((0, 3)))
    shift = motions.shifts() if len(motions) else np.zeros((0, 3))
    low, high = lows - shift, highs - shift
    fed = ~motions.rapid() & (motions.dwell == 0.0)
    sideways = (np.hypot(*(motions.end - motions.start)[:, :2].T) > 1e-6) | (motions.sweep != 0.0)
    scale = MM_PER_INCH / 25.0 if unit == "inch" else 1.0
    if not fed.any():
        return Block((0.0, 0.0, -20.0), (100.0, 100.0, 20.0), "nothing is cut: a block of 100 x 100 x 20")
    floor = float(low[fed, 2].min())
    from_top = floor < -1e-6
    top = (
        0.0
        if from_top
        else float(high[fed & sideways, 2].max())
        if (fed & sideways).any()
        else float(high[fed, 2].max())
    )
    bottom = floor - _UNDER_MM * scale if from_top else 0.0
    deep = fed & (low[:, 2] < top - 1e-6) if from_top else fed
    called = motions.tool_of()
    radius = np.array([tools[n].radius if n in tools else 0.0 for n in called.tolist()])
    outline = _outline(run, tools, deep)
    if outline is not None:
        a, b = outline
        room = _ALLOWANCE_MM * scale
        why = "around the contour that is cut"
        # Pockets and holes beyond it belong to the block, too.
        a, b = a - room, b + room
    else:
        face = _faces(run, low, high, fed & sideways, top)
        inner = deep & ~face
        if inner.any():
            a = (low[inner, :2] - radius[inner, None]).min(axis=0)
            b = (high[inner, :2] + radius[inner, None]).max(axis=0)
            a, b = _even(a, b, _AROUND_MM * scale)
            why = "around the pockets and holes"
        else:
            rows = face if face.any() else fed
            a, b = low[rows, :2].min(axis=0), high[rows, :2].max(axis=0)
            r = float(radius[rows].max())
            # A face mill comes in from beyond the side and goes out beyond it; across, its rows lie on the block.
            span = b - a
            for axis in (0, 1):
                if span[axis] > 4.0 * r and span[axis] >= span[1 - axis]:
                    a[axis], b[axis] = a[axis] + r, b[axis] - r
                else:
                    a[axis], b[axis] = a[axis] - 0.6 * r, b[axis] + 0.6 * r
            why = "around the face that is milled"
    a, b = _snapped(a, unit), _snapped(b, unit)
    size = np.clip(b - a, 1.0, 5000.0)
    height = float(np.clip(top - bottom, 1.0, 1000.0))
    return Block((float(a[0]), float(a[1]), top - height), (float(size[0]), float(size[1]), height), why)


def _snapped(sides: Floats, unit: Unit) -> Floats:
    """Sides without what the hair-thin cutter of the trial is out by: what is all but a round figure is one."""
    scale, places = (MM_PER_INCH, 3) if unit == "inch" else (1.0, 2)
    near = np.round(sides / scale, places) * scale
    return np.where(np.abs(near - sides) <= 2.5 * THIN_MM, near, sides)


def _even(a: Floats, b: Floats, room: float) -> tuple[Floats, Floats]:
    """Sides from what is cut inside them: a zero at a corner or in the middle, as the figures are."""
    low, high = a.copy(), b.copy()
    for axis in (0, 1):
        span = b[axis] - a[axis]
        if abs(a[axis] + b[axis]) < 0.02 * span + 1e-6:
            low[axis], high[axis] = a[axis] - room, b[axis] + room
        elif 0.0 <= a[axis] <= 0.6 * span:
            # From a corner: as far from the far side as from the near one.
            low[axis], high[axis] = 0.0, b[axis] + max(a[axis], 0.1 * room)
        elif 0.0 <= -b[axis] <= 0.6 * span:
            low[axis], high[axis] = a[axis] - max(-b[axis], 0.1 * room), 0.0
        else:
            low[axis], high[axis] = a[axis] - room, b[axis] + room
    return low, high


def _faces(run: Run, low: Floats, high: Floats, sideways: NDArray[np.bool_], top: float) -> NDArray[np.bool_]:
    """Feeds of the first tool that runs rows at the highest height that is cut: a face, which goes out beyond the block."""
    motions = run.motions
    none: NDArray[np.bool_] = np.zeros_like(sideways)
    if not sideways.any():
        return none
    called = motions.tool_of()
    first = int(called[np.flatnonzero(sideways)[0]])
    level = float(high[sideways, 2].max())
    face: NDArray[np.bool_] = sideways & (called == first) & (high[:, 2] >= min(level, top) - 2.0)
    passes = face & (motions.sweep == 0.0)
    step = row_step(motions.start[passes], motions.end[passes])
    if not step or (face & (motions.sweep != 0.0)).any():
        return none
    others = sideways & ~face
    if not others.any():
        return face
    wide = (high[face, :2].max(axis=0) - low[face, :2].min(axis=0)) > (
        high[others, :2].max(axis=0) - low[others, :2].min(axis=0)
    )
    return face if wide.all() else none
