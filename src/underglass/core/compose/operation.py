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
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import NamedTuple

from underglass.core.compose.shop import ShopTexts
from underglass.core.language.edits import strip_numbers
from underglass.core.reckon.form import Answer, CannotBe, Entries, Field, Stroke, Value, read_entries, write
from underglass.core.units import MM_PER_INCH, Unit, from_mm

_HEAD = re.compile(r"\s*+(?:N\d++\s*+)?+\(([A-Z][A-Z ,]*): ([A-Z0-9]+=[^\s]+(?: [A-Z0-9]+=[^\s]+)* ?)\)\s*+")
_MORE = re.compile(r"\s*+(?:N\d++\s*+)?+\( ++([A-Z0-9]+=[^\s]+(?: [A-Z0-9]+=[^\s]+)* ?)\)\s*+")
_TAIL = re.compile(r"\s*+(?:N\d++\s*+)?+\(([A-Z][A-Z ,]*): END ([0-9A-F]{4})\)\s*")
_LONGEST = 64
_ROWS = ("points", "contour")
"""Kinds of entry that are rows: they may take several words of the head, each with the same key."""
OFF = "off"
"""The entry of an operation that is switched off: its entries stay, its blocks are left out."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Block:
    """The stock on the bench: its lowest and highest corner in the part's zero, mm, and what it is made of (empty: not said)."""

    low: tuple[float, float, float]
    high: tuple[float, float, float]
    material: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Around:
    """What stands around an operation: the shop's texts, the tool that is in when it begins, the names of the tools.

    With ``bring`` the operation writes the text that brings its tool in, where another one is in.
    """

    texts: ShopTexts = field(default_factory=ShopTexts)
    bring: bool = False
    tool_before: int | None = None
    names: Mapping[int, str] = field(default_factory=dict)
    title: str = ""
    program: int = 1
    cycles: Mapping[str, tuple[str, Mapping[str, str]]] = field(default_factory=dict)
    """The control's built-in cycles by name: the code and the letter of each input. Empty: no control is known."""
    highest: tuple[float, str] | None = None
    """The highest thing that is clamped in the part's zero, mm, and its name; None where nothing is."""
    block: Block | None = None
    """The stock as it is clamped; None where no bench is known."""
    stock: tuple[float, float, float, float] | None = None
    """The stock seen from above in the part's zero: X and Y from, X and Y to, mm; None where it is not known."""


@dataclass(frozen=True, slots=True)
class ShopEntries(Entries):
    """What was entered, in mm and mm/min whatever the program's unit is, and what stands around it."""

    around: Around = field(default_factory=Around)
    took: list[Callable[[], float]] = field(default_factory=list, compare=False)
    """By each writer that was made for them: how long what it wrote takes, minutes."""

    def show(self, value: float) -> str:
        """A length in mm, for reading in the program's unit."""
        return Entries.show(self, from_mm(value, self.unit))

    def code(self, value: float) -> str:
        """A length in mm, as the program writes it."""
        return write(from_mm(value, self.unit), self.unit)


class Way(NamedTuple):
    """Another choice of an entry that comes to the same shape: what it is called, how long it takes and what else it makes."""

    key: str
    value: str
    word: str
    minutes: float
    makes: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Operation:
    """``name`` is what the person sees, in upper case it is what the text says; ``work`` gives blocks and a drawing."""

    name: str
    fields: tuple[Field, ...]
    work: Callable[[ShopEntries], Answer]
    about: str = ""
    kinds: tuple[str, ...] = ("end-mill", "slot-drill", "bull-nose")
    """Kinds of tools that it is for, of those that milling knows."""
    own_places: tuple[str, ...] = ()
    """Keys of places that have nothing to do with the stock's outline, though they are called like those."""
    shared: tuple[str, ...] = ()
    """Keys of entries that every later form of the program begins with."""
    ways: tuple[str, ...] = ("turn", "ways", "rough", "way", "nest")
    """Keys of choices that are other ways to the same shape: what each costs is shown beside the one chosen."""

    @property
    def sign(self) -> str:
        return self.name.upper()

    @property
    def key(self) -> str:
        """Its name on the command line: ``pocket-round``."""
        return "-".join(re.findall(r"[a-z0-9]+", self.name.lower()))

    def asked(self, entered: Mapping[str, str]) -> tuple[Field, ...]:
        """The fields that these choices leave to be filled in."""
        chosen = {f.key: f.start for f in self.fields if f.kind == "choice"} | dict(entered)
        return tuple(f for f in self.fields if f.shown is None or f.shown(chosen))

    def only_asked(self, entered: Mapping[str, str]) -> dict[str, str]:
        """Without what these choices do not ask for."""
        keys = {f.key for f in self.asked(entered)} | {OFF}
        return {k: v for k, v in entered.items() if k in keys}

    def entries(self, entered: Mapping[str, str], unit: Unit, around: Around = Around()) -> ShopEntries:
        """The value of each field that is asked for. Raises ``CannotBe``."""
        known = {f.key for f in self.fields} | {OFF}
        for key in entered:
            if key not in known:
                raise CannotBe(f"{key} is no entry of {self.name.lower()}: {', '.join(sorted(known - {OFF}))} are", key)
        values = read_entries(self.asked(entered), entered, unit).values
        if unit == "inch":
            kinds = {f.key: f.kind for f in self.fields}
            values = {key: _in_mm(value, kinds[key]) for key, value in values.items()}
        return ShopEntries(unit, values, around)

    def answer(self, entered: Mapping[str, str], unit: Unit, around: Around = Around()) -> Answer:
        """The blocks without their comments, the drawing, and what is to be known of them. Raises ``CannotBe``."""
        entries = self.entries(entered, unit, around)
        answer = self.work(entries)
        if entries.took:
            # The first writer is the one of these entries; others tried another way.
            answer = replace(answer, minutes=entries.took[0]())
        if unit != "inch":
            return answer
        # A drawing is in the unit of the program.
        return replace(answer, strokes=tuple(_in_inches(s) for s in answer.strokes))

    def other_ways(self, entered: Mapping[str, str], unit: Unit, around: Around = Around()) -> tuple[Way, ...]:
        """The same entries with each other choice of the operation's ways, and how long each takes; those that cannot be left out."""
        out: list[Way] = []
        asked = {f.key: f for f in self.asked(entered)}
        for key in self.ways:
            if key not in asked:
                continue
            mine = entered.get(key, asked[key].start)
            for value, word in asked[key].choices:
                # Left out altogether is no other way to the same shape.
                if value in (mine, "no"):
                    continue
                try:
                    other = self.answer(self.only_asked({**entered, key: value}), unit, around)
                except CannotBe:
                    continue
                if other.minutes is not None:
                    out.append(Way(key, value, f"{asked[key].word}: {word}", other.minutes, other.makes))
        return tuple(out)

    def text(self, entered: Mapping[str, str], unit: Unit, around: Around = Around()) -> tuple[str, ...]:
        """The whole text: entries, blocks, mark. Raises ``CannotBe``."""
        fields = self.asked(entered)
        said_values = read_entries(fields, entered, unit).values
        entries = self.entries(entered, unit, around)
        off = entered.get(OFF) == "yes"
        blocks = () if off else self.work(entries).blocks
        said = ["OFF=YES"] if off else []
        for f in fields:
            value = said_values[f.key]
            if value is not None and value != "":
                said += [f"{f.key.upper()}={piece}" for piece in _said(f, value, unit, _LONGEST - len(self.sign))]
        head, line = [], f"({self.sign}:"
        for piece in said:
            if len(line) + len(piece) + 2 > _LONGEST and not line.endswith(":"):
                head.append(line + ")")
                line = "( "
            line += " " + piece
        head.append(line + ")")
        return (*head, *blocks, f"({self.sign}: END {mark_of(blocks)})")


def _in_mm(value: Value, kind: str) -> Value:
    if kind in ("length", "feed", "tooth") and isinstance(value, int | float):
        return value * MM_PER_INCH
    if isinstance(value, tuple):
        return tuple((x * MM_PER_INCH, y * MM_PER_INCH) for x, y in value)
    return value


def _in_inches(stroke: Stroke) -> Stroke:
    lengths = 3 if stroke.kind == "arc" else len(stroke.at)
    return stroke._replace(at=tuple(v / MM_PER_INCH if k < lengths else v for k, v in enumerate(stroke.at)))


def _said(field: Field, value: Value, unit: Unit, room: int) -> list[str]:
    """An entry as words of the head; rows are shared out over as many words as they need."""
    if field.kind in _ROWS:
        rows = (
            [f"{write(x, unit)},{write(y, unit)}" for x, y in value]
            if isinstance(value, tuple)
            else [",".join(row.upper().replace(",", " ").split()) or "/" for row in _rows_of(str(value))]
        )
        out: list[str] = []
        for row in rows:
            if out and len(out[-1]) + len(row) + len(field.key) + 6 < room:
                out[-1] += ";" + row
            else:
                out.append(row)
        return out
    if field.kind == "text":
        return [_coded(str(value))]
    if isinstance(value, str):
        return [value.upper().replace(" ", "_")]
    assert value is not None and not isinstance(value, tuple)
    return [str(value) if field.kind in ("count", "whole") else write(float(value), unit, places=4)]


def _rows_of(text: str) -> list[str]:
    rows = [row.strip() for row in text.replace(";", "\n").split("\n")]
    return [row for k, row in enumerate(rows) if row or (0 < k < len(rows) - 1 and rows[k - 1])]


def _coded(text: str) -> str:
    """Words for a comment: no space, no bracket, nothing that a control's comments do not hold."""
    return "".join(
        "_" if c == " " else c if c.isascii() and (c.isalnum() or c in ".-+/,") else f"~{ord(c):04X}" for c in text
    )


def _decoded(text: str) -> str:
    return re.sub(r"~([0-9A-Fa-f]{4})", lambda m: chr(int(m[1], 16)), text.replace("_", " "))


def mark_of(blocks: Sequence[str]) -> str:
    """Four letters that change when the blocks do; block numbers, spaces and case left out of account."""
    bare = [re.sub(r"\s", "", text).upper() for text in strip_numbers(tuple(blocks))]
    return hashlib.sha256("\n".join(t for t in bare if t).encode("utf-8", "surrogatepass")).hexdigest()[:4].upper()


@dataclass(frozen=True, slots=True, kw_only=True)
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
    for k in range(min(line, len(lines) - 1), max(-1, line - reach), -1):
        if "(" not in lines[k]:
            continue
        if k < line and _TAIL.fullmatch(lines[k]):
            return None
        head = _HEAD.fullmatch(lines[k])
        if head is not None and head[1] in known:
            return _found_from(lines, k, known[head[1]], head[2], reach)
    return None


def find_all(lines: Sequence[str], operations: Sequence[Operation]) -> Iterator[Found]:
    """Every operation of a text, in its order."""
    known = {op.sign: op for op in operations}
    k = 0
    while k < len(lines):
        head = _HEAD.fullmatch(lines[k]) if "(" in lines[k] else None
        found = _found_from(lines, k, known[head[1]], head[2], len(lines)) if head and head[1] in known else None
        if found is not None:
            yield found
            k = found.last
        k += 1


class Head(NamedTuple):
    """Where an operation's text begins, from 0, and what was entered; whether its end is still there is not asked."""

    first: int
    operation: Operation
    entered: dict[str, str]


def heads_in(lines: Sequence[str], operations: Sequence[Operation]) -> Iterator[Head]:
    """The head of every operation of a text that is not switched off, in its order."""
    known = {op.sign: op for op in operations}
    for k in [k for k, text in enumerate(lines) if "(" in text]:
        head = _HEAD.fullmatch(lines[k])
        if head is None or head[1] not in known:
            continue
        said, after = head[2].split(), k + 1
        while after < len(lines) and (more := _MORE.fullmatch(lines[after])) is not None:
            said += more[1].split()
            after += 1
        entered = _entered(known[head[1]], said)
        if entered is not None and entered.get(OFF) != "yes":
            yield Head(k, known[head[1]], entered)


def _found_from(lines: Sequence[str], first: int, operation: Operation, head: str, reach: int) -> Found | None:
    said = head.split()
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
            return Found(
                first=first, last=k, operation=operation, entered=entered, edited=mark_of(lines[begin:k]) != tail[2]
            )
        if tail is not None or (k > begin and "(" in lines[k] and _HEAD.fullmatch(lines[k])):
            return None
        k += 1
    return None


def _entered(operation: Operation, said: Sequence[str]) -> dict[str, str] | None:
    fields = {f.key.upper(): f for f in operation.fields}
    out: dict[str, str] = {f.key: "" for f in operation.fields if f.blank}
    rows: dict[str, str] = {}
    for piece in said:
        key, _eq, value = piece.partition("=")
        if key == "OFF":
            out[OFF] = "yes"
            continue
        field = fields.get(key)
        if field is None:
            return None
        if field.kind == "choice":
            value = next((v for v, _word in field.choices if v.upper().replace(" ", "_") == value.upper()), value)
        elif field.kind in _ROWS:
            value = value.replace(";", "\n").replace(",", " ")
            rows[field.key] = value = rows[field.key] + "\n" + value if field.key in rows else value
        elif field.kind == "text":
            value = _decoded(value)
        elif value.endswith("."):
            value = value[:-1]
        out[field.key] = value
    return out


def need(value: bool, why: str, key: str) -> None:
    """Raises ``CannotBe`` where something does not hold."""
    if not value:
        raise CannotBe(why, key)
