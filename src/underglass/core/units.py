"""Inch is a matter of reading and showing; inside, every length is in millimetres."""

from __future__ import annotations

from typing import Literal

Unit = Literal["mm", "inch"]

MM_PER_INCH = 25.4
"""Exact by definition (international inch, 1959)."""


FEET_A_METRE = 1000.0 / (12.0 * MM_PER_INCH)


def to_mm(value: float, unit: Unit) -> float:
    """A length written in ``unit``, in mm."""
    return value * MM_PER_INCH if unit == "inch" else value


def from_mm(value_mm: float, unit: Unit) -> float:
    """A length in mm as a figure in ``unit``."""
    return value_mm / MM_PER_INCH if unit == "inch" else value_mm


def decimals(unit: Unit) -> int:
    """Places shown for a length: a micrometre, or a ten-thousandth of an inch."""
    return 4 if unit == "inch" else 3


def show_length(value_mm: float, unit: Unit = "mm", *, sign: bool = False) -> str:
    """A length as the person reads it, without the unit's name; never '-0.000'."""
    places = decimals(unit)
    value = round(from_mm(value_mm, unit), places) + 0.0
    return f"{value:+.{places}f}" if sign else f"{value:.{places}f}"


def show_surface(metres: float, unit: Unit = "mm") -> str:
    """A cutting speed in m/min as the person reads it, with its unit: feet a minute in an inch job."""
    return f"{metres * FEET_A_METRE:.0f} ft/min" if unit == "inch" else f"{metres:.0f} m/min"


def show_clock(seconds: float) -> str:
    """A time as minutes and seconds, with hours only where there are some."""
    whole = int(seconds + 0.5)
    hours, rest = divmod(whole, 3600)
    minutes, secs = divmod(rest, 60)
    return f"{hours}:{minutes:02d}:{secs:02d}" if hours else f"{minutes}:{secs:02d}"
