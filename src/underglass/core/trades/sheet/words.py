"""The words of a sheet cutter's control (common practice, no source). A G-word's key is its number times ten."""

from __future__ import annotations

from underglass.core.control.words import Vocabulary

SHEET_WORDS = Vocabulary(
    g={
        0: "motion", 10: "motion", 20: "motion", 30: "motion",
        170: "plane",
        200: "units", 210: "units",
        400: "radius compensation", 410: "radius compensation", 420: "radius compensation",
        540: "work offset", 550: "work offset", 560: "work offset", 570: "work offset", 580: "work offset", 590: "work offset",
        900: "distance", 910: "distance",
        940: "feed mode",
        40: "non-modal", 280: "non-modal", 520: "non-modal", 530: "non-modal", 920: "non-modal",
    },
    m={
        0: "stop", 1: "stop", 2: "stop", 30: "stop",
        3: "spindle", 5: "spindle",
        6: "tool change",
        7: "coolant", 8: "coolant", 9: "coolant",
    },
    unread={
        "A": "a sheet cutter has no third axis",
        "B": "a sheet cutter has no third axis",
        "C": "a sheet cutter has no third axis",
        "E": "E is not a word of this control",
        "H": "H is not a word of this control",
        "K": "K is not a word of this control",
        "Q": "Q is not a word of this control",
        "U": "incremental letters belong to a lathe",
        "V": "incremental letters belong to a lathe",
        "W": "incremental letters belong to a lathe",
    },
    lengths="XYZIJR",
)  # fmt: skip
