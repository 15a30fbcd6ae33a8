"""Which pieces of a sheet are drop-outs, and which are the parts that are wanted."""

from __future__ import annotations

import shapely

from underglass.core.control.run import Run
from underglass.core.removal.sheet.history import SheetHistory


def inside_ones(run: Run, history: SheetHistory) -> frozenset[int]:
    """The bites that freed a drop-out: compensated, where the path ran on the contour's inner side; uncompensated, where a later
    closed cut surrounds it."""
    out: set[int] = set()
    pieces = history.pieces
    filled = [shapely.Polygon(p.shape.exterior) for p in pieces]
    tree = shapely.STRtree(filled) if filled else None
    for piece in pieces:
        where = next(
            (
                s.where
                for s in run.stretches
                if len(s) and int(s.first[0]) <= piece.move < max(int(s.last[-1]), s.end_move)
            ),
            "",
        )
        if where:
            if where == "inside":
                out.add(piece.bite)
            continue
        around = tree.query(shapely.Point(piece.centre), predicate="intersects") if tree is not None else ()
        if any(pieces[int(k)].bite > piece.bite and shapely.contains(filled[int(k)], piece.shape) for k in around):
            out.add(piece.bite)
    return frozenset(out)
