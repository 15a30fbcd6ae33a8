"""Text from a word processor, put right; text from a machine, left alone."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import START
from underglass.core.files.demo import copy_demo
from underglass.core.language.block import read_block
from underglass.core.language.pasted import cleaned, is_prose


@pytest.mark.parametrize(
    ("text", "right", "what"),
    [
        ("G1 X\u22125. Y\u20132.", "G1 X-5. Y-2.", "2 typographic minuses or dashes"),
        ("G0\u00a0X1.\u202fY2.", "G0 X1. Y2.", "2 non-standard spaces"),
        ("(\u201cTOP\u201d)", '("TOP")', "2 typographic quotes"),
        ("G0\u200b X1.", "G0 X1.", "1 character that cannot be seen"),
        ("\uff27\uff10 X1.", "G0 X1.", "2 double-width characters"),
        ("G1 X12,5 Y-0,75", "G1 X12.5 Y-0.75", "2 decimal commas"),
        ("```\nG0 X1.\n```", "G0 X1.", "2 code-block marks"),
        ("- G0 X1.\n- G1 Z2. F100", "G0 X1.\nG1 Z2. F100", "2 bullets or numbers before lines"),
        ("1 G21\n2 G0 X1.\n3 M30", "G21\nG0 X1.\nM30", "line numbers of a listing before 3 lines"),
        (
            "Here is the program for the bracket:\n\nG0 X1.\nplease check this one\nM30\n\nLet me know how it goes!\n",
            "G0 X1.\n(please check this one)\nM30\n",
            "3 lines that are not G-code",
        ),
    ],
)
def test_what_is_put_right_is_said(text: str, right: str, what: str) -> None:
    out = cleaned(text.split("\n"))
    assert "\n".join(out.lines) == right
    assert out.said == (what,)


@pytest.mark.parametrize(
    "text",
    [START + "G1 X1,\nX--5\nGO X1\n", "(Ø 20, deep 3,5)\nM30", "", "%\nO100 (PLATE)\nIF [#1 EQ 2] GOTO 10\nM30\n%"],
)
def test_what_no_word_processor_does_is_left_alone(text: str) -> None:
    assert cleaned(text.split("\n")) == (tuple(text.split("\n")), ())


def test_the_demo_needs_nothing(tmp_path) -> None:  # type: ignore[no-untyped-def]
    text = (copy_demo("vent-bracket", tmp_path).parent / "vent-bracket.nc").read_text()
    assert cleaned(text.split("\n")).said == ()


@given(st.text(max_size=60))
def test_twice_is_once(text: str) -> None:
    once = cleaned(text.split("\n"))
    assert cleaned(cleaned(once.lines).lines).said == ()


def test_a_program_line_is_no_prose() -> None:
    for text in ("N10 G1 X5. F100 (feed here now)", "WHILE [#1 LT 5] DO1", "M98 P100 L2", "X"):
        assert not is_prose(text)
        assert read_block(text, 1) is not None
