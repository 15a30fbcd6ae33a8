"""What controls do where it is easily got wrong. Common practice, no source, unless a standard is named."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import MillControl as Control
from tests.core.control.test_habits import AT, Habit, habit
from tests.core.control.test_interpret import PROFILES, WORK, codes, ends, run
from tests.core.control.test_timing import MACHINE
from underglass.core.control.flow import Limits
from underglass.core.control.motions import Kind, arc_boxes
from underglass.core.control.run import Run
from underglass.core.control.state import Registers, Start
from underglass.core.control.timing import time_motions
from underglass.core.errors import Cancelled
from underglass.core.files.profiles import read_control
from underglass.core.finding import Severity

__all__ = ["habit"]

CONTOUR = AT + "F300\nG1 Z-2.\nG41 D1 X0 Y10.\nX30.\n"
"""Left of the way along X at Y10: the centre ends at X30 Y15 with the radius of 5."""


def places(done: Run) -> list[tuple[float, ...]]:
    return [tuple(round(v, 6) for v in e) for e in ends(done)]


# -- G40 -------------------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("lift", ["G40\nG0 Z50.", "G40 G0 Z50.", "G40 Z50.", "G91 G28 Z0"])
def test_a_lift_after_compensation_goes_straight_up(habit: Habit, lift: str) -> None:
    """An axis that nobody names never moves (NISTIR 6556's example interpreter does so, from memory)."""
    done = habit(CONTOUR + lift)
    assert places(done)[-2][:2] == places(done)[-1][:2] == (30.0, 15.0)


@pytest.mark.parametrize(
    ("how", "after"),
    [
        ("axis", [(30.0, 15.0, 50.0), (40.0, 15.0, 50.0), (40.0, 20.0, 50.0)]),
        ("plane", [(30.0, 15.0, 50.0), (40.0, 10.0, 50.0), (40.0, 20.0, 50.0)]),
        ("at-once", [(30.0, 10.0, 50.0), (40.0, 10.0, 50.0), (40.0, 20.0, 50.0)]),
    ],
)
def test_how_the_offset_is_taken_off_is_the_profiles(
    habit: Habit, how: str, after: list[tuple[float, float, float]]
) -> None:
    done = habit(
        CONTOUR + "G40\nG0 Z50.\nX40.\nY20.", 'after_g40             = "axis"', f'after_g40             = "{how}"'
    )
    assert places(done)[-3:] == after


def test_absolute_and_incremental_leave_a_contour_alike(habit: Habit) -> None:
    one, two = (habit(CONTOUR + tail) for tail in ("G40 G1 X40. Y-5.\nX50.", "G91 G40 G1 X10. Y-15.\nX10."))
    assert places(one)[-2:] == places(two)[-2:] == [(40.0, -5.0, -2.0), (50.0, -5.0, -2.0)]


# -- the rest of compensation ----------------------------------------------------------------------------------------------


def test_d_before_g41_is_in_force_and_d_in_a_contour_takes_hold_with_the_next_move(habit: Habit) -> None:
    early = habit(AT + "F300\nD1 G1 Z-2.\nG41 X0 Y10.\nX30.\nX60.\nG40 G0 Z50.")
    assert not codes(early) and places(early)[-2][:2] == (60.0, 15.0)
    changed = habit(AT + "F300\nG1 Z-2.\nG41 D1 X0 Y10.\nX30.\nD2 X60.\nX90.\nG40 G0 Z50.")
    assert places(changed)[-2][:2] == (90.0, 10.0) and (30.0, 15.0, -2.0) in places(changed)
    assert [(u.number, u.value) for u in changed.motions.radii_used] == [(1, 5.0), (2, 0.0)]


@pytest.mark.parametrize("blocks", [["S2000", "M8", "F200"], ["Z-1.", "S900", "G4 P1"], ["(said)", "S900", "N7", "M8"]])
def test_every_block_without_a_move_in_the_plane_counts_for_look_ahead(habit: Habit, blocks: list[str]) -> None:
    program = CONTOUR + "\n".join(blocks) + "\nX60. Y10.\nG40 X90. Y-10."
    found = codes(habit(program))
    words = [b for b in blocks if b[0] not in "(N"]
    assert ("comp-lookahead" in found) == (len(words) > 2)


def test_an_extended_corner_puts_an_arc_on_its_circle(habit: Habit) -> None:
    """From a line round an outside corner onto an arc: the arc of the centre begins on its own circle."""
    program = AT + "F300\nG1 Z-2.\nG41 D1 X0 Y20.\nX30.\nG2 X50. Y0. I0 J-20.\nG3 X70. Y-20. I20. J0\nG40 G1 X90. Y0"
    done = habit(program, 'outside_corner        = "rolled" ', 'outside_corner        = "extended"')
    m = done.motions
    for k in np.flatnonzero(m.sweep).tolist():
        from_start = math.dist(m.start[k, :2], m.centre[k, :2])
        assert math.dist(m.end[k, :2], m.centre[k, :2]) == pytest.approx(from_start, abs=1e-6)
    corner = habit(
        AT + "F300\nG1 Z-2.\nG41 D1 X0 Y20.\nX30.\nG2 X42.3607 Y0 I-10. J-20.\nG40 G1 X90. Y-60.",
        'outside_corner        = "rolled" ',
        'outside_corner        = "extended"',
    ).motions
    (arc,) = np.flatnonzero(corner.sweep).tolist()
    assert math.dist(corner.start[arc, :2], corner.centre[arc, :2]) == pytest.approx(
        math.dist(corner.end[arc, :2], corner.centre[arc, :2]), abs=1e-4
    )


def test_a_change_of_side_is_an_alarm_or_none(habit: Habit) -> None:
    program = CONTOUR + "G42 X60. Y10.\nX90.\nG40 X99. Y-20."
    assert codes(habit(program)) == ["comp-side-change"]
    went_on = habit(program, 'side_change           = "alarm"', 'side_change           = "go-on"')
    assert codes(went_on) == [] and places(went_on)[-2][1] == 5.0


def test_compensation_of_the_job_before_is_told_though_nothing_moved_under_it() -> None:
    profile = read_control(PROFILES / "control" / "word-address-mill.toml")
    control = Control(
        profile, MACHINE, Registers(work=WORK, length={}, radius={1: 5.0}), start=Start(compensation="G41", d=1)
    )
    done = control.run(["T1 M6", "G0 X1. Y1.", "M30"])
    assert next((f.code, f.line) for f in done.findings) == ("shift-left-over", 1)


# -- which block comes next ------------------------------------------------------------------------------------------------


def test_a_jump_inside_a_loop_stays_in_it(habit: Habit) -> None:
    program = "#1=0\nWHILE [#1 LT 4] DO 1\n#1=#1+1\nIF [#1 EQ 2] GOTO 9\nG0 X#1\nN9 #2=#2+1\nEND 1\nG0 Y#2\nM30"
    done = habit(program)
    assert not codes(done)
    assert [e[0] for e in ends(done)][:3] == [1.0, 3.0, 4.0] and ends(done)[-1][1] == 4.0


def test_labels_belong_to_their_own_program(habit: Habit) -> None:
    assert codes(habit("GOTO 5\nM30\nO7\nN5 G0 X1.\nM99")) == ["syntax"]
    inside = habit("M98 P7\nM30\nN5 G0 X9.\nO7\nGOTO 5\nG0 X1.\nN5 G0 Y1.\nM99")
    assert (not codes(inside) and [e[:2] for e in ends(inside)] == [(0.0, 1.0)]) or len(ends(inside)) == 1


@pytest.mark.parametrize("block", ["IF [#1 EQ GOTO 9", "IF [1/0 GT 1] GOTO 9", "IF [#1 LT 2 GOTO 9"])
def test_what_stands_under_an_unreadable_condition_is_not_done(habit: Habit, block: str) -> None:
    done = habit(f"{block}\nG0 X1.\nM30\nN9 G0 X-99.\nM30")
    assert codes(done) == ["syntax"] and ends(done)[-1][0] == 1.0


def test_a_loop_whose_condition_cannot_be_read_is_one_finding(habit: Habit) -> None:
    assert codes(habit("WHILE [#1 LT DO 1\nG0 X1.\nEND 1\nM30")) == ["syntax"]
    assert codes(habit("WHILE [1/#1 GT 0] DO 1\nG0 X1.\nEND 1\nM30")) == ["syntax"]


@pytest.mark.parametrize("head", ["%\n", "(note)\n%\nO1\n", ""])
def test_nothing_behind_the_closing_mark_is_read(habit: Habit, head: str) -> None:
    done = habit(head + "G0 X1.\nM98 P7\n%\nG0 X-99.\nO7\nG0 X-98.\nM99")
    assert [e[0] for e in ends(done)] == [1.0] and codes(done) == ["subprogram-missing"] and not done.ended


def test_a_local_call_comes_back(habit: Habit) -> None:
    program = "G0 X1.\nM97 P20 L2\nG0 Z5.\nM30\nN20 G91 Y1.\nG90\nM99"
    done = habit(program, 'local   = ""', 'local   = "M97"')
    assert not codes(done) and ends(done)[-1] == (1.0, pytest.approx(ends(done)[0][1] + 2.0), 5.0)
    assert "word-unknown" in codes(habit(program))


# -- feeds, dwells, registers ----------------------------------------------------------------------------------------------


def test_the_same_feed_mode_again_keeps_the_feed(habit: Habit) -> None:
    done = habit(AT + "G94 F300\nG94 G1 X5.\nG95 X9.")
    assert done.motions.feed[1] == 300.0 and "feed-missing" in codes(done)


def test_a_feed_by_the_turn_that_the_machine_has_not_is_told_once(habit: Habit) -> None:
    done = habit(AT + "G97 S6000 M3\nG95 F2. G1 X5.\nX9.\nX12.\nS100 X15.")
    assert codes(done) == ["over-feed"] and done.findings[0].evidence["feed_mm_min"] == 12000.0


def test_overrides_do_not_stretch_tapping_and_threading(habit: Habit) -> None:
    done = habit(AT + "S500 M3\nF500\nG84 X5. Z-10. R2.\nG80\nG33 Z-5. K1.\nG1 X20. F300")
    slow = (
        time_motions(done.motions, MACHINE, feed_override=0.5).duration / time_motions(done.motions, MACHINE).duration
    )
    tied = [k for k in range(len(done.motions)) if not done.motions.state_of(k).overrides]
    assert len(tied) >= 4 and slow[tied] == pytest.approx(1.0, rel=0.01) and slow[-1] > 1.8


def test_a_dwell_moves_no_axis_whatever_its_letter(habit: Habit) -> None:
    wrong = habit(AT + "G4 X2.\nG4 P2.")
    assert codes(wrong) == ["syntax"] and ends(wrong)[-1] == (0.0, 0.0, 0.0)
    both = habit(
        AT + "G4 X2.\nG4 P500",
        'unit   = "s"                        # "s" or "ms"\nalso   = {} ',
        'unit   = "ms"\nalso   = { X = "s" } ',
    )
    assert both.motions.dwell[-2:].tolist() == [2.0, 0.5] and not codes(both)


def test_g44_stays_g44(habit: Habit) -> None:
    done = habit("G0 G44 H1 Z200.\nH2 Z201.\nG10 L10 P2 R20. Z1.\nZ202.\nM30")
    assert [round(done.motions.state_of(k).h_value, 6) for k in range(len(done.motions))] == [-75.0, -110.0, -20.0]
    assert done.motions.state_of(0).words[4] == "G44 H1"


def test_geometry_and_wear_are_set_apart() -> None:
    profile = read_control(PROFILES / "control" / "word-address-mill.toml")
    registers = Registers(work=WORK, length={1: 74.9}, radius={}, length_wear={1: -0.1})
    text = "G43 H1 G0 Z1.\nG10 L10 P1 R80.\nZ2.\nG10 L11 P1 R0.2\nZ3.\nG10 L11 P1 R0.2\nZ4.\nG91 G10 L11 P1 R0.2\nG90 Z5.\nM30"
    done = Control(profile, MACHINE, registers).run(text.splitlines())
    held = [round(done.motions.state_of(k).h_value, 6) for k in range(len(done.motions))]
    assert held == [74.9, 79.9, 80.2, 80.2, 80.4]


def test_figures_below_nothing_and_variables_of_the_control_are_told(habit: Habit) -> None:
    assert codes(habit(AT + "G1 X1. F-100\nS-500")) == ["syntax", "syntax"]
    assert codes(habit(AT + "G1 X[#5021] F100")) == ["not-proved"]
    assert codes(habit(AT + "#5021=3\nG1 X[#5021] F100")) == []


@given(st.floats(0.0, 0.0099), st.booleans())
def test_a_radius_short_by_rounding_is_half_the_chord(short: float, clockwise: bool) -> None:
    done = run(AT + f"F100\n{'G2' if clockwise else 'G3'} X10. R{5.0 - short:.4f}")
    assert not done.findings and abs(done.motions.sweep[-1]) == pytest.approx(math.pi)


def test_scaling_counts_from_the_tool_like_rotation_and_takes_a_factor_an_axis(habit: Habit) -> None:
    done = habit(AT + "G0 X10. Y10. Z0\nG51 P2.\nX20. Y10.\nG50\nM30")
    assert ends(done)[-1][:2] == (30.0, 10.0)
    each = habit(AT + "G51 X0 Y0 Z0 I2. J0.5\nG0 X10. Y10. Z10.\nG1 F100 X0 Y0\nG2 X20. Y0 I10. J0\nM30")
    assert ends(each)[1] == (20.0, 5.0, 10.0) and "not-proved" in codes(each)


def test_rotation_in_another_plane_is_not_made_up(habit: Habit) -> None:
    done = habit(AT + "G18 G68 X0 Z0 R30.\nG0 X10.\nM30")
    assert codes(done) == ["not-proved"] and ends(done)[-1] == (10.0, 0.0, 0.0)


# -- cycles ----------------------------------------------------------------------------------------------------------------


def test_a_spindle_that_stands_still_stands_after_a_boring_cycle(habit: Habit) -> None:
    done = habit(AT + "F100\nG86 X5. Z-5. R2.\nX9.\nG80\nM30")
    assert {done.motions.state_of(k).spindle for k in range(len(done.motions))} == {"off"}


@pytest.mark.parametrize(("before", "ways"), [("M3", ["clockwise", "counter-clockwise"]), ("M4", ["counter-clockwise", "clockwise"]), ("M5", ["off", "off"])])  # fmt: skip
def test_a_tap_goes_in_as_the_spindle_turns(habit: Habit, before: str, ways: list[str]) -> None:
    program = AT + f"S300 {before}\nF300\nG84 X5. Z-8. R2.\nG80\nM30"

    def seen(done: Run) -> list[str]:
        return [done.motions.state_of(k).spindle for k in np.flatnonzero(done.motions.kind == Kind.CYCLE_FEED).tolist()]

    assert seen(habit(program)) == ways
    itself = habit(program, "tap_starts_spindle = false", "tap_starts_spindle = true")
    assert seen(itself) == ["clockwise", "counter-clockwise"]


@pytest.mark.parametrize("word", ["L-5", "L2.5"])
def test_repeats_that_are_no_number_are_told(habit: Habit, word: str) -> None:
    assert codes(habit(AT + f"F100\nG81 X5. Z-5. R2. {word}\nG80\nM30")) == ["syntax"]
    assert codes(habit(f"M98 P7 {word}\nM30\nO7\nM99")) == ["syntax"]


def test_every_repeat_asked_for_is_made_up_to_the_limit_which_is_told(habit: Habit) -> None:
    many = habit(AT + "F100\nG91 G81 X0.01 Z-1. R0 L20000\nG80 G90\nM30")
    assert not codes(many) and np.count_nonzero(many.motions.kind == Kind.CYCLE_FEED) == 20_000
    profile = replace(read_control(PROFILES / "control" / "word-address-mill.toml"), limits=Limits(work=50, pecks=20))

    def limited(text: str) -> Run:
        return Control(profile, MACHINE, Registers(work=WORK)).run(text.splitlines())

    for text in (
        "F100\nG91 G81 X0.01 Z-1. R0 L2000",
        "F100\nG83 X1. Z-99. R2. Q0.001",
        "M98 P7 L60\nM30\nO7\nG91 G0 X.1\nM99",
    ):
        assert codes(limited(text)) == ["loop-runaway"] and len(limited(text).motions) < 250


def test_pecks_and_repeats_can_be_cancelled() -> None:
    asked = [0]

    def cancel() -> bool:
        asked[0] += 1
        return True

    profile = read_control(PROFILES / "control" / "word-address-mill.toml")
    with pytest.raises(Cancelled):
        Control(profile, MACHINE, Registers(work=WORK)).run(["F100", "G91 G81 X0.01 Z-1. R0 L20000"], cancel)
    assert asked[0] == 1


# -- words together --------------------------------------------------------------------------------------------------------


def test_g80_beside_a_motion_word_ends_the_cycle_and_moves(habit: Habit) -> None:
    done = habit(AT + "F100\nG81 X5. Z-5. R2.\nG80 G0 X9. Z50.\nG0 G80 X12.\nM30")
    assert not codes(done) and ends(done)[-2:] == [(9.0, 0.0, 50.0), (12.0, 0.0, 50.0)]
    assert codes(habit("G80 G81 X1. Z-1. R1. F100\nM30"))[0] == "modal-conflict"


def test_after_g80_the_motion_before_holds_where_the_profile_says_so(habit: Habit) -> None:
    program = AT + "F100\nG81 X5. Z-5. R2.\nG80\nX9.\nM30"
    assert codes(habit(program)) == ["syntax"]
    again = habit(program, 'after_g80 = "no-motion"', 'after_g80 = "as-before"')
    assert not codes(again) and ends(again)[-1][0] == 9.0


def test_the_tool_after_the_next_is_got_ready_behind_m6(habit: Habit) -> None:
    done = habit("T2 M6 T3\nG0 X1.\nM6\nG0 X2.\nM30")
    assert [e.tool for e in done.motions.events if e.kind == "tool-change"] == [2, 3] and not codes(done)
    assert "modal-conflict" in codes(habit("T2 T3 M6\nM30"))


def test_so_many_m_words_as_the_profile_takes(habit: Habit) -> None:
    assert not codes(habit("M3 M8 M30")) and codes(habit("M3 M8 M48 M30")) == ["modal-conflict"]


def test_a_word_that_is_nothing_is_a_note(habit: Habit) -> None:
    done = habit(AT + "G1 X1. F100 R0\nX2. Q1.")
    assert [(f.code, f.severity) for f in done.findings] == [
        ("word-unused", Severity.NOTE),
        ("word-unused", Severity.CAUTION),
    ]


# -- how far a move goes ---------------------------------------------------------------------------------------------------


@given(
    st.floats(-3.0, 3.0),
    st.floats(-6.2, 6.2).filter(lambda a: abs(a) > 0.01),
    st.floats(0.5, 50.0),
    st.sampled_from([17, 18, 19]),
)
def test_a_moves_box_holds_its_bulge(begin: float, sweep: float, radius: float, plane: int) -> None:
    """Against the arc walked in a thousand steps."""
    u, v, _w = {17: (0, 1, 2), 18: (2, 0, 1), 19: (1, 2, 0)}[plane]
    angles = np.linspace(begin, begin + sweep, 1001)
    points = np.zeros((1001, 3))
    points[:, u], points[:, v] = radius * np.cos(angles), radius * np.sin(angles)
    centre = np.zeros((1, 3))
    low, high = arc_boxes(points[:1], points[-1:], centre, np.array([sweep]), np.array([u]), np.array([v]))
    assert (low[0] <= points.min(axis=0) + 1e-9).all() and (high[0] >= points.max(axis=0) - 1e-9).all()
    assert np.abs(low[0] - points.min(axis=0)).max() < 1e-4 * radius + 1e-9
