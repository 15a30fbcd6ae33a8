"""What differs between controls, each habit on a copy of the shipped profile with one entry changed."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import MillControl as Control
from tests.core.control.test_interpret import PROFILES, WORK, codes, ends
from underglass.core.control.motions import Kind
from underglass.core.control.run import Run
from underglass.core.control.state import Registers, Switches
from underglass.core.control.timing import time_motions
from underglass.core.errors import BadEntry
from underglass.core.files.profiles import read_control, read_machine

TEXT = (PROFILES / "control" / "word-address-mill.toml").read_text()
MACHINE = read_machine(PROFILES / "machine" / "mill-3axis.toml")
Habit = Callable[..., Run]


@pytest.fixture
def habit(tmp_path: Path) -> Habit:
    """Run a program on the shipped control with one entry of its profile changed."""

    def run(
        program: str, old: str = "", new: str = "", switches: Switches | None = None, touch: float | None = None
    ) -> Run:
        assert old in TEXT
        (tmp_path / "mine.toml").write_text(TEXT.replace(old, new, 1))
        registers = Registers(work=WORK, length={1: 75.0, 2: 110.0}, radius={1: 5.0})
        control = Control(
            read_control(tmp_path / "mine.toml"), MACHINE, registers, switches, touch=lambda _a, _b, _t: touch
        )
        return control.run(program.splitlines())

    return run


AT = "G0 X0 Y0 Z0\n"


def test_rapids_axis_by_axis(habit: Habit) -> None:
    """Each axis at its own rate until it is there: 45 degrees first, then the longer axis alone."""
    program = AT + "X30. Y10.\nZ5."
    assert ends(habit(program))[1:] == [(30.0, 10.0, 0.0), (30.0, 10.0, 5.0)]
    legs = habit(program, 'rapids     = "straight"', 'rapids     = "axes"')
    assert ends(legs)[-3:] == [(10.0, 10.0, 0.0), (30.0, 10.0, 0.0), (30.0, 10.0, 5.0)]
    assert (legs.motions.start[1:] == legs.motions.end[:-1]).all()


def test_t_alone_changes_the_tool(habit: Habit) -> None:
    program = "T2\nG0 X0\nT1 M6\nX5.\nM30"
    assert [e.tool for e in habit(program).motions.events if e.kind == "tool-change"] == [1]
    done = habit(program, 't_alone    = "preselect"', 't_alone    = "change"')
    assert [(e.line, e.tool) for e in done.motions.events if e.kind == "tool-change"] == [(1, 2), (3, 1)]


SUB = "\nM30\nO1000\nG91 X1.\nM99"


@pytest.mark.parametrize(("letter", "call"), [("L", "M98 P1000 L5"), ("K", "M98 P1000 K5"), ("P", "M98 P51000")])
def test_how_repeats_of_a_subprogram_are_written(habit: Habit, letter: str, call: str) -> None:
    done = habit(AT + call + SUB, 'repeats = "L"', f'repeats = "{letter}"')
    assert codes(done) == [] and ends(done)[-1][0] == 5.0
    once = habit(AT + "M98 P1000" + SUB, 'repeats = "L"', f'repeats = "{letter}"')
    assert ends(once)[-1][0] == 1.0


def test_comments_a_control_does_not_read(habit: Habit) -> None:
    program = "(one)\nG0 X1. ; two\nM30"
    assert codes(habit(program)) == []
    done = habit(program, 'comments = ["()", ";"]', 'comments = ["()"]')
    assert [(f.code, f.line, f.column) for f in done.findings] == [("syntax", 2, 8)]


@pytest.mark.parametrize(("ends_with", "found"), [("M30", []), ("M2", ["end-missing"])])
def test_the_end_that_a_control_wants(habit: Habit, ends_with: str, found: list[str]) -> None:
    done = habit(f"G0 X1.\n{ends_with}", 'end      = ["M2", "M30"]', 'end      = ["M30"]')
    assert codes(done) == found and done.ended


def test_words_of_the_machine_that_move_nothing(habit: Habit) -> None:
    assert codes(habit("M10\nM30")) == ["word-unknown"]
    assert codes(habit("M10\nM30", "# M10 =", "M10 =")) == []


def test_a_code_bound_to_a_cycle_with_letters_of_its_own(habit: Habit) -> None:
    """One code may mean different things on different machines: here G77 pecks, with W for the step and V for the level."""
    binding = 'G77 = { does = "peck", bottom = "Z", level = "V", step = "W", repeats = "K" }'
    program = AT + "Z10.\nF100\nG77 X5. Y0 Z-4. V1. W2.\nG80\nM30"
    done = habit(program, 'G82 = "drill-dwell"', binding)
    assert codes(done) == []
    usual = habit(program.replace("G77", "G83").replace("V1.", "R1.").replace("W2.", "Q2."))
    assert ends(done) == ends(usual)
    assert "word-unknown" in codes(habit(program))


@pytest.mark.parametrize(
    ("line", "key", "says"),
    [
        ('G77 = "pekc"', "cycles.G77", "did you mean peck"),
        ('G01 = "peck"', "cycles.G01", "no cycle can take"),
        ('M77 = "peck"', "cycles.M77", "no G-word"),
        ('G77 = { does = "peck", depth = "Z" }', "cycles.G77.depth", "no input"),
        ('G77 = { does = "peck", step = "X" }', "cycles.G77.step", "one letter"),
    ],
)
def test_a_wrong_binding_is_told_with_its_key(habit: Habit, line: str, key: str, says: str) -> None:
    with pytest.raises(BadEntry) as caught:
        habit("M30", 'G82 = "drill-dwell"', line)
    assert caught.value.key == key and says in str(caught.value) and caught.value.line > 40


@pytest.mark.parametrize(
    ("old", "new", "key"),
    [
        ('end      = ["M2", "M30"]', 'end = ["M3"]', "text.end"),
        ('comments = ["()", ";"]', 'comments = ["#"]', "text.comments"),
        ("# M10 =", "M3 =", "machine_words.M3"),
        ("# M10 =", "G3 =", "machine_words.G3"),
        ('repeats = "L"', 'repeats = "Q"', "calls.repeats"),
        ('pitch = "K"', 'pitch = "E"', "thread.pitch"),
        ("lift_mm  = 0.25", "lift_mm = -1", "cycles.lift_mm"),
    ],
)
def test_wrong_habits_are_told_with_their_key(habit: Habit, old: str, new: str, key: str) -> None:
    with pytest.raises(BadEntry) as caught:
        habit("M30", old, new)
    assert caught.value.key == key


def test_how_far_a_peck_lifts(habit: Habit) -> None:
    program = AT + "Z10.\nF100\nG73 X5. Y0 Z-4. R0 Q2.\nG80\nM30"
    heights = [z for _x, _y, z in ends(habit(program, "lift_mm  = 0.25", "lift_mm  = 0.5"))]
    assert heights[-4:] == [-2.0, -1.5, -4.0, 10.0]


def test_a_peck_alone_in_increments(habit: Habit) -> None:
    program = AT + "Z10.\nF100\nG83 X5 Y0 Z-4 R0 Q2000\nG80\nM30"
    done = habit(program, 'peck_without_point = "as-lengths"', 'peck_without_point = "increment"')
    assert [z for x, _y, z in ends(done) if x == 5.0] == [10.0, 0.0, -2.0, 0.0, -1.75, -4.0, 10.0]


# -- threads, probing, boring from below -----------------------------------------------------------------------------------------


def test_a_thread_goes_its_pitch_a_turn(habit: Habit) -> None:
    program = AT + "S500 M3\nG33 Z-10. K1.5\nZ-12.\nM30"
    done = habit(program)
    assert codes(done) == [] and done.motions.feed[-2:].tolist() == [750.0, 750.0]
    in_f = habit(program.replace("K1.5", "F1.5"), 'pitch = "K"', 'pitch = "F"')
    assert in_f.motions.feed[-1] == 750.0
    assert codes(habit(program.replace(" K1.5", ""))) == ["feed-missing"] * 2
    assert codes(habit(program.replace(" M3", ""))) == ["turn-feed-stopped"] * 2


def test_probing_stops_at_the_touch_and_keeps_the_place(habit: Habit) -> None:
    """#5061 to #5063 hold where the probe touched (NISTIR 6556 table 3, from memory)."""
    done = habit(AT + "F100\nG38.2 Z-40.\nG0 Z[#5063+1]\nX#5061\nM30", touch=0.25)
    assert codes(done) == []
    assert [e[2] for e in ends(done)[1:3]] == [-10.0, -9.0]
    missed = habit(AT + "F100\nG38.2 Z-40.\nM30")
    assert codes(missed) == ["probe-missed"] and ends(missed)[-1][2] == -40.0


def test_boring_from_below(habit: Habit) -> None:
    """NISTIR 6556 section 3.5.16.8 (from memory): beside the axis down to Z, in, up to K, down again, aside, out."""
    done = habit(AT + "Z10. S500 M3\nF100\nG87 X5. Y0 R2. Z-20. I-3. J0 K-15.\nG80\nM30")
    assert codes(done) == []
    assert ends(done)[-9:] == [
        (5.0, 0.0, 10.0), (2.0, 0.0, 10.0), (2.0, 0.0, -20.0), (5.0, 0.0, -20.0), (5.0, 0.0, -15.0), (5.0, 0.0, -20.0),
        (2.0, 0.0, -20.0), (2.0, 0.0, 10.0), (5.0, 0.0, 10.0),
    ]  # fmt: skip
    kinds = done.motions.kind[-9:].tolist()
    assert [k == Kind.CYCLE_FEED for k in kinds] == [False] * 4 + [True] * 2 + [False] * 3
    turning = [done.motions.state_of(m).spindle for m in range(len(done.motions) - 9, len(done.motions))]
    assert turning == ["clockwise"] + ["off"] * 3 + ["clockwise"] * 2 + ["off"] * 3


def test_boring_from_below_without_k(habit: Habit) -> None:
    """R is where it goes down to and Z where it cuts up to, and Q how far aside (common practice, no source)."""
    done = habit(AT + "Z10. S500 M3\nF100\nG87 X5. Y0 R-20. Z-15. Q3.\nG80\nM30")
    assert codes(done) == []
    assert [e[2] for e in ends(done)[-6:]] == [-20.0, -15.0, -20.0, -20.0, 10.0, 10.0]


# -- switches --------------------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("switches", "x"),
    [
        (Switches(), 9.0),
        (Switches(block_skip=True), 0.0),
        (Switches(block_skip=True, skip_levels=frozenset({2})), 1.0),
        (Switches(block_skip=True, skip_levels=frozenset({1})), 9.0),
    ],
)
def test_levels_of_block_skip(habit: Habit, switches: Switches, x: float) -> None:
    assert ends(habit(AT + "/X1.\n/2 X9.\nM30", switches=switches))[-1][0] == x


def test_overrides_scale_the_times_and_m49_locks_the_feeds() -> None:
    control = Control(
        read_control(PROFILES / "control" / "word-address-mill.toml"),
        MACHINE,
        Registers(work=WORK, length={}, radius={}),
    )
    lines = "G0 X0 Y0 Z0\nX100.\nG1 X0 F100\nM49\nX100.\nM48\nX0\nM30".splitlines()
    motions = control.run(lines).motions
    plain, slow = (time_motions(motions, MACHINE, feed, rapid) for feed, rapid in ((1.0, 1.0), (0.5, 0.25)))
    # Long feeds: times go with one over the override but for the ramps, which are a thousandth here.
    ratio = slow.duration / plain.duration
    assert ratio[2:] == pytest.approx([2.0, 1.0, 2.0], rel=2e-3)
    # 100 mm at 20 m/min and 3 m/s2: s/v + v/a, full and at a quarter.
    v = 20000 / 60
    assert plain.duration[1] == pytest.approx(100 / v + v / 3000) and slow.duration[1] == pytest.approx(
        100 / (v / 4) + v / 4 / 3000
    )
    fast = time_motions(motions, replace(MACHINE, feed_max=120.0), 2.0, 1.0)
    assert fast.duration[2] == pytest.approx(60.0 * 100 / 120.0, rel=1e-2)
    assert np.isclose(slow.total, slow.duration.sum())
