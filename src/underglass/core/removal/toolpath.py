"""Moves as a solid on the table sees them: the real tip's way in the solid's own frame, and the real tools' shapes."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from underglass.core.bench.frame import Frame
from underglass.core.bench.tool import Tool
from underglass.core.control.motions import Motions

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class ToolTable:
    """Every tool that is ever really in the spindle, a row each.

    ``outline`` (t, 3): radius, flat, slope; radius 0 where the shape is not held. ``radius``, ``bottom``, ``top``
    (t, parts): the cylinders of cutter, shank, holder, spindle nose above the tip, mm; radius 0 where there is none.
    """

    tools: tuple[Tool, ...]
    outline: Floats
    radius: Floats
    bottom: Floats
    top: Floats
    part_names: tuple[tuple[str, ...], ...]


def make_tool_table(tools: Sequence[Tool], nose_diameter: float) -> ToolTable:
    """The shapes of these tools as arrays."""
    solids = [t.solids(nose_diameter) for t in tools]
    parts = max((len(s) for s in solids), default=1)
    outline = np.zeros((len(tools), 3))
    radius, bottom, top = (np.zeros((len(tools), parts)) for _ in range(3))
    for row, (tool, cylinders) in enumerate(zip(tools, solids)):
        profile = tool.profile
        if profile is not None:
            outline[row] = (profile.radius, profile.flat, profile.slope)
        for k, part in enumerate(cylinders):
            radius[row, k], bottom[row, k], top[row, k] = part.radius, part.bottom, part.top
    names = tuple(tuple(c.part for c in cylinders) for cylinders in solids)
    return ToolTable(tuple(tools), outline, radius, bottom, top, names)


@dataclass(frozen=True, slots=True)
class TipPath:
    """The real tip's moves in one frame, mm. ``row`` (n,) int32 is the tool's row in the table, -1 for none."""

    start: Floats
    end: Floats
    centre: Floats
    sweep: Floats
    row: NDArray[np.int32]

    def __len__(self) -> int:
        return len(self.row)


def real_tools(
    motions: Motions, tools: Mapping[int, Tool], loaded: Mapping[int, int]
) -> tuple[list[Tool], NDArray[np.int32]]:
    """The tools really used, and for every move the index of its own (-1: spindle empty, or a tool that is not there)."""
    called = motions.tool_of()
    order: list[Tool] = []
    rows: dict[int, int] = {}
    for number in sorted(set(called.tolist())):
        tool = tools.get(loaded.get(number, number)) if number else None
        if tool is None:
            rows[number] = -1
            continue
        if tool not in order:
            order.append(tool)
        rows[number] = order.index(tool)
    if not len(called):
        return order, np.empty(0, dtype=np.int32)
    table = np.full(int(called.max()) + 1 if int(called.max()) < 100_000 else 1, -1, dtype=np.int32)
    if len(table) == 1 and int(called.max()) > 0:
        return order, np.array([rows[int(c)] for c in called], dtype=np.int32)
    for number, row in rows.items():
        table[number] = row
    return order, table[called]


def tip_path(motions: Motions, row: NDArray[np.int32], tools: Sequence[Tool], frame: Frame) -> TipPath:
    """The real tip's way: machine Z less the real length, seen from ``frame``. No tool: the gauge line's."""
    lengths = np.array([t.length for t in tools] + [0.0])[row]
    start, end = motions.start.copy(), motions.end.copy()
    start[:, 2] -= lengths
    end[:, 2] -= lengths
    centre = np.hstack([motions.centre, np.zeros((len(row), 1))])
    return TipPath(
        frame.into(start),
        frame.into(end),
        np.ascontiguousarray(frame.into(centre)[:, :2]),
        np.ascontiguousarray(motions.sweep),
        row,
    )
