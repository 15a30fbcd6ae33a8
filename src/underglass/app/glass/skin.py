"""What the glass shows of a proof whose stock is no field of heights: a skin gives lines, bodies and what is under a ray.

World coordinates are the skin's own affair; it names its axes.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray

from underglass.app.glass.colouring import Legend
from underglass.app.glass.renderer import Placed
from underglass.app.glass.scene import PathLines
from underglass.app.glass.showing import Showing
from underglass.app.style.palette import Palette
from underglass.core.finding import Finding
from underglass.core.units import Unit

Places = NDArray[np.float64]


class SkinHit(NamedTuple):
    """A surface under a ray: how far along it, where in the world, and the move that made it (-1: uncut)."""

    distance: float
    place: tuple[float, float, float]
    move: int


class Dimension(NamedTuple):
    """A figure as a drawing has it: its lines ``(k, 3)`` each, the words, and where they stand; world, mm."""

    lines: tuple[Places, ...]
    words: str
    at: Places


class Label(NamedTuple):
    """A few letters at a place of the world; ``done``: what it is about is over at this moment."""

    at: Places
    words: str
    done: bool


@dataclass(frozen=True, slots=True)
class Chosen:
    """The moves of the line that is chosen: their surfaces stand out."""

    first: int
    last: int


class Skin(Protocol):
    """Of one proof."""

    axes: tuple[str, str, str]
    """What the world's axes are called; empty where one has no name."""

    first_view: str
    has_outlines: bool
    """Whether what is left can be drawn flat."""

    plane_view: str
    """From where one looks square at its drawing plane, and (``plane_at``) where that stands along this way."""

    plane_at: float

    colourings: tuple[str, ...]
    """Those of the glass's colourings that it has."""

    def lines(self) -> PathLines:
        """The way of the real tip."""
        ...

    def bodies(self, moment: float, palette: Palette, showing: Showing, chosen: Chosen | None) -> list[Placed]:
        """Stock, tool and what holds it, at a moment."""
        ...

    def legend(self, kind: str, palette: Palette, unit: Unit) -> Legend:
        """What the colours of one of its colourings mean."""
        ...

    def bounds(self) -> tuple[Places, Places]:
        """The box around it all."""
        ...

    def tip(self, moment: float) -> Places | None:
        """Where the real tip is; None without a tool."""
        ...

    def surface(self, start: Places, way: Places, moment: float) -> SkinHit | None:
        """The surface that a ray meets first."""
        ...

    def about(self, hit: SkinHit, unit: Unit) -> str:
        """A surface in words."""
        ...

    def measure(self, mode: str, one: Places, two: Places, moment: float, unit: Unit) -> tuple[str, float | None]:
        """What clicks on surfaces come to, in words, and the one figure of it, mm."""
        ...

    def labels(self, moment: float, showing: Showing) -> Sequence[Label]:
        """What is written beside places at a moment."""
        ...

    def dimensions(self, place: Places, moment: float, unit: Unit) -> tuple[Dimension, ...]:
        """The figures of a place on the drawing plane."""
        ...

    def solid(self, moment: float) -> tuple[Places, NDArray[np.int64]]:
        """The stock as closed triangles, in the part's own coordinates."""
        ...

    def place_of(self, finding: Finding) -> Places | None:
        """Where in the world a finding's contact is."""
        ...
