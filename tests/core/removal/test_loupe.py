"""The loupe: the same cut on finer cells, from only the moves that touch it."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.core.removal.shapes import BLOCK, TABLE, Move, block, cut_moves, path_of
from underglass.core.bench.frame import Frame
from underglass.core.bench.solid import Solid
from underglass.core.errors import Cancelled
from underglass.core.removal.field import OFF_STOCK, make_field
from underglass.core.removal.history import cut
from underglass.core.removal.loupe import look_closer, window_around

MOVES: list[Move] = [
    ((10, 10, 15), (50, 10, 15)),
    ((50, 10, 15), (50, 40, 12)),
    ((42, 25, 14), (30, 37, 14), (30, 25), math.pi / 2),
    ((20, 30, 25), (20, 30, 6)),
]


@pytest.mark.parametrize("tool", [0, 1, 3, 4])
def test_it_is_what_a_whole_finer_field_shows(tool: int) -> None:
    coarse, fine = cut_moves(MOVES, tool=tool, cell=0.5), cut_moves(MOVES, tool=tool, cell=0.05)
    for low, high in (((14.0, 24.0), (26.0, 36.0)), ((44.0, 5.0), (56.0, 14.0)), ((0.0, 0.0), (6.0, 6.0))):
        window = window_around(coarse.grid, low, high)
        loupe = look_closer(coarse, BLOCK, window, len(MOVES), 0.0)
        j0, j1, i0, i1 = (10 * k for k in window)
        np.testing.assert_allclose(loupe.field.h, fine.final.h[j0:j1, i0:i1], atol=2e-5)
        assert loupe.factor == 10 and loupe.field.grid.cell == pytest.approx(0.05)


@pytest.mark.parametrize(("move", "share"), [(0, 0.5), (1, 0.25), (2, 0.7), (3, 0.0)])
def test_at_any_moment(move: int, share: float) -> None:
    coarse, fine = cut_moves(MOVES, cell=0.5), cut_moves(MOVES, cell=0.1)
    cursor = fine.cursor()
    cursor.go(move, share)
    loupe = look_closer(coarse, BLOCK, (0, 100, 0, 120), move, share, factor=5)
    np.testing.assert_allclose(loupe.field.h, cursor.field.h, atol=2e-5)


@pytest.mark.parametrize("share", [0.0, 0.5, 1.0])
def test_of_many_pecks_at_one_place_only_the_lowest_is_cut(share: float) -> None:
    """And the one in hand, which here goes lower than all before it."""
    depths = [18.0 - 0.1 * k for k in range(60)] + [15.0, 12.1]
    pecks: list[Move] = [m for z in depths for m in (((30, 20, 25), (30, 20, z)), ((30, 20, z), (30, 20, 25)))]
    pecks.append(((30, 20, 25), (30, 20, 6)))
    coarse, fine = cut_moves(pecks, tool=3, cell=0.5), cut_moves(pecks, tool=3, cell=0.1)
    cursor = fine.cursor()
    cursor.go(len(pecks) - 1, share)
    loupe = look_closer(coarse, BLOCK, (0, 100, 0, 120), len(pecks) - 1, share, factor=5)
    np.testing.assert_allclose(loupe.field.h, cursor.field.h, atol=2e-5)
    assert loupe.steps == 2


def test_only_what_touches_it_is_cut() -> None:
    history = cut_moves(MOVES, cell=0.5)
    assert look_closer(history, BLOCK, (90, 100, 0, 10), 4, 0.0).steps == 0
    assert look_closer(history, BLOCK, (58, 62, 38, 42), 4, 0.0).steps <= 2


def test_a_sliver_of_a_twentieth_is_seen_on_a_large_part() -> None:
    """Two passes of a 10 mm cutter leave a wall 0.05 mm thin on a part of 300 mm: lost in cells of 0.5, measured in the loupe."""
    plate = Solid(name="plate", shape="box", size=(300.0, 100.0, 20.0), frame=Frame())
    path = path_of([((20, 40, 10), (280, 40, 10)), ((20, 50.05, 10), (280, 50.05, 10))])
    history = cut(make_field(plate, 0.5), path, TABLE, np.zeros(2, dtype=np.uint8))
    between = history.final.h[85:95, 300]
    assert float(between.max()) == 10.0  # nothing to be seen
    # A window of 3 x 3 cells about it, as deep as one zooms in; ten times ten finer.
    loupe = look_closer(history, plate, window_around(history.grid, (149.5, 44.5), (150.4, 45.5)), 2, 0.0, factor=100)
    column = loupe.field.h[:, 50]
    assert float(column.max()) == 20.0
    assert int((column > 15.0).sum()) * loupe.field.grid.cell == pytest.approx(0.05, abs=loupe.field.grid.cell)


def test_large_windows_are_less_fine_and_off_the_stock_is_off() -> None:
    history = cut(block(0.1), path_of(MOVES), TABLE, np.zeros(4, dtype=np.uint8))
    assert look_closer(history, BLOCK, (0, 500, 0, 600), 4, 0.0).factor == 3
    round_stock = Solid(name="bar", shape="cylinder", size=(40.0, 20.0), frame=Frame())
    bar = cut(make_field(round_stock, 0.5), path_of(MOVES), TABLE, np.zeros(4, dtype=np.uint8))
    corner = look_closer(bar, round_stock, (0, 10, 0, 10), 0, 0.0).field
    assert (corner.owner == OFF_STOCK).all() and not corner.h.any()


def test_it_can_be_stopped() -> None:
    with pytest.raises(Cancelled):
        look_closer(cut_moves(MOVES, cell=0.5), BLOCK, (0, 100, 0, 120), 4, 0.0, cancelled=lambda: True)
