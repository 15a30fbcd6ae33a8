"""Arcs, corners, tangents and patterns against the control's own arcs, against shapely, and by what must hold."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
import pytest
import shapely
from hypothesis import assume, example, given
from hypothesis import strategies as st

from tests.conftest import START
from underglass.core.proof.proof import Proof
from underglass.core.reckon.all import RECKONERS
from underglass.core.reckon.arcs import centre_of, turn
from underglass.core.reckon.corners import belt, beside, rounding, tangents
from underglass.core.reckon.form import CannotBe, Reckoner, point_blocks, write
from underglass.core.reckon.patterns import in_rows, on_circle
from underglass.core.reckon.shapes import chord_height, point_depth, triangle

numbers = st.floats(-200, 200)
ALL = {r.name: r for r in RECKONERS}


def reckon(name: str, **entered: str) -> dict[str, str]:
    return {row.word: row.shown for row in ALL[name].answer(entered, "mm").rows}


@given(numbers, numbers, numbers, numbers, st.floats(0.5, 1.5), st.booleans(), st.booleans())
def test_a_centre_is_as_far_from_both_ends_and_the_short_arc_is_short(
    x0: float, y0: float, x1: float, y1: float, share: float, clockwise: bool, long: bool
) -> None:
    chord = math.hypot(x1 - x0, y1 - y0)
    assume(chord > 1.0)
    r = chord * max(share, 0.501) * (-1 if long else 1)
    cx, cy = centre_of(x0, y0, x1, y1, r, clockwise)
    assert math.isclose(math.hypot(x0 - cx, y0 - cy), abs(r), rel_tol=1e-9)
    assert math.isclose(math.hypot(x1 - cx, y1 - cy), abs(r), rel_tol=1e-9)
    swept = turn(x0, y0, x1, y1, cx, cy, clockwise)
    assert swept > 180.0 - 1e-6 if long else swept < 180.0 + 1e-6


@pytest.mark.parametrize("way", ["G2", "G3"])
@pytest.mark.parametrize("part", ["short", "long"])
def test_the_control_makes_one_arc_of_both_blocks(prove_text: Callable[..., Proof], way: str, part: str) -> None:
    entered = {"x0": "10", "y0": "5", "x1": "25", "y1": "17", "r": "14", "way": way, "part": part}
    answer = ALL["Arc: centre from radius"].answer(entered, "mm")
    ends = []
    for block in answer.blocks:
        proof = prove_text(START + "G1 X10. Y5. F500\n" + block + "\nM30\n")
        moves = proof.motions
        arc = int(np.flatnonzero(moves.sweep != 0.0)[0])
        ends.append((*moves.centre[arc][:2], moves.sweep[arc]))
        assert not [f for f in proof.troubles if f.code.startswith("arc")]
    assert np.allclose(ends[0], ends[1], atol=2e-3)
    assert (abs(ends[0][2]) > math.pi) == (part == "long") and (ends[0][2] < 0) == (way == "G2")


def test_worked_examples_of_arcs() -> None:
    # 3-4-5 by hand: from (0,0) to (6,0) on R5 the centre lies 4 above or below the chord's middle.
    assert centre_of(0, 0, 6, 0, 5, False) == pytest.approx((3.0, 4.0))
    assert centre_of(0, 0, 6, 0, 5, True) == pytest.approx((3.0, -4.0))
    assert centre_of(0, 0, 6, 0, -5, False) == pytest.approx((3.0, -4.0))
    out = reckon("Arc: radius from centre", x0="10", y0="0", x1="-10", y1="0", cx="0", cy="0", way="G2")
    assert out["I, J"] == "I-10. J0." and out["Turn"] == "180\u00b0" and out["Length"] == "31.416"
    whole = ALL["Quarter, half or whole circle"].answer({"much": "360", "towards": "180", "r": "7"}, "mm")
    assert whole.blocks == ("G3 X0. Y0. I-7. J0.",)
    off = ALL["Arc: radius from centre"].answer({"cx": "0", "cy": "20.02"}, "mm")
    assert "differ by" in off.note and not off.blocks


@pytest.mark.parametrize(
    ("name", "entered", "key"),
    [
        ("Arc: centre from radius", {"r": "5"}, "r"),
        ("Arc: centre from radius", {"x1": "0", "y1": "0"}, "r"),
        ("Arc: centre from radius", {"r": "five"}, "r"),
        ("Corner: rounding", {"r": "100"}, "r"),
        ("Corner: rounding", {"bx": "80", "by": "0"}, "cx"),
        ("Tangent from a point to a circle", {"ax": "40", "ay": "10"}, "ax"),
        ("Bolt circle", {"n": "2.5"}, "n"),
        ("Compensated points by hand", {"points": "0 0\n10"}, "points"),
        ("Compensated points by hand", {"points": "0 0\n8 0\n8 30\n0 30", "side": "left"}, "d"),
        ("Chord, height, radius", {"h": "3"}, "h"),
        ("Triangle", {"c": "20"}, "a"),
    ],
)
def test_what_cannot_be_names_its_field(name: str, entered: dict[str, str], key: str) -> None:
    with pytest.raises(CannotBe) as problem:
        ALL[name].answer(entered, "mm")
    assert problem.value.key == key and len(str(problem.value)) > 10


@given(st.floats(-3, 3), st.floats(0.3, 2.8), st.booleans(), st.floats(0.5, 4))
def test_a_rounding_touches_both_lines(heading: float, turned: float, left: bool, r: float) -> None:
    after = heading + turned * (1 if left else -1)
    corner = (5.0, -3.0)
    a = (corner[0] - 100 * math.cos(heading), corner[1] - 100 * math.sin(heading))
    b = (corner[0] + 100 * math.cos(after), corner[1] + 100 * math.sin(after))
    first, last, centre, clockwise = rounding(a, corner, b, r)
    assert clockwise != left
    for touch, line in ((first, (a, corner)), (last, (corner, b))):
        assert math.isclose(math.dist(touch, centre), r, rel_tol=1e-9)
        segment = shapely.LineString(line)
        assert segment.distance(shapely.Point(touch)) < 1e-9
        assert math.isclose(segment.distance(shapely.Point(centre)), r, rel_tol=1e-9)


@given(st.floats(20, 90), st.floats(-3, 3), st.floats(1, 19))
def test_tangents_touch_once(d: float, angle: float, r: float) -> None:
    p = (d * math.cos(angle), d * math.sin(angle))
    for touch in tangents(p, (0.0, 0.0), r):
        assert math.isclose(math.hypot(*touch), r, rel_tol=1e-9)
        assert abs(touch[0] * (p[0] - touch[0]) + touch[1] * (p[1] - touch[1])) < 1e-6 * d * d


@given(st.floats(30, 90), st.floats(1, 14), st.floats(1, 14), st.booleans(), st.booleans())
def test_a_line_along_two_circles_touches_both(d: float, r1: float, r2: float, crossed: bool, left: bool) -> None:
    one, two = belt((0.0, 0.0), r1, (d, 0.0), r2, crossed, left)
    line = np.subtract(two, one)
    assert abs(np.dot(line, one)) < 1e-6 * d * d and abs(np.dot(line, np.subtract(two, (d, 0.0)))) < 1e-6 * d * d
    assert (one[1] > 0) == left and ((two[1] > 0) == left) != crossed


@given(st.lists(st.tuples(st.floats(20, 80), st.floats(-0.2, 0.2)), min_size=3, max_size=8), st.floats(0.5, 6))
@example([(67.199090450702, -0.06594536625928915), (20.0, 0.0), (21.63740870995568, 0.08662781429419375)], 1.5)
def test_shifted_points_are_shapelys_mitred_offset(spokes: list[tuple[float, float]], distance: float) -> None:
    count = len(spokes)
    ring = [
        (r * math.cos((k + a) * math.tau / count), r * math.sin((k + a) * math.tau / count))
        for k, (r, a) in enumerate(spokes)
    ]
    polygon = shapely.Polygon(ring)
    assume(polygon.is_valid and polygon.convex_hull.equals(polygon))
    ours = shapely.Polygon(beside(tuple(ring), -distance, True))
    theirs = polygon.buffer(distance, join_style="mitre", mitre_limit=1e6)
    # On a grid: two outlines that differ by rounding alone are too much for an overlay without one.
    apart = shapely.symmetric_difference(ours, theirs, grid_size=1e-9)
    assert apart.area < 1e-6 * theirs.area


def test_open_lines_are_shifted_square_at_their_ends() -> None:
    assert np.allclose(beside(((0, 0), (10, 0), (10, 10)), 2.0, False), [(0, 2), (8, 2), (8, 10)])


def test_patterns() -> None:
    six = on_circle(10, 20, 60, 6, 30, 360)
    assert all(math.isclose(math.dist(p, (10, 20)), 30) for p in six)
    # The side of a regular hexagon is its circle's radius (Euclid IV.15).
    assert math.isclose(math.dist(six[0], six[1]), 30)
    part = on_circle(0, 0, 20, 3, 0, 90)
    assert part[0] == pytest.approx((10, 0)) and part[-1] == pytest.approx((0, 10))
    rows = in_rows(0, 0, 3, 2, 10, 5, 0)
    assert np.allclose(rows, [(0, 0), (10, 0), (20, 0), (20, 5), (10, 5), (0, 5)])
    assert in_rows(1, 1, 2, 1, 10, 5, 90)[1] == pytest.approx((1, 11))


@given(st.lists(st.tuples(numbers, numbers), min_size=1, max_size=30))
def test_incremental_points_add_up_without_drift(points: list[tuple[float, float]]) -> None:
    x = y = 0.0
    for (px, py), block in zip(points, point_blocks(tuple(points), "mm", incremental=True)):
        bx, by = block.split()
        x, y = x + float(bx[1:]), y + float(by[1:])
        assert math.isclose(x, px, abs_tol=5.01e-4) and math.isclose(y, py, abs_tol=5.01e-4)


@given(st.floats(1, 300), st.floats(0.01, 1.0))
def test_chord_and_height_go_both_ways(r: float, share: float) -> None:
    c = 2 * r * share
    h = chord_height(r, c)
    assert math.isclose(c * c / (8 * h) + h / 2, r, rel_tol=1e-6)


def test_worked_examples_of_shapes() -> None:
    assert point_depth(10, 118) == pytest.approx(
        3.0043, abs=1e-4
    )  # 0.30043 D for 118 degrees, handbook factor from memory
    assert point_depth(10, 90) == pytest.approx(5.0)
    assert reckon("Drill point", d="10", angle="118", depth="20", beyond="1")["Z of the tip"] == "Z-24.004"
    assert reckon("Scallop of a ball", d="6", s="0.5")["Ridge h"] == "0.0104"
    assert reckon("Scallop of a ball", d="6", s="", h="0.0104")["Step s"] == "0.499"
    assert reckon("Countersink or spot", want="9", angle="90", flat="1")["Z of the tip"] == "Z-4."


@given(st.floats(1, 100), st.floats(1, 100), st.floats(10, 170))
def test_a_triangle_comes_back_from_any_three_of_its_parts(a: float, b: float, cc: float) -> None:
    whole = triangle(a, b, None, None, None, cc)
    assume(min(whole[3:]) > 1.0)
    assert math.isclose(sum(whole[3:]), 180.0)
    for wanted in ((0, 1, 2), (0, 3, 4), (2, 3, 4), (0, 2, 4)):
        again = triangle(*(v if k in wanted else None for k, v in enumerate(whole)))
        assert np.allclose(again, whole, rtol=1e-5, atol=1e-5)


@pytest.mark.parametrize("reckoner", RECKONERS, ids=lambda r: r.name)
@pytest.mark.parametrize("unit", ["mm", "inch"])
def test_every_reckoner_opens_with_an_answer_and_its_source(reckoner: Reckoner, unit: str) -> None:
    answer = reckoner.answer({}, unit)  # type: ignore[arg-type]
    assert answer.rows and answer.steps and reckoner.source
    assert all(any(c.isdigit() for c in row.shown) for row in answer.rows)


@given(st.floats(-1e4, 1e4))
def test_written_numbers_have_a_point_and_are_what_was_meant(value: float) -> None:
    text = write(value)
    assert "." in text and math.isclose(float(text), value, abs_tol=5.01e-4) and text not in ("-0.",)
