"""A finding's place as flat pictures, drawn from the proof alone: a report needs no window. A trade registers how it is looked at.

Pictures are values in mm: areas, ways, a relief of heights, a mark; whoever prints them draws these.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal, NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from underglass.core.control.arcs import chords
from underglass.core.finding import Finding
from underglass.core.proof.proof import Proof
from underglass.core.tolerances import TOLERANCES

Floats = NDArray[np.float64]
Region = Any
"""A shapely geometry of one or several polygons."""

Look = Literal["stock", "piece", "fixture", "cutter", "shank", "holder", "more", "less"]
"""``more`` and ``less``: what one of two parts has and the other has not."""

_BEFORE, _AFTER = 60, 12
"""Moves before and after the one that is meant whose ways are drawn."""


class Area(NamedTuple):
    """Closed rings (n, 2); inside an odd number of them is filled. ``name`` is written into it where there is room."""

    rings: tuple[Floats, ...]
    look: Look
    name: str = ""


class Way(NamedTuple):
    """Places (n, 2) that the tool passes; ``meant``: by the finding's own move."""

    places: Floats
    rapid: bool
    meant: bool = False


class Relief(NamedTuple):
    """Heights (rows, columns) over the whole window, the first row at its lower edge; nan: nothing there.

    ``apart``: they are differences of two parts, more above and less below nought.
    """

    heights: Floats
    low: float
    high: float
    apart: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class PlacePicture:
    """``window`` is x0, y0, x1, y1; ``axes`` what its two directions are called, and ``factors`` what a person reads for a mm of them."""

    title: str
    window: tuple[float, float, float, float]
    axes: tuple[str, str] = ("X", "Y")
    factors: tuple[float, float] = (1.0, 1.0)
    under: tuple[Area, ...] = ()
    """What lies under the relief."""
    areas: tuple[Area, ...] = ()
    ways: tuple[Way, ...] = ()
    relief: Relief | None = None
    mark: tuple[float, float] | None = None


Looking = Callable[[Finding], tuple[PlacePicture, ...]]

PLACES: dict[str, Callable[[Proof], Looking]] = {}
"""By the trade's name: made once a proof, asked for each finding."""


COMPARED: dict[str, Callable[[Proof, Proof], tuple[PlacePicture, ...]]] = {}
"""By the trade's name: two finished parts in one picture, what the first has more or less than the second."""


def looking_at(proof: Proof) -> Looking:
    """How the findings of a proof are pictured; one without a place has no pictures."""
    made = PLACES.get(proof.job.trade.name)
    look = made(proof) if made is not None else None
    n = len(proof.motions)

    def pictures(finding: Finding) -> tuple[PlacePicture, ...]:
        if look is None or finding.position is None or not n:
            return ()
        return look(finding)

    return pictures


def moment_of(proof: Proof, finding: Finding) -> tuple[int, float]:
    """(move, share) at which the finding is met."""
    return proof.timing.locate(min(max(finding.time_s, 0.0), proof.timing.total))


def around(place: tuple[float, float], half: float, wide: float = 1.5) -> tuple[float, float, float, float]:
    """A window about a place: ``half`` of its height, ``wide`` times as wide."""
    return place[0] - wide * half, place[1] - half, place[0] + wide * half, place[1] + half


def ways_near(
    proof: Proof, move: int, window: tuple[float, float, float, float], project: Callable[[int, Floats], Floats]
) -> tuple[Way, ...]:
    """The ways of the moves about one, as far as they come into the window. ``project``: (move, machine places (n, 3)) to the picture's (n, 2)."""
    motions = proof.motions
    rapid = motions.rapid()
    out = []
    for k in range(max(0, move - _BEFORE), min(len(motions), move + _AFTER + 1)):
        count = 1
        if motions.sweep[k]:
            radius = float(np.nanmax(np.abs(motions.start[k] - motions.centre[k]), initial=1.0))
            count = min(chords(radius * 1.5, float(motions.sweep[k]), TOLERANCES.chord_mm * 10.0), 120)
        places = np.array([motions.at(k, share) for share in np.linspace(0.0, 1.0, count + 1).tolist()])
        flat = project(k, places)
        low, high = flat.min(axis=0), flat.max(axis=0)
        if low[0] <= window[2] and high[0] >= window[0] and low[1] <= window[3] and high[1] >= window[1]:
            out.append(Way(flat, bool(rapid[k]), k == move))
    return tuple(out)


def rings_of(shape: shapely.Geometry) -> tuple[Floats, ...]:
    """Every ring of a plane region."""
    return tuple(
        shapely.get_coordinates(ring)
        for one in shapely.get_parts(shape)
        if shapely.get_type_id(one) == 3
        for ring in shapely.get_rings(one)
    )


def regions_compared(one: Region, two: Region, title: str, **axes: Any) -> PlacePicture:
    """Two plane regions in one picture: what they share, and what each has alone. ``axes``: as a picture takes them."""
    x0, y0, x1, y1 = shapely.union(one, two).bounds
    middle = ((x0 + x1) / 2.0, (y0 + y1) / 2.0)
    half = 0.55 * max(y1 - y0, (x1 - x0) / 1.5, 1.0)
    both = (
        ("stock", shapely.intersection(one, two)),
        ("more", shapely.difference(one, two)),
        ("less", shapely.difference(two, one)),
    )
    return PlacePicture(
        title=title, window=around(middle, half), areas=tuple(Area(rings_of(shape), look) for look, shape in both), **axes  # type: ignore[arg-type]
    )  # fmt: skip
