"""What to correct where a size came out wrong: from what was measured and what is wanted to the change of a register.

Each sum is common practice, no source. A cutter that is kept on its side of a contour by its radius register stands off by
half of what a width is out; a length register lowers the tool by as much as it is made smaller (G43).
"""

from __future__ import annotations

from typing import Literal

from underglass.core.reckon.touching import Sum
from underglass.core.units import Unit, show_length

Size = Literal["outside", "inside", "wall", "height"]
SIZES: tuple[tuple[Size, str], ...] = (
    ("outside", "Width over two outside walls"),
    ("inside", "Width between two inside walls, or a bore"),
    ("wall", "One wall: how much still to come off"),
    ("height", "Height Z of a floor"),
)


def radius_change(size: Size, measured: float, wanted: float, unit: Unit = "mm") -> Sum:
    """By how much the radius register changes (mm, a radius) so that the next cut comes to the wanted width.

    ``wall``: ``measured`` is what still stands on the wall now, ``wanted`` what shall stand.
    """
    m, w = show_length(measured, unit), show_length(wanted, unit)
    if size == "outside":
        change = (wanted - measured) / 2.0
        said = f"({w} wanted \u2212 {m} measured) / 2 = {show_length(change, unit, sign=True)} a side"
    elif size == "inside":
        change = (measured - wanted) / 2.0
        said = f"({m} measured \u2212 {w} wanted) / 2 = {show_length(change, unit, sign=True)} a side"
    else:
        change = wanted - measured
        said = f"{w} wanted \u2212 {m} measured = {show_length(change, unit, sign=True)}"
    return Sum(change, change, said)


def length_change(measured: float, wanted: float, unit: Unit = "mm") -> Sum:
    """By how much the length register changes so that the next cut comes to the wanted height, mm."""
    change = wanted - measured
    said = f"{show_length(wanted, unit)} wanted \u2212 {show_length(measured, unit)} measured = {show_length(change, unit, sign=True)}"
    return Sum(change, change, said)
