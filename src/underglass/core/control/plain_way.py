"""The way without compensation: the machine goes where the program says, at once."""

from __future__ import annotations

import math
from collections.abc import Callable

from underglass.core.control.desk import Desk
from underglass.core.control.motions import PLANE_AXES, Kind, OffsetUse
from underglass.core.control.places import axis_by_axis
from underglass.core.control.state import Vector
from underglass.core.control.way import Asked
from underglass.core.language.block import Block
from underglass.core.tolerances import TOLERANCES


class PlainWay:
    """Holds nothing; one serves every desk."""

    compensated = False
    side = 0.0
    radius = 0.0
    elements = 0

    def leads_to(self, c: Desk, move: Asked) -> Vector:
        if c.real == move.start:
            return move.end
        # With compensation just ended the machine stands beside the place where the program believes it to be.
        return _with_offset_left(c, move)

    def go(self, c: Desk, move: Asked, to: Vector) -> None:
        real, c.real = c.real, to
        if move.sweep == 0.0 and math.dist(real, to) <= TOLERANCES.length_of_nothing_mm:
            return
        line, first = c.line(move.block), len(c.moves)
        if move.kind in (Kind.RAPID, Kind.CYCLE_RAPID) and c.profile.rapids == "axes":
            for place in axis_by_axis(real, to, c.machine.rapid):
                c.moves.add(line, move.kind, c.in_force(), real, place, move.feed, plane=c.modal.plane)
                real = place
        else:
            c.moves.add(line, move.kind, c.in_force(), real, to, move.feed, move.centre, move.sweep, c.modal.plane)
        if not c.offset_judged and not move.in_machine:
            c.offset_judged = True
            c.offsets.append(OffsetUse(line, c.modal.offset, c.work_shift, first))

    def aside(self, happens: Callable[[], None]) -> None:
        happens()

    def idle(self, block: Block) -> None:
        """Nothing waits for a move."""

    def finish(self, c: Desk) -> None:
        """Nothing waits."""


PLAIN = PlainWay()


def _with_offset_left(c: Desk, move: Asked) -> Vector:
    """Where a move really ends after G40, for a machine that still stands beside the programmed place.

    By the profile's ``after_g40``: ``axis``, an axis that the block does not name stays where it is; ``plane``, the first
    move in the plane takes both its axes to the programmed place; ``at-once``, any move does.
    """
    how = c.profile.after_g40
    if how == "at-once":
        return move.end
    named = {w.letter for w in move.block.words}
    moved = [letter in named or a != b for letter, a, b in zip("XYZ", move.start, move.end)]
    if how == "plane":
        u, v, _w = PLANE_AXES[c.comp_plane]
        moved[u] = moved[v] = moved[u] or moved[v]
    x, y, z = (b if goes else r for goes, b, r in zip(moved, move.end, c.real))
    return (x, y, z)
