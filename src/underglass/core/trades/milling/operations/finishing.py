"""Ways beside a contour: where the tool's centre runs, what is written for G41, the last cut along a wall."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
import shapely

from underglass.core.compose.contour import Contour, Seg, fitted, grown, rings_of, step_of
from underglass.core.compose.operation import ShopEntries, need
from underglass.core.compose.writer import Writer
from underglass.core.reckon.form import CannotBe
from underglass.core.trades.milling.operations.walls import Tabs, go_round, leads, tabs_on

_SLACK = 0.01
"""How much rounder than the tool an inner corner is written for G41, mm: an arc as tight as the tool has no way left."""


def side_of(contour: Contour, said: str) -> int:
    """1 to the left of the contour as drawn, -1 to its right, 0 on it. Raises ``CannotBe``."""
    if said in ("left", "right", "on"):
        return {"left": 1, "right": -1, "on": 0}[said]
    need(contour.closed, "an open contour has no inside: choose left, right or on", "side")
    return 1 if (said == "inside") == contour.anticlockwise else -1


def ways_beside(contour: Contour, side: int, by: float) -> list[Contour]:
    """The contour's ways ``by`` mm to its left (1) or right (-1), in its own direction. Several where it falls apart."""
    if not side:
        return [contour]
    if contour.closed:
        inside = (side > 0) == contour.anticlockwise
        region = grown(contour.polygon(), -by if inside else by)
        out = [r for r in rings_of(region) if r.anticlockwise]
        return [r.run(contour.anticlockwise) for r in out]
    quad = max(4, math.ceil(math.pi / 2.0 / step_of(by)))
    line = shapely.offset_curve(shapely.LineString(contour.places()), by * side, quad_segs=quad)
    return [fitted(np.asarray(part.coords), False) for part in shapely.get_parts(line) if part.length > 0.0]


def room_beside(contour: Contour, side: int, r: float) -> shapely.Geometry | None:
    """Where the tool's centre may be while it comes onto the wall; None where nothing stands in the way."""
    if not side:
        return None
    if contour.closed and (side > 0) == contour.anticlockwise:
        return grown(contour.polygon(), -r + 0.005, 0.002)
    shape = contour.polygon() if contour.closed else shapely.LineString(contour.places())
    return shapely.box(-1e5, -1e5, 1e5, 1e5).difference(grown(shape, r - 0.005, 0.002))


def written(contour: Contour, side: int, r: float) -> list[Contour]:
    """The contour as it is written for G41 and G42: no inner arc tighter than the tool, nothing it does not fit into.

    Raises ``CannotBe`` for an open one that has such an arc.
    """
    rr = r + _SLACK
    if not contour.closed:
        if any(seg.turn == side and seg.radius < rr for seg in contour.segs):
            raise CannotBe("the tool is too round for an inner arc with G41: choose the tool's centre", "finish")
        return [contour]
    inside = (side > 0) == contour.anticlockwise
    shape = contour.polygon()
    rounded = grown(grown(shape, -rr), rr) if inside else grown(grown(shape, rr), -rr)
    tight = any(seg.turn == side and seg.radius < rr for seg in contour.segs)
    # What a sharp corner loses to the round tool is its own; more than that is a place where the tool does not fit.
    lost = shape.difference(rounded) if inside else rounded.difference(shape)
    corners = sum(rr * rr for _seg in contour.segs) * 0.22
    if not tight and lost.area <= corners and len(shapely.get_parts(rounded)) == 1:
        return [contour]
    out = []
    corner = np.array([(s.x0, s.y0) for s in contour.segs])
    for part in shapely.get_parts(rounded):
        places = np.asarray(part.exterior.coords)[:-1, :2].copy()
        # Corners come back from the offsets as a few short chords: they are put where they were.
        far = np.hypot(*(places[:, None, :] - corner[None, :, :]).transpose(2, 0, 1))
        near = far.argmin(axis=1)
        at = far[np.arange(len(places)), near] < 0.1
        places[at] = corner[near[at]]
        out.append(fitted(places, True).run(contour.anticlockwise))
    return out


@dataclass(frozen=True, slots=True)
class Bridges:
    """Where a part stays held: the tabs' places on its contour, how wide they are, up to which height."""

    places: tuple[tuple[float, float], ...]
    wide: float
    top: float

    def on(self, ring: Contour, d: float, away: float) -> Tabs | None:
        """The tabs of one way, ``away`` mm from the contour; None where it passes none."""
        return tabs_on(ring, self.places, away * 1.5 + 0.1, self.wide + d, self.top) if ring.closed else None


def finish_wall(
    w: Writer,
    e: ShopEntries,
    contour: Contour,
    side: int,
    level: float,
    kind: Literal["arc", "line"],
    reach: float,
    bridges: Bridges | None = None,
) -> None:
    """Once along a wall at full depth, by G41 or G42 where that is wanted; the tool is on its ``side``, which is free."""
    r = e.number("d") / 2.0
    rings = written(contour, side, r) if e.word("finish") == "comp" else ways_beside(contour, side, r)
    finish_rings(w, e, rings, side, level, kind, reach, room_beside(contour, side, r), bridges)


def finish_rings(
    w: Writer,
    e: ShopEntries,
    rings: Sequence[Contour],
    side: int,
    level: float,
    kind: Literal["arc", "line"],
    reach: float,
    room: shapely.Geometry | None,
    bridges: Bridges | None = None,
) -> None:
    """Once along each ring: the wall itself where G41 or G42 is wanted, else the way of the tool's centre, which stays in ``room``."""
    f, fdown, d = e.positive("f", "The feed"), e.positive("fdown", "The feed downwards"), e.number("d")
    r, comp = d / 2.0, e.word("finish") == "comp"
    for ring in rings:
        if ring.closed:
            ring = ring.from_longest()
        tabs = bridges.on(ring, d, 0.0 if comp else r) if bridges is not None else None
        if comp:
            into, out = _leads_by_control(ring, side, kind, reach, room, r)
        else:
            into, out = leads(ring, side, kind, reach, room)
        w.rapid(*((into[0].x0, into[0].y0) if into else ring.start))
        w.rapid(z=e.number("top") + e.number("near"))
        w.feed(z=level, f=fdown)
        on = f"{'G41' if side > 0 else 'G42'} D{e.count('t')}" if comp else ""
        for k, seg in enumerate(into):
            w.seg(seg, f=f, before=on if not k else "")
        go_round(w, ring, f, fdown, level, tabs)
        for k, seg in enumerate(out):
            w.seg(seg, f=f, before="G40" if comp and k == len(out) - 1 else "")
        w.rapid(z=e.number("safe"))


def _leads_by_control(
    ring: Contour, side: int, kind: Literal["arc", "line"], reach: float, room: shapely.Geometry | None, r: float
) -> tuple[tuple[Seg, ...], tuple[Seg, ...]]:
    """Ways onto a wall and off it by G41 or G42: the first move takes the offset in and is longer than the tool's radius, and so is the
    arc behind it. Where there is no room for an arc it is a line aslant. Raises ``CannotBe``."""
    if kind == "arc":
        into, out = leads(ring, side, "arc", max(reach, 1.6 * r), room, 1.2 * r, r)
        if into and into[0].length > r and into[-1].radius > r:
            return into, out
    for long in (max(reach, 1.6 * r), 1.2 * r, 1.08 * r, 1.01 * r):
        into, out = leads(ring, side, "line", long, room, by=r)
        if into and into[0].length > r:
            return into, out
    raise CannotBe("there is no room to come onto the wall with G41: choose the tool's centre", "finish")
