"""Where a tool's outline runs into the field on one move, and how deep. Cuts nothing. numba kernels.

Words, coordinates and the argument that makes the search right: see ``sweep``.
"""

# mypy: disable-error-code="no-untyped-def"

import math

from underglass.core.compiled import kernel
from underglass.core.removal.rows import TILE
from underglass.core.removal.sweep import _arc_box, _arc_low, _line_low, _line_span, _over


@kernel
def touch_move(h, cell, a, b, c, sweep, r, flat, corner, slope, tol, out, lane, lanes):
    """Where one move's outline first runs more than ``tol`` into one lane of the field, and where deepest. Cuts nothing.

    ``out`` (5,): cells touched, first share, greatest depth mm, x and y of the deepest place. Returns cells touched.
    """
    ny, nx = h.shape
    out[0], out[1], out[2], out[3], out[4] = 0.0, 1.0, 0.0, 0.0, 0.0
    low = min(a[2], b[2])
    arc = sweep != 0.0
    ax, ay, az = a[0], a[1], a[2]
    size, ux, uy, rise = 0.0, 1.0, 0.0, 0.0
    arc_r, a_start, turn, mirror = 0.0, 0.0, 0.0, 1.0
    if arc:
        mirror = -1.0 if sweep < 0.0 else 1.0
        turn = abs(sweep)
        rise = (b[2] - az) / turn
        arc_r = math.hypot(ax - c[0], ay - c[1])
        a_start = math.atan2((ay - c[1]) * mirror, ax - c[0])
        x0, y0, x1, y1 = _arc_box(0.0, 0.0, arc_r, a_start, turn)
        if mirror < 0.0:
            y0, y1 = -y1, -y0
        x0, y0, x1, y1 = x0 + c[0], y0 + c[1], x1 + c[0], y1 + c[1]
    else:
        x0, y0, x1, y1 = min(ax, b[0]), min(ay, b[1]), max(ax, b[0]), max(ay, b[1])
        size = math.hypot(b[0] - ax, b[1] - ay)
        if size >= 1e-9:
            ux, uy, rise = (b[0] - ax) / size, (b[1] - ay) / size, (b[2] - az) / size
    upright = not arc and size < 1e-9
    j0 = max(0, math.ceil((y0 - r) / cell - 0.5))
    j1 = min(ny - 1, math.floor((y1 + r) / cell - 0.5))
    b0 = max(0, math.ceil((x0 - r) / cell - 0.5))
    b1 = min(nx - 1, math.floor((x1 + r) / cell - 0.5))
    for j in range(j0, j1 + 1):
        if lanes > 1 and j // TILE % lanes != lane:
            continue
        yc = (j + 0.5) * cell
        i0, i1 = b0, b1
        if not arc:
            lo, hi = _line_span(yc, ax, ay, b[0], b[1], r)
            if lo > hi:
                continue
            i0, i1 = max(b0, math.ceil(lo / cell - 0.5)), min(b1, math.floor(hi / cell - 0.5))
        for i in range(i0, i1 + 1):
            limit = h[j, i] - tol
            # Height 0 is a hole right through: there is nothing to touch, however deep the tool stands in it.
            if limit <= low or h[j, i] <= 0.0:
                continue
            xc = (i + 0.5) * cell
            share = 0.0
            if arc:
                z, angle, first = _arc_low(
                    xc - c[0], (yc - c[1]) * mirror, arc_r, a_start, turn, az, rise, r, flat, corner, slope
                )
                if z >= limit:
                    continue
                share = (first if slope == 0.0 and corner == 0.0 and rise == 0.0 else angle) / turn
            elif upright:
                reach = math.hypot(xc - ax, yc - ay)
                if reach > r:
                    continue
                over = _over(reach, flat, corner, slope)
                z = low + over
                if z >= limit:
                    continue
                if az + over < limit:
                    share = 0.0
                else:
                    share = (az + over - limit) / (az - b[2])
            else:
                z, s, s0, _s1 = _line_low(xc - ax, yc - ay, ux, uy, size, az, rise, r, flat, corner, slope)
                if z >= limit:
                    continue
                sp = (xc - ax) * ux + (yc - ay) * uy
                d2 = max(0.0, (xc - ax) ** 2 + (yc - ay) ** 2 - sp * sp)
                share = _first_below(s0, s, sp, d2, az, rise, flat, corner, slope, limit) / size
            out[0] += 1.0
            if share < out[1]:
                out[1] = share
            depth = h[j, i] - max(z, 0.0)
            if depth > out[2]:
                out[2], out[3], out[4] = depth, xc, yc
    return out[0]


@kernel
def _outline_at(at, sp, d2, az, rise, flat, corner, slope):
    """Height of the outline over a point while the tip is ``at`` along a straight move."""
    return az + rise * at + _over(math.sqrt(d2 + (at - sp) ** 2), flat, corner, slope)


@kernel
def _first_below(s0, s1, sp, d2, az, rise, flat, corner, slope, limit):
    """First place in [s0, s1] where the outline falls below ``limit``; it falls steadily there and is below at s1."""
    if _outline_at(s0, sp, d2, az, rise, flat, corner, slope) < limit:
        return s0
    for _ in range(40):
        mid = 0.5 * (s0 + s1)
        if _outline_at(mid, sp, d2, az, rise, flat, corner, slope) < limit:
            s1 = mid
        else:
            s0 = mid
    return s1
