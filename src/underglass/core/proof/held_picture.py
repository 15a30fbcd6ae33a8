"""How the work is held, as rows and pictures with dimensions: what a setup sheet shows. A trade registers its own.

Pictures are strokes in mm, seen from above, from the front, or along the axis; whoever prints them draws the strokes.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from underglass.core.proof.proof import Proof
from underglass.core.reckon.form import Stroke


@dataclass(frozen=True, slots=True, kw_only=True)
class HeldPicture:
    """``title`` over the drawing; strokes of style part, stock, help and measure, mm."""

    title: str
    strokes: tuple[Stroke, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class HeldSays:
    """``rows``: (what, lengths in mm with words between them); ``touch``: how the zero is found, a sentence each."""

    rows: Callable[[Proof], tuple[tuple[str, str, tuple[float, ...]], ...]]
    touch: Callable[[Proof], tuple[str, ...]]
    pictures: Callable[[Proof], tuple[HeldPicture, ...]]


HELD: dict[str, HeldSays] = {}
"""By the trade's name."""


def box(x0: float, y0: float, x1: float, y1: float, style: str = "part") -> tuple[Stroke, ...]:
    """A rectangle as strokes."""
    sides = ((x0, y0, x1, y0), (x1, y0, x1, y1), (x1, y1, x0, y1), (x0, y1, x0, y0))
    return tuple(Stroke("line", side, style) for side in sides)  # type: ignore[arg-type]


def ring(places: list[tuple[float, float]], style: str = "part") -> tuple[Stroke, ...]:
    """A closed outline as strokes."""
    ends = [*places[1:], places[0]]
    return tuple(Stroke("line", (*a, *b), style) for a, b in zip(places, ends, strict=True))  # type: ignore[arg-type]


def zero_mark(size: float) -> tuple[Stroke, ...]:
    """A cross where the zero is."""
    return (
        Stroke("line", (-size, 0.0, size, 0.0), "path"), Stroke("line", (0.0, -size, 0.0, size), "path"),
        Stroke("dot", (0.0, 0.0), "path"),
    )  # fmt: skip
