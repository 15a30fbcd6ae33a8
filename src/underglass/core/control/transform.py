"""From programmed places to work coordinates: scaling, mirror, rotation, local shifts; and back.

work = rotate(mirror(scale(programmed))) + G52 + G92, each about its own centre. Angles counter-clockwise positive in the
XY plane, as G68 has it in G17.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Vector = tuple[float, float, float]
_ZERO: Vector = (0.0, 0.0, 0.0)
_ONE: Vector = (1.0, 1.0, 1.0)
_AXES_OF = {17: (0, 1), 18: (2, 0), 19: (1, 2)}


@dataclass(frozen=True, slots=True, kw_only=True)
class Transform:
    """What stands between a programmed place and work coordinates. Lengths mm, angle rad.

    ``factor`` holds scaling and mirror together: a negative factor mirrors its axis about ``centre``.
    """

    angle: float = 0.0
    pivot: tuple[float, float] = (0.0, 0.0)
    scale: Vector = _ONE
    scale_centre: Vector = _ZERO
    mirror: Vector = _ONE
    mirror_centre: Vector = _ZERO
    local: Vector = _ZERO
    preset: Vector = _ZERO

    @property
    def shift(self) -> Vector:
        """G52 and G92 together."""
        return (self.local[0] + self.preset[0], self.local[1] + self.preset[1], self.local[2] + self.preset[2])

    @property
    def plain(self) -> bool:
        """Nothing but shifts: no rotation, scaling or mirror."""
        return self.angle == 0.0 and self.scale == _ONE and self.mirror == _ONE

    @property
    def left_on(self) -> tuple[str, ...]:
        """What is in force, in words; empty when nothing is."""
        out = []
        if self.angle:
            out.append(f"rotation by {math.degrees(self.angle):g} degrees (G68)")
        if self.scale != _ONE:
            x, y, z = self.scale
            out.append(f"scaling by {x:g} (G51)" if x == y == z else f"scaling by {x:g}, {y:g} and {z:g} (G51)")
        if self.mirror != _ONE:
            out.append("mirror (G51.1)")
        if self.local != _ZERO:
            out.append("a local shift (G52)")
        return tuple(out)

    @property
    def cancelled_by(self) -> tuple[str, ...]:
        """The words that end what is in force, one for each thing."""
        out = []
        if self.angle:
            out.append("G69")
        if self.scale != _ONE:
            out.append("G50")
        if self.mirror != _ONE:
            out.append("G50.1")
        if self.local != _ZERO:
            out.append("G52 X0 Y0 Z0")
        return tuple(out)

    def unequal_in(self, plane: int) -> bool:
        """Whether a plane is scaled differently along its two axes: a circle in it becomes none."""
        u, v = _AXES_OF[plane]
        return self.scale[u] != self.scale[v]

    def turned_over_in(self, plane: int) -> bool:
        """Whether a plane (17, 18, 19) is seen from its other side: G2 becomes G3, left becomes right."""
        u, v = _AXES_OF[plane]
        return self.mirror[u] * self.mirror[v] < 0.0

    def matrix(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """(linear part 3 x 3, constant 3): work = linear @ programmed + constant."""
        size = np.diag(self.scale)
        linear = size
        constant = (np.eye(3) - size) @ np.array(self.scale_centre)
        flip = np.diag(self.mirror)
        linear, constant = flip @ linear, flip @ constant + (np.eye(3) - flip) @ np.array(self.mirror_centre)
        cos, sin = math.cos(self.angle), math.sin(self.angle)
        turn = np.array([[cos, -sin, 0.0], [sin, cos, 0.0], [0.0, 0.0, 1.0]])
        pivot = np.array([*self.pivot, 0.0])
        linear, constant = turn @ linear, turn @ constant + (np.eye(3) - turn) @ pivot
        return linear, constant + np.array(self.shift)


class Mapping:
    """A transform ready for use, both ways. Two of the same transform are equal."""

    __slots__ = ("_back", "_constant", "_to", "plain", "shift", "transform", "turns_only")

    def __init__(self, transform: Transform) -> None:
        self.transform = transform
        self.plain = transform.plain
        self.shift = transform.shift
        self.turns_only = not self.plain and transform.scale == _ONE and transform.mirror == _ONE
        if self.plain:
            return
        linear, constant = transform.matrix()
        # Plain figures: for one place, arrays take ten times as long as the sums.
        self._to: tuple[float, ...] = tuple(linear.ravel().tolist())
        self._back: tuple[float, ...] = tuple(np.linalg.inv(linear).ravel().tolist())
        self._constant: Vector = (float(constant[0]), float(constant[1]), float(constant[2]))

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Mapping) and self.transform == other.transform

    def __hash__(self) -> int:
        return hash(self.transform)

    def forward(self, place: Vector) -> Vector:
        """A programmed place in work coordinates."""
        if self.plain:
            s = self.shift
            return (place[0] + s[0], place[1] + s[1], place[2] + s[2])
        k = self._constant
        x, y, z = _times(self._to, place)
        return (x + k[0], y + k[1], z + k[2])

    def back(self, work: Vector) -> Vector:
        """Work coordinates as a programmed place."""
        if self.plain:
            s = self.shift
            return (work[0] - s[0], work[1] - s[1], work[2] - s[2])
        k = self._constant
        return _times(self._back, (work[0] - k[0], work[1] - k[1], work[2] - k[2]))


def _times(rows: tuple[float, ...], place: Vector) -> Vector:
    """A matrix, 3 x 3 row by row, times a place."""
    x, y, z = place
    a, b, c, d, e, f, g, h, i = rows
    return (a * x + b * y + c * z, d * x + e * y + f * z, g * x + h * y + i * z)
