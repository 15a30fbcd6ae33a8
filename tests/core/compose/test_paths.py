"""The ways that operations write, as plane geometry: what the tool covers is judged by shapely, without the kernel."""

from __future__ import annotations

import math

import numpy as np
import pytest
import shapely
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from shapely.geometry.base import BaseGeometry

from tests.core.compose.entries import DEEP
from underglass.core.compose.operation import Operation, mark_of
from underglass.core.compose.writer import Turned, Writer
from underglass.core.language.block import read_block
from underglass.core.reckon.form import CannotBe, Stroke
from underglass.core.trades.milling.operations.facing import FACING
from underglass.core.trades.milling.operations.pocket import RECTANGULAR, ROUND
from underglass.core.units import Unit


def line_of(stroke: Stroke) -> BaseGeometry:
    """A stroke as a shapely line; arcs by points a degree apart."""
    if stroke.kind in ("line", "run"):
        return shapely.LineString(list(zip(stroke.at[::2], stroke.at[1::2])))
    cx, cy, r, first, last = stroke.at
    count = max(2, math.ceil(abs(last - first)) + 1)
    turns = [math.radians(first + (last - first) * k / (count - 1)) for k in range(count)]
    return shapely.LineString([(cx + r * math.cos(t), cy + r * math.sin(t)) for t in turns])


def swept(operation: Operation, entered: dict[str, str], radius: float) -> BaseGeometry:
    """Everything that the tool's edge passes over at feed, from the operation's own drawing."""
    answer = operation.answer(entered, "mm")
    ways = [line_of(s) for s in answer.strokes if s.style == "cut"]
    return shapely.union_all([w.buffer(radius, quad_segs=45) for w in ways])


PLACE = st.tuples(*[st.sampled_from((0.0, -0.0004, 1.0, 1.00049, -2.5, 33.3333)) | st.floats(-99.0, 99.0)] * 3)


@given(st.lists(PLACE, min_size=1, max_size=12), st.sampled_from(("mm", "inch")), st.sampled_from((None, True, False)), st.booleans())  # fmt: skip
def test_a_run_is_written_as_its_places_one_by_one(run: list[tuple[float, float, float]], unit: Unit, by_word: bool | None, cut: bool) -> None:  # fmt: skip
    turned = None if by_word is None else Turned(30.0, 1.0, 2.0, by_word)
    writers = [Writer(unit, turned=turned) for _ in range(2)]
    for k, w in enumerate(writers):
        w.rapid(3.0, 4.0)
        if cut:
            w.feed(5.0, 6.0, -1.0, f=300.0)
        if k:
            w.feeds(np.array(run), f=250.0)
        else:
            for place in run:
                w.feed(*place, f=250.0)
        w.arc(True, 10.0, 0.0, 5.0, 0.0, f=200.0)
        w.feed(1.0, z=2.0, f=100.0)
    one, many = writers
    assert many.text() == one.text() and (many.place, many.here, many.z) == (one.place, one.here, one.z)
    assert math.isclose(many.fed, one.fed) and math.isclose(many.minutes, one.minutes)
    assert many.fed > 0.0
    shape = [shapely.union_all([line_of(s) for s in w.strokes if s.kind != "arc"]) for w in writers]
    assert shape[0].hausdorff_distance(shape[1]) < 1e-9


def words(blocks: tuple[str, ...], letter: str) -> list[float]:
    return [w.value for text in blocks for w in read_block(text, 1).words if w.letter == letter]


@given(
    st.floats(5, 200), st.floats(5, 120), st.floats(3, 80), st.integers(10, 90), st.sampled_from("xy"),
    st.sampled_from(["both", "one"]), st.floats(0, 6),
)  # fmt: skip
@settings(max_examples=25 if DEEP else 12, deadline=None)
def test_a_face_is_covered_and_the_tool_starts_and_ends_beside_it(
    long: float, wide: float, d: float, over: int, along: str, ways: str, beyond: float
) -> None:
    entered = {
        "x1": f"{long:.3f}", "y1": f"{wide:.3f}", "d": f"{d:.3f}", "over": str(over), "along": along, "ways": ways,
        "beyond": f"{beyond:.3f}",
    }  # fmt: skip
    area = shapely.box(0, 0, round(long, 3), round(wide, 3))
    assume(long * wide / d < 4000)
    covered = swept(FACING, entered, round(d, 3) / 2)
    assert area.difference(covered.buffer(2e-3)).area < 1e-3
    blocks = FACING.answer(entered, "mm").blocks
    axis = words(blocks, "X" if along == "x" else "Y")
    reach = round(long if along == "x" else wide, 3)
    assert min(axis) == pytest.approx(-round(d, 3) / 2 - round(beyond, 3), abs=2e-3)
    assert max(axis) == pytest.approx(reach + round(d, 3) / 2 + round(beyond, 3), abs=2e-3)


@given(
    st.floats(13, 120), st.floats(13, 90), st.floats(3, 12), st.floats(0, 4), st.integers(10, 70),
    st.sampled_from(["0", "0.2", "0.7"]), st.sampled_from(["climb", "against"]), st.sampled_from(["helix", "ramp", "plunge"]),
)  # fmt: skip
@settings(max_examples=15 if DEEP else 7, deadline=None)
def test_a_pocket_is_covered_to_its_wall_and_not_a_hair_beyond(
    long: float, wide: float, d: float, rounder: float, over: int, wall: str, turn: str, way: str
) -> None:
    d = round(d, 3)
    corner = min(d / 2 + round(rounder, 3), round(long, 3) / 2, round(wide, 3) / 2)
    entered = {
        "cx": "0", "cy": "0", "long": f"{long:.3f}", "wide": f"{wide:.3f}", "d": f"{d}", "corner": f"{corner:.4f}", "over": str(over),
        "wall": wall, "turn": turn, "way": way,
    }  # fmt: skip
    a, b, c = round(long, 3) / 2, round(wide, 3) / 2, round(corner, 4)
    region = shapely.box(-a + c, -b + c, a - c, b - c).buffer(c, quad_segs=90)
    try:
        covered = swept(RECTANGULAR, entered, d / 2)
    except CannotBe:
        assert way != "plunge" or min(a, b) <= d / 2 + float(wall) or c < d / 2
        return
    assert covered.difference(region.buffer(0.02)).area < 1e-3
    assert region.buffer(-0.02).difference(covered).area < 0.02


@given(st.floats(9, 150), st.floats(3, 20), st.integers(10, 70), st.sampled_from(["0", "0.3"]))
@settings(max_examples=10 if DEEP else 6, deadline=None)
def test_a_round_pocket_is_covered_to_its_wall(dia: float, d: float, over: int, wall: str) -> None:
    entered = {
        "cx": "0",
        "cy": "0",
        "dia": f"{dia:.3f}",
        "d": f"{d:.3f}",
        "over": str(over),
        "wall": wall,
        "way": "plunge",
    }
    try:
        covered = swept(ROUND, entered, round(d, 3) / 2)
    except CannotBe:
        assert round(dia, 3) / 2 <= round(d, 3) / 2 + float(wall)
        return
    region = shapely.Point(0, 0).buffer(round(dia, 3) / 2, quad_segs=180)
    assert covered.difference(region.buffer(0.03)).area < 1e-3
    assert region.buffer(-0.03).difference(covered).area < 0.02


@pytest.mark.parametrize("op", [RECTANGULAR, ROUND], ids=lambda op: op.name)
@given(st.floats(0.5, 20), st.floats(0.2, 5), st.sampled_from(["0", "0.1"]))
@settings(max_examples=25 if DEEP else 12, deadline=None)
def test_no_pass_is_deeper_than_wanted_and_the_last_reaches_the_floor(
    op: Operation, deep: float, down: float, floor: str
) -> None:
    answer = op.answer({"deep": f"{deep:.3f}", "down": f"{down:.3f}", "floor": floor, "way": "plunge"}, "mm")
    heights = sorted({z for z in words(answer.blocks, "Z") if z <= 0.0}, reverse=True)
    assert heights[-1] == pytest.approx(-round(deep, 3), abs=1e-6)
    for above, below in zip([0.0, *heights], heights):
        assert above - below <= round(down, 3) + 1e-3


def test_climbing_runs_anticlockwise_and_against_runs_clockwise() -> None:
    for turn, code, other in (("climb", "G3", "G2"), ("against", "G2", "G3")):
        blocks = ROUND.answer({"turn": turn, "way": "plunge"}, "mm").blocks
        assert any(b.startswith(code) for b in blocks) and not any(b.startswith(other) for b in blocks)


def test_the_writer_leaves_out_what_is_in_force() -> None:
    w = Writer("mm")
    w.rapid(1.0, 2.0)
    w.rapid(1.0, 3.0)
    w.feed(1.0, 3.0, -1.0, f=100)
    w.feed(5.0, f=100)
    w.feed(5.0, f=200)
    w.arc(False, 5.0, 3.0, 4.0, 3.0, f=200)
    w.arc(True, 3.0, 3.0, 4.0, 3.0, f=250.5)
    w.block("M9")
    w.rapid(z=5.0)
    assert w.text() == (
        "G0 X1. Y2.", "Y3.", "G1 Z-1. F100", "X5.", "G3 X5. Y3. I-1. J0. F200", "G2 X3. Y3. I-1. J0. F250.5", "M9", "G0 Z5.",
    )  # fmt: skip
    assert w.fed == pytest.approx(1 + 4 + math.tau + math.pi)
    assert w.minutes == pytest.approx(1 / 100 + 4 / 100 + math.tau / 200 + math.pi / 250.5)
    inch = Writer("inch")
    inch.rapid(0.12345 * 25.4, -0.00001)
    assert inch.text() in (("G0 X0.1235 Y0.",), ("G0 X0.1234 Y0.",))


@given(st.lists(st.sampled_from(["G1 X5.", "N10 G1 X5.", "n7g1x5.", " ", "Y2. F100"]), max_size=6))
def test_a_mark_does_not_care_for_numbers_spaces_and_case(blocks: list[str]) -> None:
    plain = ["".join(b.upper().replace("N10 ", "").replace("N7", "").split()) for b in blocks]
    assert mark_of(blocks) == mark_of(plain) and len(mark_of(blocks)) == 4
    assert mark_of([*blocks, "X9."]) != mark_of(blocks)
