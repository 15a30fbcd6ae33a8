"""How near something came to what it did not touch."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class Closest:
    """The closest approach of a part of a tool to a solid, where it does not touch. ``part`` as cutter, shank, holder."""

    to: str
    part: str
    distance_mm: float
    line: int
    tool: int
    move: int
