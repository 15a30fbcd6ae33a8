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


@dataclass(frozen=True, slots=True, kw_only=True)
class Part:
    """One solid of a piece: ``shape`` box (x y z) or cylinder (diameter, height), ``at`` its minimum corner."""

    name: str
    shape: Literal["box", "cylinder"]
    size: tuple[float, ...]
    at: tuple[float, float, float]


@dataclass(frozen=True, slots=True, kw_only=True)
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
        Figure(key="jaw_width", words="jaw width", first=125.0),
        Figure(key="jaw_height", words="jaw height above the bed", first=40.0),
        Figure(key="jaw_thickness", words="jaw thickness", first=20.0),
        Figure(key="opening", words="opening", first=60.0),
        Figure(key="bed", words="bed height", first=60.0),
    ),
    "parallels": (
        Figure(key="length", words="length", first=120.0),
        Figure(key="thickness", words="thickness", first=8.0),
        Figure(key="height", words="height", first=20.0),
        Figure(key="apart", words="gap between the two", first=30.0),
    ),
    "clamp": (
        Figure(key="length", words="strap length", first=60.0),
        Figure(key="width", words="strap width", first=24.0),
        Figure(key="thickness", words="strap thickness", first=14.0),
        Figure(key="heel", words="heel height under the strap", first=20.0, may_be_none=True),
        Figure(key="heel_length", words="heel length", first=14.0),
        Figure(key="stud", words="stud diameter", first=12.0, may_be_none=True),
        Figure(key="stud_above", words="stud above the strap", first=20.0, may_be_none=True),
        Figure(key="stud_from_heel", words="stud from the heel's end", first=32.0),
    ),
    "plate": (
        Figure(key="length", words="length in X", first=300.0),
        Figure(key="width", words="width in Y", first=160.0),
        Figure(key="thickness", words="thickness", first=25.0),
        Figure(key="stations", words="stations in a row", first=2.0, least=1.0),
        Figure(key="rows", words="rows", first=1.0, least=1.0),
        Figure(key="pitch_x", words="pitch in X", first=140.0),
        Figure(key="pitch_y", words="pitch in Y", first=100.0),
        Figure(key="first_x", words="first station from the left", first=20.0, may_be_none=True),
        Figure(key="first_y", words="first station from the front", first=20.0, may_be_none=True),
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
            Part(name="bed", shape="box", size=(wide, gap + 2.0 * thick, bed), at=(0.0, 0.0, 0.0)),
            Part(name="moving jaw", shape="box", size=(wide, thick, high), at=(0.0, 0.0, bed)),
            Part(name="fixed jaw", shape="box", size=(wide, thick, high), at=(0.0, thick + gap, bed)),
        )
    if kind == "parallels":
        size = (f["length"], f["thickness"], f["height"])
        return (
            Part(name="front", shape="box", size=size, at=(0.0, 0.0, 0.0)),
            Part(name="back", shape="box", size=size, at=(0.0, f["thickness"] + f["apart"], 0.0)),
        )
    if kind == "clamp":
        out = [
            Part(name="strap", shape="box", size=(f["length"], f["width"], f["thickness"]), at=(0.0, 0.0, f["heel"]))
        ]
        if f["heel"] > 0.0:
            out.append(
                Part(
                    name="heel",
                    shape="box",
                    size=(min(f["heel_length"], f["length"]), f["width"], f["heel"]),
                    at=(0.0, 0.0, 0.0),
                )
            )
        if f["stud"] > 0.0 and f["stud_above"] > 0.0:
            corner = (f["stud_from_heel"] - f["stud"] / 2.0, (f["width"] - f["stud"]) / 2.0, f["heel"] + f["thickness"])
            out.append(Part(name="stud", shape="cylinder", size=(f["stud"], f["stud_above"]), at=corner))
        return tuple(out)
    return (Part(name="", shape="box", size=(f["length"], f["width"], f["thickness"]), at=(0.0, 0.0, 0.0)),)


def stations(f: Mapping[str, float]) -> tuple[tuple[float, float, float], ...]:
    """Where a plate's stations are, from its corner, on its top: along X first, row by row. mm."""
    return tuple(
        (f["first_x"] + k * f["pitch_x"], f["first_y"] + row * f["pitch_y"], f["thickness"])
        for row in range(int(f["rows"]))
        for k in range(int(f["stations"]))
    )
