"""Kernels that find again what a row of places was made of: arcs in short chords, and the few places that stand for a curve."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from underglass.core.compiled import kernel

Floats = NDArray[np.float64]
_ROUNDEST = 1e4
"""What bends less than that radius, mm, is straight."""


@kernel
def _cross(p: Floats, a: int, b: int, c: int) -> float:
    return float((p[b, 0] - p[a, 0]) * (p[c, 1] - p[b, 1]) - (p[b, 1] - p[a, 1]) * (p[c, 0] - p[b, 0]))


@kernel
def _circle(p: Floats, first: int, second: int, third: int) -> tuple[float, float, float]:
    """Middle and radius of the circle through three places; no end of a radius where they lie on one line."""
    x, y = p[first, 0], p[first, 1]
    bx, by, cx, cy = p[second, 0] - x, p[second, 1] - y, p[third, 0] - x, p[third, 1] - y
    d = 2.0 * (bx * cy - by * cx)
    if abs(d) < 1e-12:
        return 0.0, 0.0, math.inf
    ux = (cy * (bx * bx + by * by) - by * (cx * cx + cy * cy)) / d
    uy = (bx * (cx * cx + cy * cy) - cx * (bx * bx + by * by)) / d
    return x + ux, y + uy, math.hypot(ux, uy)


@kernel
def _all_on(p: Floats, first: int, last: int, cx: float, cy: float, r: float, near: float) -> bool:
    out = True
    for k in range(first, last + 1):
        out = out and abs(math.hypot(p[k, 0] - cx, p[k, 1] - cy) - r) <= near
    return out


@kernel
def _arc_from(p: Floats, k: int, near: float) -> tuple[int, float, float]:
    """How many chords from place ``k`` on are one arc, and its middle."""
    last = len(p) - 1
    if k + 4 > last:
        return 0, 0.0, 0.0
    cx, cy, r = _circle(p, k, k + 2, k + 4)
    if r > _ROUNDEST:
        return 0, 0.0, 0.0
    sense = _cross(p, k, k + 1, k + 2) > 0.0
    n, whole = 0, 0.0
    while k + n < last:
        ax, ay, bx, by = p[k + n, 0], p[k + n, 1], p[k + n + 1, 0], p[k + n + 1, 1]
        chord = math.hypot(bx - ax, by - ay)
        flat = chord >= 2.0 * r or r - math.sqrt(max(r * r - chord * chord / 4.0, 0.0)) > 4.0 * near
        turned = (ax - cx) * (by - cy) - (ay - cy) * (bx - cx) > 0.0
        whole += 2.0 * math.asin(min(1.0, chord / (2.0 * r)))
        if flat or turned != sense or abs(math.hypot(bx - cx, by - cy) - r) > near or whole > math.tau + 1e-6:
            break
        n += 1
        # The farther the arc is known, the better its middle is.
        if n in (8, 16, 32, 64, 128) and whole < math.pi * 1.5:
            x, y, better = _circle(p, k, k + n // 2, k + n)
            if better < math.inf and _all_on(p, k, k + n, x, y, better, near):
                cx, cy, r = x, y, better
    return n, cx, cy


@kernel
def _pieces(p: Floats, near: float, out: Floats) -> int:
    """Lines and arcs one after another into rows (last place, turn, middle); how many."""
    # Of one type from the start: a nought written as such would have every kernel below compiled twice.
    k, rows, last = np.int64(0), 0, len(p) - 1
    while k < last:
        n, cx, cy = _arc_from(p, k, near)
        turn = 0.0
        if n >= 4:
            turn = 1.0 if _cross(p, k, k + 1, k + 2) > 0.0 else -1.0
        k += n if n >= 4 else 1
        out[rows, 0], out[rows, 1], out[rows, 2], out[rows, 3] = k, turn, cx, cy
        rows += 1
    return rows


def pieces(places: Floats, near: float) -> list[tuple[int, int, float, float]]:
    """Places in a row, (n, 2) mm, as lines and arcs: the number of the last place of each, how it turns, and an arc's middle.

    Chords that lie no farther than ``near`` mm from one circle were an arc.
    """
    p = np.ascontiguousarray(places)
    out = np.empty((max(len(p) - 1, 0), 4))
    rows = _pieces(p, near, out)
    return [(int(last), int(turn), cx, cy) for last, turn, cx, cy in out[:rows].tolist()]


@kernel
def _few(u: Floats, z: Floats, within: float, keep: NDArray[np.bool_], stack: NDArray[np.int64]) -> None:
    stack[0, 0], stack[0, 1], held = 0, len(u) - 1, 1
    keep[0] = keep[len(u) - 1] = True
    while held > 0:
        held -= 1
        a, b = stack[held, 0], stack[held, 1]
        rise, wide = z[b] - z[a], u[b] - u[a]
        if wide == 0.0:
            rise, wide = 0.0, 1.0
        most, where = within, -1
        for k in range(a + 1, b):
            off = abs(z[k] - (z[a] + rise * (u[k] - u[a]) / wide))
            if off > most:
                most, where = off, k
        if where >= 0:
            keep[where] = True
            stack[held, 0], stack[held, 1], stack[held + 1, 0], stack[held + 1, 1] = a, where, where, b
            held += 2


def few(u: Floats, z: Floats, within: float) -> list[int]:
    """Places of a curve ``z`` over ``u`` that stand for it: chords between them lie no farther than ``within`` mm from it."""
    keep = np.zeros(len(u), dtype=np.bool_)
    _few(np.ascontiguousarray(u), np.ascontiguousarray(z), within, keep, np.empty((len(u) + 2, 2), dtype=np.int64))
    found: list[int] = np.flatnonzero(keep).tolist()
    return found
