"""A half section at one moment, in bands along Z so that a cut costs what lies under it.

Glossary
    band    the part of the section between two values of Z; a shape, or nothing
    piece   what has come loose from what is held
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np
import shapely
from numpy.typing import NDArray

from underglass.core.removal.section.shape import NOTHING, Floats, Shape, clean, volume

_BESIDE_MM = 1e-7
"""At a wall what counts is what stands on the chuck's side."""


def split(shape: Shape, edges: Floats) -> list[Shape]:
    """A section as bands between the edges."""
    low, high = float(shape.bounds[0]) - 1.0, float(shape.bounds[2]) + 1.0
    boxes = shapely.box(low, edges[:-1], high, edges[1:])
    return [clean(one) for one in shapely.intersection(shape, boxes)]


def joined(bands: list[Shape]) -> Shape:
    """Bands as one section."""
    there = [b for b in bands if not b.is_empty]
    return clean(shapely.union_all(there)) if there else NOTHING


def volumes(bands: NDArray[np.object_]) -> Floats:
    """What each band comes to when it turns, mm3. (Pappus and Guldin: 2 pi times the integral of X.)"""
    parts, of_band = shapely.get_parts(bands, return_index=True)
    rings, of_part = shapely.get_rings(parts, return_index=True)
    places, of_ring = shapely.get_coordinates(rings, return_index=True)
    if not len(places):
        return np.zeros(len(bands))
    x, z = places[:, 0], places[:, 1]
    same = of_ring[1:] == of_ring[:-1]
    each = np.where(same, (x[:-1] + x[1:]) * (x[:-1] * z[1:] - x[1:] * z[:-1]), 0.0)
    moment: Floats = np.abs(np.bincount(of_ring[:-1], each, minlength=len(rings))) / 6.0
    first = np.r_[True, of_part[1:] != of_part[:-1]]
    signed = np.where(first, moment, -moment)
    total: Floats = np.bincount(of_band[of_part], signed, minlength=len(bands)).astype(np.float64)
    return math.tau * total


@dataclass(frozen=True, slots=True, kw_only=True)
class Section:
    """``edges`` (k + 1,) of the bands along Z, mm, as the stock itself counts; ``shift``: how far it has been pulled."""

    edges: Floats
    bands: tuple[Shape, ...]
    shift: float = 0.0
    _kept: dict[str, Shape] = field(default_factory=dict, compare=False, repr=False)

    def volume(self) -> float:
        """What is there, mm3."""
        return float(sum(volume(b) for b in self.bands if not b.is_empty))

    @property
    def shape(self) -> Shape:
        """The whole section where it stands now."""
        found = self._kept.get("shape")
        if found is None:
            found = joined(list(self.bands))
            if self.shift:
                found = shapely.transform(found, lambda p: p + (0.0, self.shift))
            self._kept["shape"] = found
        return found

    def rings_at(self, z: float) -> list[tuple[float, float]]:
        """(outer, inner) diameters of what is there at a Z, from outside in; at a wall those on the chuck's side."""
        at = z - self.shift - _BESIDE_MM
        k = int(np.searchsorted(self.edges, at, side="right")) - 1
        if not 0 <= k < len(self.bands) or self.bands[k].is_empty:
            return []
        low, _z0, high, _z1 = self.bands[k].bounds
        line = shapely.LineString([(low - 1.0, at), (high + 1.0, at)])
        cut = shapely.intersection(self.bands[k], line)
        spans = []
        for part in shapely.get_parts(cut):
            if shapely.get_type_id(part) == 1 and part.length > 1e-9:
                spans.append((float(part.bounds[0]), float(part.bounds[2])))
        spans.sort()
        joined_spans: list[list[float]] = []
        for a, b in spans:
            if joined_spans and a - joined_spans[-1][1] <= 1e-9:
                joined_spans[-1][1] = max(b, joined_spans[-1][1])
            else:
                joined_spans.append([a, b])
        return [(2.0 * b, 2.0 * a if a > 1e-9 else 0.0) for a, b in reversed(joined_spans)]
