"""What is really on the table: stock and fixtures."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from underglass.core.bench.frame import Frame
from underglass.core.bench.mesh import Mesh

SolidShape = Literal["box", "cylinder", "mesh"]
AT_ZERO = "stock at "
"""Where parts stand at several zeros, each one's stock is called so, with the zero's name."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Solid:
    """A box (size x y z), an upright cylinder (diameter, height) or a mesh, ``frame`` at its minimum corner.

    A cylinder's or mesh's minimum corner is that of the box around it; a mesh's ``size`` is that box's, and ``mesh`` is
    moved so that its minimum corner is the origin. Lengths in mm.
    """

    name: str
    shape: SolidShape
    size: tuple[float, ...]
    frame: Frame
    mesh: Mesh | None = None

    @property
    def extent(self) -> tuple[float, float, float]:
        """Size of the box around the solid, in its own frame, mm."""
        if self.shape == "cylinder":
            return (self.size[0], self.size[0], self.size[1])
        return (self.size[0], self.size[1], self.size[2])

    @property
    def top(self) -> float:
        """Height of the upper face in real coordinates, mm."""
        return self.frame.z + self.extent[2]


@dataclass(frozen=True, slots=True, kw_only=True)
class Fixture:
    """A solid that is not to be touched. ``may_cut`` is the depth that may be cut into it, mm.

    ``entry`` is the number of its entry in the job, from 1; 0 is the machine's own table. A piece such as a vise has
    several solids of one entry.
    """

    solid: Solid
    may_cut: float = 0.0
    from_stop: int = 0
    until_stop: int = 0
    entry: int = 0

    @property
    def name(self) -> str:
        return self.solid.name


def part_place(solid: Solid, zero: Frame) -> tuple[float, float, float]:
    """Where a solid's corner lies, seen from a zero, mm."""
    at = zero.into(np.array([[solid.frame.x, solid.frame.y, solid.frame.z]]))[0]
    return (float(at[0]), float(at[1]), float(at[2]))
