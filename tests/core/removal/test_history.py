"""Any moment of the cut: forwards, backwards, at random, inside a move."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.removal.shapes import Move, block, cut_moves, path_of
from underglass.core.errors import Cancelled
from underglass.core.removal import history as history_module
from underglass.core.removal.history import NO_TOUCH, StockHistory, cut


def wander(count: int, seed: int = 3) -> list[Move]:
    rng = np.random.default_rng(seed)
    place = np.array([30.0, 25.0, 18.0])
    moves: list[Move] = []
    for _ in range(count):
        to = np.clip(place + rng.normal(size=3) * (6, 6, 1.5), (0, 0, 4), (60, 50, 21))
        moves.append((place.tolist(), to.tolist()))
        place = to
    return moves


@pytest.fixture(scope="module")
def long() -> StockHistory:
    return cut_moves(wander(400), cell=0.5, keyframe_cells=5_000)


def straight_to(history: StockHistory, move: int, share: float) -> np.ndarray:
    """The heights at a moment, cut from the top without any keyframe."""
    field = history.uncut.copy()
    path = history.path
    dirty = np.zeros(history.grid.tiles, dtype=np.uint8)
    history_module._replay(
        field.h, field.owner, dirty, history.grid.cell, path.start, path.end, path.centre, path.sweep, path.row,
        path.move, history.outline, 0, move, share,
    )  # fmt: skip
    return field.h


def test_there_are_keyframes(long: StockHistory) -> None:
    assert len(long.frames) > 10
    assert long.frames[0] == 0


def test_the_end_is_the_end(long: StockHistory) -> None:
    cursor = long.cursor()
    cursor.go(400, 0.0)
    assert np.array_equal(cursor.field.h, long.final.h)
    assert np.array_equal(cursor.field.owner, long.final.owner)
    cursor.go(0, 0.0)
    assert np.array_equal(cursor.field.h, long.uncut.h)


@settings(max_examples=30, deadline=None)
@given(st.lists(st.tuples(st.integers(0, 399), st.sampled_from([0.0, 0.3, 0.75, 1.0])), min_size=1, max_size=8))
def test_every_moment_from_everywhere(visits: list[tuple[int, float]]) -> None:
    history = _shared()
    cursor = history.cursor()
    for move, share in visits:
        before = cursor.field.h.copy()
        changed = cursor.go(move, share)
        assert np.array_equal(cursor.field.h, straight_to(history, move, share))
        moved = np.argwhere(before != cursor.field.h)
        # Whatever differs lies in a tile that is reported.
        assert all(changed[j // 32, i // 32] for j, i in moved[:: max(1, len(moved) // 50)])


_kept: list[StockHistory] = []


def _shared() -> StockHistory:
    if not _kept:
        _kept.append(cut_moves(wander(400), cell=0.5, keyframe_cells=5_000))
    return _kept[0]


def test_going_back_does_not_cut_from_the_top(long: StockHistory, monkeypatch: pytest.MonkeyPatch) -> None:
    """Backwards takes tiles from a keyframe and cuts only the moves after it."""
    seen: list[tuple[int, int]] = []
    real = history_module._replay

    def watched(*arguments: object) -> None:
        seen.append((arguments[-3], arguments[-2]))  # type: ignore[arg-type]
        real(*arguments)

    monkeypatch.setattr(history_module, "_replay", watched)
    cursor = long.cursor()
    cursor.go(395, 0.5)
    cursor.go(380, 0.5)
    longest = max(b - a for a, b in zip(long.frames, [*long.frames[1:], 400]))
    assert seen and all(last - first <= longest for first, last in seen)
    assert seen[-1][0] > 300


def test_the_field_inside_a_move_is_part_of_it() -> None:
    history = cut_moves([((15, 25, 16), (45, 25, 16))])
    cursor = history.cursor()
    cursor.go(0, 0.5)
    taken = history.uncut.volume() - cursor.field.volume()
    assert taken == pytest.approx((15 * 10 + np.pi * 25) * 4, rel=0.005)


def test_memory_is_kept_within_its_limit(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(history_module, "_MEMORY_LIMIT", 600_000)
    history = cut_moves(wander(400), cell=0.5, keyframe_cells=4_000)
    assert history.kept_bytes <= 700_000
    cursor = history.cursor()
    for move in (399, 20, 250, 120):
        cursor.go(move, 0.5)
        assert np.array_equal(cursor.field.h, straight_to(history, move, 0.5))


def test_a_cut_can_be_stopped() -> None:
    with pytest.raises(Cancelled):
        cut(block(0.5), path_of(wander(5)), __import__("tests.core.removal.shapes", fromlist=["TABLE"]).TABLE,
            np.full(5, NO_TOUCH, np.uint8), cancelled=lambda: True)  # fmt: skip


def test_the_results_cannot_be_written_to(long: StockHistory) -> None:
    with pytest.raises(ValueError, match="read-only"):
        long.final.h[0, 0] = 1.0
