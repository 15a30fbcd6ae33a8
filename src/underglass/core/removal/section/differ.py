"""In what two half sections are not the same."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import shapely

from underglass.core.removal.section.shape import Shape, clean, volume


class Difference(NamedTuple):
    """What one section has and the other has not: mm3 as it turns, mm2, how thick it is, and where (X as a radius)."""

    volume: float
    area: float
    depth: float
    x: float
    z: float


def differ(one: Shape, two: Shape) -> Difference:
    """What the first has more than the second. Its thickness is that of the largest circle that fits in."""
    extra = clean(shapely.difference(one, two))
    if extra.is_empty:
        return Difference(0.0, 0.0, 0.0, 0.0, 0.0)
    parts = shapely.get_parts(extra)
    circles = [shapely.maximum_inscribed_circle(part, 1e-4) for part in parts]
    k = int(np.argmax([c.length for c in circles]))
    middle = shapely.get_coordinates(circles[k])[0]
    return Difference(
        volume(extra), float(extra.area), 2.0 * float(circles[k].length), float(middle[0]), float(middle[1])
    )  # fmt: skip
