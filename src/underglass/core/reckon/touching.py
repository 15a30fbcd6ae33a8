"""Touching off as a setter does: from where a known tool or block touches a known face to where the zero is.

Glossary
    reading   the machine position at the touch, mm
    inner     what the touching thing takes up between its axis (or gauge line) and the face, mm
    half      the block's half, where the zero is in its middle
Each sum is common practice, no source.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from underglass.core.units import Unit, show_length

Side = Literal["low", "high"]
"""The face that is touched on an axis: low is left or front, high is right or back."""


@dataclass(frozen=True, slots=True)
class Sum:
    """A work offset on one axis, mm, and how it was worked out, in words a setter uses."""

    value: float
    shift: float
    """From the reading to the offset; what one types at the control as it stands."""
    said: str


def edge(reading: float, side: Side, tool_radius: float, face_to_zero: float, unit: Unit = "mm") -> Sum:
    """Touching a side face with a cylinder of known radius. ``face_to_zero``: from the face inwards to the zero.

    Half the tool is outside the face, and the zero is so far inside it: shift = face to zero + tool radius.
    """
    shift = face_to_zero + tool_radius
    value = reading + shift if side == "low" else reading - shift
    sign = "+" if side == "low" else "\u2212"
    said = (
        f"{show_length(reading, unit)} {sign} ({show_length(face_to_zero, unit)} face to zero + "
        f"{show_length(tool_radius, unit)} half the tool) = {show_length(value, unit)}"
    )
    return Sum(value, shift, said)


def middle(low: float, high: float, unit: Unit = "mm") -> Sum:
    """The zero midway between two touches of opposite faces with one tool: its size falls out."""
    value = (low + high) / 2.0
    said = f"({show_length(low, unit)} + {show_length(high, unit)}) / 2 = {show_length(value, unit)}"
    return Sum(value, value - low, said)


def height(reading: float, tool_length: float | None, block: float, to_come_off: float, unit: Unit = "mm") -> Sum:
    """Touching the raw top through a gauge block: the tip stands block and stock still to come off above the zero.

    The offset is where a tool of no length would stand on the zero: reading - tool length - (block + to come off). Where no
    length is taken off (None), it is where the gauge line stands when this tool's tip is on the zero.
    """
    above = block + to_come_off
    value = reading - (tool_length or 0.0) - above
    tool = "" if tool_length is None else f"\u2212 {show_length(tool_length, unit)} tool "
    said = (
        f"{show_length(reading, unit)} {tool}\u2212 ({show_length(block, unit)} block + "
        f"{show_length(to_come_off, unit)} still to come off) = {show_length(value, unit)}"
    )
    return Sum(value, above, said)


def longer(reading: float, first: float, first_name: str, unit: Unit = "mm") -> Sum:
    """How much longer a tool is than the one that Z was touched with: both on one face, the difference of the readings."""
    value = reading - first
    said = f"{show_length(reading, unit)} \u2212 ({show_length(first, unit)} {first_name}) = {show_length(value, unit)}"
    return Sum(value, -first, said)


def tool_length(reading: float, setter_top: float, unit: Unit = "mm") -> Sum:
    """A tool's length from a tool setter: the gauge line stands at the reading when the tip touches the setter's top.

    ``setter_top`` is the machine height of that face.
    """
    value = reading - setter_top
    said = f"{show_length(reading, unit)} \u2212 ({show_length(setter_top, unit)} setter) = {show_length(value, unit)}"
    return Sum(value, -setter_top, said)


def turn(one: tuple[float, float], two: tuple[float, float]) -> float:
    """How a straight face lies, from two points touched along it: degrees counter-clockwise from X, within +-45 of an axis."""
    angle = math.degrees(math.atan2(two[1] - one[1], two[0] - one[0]))
    return math.remainder(angle, 90.0)


def predicted_z(table: float, under: float, part: float, zero_below_top: float, unit: Unit = "mm") -> Sum:
    """Where Z zero should be, from heights alone: table, what the part stands on, the part, and how far zero is below its top."""
    value = table + under + part - zero_below_top
    said = (
        f"{show_length(table, unit)} table + {show_length(under, unit)} under the part + {show_length(part, unit)} part \u2212 "
        f"{show_length(zero_below_top, unit)} = {show_length(value, unit)}"
    )
    return Sum(value, value - table, said)
