"""The words of a two-axis lathe's control (common practice, no source). A G-word's key is its number times ten."""

from __future__ import annotations

from underglass.core.control.words import Vocabulary

LATHE_WORDS = Vocabulary(
    g={
        0: "motion", 10: "motion", 20: "motion", 30: "motion", 320: "motion", 800: "motion",
        180: "plane",
        200: "units", 210: "units",
        400: "radius compensation", 410: "radius compensation", 420: "radius compensation",
        540: "work offset", 550: "work offset", 560: "work offset", 570: "work offset", 580: "work offset", 590: "work offset",
        960: "spindle mode", 970: "spindle mode",
        980: "feed mode", 990: "feed mode",
        40: "non-modal", 280: "non-modal", 300: "non-modal", 500: "non-modal", 530: "non-modal",
    },
    m={
        0: "stop", 1: "stop", 2: "stop", 30: "stop",
        3: "spindle", 4: "spindle", 5: "spindle",
        7: "coolant", 8: "coolant", 9: "coolant",
    },
    unread={
        "A": "a third axis is not simulated by this version",
        "B": "a third axis is not simulated by this version",
        "C": "a driven spindle is not simulated by this version",
        "D": "D is not a word of this control",
        "E": "E is not a word of this control",
        "H": "a lathe has no length registers: the last two figures of T are the offset",
        "V": "V is not a word of this control",
        "Y": "a two-axis lathe has no Y",
    },
    lengths="XZUWIKR",
)  # fmt: skip
