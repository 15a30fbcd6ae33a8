"""Fill-in operations: a form becomes plain commented text, and that text becomes the form again.

What is written is all there is: the entries stand in a comment ahead of the blocks, and a mark at the end tells whether
the blocks were changed by hand since. Block numbers and spaces do not count as a change.

    (POCKET, ROUND: CX=60. CY=40. D=30. DEEP=8.)
    ...
    (POCKET, ROUND: END 3FA1)
"""

from __future__ import annotations

import hashlib
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from underglass.core.language.edits import strip_numbers
from underglass.core.reckon.form import Answer, CannotBe, Entries, Field, Value, read_entries, write
from underglass.core.units import Unit

_HEAD = re.compile(r"\s*+(?:N\d++\s*+)?+\(([A-Z][A-Z ,]*): ([A-Z0-9]+=[^\s]+(?: [A-Z0-9]+=[^\s]+)* ?)\)\s*+")
_MORE = re.compile(r"\s*+(?:N\d++\s*+)?+\( ++([A-Z0-9]+=[^\s]+(?: [A-Z0-9]+=[^\s]+)* ?)\)\s*+")
_TAIL = re.compile(r"\s*+(?:N\d++\s*+)?+\(([A-Z][A-Z ,]*): END ([0-9A-F]{4})\)\s*")
_LONGEST = 64


@dataclass(frozen=True, slots=True)
class Operation:
    """``name`` is what the person sees, in upper case it is what the text says; ``work`` gives blocks and a drawing."""

    name: str
    fields: tuple[Field, ...]
    work: Callable[[Entries], Answer]
    about: str = ""

    @property
    def sign(self) -> str:
        return self.name.upper()

    def asked(self, entered: Mapping[str, str]) -> tuple[Field, ...]:
        """The fields that these choices leave to be filled in."""
        return tuple(f for f in self.fields if f.shown is None or f.shown(entered))

    def answer(self, entered: Mapping[str, str], unit: Unit) -> Answer:
        """The blocks without their comments, the drawing, and what is to be known of them. Raises ``CannotBe``."""
        return self.work(read_entries(self.asked(entered), entered, unit))

    def text(self, entered: Mapping[str, str], unit: Unit) -> tuple[str, ...]:
        """The whole text: entries, blocks, mark. Raises ``CannotBe``."""
        fields = self.asked(entered)
        entries = read_entries(fields, entered, unit)
        blocks = self.work(entries).blocks
        said = [
            f"{f.key.upper()}={_said(f, entries.values[f.key], unit)}"
            for f in fields
            if entries.values[f.key] is not None
        ]
        head, line = [], f"({self.sign}:"
        for piece in said:
            if len(line) + len(piece) + 2 > _LONGEST:
                head.append(line + ")")
                line = "( "
            line += " " + piece
        head.append(line + ")")
        return (*head, *blocks, f"({self.sign}: END {mark_of(blocks)})")


def _said(field: Field, value: Value, unit: Unit) -> str:
    if isinstance(value, tuple):
        return ";".join(f"{write(x, unit)},{write(y, unit)}" for x, y in value)
    if isinstance(value, str):
        return value.upper()
    assert value is not None
    return str(value) if field.kind == "count" else write(float(value), unit, places=4)


def mark_of(blocks: Sequence[str]) -> str:
    """Four letters that change when the blocks do; block numbers, spaces and case left out of account."""
    bare = [re.sub(r"\s", "", text).upper() for text in strip_numbers(tuple(blocks))]
    return hashlib.sha256("\n".join(t for t in bare if t).encode("utf-8", "surrogatepass")).hexdigest()[:4].upper()


@dataclass(frozen=True, slots=True)
class Found:
    """An operation's text in a program: lines from 0, both within; ``edited``: blocks were changed by hand."""

    first: int
    last: int
    operation: Operation
    entered: dict[str, str]
    edited: bool


def find_at(lines: Sequence[str], line: int, operations: Sequence[Operation], reach: int = 200_000) -> Found | None:
    """The operation whose text a line (from 0) is in, or None. A head without its end is no operation any more."""
    known = {op.sign: op for op in operations}
    first = None
    for k in range(min(line, len(lines) - 1), max(-1, line - reach), -1):
        if "(" not in lines[k]:
            continue
        if k < line and _TAIL.fullmatch(lines[k]):
            return None
        head = _HEAD.fullmatch(lines[k])
        if head is not None and head[1] in known:
            first = k
            break
    if first is None:
        return None
    head = _HEAD.fullmatch(lines[first])
    assert head is not None
    operation, said = known[head[1]], head[2].split()
    k = first + 1
    while k < len(lines) and (more := _MORE.fullmatch(lines[k])) is not None:
        said += more[1].split()
        k += 1
    begin = k
    while k < len(lines) and k < first + reach:
        tail = _TAIL.fullmatch(lines[k]) if "(" in lines[k] else None
        if tail is not None and tail[1] == operation.sign:
            entered = _entered(operation, said)
            if entered is None:
                return None
            return Found(first, k, operation, entered, mark_of(lines[begin:k]) != tail[2])
        if tail is not None or (k > begin and "(" in lines[k] and _HEAD.fullmatch(lines[k])):
            return None
        k += 1
    return None


def _entered(operation: Operation, said: Sequence[str]) -> dict[str, str] | None:
    fields = {f.key.upper(): f for f in operation.fields}
    out: dict[str, str] = {f.key: "" for f in operation.fields if f.blank}
    for piece in said:
        key, _eq, value = piece.partition("=")
        field = fields.get(key)
        if field is None:
            return None
        if field.kind == "choice":
            value = next((v for v, _word in field.choices if v.upper() == value.upper()), value)
        elif field.kind == "points":
            value = value.replace(";", "\n").replace(",", " ")
        elif value.endswith("."):
            value = value[:-1]
        out[field.key] = value
    return out


def need(value: bool, why: str, key: str) -> None:
    """Raises ``CannotBe`` where something does not hold."""
    if not value:
        raise CannotBe(why, key)
