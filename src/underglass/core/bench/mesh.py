"""A shape given by triangles, and how it is seen from above."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True, eq=False, slots=True)
class Mesh:
    """``triangles`` (n, 3, 3) float64, mm, corners counter-clockwise seen from outside; the file's own coordinates."""

    name: str
    triangles: NDArray[np.float64]

    @property
    def low(self) -> NDArray[np.float64]:
        """Minimum corner of the box around it, ``(3,)`` mm."""
        return self.triangles.reshape(-1, 3).min(axis=0)  # type: ignore[no-any-return]

    @property
    def high(self) -> NDArray[np.float64]:
        """Maximum corner of the box around it, ``(3,)`` mm."""
        return self.triangles.reshape(-1, 3).max(axis=0)  # type: ignore[no-any-return]

    @property
    def volume(self) -> float:
        """What it encloses, mm3: the sum of the tetrahedra between its triangles and a point (divergence theorem)."""
        a, b, c = (self.triangles[:, k] - self.low for k in range(3))
        return float(np.einsum("ij,ij->i", a, np.cross(b, c)).sum() / 6.0)

    def moved(self, by: NDArray[np.float64]) -> Mesh:
        """The same shape elsewhere."""
        return Mesh(self.name, self.triangles + by)


_UP: dict[str, tuple[tuple[int, int, int], ...]] = {
    "+z": ((1, 0, 0), (0, 1, 0), (0, 0, 1)),
    "-z": ((1, 0, 0), (0, -1, 0), (0, 0, -1)),
    "+x": ((0, 0, -1), (0, 1, 0), (1, 0, 0)),
    "-x": ((0, 0, 1), (0, 1, 0), (-1, 0, 0)),
    "+y": ((1, 0, 0), (0, 0, -1), (0, 1, 0)),
    "-y": ((1, 0, 0), (0, 0, 1), (0, -1, 0)),
}
"""Rotation matrices (rows) that bring an axis of the file up; each keeps the hand (determinant 1)."""

UP = tuple(_UP)


def laid(mesh: Mesh, up: str) -> Mesh:
    """A mesh turned so that this axis of its file, as ``-y``, points up."""
    if up == "+z":
        return mesh
    return Mesh(mesh.name, mesh.triangles @ np.array(_UP[up], dtype=np.float64).T)
