"""Limits of ISO 286: what 20H7 or 25p6 allows, and what a hole and a shaft leave between them.

Source: ISO 286-1:2010, tables 1 to 5 (standard tolerances and fundamental deviations), values from memory; up to 500 mm,
grades IT4 to IT13, letters d to s and D to S.
"""

from __future__ import annotations

import re
from bisect import bisect_left
from typing import NamedTuple

from underglass.core.reckon.form import Answer, CannotBe, Entries, Field, Reckoner, Row, Stroke, plain
from underglass.core.units import MM_PER_INCH, Unit, show_length

RANGES = (3, 6, 10, 18, 30, 50, 80, 120, 180, 250, 315, 400, 500)
"""Upper ends of the ranges of nominal size, mm; each is within its range."""

GRADES = {
    4: (3, 4, 4, 5, 6, 7, 8, 10, 12, 14, 16, 18, 20),
    5: (4, 5, 6, 8, 9, 11, 13, 15, 18, 20, 23, 25, 27),
    6: (6, 8, 9, 11, 13, 16, 19, 22, 25, 29, 32, 36, 40),
    7: (10, 12, 15, 18, 21, 25, 30, 35, 40, 46, 52, 57, 63),
    8: (14, 18, 22, 27, 33, 39, 46, 54, 63, 72, 81, 89, 97),
    9: (25, 30, 36, 43, 52, 62, 74, 87, 100, 115, 130, 140, 155),
    10: (40, 48, 58, 70, 84, 100, 120, 140, 160, 185, 210, 230, 250),
    11: (60, 75, 90, 110, 130, 160, 190, 220, 250, 290, 320, 360, 400),
    12: (100, 120, 150, 180, 210, 250, 300, 350, 400, 460, 520, 570, 630),
    13: (140, 180, 220, 270, 330, 390, 460, 540, 630, 720, 810, 890, 970),
}
"""Width of each grade by range, micrometres."""

_ABOVE = {  # upper deviation of the shaft, taken as minus
    "d": (20, 30, 40, 50, 65, 80, 100, 120, 145, 170, 190, 210, 230),
    "e": (14, 20, 25, 32, 40, 50, 60, 72, 85, 100, 110, 125, 135),
    "f": (6, 10, 13, 16, 20, 25, 30, 36, 43, 50, 56, 62, 68),
    "g": (2, 4, 5, 6, 7, 9, 10, 12, 14, 15, 17, 18, 20),
    "h": (0,) * 13,
}
_BELOW = {  # lower deviation of the shaft
    "k": (0, 1, 1, 1, 2, 2, 2, 3, 3, 4, 4, 4, 5),
    "m": (2, 4, 6, 7, 8, 9, 11, 13, 15, 17, 20, 21, 23),
    "n": (4, 8, 10, 12, 15, 17, 20, 23, 27, 31, 34, 37, 40),
    "p": (6, 12, 15, 18, 22, 26, 32, 37, 43, 50, 56, 62, 68),
}
_FINE_RANGES = (3, 6, 10, 18, 30, 50, 65, 80, 100, 120, 140, 160, 180, 200, 225, 250, 280, 315, 355, 400, 450, 500)
_BELOW_FINE = {
    "r": (10, 15, 19, 23, 28, 34, 41, 43, 51, 54, 63, 65, 68, 77, 80, 84, 94, 98, 108, 114, 126, 132),
    "s": (14, 19, 23, 28, 35, 43, 53, 59, 71, 79, 92, 100, 108, 122, 130, 140, 158, 170, 190, 208, 232, 252),
}
_SAME_MM = 1e-6
_NAME = re.compile(r"(JS|js|[A-Za-z])\s*(\d{1,2})")
_WHOLE = re.compile(r"(\d+(?:[.,]\d+)?)\s*((?:JS|js|[A-Za-z])\s*\d{1,2})(?:\s*/?\s*((?:JS|js|[A-Za-z])\s*\d{1,2}))?")


def limits(size_mm: float, name: str) -> tuple[float, float]:
    """(upper, lower) deviation in micrometres of a tolerance class such as H7 or p6. Raises ``CannotBe``."""
    found = _NAME.fullmatch(name.strip())
    if found is None:
        raise CannotBe("a letter and a grade were expected, as H7 or g6", "fit")
    letter, grade = found[1], int(found[2])
    if not 0.0 < size_mm <= 500.0:
        raise CannotBe("sizes from above 0 to 500 mm", "fit")
    if grade not in GRADES:
        raise CannotBe("grades from 4 to 13", "fit")
    k = bisect_left(RANGES, size_mm)
    width = GRADES[grade][k]
    low = letter.lower()
    if low == "js":
        # Half of the width each way; of grades 7 to 11 in whole micrometres, rounded down.
        half = width // 2 if 7 <= grade <= 11 else width / 2
        return half, -half
    if low in _ABOVE:
        deviation = _ABOVE[low][k]
        return (-deviation, -deviation - width) if letter == low else (deviation + width, deviation)
    if low in _BELOW:
        lower = _BELOW[low][k]
    elif low in _BELOW_FINE:
        lower = _BELOW_FINE[low][bisect_left(_FINE_RANGES, size_mm)]
    else:
        raise CannotBe(f"{letter} is not in the table: d to h, js, k, m, n, p, r and s are", "fit")
    if letter == low:
        if low == "k" and not 4 <= grade <= 7:
            lower = 0
        return lower + width, lower
    upper = -lower
    # A hole of the finer grades is shifted by the difference to the next finer one, so that it fits as its shaft would.
    if size_mm > 3.0 and ((low in "kmn" and grade <= 8) or (low in "prs" and grade <= 7)) and grade - 1 in GRADES:
        upper += width - GRADES[grade - 1][k]
        if low == "m" and grade == 6 and 250.0 < size_mm <= 315.0:
            upper = -9
    elif size_mm > 3.0 and low in "kn" and grade > 8:
        if low == "k":
            raise CannotBe("holes K go up to grade 8", "fit")
        upper = 0
    return upper, upper - width


_NUMBER = r"\d+(?:[.,]\d+)?|[.,]\d+"
_CLASS = re.compile(rf"({_NUMBER})\s*((?:JS|js|[A-Za-z])\s*\d{{1,2}})")
_EACH_WAY = re.compile(rf"({_NUMBER})\s*(?:\u00b1|\+/-|\+-)\s*({_NUMBER})")
_DEVIATIONS = re.compile(rf"({_NUMBER})\s*([+-]\s*(?:{_NUMBER})|0)\s*/?\s*([+-]\s*(?:{_NUMBER})|0)")
_FROM_TO = re.compile(rf"({_NUMBER})\s*(?:\.\.\.?|to|\u2013)\s*({_NUMBER})")


class Wanted(NamedTuple):
    """A size with its limits, mm."""

    low: float
    high: float


def wanted_size(text: str, unit: Unit) -> Wanted:
    """A toleranced size as a drawing has it: ``13 H7``, ``25 \u00b10.02``, ``25 +0.1 -0.05``, ``24.9 to 25.1``; classes are in mm (ISO 286),
    plain figures in the unit. Raises ``CannotBe``."""
    said = text.strip()
    scale = MM_PER_INCH if unit == "inch" else 1.0

    def number(figure: str) -> float:
        return float(figure.replace(",", ".").replace(" ", ""))

    found = _CLASS.fullmatch(said)
    if found is not None:
        size = number(found[1])
        upper, lower = limits(size, found[2])
        return Wanted(size + lower / 1000.0, size + upper / 1000.0)
    found = _EACH_WAY.fullmatch(said)
    if found is not None:
        return Wanted((number(found[1]) - number(found[2])) * scale, (number(found[1]) + number(found[2])) * scale)
    found = _DEVIATIONS.fullmatch(said)
    if found is not None:
        size, one, two = (number(found[k]) for k in (1, 2, 3))
        return Wanted((size + min(one, two)) * scale, (size + max(one, two)) * scale)
    found = _FROM_TO.fullmatch(said)
    if found is not None and number(found[1]) <= number(found[2]):
        return Wanted(number(found[1]) * scale, number(found[2]) * scale)
    raise CannotBe("write a class, as 13 H7, or limits, as 25 \u00b10.02 or 25 +0.1 -0.05", "fit")


def judged(value_mm: float, wanted: Wanted, unit: Unit) -> tuple[bool, str]:
    """(whether a measured size is in, what is said of it)."""

    def said(mm: float) -> str:
        return show_length(mm, unit)

    span = f"{said(wanted.low)} to {said(wanted.high)}"
    if value_mm > wanted.high + _SAME_MM:
        return False, f"out: {said(value_mm - wanted.high)} too large ({span})"
    if value_mm < wanted.low - _SAME_MM:
        return False, f"out: {said(wanted.low - value_mm)} too small ({span})"
    return True, f"in ({span}), {said(value_mm - (wanted.low + wanted.high) / 2.0)} from the middle"


def _signed(micrometres: float, inch: bool) -> str:
    value = micrometres / 1000.0
    if inch:
        return f"{value / MM_PER_INCH:+.5f}" if value else "0"
    return f"{value:+.4f}".rstrip("0").rstrip(".") if value % 0.001 else (f"{value:+.3f}" if value else "0")


def _fit(e: Entries) -> Answer:
    found = _WHOLE.fullmatch(e.word("fit").strip())
    if found is None:
        raise CannotBe("a size and a class were expected, as 20H7, or a fit, as 20H7/g6", "fit")
    size = float(found[1].replace(",", "."))
    inch = e.unit == "inch"
    one = limits(size, found[2])
    rows, strokes = [], [Stroke("line", (0.0, 0.0, 10.0, 0.0), "help", f"{plain(size)}")]
    steps = []
    classes = [found[2].replace(" ", "")] + ([found[3].replace(" ", "")] if found[3] else [])
    every = [one] + ([limits(size, found[3])] if found[3] else [])
    for n, (name, (upper, lower)) in enumerate(zip(classes, every)):
        rows.append(
            Row(f"{plain(size)}{name}", f"{_signed(upper, inch)} / {_signed(lower, inch)}", "in" if inch else "mm")
        )
        k = 1.0 / MM_PER_INCH if inch else 1.0
        places = 5 if inch else 3
        rows.append(Row("from, to", f"{(size + lower / 1000) * k:.{places}f}  {(size + upper / 1000) * k:.{places}f}"))
        rows.append(Row("middle", f"{(size + (upper + lower) / 2000) * k:.{places + 1}f}", "to aim at"))
        steps.append(
            f"{name}: grade {re.sub('[A-Za-z]', '', name)} is {upper - lower:g} \u00b5m wide at this size, from {lower:+g} to {upper:+g} \u00b5m"
        )
        x = 1.5 + n * 4.0
        scale = 4.0 / max(abs(v) for pair in every for v in pair) if any(v for pair in every for v in pair) else 1.0
        for a, b in (
            ((x, upper), (x + 3, upper)),
            ((x + 3, upper), (x + 3, lower)),
            ((x + 3, lower), (x, lower)),
            ((x, lower), (x, upper)),
        ):
            strokes.append(
                Stroke("line", (a[0], a[1] * scale, b[0], b[1] * scale), "part" if name[0].isupper() else "path")
            )
        strokes.append(Stroke("dot", (x + 1.5, (upper + lower) / 2 * scale), "help", name))
    if len(every) == 2:
        hole, shaft = (every[0], every[1]) if classes[0][0].isupper() else (every[1], every[0])
        if classes[0][0].isupper() == classes[1][0].isupper():
            raise CannotBe("a fit has a hole (capital) and a shaft (small letter)", "fit")
        most, least = hole[0] - shaft[1], hole[1] - shaft[0]
        kind = "clearance fit" if least >= 0 else "interference fit" if most <= 0 else "transition fit"
        rows.append(Row("Between them", f"{_signed(least, inch)} to {_signed(most, inch)}", kind))
        steps.append(
            f"max clearance = {hole[0]:+g} - ({shaft[1]:+g}) = {most:+g} \u00b5m; min = {hole[1]:+g} - ({shaft[0]:+g}) = {least:+g} \u00b5m"
        )
    return Answer(rows=tuple(rows), steps=tuple(steps), blocks=(), strokes=tuple(strokes))


RECKONERS = (
    Reckoner(
        name="Fit and limits",
        group="Threads and fits",
        fields=(
            Field(key="fit", word="Size and class", kind="text", start="20H7/g6", tip="In mm: 20H7, 25p6, 30H7/g6"),
        ),
        work=_fit,
        source="ISO 286-1:2010, tables 1 to 5 (values from memory)",
    ),
)
