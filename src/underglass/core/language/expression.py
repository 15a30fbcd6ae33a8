"""Arithmetic in a program: numbers, variables ``#n``, brackets, functions (NISTIR 6556 section 3.3.2, from memory).

Ranks, tightest first: ``**``; ``* / MOD``; ``+ - AND OR XOR``; ``EQ NE GT GE LT LE``. Equal ranks from left to right.
Angles in degrees. FIX goes to the next lower whole number and FUP to the next higher, as NISTIR 6556 has it.

Glossary
    node      a piece of an expression with its columns (from 0, end exclusive)
    vacant    a variable that has never been set; its value is taken as 0 where it stands in arithmetic
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import NamedTuple

_RANKS: Mapping[str, int] = {
    "EQ": 1, "NE": 1, "GT": 1, "GE": 1, "LT": 1, "LE": 1,
    "+": 2, "-": 2, "AND": 2, "OR": 2, "XOR": 2,
    "*": 3, "/": 3, "MOD": 3,
    "**": 4,
}  # fmt: skip
_FUNCTIONS = ("ABS", "ACOS", "ASIN", "ATAN", "COS", "EXP", "FIX", "FUP", "LN", "ROUND", "SIN", "SQRT", "TAN")
_DEEPEST = 60
_MOST_OPERATORS = 250
_LARGEST = 1e12
_NUMBER = re.compile(r"(?:\d+\.?\d*|\.\d+)", re.ASCII)
_OPERATOR = re.compile(r"\*\*|[-+*/]|(?:EQ|NE|GT|GE|LT|LE|AND|OR|XOR|MOD)(?![A-Z])", re.ASCII | re.IGNORECASE)
_FUNCTION = re.compile("(" + "|".join(_FUNCTIONS) + r")[ \t]*(?=\[)", re.IGNORECASE)


class Node(NamedTuple):
    """``kind`` is number, variable, negative, function, operator or arctangent; ``parts`` what it is made of."""

    kind: str
    name: str
    value: float
    parts: tuple[Node, ...]
    start: int
    end: int


@dataclass(slots=True)
class ExpressionProblem(Exception):
    """What is wrong with an expression, and where (columns from 0)."""

    message: str
    start: int
    end: int

    def __str__(self) -> str:
        return self.message


class _Reader:
    def __init__(self, text: str, at: int) -> None:
        self.text = text
        self.at = at
        self.depth = 0
        self.operators = 0

    def blank(self) -> None:
        while self.at < len(self.text) and self.text[self.at] in " \t":
            self.at += 1

    def problem(self, message: str, start: int | None = None) -> ExpressionProblem:
        first = self.at if start is None else start
        first = min(first, max(len(self.text) - 1, 0))
        return ExpressionProblem(message, first, max(first + 1, min(self.at, len(self.text))))

    def peek(self) -> str:
        return self.text[self.at] if self.at < len(self.text) else ""

    def value(self) -> Node:
        """A number, variable, bracket or function, with an optional sign: what may follow a letter."""
        self.blank()
        start = self.at
        char = self.peek()
        self.depth += 1
        if self.depth > _DEEPEST:
            raise self.problem("brackets are nested too deeply", start)
        try:
            if char in ("+", "-"):
                self.at += 1
                inner = self.value()
                return inner if char == "+" else Node("negative", "-", 0.0, (inner,), start, self.at)
            if char == "#":
                self.at += 1
                number = self.value()
                return Node("variable", "#", 0.0, (number,), start, self.at)
            if char == "[":
                return self.bracket()
            function = _FUNCTION.match(self.text, self.at)
            if function:
                return self.function(function)
            number_text = _NUMBER.match(self.text, self.at)
            if number_text and len(number_text.group()) <= 40:
                self.at = number_text.end()
                return Node("number", "", float(number_text.group()), (), start, self.at)
            raise self.problem("a number, a variable or a bracket is expected here", start)
        finally:
            self.depth -= 1

    def bracket(self) -> Node:
        start = self.at
        self.at += 1
        inner = self.sum(0)
        self.blank()
        if self.peek() != "]":
            raise self.problem("this bracket is opened but never closed with ]", start)
        self.at += 1
        return Node(inner.kind, inner.name, inner.value, inner.parts, start, self.at)

    def function(self, found: re.Match[str]) -> Node:
        start = self.at
        name = found[1].upper()
        self.at = found.end()
        inner = self.bracket()
        if name != "ATAN":
            return Node("function", name, 0.0, (inner,), start, self.at)
        self.blank()
        if self.peek() != "/":
            raise self.problem("ATAN needs two brackets, as in ATAN[1]/[2]", start)
        self.at += 1
        self.blank()
        if self.peek() != "[":
            raise self.problem("ATAN needs two brackets, as in ATAN[1]/[2]", start)
        return Node("arctangent", name, 0.0, (inner, self.bracket()), start, self.at)

    def sum(self, rank: int) -> Node:
        """An expression of operators tighter than ``rank`` (precedence climbing)."""
        left = self.value()
        while True:
            self.blank()
            found = _OPERATOR.match(self.text, self.at)
            if not found or _RANKS[found.group().upper()] <= rank:
                return left
            name = found.group().upper()
            self.operators += 1
            if self.operators > _MOST_OPERATORS:
                start, self.at = self.at, len(self.text)
                raise self.problem(f"this sum is too long: it may have {_MOST_OPERATORS} operators", start)
            self.at = found.end()
            right = self.sum(_RANKS[name])
            left = Node("operator", name, 0.0, (left, right), left.start, right.end)


def read_value(text: str, at: int) -> tuple[Node, int]:
    """The value that begins at a column, and the column after it. Raises ``ExpressionProblem``."""
    reader = _Reader(text, at)
    return reader.value(), reader.at


def read_bracket(text: str, at: int) -> tuple[Node, int]:
    """The bracketed expression that begins at a column (blanks skipped), and the column after it."""
    reader = _Reader(text, at)
    reader.blank()
    if reader.peek() != "[":
        raise reader.problem("a condition in [ ] is expected here")
    return reader.bracket(), reader.at


def read_sum(text: str, at: int) -> tuple[Node, int]:
    """The expression, brackets or not, that begins at a column, as stands after ``#1 =``."""
    reader = _Reader(text, at)
    return reader.sum(0), reader.at


def evaluate(node: Node, variables: Mapping[int, float]) -> float:
    """The node's value. Raises ``ExpressionProblem`` for what has none: a division by zero, a root of a negative."""
    try:
        value = _evaluate(node, variables)
    except (OverflowError, ZeroDivisionError, ValueError):
        raise ExpressionProblem("this comes to no number", node.start, node.end) from None
    if not math.isfinite(value) or abs(value) > _LARGEST:
        raise ExpressionProblem("this comes to no usable number", node.start, node.end)
    return value


def variable_number(node: Node, variables: Mapping[int, float]) -> int:
    """Which variable a ``#…`` names. Raises ``ExpressionProblem`` where it is no whole number from 1."""
    value = evaluate(node.parts[0], variables)
    number = round(value)
    if abs(value - number) > 1e-6 or not 0 <= number <= 99_999:
        raise ExpressionProblem(f"#{value:g} is no variable: its number must be a whole number", node.start, node.end)
    return number


def _evaluate(node: Node, variables: Mapping[int, float]) -> float:
    kind = node.kind
    if kind == "number":
        return node.value
    if kind == "variable":
        return variables.get(variable_number(node, variables), 0.0)
    if kind == "negative":
        return -_evaluate(node.parts[0], variables)
    if kind == "operator":
        return _operate(node, _evaluate(node.parts[0], variables), _evaluate(node.parts[1], variables))
    if kind == "arctangent":
        angle = math.degrees(math.atan2(_evaluate(node.parts[0], variables), _evaluate(node.parts[1], variables)))
        return angle
    value = _evaluate(node.parts[0], variables)
    try:
        return _CALLS[node.name](value)
    except (ValueError, OverflowError):
        raise ExpressionProblem(f"{node.name} of {value:g} is no number", node.start, node.end) from None


_CALLS: Mapping[str, Callable[[float], float]] = {
    "ABS": abs,
    "ACOS": lambda v: math.degrees(math.acos(v)),
    "ASIN": lambda v: math.degrees(math.asin(v)),
    "COS": lambda v: math.cos(math.radians(v)),
    "EXP": math.exp,
    "FIX": lambda v: float(math.floor(v)),
    "FUP": lambda v: float(math.ceil(v)),
    "LN": math.log,
    "ROUND": lambda v: float(math.floor(v + 0.5)),
    "SIN": lambda v: math.sin(math.radians(v)),
    "SQRT": math.sqrt,
    "TAN": lambda v: math.tan(math.radians(v)),
}
_EQUAL = 1e-9


def _operate(node: Node, a: float, b: float) -> float:
    name = node.name
    if name == "+":
        return a + b
    if name == "-":
        return a - b
    if name == "*":
        return a * b
    if name in ("/", "MOD"):
        if b == 0.0:
            raise ExpressionProblem("this divides by zero", node.start, node.end)
        # NISTIR 6556: the modulus of a positive divisor is never negative (from memory).
        return a / b if name == "/" else a - b * math.floor(a / b)
    if name == "**":
        power = a**b
        if isinstance(power, complex):
            raise ExpressionProblem("a negative number to a broken power is no number", node.start, node.end)
        return float(power)
    same = abs(a - b) <= _EQUAL * max(1.0, abs(a), abs(b))
    truth = {
        "EQ": same,
        "NE": not same,
        "GT": a > b and not same,
        "GE": a > b or same,
        "LT": a < b and not same,
        "LE": a < b or same,
        "AND": a != 0.0 and b != 0.0,
        "OR": a != 0.0 or b != 0.0,
        "XOR": (a != 0.0) != (b != 0.0),
    }[name]
    return 1.0 if truth else 0.0
