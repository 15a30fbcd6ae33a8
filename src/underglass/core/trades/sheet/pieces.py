"""Which pieces of a sheet are drop-outs, and which are the parts that are wanted."""

from __future__ import annotations

from bisect import bisect_right

import shapely

from underglass.core.control.run import Run
from underglass.core.removal.sheet.history import SheetHistory


def inside_ones(run: Run, history: SheetHistory, bridges: bool = False) -> frozenset[int]:
    """The bites that freed a drop-out: compensated, where the path ran on the contour's inner side; uncompensated, where a later
    closed cut surrounds it. With bridges that cut is not closed: there it is a drop-out where the cutter went in within it."""
    out: set[int] = set()
    pieces = history.pieces
    filled = [shapely.Polygon(p.shape.exterior) for p in pieces]
    tree = shapely.STRtree(filled) if filled else None
    stretches = [s for s in run.stretches if len(s)]
    begins = [int(s.first[0]) for s in stretches]
    for piece in pieces:
        k = bisect_right(begins, piece.move) - 1
        inner = k >= 0 and piece.move < max(int(stretches[k].last[-1]), stretches[k].end_move)
        where = stretches[k].where if inner else ""
        if where:
            if where == "inside":
                out.add(piece.bite)
            continue
        around = tree.query(shapely.Point(piece.centre), predicate="intersects") if tree is not None else ()
        if any(pieces[int(k)].bite > piece.bite and shapely.contains(filled[int(k)], piece.shape) for k in around):
            out.add(piece.bite)
        elif bridges:
            way = history.bites[piece.bite].way
            if len(way) and shapely.contains_xy(shapely.convex_hull(piece.shape), float(way[0][0]), float(way[0][1])):
                out.add(piece.bite)
    return frozenset(out)
