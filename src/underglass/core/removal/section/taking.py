"""What a convex outline takes of a band: the case that nearly every step of a turning tool is, in one go.

The band's outline goes into the other one once and comes out once. What stays is the band's outline outside, closed by the
part of the other that lies in the band. Everything else, and everything that is too close to call, is left to the caller.

(Walking along two outlines from crossing to crossing: Weiler and Atherton 1977; the part of a side in a convex outline: Cyrus
and Beck 1978. Both from memory.)
"""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray

from underglass.core.compiled import kernel, small_kernel

Floats = NDArray[np.float64]

NOT_SURE: Final = -1
"""To be cut in another way."""
NOTHING_TAKEN: Final = 0
LESS: Final = 1

_SAME_MM: Final = 1e-9
"""Places so close are one place."""
_BESIDE_MM: Final = 1e-6
"""Where an outline touches so close to where it goes in or comes out, that is all the same place."""
_APART_MM: Final = 1e-6
"""Where it goes in and where it comes out are to be so far apart, or the way between them cannot be told."""


@small_kernel
def _far(x: float, z: float, u: float, v: float) -> float:
    return max(abs(x - u), abs(z - v))


@kernel
def _sides(ring: Floats, lines: Floats) -> int:
    """Of each side of a convex outline that turns left: where it begins, the unit normal that points in, how long
    it is; how many sides there are."""
    made = 0
    n = len(ring)
    for i in range(n):
        j = i + 1 if i + 1 < n else 0
        dx, dz = ring[j, 0] - ring[i, 0], ring[j, 1] - ring[i, 1]
        long = np.hypot(dx, dz)
        if long < _SAME_MM:
            continue
        lines[made, 0], lines[made, 1], lines[made, 2], lines[made, 3] = ring[i, 0], ring[i, 1], -dz / long, dx / long
        lines[made, 4] = long
        made += 1
    return made


@kernel
def _inside(lines: Floats, count: int, x: float, z: float, u: float, v: float, room: float) -> tuple[float, float]:
    """The part of a side from (x, z) to (u, v) in a convex outline that is wider by ``room``: from, to; nothing where to < from."""
    t0, t1 = 0.0, 1.0
    for e in range(count):
        nx, nz = lines[e, 2], lines[e, 3]
        here = (x - lines[e, 0]) * nx + (z - lines[e, 1]) * nz + room
        there = (u - lines[e, 0]) * nx + (v - lines[e, 1]) * nz + room
        if here < 0.0 and there < 0.0:
            return 1.0, 0.0
        if here < 0.0:
            t0 = max(t0, here / (here - there))
        elif there < 0.0:
            t1 = min(t1, here / (here - there))
    return t0, t1


@kernel
def _nearest(lines: Floats, count: int, x: float, z: float) -> int:
    """The side that a place on the outline is on."""
    best, least = -1, np.inf
    for e in range(count):
        off = abs((x - lines[e, 0]) * lines[e, 2] + (z - lines[e, 1]) * lines[e, 3])
        on = (x - lines[e, 0]) * lines[e, 3] - (z - lines[e, 1]) * lines[e, 2]
        if off < least and -_BESIDE_MM < on < lines[e, 4] + _BESIDE_MM:
            best, least = e, off
    return best


@kernel
def _encloses(band: Floats, x: float, z: float) -> bool:
    """Whether a closed outline goes round a place."""
    odd = False
    for i in range(len(band) - 1):
        if (band[i, 1] > z) != (band[i + 1, 1] > z):
            share = (z - band[i, 1]) / (band[i + 1, 1] - band[i, 1])
            if band[i, 0] + share * (band[i + 1, 0] - band[i, 0]) > x:
                odd = not odd
    return odd


@kernel
def _along(lines: Floats, count: int, x: float, z: float, u: float, v: float) -> bool:
    """Whether a side runs along one of the other outline, against its turn."""
    for e in range(count):
        nx, nz = lines[e, 2], lines[e, 3]
        here = (x - lines[e, 0]) * nx + (z - lines[e, 1]) * nz
        there = (u - lines[e, 0]) * nx + (v - lines[e, 1]) * nz
        if abs(here) < _SAME_MM and abs(there) < _SAME_MM and (u - x) * nz - (v - z) * nx < 0.0:
            return True
    return False


@kernel
def _put(out: Floats, made: int, x: float, z: float) -> int:
    if made and _far(out[made - 1, 0], out[made - 1, 1], x, z) < _SAME_MM:
        return made
    out[made, 0], out[made, 1] = x, z
    return made + 1


@kernel
def take(band: Floats, ring: Floats) -> tuple[int, Floats]:
    """A closed outline ``band`` (n, 2) without holes less a convex one ``ring`` (m, 2) that turns left: ``NOT_SURE``, ``NOTHING_TAKEN``,
    or ``LESS`` with the closed outline that is left, turning left; that is empty where nothing is."""
    none = np.empty((0, 2))
    n = len(band) - 1
    twice = 0.0
    for i in range(n):
        twice += band[i, 0] * band[i + 1, 1] - band[i + 1, 0] * band[i, 1]
    if twice < 0.0:
        band = band[::-1]
    lines = np.empty((len(ring), 5))
    count = _sides(ring, lines)
    if count < 3:
        return NOT_SURE, none
    x0, x1 = ring[:, 0].min() - _SAME_MM, ring[:, 0].max() + _SAME_MM
    z0, z1 = ring[:, 1].min() - _SAME_MM, ring[:, 1].max() + _SAME_MM

    # Which sides of the band lie in the outline: from, to.
    cut = np.zeros(n, dtype=np.bool_)
    share = np.zeros((n, 2))
    touched = np.empty((n, 4))
    cuts = touches = 0
    for i in range(n):
        x, z, u, v = band[i, 0], band[i, 1], band[i + 1, 0], band[i + 1, 1]
        if max(x, u) < x0 or min(x, u) > x1 or max(z, v) < z0 or min(z, v) > z1:
            continue
        long = np.hypot(u - x, v - z)
        if long < _SAME_MM:
            return NOT_SURE, none
        wide0, wide1 = _inside(lines, count, x, z, u, v, _SAME_MM)
        if wide1 < wide0:
            continue
        deep0, deep1 = _inside(lines, count, x, z, u, v, -_SAME_MM)
        if (deep1 - deep0) * long <= _SAME_MM:
            # It touches. Along a side of the other, the other way about, that is no matter; else it must be at a crossing.
            if not _along(lines, count, x, z, u, v):
                touched[touches, 0], touched[touches, 1] = x + wide0 * (u - x), z + wide0 * (v - z)
                touched[touches, 2], touched[touches, 3] = x + wide1 * (u - x), z + wide1 * (v - z)
                touches += 1
            continue
        t0, t1 = _inside(lines, count, x, z, u, v, 0.0)
        share[i, 0], share[i, 1] = 0.0 if t0 * long < _SAME_MM else t0, 1.0 if (1.0 - t1) * long < _SAME_MM else t1
        cut[i] = True
        cuts += 1
    if not cuts:
        # The other is beside the band, or all in it: then it makes a hole.
        if _encloses(band, ring[:, 0].mean(), ring[:, 1].mean()):
            return NOT_SURE, none
        return NOTHING_TAKEN, none

    # Whether they are one stretch.
    first, last, begins, ends = -1, -1, 0, 0
    for i in range(n):
        if not cut[i]:
            continue
        before, after = (i - 1) % n, (i + 1) % n
        if not (cut[before] and share[before, 1] == 1.0 and share[i, 0] == 0.0):
            first, begins = i, begins + 1
        if not (cut[after] and share[i, 1] == 1.0 and share[after, 0] == 0.0):
            last, ends = i, ends + 1
    if cuts == n and not begins:
        return LESS, none
    if begins != 1 or ends != 1:
        return NOT_SURE, none
    a, b, c, d = band[first, 0], band[first, 1], band[first + 1, 0], band[first + 1, 1]
    ex, ez = a + share[first, 0] * (c - a), b + share[first, 0] * (d - b)
    a, b, c, d = band[last, 0], band[last, 1], band[last + 1, 0], band[last + 1, 1]
    ox, oz = a + share[last, 1] * (c - a), b + share[last, 1] * (d - b)
    if share[last, 1] == 1.0:
        ox, oz = c, d
    if _far(ex, ez, ox, oz) < _APART_MM:
        return NOT_SURE, none
    for k in range(touches):
        a, b, c, d = touched[k]
        near_in = _far(a, b, ex, ez) < _BESIDE_MM and _far(c, d, ex, ez) < _BESIDE_MM
        near_out = _far(a, b, ox, oz) < _BESIDE_MM and _far(c, d, ox, oz) < _BESIDE_MM
        if not near_in and not near_out:
            return NOT_SURE, none

    # What is outside, from where it comes out to where it goes in; then back along the other, against its turn.
    out = np.empty((n + count + 4, 2))
    made = _put(out, np.int64(0), ox, oz)
    for k in range((first - last - 1) % n + 1):
        i = (last + 1 + k) % n
        # The band's own corners stay as they are, however close: by them it is told what a cut changed.
        if made > 1 or band[i, 0] != ox or band[i, 1] != oz:
            out[made] = band[i]
            made += 1
    made = _put(out, made, ex, ez)
    e_in, e_out = _nearest(lines, count, ex, ez), _nearest(lines, count, ox, oz)
    if e_in < 0 or e_out < 0:
        return NOT_SURE, none
    steps = (e_in - e_out) % count
    if e_in == e_out:
        nx, nz = lines[e_in, 2], lines[e_in, 3]
        # Along the side, the way it turns: is the place where it goes in ahead?
        if (ex - ox) * nz - (ez - oz) * nx < 0.0:
            steps = count
    for k in range(steps):
        e = (e_in - k) % count
        made = _put(out, made, lines[e, 0], lines[e, 1])
    while made > 1 and _far(out[made - 1, 0], out[made - 1, 1], out[0, 0], out[0, 1]) < _SAME_MM:
        made -= 1
    if made < 3:
        return LESS, none
    out[made] = out[0]
    return LESS, out[: made + 1].copy()
