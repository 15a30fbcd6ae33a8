"""The moves a control makes, as columns, and the other things that happen in between.

Arcs stay arcs. A full circle's sweep is 2 pi, so start and end alone need not tell it from nothing.
"""

from __future__ import annotations

import enum
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from underglass.core.control.state import InForce, Vector

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]


class Kind(enum.IntEnum):
    """What sort of move. The names are those of the moves table."""

    RAPID = 0
    FEED = 1
    ARC_CW = 2
    ARC_CCW = 3
    DWELL = 4
    CYCLE_FEED = 5
    CYCLE_RAPID = 6

    @property
    def word(self) -> str:
        return self.name.lower().replace("_", "-")


PLANE_AXES = {17: (0, 1, 2), 18: (2, 0, 1), 19: (1, 2, 0)}
"""First, second and across axis of each plane, as numbers of X Y Z. G18's first axis is Z (NISTIR 6556, from memory)."""

EventKind = Literal["tool-change", "stop", "optional-stop", "end", "cutter-on"]


class Event(NamedTuple):
    """Something that happens before move ``before`` is made (``before`` = number of moves: after the last)."""

    kind: EventKind
    line: int
    before: int
    tool: int
    column: int
    end_column: int
    number: int = 0
    """Of stops: the how manieth of the run, from 1."""


class RegisterUse(NamedTuple):
    """A block that puts a length (H) or radius (D) register in force. ``value`` in mm, a radius for D; under G44 (``sign`` -1)
    the register's figure with the other sign."""

    line: int
    column: int
    end_column: int
    number: int
    value: float
    tool: int
    before: int
    sign: int = 1
    x: float = 0.0
    """Of a lathe's tool offset: its X, a radius, mm; ``value`` is its Z."""
    orientation: int = 0
    """Of a nose register."""


class OffsetUse(NamedTuple):
    """The first move under a work offset after it was put in force."""

    line: int
    name: str
    shift: Vector
    move: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Earlier:
    """Columns worked out for an earlier run: their first ``head`` rows, and those from ``tail`` on, are those of this run's ends."""

    head: int
    tail: int
    columns: dict[str, NDArray[Any]]


@dataclass(frozen=True, slots=True, kw_only=True)
class Motions:
    """Columns of equal length n, read-only.

    line        (n,) int32     the file's line, from 1
    kind        (n,) int8      a Kind
    state       (n,) int32     index into ``in_force``
    start, end  (n, 3) float64 gauge line in machine coordinates, mm
    centre      (n, 3) float64 an arc's centre in machine coordinates, mm; nan across the plane, and elsewhere
    sweep       (n,) float64   arc angle, rad, counter-clockwise positive in its plane; 0 elsewhere
    plane       (n,) int8      17, 18 or 19
    dwell       (n,) float64   seconds waited; 0 for a move
    feed        (n,) float64   mm/min; 0 where none is in force, nan for a rapid
    """

    line: Ints
    kind: NDArray[np.int8]
    state: Ints
    start: Floats
    end: Floats
    centre: Floats
    sweep: Floats
    feed: Floats
    plane: NDArray[np.int8]
    dwell: Floats
    in_force: tuple[InForce, ...]
    events: tuple[Event, ...] = ()
    lengths_used: tuple[RegisterUse, ...] = ()
    offsets_used: tuple[OffsetUse, ...] = ()
    radii_used: tuple[RegisterUse, ...] = ()
    _kept: dict[str, Any] = field(default_factory=dict, compare=False, repr=False)
    """Columns that follow from the others, worked out when they are first asked for."""
    earlier: Earlier | None = field(default=None, compare=False, repr=False)
    """What of an earlier run's such columns still holds."""

    def __len__(self) -> int:
        return len(self.line)

    def each(self, name: str, made: Callable[[Motions], NDArray[Any]], back: int = 0) -> NDArray[Any]:
        """A column ``(n, ...)`` that follows from the others row by row, worked out once, and after an edit only where moves are new.

        ``made``: from any moves to their rows. ``back``: a row may ask so many rows before it. ``name`` stands for ``made``.
        """
        found: NDArray[Any] | None = self._kept.get(name)
        if found is None:
            was = self.earlier.columns.pop(name, None) if self.earlier is not None else None
            if was is None or self.earlier is None:
                found = made(self)
            else:
                head, tail = self.earlier.head, min(self.earlier.tail + back, len(was))
                begin, until = max(head - back, 0), len(self) - (len(was) - tail)
                new = made(self.part(begin, max(until, begin)))[head - begin :]
                found = np.concatenate([was[:head], new, was[tail:]])
            found.setflags(write=False)
            self._kept[name] = found
        return found

    def left_for(self, head: int, tail: int) -> Earlier:
        """What is worked out here, for moves of which the first ``head`` are these, and the last are these from ``tail`` on."""
        known = {name: kept for name, kept in self._kept.items() if isinstance(kept, np.ndarray)}
        return Earlier(head=head, tail=tail, columns=known)

    @property
    def bent(self) -> bool:
        """Whether any move is an arc."""
        known = self._kept.get("bent")
        if known is None:
            known = self._kept["bent"] = bool(self.sweep.any())
        return bool(known)

    def part(self, first: int, last: int) -> Motions:
        """Moves ``first`` to ``last`` (exclusive) alone, as views; without events and registers."""
        rows = slice(first, last)
        return Motions(
            line=self.line[rows], kind=self.kind[rows], state=self.state[rows], start=self.start[rows], end=self.end[rows], centre=self.centre[rows],
            sweep=self.sweep[rows], feed=self.feed[rows], plane=self.plane[rows], dwell=self.dwell[rows], in_force=self.in_force,
        )  # fmt: skip

    def state_of(self, move: int) -> InForce:
        return self.in_force[int(self.state[move])]

    def tool_of(self) -> Ints:
        """The tool number called, a move. ``(n,) int32``."""
        numbers = np.array([s.tool for s in self.in_force] or [0], dtype=np.int32)
        return self.each("tool", lambda m: numbers[m.state])

    def tools_called(self) -> tuple[int, ...]:
        """The numbers under which moves are made, rising."""
        known: tuple[int, ...] | None = self._kept.get("tools called")
        if known is None:
            used = np.flatnonzero(np.bincount(self.state, minlength=1)).tolist() if len(self) else []
            known = self._kept["tools called"] = tuple(sorted({self.in_force[k].tool for k in used}))
        return known

    def shifts(self) -> Floats:
        """What to take from machine coordinates to get work coordinates, a move. ``(n, 3) float64, mm``."""
        rows = [(s.shift[0], s.shift[1], s.shift[2] + s.h_value) for s in self.in_force] or [(0.0, 0.0, 0.0)]
        return np.array(rows, dtype=np.float64)[self.state]

    def radius(self) -> Floats:
        """Arc radius at the start, mm; 0 where the move is no arc. ``(n,) float64``."""
        return self.each("radius", Motions._radius)

    def _radius(self) -> Floats:
        if not self.bent:
            return np.zeros(len(self))
        u, v, _w = self.arc_axes()
        rows = np.arange(len(self))
        away = self.start - self.centre
        return np.where(self.sweep != 0.0, np.hypot(away[rows, u], away[rows, v]), 0.0)

    def arc_axes(self) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int64]]:
        """First, second and across axis of each move's plane, ``(n,)`` each: X Y Z in G17, Z X Y in G18, Y Z X in G19."""
        order = np.array([PLANE_AXES[p] for p in (17, 18, 19)], dtype=np.int64)[self.plane.astype(np.int64) - 17]
        return order[:, 0], order[:, 1], order[:, 2]

    def rapid(self) -> NDArray[np.bool_]:
        """Moves made at rapid, those of a cycle among them. ``(n,)``."""
        return self.each("rapid", lambda m: (m.kind == Kind.RAPID) | (m.kind == Kind.CYCLE_RAPID))

    def lengths(self) -> Floats:
        """Length of each move along its path, mm. ``(n,) float64``. Helix: sqrt((r a)^2 + z^2)."""
        return self.each("lengths", Motions._lengths)

    def _lengths(self) -> Floats:
        step = self.end - self.start
        x, y, z = step.T
        straight: Floats = np.sqrt(x * x + y * y + z * z)
        if not self.bent:
            return straight
        _u, _v, w = self.arc_axes()
        bent = np.hypot(np.abs(np.nan_to_num(self.radius()) * self.sweep), step[np.arange(len(self)), w])
        return np.where(self.sweep != 0.0, bent, straight)

    def length_of(self, move: int) -> float:
        """Length of one move along its path, mm."""
        a, b = self.start[move], self.end[move]
        sweep = float(self.sweep[move])
        if sweep == 0.0:
            return float(np.linalg.norm(b - a))
        u, v, w = PLANE_AXES[int(self.plane[move])]
        r = np.hypot(a[u] - self.centre[move, u], a[v] - self.centre[move, v])
        return float(np.hypot(r * sweep, b[w] - a[w]))

    def boxes(self) -> tuple[Floats, Floats]:
        """Lowest and highest place of each whole move, an arc's bulge past its ends with it. ``(n, 3)`` twice, mm."""
        high: list[Floats] = []

        def lowest(m: Motions) -> Floats:
            low, top = m._boxes()
            high.append(top)
            return low

        # Both are made at once, and both for the same rows.
        low = self.each("lowest", lowest)
        return low, self.each("highest", lambda _m: high[0])

    def _boxes(self) -> tuple[Floats, Floats]:
        if not self.bent:
            return np.minimum(self.start, self.end), np.maximum(self.start, self.end)
        u, v, _w = self.arc_axes()
        return arc_boxes(self.start, self.end, self.centre, self.sweep, u, v)

    def at(self, move: int, share: float) -> Vector:
        """The gauge line's place a ``share`` (0..1) of the way through a move, machine coordinates, mm."""
        a, b = self.start[move], self.end[move]
        sweep = float(self.sweep[move])
        if share >= 1.0:
            return (float(b[0]), float(b[1]), float(b[2]))
        out = a + (b - a) * share
        if sweep != 0.0:
            u, v, _w = PLANE_AXES[int(self.plane[move])]
            cu, cv = self.centre[move, u], self.centre[move, v]
            angle = np.arctan2(a[v] - cv, a[u] - cu) + sweep * share
            r = np.hypot(a[u] - cu, a[v] - cv)
            out[u], out[v] = cu + r * np.cos(angle), cv + r * np.sin(angle)
        return (float(out[0]), float(out[1]), float(out[2]))


def arc_boxes(
    start: Floats, end: Floats, centre: Floats, sweep: Floats, u: NDArray[np.int64], v: NDArray[np.int64]
) -> tuple[Floats, Floats]:
    """Bounds of straight moves and arcs, ``(n, 3)`` twice; ``u`` and ``v`` (n,) are the axes of each arc's plane.

    An arc goes beyond its ends where it crosses a direction of an axis through its centre.
    """
    low, high = np.minimum(start, end), np.maximum(start, end)
    bent = np.flatnonzero(sweep)
    if not len(bent):
        return low, high
    a, b, turn = u[bent], v[bent], sweep[bent]
    away = (start[bent, a] - centre[bent, a], start[bent, b] - centre[bent, b])
    radius, begin = np.hypot(*away), np.arctan2(away[1], away[0])
    sign = np.sign(turn)
    for quarter in range(4):
        crossed = np.mod((quarter * np.pi / 2.0 - begin) * sign, 2.0 * np.pi) <= np.abs(turn)
        axis = a if quarter % 2 == 0 else b
        rows, axes = bent[crossed], axis[crossed]
        reach = centre[rows, axes] + (radius[crossed] if quarter < 2 else -radius[crossed])
        if quarter < 2:
            high[rows, axes] = np.maximum(high[rows, axes], reach)
        else:
            low[rows, axes] = np.minimum(low[rows, axes], reach)
    return low, high


class MotionBuilder:
    """Gathers rows and packs them into columns, a chunk at a time, so that a million moves stay small."""

    _CHUNK = 8192

    def __init__(self, before: int = 0, in_force: tuple[InForce, ...] = ()) -> None:
        """``before`` moves were made elsewhere, under these states: the count goes on from there."""
        self._rows: list[tuple[float, ...]] = []
        self._chunks: list[Floats] = []
        self._count = before
        self._states: dict[InForce, int] = {state: k for k, state in enumerate(in_force)}

    def __len__(self) -> int:
        return self._count

    def state_index(self, state: InForce) -> int:
        return self._states.setdefault(state, len(self._states))

    def add(
        self,
        line: int,
        kind: Kind,
        state: int,
        start: Vector,
        end: Vector,
        feed: float,
        centre: Vector = (np.nan, np.nan, np.nan),
        sweep: float = 0.0,
        plane: int = 17,
        dwell: float = 0.0,
    ) -> int:
        """Add a move; its index."""
        self._rows.append((line, kind, state, *start, *end, *centre, sweep, feed, plane, dwell))
        self._count += 1
        if len(self._rows) >= self._CHUNK:
            self._pack()
        return self._count - 1

    def add_way(
        self,
        lines: NDArray[np.int64],
        kinds: NDArray[np.int8],
        states: Ints,
        places: Floats,
        feeds: Floats,
        rounds: Floats,
        plane: int,
    ) -> None:
        """Moves from place to place: ``lines``, ``kinds``, ``states`` and ``feeds`` (n,), ``places`` (n + 1, 3); ``rounds`` (n, 4) an arc's centre and sweep, nan and 0 for a straight one."""
        self._pack()
        rows = np.empty((len(lines), 16))
        rows[:, 0], rows[:, 1], rows[:, 2] = lines, kinds, states
        rows[:, 3:6], rows[:, 6:9], rows[:, 9:13] = places[:-1], places[1:], rounds
        rows[:, 13], rows[:, 14], rows[:, 15] = feeds, plane, 0.0
        self._chunks.append(rows)
        self._count += len(lines)

    def _pack(self) -> None:
        if self._rows:
            self._chunks.append(np.array(self._rows, dtype=np.float64))
            self._rows.clear()

    def build(
        self,
        events: list[Event],
        lengths_used: list[RegisterUse],
        offsets_used: list[OffsetUse],
        radii_used: list[RegisterUse] | None = None,
    ) -> Motions:
        """The moves made here, those before them not among them."""
        self._pack()
        table = np.concatenate(self._chunks) if self._chunks else np.empty((0, 16))
        start, end, centre = (np.ascontiguousarray(table[:, a:b]) for a, b in ((3, 6), (6, 9), (9, 12)))
        sweep, feed, dwell = table[:, 12].copy(), table[:, 13].copy(), table[:, 15].copy()
        plane = table[:, 14].astype(np.int8)
        line, kind, state = table[:, 0].astype(np.int32), table[:, 1].astype(np.int8), table[:, 2].astype(np.int32)
        for column in (line, kind, state, start, end, centre, sweep, feed, plane, dwell):
            column.setflags(write=False)
        return Motions(
            line=line,
            kind=kind,
            state=state,
            start=start,
            end=end,
            centre=centre,
            sweep=sweep,
            feed=feed,
            plane=plane,
            dwell=dwell,
            in_force=tuple(self._states),
            events=tuple(events),
            lengths_used=tuple(lengths_used),
            offsets_used=tuple(offsets_used),
            radii_used=tuple(radii_used or ()),
        )
