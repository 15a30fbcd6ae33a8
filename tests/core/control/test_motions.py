"""Columns of moves, and single moves of them."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from underglass.core.control.motions import PLANE_AXES, Kind, MotionBuilder

COORDINATE = st.floats(-200.0, 200.0)


@given(st.sampled_from([17, 18, 19]), st.tuples(COORDINATE, COORDINATE, COORDINATE), st.floats(1.0, 80.0), st.floats(-6.0, 6.0), st.floats(-30.0, 30.0))  # fmt: skip
def test_one_moves_length_is_the_columns_and_that_of_its_chords(
    plane: int, start: tuple[float, float, float], r: float, sweep: float, across: float
) -> None:
    """A helix is as long as many short chords of it, whatever the plane."""
    u, v, w = PLANE_AXES[plane]
    centre, end = [float("nan")] * 3, list(start)
    centre[u], centre[v] = start[u] - r, start[v]
    end[u], end[v] = centre[u] + r * np.cos(sweep), centre[v] + r * np.sin(sweep)
    end[w] = start[w] + across
    builder = MotionBuilder()
    builder.add(
        1, Kind.ARC_CCW, 0, start, (end[0], end[1], end[2]), 100.0, (centre[0], centre[1], centre[2]), sweep, plane
    )
    builder.add(2, Kind.FEED, 0, (end[0], end[1], end[2]), start, 100.0)
    motions = builder.build([], [], [])
    assert [motions.length_of(k) for k in range(2)] == pytest.approx(motions.lengths().tolist(), abs=1e-6)
    points = np.array([motions.at(0, share) for share in np.linspace(0.0, 1.0, 2001)])
    assert np.linalg.norm(np.diff(points, axis=0), axis=1).sum() == pytest.approx(
        motions.length_of(0), abs=1e-3, rel=1e-5
    )
