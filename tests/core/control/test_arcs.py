"""Arcs: centres and sweeps. Worked example: NISTIR 6556 section 3.5.3.2, from memory."""

from __future__ import annotations

import math

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from underglass.core.control.arcs import centre_from_radius, sweep

coordinate = st.floats(-500, 500, allow_nan=False)


def test_the_worked_example_of_nistir_6556() -> None:
    """At X7 Y7, G17 G2 X10 Y16 I3 J4: centre X10 Y11, radius 5 (from memory)."""
    centre = (7.0 + 3.0, 7.0 + 4.0)
    assert centre == (10.0, 11.0)
    assert math.dist((7.0, 7.0), centre) == pytest.approx(5.0)
    assert math.dist((10.0, 16.0), centre) == pytest.approx(5.0)
    angle = sweep((7.0, 7.0), (10.0, 16.0), centre, clockwise=True)
    # From the direction (-3, -4) clockwise to straight up.
    assert math.degrees(angle) == pytest.approx(-(180.0 - math.degrees(math.atan2(3, 4))))


@pytest.mark.parametrize("clockwise", [True, False])
def test_the_same_place_is_a_full_turn(clockwise: bool) -> None:
    assert abs(sweep((5.0, 0.0), (5.0, 0.0), (0.0, 0.0), clockwise)) == pytest.approx(math.tau)


def test_quarters_by_direction() -> None:
    assert sweep((1, 0), (0, 1), (0, 0), clockwise=False) == pytest.approx(math.pi / 2)
    assert sweep((1, 0), (0, 1), (0, 0), clockwise=True) == pytest.approx(-3 * math.pi / 2)


@pytest.mark.parametrize(
    ("radius", "clockwise", "centre"),
    [(10.0, False, (0.0, 0.0)), (10.0, True, (10.0, 10.0)), (-10.0, False, (10.0, 10.0)), (-10.0, True, (0.0, 0.0))],
)
def test_r_positive_is_the_short_arc(radius: float, clockwise: bool, centre: tuple[float, float]) -> None:
    found = centre_from_radius((10.0, 0.0), (0.0, 10.0), radius, clockwise)
    assert found == pytest.approx(centre)
    turn = abs(sweep((10.0, 0.0), (0.0, 10.0), found or (0, 0), clockwise))
    assert (turn <= math.pi + 1e-9) == (radius > 0)


def test_r_too_small_and_full_circle_have_no_centre() -> None:
    assert centre_from_radius((0, 0), (10, 0), 4.9, True) is None
    assert centre_from_radius((0, 0), (0, 0), 5.0, True) is None
    # A half circle written with three decimals falls short by rounding only.
    assert centre_from_radius((0, 0), (10, 0), 4.9995, True) == pytest.approx((5.0, 0.0))


@given(coordinate, coordinate, coordinate, coordinate, st.floats(0.1, 900), st.booleans(), st.booleans())
def test_centres_are_equally_far_from_both_ends(x0, y0, x1, y1, radius, clockwise, long) -> None:  # type: ignore[no-untyped-def]
    start, end = (x0, y0), (x1, y1)
    assume(math.dist(start, end) > 0.01 and radius > math.dist(start, end) / 2)
    centre = centre_from_radius(start, end, -radius if long else radius, clockwise)
    assert centre is not None
    assert math.dist(start, centre) == pytest.approx(radius, rel=1e-6)
    assert math.dist(end, centre) == pytest.approx(radius, rel=1e-6)
    angle = sweep(start, end, centre, clockwise)
    assert (angle < 0) == clockwise
    at = math.atan2(start[1] - centre[1], start[0] - centre[0]) + angle
    reached = (centre[0] + radius * math.cos(at), centre[1] + radius * math.sin(at))
    assert math.dist(reached, end) < 1e-5
