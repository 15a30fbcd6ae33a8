"""Where the real tips go: moves as straight steps in the half plane, arcs as chords, threads as the rings that they leave.

Glossary
    step    a straight piece of a move's way, or a place where a thread's ring stands
    tool    a convex outline or several that may cut, and a body that may not
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from underglass.core.removal.section.shape import Floats, convex_parts

Ints = NDArray[np.int32]

_OFF_MM = 0.0004
"""How far the chords of an arc's way may lie from it: with the nose's own chords a surface stays within a micrometre."""

_MOST_RINGS = 20_000
"""Turns of one thread."""


@dataclass(frozen=True, slots=True, kw_only=True)
class SectionTool:
    """``edge``: convex outlines that cut, ``(k, 2)`` each; ``body``: what must not touch. From the tip, X as a radius, mm.

    ``nose``: its centre from the tip; ``radius`` of it. ``holds``: which way the holder lies from the tip (X, Z).
    """

    edge: tuple[Floats, ...]
    body: tuple[Floats, ...] = ()
    nose: tuple[float, float] = (0.0, 0.0)
    radius: float = 0.0
    holds: tuple[float, float] = (0.0, 0.0)
    judged: bool = True

    @classmethod
    def of(
        cls, cutting: Floats, body: Floats | None, nose: tuple[float, float], radius: float, holds: tuple[float, float],
        *, judged: bool = True,
    ) -> SectionTool:  # fmt: skip
        """``judged``: whether an edge of it can cut on the wrong side."""
        return cls(
            edge=tuple(convex_parts(cutting)), body=() if body is None else tuple(convex_parts(body)), nose=nose,
            radius=radius, holds=holds, judged=judged,
        )  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Ways:
    """The steps of a run. ``move`` (s,) the move of each, ``row`` (s,) its tool (-1 none), ``start`` and ``end`` (s, 2) of the tip as
    the stock sees it, ``until`` (s,) the share of its move by which it is done; ``moves`` how many moves there are.

    ``by_hand`` (s,): done by a person while the machine stands. ``shift`` (moves + 1,): how far the stock has been pulled along Z when each move begins, mm.
    """

    move: Ints
    row: Ints
    start: Floats
    end: Floats
    until: Floats
    ring: NDArray[np.bool_]
    moves: int
    shift: Floats
    by_hand: NDArray[np.bool_]

    def __len__(self) -> int:
        return len(self.move)

    def first_of(self, move: int) -> int:
        """The first step of a move, or of the next one that has any."""
        return int(np.searchsorted(self.move, move))


def make_ways(
    start: Floats, end: Floats, centre: Floats, sweep: Floats, lead: Floats, row: Ints, shift: Floats,
    extra: tuple[tuple[int, int, Floats, Floats], ...] = (),
) -> Ways:  # fmt: skip
    """Places (n, 2) of the tip, X as a radius and Z; ``centre`` (n, 2) and ``sweep`` (n,) of arcs, counter-clockwise from Z to X;
    ``lead`` (n,) mm of threads, 0 elsewhere. ``extra``: (before move, tool, start, end) of what is done by hand."""
    n = len(row)
    columns: list[tuple[NDArray[Any], NDArray[Any], NDArray[Any], NDArray[Any], bool]] = []
    plain = np.flatnonzero((sweep == 0.0) & (lead == 0.0) & (row >= 0))
    columns.append((plain, start[plain], end[plain], np.ones(len(plain)), False))
    for k in np.flatnonzero((sweep != 0.0) & (lead == 0.0) & (row >= 0)).tolist():
        away = start[k] - centre[k]
        radius = float(np.hypot(*away))
        step = 2.0 * math.acos(max(-1.0, 1.0 - _OFF_MM / max(radius, _OFF_MM)))
        count = max(2, math.ceil(abs(float(sweep[k])) / step))
        angle = math.atan2(away[0], away[1]) + float(sweep[k]) * np.arange(count + 1) / count
        places = centre[k] + radius * np.column_stack([np.sin(angle), np.cos(angle)])
        places[0], places[-1] = start[k], end[k]
        columns.append((np.full(count, k), places[:-1], places[1:], np.arange(1, count + 1) / count, False))
    for k in np.flatnonzero((lead > 0.0) & (row >= 0)).tolist():
        way = end[k] - start[k]
        along = float(np.abs(way).max())
        if along <= 0.0:
            continue
        turns = min(int(along / float(lead[k]) + 1e-9), _MOST_RINGS)
        share = np.arange(turns + 1) * float(lead[k]) / along
        places = start[k] + share[:, None] * way
        columns.append((np.full(turns + 1, k), places, places, share, True))
    move = np.concatenate([c[0] for c in columns]).astype(np.int32)
    a, b = np.concatenate([c[1] for c in columns]), np.concatenate([c[2] for c in columns])
    until = np.concatenate([c[3] for c in columns])
    ring = np.concatenate([np.full(len(c[0]), c[4]) for c in columns])
    rows = row[move] if n else np.empty(0, dtype=np.int32)
    hand = np.zeros(len(move), dtype=np.bool_)
    for before, tool, one, two in extra:
        hand = np.append(hand, True)
        move, rows = np.append(move, np.int32(min(before, max(n - 1, 0)))), np.append(rows, np.int32(tool))
        a, b, until, ring = np.vstack([a, one]), np.vstack([b, two]), np.append(until, 0.0), np.append(ring, False)
    order = np.lexsort((until, move))
    move, rows, until, ring, hand = move[order], rows[order], until[order], ring[order], hand[order]
    a, b = a[order], b[order]
    # By hand before the stock is pulled.
    pulled = np.where(hand, shift[np.maximum(move - 1, 0)], shift[move])
    a, b = a.copy(), b.copy()
    a[:, 1] -= pulled
    b[:, 1] -= pulled
    return Ways(
        move=move, row=rows.astype(np.int32), start=a, end=b, until=until, ring=ring, moves=n, shift=shift, by_hand=hand
    )  # fmt: skip
