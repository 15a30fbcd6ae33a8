"""The control's side of radius compensation: on, off, left on, and what passes between it and the moves."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from functools import partial

import numpy as np

from underglass.core.control.compensate import Compensator, Element, Traced, Trouble
from underglass.core.control.desk import Desk
from underglass.core.control.motions import PLANE_AXES, Kind, OffsetUse
from underglass.core.control.plain_way import PLAIN
from underglass.core.control.state import Vector
from underglass.core.control.stretch import Stretch
from underglass.core.control.way import Asked
from underglass.core.frozen import freeze
from underglass.core.language.block import Block, Word
from underglass.core.tolerances import TOLERANCES

_NO_CENTRE = (math.nan, math.nan)

NOSE_TO_TIP = {
    0: (0.0, 0.0), 1: (1.0, 1.0), 2: (-1.0, 1.0), 3: (-1.0, -1.0), 4: (1.0, -1.0), 5: (1.0, 0.0), 6: (0.0, 1.0), 7: (-1.0, 0.0), 8: (0.0, -1.0), 9: (0.0, 0.0),
}  # fmt: skip
"""Where the imaginary tip lies from the nose's centre, in radii, along Z and X, by orientation (common practice, no source)."""


def _stretch(c: Desk, comp: Compensator) -> Stretch:
    rows: list[Traced] = comp.traced
    m = c.modal
    whole = np.array([(r.line, r.first, r.last) for r in rows], dtype=np.int64).reshape(-1, 3)
    real = np.array([(*r.start, *r.end, *r.centre, r.z0, r.z1, r.sweep) for r in rows], dtype=np.float64).reshape(-1, 9)
    return freeze(
        Stretch(
            side=comp.side,
            radius=comp.radius,
            plane=c.comp_plane,
            tool=m.tool,
            switched_on_line=c.comp_line,
            shift=(m.shift[0], m.shift[1], m.shift[2] + m.h_value),
            line=whole[:, 0],
            entry=np.array([r.role == "entry" for r in rows], dtype=np.bool_),
            rapid=np.array([r.rapid for r in rows], dtype=np.bool_),
            first=whole[:, 1],
            last=whole[:, 2],
            start=real[:, 0:2],
            end=real[:, 2:4],
            centre=real[:, 4:6],
            height=real[:, 6:8],
            sweep=real[:, 8],
            end_move=len(c.moves),
        )
    )


def begin(c: Desk, block: Block, side: float, radius: float, *, joined: bool = False) -> None:
    """From the next move in the plane on, the centre runs beside the programmed path.

    ``joined``: it did so before, at another distance; the next element leads from the one to the other.
    """
    end(c)
    c.comp_line = c.line(block)
    c.comp_plane = c.modal.plane
    u, v, _w = PLANE_AXES[c.comp_plane]
    if radius < 0.0:
        side, radius = -side, -radius
    comp = Compensator(
        side=side,
        radius=radius,
        corner=c.profile.corner,
        lookahead=c.profile.lookahead,
        need_entry=c.profile.entry_at_least_radius,
        emit=partial(_emit, c, radius),
        complain=partial(complain, c),
        count=lambda: len(c.moves),
        at=(c.real[u], c.real[v]),
        joined=joined,
        say=c.said,
    )
    c.path = CompensatedWay(comp)


class CompensatedWay:
    """The centre runs beside the programmed path; a move waits until the next one says how its end is rounded or trimmed."""

    compensated = True

    def __init__(self, comp: Compensator) -> None:
        self._comp = comp
        self.side, self.radius = comp.side, comp.radius

    @property
    def elements(self) -> int:
        return self._comp.elements

    def leads_to(self, c: Desk, move: Asked) -> Vector:
        return move.end

    def go(self, c: Desk, move: Asked, to: Vector) -> None:
        comp, state, at = self._comp, c.in_force(), c.line(move.block)
        block = replace(move.block, line=at) if at != move.block.line else move.block
        u, v, w = PLANE_AXES[c.comp_plane]
        start, end = (move.start[u], move.start[v]), (move.end[u], move.end[v])
        if move.sweep == 0.0 and math.dist(start, end) <= TOLERANCES.length_of_nothing_mm:

            def happens() -> None:
                _emit(c, comp.radius, move.kind, block, comp.where(), move.end[w], move.feed, state, _NO_CENTRE, 0.0)

            comp.aside(happens)
            return
        comp.element(
            Element(
                kind=move.kind, block=block, start=start, end=end, z0=move.start[w], z1=move.end[w], feed=move.feed, state=state,
                centre=(move.centre[u], move.centre[v]), sweep=move.sweep,
            )
        )  # fmt: skip

    def aside(self, happens: Callable[[], None]) -> None:
        self._comp.aside(happens)

    def idle(self, block: Block) -> None:
        self._comp.idle_block(block)

    def finish(self, c: Desk) -> None:
        self._comp.finish()
        if self._comp.traced:
            c.stretches.append(_stretch(c, self._comp))


def end(c: Desk) -> None:
    """Make what is still waiting, and run on the programmed path from the next move on."""
    if c.path.compensated:
        c.path.finish(c)
        c.path = PLAIN
        c.modal.comp = "off"
        c.changed()


def _judge_inherited(c: Desk, block: Block) -> None:
    """Compensation of the job before is still on where it should be off, and nothing has moved under it yet."""
    if c.left_over is None or not c.path.compensated:
        return
    left = c.left_over
    c.left_over = left if left.preset != (0.0, 0.0, 0.0) or left.angle else None
    c.find(
        "shift-left-over",
        block,
        f"radius compensation {c.modal.comp} of the way is still on from the job before; it ends here",
        "cancel it with G40 in the program's safe line, or on the control",
        (block.words[0].start, block.words[0].end) if block.words else (0, 1),
        {"x_mm": 0.0, "y_mm": 0.0, "z_mm": 0.0, "degrees": 0.0, "compensation": c.modal.comp, "write": "G40"},
    )


def left_on(c: Desk, block: Block, word: Word, where: str) -> None:
    if not c.path.compensated:
        return
    if c.comp_line == 0:
        # From the job before, and told as that; that it still is on is no second cause.
        _judge_inherited(c, block)
        return
    c.find_word(
        "comp-left-on",
        block,
        word,
        f"radius compensation is still on at {where}",
        "write G40 with a move away from the contour before this",
        {"switched_on_line": c.comp_line},
    )


def _emit(
    c: Desk,
    out: float,
    kind: Kind,
    block: Block,
    end: tuple[float, float],
    z: float,
    feed: float,
    state: int,
    centre: tuple[float, float],
    sweep: float,
) -> None:
    u, v, w = PLANE_AXES[c.comp_plane]
    """The next move of the centre, which runs ``out`` mm beside the programmed path."""
    place, middle = [0.0, 0.0, 0.0], [math.nan, math.nan, math.nan]
    # A lathe places the imaginary tip, which lies beside the nose's centre.
    on = c.modal.station
    beside = NOSE_TO_TIP[on.orientation] if on is not None else (0.0, 0.0)
    place[u], place[v], place[w] = end[0] + out * beside[0], end[1] + out * beside[1], z
    middle[u], middle[v] = centre[0] + out * beside[0], centre[1] + out * beside[1]
    to = (place[0], place[1], place[2])
    if sweep == 0.0 and math.dist(c.real, to) <= TOLERANCES.length_of_nothing_mm:
        return
    if kind in (Kind.ARC_CW, Kind.ARC_CCW) and sweep == 0.0:
        kind = Kind.FEED
    start, c.real = c.real, to
    move = c.moves.add(block.line, kind, state, start, to, feed, (middle[0], middle[1], middle[2]), sweep, c.comp_plane)
    if not c.offset_judged:
        c.offset_judged = True
        c.offsets.append(OffsetUse(block.line, c.modal.offset, c.work_shift, move))


def complain(c: Desk, trouble: Trouble) -> None:
    """A finding with the geometry behind it: ends of the move and the place itself in work coordinates, mm."""
    block, element = trouble.block, trouble.element
    words = [w for w in block.words if w.letter in "GXYZIJKR"] or list(block.words)
    span = (words[0].start, words[0].end) if words else (0, 1)
    u, v, _w = PLANE_AXES[c.comp_plane]
    shift = c.modal.shift

    def named(prefix: str, place: tuple[float, float]) -> dict[str, float]:
        return {f"{prefix}_{'xyz'[axis]}_mm": place[k] - shift[axis] for k, axis in enumerate((u, v))}

    evidence: dict[str, float | int | str | bool | None] = {**trouble.figures}
    if element is not None:
        evidence |= {**named("from", element.start), **named("to", element.end)}
    if trouble.at is not None:
        evidence |= named("at", trouble.at)
    c.find_at(trouble.code, block.line, trouble.message, trouble.remedy, span, evidence)
