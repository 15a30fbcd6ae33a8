"""What the glass shows, as one value: lines, solid, colouring, section, what is hidden."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True, slots=True)
class Section:
    """A plane square to an axis (0 X, 1 Y, 2 Z) at a place, mm; what lies beyond it is taken away, or what lies before."""

    axis: int
    at: float
    away_above: bool = True

    def plane(self) -> tuple[float, float, float, float]:
        """(a, b, c, d): what has a x + b y + c z + d over 0 is taken away."""
        sign = 1.0 if self.away_above else -1.0
        normal = [0.0, 0.0, 0.0]
        normal[self.axis] = sign
        return (normal[0], normal[1], normal[2], -sign * self.at)

    def reach(self, start: NDArray[np.float64], way: NDArray[np.float64]) -> tuple[float, float]:
        """How far along a ray from ``start`` what is left begins and ends, mm; empty where the first is the larger."""
        a, b, c, d = self.plane()
        normal = np.array([a, b, c])
        here, along = float(normal @ start + d), float(normal @ way)
        if abs(along) < 1e-12:
            return (0.0, np.inf) if here <= 0.0 else (np.inf, 0.0)
        at = -here / along
        return (max(0.0, at), np.inf) if along < 0.0 else (0.0, at)


@dataclass(frozen=True, slots=True, kw_only=True)
class Showing:
    """``hidden_tools`` and ``hidden_operations`` (numbers in order) lose their path; a stock keeps what they cut."""

    lines: bool = True
    solid: bool = True
    colouring: str = "tool"
    section: Section | None = None
    ghost: bool = False
    rapids: bool = True
    fixtures: bool = True
    tool: bool = True
    legend: bool = True
    lift: bool = True
    """Loose pieces of a sheet stand out of it a little."""
    order: bool = True
    """Contours of a sheet are numbered in the order of their cut."""
    hidden_tools: frozenset[int] = frozenset()
    hidden_operations: frozenset[int] = frozenset()
