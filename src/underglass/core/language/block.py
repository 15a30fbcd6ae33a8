"""One line of a program taken apart: words, comments, and what could not be read.

Glossary
    word      a letter and its number, as in ``X-1.5`` (NISTIR 6556 section 3.3.2, from memory); ``,C2`` and ``,R2`` too
    block     one line
    problem   a stretch of a block that is not a word, with what was expected there
Columns here count from 0, end exclusive; a finding counts from 1.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import NamedTuple

from underglass.core.language.expression import ExpressionProblem, Node, read_bracket, read_sum, read_value


class Word(NamedTuple):
    """``letter`` is upper case; ``text`` is as written; ``start`` and ``end`` are columns from 0.

    Where the number is to be worked out (``X[#1+2]``), ``node`` says how and ``value`` is not a number yet.
    """

    letter: str
    value: float
    start: int
    end: int
    text: str
    node: Node | None = None


class Assignment(NamedTuple):
    """``#target = value``."""

    target: Node
    value: Node
    start: int
    end: int


class Flow(NamedTuple):
    """What decides which block comes next.

    ``kind``: goto (to ``label``), if-goto, if-then (the rest of the block only if so), while (DO ``number``), unread-while
    (one whose condition cannot be read), end (of ``number``). ``condition`` is there for if-goto, if-then and while.
    """

    kind: str
    condition: Node | None
    label: Node | None
    number: int
    start: int
    end: int


class Problem(NamedTuple):
    """What could not be read, and what was expected in its place; ``write``: what to put there, where that is plain.

    ``of_the_word``: it belongs to the word before it, which then is not what was read of it.
    """

    start: int
    end: int
    message: str
    remedy: str
    write: str = ""
    of_the_word: bool = False


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


@dataclass(frozen=True, slots=True, kw_only=True)
class Block:
    """A line taken apart. ``skip`` is the block-skip level (0: none; a bare ``/`` is level 1)."""

    line: int
    words: tuple[Word, ...] = ()
    remarks: tuple[Remark, ...] = ()
    problems: tuple[Problem, ...] = ()
    skip: int = 0
    tape_mark: bool = False
    assignments: tuple[Assignment, ...] = ()
    flow: Flow | None = None
    arithmetic: bool = False

    def word(self, letter: str) -> Word | None:
        """The first word with this letter, if there is one."""
        return next((w for w in self.words if w.letter == letter), None)


_BLANK = " \t\v\f\ufeff\x11\x13\x1a"
_TOKEN = re.compile(
    r"""[ \t\v\f\ufeff\x11\x13\x1a]*+(?:
      (?P<word>(?P<letter>,[CRcr]|[A-Za-z])(?P<number>[+-]?(?:\d++(?:\.\d*+)?+|\.\d++)))(?![ \t]*+[\d.])
    | (?P<remark>\([^()]*+\)|;.*)
    | (?P<spaced>(?P<letter2>,[CRcr]|[A-Za-z])[ \t]*+(?P<number2>[+-]?+[ \t]*+(?:\d[\d \t]*+(?:\.[\d \t]*+)?+|\.[ \t]*+\d[\d \t]*+)))
    | (?P<name>:[ \t]*+(?P<number3>\d++))
    | (?P<mark>%)
    | (?P<skip>/[ \t]*+(?P<level>[1-9])?+)
    | (?P<end>$)
    )""",
    re.VERBOSE | re.ASCII,
)
"""Possessive throughout: what a stranger wrote must not make it go back over it again and again."""
_BROKEN_WORD = re.compile(r"[A-Za-z][ \t]*+[^A-Za-z\s(;%/]*+", re.ASCII)
_WITH_O = re.compile(r"[A-Za-z][ \t]*+[-+]?[\d.]*+[Oo][\d.Oo]*+", re.ASCII)
"""A word with the letter O in the place of the figure 0."""
_FIGURE_BEFORE = re.compile(r"[A-Za-z][ \t]*[-+]?[\d.]+$", re.ASCII)
_COMMA = re.compile(r",\d+", re.ASCII)
_STRAY = re.compile(r"[^A-Za-z(;%/ \t]++|.")
_LONGEST_NUMBER = 40


_MOST_PROBLEMS = 20
"""Of one block: what comes after so many is no block any more."""
_MOST_WORDS = 2000

_NAMED: Mapping[str, str] = {
    "\u2212": "a typographic minus; the control wants -", "\u2013": "a dash; the control wants -", "\u2014": "a long dash; the control wants -",
    "\u00a0": "a space that does not break; the control wants a plain one", "\u201c": "a typographic quote", "\u201d": "a typographic quote",
    "\u2018": "a typographic quote", "\u2019": "a typographic quote", "\u00d7": "a multiplication sign", "\u2026": "three points in one character",
}  # fmt: skip
"""Characters that writing programs put in place of plain ones."""


def _short(piece: str) -> str:
    return piece if len(piece) <= 40 else f"{piece[:24]}\u2026"


def _given_up(start: int, end: int) -> Problem:
    return Problem(
        start,
        end,
        "so much of this block cannot be read that the rest is left",
        "check whether this is a program at all",
    )


def _why_not(text: str, at: int) -> Problem:
    """The problem that begins at column ``at`` of ``text``, with what was expected there."""
    char = text[at]
    if char == "(":
        return Problem(at, len(text), "this comment is opened but never closed", "close it with ) on the same line")
    if char == ")":
        return Problem(at, at + 1, "a ) without its (", "take it away, or open the comment with (")
    if char.isalpha() and char.isascii():
        with_o = _letter_o(text, at)
        if with_o is not None:
            return with_o
        broken = _BROKEN_WORD.match(text, at)
        piece = (broken.group() if broken else char).rstrip()
        if len(piece) == 1:
            return Problem(
                at, at + 1, f"{char.upper()} has no number", f"write the number that belongs to {char.upper()}"
            )
        return Problem(
            at,
            at + len(piece),
            f"{_short(piece)} is not a word: its number cannot be read{_named_in(piece)}",
            "write one number, as in X-10.5",
        )
    match = _STRAY.match(text, at)
    end = match.end() if match else at + 1
    piece = text[at:end]
    before = _figure_before(text, at)
    if before is not None and _COMMA.fullmatch(piece):
        said, written = before.group() + piece, piece.replace(",", ".")
        message = f"{_short(said)} has a comma in it: the control wants a point"
        return Problem(at, end, message, f"write {_short(before.group() + written)} instead", written, True)
    if before is not None and piece[0] == "." and "." in before.group():
        message = f"{_short(before.group() + piece)} has more than one point in it"
        return Problem(at, end, message, "write one number, as in X-10.5", of_the_word=True)
    if piece[0].isdigit() or piece[0] in "+-.":
        return Problem(
            at,
            end,
            f"the number {_short(piece)} has no letter before it",
            "put the word's letter before it, as in X or Z",
        )
    shown = _short(piece if piece.isprintable() else piece[:40].encode("unicode_escape").decode())
    return Problem(
        at, end, f"'{shown}' is not part of any word{_named_in(piece)}", "a word is a letter and a number, as in X10.5"
    )


def _figure_before(text: str, at: int) -> re.Match[str] | None:
    """A word of which a column is the next character; None where it is not."""
    begin = max(0, at - 60)
    return next((m for m in _FIGURE_BEFORE.finditer(text, begin, at)), None)


def _letter_o(text: str, at: int) -> Problem | None:
    """A word with the letter O where the figure 0 is meant: ``GO``, ``X1O.``; None where there is none at this column."""
    before = _figure_before(text, at) if text[at] in "Oo" else None
    if before is None and text[at] in "Oo":
        return None
    found = _WITH_O.match(text, before.start() if before is not None else at)
    if found is None:
        return None
    said = found.group()
    # The word's own letter may be anything; behind it there are only figures.
    written = said[0] + said[1:].replace("O", "0").replace("o", "0")
    message = f"{_short(said)} has the letter O in it where the figure 0 is meant"
    put = written[len(said) - (found.end() - at) :]
    return Problem(at, found.end(), message, f"write {_short(written)} instead", put, before is not None)


def _named_in(piece: str) -> str:
    """What a character that looks like a plain one is; empty where there is none."""
    return next((f" ({_NAMED[c]})" for c in piece if c in _NAMED), "")


def read_block(text: str, line: int) -> Block:
    """Take one line apart. Never raises: what cannot be read becomes a problem, and reading goes on after it."""
    if needs_arithmetic(text):
        return read_arithmetic_block(text, line)
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
            if words and problem.of_the_word:
                words.pop()
            at = problem.end
            if (len(problems) >= _MOST_PROBLEMS or len(words) >= _MOST_WORDS) and at < len(text):
                problems.append(_given_up(at, len(text)))
                break
            continue
        if len(words) >= _MOST_WORDS:
            problems.append(_given_up(found.start(), len(text)))
            break
        kind = found.lastgroup
        at = found.end()
        if kind == "word":
            if len(found["number"]) > _LONGEST_NUMBER:
                problems.append(_too_long(found.start("letter"), at))
                continue
            if words and found["letter"] in "Oo" and words[-1].letter != "N":
                problem = _letter_o(text, found.start("letter")) or _inside(found.start("letter"), at, found["word"])
                problems.append(problem)
                if problem.of_the_word:
                    words.pop()
                at = problem.end
                continue
            words.append(
                Word(found["letter"].upper(), float(found["number"]), found.start("letter"), at, found["word"])
            )
        elif kind == "remark":
            remarks.append(Remark(found.start("remark"), at, found["remark"]))
        elif kind == "spaced":
            _add_spaced(found, words, problems)
        elif kind == "name":
            words.append(Word("O", float(found["number3"][:_LONGEST_NUMBER]), found.start("name"), at, found["name"]))
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
            break
    return Block(
        line=line, words=tuple(words), remarks=tuple(remarks), problems=tuple(problems), skip=skip, tape_mark=tape_mark
    )


def _inside(start: int, end: int, said: str) -> Problem:
    return Problem(
        start,
        end,
        f"{_short(said)} stands inside the block: O is a program's number",
        "put the program's number in a line of its own",
    )


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


_KEYWORD = re.compile(r"(IF|WHILE|GOTO|END|DO|THEN)(?![A-Z])[ \t]*", re.IGNORECASE | re.ASCII)
_STARTS_WITH_KEYWORD = re.compile(
    r"[ \t]*+(?:/[ \t]*+[1-9]?+[ \t]*+)?+(?:N[ \t]*+\d++[ \t]*+)?+(?:IF|WHILE|GOTO|END)(?![A-Z])",
    re.IGNORECASE | re.ASCII,
)


_DO = re.compile(r"DO[ \t]*(\d{1,4})", re.IGNORECASE | re.ASCII)


def needs_arithmetic(text: str) -> bool:
    """Whether a line holds variables, brackets or a word that decides what comes next."""
    return "#" in text or "[" in text or _STARTS_WITH_KEYWORD.match(text) is not None


class _ArithmeticReader:
    """Reads one line with variables, expressions or flow. Slower than the plain way, and rarer."""

    def __init__(self, text: str, line: int) -> None:
        self.text = text
        self.line = line
        self.at = 0
        self.words: list[Word] = []
        self.remarks: list[Remark] = []
        self.problems: list[Problem] = []
        self.assignments: list[Assignment] = []
        self.flow: Flow | None = None
        self.skip = 0
        self.tape_mark = False

    def read(self) -> Block:
        while True:
            while self.at < len(self.text) and self.text[self.at] in _BLANK:
                self.at += 1
            if self.at >= len(self.text):
                break
            start = self.at
            if len(self.problems) >= _MOST_PROBLEMS or len(self.words) >= _MOST_WORDS:
                self.problems.append(_given_up(start, len(self.text)))
                break
            try:
                self.piece()
            except ExpressionProblem as problem:
                end = max(self.at, problem.end, start + 1)
                self.problems.append(Problem(problem.start, problem.end, problem.message, "check this value"))
                if _KEYWORD.match(self.text, start):
                    # What was to happen under a condition that cannot be read must not happen without one.
                    loop = _DO.search(self.text, start)
                    if self.text[start : start + 5].upper() == "WHILE" and loop is not None:
                        self.flow = Flow("unread-while", None, None, int(loop[1]), start, len(self.text))
                    break
                rest = re.compile(r"[^ \t]*").match(self.text, end)
                self.at = rest.end() if rest else end
        return Block(
            line=self.line, words=tuple(self.words), remarks=tuple(self.remarks), problems=tuple(self.problems), skip=self.skip, tape_mark=self.tape_mark,
            assignments=tuple(self.assignments), flow=self.flow, arithmetic=True,
        )  # fmt: skip

    def piece(self) -> None:
        """One word, comment, assignment or flow word."""
        text, start = self.text, self.at
        char = text[start]
        if char in "(;":
            end = text.find(")", start) + 1 if char == "(" else len(text)
            if end <= 0:
                self.problems.append(_why_not(text, start))
                self.at = len(text)
                return
            self.remarks.append(Remark(start, end, text[start:end]))
            self.at = end
        elif char == "#":
            self.assignment()
        elif char == "%":
            self.tape_mark = True
            self.at += 1
        elif char == "/" and not self.words:
            found = re.compile(r"/[ \t]*([1-9])?").match(text, start)
            assert found is not None
            self.skip = int(found[1] or 1)
            self.at = found.end()
        elif (keyword := _KEYWORD.match(text, start)) is not None:
            self.at = keyword.end()
            self.flow_word(keyword[1].upper(), start)
        elif (char.isalpha() and char.isascii()) or (char == "," and text[start + 1 : start + 2].upper() in ("C", "R")):
            char = text[start : start + 2] if char == "," else char
            node, self.at = read_value(text, start + len(char))
            known = node.value if node.kind == "number" else float("nan")
            if node.kind == "negative" and node.parts[0].kind == "number":
                known, node = -node.parts[0].value, node.parts[0]
            self.words.append(
                Word(char.upper(), known, start, self.at, text[start : self.at], None if known == known else node)
            )
        else:
            problem = _why_not(text, start)
            self.problems.append(problem)
            self.at = problem.end

    def assignment(self) -> None:
        start = self.at
        target, self.at = read_value(self.text, start)
        while self.at < len(self.text) and self.text[self.at] in " \t":
            self.at += 1
        if self.at >= len(self.text) or self.text[self.at] != "=":
            raise ExpressionProblem("a variable stands here without = and a value", start, self.at)
        value, self.at = read_sum(self.text, self.at + 1)
        self.assignments.append(Assignment(target, value, start, self.at))

    def flow_word(self, word: str, start: int) -> None:
        if word == "GOTO":
            label, self.at = read_value(self.text, self.at)
            self.flow = Flow("goto", None, label, 0, start, self.at)
        elif word == "END":
            self.flow = Flow("end", None, None, self.loop_number(start), start, self.at)
        elif word in ("IF", "WHILE"):
            condition, self.at = read_bracket(self.text, self.at)
            while self.at < len(self.text) and self.text[self.at] in " \t":
                self.at += 1
            follows = _KEYWORD.match(self.text, self.at)
            wanted = ("GOTO", "THEN") if word == "IF" else ("DO",)
            if follows is None or follows[1].upper() not in wanted:
                raise ExpressionProblem(f"{word} needs {' or '.join(wanted)} after its condition", start, self.at)
            self.at = follows.end()
            if follows[1].upper() == "GOTO":
                label, self.at = read_value(self.text, self.at)
                self.flow = Flow("if-goto", condition, label, 0, start, self.at)
            elif follows[1].upper() == "THEN":
                self.flow = Flow("if-then", condition, None, 0, start, self.at)
            else:
                self.flow = Flow("while", condition, None, self.loop_number(start), start, self.at)
        else:
            raise ExpressionProblem(f"{word} stands here without IF or WHILE", start, self.at)

    def loop_number(self, start: int) -> int:
        found = re.compile(r"[ \t]*(\d{1,4})").match(self.text, self.at)
        if found is None:
            raise ExpressionProblem("the loop's number is missing, as in DO 1 and END 1", start, self.at)
        self.at = found.end()
        return int(found[1])


def read_arithmetic_block(text: str, line: int) -> Block:
    """A line with variables, expressions or flow taken apart. Never raises."""
    return _ArithmeticReader(text, line).read()
