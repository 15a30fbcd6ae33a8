"""What a convex outline takes of a band, against shapely's difference: outlines on a coarse grid, so that they often touch."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from underglass.core.removal.section.taking import LESS, NOT_SURE, NOTHING_TAKEN, take

coarse = st.integers(0, 8).map(float)
fine = st.floats(0.0, 8.0, allow_nan=False)
places = st.one_of(st.tuples(coarse, coarse), st.tuples(coarse, coarse), st.tuples(fine, fine))


def convex(points: list[tuple[float, float]]) -> np.ndarray:
    hull = shapely.convex_hull(shapely.MultiPoint(points))
    assume(hull.geom_type == "Polygon" and hull.area > 1e-3)
    return np.ascontiguousarray(shapely.get_coordinates(shapely.normalize(hull))[::-1][:-1])


@st.composite
def a_band(draw: st.DrawFn) -> np.ndarray:
    """A turned profile between two ends, or any star: closed, and round either way."""
    if draw(st.booleans()):
        tops = draw(st.lists(st.one_of(coarse, fine).map(lambda x: x + 1.0), min_size=2, max_size=9))
        way = np.linspace(0.0, 8.0, len(tops))
        points = [(0.0, 8.0), (0.0, 0.0), *((x, z) for x, z in zip(tops, way.tolist()))]
    else:
        out = draw(st.lists(st.integers(1, 4), min_size=3, max_size=10))
        turn = np.linspace(0.0, 2.0 * np.pi, len(out), endpoint=False)
        points = [(4.0 + r * float(np.cos(a)), 4.0 + r * float(np.sin(a))) for r, a in zip(out, turn)]
    shape = shapely.Polygon(points)
    assume(shape.is_valid and shape.area > 1e-3)
    ring = np.array([*points, points[0]])
    return np.ascontiguousarray(ring[::-1]) if draw(st.booleans()) else ring


@settings(deadline=None, max_examples=150)
@given(a_band(), st.lists(places, min_size=3, max_size=9))
def test_it_is_the_difference_or_says_that_it_is_not_sure(band: np.ndarray, points: list[tuple[float, float]]) -> None:
    ring = convex(points)
    sure, left = take(band, ring)
    if sure == NOT_SURE:
        return
    true = shapely.difference(shapely.Polygon(band), shapely.Polygon(ring))
    mine = shapely.Polygon(band) if sure == NOTHING_TAKEN else shapely.Polygon(left)
    assert mine.is_valid
    assert shapely.symmetric_difference(mine, true).area < 1e-7


SQUARE = np.array([(0.0, 0.0), (4.0, 0.0), (4.0, 4.0), (0.0, 4.0), (0.0, 0.0)])


def rectangle(x0: float, z0: float, x1: float, z1: float) -> np.ndarray:
    return np.array([(x0, z0), (x1, z0), (x1, z1), (x0, z1)])


@pytest.mark.parametrize(
    ("cut", "sure", "area"),
    [
        (rectangle(3.0, -1.0, 5.0, 5.0), LESS, 12.0),
        (rectangle(3.0, 1.0, 5.0, 2.0), LESS, 15.0),
        (rectangle(-1.0, -1.0, 5.0, 5.0), LESS, 0.0),
        (rectangle(4.0, 1.0, 5.0, 2.0), NOTHING_TAKEN, 16.0),
        (rectangle(5.0, 1.0, 6.0, 2.0), NOTHING_TAKEN, 16.0),
        (rectangle(1.0, 1.0, 2.0, 2.0), NOT_SURE, 16.0),
        (rectangle(1.0, -1.0, 2.0, 5.0), NOT_SURE, 16.0),
    ],
    ids=["a turn", "a groove", "all", "beside", "clear of it", "a hole", "parted"],
)
def test_what_it_is_sure_of(cut: np.ndarray, sure: int, area: float) -> None:
    said, left = take(SQUARE, cut)
    assert said == sure
    if sure == LESS:
        assert (shapely.Polygon(left).area if len(left) else 0.0) == pytest.approx(area)


def test_corners_that_are_far_from_the_cut_stay_as_they_are_to_the_last_bit() -> None:
    band = np.array([(0.0, 0.0), (3e-16, 1e-15), (4.0, 0.0), (4.0, 4.0), (0.0, 4.0), (0.0, 0.0)])
    said, left = take(band, rectangle(3.0, 3.0, 5.0, 5.0))
    assert said == LESS
    assert {tuple(p) for p in band.tolist()} - {(4.0, 4.0)} <= {tuple(p) for p in left.tolist()}
