"""Looking for text, patterns, and words by their value."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from underglass.core.language.find import BadQuery, Place, find, replaced

LINES = ("G1 X10. F800", "N20 g1 f900 (F950 is too much)", "F[#1+5] X-3.", "x10. F0800.5")


def test_text_is_found_as_it_is_written_in_any_case() -> None:
    assert list(find(LINES, "g1")) == [Place(1, 0, 2), Place(2, 4, 6)]
    assert list(find(LINES, "X10.")) == [Place(1, 3, 7), Place(4, 0, 4)]
    assert list(find(LINES, "")) == []


def test_patterns() -> None:
    assert list(find(LINES, r"f\d+$", "pattern")) == [Place(1, 8, 12)]
    assert replaced("F800", r"F(\d+)", "pattern", r"F\g<1>0") == "F8000"
    assert list(find(LINES, "x*", "pattern")) == [Place(1, 3, 4), Place(3, 8, 9), Place(4, 0, 1)]


@pytest.mark.parametrize(
    ("query", "places"),
    [
        ("F", [(1, 8), (2, 7), (3, 0), (4, 5)]),
        ("F > 800", [(2, 7), (4, 5)]),
        ("f>=800", [(1, 8), (2, 7), (4, 5)]),
        ("F<>800", [(2, 7), (4, 5)]),
        ("X = 10", [(1, 3), (4, 0)]),
        ("X < 0", [(3, 8)]),
        ("N=20", [(2, 0)]),
    ],
)
def test_words_by_value_but_not_in_comments(query: str, places: list[tuple[int, int]]) -> None:
    assert [(p.line, p.start) for p in find(LINES, query, "word")] == places


@pytest.mark.parametrize(("query", "way"), [("(", "pattern"), ("F >", "word"), ("800", "word"), ("F > x", "word")])
def test_what_makes_no_sense_says_so(query: str, way: str) -> None:
    with pytest.raises(BadQuery):
        list(find(LINES, query, way))  # type: ignore[arg-type]
    with pytest.raises(BadQuery):
        replaced("F800", r"F(\d+)", "pattern", r"\2")


@given(st.lists(st.text(max_size=20), max_size=5), st.text(max_size=8), st.sampled_from(["text", "pattern", "word"]))
def test_places_are_always_inside_their_lines(lines: list[str], query: str, way: str) -> None:
    try:
        for place in find(lines, query, way):  # type: ignore[arg-type]
            assert 0 <= place.start < place.end <= len(lines[place.line - 1])
    except BadQuery:
        assert way != "text"
