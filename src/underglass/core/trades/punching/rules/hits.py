"""What each hit strikes. Codes: tool-unknown, off-sheet, hit-over-edge, hit-on-nothing, hit-overlaps, punch-too-small, piece-free."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import shapely
from numpy.typing import NDArray

from underglass.core.finding import Finding, Severity
from underglass.core.proof.rule import rule
from underglass.core.proof.rules.context import Context
from underglass.core.removal.sheet.history import Region
from underglass.core.trades.punching.name import PUNCHING
from underglass.core.trades.punching.rules.looked import Looked, at, look

_NOTHING_MM2 = 1e-3


@rule({"tool-unknown": Severity.FAULT}, PUNCHING)
def no_station(context: Context) -> Iterator[Finding]:
    """A hit before any T."""
    seen, motions = look(context), context.motions
    for k in np.flatnonzero(seen.called == 0).tolist()[:1]:
        move = int(seen.hits[k])
        yield Finding(
            code="tool-unknown", line=int(motions.line[move]), message="a hit with no station called: whatever stands under the ram strikes",
            remedy="write T and the station first", move=move, position=at(seen.places[k]),
        )  # fmt: skip


@rule({"off-sheet": Severity.FAULT, "hit-over-edge": Severity.NOTE, "hit-on-nothing": Severity.CAUTION}, PUNCHING)
def what_is_struck(context: Context) -> Iterator[Finding]:
    """Hits beside the sheet, over its edge, and where the metal is gone already: a row's hits are one finding."""
    seen, motions = look(context), context.motions
    thick = seen.sheet.thickness
    told: set[tuple[str, int]] = set()
    shapely.prepare(seen.region)
    whole = shapely.contains_properly(seen.region, seen.shapes)
    for k, move in enumerate(seen.hits.tolist()):
        shape = seen.shapes[k]
        if shape is None:
            continue
        code = ""
        metal = shape if whole[k] else shapely.intersection(shape, seen.region)
        if metal is not shape and not metal.equals(shape):
            strip = metal.is_empty or shapely.buffer(metal, -thick / 2.0 + 1e-6).is_empty
            code = "off-sheet" if strip else "hit-over-edge"
        bite = int(seen.bite[k])
        if code != "off-sheet" and _takes_nothing(context, seen, k, bite):
            code = "hit-on-nothing"
        key = (code, int(motions.line[move]))
        if not code or key in told:
            continue
        told.add(key)
        words, remedy = {
            "off-sheet": ("the hit strikes beside the sheet, or a strip thinner than the sheet: the punch bends or breaks", "move it onto the sheet, or take a larger one"),
            "hit-over-edge": ("the hit goes over the sheet's edge: a notch", "see that it is meant"),
            "hit-on-nothing": ("the hit takes nothing: the metal is gone already", "leave it out, or check its place"),
        }[code]  # fmt: skip
        yield Finding(
            code=code, line=int(motions.line[move]), message=words, remedy=remedy, tool=int(seen.called[k]), move=move, position=at(seen.places[k])
        )  # fmt: skip


def _takes_nothing(context: Context, seen: Looked, k: int, bite: int) -> bool:
    """The metal is gone already, or this very hit was struck before."""
    if seen.history is None or (0 <= seen.history.left_out <= int(seen.hits[k])):
        return False
    return bool(seen.history.area[bite] < _NOTHING_MM2) if bite >= 0 else not _forming(context, seen, k)


@rule({"not-proved": Severity.CAUTION}, PUNCHING)
def endless(context: Context) -> Iterator[Finding]:
    """Hits that go on over one another beyond every measure."""
    seen = look(context)
    move = seen.history.left_out if seen.history is not None else -1
    if move >= 0:
        yield Finding(
            code="not-proved", line=int(context.motions.line[move]), message="hits that overlap so often are not held: from here on nothing is struck out",
            remedy="check the loop or the pitch", tool=context.motions.state_of(move).tool, move=move,
        )  # fmt: skip


@rule({"hit-overlaps": Severity.CAUTION}, PUNCHING)
def slivers(context: Context) -> Iterator[Finding]:
    """A strip left between two hits, or taken by one, thinner than the sheet and longer than that. Hits of one row are none of it."""
    seen, motions = look(context), context.motions
    thick = seen.sheet.thickness
    # The same hit again, and a form, leave no strip.
    known = np.flatnonzero(seen.bite >= 0)
    told: set[int] = set()
    if len(known) < 2:
        return
    shapes = seen.shapes[known]
    tree = shapely.STRtree(shapes)
    beside = _Beside(shapes, thick)
    for a, b, gap in _near(shapes, np.array([seen.row_of.get(int(seen.hits[k]), -1) for k in known]), thick):
        k, j = int(known[a]), int(known[b])
        move, other = int(seen.hits[k]), int(seen.hits[j])
        line = int(motions.line[move])
        if line in told:
            continue
        if a != beside.hit:
            beside.look(a, tree.query(shapes[a]))
        if len(beside.met) > _NIBBLED:
            continue
        long = beside.facing(b, gap)
        if long > thick + 1e-6:
            told.add(line)
            yield Finding(
                code="hit-overlaps", line=line,
                message=f"a strip thinner than the sheet, {context.length(long)} long, is left or taken beside the hit of line {int(motions.line[other])}",
                remedy="move it, or take a larger punch", tool=int(seen.called[k]), move=move, position=at(seen.places[k]),
                evidence={"long_mm": long, "other_line": int(motions.line[other])},
            )  # fmt: skip


_NIBBLED = 100
"""Where so many other hits meet one, the place is nibbled away, and no strip stands."""


def _near(shapes: NDArray[np.object_], row: NDArray[np.int64], room: float) -> list[tuple[int, int, float]]:
    """Pairs (later, earlier) of hits that come so near one another and are not of one row (-1: of none), in order; their distance, mm."""
    bounds = shapely.bounds(shapes)
    wide = shapely.box(*(bounds + (-room, -room, room, room)).T)
    one, two = shapely.STRtree(shapes).query(wide)
    fits = (two < one) & ((row[one] != row[two]) | (row[one] < 0))
    one, two = one[fits], two[fits]
    fits = shapely.dwithin(shapes[one], shapes[two], room)
    one, two = one[fits], two[fits]
    order = np.lexsort((two, one))
    one, two = one[order], two[order]
    return list(zip(one.tolist(), two.tolist(), shapely.distance(shapes[one], shapes[two]).tolist()))


def _forming(context: Context, seen: Looked, k: int) -> bool:
    punch = seen.punch(context, k)
    return punch is not None and punch.forming


class _Beside:
    """One hit among those that it meets: how long its edges face another's closer than the sheet is thick."""

    def __init__(self, shapes: NDArray[np.object_], thick: float) -> None:
        self._shapes, self._thick = shapes, thick
        self.hit = -1
        self.met: NDArray[np.int64] = np.empty(0, np.int64)
        self._taken: float | None = None
        # So that a line along an edge does not stay for the last bit.
        self._grown = shapely.buffer(shapes, 1e-6, quad_segs=2)

    def look(self, hit: int, met: NDArray[np.int64]) -> None:
        """From now on about this hit; ``met``: those whose boxes meet its own, itself among them."""
        self.hit, self.met, self._taken = hit, met, None

    def facing(self, other: int, gap: float) -> float:
        """The length, mm: of the web between the two, or of a strip that this one takes."""
        if gap > 1e-6:
            return self._web(other) if gap < self._thick - 1e-6 else 0.0
        if other not in self.met:
            return self._strip(other)
        if self._taken is None:
            # With the other one among those that are met, they are the same for all.
            self._taken = self._strip(other)
        return self._taken

    def _web(self, other: int) -> float:
        """Where something else is struck there is no metal to be thin."""
        one, two = self._shapes[self.hit], self._shapes[other]
        near = shapely.intersection(one.boundary, shapely.buffer(two, self._thick - 1e-6, quad_segs=24))
        around = self.met[(self.met != self.hit) & (self.met != other)]
        return float(_without(near, self._grown[around]).length)

    def _strip(self, other: int) -> float:
        """The longest strip, thinner than the sheet, of what this hit takes: what was struck before is gone."""
        before = np.union1d(self.met[self.met < self.hit], [other])
        taken = _without(self._shapes[self.hit], self._shapes[before])
        best = 0.0
        for part in shapely.get_parts(taken):
            if part.area > _NOTHING_MM2 and shapely.buffer(part, -self._thick / 2.0 + 1e-6).is_empty:
                best = max(
                    best, float(part.minimum_rotated_rectangle.length) / 2.0 - 2.0 * part.area / max(part.length, 1e-9)
                )
        return best


def _without(what: Region, others: NDArray[np.object_]) -> Region:
    """What is left of it without the others. One after the other: what is left grows small, all of them together are large."""
    for other in others[shapely.intersects(what, others)] if len(others) else ():
        what = shapely.difference(what, other)
        if what.is_empty:
            break
    return what


@rule({"punch-too-small": Severity.CAUTION}, PUNCHING)
def small(context: Context) -> Iterator[Finding]:
    """A punch narrower than the sheet is thick (common practice, no source), at its first hit."""
    seen, motions = look(context), context.motions
    told: set[int] = set()
    for k, move in enumerate(seen.hits.tolist()):
        punch = seen.punch(context, k)
        if punch is None or punch.number in told or punch.forming:
            continue
        told.add(punch.number)
        if punch.narrowest < seen.sheet.thickness - 1e-6:
            yield Finding(
                code="punch-too-small", line=int(motions.line[move]),
                message=f"the {punch.name} is {context.length(punch.narrowest)} wide, and the sheet {context.length(seen.sheet.thickness)} thick: it breaks",
                remedy="take a wider punch, or drill these", tool=int(seen.called[k]), move=move, position=at(seen.places[k]),
                evidence={"width_mm": punch.narrowest, "thickness_mm": seen.sheet.thickness},
            )  # fmt: skip


@rule({"piece-free": Severity.CAUTION}, PUNCHING)
def loose(context: Context) -> Iterator[Finding]:
    """A piece that a hit frees lies on the table where the sheet goes next."""
    seen, motions = look(context), context.motions
    for piece in seen.history.pieces if seen.history is not None else ():
        line = int(motions.line[piece.move])
        yield Finding(
            code="piece-free", line=line, message=f"this hit cuts a piece of {context.area(piece.area)} loose", remedy="leave a bridge, or stop here and take it out",
            tool=motions.state_of(piece.move).tool, move=piece.move, position=at(np.array(piece.centre)), evidence={"area_mm2": piece.area},
        )  # fmt: skip
