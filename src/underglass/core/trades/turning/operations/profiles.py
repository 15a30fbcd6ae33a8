"""A contour roughed along or across and finished, outside or in a bore.

The nose runs on the contour's offset by its radius; the tip that is programmed lies so far beside the nose's middle, on both
axes, as the nose is round. With G41 and G42 the contour itself is written and the control does that sum.
"""

from __future__ import annotations

import itertools
import math
from dataclasses import replace
from functools import partial

import numpy as np
import shapely
from numpy.typing import NDArray

from underglass.core.compose.contour import Contour, Seg, fitted, step_of
from underglass.core.compose.fitting import few
from underglass.core.compose.operation import Operation, ShopEntries, need
from underglass.core.reckon.form import Answer, Field, Row
from underglass.core.trades.turning.operations.by_cycle import CHOICES, rough_by_cycle
from underglass.core.trades.turning.operations.common import (
    CLEAR,
    COOL,
    FEED,
    SPEED,
    LatheWriter,
    T,
    close,
    lathe_writer,
    length_rows,
    opening,
    read_profile,
)
from underglass.core.trades.turning.operations.falls import check_falls, hollow_passes, rough_hollows

_NEAR = 0.02
"""How far apart places are taken on the way that a pass stops at, mm; passes stop so much earlier."""


def tip_path(contour: Contour, re: float, left: float, outside: bool) -> Contour:
    """Where the tip runs so that the nose keeps ``left`` mm off the contour, mm. Raises ``CannotBe``."""
    by = re + left
    if by < 1e-9:
        return contour
    quad = max(4, math.ceil(math.pi / 2.0 / step_of(by)))
    line = shapely.offset_curve(shapely.LineString(contour.places()), -by if outside else by, quad_segs=quad)
    part = max(shapely.get_parts(line), key=lambda g: g.length, default=shapely.LineString())
    need(part.length > 0.0, "the nose is rounder than the contour leaves room for", "re")
    places = np.asarray(part.coords)[:, :2] + np.array([-re, -re if outside else re])
    return fitted(places, False)


def prolonged(contour: Contour, clear: float, outside: bool, stock: float) -> Contour:
    """With a way on from +Z and a way off square to the axis, clear of the stock (its radius, or its bore's)."""
    (z0, r0), (z1, r1) = contour.start, contour.end
    end = max(r1, stock) + clear if outside else max(min(r1, stock) - clear, 0.0)
    return Contour((Seg(z0 + clear, r0, z0, r0), *contour.segs, Seg(z1, r1, z1, end)), False)


def check_corners(e: ShopEntries, contour: Contour, outside: bool, re: float) -> None:
    """Whether the nose gets along every element between its corners, as a control compensates it. Raises ``CannotBe``.

    In a corner of angle ``a`` that closes in on it, the nose needs r tan(a / 2) of either side (plane geometry).
    """
    side = -1.0 if outside else 1.0
    taken = [0.0] * len(contour.segs)
    for k, (one, other) in enumerate(itertools.pairwise(contour.segs)):
        (ax, ay), (bx, by) = one.direction(1.0), other.direction(0.0)
        bend = math.atan2(ax * by - ay * bx, ax * bx + ay * by) * side
        if bend > 1e-6:
            for n in (k, k + 1):
                taken[n] += re * math.tan(min(bend, 3.0) / 2.0)
    for seg, used in zip(contour.segs, taken, strict=True):
        need(
            seg.length > used - 1e-6 and not (seg.turn == side and seg.radius < re - 1e-6),
            f"the nose is too round for the corner at Z{e.show(seg.x0)}: take its radius in the figures, or a sharper insert",
            "nose",
        )


class _Limit:
    """How far the tip may go at a radius or at a Z before it meets what must stay; ``falls`` where the way comes down again."""

    def __init__(self, path: Contour, outside: bool, falls: bool) -> None:
        places = path.places(0.002)
        # Taken close enough together that a straight line between two places is as good as the path.
        fine: list[NDArray[np.float64]] = []
        for a, b in itertools.pairwise(places):
            n = max(1, math.ceil(math.dist(a, b) / _NEAR))
            fine.append(a + (b - a) * (np.arange(n)[:, None] / n))
        at = np.vstack([*fine, places[-1:]])
        self.z, self.r = at[:, 0], at[:, 1]
        self.sign = 1.0 if outside else -1.0
        order = np.argsort(-self.z, kind="stable")
        # From the face on: the farthest out (in a bore: in) that the way has been up to each Z.
        self._front, reach = -self.z[order], self.sign * self.r[order]
        self._reach = np.maximum.accumulate(reach)
        if falls:
            # As far out as it is there, and a step nearer to the face: a way square to the axis has both its ends at one Z.
            first = np.searchsorted(self._front, self._front - 2.0 * _NEAR, side="left")
            self._reach = np.array([reach[a : k + 1].max() for k, a in enumerate(first.tolist())])

    def along(self, r: float) -> float:
        """The Z at which a pass at a radius, coming from +Z, has to stop; -inf where nothing stops it."""
        inside = self.sign * (self.r - r) > 1e-6
        hit = np.flatnonzero(inside)
        if not len(hit):
            return float(np.min(self.z))
        k = int(hit[np.argmax(self.z[hit])])
        return float(self.z[k]) + _NEAR

    def _at(self, z: NDArray[np.float64]) -> NDArray[np.float64]:
        """How far out (in a bore: minus the radius) the way is at a Z or nearer to the face; -inf where it is not there yet."""
        k = np.searchsorted(self._front, -z + 1e-6, side="right") - 1
        return np.where(k >= 0, self._reach[np.maximum(k, 0)], -np.inf)

    def across(self, z: float, far: float) -> float:
        """The radius at which a pass at a Z, coming from outside (or from the bore), has to stop."""
        at = float(self._at(np.array([z]))[0])
        return far if math.isinf(at) else self.sign * at

    def back(self, z: float, before: float) -> list[tuple[float, float]]:
        """The path's places from one Z up to another one nearer to the face."""
        zs = np.linspace(z, before, max(12, math.ceil((before - z) / (_NEAR / 2.0))))
        reach = self._at(zs)
        good = np.isfinite(reach)
        if good.sum() < 2:
            return []
        zs, reach = zs[good], reach[good]
        return [(float(zs[k]), float(self.sign * reach[k])) for k in few(zs, reach, 0.005)[1:]]


def _rough_along(w: LatheWriter, e: ShopEntries, limit: _Limit, outside: bool, begin: float, z0: float) -> int:
    """Passes along Z from the stock's surface to the contour; how many."""
    f, clear, down = (
        e.positive("f", "The feed"),
        e.positive("clear", "The clearance"),
        e.positive("down", "The depth of a pass"),
    )
    end = float(np.min(limit.r) if outside else np.max(limit.r))
    if (begin - end if outside else end - begin) <= 1e-6:
        return 0
    count = math.ceil(abs(begin - end) / down - 1e-9)
    sign = 1.0 if outside else -1.0
    lift = min(0.5, 0.5 * clear)
    done = 0
    far = begin + sign * clear if outside else max(begin - clear, 0.1)
    radii = [begin + (end - begin) * k / count for k in range(1, count + 1)]
    w.rapid(z0 + clear, far)
    for r in radii:
        stop = limit.along(r - sign * 1e-3)
        if stop > z0 - 1e-3:
            continue
        done += 1
        w.rapid(y=r)
        w.feed(stop, f=f)
        w.feed(stop + lift, r + sign * lift, f=f)
        w.rapid(z0 + clear)
    hollows = hollow_passes(limit.z, limit.r, sign, radii, begin, _NEAR)
    rough_hollows(w, e, hollows, outside, far)
    if hollows:
        w.rapid(z0 + clear)
    return done + len(hollows)


def _rough_across(w: LatheWriter, e: ShopEntries, limit: _Limit, outside: bool, begin: float, z0: float) -> int:
    """Passes along X, from the front backwards; how many."""
    f, clear, down = (
        e.positive("f", "The feed"),
        e.positive("clear", "The clearance"),
        e.positive("down", "The depth of a pass"),
    )
    end = float(np.min(limit.z))
    sign = 1.0 if outside else -1.0
    start = begin + sign * clear if outside else max(begin - clear, 0.05)
    if z0 - end <= 1e-6:
        return 0
    count = math.ceil((z0 - end) / down - 1e-9)
    lift = min(0.5, 0.5 * clear)
    w.rapid(z0 + clear, start)
    done = 0
    for k in range(1, count + 1):
        z = z0 + (end - z0) * k / count
        stop = limit.across(z + 1e-3, start)
        if sign * (start - stop) <= clear:
            continue
        done += 1
        w.rapid(z)
        w.feed(y=stop, f=f)
        # Up along the contour to where the pass before ended, so that no ridges stay that a bar would rub on.
        for at in limit.back(z, min(z0 + (end - z0) * (k - 1) / count, z0)):
            w.feed(*at, f=f)
        w.feed(w.place[0] + lift, w.place[1] + sign * lift, f=f)
        w.rapid(y=start)
    return done


def _finish(
    w: LatheWriter, e: ShopEntries, contour: Contour, outside: bool, re: float, clear_r: float, stock: float
) -> None:
    f, clear = e.positive("ff", "The feed of the last cut"), e.positive("clear", "The clearance")
    whole = prolonged(contour, max(clear, 2.0 * re + 0.5), outside, stock)
    if e.word("nose") == "comp":
        w.rapid(whole.start[0] + 0.5, clear_r)
        w.rapid(y=whole.start[1])
        on = "G42" if outside else "G41"
        for k, seg in enumerate(whole.segs):
            w.seg(seg, f=f, before=on if k == 0 else "")
        last = whole.segs[-1]
        step = max(2.0 * re, 0.5)
        w.block("G40")
        w.feed(y=last.y1 + step if outside else max(last.y1 - step, 0.0), f=f)
    else:
        path = tip_path(whole, re, 0.0, outside)
        w.rapid(path.start[0], clear_r)
        w.rapid(y=path.start[1])
        for seg in path.segs:
            w.seg(seg, f=f)


def _contour(e: ShopEntries, outside: bool) -> Answer:
    contour = read_profile(e.word("profile"), e.unit)
    need(not contour.closed, "a profile is not closed: it begins at the face and ends where the cut does", "profile")
    re, left = e.number("re"), e.number("left")
    need(re >= 0.0, "this cannot be less than zero", "re")
    need(left >= 0.0, "this cannot be less than zero", "left")
    need(contour.end[0] < contour.start[0] - 1e-6, "the profile runs from the face towards the chuck", "profile")
    falls = check_falls(e, contour, outside)
    stock = e.positive("stock", "The stock's diameter") / 2.0
    rs = [r for s in contour.segs for r in (s.y0, s.y1)]
    if outside:
        need(max(rs) <= stock + 1e-6, "the profile is larger than the stock", "stock")
    else:
        need(min(rs) >= stock - 1e-6, "the profile is smaller than the bore that is there", "stock")
        need(stock > 0.5, "a boring bar needs a bore to go into", "stock")
    z0, clear = e.number("face"), e.positive("clear", "The clearance")
    need(z0 >= contour.start[0] - 1e-6, "the stock's face lies behind the profile's beginning", "face")
    w = lathe_writer(e)
    opening(w, e)
    if e.word("nose") == "comp" and (e.word("finish") == "yes" or e.word("rough") == "cycle"):
        check_corners(e, prolonged(contour, max(clear, 2.0 * re + 0.5), outside, stock), outside, re)
    passes = 0
    far = stock + clear if outside else max(stock - clear, 0.1)
    by_cycle = e.word("rough") == "cycle"
    if by_cycle:
        comp = e.word("nose") == "comp"
        whole = prolonged(contour, max(clear, 2.0 * re + 0.5), outside, stock)
        passes = rough_by_cycle(w, e, contour, whole if comp else tip_path(whole, re, 0.0, outside), outside, far, comp)
    elif e.word("rough") != "no":
        path = tip_path(prolonged(contour, clear + 2.0 * re, outside, stock), re, left, outside)
        limit = _Limit(path, outside, falls)
        rough = _rough_along if e.word("rough") == "along" else _rough_across
        passes = rough(w, e, limit, outside, stock, z0)
        # The steps of the passes taken down to an even allowance.
        f = e.positive("f", "The feed")
        w.rapid(path.start[0], far if outside else None)
        w.rapid(path.start[0])
        w.rapid(y=path.start[1])
        for seg in path.segs:
            w.seg(seg, f=f)
        w.rapid(z0 + clear) if not outside else w.rapid(y=far)
        w.rapid(z0 + clear)
    if e.word("finish") == "yes" and not by_cycle:
        _finish(w, e, contour, outside, re, far, stock)
        w.rapid(y=far) if outside else None
        w.rapid(z0 + clear)
    close(w, e)
    along = "by the control" if by_cycle else "and one along the contour" if passes else ""
    rows = (
        Row("Passes", str(passes), along),
        Row("Depth of a pass", e.show(_even(e, contour, stock, left))),
    )
    return Answer(rows=(*rows, *length_rows(w, e)), steps=(), blocks=w.text(), strokes=(*contour.strokes(), *w.strokes))


def _even(e: ShopEntries, contour: Contour, stock: float, left: float) -> float:
    rs = [r for s in contour.segs for r in (s.y0, s.y1)]
    depth = max(abs(stock - min(rs)), abs(max(rs) - stock)) - left
    down = e.positive("down", "The depth of a pass")
    return depth / max(1, math.ceil(depth / down - 1e-9))


_HOW = (
    Field(key="face", word="Stock's face Z", start="0", usual=(0, 1)),
    Field(key="rough", word="Roughed", kind="choice", start="along", choices=(("along", "along Z"), ("across", "along X"), *CHOICES, ("no", "not at all"))),
    Field(key="n", word="Contour's blocks from N", kind="count", start="500", shown=lambda v: v.get("rough") == "cycle", usual=(500, 900)),
    Field(key="down", word="Max depth per pass", start="1.5", start_inch="0.06", usual=(0.5, 3)),
    Field(key="left", word="Finish allowance", start="0.3", start_inch="0.012", usual=(0, 0.6)),
    Field(key="finish", word="Finish pass", kind="choice", start="yes", choices=(("yes", "yes"), ("no", "no"))),
    Field(key="nose", word="Nose radius", kind="choice", start="comp", choices=(("comp", "by G41, G42"), ("figures", "in the figures"))),
    Field(key="re", word="Nose radius of the insert", start="0.4", start_inch="0.0157", usual=(0.2, 0.8)),
    Field(key="fall", word="Insert can drop at", kind="angle", start="30", usual=(30, 50),
          tip="How steeply the profile may drop again behind a shoulder: the angle that the insert's back edge leaves"),
    T, *SPEED, FEED, Field(key="ff", word="Finish feed", kind="tooth", start="0.1", start_inch="0.004", usual=(0.03, 0.15)), CLEAR, COOL,
)  # fmt: skip
_TIP = "From the face to the chuck: 24 -15, X30 A30, G2 30 -20 B5; R rounds the corner, C chamfers it"

PROFILE = Operation(
    name="Turn a profile",
    fields=(
        Field(key="profile", word="Profile, rows of diameter and Z", kind="contour", start="20 0\n24 -2\n24 -15 R1\n30 -15 C1\n30 -30\n40 -30",
              start_inch="0.8 0\n0.95 -0.08\n0.95 -0.6 R0.04\n1.2 -0.6\n1.2 -1.2\n1.6 -1.2", tip=_TIP),
        Field(key="stock", word="Stock's diameter", start="40", start_inch="1.6", usual=(40, 48)),
        *_HOW,
    ),
    work=partial(_contour, outside=True),
    about="A contour outside, roughed in passes and finished.",
    kinds=("turning",),
)  # fmt: skip

BORED = Operation(
    name="Bore a profile",
    fields=(
        Field(key="profile", word="Profile, rows of diameter and Z", kind="contour", start="34 0\n30 -2\n30 -12 R1\n24 -12 C1\n24 -30\n20 -30",
              start_inch="1.35 0\n1.2 -0.08\n1.2 -0.5 R0.04\n0.95 -0.5\n0.95 -1.2\n0.8 -1.2", tip=_TIP),
        Field(key="stock", word="Bore that is there", start="20", start_inch="0.8", usual=(16, 20)),
        *(replace(f, usual=(0.5, 2.0)) if f.key == "down" else f for f in _HOW),
    ),
    work=partial(_contour, outside=False),
    about="A contour in a bore, roughed in passes and finished.",
    kinds=("boring",),
)  # fmt: skip
