"""A form that is worked out: fields in, figures, formulas and program text out. Reckoners and fill-in operations share it.

Glossary: a *field* is what the person fills in; an *answer* is what comes of it; a *figure* here is a drawing, made of
*strokes* in the part's own coordinates (mm or inch as typed), for whoever shows it to scale.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from contextvars import ContextVar
from dataclasses import dataclass, field
from typing import Literal, NamedTuple, TypeVar

from underglass.core.errors import Cancelled
from underglass.core.reckon.figure import BadFigure, read_figure
from underglass.core.units import MM_PER_INCH, Unit

Kind = Literal[
    "length", "angle", "number", "count", "whole", "choice", "text", "points", "contour", "speed", "feed", "tooth"
]
Style = Literal["part", "path", "rapid", "help", "measure", "cut", "stock", "missing"]
Value = float | int | str | tuple[tuple[float, float], ...] | None


_FARTHEST = 10_000.0
_T = TypeVar("_T")
_given_up: ContextVar[Callable[[], bool]] = ContextVar("given up", default=lambda: False)
_written: ContextVar[Callable[[int], None]] = ContextVar("written", default=lambda _blocks: None)


def until(given_up: Callable[[], bool], work: Callable[[], _T], written: Callable[[int], None] = lambda _blocks: None) -> _T:  # fmt: skip
    """Work as long as nobody gives it up; ``written`` is told now and then how many blocks there are. Raises ``Cancelled``."""
    tokens = _given_up.set(given_up), _written.set(written)
    try:
        return work()
    finally:
        _given_up.reset(tokens[0])
        _written.reset(tokens[1])


def still_wanted(blocks: int | None = None) -> None:
    """What takes long asks this now and then, and says how many blocks it has written. Raises ``Cancelled``."""
    if _given_up.get()():
        raise Cancelled
    if blocks is not None:
        _written.get()(blocks)


class CannotBe(ValueError):
    """These entries go with no answer; the text says why, ``key`` names the field that is nearest to blame."""

    def __init__(self, why: str, key: str = "") -> None:
        super().__init__(why)
        self.key = key


@dataclass(frozen=True, slots=True, kw_only=True)
class Field:
    """One entry. ``start`` is what stands there at first, for mm and for inch; ``choices`` are (value, word)."""

    key: str
    word: str
    kind: Kind = "length"
    start: str = ""
    start_inch: str = ""
    choices: tuple[tuple[str, str], ...] = ()
    tip: str = ""
    blank: bool = False
    """Whether nothing may be entered; its value is then None."""
    slow: bool = False
    """Whether an answer takes long as soon as something is entered here."""
    shown: Callable[[Mapping[str, str]], bool] | None = None
    """By the choices made: whether the field is asked for at all."""
    usual: tuple[float, float] | None = None
    """From where to where entries usually go; of lengths and feeds in mm and mm/min. Others are taken as well."""

    def first(self, unit: Unit) -> str:
        return self.start_inch if unit == "inch" and self.start_inch else self.start

    def read(self, text: str, unit: Unit) -> Value:
        """The entry's value. Raises ``CannotBe``."""
        text = text.strip()
        if self.kind in ("text", "contour"):
            if not text and not self.blank:
                raise CannotBe(f"{self.word}: nothing is entered yet", self.key)
            return text
        if self.kind == "choice":
            if text not in {value for value, _word in self.choices}:
                raise CannotBe(f"{self.word}: one of {', '.join(word for _v, word in self.choices)}", self.key)
            return text
        if not text and self.blank:
            return None
        try:
            if self.kind == "points":
                return _points(text, unit)
            value = read_figure(text, unit if self.kind == "length" else None)
        except BadFigure as problem:
            raise CannotBe(f"{self.word}: {problem}", self.key) from None
        if self.kind in ("count", "whole"):
            least = 1 if self.kind == "count" else 0
            if value != int(value) or not least <= value <= 10_000:
                raise CannotBe(f"{self.word}: a whole number from {least} was expected", self.key)
            value = int(value)
        if self.kind == "length" and abs(value) > _FARTHEST / (MM_PER_INCH if unit == "inch" else 1.0):
            raise CannotBe(f"{self.word}: more than ten metres", self.key)
        return value

    def range(self, unit: Unit) -> tuple[float, float] | None:
        """From where to where entries usually go, in the unit of the entry."""
        if self.usual is None:
            return None
        scale = 1.0 / MM_PER_INCH if unit == "inch" and self.kind in ("length", "feed", "tooth") else 1.0
        return self.usual[0] * scale, self.usual[1] * scale


def _points(text: str, unit: Unit) -> tuple[tuple[float, float], ...]:
    out = []
    for k, line in enumerate(filter(None, (part.strip() for part in text.replace(";", "\n").split("\n"))), 1):
        parts = line.upper().replace("X", " ").replace("Y", " ").split()
        if len(parts) != 2:
            raise BadFigure(f"line {k}: two figures were expected, X and Y")
        out.append((read_figure(parts[0], unit), read_figure(parts[1], unit)))
    return tuple(out)


class Stroke(NamedTuple):
    """``kind``: line (x0 y0 x1 y1), arc (cx cy r from to, degrees anticlockwise), dot (x y), measure (x0 y0 x1 y1),
    area (x0 y0 x1 y1, a filled box), label (x0 y0 x1 y1: a line with its words behind its end), run (x0 y0 x1 y1 x2 y2 and on:
    lines from place to place)."""

    kind: Literal["line", "arc", "dot", "measure", "area", "label", "run"]
    at: tuple[float, ...]
    style: Style = "part"
    text: str = ""


class Row(NamedTuple):
    """One figure of an answer, as it is shown."""

    word: str
    shown: str
    note: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Answer:
    """``steps`` are the formulas with the figures in them; ``blocks`` is what may go into the program."""

    rows: tuple[Row, ...] = ()
    steps: tuple[str, ...] = ()
    blocks: tuple[str, ...] = ()
    strokes: tuple[Stroke, ...] = ()
    points: tuple[tuple[float, float], ...] = ()
    """Places that may be written as X and Y, absolute or one from another."""
    note: str = ""
    alternatives: bool = False
    """Whether one of ``blocks`` is to be written, not all of them one after another."""
    minutes: float | None = None
    """How long what is written takes, ways at rapid with it, where that is known."""
    makes: str = ""
    """What comes of it in a few words, where another way makes more or less of it."""
    by_turn: tuple[str, ...] = ()
    """What to write instead of ``blocks`` where G95 is in force, if a feed is among them."""


@dataclass(frozen=True, slots=True)
class Entries:
    """What was entered, by key."""

    unit: Unit
    values: Mapping[str, Value] = field(default_factory=dict)

    def number(self, key: str) -> float:
        value = self.values[key]
        assert isinstance(value, int | float)
        return float(value)

    def maybe(self, key: str) -> float | None:
        value = self.values.get(key)
        return float(value) if isinstance(value, int | float) else None

    def count(self, key: str) -> int:
        return round(self.number(key))

    def word(self, key: str) -> str:
        value = self.values[key]
        assert isinstance(value, str)
        return value

    def places(self, key: str) -> tuple[tuple[float, float], ...]:
        value = self.values[key]
        assert isinstance(value, tuple)
        return value

    def positive(self, key: str, word: str) -> float:
        """A number above nought. Raises ``CannotBe``."""
        value = self.number(key)
        if value <= 0.0:
            raise CannotBe(f"{word} must be greater than zero", key)
        return value

    def show(self, value: float) -> str:
        """A length for reading, with the usual places of the unit."""
        return plain(value, 4 if self.unit == "inch" else 3)

    def code(self, value: float) -> str:
        """A length as the program writes it."""
        return write(value, self.unit)


@dataclass(frozen=True, slots=True, kw_only=True)
class Reckoner:
    """A small sum of the trade. ``source`` says where its formula stands."""

    name: str
    group: str
    fields: tuple[Field, ...]
    work: Callable[[Entries], Answer]
    source: str

    def asked(self, entered: Mapping[str, str]) -> tuple[Field, ...]:
        """The fields that these choices leave to be filled in."""
        return tuple(f for f in self.fields if f.shown is None or f.shown(entered))

    def answer(self, entered: Mapping[str, str], unit: Unit) -> Answer:
        """Work it out from what was typed. Raises ``CannotBe``."""
        return self.work(read_entries(self.asked(entered), entered, unit))


def read_entries(fields: tuple[Field, ...], entered: Mapping[str, str], unit: Unit) -> Entries:
    """Every field's value. Raises ``CannotBe`` at the first that has none."""
    return Entries(unit, {f.key: f.read(entered.get(f.key, f.first(unit)), unit) for f in fields})


def write(value: float, unit: Unit = "mm", *, places: int | None = None) -> str:
    """A length as a program writes it: a point always, no noughts at the end, never -0."""
    count = places if places is not None else 4 if unit == "inch" else 3
    text = f"{value:.{count}f}".rstrip("0")
    return "0." if text in ("-0.", "0.") else text


def plain(value: float, places: int = 3) -> str:
    """A figure for reading: no noughts at the end, no point without decimals, never -0."""
    text = f"{value:.{places}f}"
    text = text.rstrip("0").rstrip(".") if "." in text else text
    return "0" if text in ("-0", "") else text


def xy(x: float, y: float, unit: Unit = "mm") -> str:
    """``X12.5 Y3.``"""
    return f"X{write(x, unit)} Y{write(y, unit)}"


def point_blocks(
    points: tuple[tuple[float, float], ...],
    unit: Unit,
    *,
    incremental: bool = False,
    start: tuple[float, float] | None = None,
) -> tuple[str, ...]:
    """Places as blocks. Incremental: each from the one before, the first from ``start``; rounding does not add up."""
    out = []
    count = 4 if unit == "inch" else 3
    last = start if start is not None else (0.0, 0.0)
    for x, y in points:
        if incremental:
            now = (round(x, count), round(y, count))
            out.append(xy(now[0] - round(last[0], count), now[1] - round(last[1], count), unit))
            last = now
        else:
            out.append(xy(x, y, unit))
    return tuple(out)


def degrees(angle_rad: float) -> float:
    """Degrees from 0 up to 360."""
    return math.degrees(angle_rad) % 360.0
