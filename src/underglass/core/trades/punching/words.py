"""The words of a turret punch's control (common practice, no source). A G-word's key is its number times ten."""

from __future__ import annotations

from underglass.core.control.words import Vocabulary

PUNCH_WORDS = Vocabulary(
    g={
        0: "own place",
        200: "units", 210: "units",
        540: "work offset", 550: "work offset", 560: "work offset", 570: "work offset", 580: "work offset", 590: "work offset",
        900: "distance", 910: "distance",
        940: "feed mode",
        280: "non-modal", 520: "non-modal", 530: "non-modal", 920: "non-modal",
    },
    m={
        0: "stop", 1: "stop", 2: "stop", 30: "stop",
        6: "tool change",
        7: "coolant", 8: "coolant", 9: "coolant",
        20: "punching", 21: "punching",
    },
    unread={
        "D": "D is not a word of this control", "E": "E is not a word of this control", "H": "H is not a word of this control",
        "K": "K is not a word of this control", "Q": "Q is not a word of this control", "A": "A is not a word of this control",
        "B": "B is not a word of this control", "C": "C is not a word of this control",
        "U": "incremental letters belong to a lathe", "V": "incremental letters belong to a lathe", "W": "incremental letters belong to a lathe",
    },
    lengths="XYZ",
)  # fmt: skip
