"""Pockets cut with the engagement held: felt once more along the written ways, by distances of shapely instead of squares."""

from __future__ import annotations

import itertools
import math
import random
from collections.abc import Callable

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.compose.entries import DEEP, short, some_entries
from tests.core.compose.test_milled import CELL, OPS, grid, heights, proved
from tests.core.compose.test_operations import check_pocket
from tests.core.compose.test_operations import proved as plain_proved
from underglass.core.compose.arcs import arcs_through
from underglass.core.compose.contour import Contour
from underglass.core.compose.engaged import Floor
from underglass.core.compose.operation import Operation
from underglass.core.control.motions import Kind
from underglass.core.errors import Cancelled
from underglass.core.proof.proof import Proof
from underglass.core.reckon.form import CannotBe, until
from underglass.core.trades.milling.operations.pocket import RECTANGULAR, ROUND

Prove = Callable[..., Proof]
R = 4.0
SMALL = "0 0 R6\n54 0 R6\n54 34 R6\n0 34 R6\nCLOSE\n/\n34 12\n42 12\n42 22\n34 22\nCLOSE"
"""Corners, necks beside an island, two middles."""
ONE_LEVEL = {"d": "8", "deep": "2", "down": "2", "wall": "0.2", "contour": SMALL}


def ways(proof: Proof) -> tuple[np.ndarray, np.ndarray]:
    """Places some 0.4 mm apart along what is fed at the floor, in its order; which of them are cuts and no way down."""
    out: list[np.ndarray] = []
    cuts: list[bool] = []
    m = proof.motions
    floor = m.end[:, 2].min()
    for k in range(len(m)):
        if (
            m.kind[k] == Kind.RAPID
            or m.end[k, 2] > floor + 1e-3
            or (math.dist(m.start[k][:2], m.end[k][:2]) < 1e-9 and not m.sweep[k])
        ):
            continue
        a, b = m.start[k][:2], m.end[k][:2]
        if not m.sweep[k]:
            n = max(1, math.ceil(math.dist(a, b) / 0.4))
            out += [a + (b - a) * i / n for i in range(1, n + 1)]
        else:
            c, sweep = m.centre[k][:2], float(m.sweep[k])
            first, r = math.atan2(a[1] - c[1], a[0] - c[0]), math.dist(a, c)
            n = max(1, math.ceil(abs(sweep) * r / 0.4))
            out += [
                c + r * np.array([math.cos(first + sweep * i / n), math.sin(first + sweep * i / n)])
                for i in range(1, n + 1)
            ]
        cuts += [bool(m.feed[k] > 300.0)] * (len(out) - len(cuts))
    return np.array(out), np.array(cuts)


def engagements(places: np.ndarray, r: float) -> np.ndarray:
    """How much of the tool's front half meets metal at each place, degrees: rim places that no earlier place of the way has reached."""
    tree = shapely.STRtree(shapely.points(places))
    angles = np.radians(np.arange(2.5, 360.0, 5.0))
    rim = np.column_stack([np.cos(angles), np.sin(angles)])
    out = np.zeros(len(places))
    ahead = np.diff(places, axis=0)
    for k in range(8, len(places) - 1, 1 if DEEP else 2):
        front = rim[rim @ ahead[k] > 0.0] * (0.95 * r) + places[k]
        felt, earlier = tree.query(shapely.points(front), predicate="dwithin", distance=r)
        # What the tool has taken a moment ago it is still taking: the last millimetre and a half do not count as cleared.
        free = np.unique(felt[earlier < k - 4])
        out[k] = 5.0 * (len(front) - len(free))
    return out


@pytest.mark.parametrize("turn", ["climb", "against"])
def test_no_cut_takes_more_than_asked_where_plain_rounds_take_full_width(prove_text: Prove, turn: str) -> None:
    op = OPS["pocket-any-contour"]
    held = proved(prove_text, "mill", op, {**ONE_LEVEL, "hold": "110", "turn": turn})
    places, cuts = ways(held)
    # The helix goes down into full metal; from then on nothing does.
    assert engagements(places, R)[cuts].max() <= 1.03 * 110.0 + 7.5, "the rim is felt every 5 degrees"
    plain = proved(prove_text, "mill", op, {**ONE_LEVEL, "turn": turn})
    places, cuts = ways(plain)
    assert engagements(places, R)[cuts].max() > 165.0
    said = next(
        row for row in op.answer({**ONE_LEVEL, "hold": "110", "turn": turn}, "mm").rows if row.word == "Most engagement"
    )
    assert 100 <= int(said.shown[:-1]) <= 114 and said.note == "felt along every cut; the helix goes into full metal"


@pytest.mark.parametrize("wall", ["0", "0.3"])
def test_what_is_held_clears_the_same_pocket(prove_text: Prove, wall: str) -> None:
    proof = proved(
        prove_text,
        "mill",
        OPS["pocket-any-contour"],
        {"d": "8", "deep": "6", "hold": "100", "wall": wall, "over": "40"},
    )
    region = shapely.box(8, 8, 92, 52).buffer(8.0, quad_segs=64).difference(shapely.box(60, 20, 75, 40))
    xs, ys, gx, gy = grid(-10, -10, 110, 70, 0.7)
    z = heights(proof, xs, ys)
    reach = region.buffer(-R, quad_segs=64).buffer(R, quad_segs=64)
    assert np.allclose(z[shapely.contains_xy(reach.buffer(-1.5 * CELL), gx, gy)], -6.0, atol=1e-6)
    assert np.allclose(z[~shapely.contains_xy(region.buffer(1.5 * CELL), gx, gy)], 0.0, atol=1e-6)


@pytest.mark.parametrize("wall", ["0", "0.2"])
def test_the_plain_pockets_are_held_too(prove_text: Prove, wall: str) -> None:
    held = {
        "top": "1",
        "deep": "6",
        "down": "3",
        "hold": "115",
        "wall": wall,
        "finish": "comp" if wall != "0" else "plain",
    }
    check_pocket(
        plain_proved(prove_text, RECTANGULAR, {**held, "turn": "against"}, False),
        shapely.box(26, 16, 74, 44).buffer(6.0, quad_segs=64),
        -5.0,
    )
    check_pocket(
        plain_proved(prove_text, ROUND, {**held, "dia": "37"}, False),
        shapely.Point(50, 30).buffer(18.5, quad_segs=128),
        -5.0,
    )


def test_what_cannot_be_held_is_said() -> None:
    op = OPS["pocket-any-contour"]
    with pytest.raises(CannotBe, match="take 84 degrees by themselves: ask for 90 or more"):
        op.answer({"hold": "85"}, "mm")
    with pytest.raises(CannotBe, match="too large for this tool and step"):
        op.answer({"contour": "0 0\n900 0\n900 600\n0 600\nCLOSE", "hold": "120", "d": "4"}, "mm")
    # Given up while it is worked out: nothing is kept, and the next one who asks gets it.
    with pytest.raises(Cancelled):
        until(lambda: True, lambda: op.answer({"hold": "123"}, "mm"))
    assert op.answer({"hold": "123"}, "mm").blocks
    # A slot as wide as the tool and a bit leaves no room for anything but full width.
    narrow = {"contour": "0 0\n60 0\n60 10.6\n0 10.6\nCLOSE", "hold": "120", "wall": "0"}
    said = next(row for row in op.answer(narrow, "mm").rows if row.word == "Most engagement")
    assert said.shown == "180°" and "more than asked" in said.note


@given(st.floats(0.5, 4.5), st.floats(2.0, 6.0))
@settings(max_examples=25)
def test_engagement_along_a_straight_wall_is_the_handbooks(a: float, r: float) -> None:
    """acos(1 - a / r), plane geometry; felt a twentieth inside the rim: acos((r - a) / 0.95 r)."""
    a = min(a, 1.5 * r)
    floor = Floor(shapely.box(0.0, 0.0, 60.0, 40.0), r)
    floor.cut(np.array([[0.0, 10.0], [60.0, 10.0]]))
    felt = math.degrees(floor.engaged(np.array([[15.0, 10.0 + a], [45.0, 10.0 + a]])))
    assert felt == pytest.approx(math.degrees(math.acos(min(1.0, (r - a) / (0.95 * r)))), abs=7.0)


@given(st.lists(st.tuples(st.floats(-3.0, 3.0), st.floats(2.0, 30.0)), min_size=1, max_size=6))
@settings(max_examples=40)
def test_arcs_go_by_every_place_they_stand_for(turns: list[tuple[float, float]]) -> None:
    at, heading, places = np.zeros(2), 0.0, [np.zeros(2)]
    for bend, long in turns:
        for _k in range(40):
            heading += bend / 40.0
            at = at + long / 40.0 * np.array([math.cos(heading), math.sin(heading)])
            places.append(at)
    segs = arcs_through(np.array(places), 0.02)
    line = shapely.LineString(Contour(segs, False).places(0.001))
    assert shapely.distance(line, shapely.points(np.array(places))).max() <= 0.0215
    assert (
        all(math.dist((a.x1, a.y1), (b.x0, b.y0)) < 1e-9 for a, b in itertools.pairwise(segs))
        and len(segs) < len(places) / 2
    )


@pytest.mark.parametrize("op", [RECTANGULAR, ROUND, OPS["pocket-any-contour"]], ids=lambda op: op.key)
def test_little_of_the_feed_path_is_air(prove_text: Prove, op: Operation) -> None:
    """Ways through what is cleared, fed: under 15 % of all that is fed; the ways back at rapid take little of the time."""
    dice, count = random.Random(op.key), 0
    while count < (12 if DEEP else 2):
        fixed = {**({} if DEEP else {**short(op), "deep": "2", "d": "10"}), "parts": "one", "way": "helix"}
        entered = some_entries(op, dice, {**fixed, "hold": f"{dice.uniform(118.0, 170.0):.1f}"})
        try:
            proof = proved(prove_text, "mill", op, entered)
        except CannotBe:
            continue
        count += 1
        m, took = proof.motions, proof.timing.duration
        removed = sum((h.removed for h in proof.histories), np.zeros(len(m)))
        fed = m.kind != Kind.RAPID
        empty = fed & (removed <= 0.0)
        assert m.lengths()[empty].sum() < 0.15 * m.lengths()[fed].sum()
        low = ~fed & (np.minimum(m.start[:, 2], m.end[:, 2]) < float(entered.get("top", "0")))
        assert took[empty | low].sum() < 0.25 * took.sum(), entered
