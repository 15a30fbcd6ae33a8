"""Looking for things in a program: plain text, a pattern, or words by letter and value, as ``F > 800``.

Columns count from 0, end exclusive.
"""

from __future__ import annotations

import operator
import re
from collections.abc import Callable, Iterator, Sequence
from typing import Literal, NamedTuple

from underglass.core.language.block import read_block

Way = Literal["text", "pattern", "word"]
_TESTS: dict[str, Callable[[float, float], bool]] = {
    "<": operator.lt, "<=": operator.le, ">": operator.gt, ">=": operator.ge, "=": operator.eq, "<>": operator.ne,
}  # fmt: skip
_CONDITION = re.compile(r"\s*([A-Za-z])\s*(?:(<=|>=|<>|<|>|=)\s*([+-]?(?:\d+\.?\d*|\.\d+)))?\s*")


class Place(NamedTuple):
    """Where something was found: the line's number from 1."""

    line: int
    start: int
    end: int


class BadQuery(ValueError):
    """What is looked for makes no sense; the text says why."""


def find(lines: Sequence[str], query: str, way: Way = "text") -> Iterator[Place]:
    """Every place, in order. Upper and lower case are the same. Raises ``BadQuery``."""
    if not query:
        return
    if way == "word":
        yield from words(lines, query)
        return
    try:
        wanted = re.compile(query if way == "pattern" else re.escape(query), re.IGNORECASE)
    except re.error as error:
        raise BadQuery(f"this is no pattern: {error}") from None
    for k, text in enumerate(lines, 1):
        for match in wanted.finditer(text):
            if match.end() > match.start():
                yield Place(k, match.start(), match.end())


def words(lines: Sequence[str], query: str) -> Iterator[Place]:
    """``F`` every F word, ``F > 800`` those above 800; what is worked out by arithmetic has no value to compare."""
    parts = _CONDITION.fullmatch(query)
    if parts is None:
        raise BadQuery("write a letter, or a letter and a comparison, as in F > 800")
    letter, test, figure = parts[1].upper(), parts[2], parts[3]
    for k, text in enumerate(lines, 1):
        if letter not in text.upper():
            continue
        for word in read_block(text, k).words:
            if word.letter != letter:
                continue
            if test is None or (word.node is None and _TESTS[test](word.value, float(figure))):
                yield Place(k, word.start, word.end)


def replaced(text: str, query: str, way: Way, new: str) -> str:
    """What stands for a found text: in a pattern's replacement ``\\1`` is its first group. Raises ``BadQuery``."""
    if way != "pattern":
        return new
    try:
        return re.compile(query, re.IGNORECASE).sub(new, text, count=1)
    except (re.error, IndexError) as error:
        raise BadQuery(f"this replacement does not fit its pattern: {error}") from None
