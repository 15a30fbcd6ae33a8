"""How near a part of the tool comes to a fixed solid on one move, and whether it touches. numba kernels.

The gap between an upright cylinder that moves straight and a box (or an upright cylinder) that stands still is the
length of the vector (gap sideways, gap in height), each convex along the move and never negative: so it is convex
too, and a golden-section search finds the least one. Arcs come in as chords no farther than a micrometre from them.
"""

# mypy: disable-error-code="no-untyped-def"

import math

import numpy as np

from underglass.core.compiled import kernel, small_kernel

_GOLDEN = 0.6180339887498949


@small_kernel
def _sideways(x, y, sx, sy, is_round):
    """Distance of a point from the solid's outline seen from above (a rectangle from 0,0, or a circle in it)."""
    if is_round:
        return max(0.0, math.hypot(x - 0.5 * sx, y - 0.5 * sx) - 0.5 * sx)
    dx = max(0.0, max(-x, x - sx))
    dy = max(0.0, max(-y, y - sy))
    return math.hypot(dx, dy)


@kernel
def gap_at(a, b, t, size, is_round, r, bottom, top):
    """(gap, gap sideways, overlap in height if positive) a share ``t`` of the way; part from ``bottom`` to ``top``."""
    x, y, z = a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t, a[2] + (b[2] - a[2]) * t
    side = max(0.0, _sideways(x, y, size[0], size[1], is_round) - r)
    up = max(0.0, z + bottom - size[2])
    down = max(0.0, -(z + top))
    return math.sqrt(side * side + up * up + down * down)


@kernel
def nearest(a, b, size, is_round, r, bottom, top):
    """Least gap of a straight move and the share at which it is reached (the first one, to the search's fineness)."""
    lo, hi = 0.0, 1.0
    g0, g1 = gap_at(a, b, 0.0, size, is_round, r, bottom, top), gap_at(a, b, 1.0, size, is_round, r, bottom, top)
    x1, x2 = hi - _GOLDEN * (hi - lo), lo + _GOLDEN * (hi - lo)
    f1, f2 = gap_at(a, b, x1, size, is_round, r, bottom, top), gap_at(a, b, x2, size, is_round, r, bottom, top)
    for _ in range(60):
        if f1 <= f2:
            hi, x2, f2 = x2, x1, f1
            x1 = hi - _GOLDEN * (hi - lo)
            f1 = gap_at(a, b, x1, size, is_round, r, bottom, top)
        else:
            lo, x1, f1 = x1, x2, f2
            x2 = lo + _GOLDEN * (hi - lo)
            f2 = gap_at(a, b, x2, size, is_round, r, bottom, top)
    best, at = f1, x1
    if g1 < best:
        best, at = g1, 1.0
    if g0 <= best:
        best, at = g0, 0.0
    return best, at


@kernel
def touch(a, b, size, is_round, r, bottom, top, tol, out):
    """Whether a part runs more than ``tol`` deep into a solid on a straight move; ``r`` already less the side tolerance.

    ``out`` (3,): first share, share of the deepest place, overlap in height there, mm. True where it touches.
    """
    # Heights first: the stretch of the move on which the part overlaps the solid in height by more than tol.
    t0, t1 = 0.0, 1.0
    dz = b[2] - a[2]
    lim_up = size[2] - tol - bottom  # z below this
    lim_dn = tol - top  # z above this
    if abs(dz) < 1e-12:
        if a[2] >= lim_up or a[2] <= lim_dn:
            return False
    else:
        u, d = (lim_up - a[2]) / dz, (lim_dn - a[2]) / dz
        if dz > 0.0:
            t1, t0 = min(t1, u), max(t0, d)
        else:
            t0, t1 = max(t0, u), min(t1, d)
        if t0 >= t1:
            return False
    # Sideways: convex in t, so the stretch inside is one piece around its least value.
    lo, hi = t0, t1
    for _ in range(60):
        x1, x2 = hi - _GOLDEN * (hi - lo), lo + _GOLDEN * (hi - lo)
        f1 = _sideways(a[0] + (b[0] - a[0]) * x1, a[1] + (b[1] - a[1]) * x1, size[0], size[1], is_round)
        f2 = _sideways(a[0] + (b[0] - a[0]) * x2, a[1] + (b[1] - a[1]) * x2, size[0], size[1], is_round)
        if f1 <= f2:
            hi = x2
        else:
            lo = x1
    mid = 0.5 * (lo + hi)
    best = _sideways(a[0] + (b[0] - a[0]) * mid, a[1] + (b[1] - a[1]) * mid, size[0], size[1], is_round)
    for t in (t0, t1):
        f = _sideways(a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t, size[0], size[1], is_round)
        if f < best:
            best, mid = f, t
    if best >= r:
        return False
    out[0] = _edge(a, b, size, is_round, r, mid, t0)
    last = _edge(a, b, size, is_round, r, mid, t1)
    deepest = last if dz < 0.0 else out[0]
    out[1] = deepest
    out[2] = size[2] - max(0.0, a[2] + dz * deepest + bottom)
    return True


@kernel
def _edge(a, b, size, is_round, r, inside, outside):
    """The share between ``inside`` (within reach) and ``outside`` where reach ends; ``outside`` if it never does."""
    if _sideways(a[0] + (b[0] - a[0]) * outside, a[1] + (b[1] - a[1]) * outside, size[0], size[1], is_round) < r:
        return outside
    for _ in range(50):
        mid = 0.5 * (inside + outside)
        if _sideways(a[0] + (b[0] - a[0]) * mid, a[1] + (b[1] - a[1]) * mid, size[0], size[1], is_round) < r:
            inside = mid
        else:
            outside = mid
    return inside


@kernel
def against_solid(
    start, end, centre, sweep, row, radius, bottom, top, active, size, is_round, side, tol, chord, far, out
):
    """Every move against one solid.

    start, end (n, 3) tip in the solid's frame; row (n,) index of the move's tool, -1 for none; radius, bottom, top
    (tools, parts) of each tool's parts, radius 0 where there is no part; active (n,) moves during which the solid is
    there; ``far`` gaps at and beyond this are not looked at closer. out (n, parts, 4): touched 0/1, first share or share of
    the nearest place, depth, gap (``far`` or more: not near).
    """
    n = len(row)
    parts = radius.shape[1]
    p, q = np.empty(3), np.empty(3)
    hit = np.empty(3)
    for m in range(n):
        for k in range(parts):
            out[m, k, 0], out[m, k, 1], out[m, k, 2], out[m, k, 3] = 0.0, 0.0, 0.0, far
        if row[m] < 0 or active[m] == 0:
            continue
        arc = sweep[m] != 0.0
        arc_r = math.hypot(start[m, 0] - centre[m, 0], start[m, 1] - centre[m, 1]) if arc else 0.0
        x0, x1 = min(start[m, 0], end[m, 0]), max(start[m, 0], end[m, 0])
        y0, y1 = min(start[m, 1], end[m, 1]), max(start[m, 1], end[m, 1])
        if arc:
            x0, x1 = min(x0, centre[m, 0] - arc_r), max(x1, centre[m, 0] + arc_r)
            y0, y1 = min(y0, centre[m, 1] - arc_r), max(y1, centre[m, 1] + arc_r)
        z0 = min(start[m, 2], end[m, 2])
        wx = max(0.0, max(-x1, x0 - size[0]))
        wy = max(0.0, max(-y1, y0 - size[1]))
        away = math.hypot(wx, wy)
        for k in range(parts):
            r = radius[row[m], k]
            if r <= 0.0:
                continue
            lift = max(0.0, z0 + bottom[row[m], k] - size[2])
            reach = max(0.0, away - r)
            if reach * reach + lift * lift >= far * far:
                continue
            pieces = 1
            if arc:
                step = 2.0 * math.acos(max(-1.0, 1.0 - chord / max(arc_r, chord)))
                pieces = max(1, math.ceil(abs(sweep[m]) / max(step, 1e-4)))
            for piece in range(pieces):
                for d in range(3):
                    p[d], q[d] = start[m, d], end[m, d]
                if arc:
                    angle = math.atan2(start[m, 1] - centre[m, 1], start[m, 0] - centre[m, 0])
                    f0, f1 = piece / pieces, (piece + 1) / pieces
                    p[0], p[1] = (
                        centre[m, 0] + arc_r * math.cos(angle + sweep[m] * f0),
                        centre[m, 1] + arc_r * math.sin(angle + sweep[m] * f0),
                    )
                    q[0], q[1] = (
                        centre[m, 0] + arc_r * math.cos(angle + sweep[m] * f1),
                        centre[m, 1] + arc_r * math.sin(angle + sweep[m] * f1),
                    )
                    p[2] = start[m, 2] + (end[m, 2] - start[m, 2]) * f0
                    q[2] = start[m, 2] + (end[m, 2] - start[m, 2]) * f1
                if touch(p, q, size, is_round, r - side, bottom[row[m], k], top[row[m], k], tol, hit):
                    if out[m, k, 0] == 0.0:
                        out[m, k, 1] = (piece + hit[0]) / pieces
                    out[m, k, 0] = 1.0
                    out[m, k, 2] = max(out[m, k, 2], hit[2])
                    out[m, k, 3] = 0.0
                elif out[m, k, 0] == 0.0:
                    gap, at = nearest(p, q, size, is_round, r, bottom[row[m], k], top[row[m], k])
                    if gap < out[m, k, 3]:
                        out[m, k, 3] = gap
                        out[m, k, 1] = (piece + at) / pieces
