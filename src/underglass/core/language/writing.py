"""Text that goes back into a program: figures in its own units and modes, and in the hand that it is written in."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence

from underglass.core.units import MM_PER_INCH, Unit

_LOOK = 400
"""Lines that are looked at for the hand a program is written in."""

_REMARK = re.compile(r"\([^()]*\)|;.*")


def figure(value: float, places: int) -> str:
    """A figure with its decimal point and no trailing noughts, as a program has it: 12.5, 3., -0.25."""
    text = f"{round(value, places) + 0.0:.{places}f}".rstrip("0")
    return text if "." in text else text + "."


def length(value_mm: float, unit: Unit, places: int | None = None) -> str:
    """A length in mm as a figure in the program's unit; to a micrometre or a ten-thousandth where ``places`` is None."""
    inch = unit == "inch"
    return figure(value_mm / MM_PER_INCH if inch else value_mm, places if places is not None else 4 if inch else 3)


def feed_word(feed: float, unit: Unit, mode: str, speed: float, *, down: bool = False) -> str:
    """F for a feed of ``feed`` mm/min, as it is written under ``mode`` (G94 or G95) at a spindle speed; empty where none can be.

    ``down``: rounded downwards, so that a limit is not passed.
    """
    value = feed / (MM_PER_INCH if unit == "inch" else 1.0)
    if mode == "G93" or (mode == "G95" and speed <= 0.0):
        return ""
    if mode == "G95":
        value /= speed
    if value <= 0.0:
        return ""
    step = 10.0 ** (math.floor(math.log10(value)) - 4)
    value = (math.floor(value / step + 1e-9) if down else round(value / step)) * step
    return f"F{value:.10g}"


def feed_in_words(feed: float, unit: Unit, mode: str = "G94", speed: float = 0.0) -> str:
    """A feed of ``feed`` mm/min for a sentence: 600 mm/min, 23.62 inch/min, 0.05 mm a turn."""
    value = feed / (MM_PER_INCH if unit == "inch" else 1.0)
    if mode == "G95" and speed > 0.0:
        return f"{value / speed:.4g} {unit} a turn"
    return f"{value:.6g} {unit}/min" if unit == "mm" else f"{value:.4g} {unit}/min"


def in_the_hand_of(words: str, lines: Sequence[str]) -> str:
    """Words as this program would have them: lower case where it has no upper case, without blanks where it has none."""
    code = [_REMARK.sub("", text).strip() for text in lines[:_LOOK]]
    letters = "".join(code)
    if any(c.islower() for c in letters) and not any(c.isupper() for c in letters):
        words = words.lower()
    several = [text for text in code if len(re.findall(r"[A-Za-z]", text)) > 1 and "[" not in text]
    if several and not any(" " in text or "\t" in text for text in several):
        words = words.replace(" ", "")
    return words
