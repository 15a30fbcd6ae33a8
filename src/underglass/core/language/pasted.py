"""Text that a word processor, a mail or a web page has touched: what is wrong with it for a control, and the text put right.

Only characters and lines that no program has are named; a comment's letters stay as they are.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Sequence
from itertools import pairwise
from typing import NamedTuple

from underglass.core.language.block import read_block

_MINUS = "\u2212\u2010\u2011\u2012\u2013\u2014\u2015\ufe63\uff0d"
_QUOTES = {"\u201c": '"', "\u201d": '"', "\u201e": '"', "\u2018": "'", "\u2019": "'", "\u201a": "'", "\u2032": "'", "\u2033": '"'}  # fmt: skip
_BLANKS = "\u00a0\u1680\u2000\u2001\u2002\u2003\u2004\u2005\u2006\u2007\u2008\u2009\u200a\u202f\u205f\u3000"
_NOTHING = "\u200b\u200c\u200d\u2060\ufeff\u00ad"
_MARKED = re.compile(r"^[ \t]*(?:```.*|~~~.*)$")
_BULLET = re.compile(r"^[ \t]*(?:[-*\u2022>][ \t]+|\d{1,6}[.):][ \t]+)(?=[A-Za-z(%/;#])")
_COUNTED = re.compile(r"^[ \t]*(\d{1,7})(?:[ \t]+|\t|[ \t]*\|[ \t]*)(?=[A-Za-z(%/;#]|$)")
_COMMA = re.compile(r"(?<![A-Za-z0-9])([A-Za-z][ \t]*[+-]?\d*),(\d+)(?![,\d])")
_PROSE_WORD = re.compile(r"[^\W\d_]{2,}")


class Cleaned(NamedTuple):
    """``lines`` put right; ``said`` names what was wrong, with its count, in plain words; empty where nothing was."""

    lines: tuple[str, ...]
    said: tuple[str, ...]


def _counted(count: int, one: str, more: str) -> str:
    return f"{count} {one if count == 1 else more}"


def is_prose(text: str) -> bool:
    """A line of sentences: not readable as a block, and with several words of letters outside any comment."""
    block = read_block(text, 1)
    if not block.problems:
        return False
    bare = re.sub(r"\([^()]*\)|;.*", "", text)
    found = _PROSE_WORD.findall(bare)
    letters = sum(len(w) for w in found)
    return len(found) >= 2 and letters > sum(c.isdigit() for c in bare) * 2


def _characters(text: str, counts: dict[str, int]) -> str:
    if text.isascii():
        return text
    out = []
    for c in text:
        if c in _MINUS:
            counts["minus"] += 1
            out.append("-")
        elif c in _QUOTES:
            counts["quote"] += 1
            out.append(_QUOTES[c])
        elif c in _BLANKS:
            counts["blank"] += 1
            out.append(" ")
        elif c in _NOTHING:
            counts["nothing"] += 1
        elif "\uff01" <= c <= "\uff5e":
            counts["wide"] += 1
            out.append(unicodedata.normalize("NFKC", c))
        elif c == "\u2026":
            counts["quote"] += 1
            out.append("...")
        else:
            out.append(c)
    return "".join(out)


def _outside_remarks(text: str, pattern: re.Pattern[str], new: str) -> tuple[str, int]:
    pieces = re.split(r"(\([^()]*\)|;.*)", text)
    total = 0
    for k in range(0, len(pieces), 2):
        pieces[k], count = pattern.subn(new, pieces[k])
        total += count
    return "".join(pieces), total


def _without_counts(lines: list[str]) -> tuple[list[str], int]:
    """Lines without the line numbers that stood in front of them as a column; only where these count up all the way."""
    full = [(k, _COUNTED.match(text)) for k, text in enumerate(lines) if text.strip()]
    found = [(k, int(m[1])) for k, m in full if m is not None]
    if len(found) < 2 or len(found) < len(full) or any(b[1] != a[1] + 1 for a, b in pairwise(found)):
        return lines, 0
    return [_COUNTED.sub("", text, count=1) for text in lines], len(found)


def cleaned(lines: Sequence[str]) -> Cleaned:
    """The text as a control can read it, and what had to be put right. Sentences become comments or go from both ends."""
    counts = dict.fromkeys(("minus", "quote", "blank", "nothing", "wide"), 0)
    out = [_characters(text, counts) for text in lines]
    said = []
    for key, one, more in (
        ("minus", "typographic minus or dash", "typographic minuses or dashes"),
        ("quote", "typographic quote", "typographic quotes"),
        ("blank", "blank that is no space", "non-standard spaces"),
        ("nothing", "character that cannot be seen", "characters that cannot be seen"),
        ("wide", "double-width character", "double-width characters"),
    ):
        if counts[key]:
            said.append(_counted(counts[key], one, more))
    out, numbered = _without_counts(out)
    if numbered:
        said.append(f"line numbers of a listing before {numbered} lines")
    marks = sum(bool(_MARKED.match(text)) for text in out)
    if marks:
        said.append(_counted(marks, "code-block mark", "code-block marks"))
        out = [text for text in out if not _MARKED.match(text)]
    bullets = 0
    for k, text in enumerate(out):
        found = _BULLET.match(text)
        if found is not None and not read_block(text[found.end() :], 1).problems:
            out[k] = text[found.end() :]
            bullets += 1
    if bullets:
        said.append(_counted(bullets, "bullet or number before a line", "bullets or numbers before lines"))
    commas = 0
    for k, text in enumerate(out):
        if "," in text:
            changed, count = _outside_remarks(text, _COMMA, r"\1.\2")
            # A comma that no number needs, as between words, would only hide what is wrong.
            if count and len(read_block(changed, 1).problems) < len(read_block(text, 1).problems):
                out[k] = changed
                commas += count
    if commas:
        said.append(_counted(commas, "decimal comma", "decimal commas"))
    return _without_prose(out, said)


def _without_prose(lines: list[str], said: list[str]) -> Cleaned:
    prose = [k for k, text in enumerate(lines) if is_prose(text)]
    if prose and any(text.strip() and k not in set(prose) for k, text in enumerate(lines)):
        said.append(_counted(len(prose), "line that is no program", "lines that are not G-code"))
        there = set(prose)
        code = [k for k, text in enumerate(lines) if text.strip() and k not in there]
        kept = []
        for k, text in enumerate(lines):
            if k in there:
                if code[0] < k < code[-1]:
                    kept.append("(" + text.strip().replace("(", "[").replace(")", "]") + ")")
            elif text.strip() or code[0] < k < code[-1]:
                kept.append(text)
        ended = bool(lines) and not lines[-1]
        lines = [*kept, ""] if ended else kept
    return Cleaned(tuple(lines), tuple(said))
