"""The closed part of a cut's way: what it goes round, without its ways in and out."""

from __future__ import annotations

import shapely

from underglass.core.removal.sheet.history import Region
from underglass.core.trades.sheet.rules.looked import Cut

_NEAR = 3.0
"""Kerfs: ends nearer to the start than that are meant to meet it."""


_MOST = 20_000
"""Places of a way that is looked at for what it encloses."""


def loop_of(cut: Cut) -> Region | None:
    """The largest area that the way encloses; where it ends just beside its beginning, with the gap drawn shut. None: it encloses nothing."""
    if not 3 <= len(cut.way) <= _MOST:
        return None
    line = shapely.LineString(cut.way)
    best = _largest(line)
    if best is None:
        gap = shapely.shortest_line(
            shapely.Point(cut.way[-1]), shapely.LineString(cut.way[: max(2, len(cut.way) // 2)])
        )
        if 0.0 < gap.length <= _NEAR * cut.cutter.kerf:
            best = _largest(shapely.MultiLineString([line, gap]))
    return best if best is not None and best.area > cut.cutter.kerf**2 else None


def _largest(lines: Region) -> Region | None:
    areas = shapely.get_parts(shapely.polygonize(shapely.get_parts(shapely.node(lines))))
    return max(areas, key=lambda a: a.area, default=None)
