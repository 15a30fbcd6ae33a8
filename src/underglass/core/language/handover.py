"""A program file as a control wants it: extension, line ends, ``%``, block numbers, letters, length of lines and names.

What stands in the way of a file is said with its line; what can be put right without a change of what the program does
is put right when the file is made, and said too.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal, NamedTuple

from underglass.core.language import edits
from underglass.core.language.block import read_block
from underglass.core.language.pasted import cleaned

_PROGRAM_SUFFIXES = frozenset(
    {"nc", "ngc", "tap", "cnc", "txt", "min", "eia", "iso", "mpf", "prg", "gcode", "ptp", "din", "doc", "docx", "rtf"}
)
_SAID = {
    "\u00d8": "D",
    "\u00f8": "D",
    "\u2300": "D",
    "\u00b0": "DEG",
    "\u00d7": "X",
    "\u00b1": "+-",
    "\u00b5": "U",
    "\u00df": "SS",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class FileHabits:
    """``letters``: "upper" where lower case is not read. ``longest_line`` and ``longest_name`` 0: no limit.

    ``characters`` are those it shows beside letters, figures and blanks. ``numbers``: block numbers as they are, on every
    block, or none.
    """

    extension: str = ".nc"
    line_ends: Literal["crlf", "lf", "cr"] = "crlf"
    percent: bool = True
    numbers: Literal["keep", "all", "none"] = "keep"
    letters: Literal["any", "upper"] = "any"
    longest_line: int = 0
    longest_name: int = 0
    characters: str = " !\"#$%&'()*+,-./:;<=>?@[]_"


TWO_EXTENSIONS = "two-extensions"


class Trouble(NamedTuple):
    """What stands in the way: line from 1 (0: the name), column from 1, what it is, what to do. ``mended``: it is put right.

    ``code``: which it is, where anybody has to know.
    """

    line: int
    column: int
    message: str
    remedy: str
    mended: bool
    code: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Made:
    """The file: its name, its bytes, its lines, and what was found on the way."""

    name: str
    data: bytes
    lines: tuple[str, ...]
    troubles: tuple[Trouble, ...]

    @property
    def open_troubles(self) -> tuple[Trouble, ...]:
        """What is still in the way."""
        return tuple(t for t in self.troubles if not t.mended)


def fitted_name(name: str, habits: FileHabits) -> tuple[str, list[Trouble]]:
    """The name with the one extension that the control sees."""
    out = []
    stem, found = name, []
    while (cut := stem.rpartition("."))[1] and cut[0] and cut[2].lower() in _PROGRAM_SUFFIXES:
        found.append(cut[2])
        stem = cut[0]
    wanted = habits.extension.lstrip(".")
    if len(found) > 1:
        said = ".".join(reversed(found))
        out.append(
            Trouble(
                0,
                1,
                f"the name has two extensions, .{said}: the control would not see it",
                "one is kept",
                True,
                TWO_EXTENSIONS,
            )
        )
    elif found and found[0].lower() != wanted.lower():
        out.append(
            Trouble(0, 1, f"the control sees .{wanted} files, not .{found[0]}", "the extension is changed", True)
        )
    bare = unicodedata.normalize("NFKD", stem)
    plain = re.sub(r"[^A-Za-z0-9_-]", "-", "".join(_SAID.get(c, c) for c in bare if not unicodedata.combining(c)))
    if plain != stem:
        out.append(Trouble(0, 1, "the name has characters that not every control can show", "they are replaced", True))
    if habits.letters == "upper":
        plain, wanted = plain.upper(), wanted.upper()
    if habits.longest_name and len(plain) > habits.longest_name:
        out.append(Trouble(0, 1, f"the name is longer than {habits.longest_name} letters", "it is cut", True))
        plain = plain[: habits.longest_name]
    return f"{plain or 'PROGRAM'}.{wanted}" if wanted else plain or "PROGRAM", out


def _shown(text: str, habits: FileHabits) -> str:
    """The line in characters that the control can show; what nothing stands for becomes a question mark."""
    out = []
    for c in unicodedata.normalize("NFKD", "".join(_SAID.get(c, c) for c in text)):
        if unicodedata.combining(c):
            continue
        out.append(c if (c.isascii() and c.isalnum()) or c in habits.characters or c == "\t" else "?")
    return "".join(out)


def make_file(lines: Sequence[str], name: str, habits: FileHabits) -> Made:
    """The program as the control wants it. Nothing is changed that changes what it does."""
    new_name, troubles = fitted_name(name, habits)
    text = list(lines[:-1] if lines and not lines[-1] else lines)
    right = cleaned(text)
    if right.said:
        troubles.append(
            Trouble(1, 1, "the text was touched by a word processor: " + ", ".join(right.said), "put right", True)
        )
        text = list(right.lines)
    for k, line in enumerate(text, 1):
        shown = _shown(line, habits)
        if shown != line:
            at = next((n for n, (a, b) in enumerate(zip(line, shown)) if a != b), 0)
            in_remark = any(r.start <= at < r.end for r in read_block(line, k).remarks)
            what = f"{line[at]!r} is a character that the control cannot show"
            if in_remark:
                troubles.append(Trouble(k, at + 1, what, "another stands for it, in a comment", True))
                text[k - 1] = shown
            else:
                troubles.append(Trouble(k, at + 1, what, "take it out of the program's words", False))
    if habits.letters == "upper":
        upper = [t.upper() for t in text]
        first = next((k for k, (a, b) in enumerate(zip(text, upper), 1) if a != b), None)
        if first is not None:
            count = sum(a != b for a, b in zip(text, upper))
            troubles.append(
                Trouble(
                    first, 1, f"lower case in {count} lines, which the control does not read", "made upper case", True
                )
            )
        text = upper
    text = _numbered(text, habits, troubles)
    text = _between_marks(text, habits, troubles)
    if habits.longest_line:
        for k, line in enumerate(text, 1):
            if len(line) > habits.longest_line:
                tight = edits.unspaced([line])[0]
                if len(tight) <= habits.longest_line:
                    text[k - 1] = tight
                    troubles.append(
                        Trouble(
                            k,
                            habits.longest_line + 1,
                            f"the line is longer than {habits.longest_line} characters",
                            "its spaces are taken out",
                            True,
                        )
                    )
                else:
                    troubles.append(
                        Trouble(
                            k,
                            habits.longest_line + 1,
                            f"the line is longer than {habits.longest_line} characters, without spaces too",
                            "make two blocks of it, or shorten its comment",
                            False,
                        )
                    )
    end = {"crlf": "\r\n", "lf": "\n", "cr": "\r"}[habits.line_ends]
    data = "".join(line + end for line in text).encode("ascii", "replace")
    return Made(
        name=new_name, data=data, lines=tuple(text), troubles=tuple(sorted(troubles, key=lambda t: (t.mended, t.line)))
    )


def _numbered(text: list[str], habits: FileHabits, troubles: list[Trouble]) -> list[str]:
    if habits.numbers == "keep":
        return text
    new = edits.renumber(text) if habits.numbers == "all" else edits.strip_numbers(text)
    if list(new) != text:
        said = (
            "every block is numbered"
            if habits.numbers == "all"
            else "block numbers are taken out, but for those jumped to"
        )
        troubles.append(Trouble(1, 1, "the block numbers are not as the control wants them", said, True))
    return list(new)


def _between_marks(text: list[str], habits: FileHabits, troubles: list[Trouble]) -> list[str]:
    if not habits.percent:
        return text
    full = [k for k, line in enumerate(text) if line.strip()]
    out = list(text)
    if not full or not text[full[-1]].strip().startswith("%") or len(full) == 1:
        out.append("%")
        troubles.append(Trouble(len(text), 1, "the program does not end with %", "put there", True))
    if not full or not text[full[0]].strip().startswith("%"):
        out.insert(0, "%")
        troubles.append(Trouble(1, 1, "the program does not begin with %", "put there", True))
    return out
