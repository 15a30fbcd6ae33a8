"""Columns as Python and as Qt count them, and where a program word begins and ends."""

from __future__ import annotations


def to_utf16(text: str, column: int) -> int:
    """A column of a Python string as Qt counts it (UTF-16 units)."""
    return column if text.isascii() else len(text[:column].encode("utf-16-le", "surrogatepass")) // 2


def from_utf16(text: str, units: int) -> int:
    """A position that Qt counted as a column of a Python string."""
    if text.isascii():
        return units
    return len(text.encode("utf-16-le", "surrogatepass")[: units * 2].decode("utf-16-le", "ignore"))


def word_at(text: str, column: int) -> tuple[int, int]:
    """(start, end) of the program word, number or blank stretch about a column."""

    def kind(character: str) -> int:
        return 0 if character in " \t" else 1 if character.isalnum() or character in "+-.#_" else 2

    if not text:
        return 0, 0
    at = min(column, len(text) - 1)
    if column == len(text) or (at > 0 and kind(text[at]) != 1 and kind(text[at - 1]) == 1 and column > 0):
        at = max(at - (column <= len(text) - 1), 0)
    wanted = kind(text[at])
    start = end = at
    while start > 0 and kind(text[start - 1]) == wanted:
        start -= 1
    while end < len(text) and kind(text[end]) == wanted:
        end += 1
    if wanted == 1:
        # Words may stand close, as in G1X5: each letter that comes before a figure begins one.
        for k in range(at, start, -1):
            if text[k].isalpha() and not text[k - 1].isalpha():
                start = k
                break
        for k in range(at + 1, end):
            if text[k].isalpha() and not text[k - 1].isalpha():
                end = k
                break
    return start, end
