"""Where a thing stands in the machine: a point, and a turn about Z.

Glossary
    machine coordinates   Z is the height of the spindle's gauge line; X and Y the spindle axis over the table
    real coordinates      X and Y as machine, Z the height of a point: a tool tip of real length L is at machine Z - L
    frame                 origin and turn; a solid is square to the axes of its own frame
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Points = NDArray[np.float64]


@dataclass(frozen=True, slots=True, kw_only=True)
class Frame:
    """Origin in real coordinates, mm; ``turn_rad`` counter-clockwise seen from above."""

    x: float = 0.0
    y: float = 0.0
    z: float = 0.0
    turn_rad: float = 0.0

    @staticmethod
    def at(place: tuple[float, float, float]) -> Frame:
        """A frame that is not turned, at a place in real coordinates, mm."""
        x, y, z = place
        return Frame(x=x, y=y, z=z)

    def into(self, points: Points) -> Points:
        """Real coordinates ``(n, 3)`` as coordinates of this frame, same shape."""
        moved = points - (self.x, self.y, self.z)
        if self.turn_rad:
            cos, sin = math.cos(self.turn_rad), math.sin(self.turn_rad)
            x, y = moved[..., 0].copy(), moved[..., 1].copy()
            moved[..., 0] = x * cos + y * sin
            moved[..., 1] = y * cos - x * sin
        return moved

    def out(self, points: Points) -> Points:
        """Coordinates of this frame ``(n, 3)`` as real coordinates, same shape."""
        turned = np.array(points, dtype=np.float64)
        if self.turn_rad:
            cos, sin = math.cos(self.turn_rad), math.sin(self.turn_rad)
            x, y = turned[..., 0].copy(), turned[..., 1].copy()
            turned[..., 0] = x * cos - y * sin
            turned[..., 1] = x * sin + y * cos
        return turned + (self.x, self.y, self.z)

    def moved(self, x: float, y: float, z: float) -> Frame:
        """This frame with its origin at ``(x, y, z)`` of itself."""
        at = self.out(np.array([[x, y, z]]))[0]
        return Frame(x=float(at[0]), y=float(at[1]), z=float(at[2]), turn_rad=self.turn_rad)
