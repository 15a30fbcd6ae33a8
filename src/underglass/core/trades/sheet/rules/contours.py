"""Cuts across earlier cuts. Code: kerf-overlap."""

from __future__ import annotations

from collections.abc import Iterator

import shapely
import shapely.ops

from underglass.core.finding import Finding, Severity
from underglass.core.proof.rule import rule
from underglass.core.proof.rules.context import Context
from underglass.core.removal.sheet.history import Region
from underglass.core.trades.sheet.name import SHEET
from underglass.core.trades.sheet.rules.looked import Cut, at, inside, look


@rule({"kerf-overlap": Severity.CAUTION}, SHEET)
def across(context: Context) -> Iterator[Finding]:
    """A way that crosses an earlier cut's and goes on, or a pierce over an earlier cut."""
    seen = look(context)
    if seen.dry or len(seen.cuts) < 2:
        return
    paths = [cut.path for cut in seen.cuts]
    tree = shapely.STRtree(paths)
    for k, cut in enumerate(seen.cuts):
        context.check()
        kerf = cut.cutter.kerf
        near = sorted(
            int(j)
            for j in tree.query(paths[k], predicate="dwithin", distance=kerf / 2.0 + cut.cutter.pierce_diameter)
            if j < k
        )
        start = shapely.Point(cut.way[0])
        for j in near:
            gap = float(start.distance(paths[j]))
            reach = cut.cutter.pierce_diameter / 2.0 + seen.cuts[j].cutter.kerf / 2.0
            if (
                seen.cuts[j].cutter.kerf / 2.0 < gap < reach - 1e-6
                and inside(seen, cut.way[0])
                and cut.cutter.pierce_s > 0.0
            ):
                yield _finding(context, cut, seen.cuts[j], cut.first, start, "pierces over the cut of line")
                break
            place = _crossing(paths[k], paths[j], kerf)
            if place is not None:
                move = _move_at(cut, place)
                yield _finding(context, cut, seen.cuts[j], move, place, "crosses the cut of line")
                break


def _crossing(way: Region, other: Region, kerf: float) -> Region | None:
    """Where a way crosses another one and goes on by more than a kerf on both sides."""
    met = shapely.intersection(way, other)
    for place in shapely.get_parts(met):
        if shapely.get_type_id(place) != 0:
            continue
        s = float(way.project(place))
        # The first two kerfs are a contour's own start; what ends here does not go on.
        if s <= 2.0 * kerf or way.length - s <= kerf:
            continue
        before, behind = way.interpolate(s - kerf), way.interpolate(s + kerf)
        if min(before.distance(other), behind.distance(other)) > kerf / 2.0:
            return place
    return None


def _move_at(cut: Cut, place: Region) -> int:
    best, out = float("inf"), cut.first
    for move in range(cut.first, cut.last + 1):
        part = cut.part(move)
        far = float(shapely.LineString(part).distance(place)) if len(part) > 1 else float("inf")
        if far < best - 1e-9:
            best, out = far, move
    return out


def _finding(context: Context, cut: Cut, other: Cut, move: int, place: Region, words: str) -> Finding:
    line = int(context.motions.line[other.first])
    return Finding(
        code="kerf-overlap", line=int(context.motions.line[move]), message=f"this {words} {line}", remedy="see whether both are meant to be cut here",
        tool=cut.cutter.number, move=move, position=at(place.x, place.y), evidence={"other_line": line},
    )  # fmt: skip
