"""The cutter: on where it must not be, off where it should cut, too short a wait, a feed that this sheet does not take.

Codes: beam-on-rapid, beam-off-cut, pierce-short, pierce-in-part, feed-outside-range. (On at a stop and at the end the control finds.)
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import shapely

from underglass.core.finding import Finding, Severity
from underglass.core.proof.rule import rule
from underglass.core.proof.rules.context import Context
from underglass.core.removal.sheet.history import Region
from underglass.core.trades.sheet.cut import MOST_PLACES, cutter_at, way_of
from underglass.core.trades.sheet.name import SHEET
from underglass.core.trades.sheet.pieces import inside_ones
from underglass.core.trades.sheet.rules.looked import Cut, Floats, Looked, at, inside, look
from underglass.core.trades.sheet.rules.loops import loop_of
from underglass.core.units import show_length

_SAME_S = 1e-6
_FEED_PART = 1e-3
_PART_MM2 = 0.1
_BESIDE_MM = 0.01
"""Chords of the same arc, made in two ways, lie so close that this is no difference."""


@rule({"beam-on-rapid": Severity.FAULT}, SHEET)
def on_at_a_rapid(context: Context) -> Iterator[Finding]:
    """Rapids with the cutter on: a row of them is one finding."""
    seen, motions = look(context), context.motions
    if seen.dry or not len(motions):
        return
    moved = np.abs(motions.end - motions.start)[:, :2].max(axis=1) > 1e-6
    rows = np.flatnonzero(seen.on & motions.rapid() & moved)
    for part in np.split(rows, np.flatnonzero(np.diff(rows) > 1) + 1) if len(rows) else ():
        move = int(part[0])
        yield Finding(
            code="beam-on-rapid", line=int(motions.line[move]), message="the cutter is on while the machine moves at rapid",
            remedy="write M5 before this block", tool=motions.state_of(move).tool, move=move, evidence={"moves": len(part)},
        )  # fmt: skip


@rule({"beam-off-cut": Severity.CAUTION}, SHEET)
def off_in_a_cut(context: Context) -> Iterator[Finding]:
    """Feeds over the sheet with the cutter off, longer than twice the kerf: one finding a contour."""
    seen, motions = look(context), context.motions
    if seen.dry or not len(motions):
        return
    never = not seen.on.any()
    rows = np.flatnonzero(seen.feeds & ~seen.on)
    called = motions.tool_of()
    for part in np.split(rows, np.flatnonzero(np.diff(rows) > 1) + 1) if len(rows) else ():
        cutter = cutter_at(context.job.bench, int(called[part[0]]))
        if cutter is None:
            continue
        way, _done = way_of(context.job.bench, motions, int(part[0]), int(part[-1]))
        if len(way) < 2 or shapely.intersection(shapely.LineString(way), seen.region).length <= 2.0 * cutter.kerf:
            continue
        move = next((m for m in part.tolist() if motions.lengths()[m] > 0.0), int(part[0]))
        words = "the program never switches the cutter on" if never else "this contour is run with the cutter off"
        yield Finding(
            code="beam-off-cut", line=int(motions.line[move]), message=words, remedy="write M3 before it, or run it as a dry trace",
            tool=motions.state_of(move).tool, move=move, evidence={"moves": len(part)},
        )  # fmt: skip
        if never:
            return


@rule({"pierce-short": Severity.FAULT}, SHEET)
def short(context: Context) -> Iterator[Finding]:
    """The wait after switching on is shorter than this sheet needs. A start at the edge, or in a cut, needs none."""
    seen = look(context)
    if seen.dry:
        return
    told: set[int] = set()
    for cut in seen.cuts:
        need = cut.cutter.pierce_s
        if cut.line in told or cut.waits >= need - _SAME_S or not _pierces(seen, cut):
            continue
        told.add(cut.line)
        yield Finding(
            code="pierce-short", line=cut.line, message=f"the cutter waits {cut.waits:.2f} s before it moves, and goes through this sheet in {need:.2f} s",
            remedy=f"write G4 P{need:g} after switching on", column=cut.column, end_column=cut.end_column, tool=cut.cutter.number, move=cut.first,
            position=at(*cut.way[0].tolist()), evidence={"waits_s": cut.waits, "needs_s": need},
        )  # fmt: skip


def _pierces(seen: Looked, cut: Cut) -> bool:
    """Whether a cut begins in full metal."""
    if not inside(seen, cut.way[0]):
        return False
    if seen.history is None or cut.bite <= 0:
        return True
    place = shapely.Point(cut.way[0])
    found = seen.history.tree.query(place, predicate="intersects")
    return not any(int(k) < cut.bite for k in found)


@rule({"not-proved": Severity.CAUTION}, SHEET)
def endless(context: Context) -> Iterator[Finding]:
    """A cut that goes on beyond every measure."""
    for cut in look(context).cuts:
        if len(cut.way) > MOST_PLACES:
            k = int(np.searchsorted(cut.done, len(cut.way) - 1))
            move = cut.first + min(k, len(cut.done) - 1)
            yield Finding(
                code="not-proved", line=int(context.motions.line[move]), message=f"one cut of more than {MOST_PLACES:,} places is not held: what it runs on is not cut here",
                remedy="cut it in parts, or check the loop that it is in", tool=cut.cutter.number, move=move, evidence={"places": MOST_PLACES},
            )  # fmt: skip


@rule({"pierce-in-part": Severity.FAULT}, SHEET)
def in_the_part(context: Context) -> Iterator[Finding]:
    """A pierce or a lead that lies in a piece which is kept: on the wrong side of its own contour, or in the part about a hole."""
    seen = look(context)
    if seen.dry or seen.history is None:
        return
    freed = {p.bite: p for p in seen.history.pieces}
    inner = drop_outs(context)
    solid = [shapely.Polygon(p.shape.exterior) for p in seen.history.pieces if p.bite not in inner]
    tree = shapely.STRtree(solid) if solid else None
    told: set[int] = set()
    for cut in seen.cuts:
        if cut.line in told:
            continue
        piece = freed.get(cut.bite)
        if piece is None or (cut.bite in inner and not _in_any(solid, tree, cut.way[0])):
            # In a hole's drop-out it may lie as it likes; beside it is the part, where that is kept.
            continue
        loop = loop_of(cut)
        if loop is None or _clear(cut, loop, cut.bite in inner):
            continue
        bite = seen.history.bites[cut.bite].shape
        lead: Region = shapely.difference(
            bite, shapely.buffer(loop.exterior, cut.cutter.kerf / 2.0 + _BESIDE_MM, quad_segs=32)
        )
        bad = (shapely.difference if cut.bite in inner else shapely.intersection)(lead, loop).area
        if bad > _PART_MM2:
            told.add(cut.line)
            yield Finding(
                code="pierce-in-part", line=cut.line, message="the pierce, or the way in, lies in a piece that is kept: it stays as a notch in its edge",
                remedy="begin on the other side of the contour", column=cut.column, end_column=cut.end_column, tool=cut.cutter.number, move=cut.first,
                position=at(*cut.way[0].tolist()), evidence={"area_mm2": bad},
            )  # fmt: skip


def _in_any(shapes: list[Region], tree: shapely.STRtree | None, at: Floats) -> bool:
    place = shapely.Point(at)
    return tree is not None and any(shapely.contains(shapes[int(k)], place) for k in tree.query(place))


def _clear(cut: Cut, loop: Region, inner: bool) -> bool:
    """Whether a way keeps to the side of its own contour on which it may lie, its pierce well away from it: most do, and that is soon seen."""
    if (
        shapely.distance(loop.exterior, shapely.Point(cut.way[0]))
        < max(cut.cutter.pierce_diameter, cut.cutter.kerf) / 2.0
    ):
        return False
    return bool(shapely.covers(loop, cut.path) if inner else shapely.touches(cut.path, loop))


def drop_outs(context: Context) -> frozenset[int]:
    """The bites whose pieces are drop-outs: compensated with the path inside; uncompensated, where a later cut goes round them."""
    seen = look(context)
    found = seen.kept.get("drop-outs")
    if found is None:
        found = seen.kept["drop-outs"] = _drop_outs(context, seen)
    return found  # type: ignore[return-value]


def _drop_outs(context: Context, seen: Looked) -> frozenset[int]:
    return inside_ones(context.run, seen.history, seen.sheet.bridges) if seen.history is not None else frozenset()


@rule({"feed-outside-range": Severity.CAUTION}, SHEET)
def feed(context: Context) -> Iterator[Finding]:
    """The first cut at a feed that this sheet is not cut with."""
    seen, motions = look(context), context.motions
    if seen.dry:
        return
    for cut in seen.cuts:
        if cut.cutter.feed is None:
            continue
        low, high = cut.cutter.feed
        for move in range(cut.first, cut.last + 1):
            rate = float(motions.feed[move])
            if not seen.feeds[move] or not rate > 0.0 or low * (1.0 - _FEED_PART) <= rate <= high * (1.0 + _FEED_PART):
                continue
            unit = context.job.units

            def said(value: float) -> str:
                return show_length(value, unit).rstrip("0").rstrip(".")  # noqa: B023

            yield Finding(
                code="feed-outside-range", line=int(motions.line[move]),
                message=f"this sheet is cut at {said(low)} to {said(high)} {unit}/min, and the feed is {said(rate)}",
                remedy="set F for this sheet and cutter", tool=cut.cutter.number, move=move,
                evidence={"feed_mm_min": rate, "least_mm_min": low, "most_mm_min": high},
            )  # fmt: skip
            return


@rule({"radius-register-wrong": Severity.FAULT}, SHEET)
def half_kerf(context: Context) -> Iterator[Finding]:
    """What the control takes for half the kerf, against the real one: every hole and every outside comes out by twice as much."""
    told: set[tuple[int, float]] = set()
    for use in context.motions.radii_used:
        cutter = cutter_at(context.job.bench, use.tool)
        if cutter is None or (use.number, use.value) in told:
            continue
        off = use.value - cutter.kerf / 2.0
        if abs(off) <= context.job.settings.tolerance.radius:
            continue
        told.add((use.number, use.value))
        cause = ": it holds the whole kerf, not half of it" if abs(use.value - cutter.kerf) < 0.02 else ""
        yield Finding(
            code="radius-register-wrong", line=use.line,
            message=f"D{use.number} says {context.length(use.value)}, and half the kerf is {context.length(cutter.kerf / 2.0)}{cause}",
            remedy=f"set D{use.number} to half the kerf of this sheet", column=use.column, end_column=use.end_column, tool=use.tool, move=use.before,
            evidence={"register": f"D{use.number}", "off_mm": off, "real_mm": cutter.kerf / 2.0},
        )  # fmt: skip
