"""Contours as rows: worked examples, what is missing and what does not agree, offsets found again as arcs."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from underglass.core.compose.contour import fitted, grown, rings_of
from underglass.core.compose.contour_rows import one_contour, read_contours, rows_of
from underglass.core.compose.fitting import few
from underglass.core.files.contours import contours_of
from underglass.core.files.print_in import Arc, Line, Print
from underglass.core.reckon.form import CannotBe


def test_missing_figures_are_worked_out() -> None:
    # A 3-4-5 triangle by angles (plane trigonometry): the second line's start is where both meet.
    c = one_contour("0 0\nA0 L4\n0 3\nCLOSE", "mm")
    assert c.closed and c.polygon().area == pytest.approx(6.0)
    c = one_contour("0 0\nA45\n40 0 A-45\nCLOSE", "mm")
    assert (c.segs[0].x1, c.segs[0].y1) == pytest.approx((20.0, 20.0))
    c = one_contour("0 0\nX30 A30", "mm")
    assert c.end == pytest.approx((30.0, 30.0 * math.tan(math.radians(30.0))))
    # An arc that leaves in the line's direction and ends a quarter turn on.
    c = one_contour("0 0\n10 0\nTAN 15 5\n15 20", "mm")
    assert c.segs[1].turn == 1 and (c.segs[1].cx, c.segs[1].cy) == pytest.approx((10.0, 5.0))


def test_corners_are_rounded_and_chamfered() -> None:
    c = one_contour("0 0\n60 0 R8\n60 40 C5\n0 40\nCLOSE", "mm")
    assert c.polygon().area == pytest.approx(2400 - (64 - math.pi * 16) - 12.5, abs=0.01)
    # A first row's corner is where the contour closes.
    assert one_contour("0 0 C3\n10 0\n10 10\nCLOSE", "mm").polygon().area < 50.0
    rounded = one_contour("0 0\n20 0 R2\nG3 0 20 I-10 J10", "mm")
    assert len(rounded.segs) == 3 and rounded.segs[1].radius == pytest.approx(2.0)
    inch = one_contour("0 0\n1 0\n1 1\nCLOSE", "inch")
    assert inch.polygon().area == pytest.approx(25.4**2 / 2)


@pytest.mark.parametrize(("rows", "why"), [
    ("0 0\nA30\n50 50", "row 2: too little is given"), ("0 0\nG3 10 10", "row 2: too little is given"),
    ("0 0\n10 0 A10", "row 2: too much is given"), ("0 0\n10 0 L12", "row 2: too much is given"),
    ("0 0\nG2 10 0 B4", "does not reach"), ("0 0\nG3 10 0 I5.5", "off the circle"), ("0 0\n20 0 R30\n20 10", "does not fit"),
    ("0 0\nL5", "two ways"), ("A30", "starts with a place"), ("0 0\nQ4", "no word"), ("0 0\n0 0", "no length"),
    ("0 0\n10 0\nCLOSE\n5 5", "nothing can follow"), ("0 0\nTAN 5 5", "before it"), ("0 0\n1 2 3", "third figure"),
])  # fmt: skip
def test_what_cannot_be_drawn_is_said_with_its_row(rows: str, why: str) -> None:
    with pytest.raises(CannotBe, match=why) as problem:
        one_contour(rows, "mm")
    assert problem.value.key == "contour"


@given(st.lists(st.tuples(st.floats(10, 40), st.floats(0.1, 5)), min_size=4, max_size=9), st.floats(-3, 6))
@settings(max_examples=60, deadline=None)
def test_offsets_are_those_of_shapely_made_of_far_more_chords(spokes: list[tuple[float, float]], by: float) -> None:
    turns = [math.tau * k / len(spokes) for k in range(len(spokes))]
    places = [(r * math.cos(t), r * math.sin(t)) for (r, _c), t in zip(spokes, turns, strict=True)]
    shape = shapely.Polygon(places)
    if not shape.is_valid or abs(by) < 0.05:
        return
    ours = grown(shape, by)
    fine = shape.buffer(by, quad_segs=1000)
    assert ours.symmetric_difference(fine).area < 0.002 * max(fine.length, 1.0)
    for ring in rings_of(ours):
        again = ring.polygon(0.0005)
        assert (
            again.is_valid
            and min(again.symmetric_difference(p).area for p in shapely.get_parts(ours)) < 0.01 * ring.length
        )
        assert all(seg.radius == pytest.approx(abs(by), abs=0.01) for seg in ring.segs if seg.turn)


def test_chords_of_a_circle_are_a_circle_again_and_a_hexagon_is_none() -> None:
    circle = fitted(np.asarray(shapely.Point(3, 4).buffer(20, quad_segs=200).exterior.coords), True)
    assert (
        len(circle.segs) <= 2
        and all(s.turn for s in circle.segs)
        and circle.length == pytest.approx(math.tau * 20, abs=0.01)
    )
    six = [(10 * math.cos(k * math.pi / 3), 10 * math.sin(k * math.pi / 3)) for k in range(7)]
    assert [s.turn for s in fitted(np.array(six), True).segs] == [0] * 6


@pytest.mark.parametrize("rows", ["0 0\n60 0 R8\n60 40 C5\n0 40\nCLOSE", "10 10\nG3 10 10 I0 J8", "0 0\n30 0\nG2 30 30 I0 J15\n0 30\nCLOSE"])  # fmt: skip
def test_what_a_contour_surrounds_is_the_area_of_its_polygon(rows: str) -> None:
    c = one_contour(rows, "mm")
    assert abs(c.area) == pytest.approx(c.polygon(1e-5).area, rel=1e-5) and c.back().area == pytest.approx(-c.area)
    assert c.anticlockwise == shapely.is_ccw(shapely.LinearRing(c.places(0.01)))


@given(st.lists(st.floats(-5, 5), min_size=2, max_size=60), st.floats(0.001, 1.0))
def test_few_places_stand_for_a_curve(heights: list[float], within: float) -> None:
    """Against shapely's own simplification, by how far the curve strays from the chords."""
    u, z = np.arange(len(heights)) * 0.5, np.array(heights)
    kept = few(u, z, within)
    assert kept[0] == 0 and kept[-1] == len(u) - 1 and kept == sorted(set(kept))
    assert np.abs(np.interp(u, u[kept], z[kept]) - z).max() <= within + 1e-12
    theirs = shapely.LineString(np.column_stack([u, z])).simplify(within / 50.0)
    # Places that even fifty times finer chords leave out are left out here.
    assert set(u[kept]) <= set(shapely.get_coordinates(theirs)[:, 0]) or len(theirs.coords) >= len(kept)


@given(st.floats(0.1, 0.9), st.floats(0.1, 3.0))
@settings(max_examples=30, deadline=None)
def test_stretches_of_a_contour_make_it_up(first: float, turns: float) -> None:
    c = one_contour("0 0\n60 0 R8\n60 40 C5\n0 40\nCLOSE", "mm")
    a, b = first * c.length, (first + turns) * c.length
    segs = c.between(a, b)
    assert sum(s.length for s in segs) == pytest.approx(b - a)
    assert all(math.dist((p.x1, p.y1), (q.x0, q.y0)) < 1e-6 for p, q in itertools.pairwise(segs))
    assert c.back().length == pytest.approx(c.length) and c.back().anticlockwise != c.anticlockwise


def test_rows_and_drawings_become_the_contour_again() -> None:
    two = read_contours("0 0\n60 0 R8\n60 40\n0 40\nCLOSE\n/\n10 10\nG3 20 20 B8", "mm")
    again = read_contours(rows_of(two), "mm")
    assert [c.length for c in again] == pytest.approx([c.length for c in two], abs=1e-3)
    drawn = Print(
        (
            Line(0, 0, 50, 0),
            Line(50, 30, 50, 0),
            Line(50, 30, 0, 30),
            Line(0, 30, 0, 0),
            Arc(20, 15, 5, 0, 360),
            Line(80, 0, 90, 0),
        )
    )
    found = contours_of(drawn)
    assert [c.closed for c in found] == [True, True, False]
    assert found[0].polygon().area == pytest.approx(1500.0) and found[1].polygon().area == pytest.approx(
        math.pi * 25, abs=0.02
    )
