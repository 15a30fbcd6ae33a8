"""The control's side of radius compensation: on, off, left on, and what passes between it and the moves."""

from __future__ import annotations

import math
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING

from underglass.core.control.compensate import Compensator, Element
from underglass.core.control.motions import Kind, OffsetUse
from underglass.core.control.state import Vector
from underglass.core.language.block import Block, Word
from underglass.core.tolerances import TOLERANCES

if TYPE_CHECKING:
    from underglass.core.control.interpret import Control


def begin(c: Control, block: Block, side: float, radius: float) -> None:
    """From the next move in the plane on, the centre runs beside the programmed path."""
    end(c)
    c.comp_line = c.line(block)
    if radius < 0.0:
        side, radius = -side, -radius
    c.comp = Compensator(
        side,
        radius,
        c.profile.corner,
        c.profile.lookahead,
        c.profile.entry_at_least_radius,
        partial(emit, c),
        partial(complain, c),
        (c.real[0], c.real[1]),
    )


def end(c: Control) -> None:
    """Make what is still waiting, and run on the programmed path from the next move on."""
    if c.comp is not None:
        c.comp.finish()
        c.comp = None
        c.modal.comp = "off"
        c.changed()


def left_on(c: Control, block: Block, word: Word, where: str) -> None:
    if c.comp is None:
        return
    c.find_word(
        "comp-left-on",
        block,
        word,
        f"radius compensation is still on at {where}",
        "write G40 with a move away from the contour before this",
        {"switched_on_line": c.comp_line},
    )


def go(
    c: Control,
    comp: Compensator,
    kind: Kind,
    block: Block,
    start: Vector,
    end: Vector,
    feed: float,
    centre: Vector,
    sweep: float,
) -> None:
    state, at = c.in_force(), c.line(block)
    block = replace(block, line=at) if at != block.line else block
    if sweep == 0.0 and math.dist(start[:2], end[:2]) <= TOLERANCES.length_of_nothing_mm:

        def happens() -> None:
            emit(c, kind, block, comp.where(), end[2], feed, state, (math.nan, math.nan), 0.0)

        comp.aside(happens, counts=True)
        return
    comp.element(Element(kind, block, start[:2], end[:2], start[2], end[2], feed, state, centre[:2], sweep))


def emit(
    c: Control,
    kind: Kind,
    block: Block,
    end: tuple[float, float],
    z: float,
    feed: float,
    state: int,
    centre: tuple[float, float],
    sweep: float,
) -> None:
    to = (end[0], end[1], z)
    if sweep == 0.0 and math.dist(c.real, to) <= TOLERANCES.length_of_nothing_mm:
        return
    if kind in (Kind.ARC_CW, Kind.ARC_CCW) and sweep == 0.0:
        kind = Kind.FEED
    start, c.real = c.real, to
    move = c.moves.add(block.line, kind, state, start, to, feed, (*centre, math.nan), sweep)
    if not c.offset_judged:
        c.offset_judged = True
        c.offsets.append(OffsetUse(block.line, c.modal.offset, c.modal.shift, move))


def complain(
    c: Control, code: str, block: Block, message: str, remedy: str, evidence: dict[str, float | int | str | bool | None]
) -> None:
    words = [w for w in block.words if w.letter in "GXYIJR"] or list(block.words)
    span = (words[0].start, words[0].end) if words else (0, 1)
    c.find_at(code, block.line, message, remedy, span, evidence)
