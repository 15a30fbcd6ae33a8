"""What differs between controls, as data. A control profile is a commented TOML file; this is what it says."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

from underglass.core.control.flow import Limits
from underglass.core.units import Unit


@dataclass(frozen=True, slots=True)
class ControlProfile:
    """One control. Lengths in mm.

    ``arc_tolerance`` is the largest difference of an arc's start and end radius that is let through, for a program in
    mm and in inch. ``increment``: what a length without a decimal point counts in, in the program's unit; None: such a
    number is plain. ``same_as``: words that stand for others, as G70 for G20 or M13 for M3 M8. ``longest_arc``: whether an arc may run past a quadrant. ``power_on`` lists the G-words in force before the first block.
    """

    name: str
    title: str
    d_register: Literal["radius", "diameter"]
    arc_tolerance: Mapping[Unit, float]
    stop_words: Literal["block-end", "block-start"]
    power_on: tuple[str, ...]
    limits: Limits = field(default_factory=Limits)
    increment: Mapping[Unit, float] | None = None
    same_as: Mapping[tuple[str, float], tuple[tuple[str, float], ...]] = field(default_factory=dict)
    longest_arc: Literal["full", "quadrant"] = "full"
    corner: Literal["rolled", "extended"] = "rolled"
    lookahead: int = 2
    entry_at_least_radius: bool = True
    d_default: Literal["tool", "alarm"] = "alarm"
    dwell_letter: str = "P"
    dwell_unit: Literal["s", "ms"] = "s"

    def dwell_seconds(self, value: float) -> float:
        """A dwell as written, in seconds."""
        return value / 1000.0 if self.dwell_unit == "ms" else value
