"""Taking a line apart. NISTIR 6556 section 3.3 (from memory): spaces mean nothing outside comments, case does not count."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from underglass.core.language.block import read_block


def words(text: str) -> list[tuple[str, float]]:
    return [(w.letter, w.value) for w in read_block(text, 1).words]


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("X-1.5", [("X", -1.5)]),
        ("G01", [("G", 1.0)]),
        ("G0X1Y2", [("G", 0.0), ("X", 1.0), ("Y", 2.0)]),
        ("x.5 y5. z+3", [("X", 0.5), ("Y", 5.0), ("Z", 3.0)]),
        # NISTIR 6556 section 3.3's own example, from memory: "g0x +0. 12 34y 7" is "g0 x+0.1234 y7".
        ("g0x +0. 12 34y 7", [("G", 0.0), ("X", 0.1234), ("Y", 7.0)]),
        ("N10 G1 X1. (to the left) Y2. ; and on", [("N", 10.0), ("G", 1.0), ("X", 1.0), ("Y", 2.0)]),
        ("O1234", [("O", 1234.0)]),
        (":0107", [("O", 107.0)]),
        ("\tG1\tX 5", [("G", 1.0), ("X", 5.0)]),
        ("", []),
        ("%", []),
    ],
)
def test_words(text: str, expected: list[tuple[str, float]]) -> None:
    assert words(text) == expected
    assert not read_block(text, 1).problems


def test_every_word_keeps_its_columns() -> None:
    text = "N10 G0 x -5.5 (go) Z2."
    for word in read_block(text, 1).words:
        assert text[word.start : word.end] == word.text
    assert [(w.start, w.end) for w in read_block(text, 1).words] == [(0, 3), (4, 6), (7, 13), (19, 22)]


def test_comments_keep_their_text_and_place() -> None:
    block = read_block("G1 (first) X1 ;last", 7)
    assert [(r.words, r.start) for r in block.remarks] == [("first", 3), ("last", 14)]
    assert block.line == 7


@pytest.mark.parametrize(("text", "level"), [("/G1 X1", 1), ("/3 G1", 3), ("G1", 0), ("  / G1", 1)])
def test_block_skip(text: str, level: int) -> None:
    assert read_block(text, 1).skip == level


@pytest.mark.parametrize(
    ("text", "start", "end", "says"),
    [
        ("G1 X Y5", 3, 4, "X has no number"),
        ("G1 X--5", 3, 7, "not a word"),
        ("12 X1", 0, 2, "no letter"),
        ("G1 (open", 3, 8, "never closed"),
        ("G1 )", 3, 4, "without its ("),
        ("X1.2.3", 4, 6, "more than one point"),
        ("X1O.", 2, 4, "letter O"),
        ("GO X0", 0, 2, "letter O"),
        ("G1 X1O5. Y2", 5, 8, "letter O"),
        ("G1 X10,5", 6, 8, "comma"),
        ("G1 O7", 3, 5, "inside the block"),
        ("G1 é5", 3, 5, "not part of any word"),
        ("X1 / Y2", 3, 4, "inside the block"),
        ("X" + "9" * 60, 0, 61, "too long"),
    ],
)
def test_what_cannot_be_read_says_where_and_why(text: str, start: int, end: int, says: str) -> None:
    problem = read_block(text, 1).problems[0]
    assert (problem.start, problem.end) == (start, end)
    assert says in problem.message
    assert problem.remedy


def test_reading_goes_on_after_a_problem() -> None:
    assert words("G1 X-- Y5 ?? Z3") == [("G", 1.0), ("Y", 5.0), ("Z", 3.0)]
    assert len(read_block("G1 X-- Y5 ?? Z3", 1).problems) == 2


def test_digits_of_other_scripts_are_no_numbers() -> None:
    assert words("X١٢") == []
    assert read_block("X١٢", 1).problems


@given(st.text(max_size=80))
def test_any_line_is_read_without_an_error_and_covered(text: str) -> None:
    line = text.replace("\n", " ").replace("\r", " ")
    block = read_block(line, 1)
    last = 0
    for piece in sorted([*block.words, *block.remarks, *block.problems], key=lambda p: p.start):
        assert last <= piece.start < piece.end <= len(line)
        last = piece.end


@given(
    st.lists(st.tuples(st.sampled_from("GXYZIJFS"), st.floats(-9999, 9999, allow_nan=False)), max_size=6), st.booleans()
)
def test_written_words_come_back(pairs: list[tuple[str, float]], spaced: bool) -> None:
    text = (" " if spaced else "").join(f"{letter}{value:.4f}" for letter, value in pairs)
    assert words(text) == [(letter, float(f"{value:.4f}")) for letter, value in pairs]
