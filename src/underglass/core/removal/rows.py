"""Stretches of one row of a field, several cells at once: what a move takes of them, and which of them it can take anything of.

``sweep`` works out which cells of a row a tool passes over; here the row is cut. Whole bundles of cells run fastest, so a
stretch is made longer where that does no harm. numba kernels.
"""

# mypy: disable-error-code="no-untyped-def"

import math

import numpy as np

from underglass.core.compiled import kernel, small_kernel, straight_kernel

TILE = 32
"""Cells a side of a tile: the unit in which changes are kept and shown. Rows of tiles are dealt to the lanes in turn."""


@straight_kernel
def ends(bits):
    """The least and the greatest of some heights, all 0 or more, given and returned as the bits of the figures.

    Bits of such figures are in the order of the figures, and whole numbers are compared several at once.
    """
    low = top = bits[0]
    for i in range(len(bits)):
        low = min(low, bits[i])
        top = max(top, bits[i])
    return low, top


@straight_kernel
def whole_row(h, owner, floor, ident):
    """Cut a stretch of one row, all of it higher than ``floor``, down to it; the height taken."""
    taken = np.float32(0.0)
    for i in range(len(h)):
        taken += h[i] - floor
        h[i] = floor
        owner[i] = ident
    return taken


@straight_kernel
def level_row(h, owner, floor, ident):
    """Cut a stretch of one row down to ``floor``; the height taken. Without a branch, so that it runs several cells at once."""
    taken = np.float32(0.0)
    for i in range(len(h)):
        over = h[i] - floor
        above = over > np.float32(0.0)
        taken += over if above else np.float32(0.0)
        h[i] = floor if above else h[i]
        owner[i] = ident if above else owner[i]
    return taken


@straight_kernel
def in_question(h, px, cell, py, ux, uy, size, low, r, flat, corner):
    """First and last cell of a stretch of one row that a rounded tool may lower on a straight move; first > last: none.

    A cell is out of question that lies no higher than the move's lowest tip and the outline at the cell's least distance from
    the way. Reckoned in short figures, several cells at once, with a thousandth of a square mm to spare.
    """
    spare = np.float32(1e-3)
    reach = r * r + spare
    top, round_ = low + corner, corner * corner
    first, last = np.int32(len(h)), np.int32(-1)
    for i in range(len(h)):
        x = px + np.float32(i) * cell
        along = x * ux + py * uy
        along = min(max(along, np.float32(0.0)), size)
        ex, ey = x - along * ux, py - along * uy
        away = ex * ex + ey * ey
        over = max(np.sqrt(away) - flat, np.float32(0.0))
        under = top - h[i]
        clear = (under > np.float32(0.0)) & (round_ - over * over <= under * under - spare)
        asked = (h[i] > low) & (away <= reach) & (not clear)
        k = np.int32(i)
        first = min(first, k if asked else np.int32(len(h)))
        last = max(last, k if asked else np.int32(-1))
    return first, last


@straight_kernel
def ball_in_question(h, px, cell, py, ux, uy, size, low, r):
    """The same for a ball, without a root."""
    spare = np.float32(1e-3)
    square, top = r * r, low + r
    first, last = np.int32(len(h)), np.int32(-1)
    for i in range(len(h)):
        x = px + np.float32(i) * cell
        along = min(max(x * ux + py * uy, np.float32(0.0)), size)
        ex, ey = x - along * ux, py - along * uy
        left = square - ex * ex - ey * ey
        under = top - h[i]
        asked = (left >= -spare) & ((under <= np.float32(0.0)) | (left > under * under - spare)) & (h[i] > low)
        k = np.int32(i)
        first = min(first, k if asked else np.int32(len(h)))
        last = max(last, k if asked else np.int32(-1))
    return first, last


@straight_kernel
def ball_row(h, owner, px, cell, py, ux, uy, size, az, rise, r, ident):
    """Cut a stretch of one row by a ball on a straight move: (height taken, most in one cell). Without a branch."""
    square = r * r
    lean = rise / math.sqrt(1.0 + rise * rise)
    taken = np.float64(0.0)
    deepest = np.float32(0.0)
    for i in range(len(h)):
        x = px + i * cell
        sp = x * ux + py * uy
        d2 = max(x * x + py * py - sp * sp, 0.0)
        w = math.sqrt(max(square - d2, 0.0))
        s0, s1 = max(sp - w, 0.0), min(sp + w, size)
        # On the ball: rise + t / sqrt(R^2 - d^2 - t^2) = 0 with t = s - sp
        off = min(max(sp - lean * w, s0), s1) - sp
        z = az + rise * (sp + off) + r - math.sqrt(max(square - d2 - off * off, 0.0))
        floor = np.float32(max(z, 0.0))
        over = h[i] - floor
        cut = (d2 <= square) & (s0 <= s1) & (over > np.float32(0.0))
        taken += over if cut else np.float32(0.0)
        deepest = max(deepest, over if cut else np.float32(0.0))
        h[i] = floor if cut else h[i]
        owner[i] = ident if cut else owner[i]
    return taken, deepest


@small_kernel
def bundled(i0, i1, nx, bundle):
    """A stretch of cells made as long as whole bundles, which run several cells at once, where the row is long enough."""
    wide = (i1 - i0 + bundle) // bundle * bundle
    if wide >= nx:
        return 0, nx - 1
    i0 = min(i0, nx - wide)
    return i0, i0 + wide - 1


@kernel
def height_around(h, cell, x, y, r, lane, lanes):
    """Highest cell of one lane on a ring of radius ``r`` about a point; 0 where the ring is off it."""
    ny, nx = h.shape
    top = 0.0
    for k in range(16):
        i = math.floor((x + r * math.cos(k * math.pi / 8.0)) / cell)
        j = math.floor((y + r * math.sin(k * math.pi / 8.0)) / cell)
        if 0 <= i < nx and 0 <= j < ny and j // TILE % lanes == lane and h[j, i] > top:
            top = h[j, i]
    return top


@small_kernel
def height_at(h, cell, x, y, lane, lanes):
    """Height of the cell under a point; 0 off the field and in another lane."""
    ny, nx = h.shape
    i, j = math.floor(x / cell), math.floor(y / cell)
    return h[j, i] if 0 <= i < nx and 0 <= j < ny and j // TILE % lanes == lane else 0.0
