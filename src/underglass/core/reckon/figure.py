"""Figures as people type them: with arithmetic, fractions and either unit.

``25.4/2``, ``3/8in``, ``1 1/2"``, ``0.5 + 12``, ``sqrt(2)*10``, ``2.5in + 3mm``; a decimal comma counts as a point.
"""

from __future__ import annotations

import ast
import math
import operator
import re
from collections.abc import Callable

from underglass.core.units import MM_PER_INCH, Unit

_SUMS: dict[type[ast.operator], Callable[[float, float], float]] = {
    ast.Add: operator.add, ast.Sub: operator.sub, ast.Mult: operator.mul, ast.Div: operator.truediv, ast.Pow: operator.pow,
}  # fmt: skip
_FUNCTIONS: dict[str, Callable[[float], float]] = {
    "sqrt": math.sqrt, "abs": abs,
    "sin": lambda d: math.sin(math.radians(d)), "cos": lambda d: math.cos(math.radians(d)),
    "tan": lambda d: math.tan(math.radians(d)),
    "asin": lambda x: math.degrees(math.asin(x)), "acos": lambda x: math.degrees(math.acos(x)),
    "atan": lambda x: math.degrees(math.atan(x)),
}  # fmt: skip
_MIXED = re.compile(r"(?<![\d./)*])(\d+)[ \t]+(\d+/\d+)(?![\d.])")
_UNIT = re.compile(r"(\d+\.?\d*|\.\d+|\)|\d+/\d+)[ \t]*(mm|inch|in|\"|\u2033)(?![a-z])")
_ALONE = re.compile(r"[-+]?(?:[0-9]{1,9}\.[0-9]{0,12}|\.[0-9]{1,12}|0|[1-9][0-9]{0,8})")
"""A number and nothing else: most figures are one, and need not be worked out."""


class BadFigure(ValueError):
    """This is no figure; the text says what was expected."""


def read_figure(text: str, unit: Unit | None = None) -> float:
    """The figure that ``text`` works out to; a length in ``unit``, where one is given. Angles are in degrees.

    A number with a unit's name is turned into ``unit``; one without is taken to be in ``unit`` already. Raises
    ``BadFigure``.
    """
    if _ALONE.fullmatch(text):
        return float(text)
    wanted = text.strip().lower().replace("\u2212", "-").replace("\u00d7", "*").replace("\u00f7", "/")
    wanted = re.sub(r"(?<=\d),(?=\d)", ".", wanted)
    if not wanted:
        raise BadFigure("a figure is missing here")
    wanted = _MIXED.sub(r"(\1+\2)", wanted)
    if unit is None and _UNIT.search(wanted):
        raise BadFigure("no unit belongs here")

    def turned(found: re.Match[str]) -> str:
        inch = found[2] != "mm"
        factor = (MM_PER_INCH if inch else 1.0) / (MM_PER_INCH if unit == "inch" else 1.0)
        return f"{found[1]}*{factor!r}"

    # 3/8in is three eighths of an inch: the factor behind the last number does for the whole product.
    wanted = _UNIT.sub(turned, wanted)
    try:
        value = _worked_out(ast.parse(wanted.replace("^", "**"), mode="eval").body)
    except (SyntaxError, ValueError, TypeError, KeyError, RecursionError, MemoryError):
        raise BadFigure("a figure was expected, as 12.5 or 25.4/2" + (" or 3/8in" if unit else "")) from None
    except ZeroDivisionError:
        raise BadFigure("this divides by nought") from None
    except OverflowError:
        raise BadFigure("this figure is too large") from None
    if not math.isfinite(value) or abs(value) > 1e9:
        raise BadFigure("this figure is too large")
    return value


def _worked_out(node: ast.expr) -> float:
    if isinstance(node, ast.Constant) and isinstance(node.value, int | float) and not isinstance(node.value, bool):
        return float(node.value)
    if isinstance(node, ast.UnaryOp) and isinstance(node.op, (ast.UAdd, ast.USub)):
        value = _worked_out(node.operand)
        return -value if isinstance(node.op, ast.USub) else value
    if isinstance(node, ast.BinOp) and type(node.op) in _SUMS:
        return float(_SUMS[type(node.op)](_worked_out(node.left), _worked_out(node.right)))
    if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and len(node.args) == 1 and not node.keywords:
        return float(_FUNCTIONS[node.func.id](_worked_out(node.args[0])))
    if isinstance(node, ast.Name) and node.id == "pi":
        return math.pi
    raise ValueError
