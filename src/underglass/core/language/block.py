"""One line of a program taken apart: words, comments, and what could not be read.

Glossary
    word      a letter and its number, as in ``X-1.5`` (NISTIR 6556 section 3.3.2, from memory)
    block     one line
    problem   a stretch of a block that is not a word, with what was expected there
Columns here count from 0, end exclusive; a finding counts from 1.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import NamedTuple


class Word(NamedTuple):
    """``letter`` is upper case; ``text`` is as written; ``start`` and ``end`` are columns from 0."""

    letter: str
    value: float
    start: int
    end: int
    text: str


class Problem(NamedTuple):
    """What could not be read, and what was expected in its place."""

    start: int
    end: int
    message: str
    remedy: str


class Remark(NamedTuple):
    """A comment with its brackets or its semicolon."""

    start: int
    end: int
    text: str

    @property
    def words(self) -> str:
        """The comment's text alone."""
        inner = self.text[1:]
        return (inner[:-1] if inner.endswith(")") and self.text[0] == "(" else inner).strip()


@dataclass(frozen=True, slots=True)
class Block:
    """A line taken apart. ``skip`` is the block-skip level (0: none; a bare ``/`` is level 1)."""

    line: int
    words: tuple[Word, ...] = ()
    remarks: tuple[Remark, ...] = ()
    problems: tuple[Problem, ...] = ()
    skip: int = 0
    tape_mark: bool = False

    def word(self, letter: str) -> Word | None:
        """The first word with this letter, if there is one."""
        return next((w for w in self.words if w.letter == letter), None)


_BLANK = " \t\v\f\ufeff\x11\x13\x1a"
_TOKEN = re.compile(
    r"""[ \t\v\f\ufeff\x11\x13\x1a]*(?:
      (?P<word>(?P<letter>[A-Za-z])(?P<number>[+-]?(?:\d+\.?\d*|\.\d+)))(?![ \t]*[\d.])
    | (?P<remark>\([^()]*\)|;.*)
    | (?P<spaced>(?P<letter2>[A-Za-z])[ \t]*(?P<number2>[+-]?[ \t]*(?:\d[\d \t]*(?:\.[\d \t]*)?|\.[ \t]*\d[\d \t]*)))
    | (?P<name>:[ \t]*(?P<number3>\d+))
    | (?P<mark>%)
    | (?P<skip>/[ \t]*(?P<level>[1-9])?)
    | (?P<end>$)
    )""",
    re.VERBOSE | re.ASCII,
)
_BROKEN_WORD = re.compile(r"[A-Za-z][ \t]*[^A-Za-z\s(;%/]*", re.ASCII)
_STRAY = re.compile(r"[^A-Za-z(;%/ \t]+|.")
_LONGEST_NUMBER = 40


def _why_not(text: str, at: int) -> Problem:
    """The problem that begins at column ``at`` of ``text``, with what was expected there."""
    char = text[at]
    if char == "(":
        return Problem(at, len(text), "this comment is opened but never closed", "close it with ) on the same line")
    if char == ")":
        return Problem(at, at + 1, "a ) without its (", "take it away, or open the comment with (")
    if char.isalpha() and char.isascii():
        broken = _BROKEN_WORD.match(text, at)
        piece = (broken.group() if broken else char).rstrip()
        if "#" in piece or "[" in piece:
            return Problem(at, at + len(piece), "variables and brackets are not read yet", "write the number itself")
        if len(piece) == 1:
            return Problem(
                at, at + 1, f"{char.upper()} has no number", f"write the number that belongs to {char.upper()}"
            )
        return Problem(
            at, at + len(piece), f"{piece} is not a word: its number cannot be read", "write one number, as in X-10.5"
        )
    match = _STRAY.match(text, at)
    end = match.end() if match else at + 1
    piece = text[at:end]
    if piece[0].isdigit() or piece[0] in "+-.":
        return Problem(
            at, end, f"the number {piece} has no letter before it", "put the word's letter before it, as in X or Z"
        )
    if piece[0] in "#[]=":
        return Problem(at, end, f"{piece[0]} belongs to variables, which are not read yet", "write the number itself")
    shown = piece if piece.isprintable() else piece.encode("unicode_escape").decode()
    return Problem(at, end, f"'{shown}' is not part of any word", "a word is a letter and a number, as in X10.5")


def read_block(text: str, line: int) -> Block:
    """Take one line apart. Never raises: what cannot be read becomes a problem, and reading goes on after it."""
    words: list[Word] = []
    remarks: list[Remark] = []
    problems: list[Problem] = []
    skip = 0
    tape_mark = False
    at = 0
    match = _TOKEN.match
    while True:
        found = match(text, at)
        if found is None:
            start = at
            while start < len(text) and text[start] in _BLANK:
                start += 1
            problem = _why_not(text, start)
            problems.append(problem)
            at = problem.end
            continue
        kind = found.lastgroup
        at = found.end()
        if kind == "word":
            if len(found["number"]) > _LONGEST_NUMBER:
                problems.append(_too_long(found.start("letter"), at))
                continue
            words.append(
                Word(found["letter"].upper(), float(found["number"]), found.start("letter"), at, found["word"])
            )
        elif kind == "remark":
            remarks.append(Remark(found.start("remark"), at, found["remark"]))
        elif kind == "spaced":
            _add_spaced(found, words, problems)
        elif kind == "name":
            words.append(Word("O", float(found["number3"]), found.start("name"), at, found["name"]))
        elif kind == "mark":
            tape_mark = True
        elif kind == "skip":
            if words or skip:
                start = found.start("skip")
                problems.append(
                    Problem(start, start + 1, "/ stands inside the block", "put the / at the start of the line")
                )
            else:
                skip = int(found["level"] or 1)
        else:
            return Block(line, tuple(words), tuple(remarks), tuple(problems), skip, tape_mark)


def _too_long(start: int, end: int) -> Problem:
    return Problem(start, end, "this number is too long to be meant", "write it with fewer digits")


def _add_spaced(found: re.Match[str], words: list[Word], problems: list[Problem]) -> None:
    """A word with spaces inside it, which mean nothing (NISTIR 6556 section 3.3, from memory)."""
    written = found["spaced"].rstrip()
    start = found.start("letter2")
    number = re.sub(r"[ \t]", "", found["number2"])
    if len(number) > _LONGEST_NUMBER:
        problems.append(_too_long(start, start + len(written)))
        return
    words.append(Word(found["letter2"].upper(), float(number), start, start + len(written), written))
