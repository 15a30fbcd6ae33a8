"""What is known of a part that came out wrong: sizes as they were measured, and what was seen."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from underglass.core.proof.features import Feature

_CAUGHT_MM = 0.02
"""How exactly a size is known where nobody says: a calliper's hundredths."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Measured:
    """A size as it was measured, mm, within so much; ``wanted``: as the drawing has it."""

    feature: Feature
    value: float
    within: float = _CAUGHT_MM
    wanted: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Seen:
    """Something touched something at a line (0: somewhere), ``thing`` by its name; or a cut met no metal there (``what`` air)."""

    what: Literal["touched", "air"] = "touched"
    line: int = 0
    thing: str = ""

    @property
    def words(self) -> str:
        """What was seen, in few words."""
        where = f" at line {self.line}" if self.line else ""
        return f"cut air{where}" if self.what == "air" else f"touched {self.thing or 'something'}{where}"


@dataclass(frozen=True, slots=True, kw_only=True)
class Question:
    """What is known of the part that came out wrong."""

    measured: tuple[Measured, ...] = ()
    seen: tuple[Seen, ...] = ()
