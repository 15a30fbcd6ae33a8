"""In which order it is cut, and what of it hangs or tips. Codes: inner-after-outer, piece-hangs, piece-may-tip."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import shapely
import shapely.ops

from underglass.core.finding import Finding, Severity
from underglass.core.proof.rule import rule
from underglass.core.proof.rules.context import Context
from underglass.core.trades.sheet.cut import on_part
from underglass.core.trades.sheet.name import SHEET
from underglass.core.trades.sheet.rules.looked import Cut, at, look

_NEAR = 3.0
_SAME_MM = 1e-3


@rule({"inner-after-outer": Severity.FAULT}, SHEET)
def inner_last(context: Context) -> Iterator[Finding]:
    """A cut in a piece that is already loose: it lies where it likes by then."""
    seen = look(context)
    if seen.dry or seen.history is None or not seen.history.pieces:
        return
    pieces = seen.history.pieces
    tree = shapely.STRtree([p.shape for p in pieces])
    late: dict[int, list[Cut]] = {}
    for cut in seen.cuts:
        if cut.bite < 0 or len(cut.way) < 2:
            continue
        for k in sorted(tree.query(cut.path, predicate="intersects").tolist()):
            piece = pieces[k]
            if piece.bite < cut.bite and shapely.intersection(cut.path, piece.shape).length > cut.cutter.kerf:
                late.setdefault(k, []).append(cut)
                break
    for k, cuts in late.items():
        # All that is cut in one loose piece has one cause.
        piece, cut = pieces[k], cuts[0]
        line = int(context.motions.line[piece.move])
        more = f", and {len(cuts) - 1} more after it" if len(cuts) > 1 else ""
        yield Finding(
            code="inner-after-outer", line=cut.line, message=f"this is cut in a piece that line {line} has cut loose{more}",
            remedy="cut what is inside first, the outside last", column=cut.column, end_column=cut.end_column, tool=cut.cutter.number, move=cut.first,
            position=at(*cut.way[0].tolist()), evidence={"freed_line": line, "area_mm2": piece.area, "cuts": len(cuts)},
        )  # fmt: skip


@rule({"piece-hangs": Severity.CAUTION}, SHEET)
def hangs(context: Context) -> Iterator[Finding]:
    """A contour that ends by its start and frees nothing: it still hangs, unless bridges are meant."""
    seen = look(context)
    if seen.dry or seen.sheet.bridges or seen.history is None:
        return
    freed = {p.bite for p in seen.history.pieces}
    for cut in seen.cuts:
        if cut.bite < 0 or cut.bite in freed or len(cut.way) < 3:
            continue
        near, line = _NEAR * cut.cutter.kerf, shapely.LineString(cut.way)
        end = shapely.Point(cut.way[-1])
        first = shapely.ops.substring(line, 0.0, line.length / 3.0)
        gap = float(first.distance(end))
        if gap <= near and line.length > 4.0 * near:
            move = cut.last
            yield Finding(
                code="piece-hangs", line=int(context.motions.line[move]), message=f"this contour ends {context.length(gap)} from its beginning and frees nothing",
                remedy="run it past its beginning, or say that bridges are meant", tool=cut.cutter.number, move=move,
                position=at(*cut.way[-1].tolist()), evidence={"gap_mm": gap},
            )  # fmt: skip


@rule({"piece-may-tip": Severity.CAUTION}, SHEET)
def tips(context: Context) -> Iterator[Finding]:
    """A loose piece wider than one pitch of the slats and narrower than two, with a later move over it."""
    seen, motions = look(context), context.motions
    pitch = context.job.bench.machine.more.get("slat_pitch", 0.0)
    if seen.dry or seen.history is None or not pitch:
        return
    ways = None
    for piece in seen.history.pieces:
        x0, _y0, x1, _y1 = piece.shape.bounds
        if not pitch + _SAME_MM < x1 - x0 < 2.0 * pitch - _SAME_MM:
            continue
        if ways is None:
            start, end = on_part(context.job.bench, motions.start), on_part(context.job.bench, motions.end)
            ways = shapely.linestrings(np.stack([start, end], axis=1))
        over = np.flatnonzero(shapely.intersection(ways[piece.move + 1 :], piece.shape) != shapely.LineString())
        hits = [k for k in over.tolist() if shapely.intersection(ways[piece.move + 1 + k], piece.shape).length > 1.0]
        if hits:
            move = piece.move + 1 + hits[0]
            freed = int(motions.line[piece.move])
            yield Finding(
                code="piece-may-tip", line=int(motions.line[move]),
                message=f"the piece that line {freed} has cut loose is {context.length(x1 - x0)} across slats {context.length(pitch)} apart: it may tip up where the head passes here",
                remedy="go round it, or leave a bridge", tool=motions.state_of(move).tool, move=move, position=at(*piece.centre),
                evidence={"freed_line": freed, "across_mm": x1 - x0},
            )  # fmt: skip
