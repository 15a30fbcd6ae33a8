"""Taking a sheet's zero from a corner, an edge or a mark: what the machine shows there, and the work offset that comes of it, as a sum.

Offset = machine place + where the pointer's spot lies from the cutter - the known place in the part (common practice, no source).
"""

from __future__ import annotations

from typing import NamedTuple

from underglass.core.bench.sheet import Sheet
from underglass.core.proof.job import Job
from underglass.core.reckon.touching import Sum
from underglass.core.units import show_length

SPOTS = (
    ("lower left", "Lower left corner"), ("lower right", "Lower right corner"), ("upper left", "Upper left corner"),
    ("upper right", "Upper right corner"), ("left", "Left edge"), ("right", "Right edge"), ("lower", "Lower edge"), ("upper", "Upper edge"),
    ("mark", "A mark on the sheet"),
)  # fmt: skip
"""What may be gone to, in words; a corner is an outline's box's."""


class Spot(NamedTuple):
    """A known place in the part, mm; None along an axis on which it says nothing."""

    x: float | None
    y: float | None


def spot(sheet: Sheet, name: str) -> Spot:
    """Where a corner or an edge really lies from the true zero. A mark is where its maker put it: at the zero until told otherwise."""
    if name == "mark":
        return Spot(0.0, 0.0)
    x0, y0, x1, y1 = sheet.region().bounds
    words = name.split()
    x = x0 if "left" in words else x1 if "right" in words else None
    y = y0 if "lower" in words else y1 if "upper" in words else None
    return Spot(x, y)


def reading(sheet: Sheet, name: str, told: Spot, pointer: tuple[float, float]) -> Spot:
    """What the machine shows with the pointer's spot (or the cutter: no pointer, 0 and 0) there. A mark is really where it is said to be."""
    real = told if name == "mark" else spot(sheet, name)
    return Spot(
        None if real.x is None else real.x + sheet.zero_x - pointer[0],
        None if real.y is None else real.y + sheet.zero_y - pointer[1],
    )


def sums(job: Job, read: Spot, told: Spot, pointer: tuple[float, float]) -> dict[str, Sum]:
    """The work offset along each axis that was read, for what the setter takes the place to be in the part."""
    out = {}
    for axis, shown, at, spot_at in zip("xy", read, told, pointer):
        if shown is None or at is None:
            continue
        value = shown + spot_at - at
        between = f" + {_said(job, spot_at)} to the pointer's spot" if spot_at else ""
        out[axis] = Sum(
            value,
            value - shown,
            f"{_said(job, shown)} machine {axis.upper()}{between} \u2212 {_said(job, at)} in the part = {_said(job, value)}",
        )
    return out


def _said(job: Job, value: float) -> str:
    said = show_length(value, job.units)
    return f"({said})" if value < 0.0 else said
