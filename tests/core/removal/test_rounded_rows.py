"""Balls and bull noses on slanted moves, several cells at once: what each cell's own closed form says, and nothing else is touched."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numba import njit

from underglass.core.compiled import take_in
from underglass.core.frozen import freeze
from underglass.core.removal import sweep
from underglass.core.removal.sweep import sweep_move

take_in()
_low = njit(sweep._line_low.py_func)
CELL = 0.5


def one_by_one(h: np.ndarray, a: np.ndarray, b: np.ndarray, shape: tuple[float, float, float, float]) -> np.ndarray:
    """The field after a move, each cell asked alone."""
    out = h.copy()
    r, flat, corner, slope = shape
    step = b - a
    size = float(np.hypot(step[0], step[1]))
    ux, uy, rise = step[0] / size, step[1] / size, step[2] / size
    for j in range(h.shape[0]):
        for i in range(h.shape[1]):
            px, py = (i + 0.5) * CELL - a[0], (j + 0.5) * CELL - a[1]
            z = _low(px, py, ux, uy, size, a[2], rise, r, flat, corner, slope)[0]
            out[j, i] = min(out[j, i], np.float32(max(z, 0.0)))
    return out


@pytest.mark.parametrize("shape", [(3.0, 0.0, 3.0, 0.0), (5.0, 3.0, 2.0, 0.0), (0.4, 0.0, 0.4, 0.0)])
@settings(deadline=None, max_examples=20)
@given(
    seed=st.integers(0, 10_000),
    ends=st.lists(st.floats(-3.0, 24.0), min_size=4, max_size=4),
    heights=st.lists(st.floats(-1.0, 9.0), min_size=2, max_size=2),
)
def test_a_row_is_cut_as_each_of_its_cells(
    shape: tuple[float, float, float, float], seed: int, ends: list[float], heights: list[float]
) -> None:
    a, b = np.array([ends[0], ends[1], heights[0]]), np.array([ends[2], ends[3], heights[1]])
    if np.hypot(*(b - a)[:2]) < 0.01:
        b[0] = a[0] + 1.0
    h = np.random.default_rng(seed).uniform(0.0, 10.0, (31, 45)).astype(np.float32)
    owner = np.full(h.shape, -1, dtype=np.int32)
    dirty = np.zeros((1, 2), dtype=np.uint8)
    want = one_by_one(h, a, b, shape)
    got = h.copy()
    # Called with figures of the kinds that the cut itself calls it with, it is not compiled once more.
    at, to, none = (freeze(np.array(place, dtype=np.float64)) for place in (a, b, np.zeros(2)))
    taken, _seen, deepest = sweep_move(got, owner, dirty, CELL, at, to, none, 0.0, 1.0, *shape, np.int32(7), 0, 1)
    # The last bit of a height may be rounded another way where several cells are worked out at once.
    np.testing.assert_allclose(got, want, atol=2e-6)
    cut = got < h
    assert ((owner == 7) == cut).all()
    assert taken == pytest.approx(float((h - got).sum()), abs=1e-3)
    assert deepest == pytest.approx(float((h - got).max()), abs=1e-5)
    assert dirty.any() or not cut.any()
