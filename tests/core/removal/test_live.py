"""A cut taken up again after an edit is the whole cut, and what is the same before the edit is not cut again."""

from __future__ import annotations

import numpy as np
import pytest

from tests.core.removal.shapes import TABLE, block, path_of
from underglass.core.removal.history import StockHistory, cut
from underglass.core.removal.lanes import LanePass


def moves(seed: int, count: int) -> list:  # type: ignore[type-arg]
    rng = np.random.default_rng(seed)
    places = rng.uniform([2, 2, 6], [58, 48, 19], size=(count + 1, 3))
    return list(zip(places[:-1].tolist(), places[1:].tolist()))


def whole(path: list, before: StockHistory | None = None, forbid: np.ndarray | None = None) -> StockHistory:  # type: ignore[type-arg]
    zero = np.zeros(len(path), dtype=np.uint8) if forbid is None else forbid
    return cut(block(0.25), path_of(path, 1), TABLE, zero, keyframe_cells=200_000, look=5.0, before=before)


def assert_same(one: StockHistory, two: StockHistory) -> None:
    np.testing.assert_array_equal(one.final.h, two.final.h)
    np.testing.assert_array_equal(one.final.owner, two.final.owner)
    np.testing.assert_allclose(one.removed, two.removed)
    np.testing.assert_allclose(one.depths, two.depths)
    assert one.hits == two.hits and one.near == two.near
    for move in (0, len(one.removed) // 2, len(one.removed) - 1):
        a, b = one.cursor(), two.cursor()
        a.go(move, 0.5)
        b.go(move, 0.5)
        np.testing.assert_array_equal(a.field.h, b.field.h)


@pytest.mark.parametrize("at", [0, 1, 60, 118, 119])
def test_one_changed_move(at: int) -> None:
    path = moves(1, 120)
    old = whole(path)
    edited = [*path[:at], (path[at][0], [30.0, 25.0, 10.0]), *path[at + 1 :]]
    assert_same(whole(edited, old), whole(edited))


def test_moves_added_and_taken_away_again_and_again() -> None:
    path = moves(2, 80)
    last = whole(path)
    rng = np.random.default_rng(3)
    for _ in range(6):
        at = int(rng.integers(0, len(path)))
        path = [
            *path[:at],
            *moves(int(rng.integers(9)), int(rng.integers(0, 4))),
            *path[at + int(rng.integers(0, 4)) :],
        ]
        last = whole(path, last)
        assert_same(last, whole(path))


def test_nothing_before_the_edit_is_cut_again(monkeypatch: pytest.MonkeyPatch) -> None:
    path = moves(4, 400)
    old = whole(path)
    assert len(old.frames) > 5
    begun = []
    real = LanePass.go

    def watched(self: LanePass, first: int, *more):  # type: ignore[no-untyped-def]
        begun.append(first)
        return real(self, first, *more)

    monkeypatch.setattr(LanePass, "go", watched)
    edited = [*path[:390], (path[390][0], [30.0, 25.0, 10.0]), *path[391:]]
    whole(edited, old)
    assert begun[0] == max(f for f in old.frames if f <= 390)


def test_other_rules_for_a_move_count_as_a_change() -> None:
    path = moves(5, 40)
    old = whole(path)
    forbid = np.zeros(40, dtype=np.uint8)
    forbid[20] = 1
    again = whole(path, old, forbid)
    assert_same(again, whole(path, None, forbid))
    assert again.hits and not old.hits


def test_what_is_put_behind_all_the_rest_is_cut_from_the_end_on(monkeypatch: pytest.MonkeyPatch) -> None:
    path = moves(7, 300)
    old = whole(path[:299])
    begun = []
    real = LanePass.go

    def watched(self: LanePass, first: int, *more):  # type: ignore[no-untyped-def]
        begun.append(first)
        return real(self, first, *more)

    monkeypatch.setattr(LanePass, "go", watched)
    longer = whole(path, old)
    assert begun[0] == 299 and len(begun) == 1
    assert_same(longer, whole(path))
    # And once more from there, over the next keyframe.
    more = [*path, *moves(8, 120)]
    assert_same(whole(more, longer), whole(more))
    # Keyframes lie elsewhere than in a whole run, and no farther apart.
    again, anew = (np.diff([*history.frames, len(more)]) for history in (whole(more, longer), whole(more)))
    assert len(again) > 5 and again.max() <= 2 * anew.max()
