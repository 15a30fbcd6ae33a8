"""What is taken away, against volumes that can be worked out on paper.

A cell is either cut or not at its middle, so an edge of length L is off by at most about a cell's width along it; over
a curved edge these errors mostly cancel. The bound used is a fifth of edge length times cell times depth.
"""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.core.removal.shapes import Move, cut_moves, removed

R = 5.0
CONE = 4.0 / math.tan(math.radians(59.0))  # height of the 8 mm drill's 118-degree point
ROUND = math.pi * R * R


def near(value: float, exact: float, edge: float, depth: float, cell: float = 0.1) -> None:
    assert abs(value - exact) <= 0.2 * edge * cell * depth + 1e-6, (value, exact)


def test_straight_level() -> None:
    history = cut_moves([((15, 25, 16), (45, 25, 16))])
    near(removed(history), (30 * 10 + ROUND) * 4, 60 + math.tau * R, 4)


def test_straight_level_at_an_angle() -> None:
    history = cut_moves([((15, 12, 16), (42, 33, 16))])
    length = math.dist((15, 12), (42, 33))
    near(removed(history), (length * 10 + ROUND) * 4, 2 * length + math.tau * R, 4)


def test_plunge() -> None:
    near(removed(cut_moves([((30, 25, 30), (30, 25, 8))])), ROUND * 12, math.tau * R, 12)


def test_plunge_right_through() -> None:
    near(removed(cut_moves([((30, 25, 30), (30, 25, -5))])), ROUND * 20, math.tau * R, 20)


def test_slope() -> None:
    """A flat end that goes down a slope leaves a half disc at the top, a plane, and a whole disc at the bottom.

    Over a point at s along the way and d aside, the lowest point of the flat end is reached when its trailing edge
    stands over it: z = z0 + m (s + sqrt(R^2 - d^2)), but never lower than the end of the way.
    """
    a, b, drop = 15.0, 45.0, 6.0
    length = b - a
    m = -drop / length
    s = np.linspace(-R, length + R, 4001)
    d = np.linspace(-R, R, 1001)
    ss, dd = np.meshgrid(s, d)
    half = np.sqrt(np.maximum(R * R - dd * dd, 0.0))
    last = np.minimum(ss + half, length)
    under = (ss >= -half) & (ss <= length + half)
    depth = np.where(under, -m * last, 0.0)
    exact = depth.mean() * (length + 2 * R) * (2 * R)
    near(removed(cut_moves([((a, 25, 20), (b, 25, 14))])), exact, 2 * length + math.tau * R, 6)


def test_up_the_slope_leaves_the_same() -> None:
    down = cut_moves([((15, 25, 20), (45, 25, 14))])
    up = cut_moves([((45, 25, 14), (15, 25, 20))])
    assert np.array_equal(down.final.h, up.final.h)


@pytest.mark.parametrize("turn", [math.tau, -math.tau])
def test_full_circle(turn: float) -> None:
    history = cut_moves([((42, 25, 15), (42, 25, 15), (30, 25), turn)])
    near(removed(history), math.pi * (17**2 - 7**2) * 5, math.tau * 24, 5)


@pytest.mark.parametrize(
    ("turn", "end"), [(math.pi / 2, (30, 37, 15)), (-math.pi / 2, (30, 13, 15)), (math.pi, (18, 25, 15))]
)
def test_part_of_a_circle(turn: float, end: tuple[float, float, float]) -> None:
    history = cut_moves([((42, 25, 15), end, (30, 25), turn)])
    exact = (abs(turn) / 2 * (17**2 - 7**2) + ROUND) * 5
    near(removed(history), exact, abs(turn) * 24 + math.tau * R, 5)


def test_helix_down_to_a_level_ring() -> None:
    """A full helix and a full circle at its foot leave just the ring."""
    down: Move = ((42, 25, 20), (42, 25, 14), (30, 25), math.tau)
    flat: Move = ((42, 25, 14), (42, 25, 14), (30, 25), math.tau)
    near(removed(cut_moves([down, flat])), math.pi * (17**2 - 7**2) * 6, math.tau * 24, 6)


def test_drill_point() -> None:
    history = cut_moves([((30, 25, 30), (30, 25, 8))], tool=1)
    exact = math.pi * 16 * (12 - CONE) + math.pi * 16 * CONE / 3
    near(removed(history), exact, math.tau * 4, 12)
    assert history.final.height_at(30.05, 25.05) == pytest.approx(8.0, abs=0.05)


def test_v_groove() -> None:
    """A 90-degree point 3 mm deep: cross-section 9 mm2 along the way, and half a cone at either end."""
    history = cut_moves([((15, 25, 17), (45, 25, 17))], tool=2)
    exact = 30 * 9.0 + math.pi * 9 * 3 / 3
    assert removed(history) == pytest.approx(exact, rel=0.004)


def test_v_groove_down_a_slope_is_what_many_small_steps_leave() -> None:
    """The closed form against brute force: the least of the outline over 3000 places along the way."""
    a, b = np.array([15.0, 20.0, 19.0]), np.array([40.0, 31.0, 15.0])
    history = cut_moves([(a, b)], tool=2, cell=0.5)
    _assert_like_brute_force(history.final.h, 0.5, a + (b - a) * np.linspace(0, 1, 3001)[:, None], 6.0, 0.0, 1.0)


@pytest.mark.parametrize("tool", [0, 1, 2])
@pytest.mark.parametrize("turn", [4.0, -5.5, math.tau])
def test_helix_is_what_many_small_steps_leave(tool: int, turn: float) -> None:
    radius, flat, slope = [(5.0, 5.0, 0.0), (4.0, 0.0, CONE / 4.0), (6.0, 0.0, 1.0)][tool]
    t = np.linspace(0, 1, 6001)
    places = np.stack([30 + 13 * np.cos(0.4 + turn * t), 25 + 13 * np.sin(0.4 + turn * t), 19 - 6 * t], axis=1)
    history = cut_moves([(places[0], places[-1], (30, 25), turn)], tool=tool, cell=0.5)
    _assert_like_brute_force(history.final.h, 0.5, places, radius, flat, slope)


def _assert_like_brute_force(
    h: np.ndarray, cell: float, places: np.ndarray, radius: float, flat: float, slope: float
) -> None:
    ny, nx = h.shape
    x, y = np.meshgrid((np.arange(nx) + 0.5) * cell, (np.arange(ny) + 0.5) * cell)
    least = np.full(h.shape, 20.0)
    for px, py, pz in places:
        # The cells under the tool and no others: all of the block's would take ten times as long.
        rows, columns = (slice(max(0, int((p - radius) / cell)), int((p + radius) / cell) + 1) for p in (py, px))
        away = np.hypot(x[rows, columns] - px, y[rows, columns] - py)
        low = np.where(away <= radius, pz + slope * np.maximum(away - flat, 0.0), np.inf)
        least[rows, columns] = np.minimum(least[rows, columns], low)
    # The steps stand a little too high between two of them; at the rim a cell may be met by none of them.
    apart = least - h
    assert apart.min() > -1e-4
    assert np.quantile(apart, 0.995) < 0.02
    assert (apart > 0.02).sum() < 40


@pytest.mark.parametrize("cell", [0.4, 0.2, 0.1])
def test_the_error_falls_with_the_cell(cell: float) -> None:
    exact = (math.dist((14, 11), (43, 34)) * 10 + ROUND) * 4
    value = removed(cut_moves([((14, 11, 16), (43, 34, 16))], cell=cell))
    assert abs(value - exact) < 0.2 * 100 * cell * 4


def test_cells_know_the_move_that_cut_them_last() -> None:
    history = cut_moves([((15, 25, 16), (45, 25, 16)), ((30, 10, 14), (30, 40, 14))])
    field = history.final
    assert field.owner[field.grid.cell_at(18.0, 25.0)] == 0  # type: ignore[index]
    assert field.owner[field.grid.cell_at(30.0, 25.0)] == 1  # type: ignore[index]
    assert field.owner[field.grid.cell_at(5.0, 5.0)] == -1  # type: ignore[index]
    assert history.removed.sum() == pytest.approx(removed(history))
