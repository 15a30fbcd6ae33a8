"""Touching, and how near: against shapely's distances along densely sampled ways."""

from __future__ import annotations

import math

import numpy as np
import pytest
import shapely

from tests.core.removal.shapes import cut_moves
from underglass.core.frozen import freeze
from underglass.core.removal.contact import against_solid, nearest, touch
from underglass.core.removal.history import NO_TOUCH
from underglass.core.removal.near import near_move

SIZE = np.array([20.0, 30.0, 15.0])
RECTANGLE = shapely.box(0, 0, 20, 30)


def test_nearest_is_the_least_of_many() -> None:
    rng = np.random.default_rng(5)
    for _ in range(60):
        a, b = rng.uniform(-40, 60, 3), rng.uniform(-40, 60, 3)
        radius, bottom, top = float(rng.uniform(1, 15)), float(rng.uniform(0, 20)), 60.0
        gap, share = nearest(a, b, SIZE, False, radius, bottom, top)
        places = a + (b - a) * np.linspace(0, 1, 4001)[:, None]
        side = np.maximum(shapely.distance(shapely.points(places[:, :2]), RECTANGLE) - radius, 0)
        up = np.maximum(places[:, 2] + bottom - 15.0, 0)
        down = np.maximum(-(places[:, 2] + top), 0)
        least = np.sqrt(side**2 + up**2 + down**2).min()
        assert gap == pytest.approx(least, abs=0.02)
        assert 0.0 <= share <= 1.0


def test_touch_agrees_with_many_small_steps() -> None:
    rng = np.random.default_rng(6)
    hits = 0
    for _ in range(200):
        a, b = rng.uniform(-30, 50, 3), rng.uniform(-30, 50, 3)
        radius, bottom, top = float(rng.uniform(2, 12)), float(rng.uniform(0, 10)), 50.0
        out = np.zeros(3)
        found = touch(a, b, SIZE, False, radius, bottom, top, 0.01, out)
        t = np.linspace(0, 1, 3001)
        places = a + (b - a) * t[:, None]
        side = shapely.distance(shapely.points(places[:, :2]), RECTANGLE)
        overlap = np.minimum(15.0 - (places[:, 2] + bottom), places[:, 2] + top)
        inside = (side < radius) & (overlap > 0.01)
        if inside.any():
            assert found
            assert out[0] == pytest.approx(t[inside][0], abs=2e-3)
            deepest = (15.0 - np.maximum(places[:, 2] + bottom, 0.0))[inside].max()
            assert out[2] == pytest.approx(deepest, abs=0.05)
            hits += 1
        elif found:
            # Between two steps at most.
            assert side[overlap > 0.01].min() < radius + 0.05
    assert hits > 30


def against(start, end, centre=(math.nan, math.nan), sweep=0.0, radius=5.0, is_round=False, side=0.05):  # type: ignore[no-untyped-def]
    out = np.zeros((1, 1, 4))
    against_solid(
        np.array([start], float), np.array([end], float), np.array([centre], float), np.array([sweep]), np.zeros(1, np.int32),
        np.array([[radius]]), np.zeros((1, 1)), np.full((1, 1), 50.0), np.ones(1, np.uint8), SIZE, is_round, side, 0.01,
        0.001, 25.0, out,
    )  # fmt: skip
    return out[0, 0]


def test_sliding_along_a_face_is_no_touch() -> None:
    assert against((-5.0, -20, 5), (-5.0, 60, 5))[0] == 0.0
    assert against((-4.9, -20, 5), (-4.9, 60, 5))[0] == 1.0


def test_passing_over_at_the_same_height_is_no_touch() -> None:
    assert against((-20, 10, 15.0), (40, 10, 15.0))[0] == 0.0
    assert against((-20, 10, 14.98), (40, 10, 14.98))[0] == 1.0


def test_a_bulging_arc_touches_where_its_chord_does_not() -> None:
    """Ends at x = -20, bulge towards the box to x = -3: the 5 mm tool's edge reaches 2 mm into it."""
    r = 17.0
    hit = against((-20, 15 - r, 5), (-20, 15 + r, 5), (-20, 15), math.pi)
    assert hit[0] == 1.0
    first = hit[1] * math.pi - math.pi / 2
    # Contact begins where -20 + r cos(a) = -5 (+ the side tolerance).
    assert math.cos(first) == pytest.approx((15.0 + 0.05) / r, abs=1e-3)
    assert against((-20, 15 - r, 5), (-20, 15 + r, 5), (-20, 15), -math.pi)[0] == 0.0


def test_a_round_solid() -> None:
    # A post of 20 mm diameter stands in the box's corner: its corner is free.
    assert against((-2, -2, 5), (-2, -2, 5.5), is_round=False)[0] == 1.0
    assert against((-2, -2, 5), (-2, -2, 5.5), is_round=True)[0] == 0.0
    assert against((-2, -2, 5), (-2, -2, 5.5), is_round=True)[3] == pytest.approx(math.dist((-2, -2), (10, 10)) - 15.0)


def test_stock_is_touched_first_where_the_edge_meets_it() -> None:
    """A rapid at Z15 towards the block from 20 mm off: the 10 mm tool's edge meets it after 15 mm of 40."""
    history = cut_moves([((-20, 25, 15), (20, 25, 15))], forbid=NO_TOUCH)
    hit = history.hits[0]
    assert hit.share == pytest.approx(15.0 / 40.0, abs=0.003)
    assert hit.depth == pytest.approx(5.0)


def test_a_rapid_along_what_has_just_been_cut_touches_nothing() -> None:
    there = ((10, 25, 15), (50, 25, 15))
    history = cut_moves([there, (there[1], there[0])], forbid=NO_TOUCH)
    assert [h.move for h in history.hits] == [0]


def test_a_rapid_on_the_surface_touches_nothing() -> None:
    assert not cut_moves([((-20, 25, 20), (80, 25, 20))], forbid=NO_TOUCH).hits
    assert cut_moves([((-20, 25, 19.98), (80, 25, 19.98))], forbid=NO_TOUCH).hits


def test_out_of_a_through_hole_touches_nothing() -> None:
    history = cut_moves([((30, 25, 25), (30, 25, -4)), ((30, 25, -4), (30, 25, 25))], tool=1, forbid=NO_TOUCH)
    assert [h.move for h in history.hits] == [0]


def test_the_wider_shank_and_the_holder_meet_the_wall() -> None:
    """25 mm of cutting length stand below: at Z-6 the block's 20 mm and the holder 45 mm up keep clear; a short one not."""
    import dataclasses

    from tests.core.removal import shapes
    from underglass.core.bench.tool import HolderStep
    from underglass.core.removal.history import MAY_TOUCH, cut
    from underglass.core.removal.toolpath import make_tool_table

    short = dataclasses.replace(shapes.MILL, stickout=10.0, APMX=10.0, holder=(HolderStep(30.0, 40.0),))
    table = make_tool_table([short], 80.0)
    free = np.full(1, MAY_TOUCH, np.uint8)
    deep = cut(shapes.block(0.25), shapes.path_of([((15, 25, 8), (45, 25, 8))]), table, free)
    assert [(h.part, round(h.depth, 3)) for h in deep.hits] == [(1, 2.0)]
    level = cut(shapes.block(0.25), shapes.path_of([((15, 25, 10), (45, 25, 10))]), table, free)
    assert not level.hits


def test_how_near_columns_come_is_the_least_of_many_places() -> None:
    """Slanted, level and upright ways over a field of uneven columns, some of them holes: each column's square against the ways' places."""
    rng = np.random.default_rng(8)
    cell, upright = 1.0, 0
    for k in range(60):
        h = rng.choice([0.0, 4.0, 9.0, 9.5], size=(12, 15)).astype(np.float32)
        a, b = rng.uniform(-8, 22, 3), rng.uniform(-8, 22, 3)
        if k % 3 == 0:
            b[:2] = a[:2]
        elif k % 3 == 1:
            b[2] = a[2]
        radius, lift, far = float(rng.uniform(1, 6)), float(rng.uniform(0, 8)), 5.0
        at, to, none = (freeze(np.array(place, dtype=np.float64)) for place in (a, b, np.zeros(2)))
        gap, share = near_move(h, cell, at, to, none, 0.0, radius, lift, far, 0.001, 0, 1)
        t = np.linspace(0, 1, 2001)[:, None, None]
        x, y, z = (a[q] + (b[q] - a[q]) * t for q in range(3))
        j, i = np.nonzero(h)
        side = np.maximum(np.hypot((i + 0.5) * cell - x, (j + 0.5) * cell - y) - radius, 0.0)
        each = np.hypot(side, np.maximum(z + lift - h[j, i], 0.0))[:, 0, :].min(axis=1)
        assert gap == pytest.approx(min(float(each.min()), far), abs=0.02)
        if gap < far:
            assert float(each[round(share * 2000)]) == pytest.approx(gap, abs=0.05)
            upright += k % 3 == 0
    assert upright > 3
