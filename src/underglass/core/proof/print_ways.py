"""How a drawing lies over the work: the plane of a trade's drawings, its axes as the program writes them, stock and path in it.

What a trade does not register lies in plan, X to the right and Y up.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from underglass.core.control.profile import ControlProfile
from underglass.core.proof.job import Job
from underglass.core.proof.proof import Proof

Floats = NDArray[np.float64]


class PrintAxis(NamedTuple):
    """An axis of the plane: its letter, that of an arc's centre along it, that of a way along it, and what is written for a millimetre."""

    name: str
    centre: str
    by: str = ""
    factor: float = 1.0


@dataclass(frozen=True, slots=True, kw_only=True)
class PrintPlane:
    """``right`` and ``up`` on the drawing; ``up_first``: it is written first. ``folds``: what is drawn below the other axis is meant above it."""

    right: PrintAxis = field(default=PrintAxis("X", "I"))
    up: PrintAxis = field(default=PrintAxis("Y", "J"))
    up_first: bool = False
    folds: bool = False

    def written(self, right: float, up: float) -> tuple[tuple[PrintAxis, float], tuple[PrintAxis, float]]:
        """Two figures (mm) with their axes, in the order in which a program has them, as it counts them."""
        one, two = (self.right, right * self.right.factor), (self.up, up * self.up.factor)
        return (two, one) if self.up_first else (one, two)


@dataclass(frozen=True, slots=True, kw_only=True)
class PrintWays:
    """All in mm of the plane from the true zero. ``outlines``: closed rings (k, 2) of the uncut stock; ``path``: where each move starts
    and ends, (n, 2) each; ``at``: a place on a move; ``radius`` of what cuts on a move."""

    plane: Callable[[ControlProfile], PrintPlane]
    outlines: Callable[[Job], list[Floats]]
    path: Callable[[Proof], tuple[Floats, Floats]]
    at: Callable[[Proof, int, float], tuple[float, float]]
    radius: Callable[[Proof, int], float]


def _stocks(job: Job) -> list[Floats]:
    out: list[Floats] = []
    for solid in job.bench.stocks:
        wide, deep, _high = solid.extent
        corners = np.array([(0, 0, 0), (wide, 0, 0), (wide, deep, 0), (0, deep, 0)], dtype=float)
        if solid.shape == "cylinder":
            t = np.linspace(0, 2.0 * np.pi, 73)
            corners = np.column_stack([wide / 2 * (1 + np.cos(t)), wide / 2 * (1 + np.sin(t)), 0 * t])
        out.append(job.bench.part_zero.into(solid.frame.out(corners))[:, :2])
    return out


def _path(proof: Proof) -> tuple[Floats, Floats]:
    zero, motions = proof.job.bench.part_zero, proof.motions
    return zero.into(motions.start.copy())[:, :2], zero.into(motions.end.copy())[:, :2]


def _at(proof: Proof, move: int, share: float) -> tuple[float, float]:
    x, y, _z = proof.job.bench.part_zero.into(np.array([proof.motions.at(move, share)]))[0].tolist()
    return x, y


def _radius(proof: Proof, move: int) -> float:
    tool = proof.tool_at(move)
    return tool.DC / 2.0 if tool is not None else 0.0


IN_PLAN = PrintWays(plane=lambda _profile: PrintPlane(), outlines=_stocks, path=_path, at=_at, radius=_radius)

PRINTS: dict[str, PrintWays] = {}
"""By the trade's name."""


def print_ways(job: Job | None) -> PrintWays:
    """How a drawing lies over this job's work."""
    return PRINTS.get(job.trade.name, IN_PLAN) if job is not None else IN_PLAN
