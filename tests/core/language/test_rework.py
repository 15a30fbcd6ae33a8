"""Words changed over many lines; passes copied and let down. Expected texts by hand."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import START
from underglass.core.language.block import read_block
from underglass.core.language.outline import line_of_number, sections
from underglass.core.language.rework import BadChange, change_words, copy_pass


@pytest.mark.parametrize(
    ("text", "which", "how", "by", "out"),
    [
        ("G1 X1. F800", "F", "times", 0.8, "G1 X1. F640"),
        ("G1 X1. F800.", "F", "times", 0.8, "G1 X1. F640."),
        ("G1 X1.250 Y-.5", "X", "plus", 0.5, "G1 X1.750 Y-.5"),
        ("G1 X1.250 Y-.5", "Y", "times", 0.5, "G1 X1.250 Y-.25"),
        ("G1 Z-2. (Z5)", "Z", "plus", -0.125, "G1 Z-2.125 (Z5)"),
        ("F900\nF700", "F > 800", "to", 800, "F800\nF700"),
        ("X[#1+2] X3", "X", "times", 2, "X[#1+2] X6"),
        ("X10", "X", "times", 1 / 3, "X3.3333"),
        ("X - 1.5", "X", "plus", 3, "X1.5"),
        ("X+1.5", "X", "plus", 1, "X+2.5"),
    ],
)
def test_a_word_is_changed_and_written_as_it_was(text: str, which: str, how: str, by: float, out: str) -> None:
    assert "\n".join(change_words(text.split("\n"), which, how, by)) == out  # type: ignore[arg-type]


def test_names_are_not_reckoned_with() -> None:
    with pytest.raises(BadChange, match="name"):
        change_words(["G1"], "G", "plus", 1)
    with pytest.raises(BadChange, match="whole"):
        change_words(["T3"], "T", "times", 0.5)


@given(st.floats(-500, 500), st.floats(-50, 50))
def test_shifts_add_up(x: float, by: float) -> None:
    text = f"G1 X{x:.3f} Y1."
    there = change_words([text], "X", "plus", round(by, 3))
    value = read_block(there[0], 1).words[1].value
    assert math.isclose(value, round(x, 3) + round(by, 3), abs_tol=1e-9)


PASS = ["N10 G0 X0. Y0.", "N20 G0 Z2.", "N30 G1 Z-1. F100", "N40 X50. F300", "N50 G0 Z5."]


def test_a_pass_is_copied_lower_and_its_retract_is_not() -> None:
    out = copy_pass(PASS, 1.5, 2)
    assert out[:5] == tuple(PASS)
    assert out[5:10] == ("G0 X0. Y0.", "G0 Z2.", "G1 Z-2.5 F100", "X50. F300", "G0 Z5.")
    assert out[12] == "G1 Z-4. F100"


def test_a_pass_knows_what_is_in_force_before_it() -> None:
    assert copy_pass(["Z-1.", "X5."], 1.0, 1, ["G90 G1 F100"]) == ("Z-1.", "X5.", "Z-2.", "X5.")
    with pytest.raises(BadChange, match="nothing to let down"):
        copy_pass(["Z-1.", "X5."], 1.0, 1, ["G0 X0."])
    with pytest.raises(BadChange, match="G91"):
        copy_pass(["G1 Z-1."], 1.0, 1, ["G91"])


def test_sections_are_tools_in_programs() -> None:
    text = "%\nO1 (MAIN)\nG21\n(FACE)\nT1 M6\nG0 X1.\n\nN40 T2\nM06\nX5.\nM98 P200\nM30\nO200\nX1. (NO M6 HERE)\nT3 M6\nM99"
    found = [(s.first, s.last, s.kind, s.number, s.title) for s in sections(text.split("\n"))]
    assert found == [
        (1, 11, "program", 1, "MAIN"),
        (3, 7, "tool", 1, "FACE"),
        (8, 11, "tool", 2, ""),
        (12, 15, "program", 200, ""),
        (14, 15, "tool", 3, ""),
    ]
    assert line_of_number(text.split("\n"), 40) == 7 and line_of_number(text.split("\n"), 4) is None
    assert sections((START + "M30").split("\n"))[0].number == 1
