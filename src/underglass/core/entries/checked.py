"""Reading a TOML file with every complaint at its file, key and line.

``tomllib`` reads; ``key_lines`` finds where each key stands; ``Table`` takes entries out one by one and, at the end,
complains about what nobody asked for, with the nearest name that somebody would have.
"""

from __future__ import annotations

import difflib
import math
import re
import tomllib
from collections.abc import Callable, Iterable, Mapping, Sequence
from functools import cache, partial
from pathlib import Path
from typing import Any, Literal, overload

from underglass.core.errors import BadEntry
from underglass.core.reading import TEXT_BYTES, read_regular

_MOST_TABLES = 100_000
"""Lists in lists cost a thousand times the memory that they take in the file."""

_PIECE = re.compile(
    r"""(?P<long>\"{3}.*?(?:\"{3}|\Z)|'{3}.*?(?:'{3}|\Z))
      | (?P<text>"(?:[^"\\\n]|\\.)*"|'[^'\n]*')
      | (?P<comment>\#[^\n]*)
      | (?P<bare>[A-Za-z0-9_\-]+)
      | (?P<line>\n)
      | (?P<mark>[\[\]{}=.,])""",
    re.VERBOSE | re.DOTALL,
)


def key_lines(text: str) -> dict[str, int]:
    """Line (from 1) of every table and key, by dotted path; the entries of ``[[x]]`` are ``x[1]``, ``x[2]``, …

    Reads keys only, and leniently: the text has been checked by ``tomllib`` before.
    """
    lines: dict[str, int] = {}
    counts: dict[str, int] = {}
    table = ""
    names: list[str] = []
    stack: list[tuple[str, str]] = []
    line = 1
    header = ""
    in_value = False
    for piece in _PIECE.finditer(text):
        kind, token = piece.lastgroup, piece.group()
        if kind == "line":
            line += 1
            if not stack:
                names, in_value = [], False
        elif kind == "long":
            line += token.count("\n")
        elif kind == "comment":
            continue
        elif token == "[" and not stack and not in_value and not header and not names:
            header = "["
        elif token == "[" and header == "[" and not names:
            header = "[["
        elif token == "]" and header:
            if names:
                table = _open_table(names, header == "[[", counts)
                lines.setdefault(table, line)
                names = []
            if header == "[[":
                header = "[" if text[piece.end() : piece.end() + 1] == "]" else ""
            else:
                header = ""
        elif token == "=":
            prefix = stack[-1][1] if stack else table
            path = ".".join([*([prefix] if prefix else []), *names])
            lines.setdefault(path, line)
            names, in_value = [], True
            last = path
        elif token == "{" and in_value:
            stack.append(("{", last))
            in_value = False
        elif token == "[" and (in_value or stack):
            stack.append(("[", stack[-1][1] if stack and not in_value else last))
        elif token in "}]" and kind == "mark":
            if stack:
                stack.pop()
            names, in_value = [], bool(stack)
        elif token == "," and stack and stack[-1][0] == "{":
            names, in_value = [], False
        elif kind in ("bare", "text") and (not in_value or header):
            names.append(token.strip("\"'"))
    return lines


def _open_table(names: Sequence[str], many: bool, counts: dict[str, int]) -> str:
    """The path of a table header, with the entry's number for a table that is part of a list."""
    path = ""
    for k, name in enumerate(names):
        path = f"{path}.{name}" if path else name
        if many and k == len(names) - 1:
            counts[path] = counts.get(path, 0) + 1
        if path in counts:
            path = f"{path}[{counts[path]}]"
    return path


def _said(value: object) -> str:
    """A TOML value's sort, in plain words."""
    if isinstance(value, bool):
        return "true or false"
    if isinstance(value, (int, float)):
        return "a number"
    if isinstance(value, str):
        return "text"
    if isinstance(value, list):
        return "a list"
    if isinstance(value, dict):
        return "a table"
    return "a date or time"


class Table:
    """One table of a file. Every reader method takes an entry out; ``done`` complains about what is left."""

    def __init__(self, data: Mapping[str, Any], path: str, file: str, lines: Callable[[], Mapping[str, int]]) -> None:
        self._data = dict(data)
        self.path = path
        self.file = file
        self._lines = lines
        self._asked: list[str] = []

    def fill(self, other: Table, *, deep: bool) -> None:
        """Take over from another what is left out here: whole tables; ``deep``: in tables that are here, single entries too."""
        for name, value in other._data.items():
            mine = self._data.get(name)
            if mine is None:
                self._data[name] = value
            elif deep and isinstance(mine, dict) and isinstance(value, dict):
                self._data[name] = {**value, **mine}

    def key(self, name: str) -> str:
        return f"{self.path}.{name}" if self.path else name

    def bad(self, name: str, why: str) -> BadEntry:
        """The complaint about an entry; about this table where ``name`` is empty."""
        key = self.key(name) if name else self.path
        line, lines = 0, self._lines()
        probe = key
        while not line:
            line = lines.get(probe, 0)
            if not probe:
                break
            cut = max(probe.rfind("."), probe.rfind("["))
            probe = probe[:cut] if cut > 0 else ""
        return BadEntry(path=self.file, key=key, line=line or 1, why=why)

    def __contains__(self, name: str) -> bool:
        return name in self._data

    def _take(self, name: str) -> Any:
        self._asked.append(name)
        return self._data.pop(name, None)

    def peek(self, name: str) -> Any:
        """An entry as it is, still to be taken."""
        return self._data.get(name)

    def raw(self, name: str) -> Any:
        """The entry as it is, or None."""
        return self._take(name)

    @overload
    def number(
        self, name: str, default: float, *, least: float = ..., above: float = ..., most: float = ...
    ) -> float: ...
    @overload
    def number(
        self, name: str, default: None = ..., *, least: float = ..., above: float = ..., most: float = ...
    ) -> float | None: ...
    def number(
        self,
        name: str,
        default: float | None = None,
        *,
        least: float = -math.inf,
        above: float = -math.inf,
        most: float = math.inf,
    ) -> float | None:
        """A finite number within bounds; ``default`` where it is left out."""
        value = self._take(name)
        if value is None:
            return default
        return self.checked_number(name, value, least=least, above=above, most=most)

    def checked_number(
        self, name: str, value: Any, *, least: float = -math.inf, above: float = -math.inf, most: float = math.inf
    ) -> float:
        if isinstance(value, bool) or not isinstance(value, (int, float)):
            raise self.bad(name, f"this must be a number, not {_said(value)}")
        try:
            number = float(value)
        except OverflowError:
            number = math.inf
        if not math.isfinite(number) or abs(number) > 1e7:
            raise self.bad(name, f"{value} is not a usable number")
        if number < least:
            raise self.bad(name, f"{value} is too small: at least {least:g}")
        if number <= above:
            raise self.bad(name, f"{value} is too small: it must be more than {above:g}")
        if number > most:
            raise self.bad(name, f"{value} is too large: at most {most:g}")
        return number

    def need_number(
        self, name: str, *, least: float = -math.inf, above: float = -math.inf, most: float = math.inf
    ) -> float:
        """A number that must be there."""
        if name not in self._data:
            self._asked.append(name)
            raise self.bad(name, "this is missing, and has no default")
        value = self.number(name, 0.0, least=least, above=above, most=most)
        return value

    def whole(self, name: str, default: int | None = None, *, least: int = 0) -> int | None:
        """A whole number."""
        value = self._take(name)
        if value is None:
            return default
        if isinstance(value, bool) or not isinstance(value, int):
            raise self.bad(
                name, f"this must be a whole number, not {_said(value) if not isinstance(value, float) else value}"
            )
        if value < least or value > 10**6:
            raise self.bad(name, f"{value} is out of range: {least} or more")
        return value

    def text(self, name: str, default: str | None = None) -> str | None:
        value = self._take(name)
        if value is None:
            return default
        if not isinstance(value, str):
            raise self.bad(name, f"this must be text in quotes, not {_said(value)}")
        return value

    def need_text(self, name: str) -> str:
        value = self.text(name)
        if value is None:
            raise self.bad(name, "this is missing, and has no default")
        return value

    def flag(self, name: str, default: bool) -> bool:
        value = self._take(name)
        if value is None:
            return default
        if not isinstance(value, bool):
            raise self.bad(name, f"this must be true or false, not {_said(value)}")
        return value

    def choice(self, name: str, choices: Sequence[str], default: str | None = None) -> str:
        """One of a few words; must be there when there is no default."""
        value = self.text(name, default)
        if value is None:
            raise self.bad(name, f"this is missing; it is one of {', '.join(choices)}")
        if value not in choices:
            near = difflib.get_close_matches(value, choices, 1)
            hint = f" (did you mean {near[0]}?)" if near else ""
            raise self.bad(name, f"'{value}' is not one of {', '.join(choices)}{hint}")
        return value

    def numbers(
        self, name: str, count: int | Literal["2 or 3"] = 3, *, above: float = -math.inf
    ) -> tuple[float, ...] | None:
        """A list of so many finite numbers, or None where it is left out."""
        value = self._take(name)
        if value is None:
            return None
        sizes = (2, 3) if count == "2 or 3" else (count,)
        if not isinstance(value, list) or len(value) not in sizes:
            got = f"{len(value)} of them" if isinstance(value, list) else _said(value)
            raise self.bad(name, f"this must be a list of {count} numbers, not {got}")
        return tuple(self.checked_number(name, v, above=above) for v in value)

    def table(self, name: str) -> Table | None:
        value = self._take(name)
        if value is None:
            return None
        if not isinstance(value, dict):
            raise self.bad(name, f"this must be a table of entries, not {_said(value)}")
        return Table(value, self.key(name), self.file, self._lines)

    def tables(self, name: str) -> list[Table]:
        """A list of tables, as ``[[tool]]`` writes it."""
        value = self._take(name)
        if value is None:
            return []
        if not isinstance(value, list) or not all(isinstance(v, dict) for v in value):
            raise self.bad(name, f"write each one under its own [[{name}]]")
        return [Table(v, f"{self.key(name)}[{k}]", self.file, self._lines) for k, v in enumerate(value, 1)]

    def names(self) -> list[str]:
        """The names of the entries not yet taken out."""
        return list(self._data)

    def done(self, also: Iterable[str] = ()) -> None:
        """Complain about the first entry that is not part of the format."""
        for name in self._data:
            known = [*self._asked, *also]
            near = difflib.get_close_matches(name, known, 1, 0.5)
            hint = f"; did you mean {near[0]}?" if near else ""
            raise self.bad(name, f"this is not an entry of {self.path or 'the file'}{hint}")


def read_toml(path: Path) -> Table:
    """The file's top table. Raises ``UnusableFile`` or ``BadEntry``."""
    return read_toml_bytes(read_regular(path, TEXT_BYTES), str(path))


def read_toml_bytes(raw: bytes, file: str) -> Table:
    """Bytes of a TOML file as its top table."""
    if raw.count(b"[") + raw.count(b"{") > _MOST_TABLES:
        raise BadEntry(path=file, key="", line=1, why=f"this file has more than {_MOST_TABLES:,} tables and lists")
    try:
        text = raw.decode("utf-8-sig").replace("\r\n", "\n")
    except UnicodeDecodeError as error:
        line = raw[: error.start].count(b"\n") + 1
        raise BadEntry(path=file, key="", line=line, why="this is not UTF-8 text") from None
    try:
        data = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        found = re.search(r"\(at line (\d+), column (\d+)\)", str(error))
        line = int(found[1]) if found else text.count("\n") + 1
        why = re.sub(r"\s*\(at [^)]*\)", "", str(error))
        raise BadEntry(path=file, key="", line=line, why=f"not valid TOML: {why[:1].lower() + why[1:]}") from None
    except (RecursionError, ValueError, OverflowError):
        raise BadEntry(
            path=file, key="", line=1, why="not valid TOML: nested too deeply or with an impossible figure"
        ) from None
    # Where each key stands is asked only when there is something to complain about.
    return Table(data, "", file, cache(partial(key_lines, text)))
