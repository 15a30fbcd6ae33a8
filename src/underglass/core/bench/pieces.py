"""Fixtures by their figures: a vise, parallels, a strap clamp, a station plate. Each is a few boxes and cylinders.

Glossary
    piece   one thing that a person puts on the table; its corner is that of the box around it, before it is turned
    part    one of the solids it is made of, placed from that corner; mm
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

PieceKind = Literal["vise", "parallels", "clamp", "plate"]


@dataclass(frozen=True, slots=True)
class Part:
    """One solid of a piece: ``shape`` box (x y z) or cylinder (diameter, height), ``at`` its minimum corner."""

    name: str
    shape: Literal["box", "cylinder"]
    size: tuple[float, ...]
    at: tuple[float, float, float]


@dataclass(frozen=True, slots=True)
class Figure:
    """A figure that a piece is given by: its key in the job file, the trade's words, what it is at first, mm."""

    key: str
    words: str
    first: float
    least: float = 0.0
    """Not below this; where it is 0 the figure may be 0 only if ``may_be_none``."""
    may_be_none: bool = False


FIGURES: Mapping[PieceKind, tuple[Figure, ...]] = {
    "vise": (
        Figure("jaw_width", "jaw width", 125.0),
        Figure("jaw_height", "jaw height above the bed", 40.0),
        Figure("jaw_thickness", "jaw thickness", 20.0),
        Figure("opening", "opening", 60.0),
        Figure("bed", "bed height", 60.0),
    ),
    "parallels": (
        Figure("length", "length", 120.0),
        Figure("thickness", "thickness", 8.0),
        Figure("height", "height", 20.0),
        Figure("apart", "gap between the two", 30.0),
    ),
    "clamp": (
        Figure("length", "strap length", 60.0),
        Figure("width", "strap width", 24.0),
        Figure("thickness", "strap thickness", 14.0),
        Figure("heel", "heel height under the strap", 20.0, may_be_none=True),
        Figure("heel_length", "heel length", 14.0),
        Figure("stud", "stud diameter", 12.0, may_be_none=True),
        Figure("stud_above", "stud above the strap", 20.0, may_be_none=True),
        Figure("stud_from_heel", "stud from the heel's end", 32.0),
    ),
    "plate": (
        Figure("length", "length in X", 300.0),
        Figure("width", "width in Y", 160.0),
        Figure("thickness", "thickness", 25.0),
        Figure("stations", "stations in a row", 2.0, 1.0),
        Figure("rows", "rows", 1.0, 1.0),
        Figure("pitch_x", "pitch in X", 140.0),
        Figure("pitch_y", "pitch in Y", 100.0),
        Figure("first_x", "first station from the left", 20.0, may_be_none=True),
        Figure("first_y", "first station from the front", 20.0, may_be_none=True),
    ),
}
"""What each kind is given by. The figures a piece starts with are common practice, no source."""

WORDS: Mapping[PieceKind, str] = {
    "vise": "vice", "parallels": "pair of parallels", "clamp": "strap clamp", "plate": "station plate",
}  # fmt: skip


def parts(kind: PieceKind, f: Mapping[str, float]) -> tuple[Part, ...]:
    """The solids that a piece of these figures is made of. Jaws and straps lie along X before the piece is turned."""
    if kind == "vise":
        wide, thick, high, gap, bed = (
            f["jaw_width"], f["jaw_thickness"], f["jaw_height"], f["opening"], f["bed"],
        )  # fmt: skip
        return (
            Part("bed", "box", (wide, gap + 2.0 * thick, bed), (0.0, 0.0, 0.0)),
            Part("moving jaw", "box", (wide, thick, high), (0.0, 0.0, bed)),
            Part("fixed jaw", "box", (wide, thick, high), (0.0, thick + gap, bed)),
        )
    if kind == "parallels":
        size = (f["length"], f["thickness"], f["height"])
        return (
            Part("front", "box", size, (0.0, 0.0, 0.0)),
            Part("back", "box", size, (0.0, f["thickness"] + f["apart"], 0.0)),
        )
    if kind == "clamp":
        out = [Part("strap", "box", (f["length"], f["width"], f["thickness"]), (0.0, 0.0, f["heel"]))]
        if f["heel"] > 0.0:
            out.append(
                Part("heel", "box", (min(f["heel_length"], f["length"]), f["width"], f["heel"]), (0.0, 0.0, 0.0))
            )
        if f["stud"] > 0.0 and f["stud_above"] > 0.0:
            corner = (f["stud_from_heel"] - f["stud"] / 2.0, (f["width"] - f["stud"]) / 2.0, f["heel"] + f["thickness"])
            out.append(Part("stud", "cylinder", (f["stud"], f["stud_above"]), corner))
        return tuple(out)
    return (Part("", "box", (f["length"], f["width"], f["thickness"]), (0.0, 0.0, 0.0)),)


def stations(f: Mapping[str, float]) -> tuple[tuple[float, float, float], ...]:
    """Where a plate's stations are, from its corner, on its top: along X first, row by row. mm."""
    return tuple(
        (f["first_x"] + k * f["pitch_x"], f["first_y"] + row * f["pitch_y"], f["thickness"])
        for row in range(int(f["rows"]))
        for k in range(int(f["stations"]))
    )
