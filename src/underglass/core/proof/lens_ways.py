"""What a trade adds to the compensation lens: contours run without compensation, the real cutter, its words and axes.

A trade registers its own under its name, as outputs do. What does not register is a cutter that is round about its path.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import NamedTuple

from underglass.core.control.stretch import Stretch
from underglass.core.proof.proof import Proof
from underglass.core.units import Unit

Way = tuple[float, float]


class RealCutter(NamedTuple):
    """``radius`` mm; ``told_way`` and ``real_way``: where the programmed point lies from the centre, in radii along the plane's
    two axes, as the control takes it and as it is."""

    radius: float
    told_way: Way = (0.0, 0.0)
    real_way: Way = (0.0, 0.0)


class Axis(NamedTuple):
    """What an axis of the plane is called, and what a person reads for a millimetre of it."""

    name: str
    factor: float = 1.0


@dataclass(frozen=True, slots=True, kw_only=True)
class LensWays:
    """``bare``: stretches that are run without compensation and are worth a look, with a radius of 0; ``real``: the cutter of a
    stretch; ``words``: (proof, stretch, told, real, unit) to sentences; ``axes`` of the plane;
    ``names`` of what the control was told and of what is there."""

    bare: Callable[[Proof], tuple[Stretch, ...]]
    real: Callable[[Proof, Stretch], RealCutter | None]
    words: Callable[[Proof, Stretch, float, float, Unit], list[str]]
    axes: tuple[Axis, Axis]
    names: tuple[str, str]


LENSES: dict[str, LensWays] = {}
"""By the trade's name."""

NAMES = ("D (diameter)", "Real diameter")
"""Where the cutter is round about its path."""

PLAN = (Axis("X"), Axis("Y"))

_last: tuple[object, tuple[Stretch, ...]] | None = None


def lens_ways(proof: Proof) -> LensWays | None:
    """The trade's own; None where the cutter is round about its path."""
    return LENSES.get(proof.job.trade.name)


def stretches_of(proof: Proof) -> tuple[Stretch, ...]:
    """Every stretch that the lens can look at; kept for the proof that was asked about last."""
    global _last
    ways = lens_ways(proof)
    if ways is None:
        return proof.run.stretches
    if _last is None or _last[0] is not proof:
        _last = (proof, (*proof.run.stretches, *ways.bare(proof)))
    return _last[1]
