"""Changes of the text that must not change what the program does."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from tests.core.control.test_again import LINES, control
from underglass.core.language.edits import in_case, renumber, spaced, strip_numbers, toggle_comments, unspaced

PROGRAM = (
    "%", "O100 (part)", "G21G90", "n5 g0 x1. y2.", "/N7 X3.", "", "(a note)", "IF [#1 GT 2] GOTO 5", "GOTO 30", "N30 Z5. (up)", "M98 P200",
    "M30", "O200", "N5 X9.", "M99 P30", "%",
)  # fmt: skip


def test_numbers_and_the_jumps_that_follow_them() -> None:
    done = renumber(PROGRAM)
    # N5 is jumped to and stands in both programs of the file: the control looks in its own, so both keep one number.
    assert done == (
        "%", "O100 (part)", "N10 G21G90", "N20 g0 x1. y2.", "/N30 X3.", "", "(a note)", "N40 IF [#1 GT 2] GOTO 20", "N50 GOTO 60",
        "N60 Z5. (up)", "N70 M98 P200", "N80 M30", "O200", "N20 X9.", "N90 M99 P60", "%",
    )  # fmt: skip


def test_start_and_step() -> None:
    assert renumber(("X1.", "X2.", "(no)", "X3."), 100, 5) == ("N100 X1.", "N105 X2.", "(no)", "N110 X3.")


def test_numbers_taken_away_but_for_labels() -> None:
    done = strip_numbers(("N1 G0 X1.", "N2 X2.", "GOTO 2", "N3 M30"))
    assert done == ("G0 X1.", "N2 X2.", "GOTO 2", "M30")
    # Where a jump is worked out, any number may be meant.
    assert strip_numbers(("N1 X1.", "GOTO [#1]")) == ("N1 X1.", "GOTO [#1]")


def test_spaces_and_case() -> None:
    assert spaced(("G1X10.Y-5.F100(cut it)", "N5 G 1  X 1 0.", "#1=2", "?X")) == (
        "G1 X10. Y-5. F100 (cut it)", "N5 G1 X10.", "#1=2", "?X",
    )  # fmt: skip
    assert unspaced(("G1 X10. Y-5. (cut it)", "/2 X5. Y6.")) == ("G1X10.Y-5.(cut it)", "/2X5.Y6.")
    assert in_case(("g1 x10. (Cut it) y5.",)) == ("G1 X10. (Cut it) Y5.",)
    assert in_case(("G1 X10. ; Note",), upper=False) == ("g1 x10. ; Note",)


def test_comments_on_and_off() -> None:
    lines = ("G1 X10.", "", "X20. (far)")
    off = toggle_comments(lines)
    assert off == ("(G1 X10.)", "", "; X20. (far)")
    assert toggle_comments(off) == lines


@pytest.mark.parametrize("edit", [renumber, strip_numbers, spaced, in_case])
@settings(deadline=None, max_examples=120)
@example(lines=["N10 X5.", "IF [#1 LT 2] GOTO 10", "O100", "N10 X5."])
@example(lines=["N10 X5.", "O100", "G0 X1. Y2. Z5.", "IF [#1 LT 2] GOTO 10", "N10 X5."])
@given(st.lists(st.sampled_from([x for x in LINES if x not in ("?",)]), max_size=30))
def test_the_program_does_the_same(edit, lines: list[str]) -> None:  # type: ignore[no-untyped-def]
    changed = edit(lines)
    assert len(changed) == len(lines)
    one, two = control().run(lines), control().run(changed)
    np.testing.assert_array_equal(one.motions.end, two.motions.end)
    np.testing.assert_array_equal(one.motions.line, two.motions.line)
    assert [(f.code, f.line) for f in one.findings] == [(f.code, f.line) for f in two.findings]
    assert edit(changed) == changed


@given(st.lists(st.text(max_size=30).filter(lambda t: "\n" not in t and "\r" not in t), max_size=8))
def test_any_text_survives(lines: list[str]) -> None:
    for edit in (renumber, strip_numbers, spaced, unspaced, in_case, toggle_comments):
        assert len(edit(lines)) == len(lines)
