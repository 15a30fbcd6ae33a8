"""What a program is made of, read from its text alone: subprograms, and in them the stretches of one tool.

Fast enough to be asked for a million lines: lines are looked at with one pattern, not read word by word. Comments are
left out of account.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import NamedTuple

_CHANGE = re.compile(r"(?<![A-Z])M0*6(?![0-9.])", re.IGNORECASE)
_TOOL = re.compile(r"(?<![A-Z#])T\s*+(\d{1,30})", re.IGNORECASE)
_PROGRAM = re.compile(r"\s*+(?:O\s*+|:\s*+)(\d{1,30})", re.IGNORECASE)
_REMARK = re.compile(r"\([^()]*\)|;.*")
ENTRIES = re.compile(r":\s*[A-Z0-9]+\s*=")
FORM_END = re.compile(r": END [0-9A-F]{4}\)")
"""The comments around an operation that was filled in, as ``core.compose`` writes them."""
_FORM_HEAD_LINES = 40
_NUMBER = re.compile(r"\s*+/?+\s*+N\s*+(\d{1,30})(?![0-9.])", re.IGNORECASE)


class Section(NamedTuple):
    """Lines from 0, both within; ``kind`` is "tool" or "program", ``number`` its T or O."""

    first: int
    last: int
    kind: str
    number: int
    title: str


def _bare(text: str) -> str:
    return _REMARK.sub("", text) if "(" in text or ";" in text else text


def is_remark(text: str) -> bool:
    """Whether a line holds a comment and nothing else."""
    return ("(" in text or ";" in text) and not _REMARK.sub("", text).strip(" \t")


def form_heading(lines: Sequence[str], line: int) -> str:
    """The name of the filled-in operation in whose first blocks a line (from 1) stands; empty where it stands in none."""
    for text in reversed(lines[max(0, line - _FORM_HEAD_LINES) : line - 1]):
        if FORM_END.search(text):
            return ""
        if is_remark(text) and ENTRIES.search(text):
            return ENTRIES.split(text.strip().lstrip("(;"))[0].strip()
    return ""


def _headed(lines: Sequence[str], line: int, lowest: int) -> tuple[int, str]:
    """(first line, title) of a stretch that begins at ``line``: comments right above it belong to it and name it."""
    first, title = line, ""
    while first > lowest and is_remark(lines[first - 1]) and not FORM_END.search(lines[first - 1]):
        first -= 1
    if first < line:
        title = lines[first].strip().lstrip("(;").rstrip(")").strip()
    return first, title


def sections(lines: Sequence[str]) -> tuple[Section, ...]:
    """Subprograms and tools in order of their first line; a tool's stretch ends where its subprogram does."""
    starts: list[tuple[int, str, int, str]] = []
    lowest = 0
    tool = 0
    for k, text in enumerate(lines):
        first = text.lstrip(" \t")[:1]
        has_change = "6" in text and ("M" in text or "m" in text)
        has_tool = "T" in text or "t" in text
        if first not in ("O", "o", ":") and not has_change and not has_tool:
            continue
        bare = _bare(text)
        program = _PROGRAM.match(bare)
        if program is not None:
            rest = _REMARK.search(text)
            title = rest[0].strip("(); ") if rest else ""
            starts.append((k, "program", int(program[1]), title))
            lowest = k + 1
            continue
        named = _TOOL.search(bare)
        if named is not None:
            tool = int(named[1])
        if has_change and _CHANGE.search(bare):
            begin, title = _headed(lines, k, lowest)
            title = form_heading(lines, k + 1) or title
            starts.append((begin, "tool", tool, title))
            lowest = k + 1
    out = []
    for n, (first_line, kind, number, title) in enumerate(starts):
        ends = (s[0] for s in starts[n + 1 :] if kind == "tool" or s[1] == "program")
        last = next(ends, len(lines)) - 1
        while last > first_line and not lines[last].strip():
            last -= 1
        out.append(Section(first_line, last, kind, number, title))
    return tuple(out)


def line_of_number(lines: Sequence[str], number: int) -> int | None:
    """The line (from 0) of the first block N of that number."""
    wanted = str(number)
    for k, text in enumerate(lines):
        if wanted in text:
            found = _NUMBER.match(text)
            if found is not None and int(found[1]) == number:
                return k
    return None
