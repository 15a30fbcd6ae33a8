"""Bytes in, the same bytes out."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from underglass.core.language.source import read_bytes, read_lines, read_text, split_lines


@pytest.mark.parametrize(
    ("raw", "newline", "lines"),
    [
        (b"G0\r\nM30\r\n", "\r\n", ("G0", "M30")),
        (b"G0\nM30", "\n", ("G0", "M30")),
        (b"G0\rM30\r", "\r", ("G0", "M30")),
        (b"", "\n", ()),
        (b"\n\nM30\n", "\n", ("", "", "M30")),
        (b"G0\r\nX1\nM30\r\n", "\r\n", ("G0", "X1", "M30")),
    ],
)
def test_lines_and_their_ends(raw: bytes, newline: str, lines: tuple[str, ...]) -> None:
    source = read_bytes(raw, "a.nc")
    assert source.newline == newline
    assert source.lines == lines
    assert source.is_text


def test_only_real_line_ends_count() -> None:
    # str.splitlines would break at these; a control does not.
    assert split_lines("G0\x0bX1\u2028Y2\x85Z3\n") == ("G0\x0bX1\u2028Y2\x85Z3",)


@pytest.mark.parametrize("raw", [b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR", b"G0\0X1", bytes(range(1, 9)) * 50])
def test_files_that_are_no_text(raw: bytes) -> None:
    source = read_bytes(raw)
    assert not source.is_text
    assert source.lines == ()


def test_a_byte_a_character_where_it_is_not_utf8() -> None:
    source = read_bytes(b"(\xd8 20 BOHREN)\nM30\n")
    assert source.encoding == "latin-1"
    assert source.text.startswith("(Ø 20")
    assert source.encoded("(Ø 21)\n") == b"(\xd8 21)\n"


@given(st.binary(max_size=400))
def test_any_bytes_are_read_and_kept(raw: bytes) -> None:
    source = read_bytes(raw, "x")
    assert source.raw == raw
    if source.is_text:
        assert source.encoded(source.text) == raw


@pytest.mark.parametrize("encoding", ["utf-8", "utf-16-le", "utf-16-be"])
def test_a_byte_order_mark_is_kept_and_no_part_of_the_text(encoding: str) -> None:
    raw = ("\ufeff" + "%\r\nG0 X1 (Ø 20)\r\n").encode(encoding)
    source = read_bytes(raw)
    assert source.lines == ("%", "G0 X1 (Ø 20)") and source.newline == "\r\n"
    assert source.encoded(source.text) == raw


@given(st.text(alphabet="GXY0123456789. \n()%", max_size=200))
def test_typed_text_is_read_as_a_file_would_be(text: str) -> None:
    assert read_text(text).lines == split_lines(text) == read_lines(text.split("\n")).lines
