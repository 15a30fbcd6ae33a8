"""How near an upright part of the tool comes to columns of a field on one move, and whether it touches. numba kernels.

A column is a cell with its height. The gap between it and an upright cylinder that moves straight is the length of the
vector (gap sideways, gap in height), each convex along the move and never negative, so a golden section finds the least.
Arcs come in as chords.
"""

# mypy: disable-error-code="no-untyped-def"

import math

import numpy as np

from underglass.core.compiled import kernel, small_kernel
from underglass.core.removal.rows import TILE
from underglass.core.removal.touch import touch_move

_GOLDEN = 0.6180339887498949


@small_kernel
def _gap(px, py, ax, ay, az, dx, dy, dz, t, r, top):
    side = max(0.0, math.hypot(px - ax - dx * t, py - ay - dy * t) - r)
    up = max(0.0, az + dz * t - top)
    return math.sqrt(side * side + up * up)


@kernel
def _near_column(px, py, ax, ay, az, dx, dy, dz, r, top):
    """(least gap, share) of one straight piece to a column of height ``top``."""
    square = dx * dx + dy * dy
    if dz == 0.0:
        t = 0.0
        if square > 0.0:
            t = min(1.0, max(0.0, ((px - ax) * dx + (py - ay) * dy) / square))
        return _gap(px, py, ax, ay, az, dx, dy, dz, t, r, top), t
    if square == 0.0:
        # Straight up or down: as near as at its lowest place, there first where it is no higher than the column.
        t = min(1.0, max(0.0, (top - az) / dz)) if dz < 0.0 else 0.0
        return _gap(px, py, ax, ay, az, dx, dy, dz, t, r, top), t
    lo, hi = 0.0, 1.0
    for _ in range(32):
        x1, x2 = hi - _GOLDEN * (hi - lo), lo + _GOLDEN * (hi - lo)
        if _gap(px, py, ax, ay, az, dx, dy, dz, x1, r, top) <= _gap(px, py, ax, ay, az, dx, dy, dz, x2, r, top):
            hi = x2
        else:
            lo = x1
    best, at = _gap(px, py, ax, ay, az, dx, dy, dz, lo, r, top), lo
    for t in (0.0, 1.0, hi):
        gap = _gap(px, py, ax, ay, az, dx, dy, dz, t, r, top)
        if gap < best:
            best, at = gap, t
    return best, at


@kernel
def near_move(h, cell, a, b, c, sweep, r, lift, far, chord, lane, lanes):
    """Least gap of a part (radius ``r``, its bottom ``lift`` above the tip) to one lane of the field on one move, and its share.

    (``far``, 0) where nothing is nearer than ``far``. Height 0 is no column.
    """
    ny, nx = h.shape
    best, share = far, 0.0
    arc = sweep != 0.0
    pieces = 1
    arc_r, angle = 0.0, 0.0
    if arc:
        arc_r, angle = math.hypot(a[0] - c[0], a[1] - c[1]), math.atan2(a[1] - c[1], a[0] - c[0])
        step = 2.0 * math.acos(max(-1.0, 1.0 - chord / max(arc_r, chord)))
        pieces = max(1, math.ceil(abs(sweep) / max(step, 1e-4)))
    for k in range(pieces):
        f0, f1 = k / pieces, (k + 1) / pieces
        ax, ay, bx, by = a[0], a[1], b[0], b[1]
        if arc:
            ax, ay = c[0] + arc_r * math.cos(angle + sweep * f0), c[1] + arc_r * math.sin(angle + sweep * f0)
            bx, by = c[0] + arc_r * math.cos(angle + sweep * f1), c[1] + arc_r * math.sin(angle + sweep * f1)
        az, bz = a[2] + (b[2] - a[2]) * f0 + lift, a[2] + (b[2] - a[2]) * f1 + lift
        dx, dy, low = bx - ax, by - ay, min(az, bz)
        square = dx * dx + dy * dy
        j0 = max(0, math.ceil((min(ay, by) - r - best) / cell - 0.5))
        j1 = min(ny - 1, math.floor((max(ay, by) + r + best) / cell - 0.5))
        i0 = max(0, math.ceil((min(ax, bx) - r - best) / cell - 0.5))
        i1 = min(nx - 1, math.floor((max(ax, bx) + r + best) / cell - 0.5))
        for j in range(j0, j1 + 1):
            if lanes > 1 and j // TILE % lanes != lane:
                continue
            for i in range(i0, i1 + 1):
                if h[j, i] <= 0.0 or h[j, i] + best <= low:
                    continue
                # No nearer than sideways from the way and up from its lowest place: few columns need more than these sums.
                px, py = (i + 0.5) * cell, (j + 0.5) * cell
                t = 0.0
                if square > 0.0:
                    t = min(1.0, max(0.0, ((px - ax) * dx + (py - ay) * dy) / square))
                ex, ey = px - ax - dx * t, py - ay - dy * t
                up = max(0.0, low - h[j, i])
                reach = r + math.sqrt(max(best * best - up * up, 0.0))
                if ex * ex + ey * ey > reach * reach * (1.0 + 1e-12):
                    continue
                gap, t = _near_column(px, py, ax, ay, az, dx, dy, bz - az, r, h[j, i])
                if gap < best:
                    best, share = gap, f0 + (f1 - f0) * t
                    if best <= 0.0:
                        return best, share
    return best, share


@kernel
def against_field(h, cell, start, end, centre, sweep, row, radius, bottom, outline, active, side, tol, chord, far, out):
    """Every move against a thing that is held as a field; arguments and ``out`` as in ``contact.against_solid``.

    The cutting part has its outline (tools, 4), the others are upright cylinders.
    """
    hit = np.empty(5)
    for m in range(len(row)):
        for k in range(radius.shape[1]):
            out[m, k, 0], out[m, k, 1], out[m, k, 2], out[m, k, 3] = 0.0, 0.0, 0.0, far
        if row[m] < 0 or active[m] == 0:
            continue
        for k in range(radius.shape[1]):
            r = radius[row[m], k]
            if r <= 0.0:
                continue
            lift = bottom[row[m], k]
            a, b = start[m].copy(), end[m].copy()
            a[2] += lift
            b[2] += lift
            shrunk = max(r - side, 0.25 * r)
            if k == 0:
                o = outline[row[m]]
                n = touch_move(
                    h,
                    cell,
                    a,
                    b,
                    centre[m],
                    sweep[m],
                    shrunk,
                    min(o[1], shrunk),
                    o[2],
                    o[3],
                    tol,
                    hit,
                    np.int64(0),
                    np.int64(1),
                )
            else:
                n = touch_move(
                    h, cell, a, b, centre[m], sweep[m], shrunk, shrunk, 0.0, 0.0, tol, hit, np.int64(0), np.int64(1)
                )
            if n > 0.0:
                out[m, k, 0], out[m, k, 1], out[m, k, 2], out[m, k, 3] = 1.0, hit[1], hit[2], 0.0
            else:
                gap, share = near_move(
                    h, cell, start[m], end[m], centre[m], sweep[m], r, lift, far, chord, np.int64(0), np.int64(1)
                )
                if gap < far:
                    out[m, k, 1], out[m, k, 3] = share, gap
