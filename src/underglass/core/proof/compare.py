"""The finished stock against a wanted shape, and two runs against each other.

Two surfaces are the same *within the cell*: a wall may stand in the next cell, so a height counts as different only
where it is above or below all nine heights about its place by more than the tolerance.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from underglass.core.bench.frame import Frame
from underglass.core.bench.mesh import Mesh
from underglass.core.control.state import Vector
from underglass.core.proof.proof import Proof
from underglass.core.removal.field import Field
from underglass.core.removal.history import StockHistory
from underglass.core.removal.raster import tops
from underglass.core.removal.section.differ import Difference, differ
from underglass.core.removal.section.history import SectionHistory
from underglass.core.removal.section.shape import Shape
from underglass.core.removal.sheet.history import SheetHistory

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True, kw_only=True)
class Worst:
    """The place that differs most: how much, over what area and volume about it all, where (part zero), which cell."""

    depth_mm: float
    area_mm2: float
    volume_mm3: float
    place: Vector
    row: int
    column: int


@dataclass(frozen=True, slots=True)
class Deviation:
    """``over`` (ny, nx) mm: how far the stock stands above (+) or below (-) the other surface, 0 within the cell."""

    over: Floats
    gouge: Worst | None
    excess: Worst | None


def _around(values: Floats, highest: bool) -> Floats:
    """The greatest or least of the nine values about each."""
    out = np.pad(values, 1, mode="edge")
    pick = np.maximum if highest else np.minimum
    rows = pick(pick(out[:-2], out[1:-1]), out[2:])
    return np.array(pick(pick(rows[:, :-2], rows[:, 1:-1]), rows[:, 2:]))


def surface_difference(field: Field, other: Floats, tolerance: float, zero: Frame) -> Deviation:
    """A field against heights on the same grid, mm from its underside."""
    h = field.h.astype(np.float64)
    over = apart(h, other, tolerance)
    return Deviation(over, _worst(field, -over, zero), _worst(field, over, zero))


def apart(one: Floats, other: Floats, tolerance: float) -> Floats:
    """How far one surface stands above (+) or below (-) another on the same cells, ``(ny, nx)`` mm; 0 within the cell."""
    above, below = one - _around(other, True), one - _around(other, False)
    return np.where(above > tolerance, above, np.where(below < -tolerance, below, 0.0))


def _worst(field: Field, amount: Floats, zero: Frame) -> Worst | None:
    counts = amount > 0.0
    if not counts.any():
        return None
    row, column = np.unravel_index(int(np.argmax(amount)), amount.shape)
    cell = field.grid.cell
    local = np.array([[(column + 0.5) * cell, (row + 0.5) * cell, float(field.h[row, column])]])
    at = zero.into(field.grid.frame.out(local))[0]
    return Worst(
        depth_mm=float(amount[row, column]),
        area_mm2=float(counts.sum()) * cell * cell,
        volume_mm3=float(amount[counts].sum()) * cell * cell,
        place=(float(at[0]), float(at[1]), float(at[2])),
        row=int(row),
        column=int(column),
    )


def against_target(
    target: Mesh, tolerance: float, stocks: Sequence[StockHistory], zero: Frame
) -> list[tuple[Deviation, float]]:
    """Every stock's finished shape against the target, which stands on the first one's zero and alike on the others.

    With each how far the target reaches beyond the stock that there was, mm (0: it does not).
    """
    if not stocks:
        return []
    local = _in_stock(target, zero, stocks[0].grid.frame)
    out = []
    for history, wanted in zip(stocks, target_heights(target, zero, stocks)):
        grid = history.grid
        size = np.array([grid.nx * grid.cell, grid.ny * grid.cell, grid.height])
        beyond = float(np.maximum(np.maximum(-local, local - size), 0.0).max())
        out.append((surface_difference(history.final, wanted, tolerance, zero), beyond))
    return out


def target_heights(target: Mesh, zero: Frame, stocks: Sequence[StockHistory]) -> list[Floats]:
    """The target's height over every cell of each stock, ``(ny, nx)`` mm from its underside; 0 where there is none."""
    if not stocks:
        return []
    local = _in_stock(target, zero, stocks[0].grid.frame).reshape(-1, 3, 3)
    return [np.maximum(np.nan_to_num(tops(local, s.grid.cell, s.grid.shape), nan=0.0), 0.0) for s in stocks]


def _in_stock(target: Mesh, zero: Frame, frame: Frame) -> Floats:
    """The target's corners in a stock's own coordinates, ``(n, 3)`` mm."""
    return frame.into(zero.out(target.triangles.reshape(-1, 3)))


@dataclass(frozen=True, slots=True, kw_only=True)
class Comparison:
    """Two runs. ``same_part``: no surface differs by more than the tolerance within the cell.

    ``apart_mm3`` is the volume that differs, ``a_left`` where A has more material than B, ``a_lacks`` where less.
    ``first_difference`` are the lines of A and B whose moves first lead elsewhere; None where the paths are the same.
    """

    same_part: bool
    same_path: bool
    apart_mm3: float
    a_left: Worst | None
    a_lacks: Worst | None
    cell_mm: float
    time_a_s: float
    time_b_s: float
    moves_a: int
    moves_b: int
    feed_a_mm: float
    feed_b_mm: float
    first_difference: tuple[int, int] | None


_SAME_MM = 0.01
"""Heights nearer than this are the same: nothing on a machine is certain below it."""

_PATH_MM = 1e-4


_SPECK_MM2 = 1e-4


def compare_runs(a: Proof, b: Proof) -> Comparison:
    """Compare two proofs of the same stock on the same cells. Raises ``ValueError`` where the grids differ."""
    differences = []
    for one, two in zip(a.stocks, b.stocks, strict=True):
        if one.grid.shape != two.grid.shape or abs(one.grid.cell - two.grid.cell) > 1e-12:
            raise ValueError("the two stocks do not lie on the same cells")
        differences.append(
            surface_difference(one.final, two.final.h.astype(np.float64), _SAME_MM, a.job.bench.part_zero)
        )
    sections = _sections(a, b)
    apart = sum(float(np.abs(d.over).sum()) * s.grid.cell**2 for d, s in zip(differences, a.stocks))
    left = max((d.excess for d in differences if d.excess is not None), key=lambda w: w.depth_mm, default=None)
    lacks = max((d.gouge for d in differences if d.gouge is not None), key=lambda w: w.depth_mm, default=None)
    for shape, other in sections:
        more, less = differ(shape, other), differ(other, shape)
        apart += more.volume + less.volume
        left = _thicker(left, more)
        lacks = _thicker(lacks, less)
    for sheet, second in zip(a.histories, b.histories):
        if isinstance(sheet, SheetHistory) and isinstance(second, SheetHistory):
            extra, missing = _flat_difference(sheet, second), _flat_difference(second, sheet)
            apart += extra.volume_mm3 + missing.volume_mm3
            left = extra if extra.depth_mm > _SAME_MM else left
            lacks = missing if missing.depth_mm > _SAME_MM else lacks
    first = _first_difference(a, b)
    feeds = [float(p.motions.lengths()[~p.motions.rapid()].sum()) for p in (a, b)]
    return Comparison(
        same_part=left is None and lacks is None,
        same_path=first is None,
        apart_mm3=apart,
        a_left=left,
        a_lacks=lacks,
        cell_mm=max((s.grid.cell for s in a.stocks), default=0.0),
        time_a_s=a.timing.total,
        time_b_s=b.timing.total,
        moves_a=len(a.motions),
        moves_b=len(b.motions),
        feed_a_mm=feeds[0],
        feed_b_mm=feeds[1],
        first_difference=first,
    )


def _flat_difference(one: SheetHistory, two: SheetHistory) -> Worst:
    """What one sheet has in the end and the other has not: how wide it is at the most, and where. Raises ``ValueError`` where they did not begin
    the same."""
    if (
        shapely.symmetric_difference(one.sheet, two.sheet).area > _SAME_MM
        or abs(one.thickness - two.thickness) > _SAME_MM
    ):
        raise ValueError("the two jobs do not start from the same sheet")
    extra = shapely.difference(one.final.region, two.final.region)
    parts = [p for p in shapely.get_parts(extra) if shapely.get_type_id(p) == 3 and p.area > _SPECK_MM2]
    if not parts:
        return Worst(depth_mm=0.0, area_mm2=0.0, volume_mm3=0.0, place=(0.0, 0.0, 0.0), row=0, column=0)
    circles = [shapely.maximum_inscribed_circle(shapely.simplify(p, 1e-3), 2e-3) for p in _widest(parts)]
    k = int(np.argmax([c.length for c in circles]))
    x, y = shapely.get_coordinates(circles[k])[0].tolist()
    area = float(sum(p.area for p in parts))
    return Worst(
        depth_mm=2.0 * float(circles[k].length), area_mm2=area, volume_mm3=area * one.thickness, place=(x, y, 0.0), row=0, column=0
    )  # fmt: skip


_LOOKED_AT = 10


def _widest(parts: list[shapely.Geometry]) -> list[shapely.Geometry]:
    """Those among which the widest is: by area over outline, and the largest ones. A circle in each would take seconds."""
    if len(parts) <= _LOOKED_AT:
        return parts
    thick = sorted(range(len(parts)), key=lambda k: parts[k].area / parts[k].length, reverse=True)[:_LOOKED_AT]
    large = sorted(range(len(parts)), key=lambda k: parts[k].area, reverse=True)[: _LOOKED_AT // 2]
    return [parts[k] for k in dict.fromkeys([*thick, *large])]


def _sections(a: Proof, b: Proof) -> list[tuple[Shape, Shape]]:
    """The turned stocks of two runs, each as it is at its end, with what was parted off. Raises ``ValueError`` where they did not begin the same."""
    out = []
    for one, two in zip(a.histories, b.histories):
        if isinstance(one, SectionHistory) and isinstance(two, SectionHistory):
            if (
                differ(one.uncut.shape, two.uncut.shape).volume + differ(two.uncut.shape, one.uncut.shape).volume
                > _SAME_MM
            ):
                raise ValueError("the two jobs do not start from the same stock")
            out.append((one.with_pieces(), two.with_pieces()))
    return out


def _thicker(worst: Worst | None, found: Difference) -> Worst | None:
    """The worse of what is known and of what one section has that the other has not; its place with X as a diameter."""
    if found.depth <= _SAME_MM or (worst is not None and worst.depth_mm >= found.depth):
        return worst
    return Worst(
        depth_mm=found.depth,
        area_mm2=found.area,
        volume_mm3=found.volume,
        place=(2.0 * found.x, 0.0, found.z),
        row=0,
        column=0,
    )


def _first_difference(a: Proof, b: Proof) -> tuple[int, int] | None:
    """The lines of the first two moves that do not end at the same place, or are not of one kind."""
    m, n = a.motions, b.motions
    shorter = min(len(m), len(n))
    apart = np.abs(m.end[:shorter] - n.end[:shorter]).max(axis=1, initial=0.0) > _PATH_MM
    apart |= (m.kind[:shorter] != n.kind[:shorter]) | (np.abs(m.sweep[:shorter] - n.sweep[:shorter]) > 1e-6)
    found = np.flatnonzero(apart)
    if len(found):
        k = int(found[0])
        return int(m.line[k]), int(n.line[k])
    if len(m) == len(n):
        return None
    return (
        int(m.line[shorter]) if len(m) > shorter else a.run.last_line,
        int(n.line[shorter]) if len(n) > shorter else b.run.last_line,
    )
