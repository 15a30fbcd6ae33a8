"""The words the control knows, and the groups of which a block may hold only one.

Groups after NISTIR 6556 table 4, from memory. A G-word's key is its number times ten, so G54.1 is 541.
"""

from __future__ import annotations

from collections.abc import Mapping

G_GROUPS: Mapping[int, str] = {
    0: "motion", 10: "motion", 20: "motion", 30: "motion", 800: "motion",
    170: "plane",
    200: "units", 210: "units",
    400: "radius compensation",
    430: "length compensation", 490: "length compensation",
    530: "machine coordinates",
    540: "work offset", 550: "work offset", 560: "work offset",
    570: "work offset", 580: "work offset", 590: "work offset",
    690: "rotation",
    900: "distance", 910: "distance",
    940: "feed mode",
    980: "cycle return", 990: "cycle return",
}  # fmt: skip

M_GROUPS: Mapping[int, str] = {
    0: "stop", 1: "stop", 2: "stop", 30: "stop",
    3: "spindle", 4: "spindle", 5: "spindle",
    6: "tool change",
    7: "coolant", 8: "coolant", 9: "coolant",
}  # fmt: skip

SINGLE_LETTERS = frozenset("DFHIJKLNOPQRSTXYZ")
"""Letters that may stand once in a block."""

UNREAD_LETTERS: Mapping[str, str] = {
    "A": "a fourth axis is not held by this version",
    "B": "a fourth axis is not held by this version",
    "C": "a fourth axis is not held by this version",
    "U": "incremental letters belong to a lathe",
    "V": "incremental letters belong to a lathe",
    "W": "incremental letters belong to a lathe",
    "E": "E is not a word of this control",
}

OFFSET_NAMES: Mapping[int, str] = {540: "G54", 550: "G55", 560: "G56", 570: "G57", 580: "G58", 590: "G59"}


def g_key(value: float) -> int | None:
    """The key of a G-word's number; None where it has more than one decimal or is out of reach."""
    key = round(value * 10.0)
    return key if 0 <= key < 10000 and abs(key - value * 10.0) < 1e-6 else None


def g_name(key: int) -> str:
    """The word as it is said: 540 is G54, 541 is G54.1."""
    return f"G{key // 10}" if key % 10 == 0 else f"G{key / 10:.1f}"
