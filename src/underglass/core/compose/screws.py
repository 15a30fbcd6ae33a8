"""Holes for screws: what goes through, what the head sinks into.

Sources, all from memory: ISO 273 (clearance holes, medium series), DIN 974-1 row 1 (counterbores for ISO 4762 heads),
ISO 10642 (countersunk heads, 90 degrees: largest theoretical diameter).
"""

from __future__ import annotations

from typing import NamedTuple

from underglass.core.reckon.form import CannotBe


class Screw(NamedTuple):
    """Diameters and depth, mm."""

    through: float
    bore: float
    bore_deep: float
    sink: float


SCREWS = {
    "M3": Screw(3.4, 6.5, 3.4, 6.72), "M4": Screw(4.5, 8.0, 4.4, 8.96), "M5": Screw(5.5, 10.0, 5.4, 11.2),
    "M6": Screw(6.6, 11.0, 6.4, 13.44), "M8": Screw(9.0, 15.0, 8.6, 17.92), "M10": Screw(11.0, 18.0, 10.6, 22.4),
    "M12": Screw(13.5, 20.0, 12.6, 26.88), "M16": Screw(17.5, 26.0, 16.6, 33.6),
}  # fmt: skip


def screw(text: str) -> Screw:
    """A screw by its size. Raises ``CannotBe``."""
    found = SCREWS.get(text.strip().upper())
    if found is None:
        raise CannotBe(f"a screw was expected: {', '.join(SCREWS)}", "screw")
    return found
