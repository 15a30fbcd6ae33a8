"""A field cut in lanes, by two cores or by one, is the field cut whole."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from tests.core.removal.shapes import BALL, BLOCK, BULL, DRILL, MILL, TAPER, block
from underglass.core.removal import lanes
from underglass.core.removal.history import MAY_TOUCH, NO_TOUCH, StockHistory, cut
from underglass.core.removal.toolpath import TipPath, make_tool_table, one_step_a_move

SHORT = [replace(tool, stickout=12.0, APMX=8.0) for tool in (MILL, DRILL, BALL, BULL, TAPER)]
"""Holders come into the stock, too."""

TABLE = make_tool_table(SHORT, 80.0)
CELL = 0.15


def wander(seed: int, count: int = 300) -> tuple[TipPath, np.ndarray]:
    """Straight moves, plunges and arcs of every tool, some deep enough for the holder; some must not touch."""
    rng = np.random.default_rng(seed)
    places = rng.uniform([-4, -4, 2 if seed % 2 else 7], [64, 54, 24], size=(count + 1, 3))
    start, end = places[:-1].copy(), places[1:].copy()
    upright = rng.random(count) < 0.2
    end[upright, :2] = start[upright, :2]
    sweep = np.where(~upright & (rng.random(count) < 0.2), rng.uniform(-5.0, 5.0, count), 0.0)
    centre = np.where(sweep[:, None] != 0.0, start[:, :2] + rng.uniform(-8, 8, (count, 2)), np.nan)
    path = one_step_a_move(start, end, centre, sweep, rng.integers(0, len(TABLE.tools), count).astype(np.int32))
    return path, np.where(rng.random(count) < 0.15, NO_TOUCH, MAY_TOUCH).astype(np.uint8)


def cut_in(monkeypatch: pytest.MonkeyPatch, seed: int, count: int, worth: float) -> StockHistory:
    monkeypatch.setattr(lanes, "_LANES", count)
    monkeypatch.setattr(lanes, "_WORTH_A_THREAD", worth)
    path, forbid = wander(seed)
    return cut(block(CELL), path, TABLE, forbid, look=5.0)


@pytest.mark.parametrize("seed", [1, 2, 3, 4])
def test_two_cores_cut_what_one_cuts(seed: int, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(lanes.os, "sched_getaffinity", lambda _pid: {0, 1})
    side_by_side = cut_in(monkeypatch, seed, 2, 0.0)
    in_turn = cut_in(monkeypatch, seed, 2, float("inf"))
    for name in ("removed", "depths"):
        np.testing.assert_array_equal(getattr(side_by_side, name), getattr(in_turn, name))
    np.testing.assert_array_equal(side_by_side.final.h, in_turn.final.h)
    np.testing.assert_array_equal(side_by_side.final.owner, in_turn.final.owner)
    assert (side_by_side.hits, side_by_side.doubts, side_by_side.near) == (in_turn.hits, in_turn.doubts, in_turn.near)
    assert side_by_side.frames == in_turn.frames


@pytest.mark.parametrize("seed", [1, 2, 3, 4])
def test_lanes_see_what_the_whole_field_shows(seed: int, monkeypatch: pytest.MonkeyPatch) -> None:
    dealt, whole = cut_in(monkeypatch, seed, 2, float("inf")), cut_in(monkeypatch, seed, 1, float("inf"))
    np.testing.assert_array_equal(dealt.final.h, whole.final.h)
    np.testing.assert_array_equal(dealt.final.owner, whole.final.owner)
    np.testing.assert_allclose(dealt.removed, whole.removed, rtol=1e-9, atol=1e-9)
    np.testing.assert_array_equal(dealt.depths, whole.depths)
    assert len({hit.part for hit in whole.hits}) > 1 and len(whole.hits) > 20
    assert dealt.hits == whole.hits and dealt.doubts == whole.doubts
    touching = {(hit.part, int(whole.path.row[hit.step])) for hit in whole.hits}
    for one in whole.near:
        # A part that touches is not asked how near it came.
        if (one.part, one.row) not in touching:
            assert one in dealt.near


def test_a_small_field_is_one_lane_and_every_row_of_a_large_one_in_one() -> None:
    path, forbid = wander(2, 40)
    for cell, tiles in ((2.0, 1), (0.1, 2)):
        history = cut(block(cell), path, TABLE, forbid)
        assert history.final.volume() == pytest.approx(history.uncut.volume() - history.removed.sum(), rel=1e-6)
        assert history.grid.tiles[0] >= tiles


def test_stretches_cover_the_path_and_none_is_larger_than_it_may_be() -> None:
    path, _forbid = wander(3)
    ends, work = lanes.stretches(path, TABLE.outline, block(CELL), 17, 300_000)
    assert ends[-1] == len(path) and all(a < b for a, b in zip([17, *ends], ends))
    assert 10 < len(ends) < len(path)
    parts = [lanes.stretches(path, TABLE.outline, block(CELL), a, 10**12)[1] for a in [17, *ends]]
    for (a, b), one, two in zip(zip([17, *ends], ends), parts, parts[1:]):
        assert one - two <= 300_000 or b - a == 1
    assert lanes.stretches(path, TABLE.outline, block(CELL), len(path), 1) == ([], 0.0)
    assert work == pytest.approx(parts[0])


def test_a_tool_of_no_row_cuts_nothing() -> None:
    path, forbid = wander(2, 40)
    none = TipPath(
        start=path.start, end=path.end, centre=path.centre, sweep=path.sweep, row=np.full(40, -1, np.int32),
        move=path.move, first=path.first,
    )  # fmt: skip
    history = cut(block(CELL), none, TABLE, forbid)
    assert not history.removed.any() and not history.hits
    assert history.uncut.volume() == pytest.approx(np.prod(BLOCK.size), rel=1e-2)
