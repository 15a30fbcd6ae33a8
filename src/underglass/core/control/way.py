"""What lies between a programmed place and the machine's: nothing, or a compensated contour. The control asks only the way it is on."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import NamedTuple, Protocol, TypeVar

from underglass.core.control.motions import Kind
from underglass.core.control.state import Vector
from underglass.core.language.block import Block

NOWHERE = (math.nan, math.nan, math.nan)

D_contra = TypeVar("D_contra", contravariant=True)
"""The desk that a way is on: what it reads and makes."""


class Asked(NamedTuple):
    """A move as the program asks for it, machine coordinates, mm and mm/min. ``in_machine``: it was given in them."""

    kind: Kind
    block: Block
    start: Vector
    end: Vector
    feed: float
    centre: Vector = NOWHERE
    sweep: float = 0.0
    in_machine: bool = False


class Way(Protocol[D_contra]):
    """From programmed moves to the machine's. ``side`` (+1 left, -1 right) and ``radius`` (mm) say how far beside it goes."""

    @property
    def compensated(self) -> bool:
        """Whether moves wait for the next one before they are made."""
        ...

    @property
    def side(self) -> float: ...

    @property
    def radius(self) -> float: ...

    @property
    def elements(self) -> int:
        """How many moves in the plane it has taken up."""
        ...

    def leads_to(self, c: D_contra, move: Asked) -> Vector:
        """Where the machine will stand after a move, as far as that can be told now."""
        ...

    def go(self, c: D_contra, move: Asked, to: Vector) -> None:
        """Make the move, or let it wait; ``to`` is where it leads."""
        ...

    def aside(self, happens: Callable[[], None]) -> None:
        """What happens where the moves so far end: at once, or after the one that waits."""
        ...

    def idle(self, block: Block) -> None:
        """A block that moved nothing in the plane."""
        ...

    def finish(self, c: D_contra) -> None:
        """Make what still waits, and keep what became of it."""
        ...
