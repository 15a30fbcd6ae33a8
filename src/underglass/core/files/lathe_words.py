"""What a lathe's control profile says besides: letters, the tool word, words that end a repeated stretch."""

from __future__ import annotations

import re

from underglass.core.entries.checked import Table


def letters(part: Table, name: str) -> str:
    """A list of letters, as one text."""
    raw = part.raw(name) if name in part else []
    if not isinstance(raw, list) or not all(isinstance(x, str) and len(x) == 1 and x.isalpha() for x in raw):
        raise part.bad(name, 'this must be a list of letters in quotes, as in ["X", "Z"]')
    return "".join(raw).upper()


def m_words(part: Table, name: str, usual: list[str]) -> list[str]:
    raw = part.raw(name) if name in part else usual
    if not isinstance(raw, list) or not all(isinstance(x, str) and re.fullmatch(r"M\d{1,4}", x) for x in raw):
        raise part.bad(name, 'this must be a list of M-words in quotes, as in ["M99"]')
    return raw


_TOOL_WORDS = ["T-station-offset", "T-M6", "T-alone"]


def lathe_words(top: Table) -> tuple[dict[str, str], str]:
    """``[words] incremental`` and ``[tool] word``."""
    incremental = {"U": "X", "W": "Z"}
    part = top.table("words")
    if part is not None:
        table = part.table("incremental")
        if table is not None:
            incremental = {}
            for letter in table.names():
                if len(letter) != 1 or letter not in "ABCDEHIJKQUVW":
                    raise table.bad(letter, "this must be one letter that means nothing else")
                incremental[letter] = table.choice(letter, ["X", "Z"])
        part.done()
    tool = top.table("tool")
    word = "T-station-offset"
    if tool is not None:
        word = tool.choice("word", _TOOL_WORDS, word)
        tool.done()
    return incremental, word
