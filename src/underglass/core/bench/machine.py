"""The machine: how far, how fast, how high."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

Triple = tuple[float, float, float]


@dataclass(frozen=True, slots=True, kw_only=True)
class Machine:
    """Lengths in mm and machine coordinates, rates in mm/min, acceleration in mm/s2, times in s, power in kW. ``kind`` decides the trade."""

    name: str
    title: str
    travel_min: Triple
    travel_max: Triple
    home: Triple
    table_z: float
    rapid: Triple
    feed_max: float
    spindle_max: float
    nose_diameter: float
    acceleration: Triple
    tool_change_s: float
    tool_change_lift_z: float | None
    second_home: Triple = (0.0, 0.0, 0.0)
    spindle_kw: float | None = None
    kind: str = "mill"
    axes: str = "xyz"
    """The axes that it has."""
    x_factor: float = 1.0
    """What X is multiplied by where a person reads it: 2 where it is a diameter."""
    more: Mapping[str, float] = field(default_factory=dict)
    """Figures of its kind alone, by their key in the profile."""
