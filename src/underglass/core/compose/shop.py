"""The texts that a shop keeps: how a program starts, how a tool comes in and goes, how a program ends.

In a text a word in braces stands for what is filled in: {T} {TT} {H} {D} {S} {X} {Y} {Z} {AWAY} {TITLE} {TOOL} {PROGRAM}
{UNITS}. {X} and {Y} are the first position of what follows, {Z} the safe height, {UNITS} G21 or G20; {TT} is a lathe's
station and offset in two figures each, {AWAY} the place where its turret turns.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from underglass.core.language.block import read_block
from underglass.core.reckon.form import CannotBe, write
from underglass.core.units import Unit

KNOWN = ("T", "TT", "H", "D", "S", "X", "Y", "Z", "AWAY", "TITLE", "TOOL", "PROGRAM", "UNITS")
_WORD = re.compile(r"\{([^{}]*)\}")


@dataclass(frozen=True, slots=True, kw_only=True)
class ShopTexts:
    """Four texts, lines parted by ``\\n``. What stands here at first: common practice, no source."""

    start: str = "%\nO{PROGRAM} ({TITLE})\n{UNITS} G17 G40 G49 G54 G80 G90 G94"
    tool_start: str = "({TOOL})\nT{T} M6\nG0 G54 X{X} Y{Y} S{S} M3\nG43 H{H} Z{Z}"
    tool_end: str = "G0 Z{Z} M9\nM5"
    end: str = "G0 Z{Z} M9\nM5\nG53 G0 Z0.\nM30\n%"


AWAY: dict[Unit, str] = {"mm": "X200. Z100.", "inch": "X8. Z4."}
"""Where a lathe's tools are changed, clear of the chuck and the part."""

FIRST = {
    "mill": ShopTexts(),
    "lathe": ShopTexts(
        start="%\nO{PROGRAM} ({TITLE})\n{UNITS} G40 G97 G99 G54", tool_start="({TOOL})\nT{TT}", tool_end="G0 {AWAY} M9",
        end="G0 {AWAY} M9\nM5\nM30\n%",
    ),
    "sheet": ShopTexts(
        start="%\nO{PROGRAM} ({TITLE})\n{UNITS} G90 G40 G17 G54", tool_start="", tool_end="", end="G0 X0. Y0.\nM30\n%"
    ),
    "punch": ShopTexts(
        start="%\nO{PROGRAM} ({TITLE})\n{UNITS} G90 G54", tool_start="({TOOL})\nT{T}", tool_end="", end="M30\n%"
    ),
}  # fmt: skip
"""What stands in the texts at first, by the kind of machine."""

NAMES = {"start": "Start of program", "tool_start": "Tool in", "tool_end": "Tool out", "end": "End of program"}


def filled(text: str, values: Mapping[str, str]) -> tuple[str, ...]:
    """The text's lines with everything filled in. Raises ``CannotBe`` for a word in braces that nobody knows."""

    def value(found: re.Match[str]) -> str:
        name = found[1].strip().upper()
        if name not in values:
            known = ", ".join("{" + k + "}" for k in KNOWN)
            raise CannotBe(f"{found[0]} stands for nothing: {known} are known", found[1])
        return values[name]

    return tuple(_WORD.sub(value, text).split("\n")) if text.strip() else ()


def first_place(blocks: Sequence[str]) -> tuple[str, str]:
    """X and Y of the first place that blocks go to, as written; nought where there is none."""
    x = y = ""
    for text in blocks:
        for word in read_block(text, 1).words:
            if word.letter == "X" and not x:
                x = word.text[1:].strip()
            elif word.letter == "Y" and not y:
                y = word.text[1:].strip()
        if x and y:
            break
    return x or "0.", y or "0."


def program_number(lines: Sequence[str], name: str = "") -> int:
    """The number a program has or can be given: its own O number, else the figures of its file's name, else 1."""
    for text in lines[:20]:
        word = read_block(text, 1).word("O")
        if word is not None and 0 < word.value < 100_000:
            return int(word.value)
    figures = re.search(r"(\d{1,5})(?=\D*$)", name.split(".")[0])
    return int(figures[1]) if figures is not None and int(figures[1]) else 1


def values_for(
    unit: Unit, *, tool: int = 1, tool_name: str = "", speed: str = "", safe: float = 25.0, title: str = "",
    program: int = 1, blocks: Sequence[str] = (),
) -> dict[str, str]:  # fmt: skip
    """What the words in braces stand for; H and D have the tool's number."""
    x, y = first_place(blocks)
    return {
        "T": str(tool), "TT": f"{tool:02d}{tool:02d}", "AWAY": AWAY[unit], "H": str(tool), "D": str(tool), "S": speed or "1000", "X": x, "Y": y, "Z": write(safe, unit),
        "TITLE": title.upper(), "TOOL": tool_name.upper() or f"TOOL {tool}", "PROGRAM": f"{program:04d}",
        "UNITS": "G20" if unit == "inch" else "G21",
    }  # fmt: skip
