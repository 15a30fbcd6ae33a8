"""What a tool takes away on one move, cell by cell, in closed form. numba kernels; nothing here knows a program.

Glossary
    cell      a square of the field; its height is that of the stock at the cell's centre
    outline   the tool's lower outline: flat out to ``flat``, a round corner of radius ``corner`` (0: none), from where it is
              as steep as ``slope`` a cone (slope 0: none), out to ``radius``; a ball is all corner
    share     how much of a move is done, 0..1
    lane      every so manieth row of tiles: a lane is cut apart from the others, for no cell asks another
    envelope  the lowest height the outline reaches over a point during the move

Coordinates are those of the field: x, y from the stock's minimum corner, z from its underside, mm; all moves are of
the tool's tip. For a point at distance d from the way of a straight move, the outline over the point while the tip is
at s along the way is z(s) + f(sqrt(d^2 + (s - sp)^2)) with f the outline, which never falls and is convex, as the distance
is: so the sum is convex in s, and its least value is at an end of the stretch where the point is under the tool, or where
the slope vanishes. For flat ends, cones and balls that place is given in closed form; for other corners a golden
section finds it. On a level arc the nearest place is the lowest for every outline. On a helix of a pointed tool the distance
is convex in the angle out to the angle whose cosine is (smaller radius / larger radius) and concave beyond, which bounds the
search; a helix of a tool with a round corner comes in as chords.
"""

# mypy: disable-error-code="no-untyped-def"

import math

import numpy as np

from underglass.core.compiled import kernel, small_kernel
from underglass.core.removal.rows import (
    TILE,
    ball_in_question,
    ball_row,
    bundled,
    ends,
    in_question,
    level_row,
    whole_row,
)

_GOLDEN = 0.6180339887498949


@small_kernel
def _mark(dirty, j, i0, i1):
    for ti in range(i0 // TILE, i1 // TILE + 1):
        dirty[j // TILE, ti] = 1


@kernel
def _line_span(yc, ax, ay, bx, by, r):
    """Stretch in x (lo, hi) of the row at ``yc`` that a disc of radius ``r`` covers on its way from a to b."""
    lo, hi = np.inf, -np.inf
    q = r * r - (yc - ay) * (yc - ay)
    if q >= 0.0:
        w = math.sqrt(q)
        lo, hi = ax - w, ax + w
    q = r * r - (yc - by) * (yc - by)
    if q >= 0.0:
        w = math.sqrt(q)
        lo, hi = min(lo, bx - w), max(hi, bx + w)
    dx, dy = bx - ax, by - ay
    size = math.hypot(dx, dy)
    if size > 0.0:
        ux, uy = dx / size, dy / size
        y = yc - ay
        slo, shi = -np.inf, np.inf
        # 0 <= x ux + y uy <= size and -r <= -x uy + y ux <= r
        if abs(ux) > 1e-15:
            p, q = (0.0 - y * uy) / ux, (size - y * uy) / ux
            slo, shi = max(slo, min(p, q)), min(shi, max(p, q))
        elif y * uy < 0.0 or y * uy > size:
            slo, shi = 1.0, 0.0
        if abs(uy) > 1e-15:
            p, q = (y * ux - r) / uy, (y * ux + r) / uy
            slo, shi = max(slo, min(p, q)), min(shi, max(p, q))
        elif abs(y * ux) > r:
            slo, shi = 1.0, 0.0
        if slo <= shi:
            lo, hi = min(lo, ax + slo), max(hi, ax + shi)
    return lo, hi


@small_kernel
def _over(rho, flat, corner, slope):
    """Height of the outline above the tip at a distance ``rho`` from the axis."""
    over = rho - flat
    if over <= 0.0:
        return 0.0
    if corner > 0.0:
        edge = corner * slope / math.sqrt(1.0 + slope * slope) if slope > 0.0 else corner
        if over <= edge:
            return corner - math.sqrt(max(corner * corner - over * over, 0.0))
        if slope == 0.0:
            return corner
        return corner - math.sqrt(max(corner * corner - edge * edge, 0.0)) + slope * (over - edge)
    return slope * over


@kernel
def _line_search(s0, s1, sp, d2, az, rise, flat, corner, slope):
    """Where in [s0, s1] the outline over a point is lowest: a golden section, as the sum is convex."""
    lo, hi = s0, s1
    x1, x2 = hi - _GOLDEN * (hi - lo), lo + _GOLDEN * (hi - lo)
    f1 = rise * x1 + _over(math.sqrt(d2 + (x1 - sp) * (x1 - sp)), flat, corner, slope)
    f2 = rise * x2 + _over(math.sqrt(d2 + (x2 - sp) * (x2 - sp)), flat, corner, slope)
    for _ in range(40):
        if f1 < f2:
            hi, x2, f2 = x2, x1, f1
            x1 = hi - _GOLDEN * (hi - lo)
            f1 = rise * x1 + _over(math.sqrt(d2 + (x1 - sp) * (x1 - sp)), flat, corner, slope)
        else:
            lo, x1, f1 = x1, x2, f2
            x2 = lo + _GOLDEN * (hi - lo)
            f2 = rise * x2 + _over(math.sqrt(d2 + (x2 - sp) * (x2 - sp)), flat, corner, slope)
    best = 0.5 * (lo + hi)
    low = rise * best + _over(math.sqrt(d2 + (best - sp) * (best - sp)), flat, corner, slope)
    for s in (s0, s1):
        z = rise * s + _over(math.sqrt(d2 + (s - sp) * (s - sp)), flat, corner, slope)
        if z < low:
            low, best = z, s
    return best


@small_kernel
def _line_low(px, py, ux, uy, size, az, rise, r, flat, corner, slope):
    """Envelope over a point: (lowest height, where along the way, first and last place under the tool). mm.

    ``px, py`` from the start of the move; ``rise`` is height gained a mm of way. inf where the tool never is.
    """
    sp = px * ux + py * uy
    d2 = px * px + py * py - sp * sp
    if d2 < 0.0:
        d2 = 0.0
    q = r * r - d2
    if q < 0.0:
        return np.inf, 0.0, 0.0, 0.0
    w = math.sqrt(q)
    s0, s1 = sp - w, sp + w
    if s0 < 0.0:
        s0 = 0.0
    if s1 > size:
        s1 = size
    if s0 > s1:
        return np.inf, 0.0, 0.0, 0.0
    if corner > 0.0:
        if rise == 0.0:
            s = min(max(sp, s0), s1)
        elif flat == 0.0 and slope == 0.0:
            # On the ball: rise + t / sqrt(R^2 - d^2 - t^2) = 0 with t = s - sp
            s = sp - rise * math.sqrt(max(corner * corner - d2, 0.0) / (1.0 + rise * rise))
            s = min(max(s, s0), s1)
        else:
            s = _line_search(s0, s1, sp, d2, az, rise, flat, corner, slope)
        return az + rise * s + _over(math.sqrt(d2 + (s - sp) * (s - sp)), flat, corner, slope), s, s0, s1
    if slope == 0.0:
        s = s0 if rise >= 0.0 else s1
        return az + rise * s, s, s0, s1
    d = math.sqrt(d2)
    flat_q = flat * flat - d2
    if flat_q > 0.0:
        # The middle stretch lies under the flat end; the cone's part beyond it falls only as steeply as the way.
        fw = math.sqrt(flat_q)
        middle = sp - fw if rise >= 0.0 else sp + fw
    else:
        middle = sp
    if abs(rise) < slope and rise != 0.0:
        # On the cone: rise + slope (s - sp) / sqrt(d^2 + (s - sp)^2) = 0
        off = -rise * d / math.sqrt(slope * slope - rise * rise)
        if d2 + off * off >= flat * flat:
            middle = sp + off
        s = min(max(middle, s0), s1)
    elif rise == 0.0:
        s = min(max(sp, s0), s1)
    else:
        s = s0 if rise > 0.0 else s1
    reach = math.sqrt(d2 + (s - sp) * (s - sp)) - flat
    z = az + rise * s
    if reach > 0.0:
        z += slope * reach
    return z, s, s0, s1


@kernel
def _sweep_line(h, owner, dirty, cell, ax, ay, az, bx, by, bz, r, flat, corner, slope, ident, lane, lanes):
    """Cut one straight move (slanted, level or vertical). Returns (height taken summed over cells, cells visited, most height taken)."""
    ny, nx = h.shape
    taken = 0.0
    visited = 0
    deepest = 0.0
    dx, dy = bx - ax, by - ay
    size = math.hypot(dx, dy)
    upright = size < 1e-9
    ux, uy, rise = 1.0, 0.0, 0.0
    if not upright:
        ux, uy, rise = dx / size, dy / size, (bz - az) / size
    low = min(az, bz)
    level = slope == 0.0 and corner == 0.0 and (upright or rise == 0.0)
    rounded = corner > 0.0 and slope == 0.0 and not upright
    ball = rounded and flat == 0.0 and corner == r
    beyond = r * r + 1e-9
    j0 = max(0, math.ceil((min(ay, by) - r) / cell - 0.5))
    j1 = min(ny - 1, math.floor((max(ay, by) + r) / cell - 0.5))
    for j in range(j0, j1 + 1):
        if lanes > 1 and j // TILE % lanes != lane:
            continue
        yc = (j + 0.5) * cell
        lo, hi = _line_span(yc, ax, ay, bx, by, r)
        i0 = max(0, math.ceil(lo / cell - 0.5)) if lo > -1e300 and lo < 1e300 else 0
        i1 = min(nx - 1, math.floor(hi / cell - 0.5)) if hi > -1e300 and hi < 1e300 else -1
        if i0 > i1:
            continue
        visited += i1 - i0 + 1
        first, last = -1, -1
        if level:
            floor = np.float32(max(low, 0.0))
            bits, top_bits = ends(h[j, i0 : i1 + 1].view(np.int32))
            bottom, top = np.int32(bits).view(np.float32), np.int32(top_bits).view(np.float32)
            if top <= floor:
                continue
            if bottom > floor:
                got = whole_row(h[j, i0 : i1 + 1], owner[j, i0 : i1 + 1], floor, np.int32(ident))
            else:
                got = level_row(h[j, i0 : i1 + 1], owner[j, i0 : i1 + 1], floor, np.int32(ident))
            if got > 0.0:
                taken += got
                deepest = max(deepest, float(top - floor))
                first, last = i0, i1
        else:
            py = yc - ay
            if ball:
                # Whole bundles of cells: those beyond the tool's reach are out of question in any case.
                i0, i1 = bundled(i0, i1, nx, 32)
                found, until = ball_in_question(
                    h[j, i0 : i1 + 1],
                    np.float32((i0 + 0.5) * cell - ax),
                    np.float32(cell),
                    np.float32(py),
                    np.float32(ux),
                    np.float32(uy),
                    np.float32(size),
                    np.float32(low),
                    np.float32(r),
                )
                if found > until:
                    continue
                i0, i1 = bundled(i0 + found, i0 + until, nx, 16)
                got, most = ball_row(
                    h[j, i0 : i1 + 1],
                    owner[j, i0 : i1 + 1],
                    (i0 + 0.5) * cell - ax,
                    cell,
                    py,
                    ux,
                    uy,
                    size,
                    az,
                    rise,
                    r,
                    np.int32(ident),
                )
                if got > 0.0:
                    taken += got
                    deepest = max(deepest, float(most))
                    _mark(dirty, j, i0, i1)
                continue
            if rounded:
                i0, i1 = bundled(i0, i1, nx, 32)
                found, until = in_question(
                    h[j, i0 : i1 + 1],
                    np.float32((i0 + 0.5) * cell - ax),
                    np.float32(cell),
                    np.float32(py),
                    np.float32(ux),
                    np.float32(uy),
                    np.float32(size),
                    np.float32(low),
                    np.float32(r),
                    np.float32(flat),
                    np.float32(corner),
                )
                i0, i1 = i0 + found, i0 + until
            for i in range(i0, i1 + 1):
                if h[j, i] <= low:
                    continue
                px = (i + 0.5) * cell - ax
                if upright:
                    reach = math.hypot(px, py)
                    if reach > r:
                        continue
                    z = low + _over(reach, flat, corner, slope)
                else:
                    # No lower than the move's lowest tip and the outline at the least distance from the way: most cells
                    # that the tool passes over lie lower than that already, and need no more than these few sums.
                    t = min(max(px * ux + py * uy, 0.0), size)
                    ex, ey = px - t * ux, py - t * uy
                    away = ex * ex + ey * ey
                    if away > beyond:
                        continue
                    if h[j, i] <= low + _over(math.sqrt(away), flat, corner, slope) - 1e-9:
                        continue
                    z, _s, _s0, _s1 = _line_low(px, py, ux, uy, size, az, rise, r, flat, corner, slope)
                if z < 0.0:
                    z = 0.0
                zf = np.float32(z)
                if h[j, i] > zf:
                    taken += h[j, i] - zf
                    deepest = max(deepest, h[j, i] - zf)
                    h[j, i] = zf
                    owner[j, i] = ident
                    if first < 0:
                        first = i
                    last = i
        if first >= 0:
            _mark(dirty, j, first, last)
    return taken, visited, deepest


@small_kernel
def _arc_height(angle, phi, rho, arc_r, turned_z, rise, flat, corner, slope):
    """Outline over a point while the tip is at ``angle`` past the start; ``rise`` is height gained a radian."""
    square = arc_r * arc_r + rho * rho - 2.0 * arc_r * rho * math.cos(angle - phi)
    return turned_z + rise * angle + _over(math.sqrt(max(square, 0.0)), flat, corner, slope)


@kernel
def _arc_stretch(a0, a1, phi, rho, arc_r, az, rise, flat, corner, slope):
    """Lowest outline over a point for angles in [a0, a1], a stretch centred on the point's own angle ``phi``."""
    best_a = a0 if rise >= 0.0 else a1
    best = _arc_height(best_a, phi, rho, arc_r, az, rise, flat, corner, slope)
    if slope == 0.0 and corner == 0.0:
        return best, best_a
    other = a1 if rise >= 0.0 else a0
    z = _arc_height(other, phi, rho, arc_r, az, rise, flat, corner, slope)
    if z < best:
        best, best_a = z, other
    if rise == 0.0:
        near = min(max(phi, a0), a1)
        z = _arc_height(near, phi, rho, arc_r, az, rise, flat, corner, slope)
        if z < best:
            best, best_a = z, near
        return best, best_a
    big, small = max(arc_r, rho), min(arc_r, rho)
    half = math.acos(small / big) if big > 0.0 else 0.0
    lo, hi = max(a0, phi - half), min(a1, phi + half)
    if lo < hi:
        # Golden section: the sum of a line and a convex distance is convex here.
        x1, x2 = hi - _GOLDEN * (hi - lo), lo + _GOLDEN * (hi - lo)
        f1 = _arc_height(x1, phi, rho, arc_r, az, rise, flat, corner, slope)
        f2 = _arc_height(x2, phi, rho, arc_r, az, rise, flat, corner, slope)
        for _ in range(48):
            if f1 < f2:
                hi, x2, f2 = x2, x1, f1
                x1 = hi - _GOLDEN * (hi - lo)
                f1 = _arc_height(x1, phi, rho, arc_r, az, rise, flat, corner, slope)
            else:
                lo, x1, f1 = x1, x2, f2
                x2 = lo + _GOLDEN * (hi - lo)
                f2 = _arc_height(x2, phi, rho, arc_r, az, rise, flat, corner, slope)
        mid = 0.5 * (lo + hi)
        z = _arc_height(mid, phi, rho, arc_r, az, rise, flat, corner, slope)
        if z < best:
            best, best_a = z, mid
    return best, best_a


@kernel
def _arc_low(px, py, arc_r, a_start, turn, az, rise, r, flat, corner, slope):
    """Envelope over a point of an arc move: (lowest height, angle there, first angle under the tool).

    ``px, py`` from the arc's centre; ``a_start`` the start's angle; ``turn`` the size of the sweep, counted along it
    (the caller mirrors clockwise arcs); ``rise`` height gained a radian. inf where the tool never is.
    """
    rho = math.hypot(px, py)
    if abs(arc_r - rho) > r:
        return np.inf, 0.0, 0.0
    if arc_r + rho <= r or rho * arc_r == 0.0:
        half = math.pi
    else:
        c = (arc_r * arc_r + rho * rho - r * r) / (2.0 * arc_r * rho)
        half = math.acos(min(1.0, max(-1.0, c)))
    phi = (math.atan2(py, px) - a_start) % (2.0 * math.pi)
    best, best_a, first = np.inf, 0.0, np.inf
    for k in range(-1, 2):
        mid = phi + 2.0 * math.pi * k
        a0, a1 = max(0.0, mid - half), min(turn, mid + half)
        if a0 <= a1:
            z, a = _arc_stretch(a0, a1, mid, rho, arc_r, az, rise, flat, corner, slope)
            if z < best:
                best, best_a = z, a
            first = min(first, a0)
    return best, best_a, first


@kernel
def _arc_box(cx, cy, arc_r, a_start, turn):
    """Box (x0, y0, x1, y1) around an arc that starts at ``a_start`` and runs ``turn`` rad counter-clockwise."""
    xs, ys = arc_r * math.cos(a_start), arc_r * math.sin(a_start)
    xe, ye = arc_r * math.cos(a_start + turn), arc_r * math.sin(a_start + turn)
    x0, x1, y0, y1 = min(xs, xe), max(xs, xe), min(ys, ye), max(ys, ye)
    for quarter in range(4):
        angle = quarter * 0.5 * math.pi
        if (angle - a_start) % (2.0 * math.pi) <= turn:
            x, y = arc_r * math.cos(angle), arc_r * math.sin(angle)
            x0, x1, y0, y1 = min(x0, x), max(x1, x), min(y0, y), max(y1, y)
    return cx + x0, cy + y0, cx + x1, cy + y1


@kernel
def _sweep_arc(h, owner, dirty, cell, ax, ay, az, bz, cx, cy, sweep, r, flat, corner, slope, ident, lane, lanes):
    """Cut one arc or helix in the XY plane. Returns (height taken summed over cells, cells visited, most height taken)."""
    ny, nx = h.shape
    taken = 0.0
    visited = 0
    deepest = 0.0
    mirror = -1.0 if sweep < 0.0 else 1.0
    turn = abs(sweep)
    rise = (bz - az) / turn
    arc_r = math.hypot(ax - cx, ay - cy)
    a_start = math.atan2((ay - cy) * mirror, ax - cx)
    x0, y0, x1, y1 = _arc_box(0.0, 0.0, arc_r, a_start, turn)
    if mirror < 0.0:
        y0, y1 = -y1, -y0
    low = min(az, bz)
    outer, inner = arc_r + r, arc_r - r
    j0 = max(0, math.ceil((cy + y0 - r) / cell - 0.5))
    j1 = min(ny - 1, math.floor((cy + y1 + r) / cell - 0.5))
    box0 = max(0, math.ceil((cx + x0 - r) / cell - 0.5))
    box1 = min(nx - 1, math.floor((cx + x1 + r) / cell - 0.5))
    for j in range(j0, j1 + 1):
        if lanes > 1 and j // TILE % lanes != lane:
            continue
        py = (j + 0.5) * cell - cy
        q = outer * outer - py * py
        if q < 0.0:
            continue
        w = math.sqrt(q)
        i0 = max(box0, math.ceil((cx - w) / cell - 0.5))
        i1 = min(box1, math.floor((cx + w) / cell - 0.5))
        hole0, hole1 = i1 + 1, i1 + 1
        if inner > 0.0 and inner * inner > py * py:
            v = math.sqrt(inner * inner - py * py)
            hole0, hole1 = math.ceil((cx - v) / cell - 0.5), math.floor((cx + v) / cell - 0.5) + 1
        first, last = -1, -1
        i = i0
        while i <= i1:
            if i >= hole0 and i < hole1:
                i = hole1
                continue
            visited += 1
            if h[j, i] > low:
                px = (i + 0.5) * cell - cx
                z, _a, _f = _arc_low(px, py * mirror, arc_r, a_start, turn, az, rise, r, flat, corner, slope)
                if z < 0.0:
                    z = 0.0
                if z < 1e300:
                    zf = np.float32(z)
                    if h[j, i] > zf:
                        taken += h[j, i] - zf
                        deepest = max(deepest, h[j, i] - zf)
                        h[j, i] = zf
                        owner[j, i] = ident
                        if first < 0:
                            first = i
                        last = i
            i += 1
        if first >= 0:
            _mark(dirty, j, first, last)
    return taken, visited, deepest


@kernel
def sweep_move(h, owner, dirty, cell, a, b, c, sweep, share, r, flat, corner, slope, ident, lane, lanes):
    """Cut ``share`` of one move, in one lane of so many. ``a``, ``b`` (3,) tip at start and end; ``c`` (2,) arc centre.

    Returns (height taken summed over cells, mm; cells visited; most height taken in one cell, mm).
    """
    turn = sweep * share
    if abs(turn) >= 1e-12:
        bz = a[2] + (b[2] - a[2]) * share
        return _sweep_arc(
            h, owner, dirty, cell, a[0], a[1], a[2], bz, c[0], c[1], turn, r, flat, corner, slope, ident, lane, lanes
        )
    bx, by, bz = b[0], b[1], b[2]
    if share < 1.0 or sweep != 0.0:
        bx, by, bz = a[0] + (bx - a[0]) * share, a[1] + (by - a[1]) * share, a[2] + (bz - a[2]) * share
    if sweep != 0.0:
        bx, by = a[0], a[1]
    return _sweep_line(h, owner, dirty, cell, a[0], a[1], a[2], bx, by, bz, r, flat, corner, slope, ident, lane, lanes)
