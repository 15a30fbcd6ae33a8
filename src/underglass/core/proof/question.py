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


Sight = Literal["touched", "air", "ridge", "rounded", "aside"]
SIGHTS: dict[Sight, str] = {
    "touched": "Something was touched",
    "air": "It cut air",
    "ridge": "A ridge is left here",
    "rounded": "This corner is not sharp",
    "aside": "All of it lies aside",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Seen:
    """Something touched something at a line (0: somewhere), ``thing`` by its name; or a cut met no metal there (``what`` air).

    A ridge or a corner stands ``at`` x and y (on a lathe a diameter and Z), mm from the part's zero. All that is cut lies ``at`` so much in
    X and Y aside of where it should (on a lathe of its Z the second).
    """

    what: Sight = "touched"
    line: int = 0
    thing: str = ""
    at: tuple[float, float] = (0.0, 0.0)

    @property
    def words(self) -> str:
        """What was seen, in few words."""
        if self.what == "aside":
            return f"all of it aside by {self.at[0]:+g}, {self.at[1]:+g}"
        if self.what in ("ridge", "rounded"):
            what = "a ridge" if self.what == "ridge" else "a corner that is not sharp"
            return f"{what} at {self.at[0]:g}, {self.at[1]:g}"
        where = f" at line {self.line}" if self.line else ""
        return f"cut air{where}" if self.what == "air" else f"touched {self.thing or 'something'}{where}"


@dataclass(frozen=True, slots=True, kw_only=True)
class Question:
    """What is known of the part that came out wrong."""

    measured: tuple[Measured, ...] = ()
    seen: tuple[Seen, ...] = ()
