"""A tool's size out of a comment, as people write it: ``1/2 END MILL``, ``half inch``, ``DRILL #7``, ``D=10. R0 EM``, ``M6 TAP``.

Number, letter and unified thread sizes are those of ASME B94.11M and ASME B1.1 (from memory).
"""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from typing import NamedTuple

from underglass.core.units import MM_PER_INCH, Unit

NUMBER = r"(?:\d+(?:\s+|-)\d+/\d+|\d+/\d+|\d+\.?\d*|\.\d+)"
"""A figure as people write it: 12.5, .75, 3/8, 1 1/2, 1-1/2."""
_NUMBER = NUMBER
_LENGTH = rf"({_NUMBER})\s{{0,3}}(MM\b|IN(?:CH(?:ES)?)?\b|\"|'')?"
_WORDS: Mapping[str, str] = {
    "THREE QUARTERS?": "3/4", "THREE[ -]EIGHTHS?": "3/8", "FIVE[ -]EIGHTHS?": "5/8", "SEVEN[ -]EIGHTHS?": "7/8",
    "HALF": "1/2", "QUARTER": "1/4", "EIGHTH": "1/8", "SIXTEENTH": "1/16", "ONE INCH": "1 INCH", "TWO INCH": "2 INCH",
}  # fmt: skip
_SPELT = tuple((re.compile(rf"\b{words}\b"), figure) for words, figure in _WORDS.items())
_ASIDE = re.compile(
    rf"\b(?:LG|LENGTH|LOC|OAL|LEN|OFFSET|STICK ?OUT|REACH|ZMIN|Z|S|F|H|P|PITCH|SETUP)\s?[-=:]?\s?{_NUMBER}(?:\s?(?:MM|IN))?\b"
    # A fit beside its size, as 10H7.
    rf"|(?<=\d)\s?[A-Z]\d{{1,2}}\b(?!\.)"
    rf"|\bM\d{{1,2}}\b|\bD0?\d{{1,2}}\b(?![.=])|{_NUMBER}\s?(?:FL(?:UTES?|T)?\b\.?|DEG(?:REES?)?\b\.?|TEETH\b|\u00b0)|\b[A-Z]{{1,2}}\d{{3,}}\b"
)
_BY_WORD = re.compile(rf"(?:\bDIA(?:METER|M)?\.?|\bD(?=\s?[=:])|\u00d8)\s?[=:]?\s?{_LENGTH}")
_WORD_AFTER = re.compile(rf"{_LENGTH}\s?(?:DIA\b|\u00d8)")
_CORNER = re.compile(rf"(?<![A-Z])(?:CR|CORNER\s?R(?:AD(?:IUS)?)?\.?|R)\s?[=:]?\s?{_LENGTH}")
_METRIC_THREAD = re.compile(r"\bM(\d+(?:\.\d+)?)(?:\s?[X\u00d7]\s?(\d*\.?\d+))?\b")
_UNIFIED = re.compile(r"(?:#|NO\.?)?\s?(\d+(?:/\d+)?)\s?-\s?(\d{1,2})\b")
_NUMBERED = re.compile(r"(?:#|\bNO\.?|\bNUMBER)\s?(\d{1,2})\b")
_LETTERED = re.compile(r"\b(?:LETTER\s([A-Z])|([A-Z])\s(?:TWIST\s)?DR(?:IL)?L)\b")
_ANY = re.compile(_LENGTH)
_DEG = r"(\d{2,3}(?:\.\d+)?)\s?(?:DEG(?:REES?)?\b\.?|\u00b0)"
_ANGLE = re.compile(rf"{_DEG}|[X\u00d7]\s?(45|60|82|90|100|118|120|130|135|140)\b(?!\.\d)")
_DRILL_ANGLE = re.compile(rf"{_DEG}|(?!)()")
_POINTED = ("chamfer-mill", "spot-drill", "centre-drill", "engraver", "drill")
_TWO = re.compile(rf"{_LENGTH}\s?[X\u00d7]\s?{_LENGTH}")

_NUMBER_DRILLS = (
    .2280, .2210, .2130, .2090, .2055, .2040, .2010, .1990, .1960, .1935, .1910, .1890, .1850, .1820, .1800, .1770, .1730, .1695,
    .1660, .1610, .1590, .1570, .1540, .1520, .1495, .1470, .1440, .1405, .1360, .1285, .1200, .1160, .1130, .1110, .1100, .1065,
    .1040, .1015, .0995, .0980, .0960, .0935, .0890, .0860, .0820, .0810, .0785, .0760, .0730, .0700, .0670, .0635, .0595, .0550,
    .0520, .0465, .0430, .0420, .0410, .0400,
)  # fmt: skip
"""Inch, from #1 on."""

_LETTER_DRILLS = dict(zip("ABCDEFGHIJKLMNOPQRSTUVWXYZ", (
    .234, .238, .242, .246, .250, .257, .261, .266, .272, .277, .281, .290, .295, .302, .316, .323, .332, .339, .348, .358, .368,
    .377, .386, .397, .404, .413,
)))  # fmt: skip

_CENTRE_DRILLS_MM = tuple(MM_PER_INCH * f for f in (1 / 8, 3 / 16, 1 / 4, 5 / 16, 7 / 16, 1 / 2, 5 / 8, 3 / 4))
"""Bodies of centre drills #1 to #8 (ASME B94.11M, from memory)."""

COARSE_PITCH_MM: Mapping[float, float] = {
    2.0: 0.4, 2.5: 0.45, 3.0: 0.5, 4.0: 0.7, 5.0: 0.8, 6.0: 1.0, 8.0: 1.25, 10.0: 1.5, 12.0: 1.75, 16.0: 2.0, 20.0: 2.5,
}  # fmt: skip
"""Coarse pitch by diameter (ISO 261, from memory)."""

_LARGEST_IN_INCHES = {"face-mill": 8.0}
_LARGEST_INCHES = 3.0
"""A bare figure above this in an inch program is in millimetres: nobody has such a cutter."""


class Size(NamedTuple):
    """mm, ``angle`` of the whole point in rad; 0: not said."""

    diameter: float
    corner: float
    pitch: float
    angle: float = 0.0


def figure_mm(figure: str, unit: str | None, program: Unit, kind: str = "") -> float:
    """A figure of a comment in mm: by the unit beside it, as inches where it is a fraction, else as the program's."""
    whole = 0.0
    for part in figure.replace("-", " ").split():
        top, _, below = part.partition("/")
        whole += float(top) / float(below) if below and float(below) else float(top)
    if unit:
        return whole * (1.0 if unit.startswith("MM") else MM_PER_INCH)
    # A fraction is inches wherever it is written, and so is a figure that begins with its point.
    inch = program == "inch" or "/" in figure or figure.startswith(".")
    if inch and kind and whole > _LARGEST_IN_INCHES.get(kind, _LARGEST_INCHES):
        inch = False
    return whole * (MM_PER_INCH if inch else 1.0)


def _thread(said: str, unit: Unit) -> tuple[float, float]:
    """(diameter, pitch) of a tap; 0 where it is not said."""
    metric = _METRIC_THREAD.search(said)
    if metric is not None:
        diameter = float(metric[1])
        return diameter, float(metric[2]) if metric[2] else COARSE_PITCH_MM.get(diameter, 0.0)
    unified = _UNIFIED.search(said)
    if unified is None or not int(unified[2]):
        return 0.0, 0.0
    size = unified[1]
    number = "/" not in size and int(size) <= 12
    return (0.060 + 0.013 * int(size)) * MM_PER_INCH if number else figure_mm(size, '"', unit), MM_PER_INCH / int(
        unified[2]
    )


def _named_drill(said: str) -> float:
    """A drill by number or letter, mm; 0 where it has none."""
    number = _NUMBERED.search(said)
    if number is not None and 1 <= int(number[1]) <= len(_NUMBER_DRILLS):
        return _NUMBER_DRILLS[int(number[1]) - 1] * MM_PER_INCH
    letter = _LETTERED.search(said)
    return _LETTER_DRILLS[letter[1] or letter[2]] * MM_PER_INCH if letter is not None else 0.0


def size_of(said: str, kind: str, at: tuple[int, int], unit: Unit) -> Size:
    """The size in a comment (upper case, the tool's number taken out); ``at`` is where the tool's kind stands in it."""
    diameter = pitch = 0.0
    if kind == "tap":
        diameter, pitch = _thread(said, unit)
    elif kind in ("drill", "spot-drill", "reamer"):
        diameter = _named_drill(said)
    elif kind == "centre-drill":
        number = _NUMBERED.search(said)
        if number is not None and 1 <= int(number[1]) <= len(_CENTRE_DRILLS_MM):
            diameter = _CENTRE_DRILLS_MM[int(number[1]) - 1]
    elif kind == "end-mill" and "THREAD" in said:
        # The thread's size is not the thread mill's.
        for thread in (_METRIC_THREAD, _UNIFIED):
            said = thread.sub(lambda m: " " * len(m[0]), said)
    angle = 0.0
    if kind in _POINTED:
        # What stands behind an X is a drill's length.
        pattern = _DRILL_ANGLE if kind == "drill" else _ANGLE
        angle = _point(pattern.search(said))
        # The spaces keep the kind where it stands.
        said = pattern.sub(lambda m: " " * len(m[0]), said)
    head, tail = (_spelt(part) for part in (said[: at[0]], said[at[1] :]))
    corner = _CORNER.search(f"{head} | {tail}")
    if not diameter:
        head, tail = (_ASIDE.sub(" ", _CORNER.sub(" ", part)) for part in (head, tail))
        both = f"{head} | {tail}"
        before = list(_ANY.finditer(head))
        after = _ANY.search(tail)
        # Of two figures with an X between them, straight before the tool's name, the second is its length.
        two = next((t for t in _TWO.finditer(head) if before and t.end() == before[-1].end()), None)
        found = _BY_WORD.search(both) or _WORD_AFTER.search(both) or two or (before[-1] if before else after)
        diameter = figure_mm(found[1], found[2], unit, kind) if found is not None else 0.0
    radius = 0.0
    if corner is None and kind == "bull-nose" and (two := _TWO.search(f"{head} | {tail}")) is not None:
        radius = figure_mm(two[3], two[4], unit, kind)
    if corner is not None and kind in ("bull-nose", "end-mill", "face-mill"):
        radius = figure_mm(corner[1], corner[2], unit, kind)
    if not 0.0 <= diameter <= 500.0:
        diameter = 0.0
    return Size(diameter, radius if radius <= diameter / 2.0 else 0.0, pitch, angle)


def _point(found: re.Match[str] | None) -> float:
    """The angle of a point, rad: as it is said, twice it where a side's is (45 and less); 0 where none is."""
    if found is None:
        return 0.0
    degrees = float(found[1] or found[2])
    degrees = 2.0 * degrees if degrees <= 45.0 else degrees
    return math.radians(degrees) if degrees < 180.0 else 0.0


def _spelt(said: str) -> str:
    for pattern, figure in _SPELT:
        said = pattern.sub(figure, said)
    return said
