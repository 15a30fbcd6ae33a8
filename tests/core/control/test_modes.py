"""Planes, offsets, shifts, rotation, scaling, mirror, reference points, dwell, feed modes, registers set by the program."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.control.test_interpret import codes, ends, run
from tests.core.control.test_timing import MACHINE
from underglass.core.control.motions import Kind
from underglass.core.control.timing import time_motions
from underglass.core.control.transform import Mapping, Transform

BEGIN = "G0 X0 Y0 Z0\nF500\n"


def near(done, expected):  # type: ignore[no-untyped-def]
    assert [e[:2] for e in ends(done)[-len(expected) :]] == [pytest.approx(e, abs=1e-6) for e in expected]


# -- planes ----------------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("text", "middle"),
    [
        # Counter-clockwise quarter from the plane's first axis to its second: G17 X to Y, G18 Z to X, G19 Y to Z.
        ("G17 G0 X10. Y0\nG3 X0 Y10. I-10. J0", (10 / math.sqrt(2), 10 / math.sqrt(2), 0.0)),
        ("G18 G0 Z10. X0\nG3 Z0 X10. K-10. I0", (10 / math.sqrt(2), 0.0, 10 / math.sqrt(2))),
        ("G19 G0 Y10. Z0\nG3 Y0 Z10. J-10. K0", (0.0, 10 / math.sqrt(2), 10 / math.sqrt(2))),
    ],
)
def test_quarters_in_each_plane(text: str, middle: tuple[float, float, float]) -> None:
    done = run(BEGIN + text)
    m = done.motions
    last = len(m) - 1
    assert not done.findings and m.kind[last] == Kind.ARC_CCW
    assert m.state_of(last).work(m.at(last, 0.5)) == pytest.approx(middle)
    assert m.lengths()[last] == pytest.approx(5.0 * math.pi)


def test_absolute_arc_centres() -> None:
    done = run(BEGIN + "G0 X10. Y0\nG90.1 G3 X0 Y10. I0 J0\nG91.1 G3 X-10. Y0 I0 J-10.")
    assert not done.findings
    assert done.motions.radius()[-2:] == pytest.approx([10.0, 10.0])


# -- offsets and shifts ------------------------------------------------------------------------------------------------------


def test_g10_sets_a_work_offset_and_takes_hold_at_once() -> None:
    done = run(BEGIN + "G10 L2 P1 X-200.\nX0\nG10 L2 P2 X-50. Y-50. Z-50.\nG55 X0")
    assert done.motions.end[-2:, 0].tolist() == [-200.0, -50.0]


def test_g10_sets_length_registers_and_their_wear() -> None:
    done = run("G10 L10 P7 R80.\nG10 L11 P7 R-0.5\nT1 M6\nG43 H7 G0 Z0")
    assert done.motions.state_of(0).h_value == pytest.approx(79.5)


def test_g54_1_has_48_more() -> None:
    done = run("G54.1 P3 G0 X1.")
    assert done.motions.state_of(0).offset == "G54.1P3"
    assert codes(run("G54.1 P49 G0 X1.")) == ["syntax"]


def test_g52_shifts_until_it_is_nought() -> None:
    done = run(BEGIN + "G52 X10. Y5.\nX1. Y1.\nG52 X0 Y0\nX1. Y1.\nM30")
    near(done, [(11.0, 6.0), (1.0, 1.0)])
    assert not done.findings


def test_g92_calls_the_place_by_another_name() -> None:
    done = run(BEGIN + "G0 X10. Y10.\nG92 X0 Y0\nX5. Y5.\nG92.1\nX5. Y5.")
    near(done, [(15.0, 15.0), (5.0, 5.0)])


def test_g28_goes_through_the_place_named_and_home_with_its_axes() -> None:
    done = run("G0 X10. Y10. Z-20.\nG91 G28 Z0\nG90 G28 X20. Z-5.")
    rows = done.motions.end.tolist()
    assert rows[1] == [-290.0, -140.0, 0.0]
    assert rows[2:] == [[-280.0, -140.0, -205.0], [0.0, -140.0, 0.0]]
    assert codes(run("G28")) == ["syntax"]


# -- rotation, scaling, mirror ---------------------------------------------------------------------------------------------


def test_a_square_turned_45_degrees_by_one_rotation_word() -> None:
    """Common practice, no source: the corners of a 20 mm square about its middle end up on the axes, 14.142 away."""
    done = run(BEGIN + "G68 X50. Y30. R45.\nG1 X40. Y20.\nX60.\nY40.\nX40.\nG69\nM30")
    far = math.hypot(10, 10)
    near(done, [(50, 30 - far), (50 + far, 30), (50, 30 + far), (50 - far, 30)])
    assert not done.findings


def test_rotation_turns_arcs_too() -> None:
    done = run(BEGIN + "G68 X0 Y0 R90.\nG1 X10. Y0\nG3 X0 Y10. I-10. J0\nG69")
    near(done, [(0.0, 10.0), (-10.0, 0.0)])
    assert done.motions.radius()[-1] == pytest.approx(10.0)
    assert done.motions.kind[-1] == Kind.ARC_CCW


def test_rotation_without_a_centre_turns_about_the_tool() -> None:
    near(run(BEGIN + "G0 X10. Y0\nG68 R90.\nX20.\nG69"), [(10.0, 10.0)])


def test_steps_are_turned_too() -> None:
    near(run(BEGIN + "G68 X0 Y0 R90.\nG91 G1 X5.\nY5.\nG69"), [(0.0, 5.0), (-5.0, 5.0)])


def test_mirroring_swaps_the_ways_round() -> None:
    done = run(BEGIN + "G51.1 X0\nG1 X10. Y0\nG2 X20. Y0 I5. J0\nG50.1")
    near(done, [(-10.0, 0.0), (-20.0, 0.0)])
    assert done.motions.kind[-1] == Kind.ARC_CCW
    # Both are over the top: the mirrored arc bulges the same way.
    assert done.motions.state_of(len(done.motions) - 1).work(done.motions.at(len(done.motions) - 1, 0.5))[
        1
    ] == pytest.approx(5.0)


def test_mirroring_twice_turns_by_half() -> None:
    done = run(BEGIN + "G51.1 X0 Y0\nG1 X10. Y0\nG2 X20. Y0 I5. J0\nG50.1")
    assert done.motions.kind[-1] == Kind.ARC_CW


def test_scaling_about_a_centre() -> None:
    done = run(BEGIN + "G51 X10. Y0 Z0 P2.\nG1 X15. Y5.\nG2 X25. Y5. I5. J0\nG50\nX15. Y5.")
    near(done, [(20.0, 10.0), (40.0, 10.0), (15.0, 5.0)])
    assert done.motions.radius()[-2] == pytest.approx(10.0)


coordinate = st.floats(-500, 500)


@given(
    st.floats(-math.pi, math.pi), coordinate, coordinate, st.floats(0.1, 9), st.sampled_from([1.0, -1.0]),
    st.sampled_from([1.0, -1.0]), st.tuples(coordinate, coordinate, coordinate),
)  # fmt: skip
def test_there_and_back_again(angle, px, py, scale, mx, my, place) -> None:  # type: ignore[no-untyped-def]
    transform = Transform(
        angle=angle,
        pivot=(px, py),
        scale=(scale, scale, scale),
        scale_centre=(py, px, 1.0),
        mirror=(mx, my, 1.0),
        mirror_centre=(3.0, px, 0.0),
        local=(px, 2.0, 1.0),
        preset=(0.0, py, 4.0),
    )
    mapping = Mapping(transform)
    assert mapping.back(mapping.forward(place)) == pytest.approx(place, abs=1e-6)
    # Distances grow by the factor, whatever else is done.
    other = (place[0] + 3.0, place[1] - 4.0, place[2])
    apart = np.linalg.norm(np.array(mapping.forward(place)) - np.array(mapping.forward(other)))
    assert apart == pytest.approx(5.0 * scale, rel=1e-6)


# -- dwell, feed modes, exact stop -------------------------------------------------------------------------------------------


def test_dwell_takes_its_seconds_and_moves_nothing() -> None:
    done = run(BEGIN + "G4 P2.5\nG1 X10.")
    assert done.motions.kind[1] == Kind.DWELL
    timing = time_motions(done.motions, MACHINE)
    assert timing.duration[1] == pytest.approx(2.5)
    assert codes(run("G4")) == ["syntax"]


def test_feed_by_the_turn_and_inverse_time() -> None:
    done = run("G0 X0 Y0 Z0\nM3 S1000\nG95 F0.2 G1 X10.\nG93 X30. F2.\nG94 F300 X40.")
    assert done.motions.feed[1:].tolist() == pytest.approx([200.0, 40.0, 300.0])
    assert codes(run("G0 X0 Y0 Z0\nG93 G1 X30. F2.\nX40.\nM30")) == ["feed-missing"]


def test_exact_stop_costs_time() -> None:
    text = "G0 X0 Y0 Z0\n{} G1 X10. F6000\nX20.\nX30."
    smooth = time_motions(run(text.format("G64")).motions, MACHINE).total
    exact = time_motions(run(text.format("G61")).motions, MACHINE).total
    assert exact > smooth + 0.05


# -- canned cycles -----------------------------------------------------------------------------------------------------------


def cycle(text: str) -> list[tuple[str, tuple[float, float, float]]]:
    """Kind and end of every move after the three that go to (1, 2, 3)."""
    done = run("G0 X1. Y2. Z3.\nF100 M3 S500\n" + text + "\nG80\nM30")
    assert not done.findings
    m = done.motions
    return [
        (Kind(int(m.kind[k])).word.removeprefix("cycle-"), tuple(round(v, 6) for v in m.state_of(k).work(m.at(k, 1.0))))
        for k in range(1, len(m))
    ]


def test_the_first_worked_example_of_nistir_6556() -> None:
    """Section 3.5.16.1, from memory: from (1,2,3), G90 G81 G98 X4 Y5 Z1.5 R2.8."""
    assert cycle("G90 G81 G98 X4 Y5 Z1.5 R2.8") == [
        ("rapid", (4, 5, 3)), ("rapid", (4, 5, 2.8)), ("feed", (4, 5, 1.5)), ("rapid", (4, 5, 3))
    ]  # fmt: skip


def test_the_second_worked_example_of_nistir_6556() -> None:
    """Section 3.5.16.1, from memory: from (1,2,3), G91 G81 G98 X4 Y5 Z-0.6 R1.8 L3."""
    holes = [
        [("rapid", (x, y, 4.8)), ("feed", (x, y, 4.2)), ("rapid", (x, y, 4.8))] for x, y in ((5, 7), (9, 12), (13, 17))
    ]
    assert cycle("G91 G81 G98 X4 Y5 Z-0.6 R1.8 L3") == [("rapid", (1, 2, 4.8)), *holes[0], *holes[1], *holes[2]]


def test_g99_stays_at_r_and_later_blocks_keep_the_data() -> None:
    assert cycle("G99 G81 X4 Y5 Z0 R1.\nX6\nG98 X8")[3:] == [
        ("rapid", (4, 5, 1)), ("rapid", (6, 5, 1)), ("feed", (6, 5, 0)), ("rapid", (6, 5, 1)),
        ("rapid", (8, 5, 1)), ("feed", (8, 5, 0)), ("rapid", (8, 5, 3)),
    ]  # fmt: skip


def test_pecking_comes_out_and_chip_breaking_does_not() -> None:
    out = cycle("G99 G83 X4 Y5 Z-2. R1. Q1.")
    feeds = [p[2] for kind, p in out if kind == "feed"]
    assert feeds == [0.0, -1.0, -2.0]
    assert [p[2] for kind, p in out if kind == "rapid"].count(1.0) == 4
    broken = cycle("G99 G73 X4 Y5 Z-2. R1. Q1.")
    assert [p[2] for kind, p in broken if kind == "feed"] == [0.0, -1.0, -2.0]
    assert [p[2] for kind, p in broken if kind == "rapid"].count(1.0) == 2


@pytest.mark.parametrize(
    ("word", "kinds"),
    [
        ("G82 P0.5", ["rapid", "rapid", "feed", "dwell", "rapid"]),
        ("G85", ["rapid", "rapid", "feed", "feed", "rapid"]),
        ("G86", ["rapid", "rapid", "feed", "rapid"]),
        ("G89 P1.", ["rapid", "rapid", "feed", "dwell", "feed", "rapid"]),
        ("G84", ["rapid", "rapid", "feed", "feed", "rapid"]),
        ("G76 Q0.2", ["rapid", "rapid", "feed", "rapid", "rapid", "rapid"]),
    ],
)
def test_what_each_cycle_does(word: str, kinds: list[str]) -> None:
    assert [kind for kind, _p in cycle(f"{word} X4 Y5 Z0 R1.")] == kinds


def test_tapping_turns_the_spindle_round_at_the_bottom() -> None:
    done = run("G0 X1. Y2. Z3.\nF100 M3 S500\nG84 X4 Y5 Z0 R1.\nG80")
    m = done.motions
    feeds = [m.state_of(k).spindle for k in range(len(m)) if m.kind[k] == Kind.CYCLE_FEED]
    assert feeds == ["clockwise", "counter-clockwise"]
    assert m.state_of(len(m) - 1).spindle == "clockwise"


def test_boring_stops_the_spindle_before_it_comes_out() -> None:
    done = run("G0 X1. Y2. Z3.\nF100 M3 S500\nG86 X4 Y5 Z0 R1.\nG80\nG0 X0")
    states = [done.motions.state_of(k).spindle for k in range(len(done.motions))]
    assert states[-2:] == ["off", "clockwise"]


@pytest.mark.parametrize(("text", "says"), [("G81 X4 R1.", "no depth"), ("G81 X4 Z5. R1.", "above the level")])
def test_cycles_without_sense(text: str, says: str) -> None:
    found = run("G0 X1. Y2. Z3.\nF100\n" + text + "\nG80\nM30").findings
    assert [f.code for f in found] == ["syntax"] and says in found[0].message


# -- modal groups --------------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    "pair",
    ["G0 G1", "G17 G18", "G20 G21", "G90 G91", "G93 G94", "G54 G55", "G43 G49", "G98 G99", "G61 G64", "G68 G69", "G4 G53",
     "G81 G1", "M3 M4", "M8 M9", "M0 M30", "M48 M49", "G90.1 G91.1"],
)  # fmt: skip
def test_two_words_of_one_group(pair: str) -> None:
    """NISTIR 6556 table 4, from memory."""
    assert "modal-conflict" in codes(run(pair + "\nM30"))


@pytest.mark.parametrize(
    "line", ["G0 G17 G21 G40 G49 G54 G64 G69 G80 G90 G94 G98".replace("G80 ", ""), "M3 M8 M48", "G53 G0 Z0"]
)
def test_words_of_different_groups_stand_together(line: str) -> None:
    assert codes(run(line + "\nM30")) == []
