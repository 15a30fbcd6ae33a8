"""The words the control knows, and the groups of which a block may hold only one.

Groups after NISTIR 6556 table 4, from memory. A G-word's key is its number times ten, so G54.1 is 541.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

G_GROUPS: Mapping[int, str] = {
    0: "motion", 10: "motion", 20: "motion", 30: "motion", 330: "motion", 382: "motion", 800: "motion",
    170: "plane", 180: "plane", 190: "plane",
    200: "units", 210: "units",
    400: "radius compensation", 410: "radius compensation", 420: "radius compensation",
    430: "length compensation", 440: "length compensation", 490: "length compensation",
    540: "work offset", 541: "work offset", 550: "work offset", 560: "work offset",
    570: "work offset", 580: "work offset", 590: "work offset", 591: "work offset", 592: "work offset", 593: "work offset",
    610: "path control", 611: "path control", 640: "path control",
    680: "rotation", 690: "rotation",
    500: "scaling", 510: "scaling",
    501: "mirror", 511: "mirror",
    900: "distance", 910: "distance",
    901: "arc centres", 911: "arc centres",
    930: "feed mode", 940: "feed mode", 950: "feed mode",
    980: "cycle return", 990: "cycle return",
    960: "spindle mode", 970: "spindle mode",
    40: "non-modal", 100: "non-modal", 280: "non-modal", 300: "non-modal", 520: "non-modal", 530: "non-modal",
    920: "non-modal", 921: "non-modal",
}  # fmt: skip

M_GROUPS: Mapping[int, str] = {
    0: "stop", 1: "stop", 2: "stop", 30: "stop", 60: "stop",
    3: "spindle", 4: "spindle", 5: "spindle", 19: "spindle",
    6: "tool change",
    7: "coolant", 8: "coolant", 9: "coolant",
    48: "overrides", 49: "overrides",
}  # fmt: skip
"""The words every mill control has; its canned cycles, of the motion group too, come from the profile."""

SINGLE_LETTERS = frozenset("DFHIJKLPQRSTXYZ")
"""Letters that may stand once in a block."""

LENGTH_LETTERS = "XYZIJKRQ"
"""Letters whose numbers are lengths, and are counted in increments where a profile does so."""

UNREAD_LETTERS: Mapping[str, str] = {
    "U": "incremental letters belong to a lathe",
    "V": "incremental letters belong to a lathe",
    "W": "incremental letters belong to a lathe",
    "E": "E is not a word of this control",
    ",C": "corner words belong to a lathe",
    ",R": "corner words belong to a lathe",
}

OFFSET_NAMES: Mapping[int, str] = {
    540: "G54", 550: "G55", 560: "G56", 570: "G57", 580: "G58", 590: "G59", 591: "G59.1", 592: "G59.2", 593: "G59.3",
}  # fmt: skip
OFFSETS_IN_ORDER = ("G54", "G55", "G56", "G57", "G58", "G59", "G59.1", "G59.2", "G59.3")
"""What P1 to P9 of G10 L2 name (NISTIR 6556, from memory)."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Vocabulary:
    """The words of one kind of control: groups by G-word (number times ten) and M-word, letters that it does not read, with why,
    letters whose numbers are lengths, and those of axes that machines of the kind may have but that are not held."""

    g: Mapping[int, str]
    m: Mapping[int, str]
    unread: Mapping[str, str]
    lengths: str
    not_held: str = ""


MILL_WORDS = Vocabulary(g=G_GROUPS, m=M_GROUPS, unread=UNREAD_LETTERS, lengths=LENGTH_LETTERS, not_held="ABC")


def g_key(value: float) -> int | None:
    """The key of a G-word's number; None where it has more than one decimal or is out of reach."""
    if not -1.0 < value < 1000.0:
        return None
    key = round(value * 10.0)
    return key if key >= 0 and abs(key - value * 10.0) < 1e-6 else None


def g_name(key: int) -> str:
    """The word as it is said: 540 is G54, 541 is G54.1."""
    return f"G{key // 10}" if key % 10 == 0 else f"G{key / 10:.1f}"
