"""Stretches of moves put one behind another, and a stretch cut in two where the machine was held.

What was made and what is still to come of a rehearsal are such stretches.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from underglass.core.control.motions import MotionBuilder, Motions

COLUMNS = ("line", "kind", "state", "start", "end", "centre", "sweep", "feed", "plane", "dwell")


def no_moves() -> Motions:
    """A stretch without a move."""
    return MotionBuilder().build([], [], [])


def one_behind_another(first: Motions, second: Motions) -> Motions:
    """Both stretches as one; the second's events and registers count from where the first ends."""
    by = len(first)
    states: dict[Any, int] = {state: k for k, state in enumerate(first.in_force)}
    table = np.array([states.setdefault(s, len(states)) for s in second.in_force] or [0], dtype=np.int32)
    columns: dict[str, Any] = {}
    for name in COLUMNS:
        was, now = getattr(first, name), getattr(second, name)
        if name == "state":
            now = table[now]
        columns[name] = np.concatenate([was, now])
        columns[name].setflags(write=False)
    return Motions(
        **columns,
        in_force=tuple(states),
        events=first.events + tuple(e._replace(before=e.before + by) for e in second.events),
        lengths_used=first.lengths_used + tuple(u._replace(before=u.before + by) for u in second.lengths_used),
        offsets_used=first.offsets_used + tuple(u._replace(move=u.move + by) for u in second.offsets_used),
        radii_used=first.radii_used + tuple(u._replace(before=u.before + by) for u in second.radii_used),
    )


def part_of(motions: Motions, first: int, last: int, *, with_last_events: bool = False) -> Motions:
    """Moves ``first`` to ``last`` (exclusive) with what happens before each of them; ``with_last_events``: and after the last."""

    def inside(before: int) -> bool:
        return first <= before < last or (with_last_events and before == last)

    return replace(
        motions.part(first, last),
        events=tuple(e._replace(before=e.before - first) for e in motions.events if inside(e.before)),
        lengths_used=tuple(u._replace(before=u.before - first) for u in motions.lengths_used if inside(u.before)),
        offsets_used=tuple(u._replace(move=u.move - first) for u in motions.offsets_used if inside(u.move)),
        radii_used=tuple(u._replace(before=u.before - first) for u in motions.radii_used if inside(u.before)),
    )


def _shared(motions: Motions, move: int, share: float, *, head: bool) -> Motions:
    """A ``share`` of one move: its beginning, or what is left of it."""
    middle = np.array([motions.at(move, share)])
    columns = {name: getattr(motions, name)[move : move + 1].copy() for name in COLUMNS}
    columns["end" if head else "start"] = middle
    kept = share if head else 1.0 - share
    columns["sweep"] *= kept
    columns["dwell"] *= kept
    for column in columns.values():
        column.setflags(write=False)
    return Motions(**columns, in_force=motions.in_force)


def cut_in_two(motions: Motions, move: int, share: float) -> tuple[Motions, Motions]:
    """What is made and what is left when ``share`` (0..1) of a move is made. Events before the move are made."""
    n = len(motions)
    if not n or move >= n:
        return motions, no_moves()
    if share >= 1.0:
        return part_of(motions, 0, move + 1), part_of(motions, move + 1, n, with_last_events=True)
    head = part_of(motions, 0, move, with_last_events=True)
    rest = part_of(motions, move + 1, n, with_last_events=True)
    if share <= 0.0:
        return head, one_behind_another(_shared(motions, move, 0.0, head=False), rest)
    return (
        one_behind_another(head, _shared(motions, move, share, head=True)),
        one_behind_another(_shared(motions, move, share, head=False), rest),
    )
