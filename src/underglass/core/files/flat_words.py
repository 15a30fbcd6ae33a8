"""What the control profiles of sheet cutters and turret punches say besides: words that switch, the letter that turns a punch."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from underglass.core.entries.checked import Table
from underglass.core.files.lathe_words import m_words

Same = Mapping[tuple[str, float], tuple[tuple[str, float], ...]]


@dataclass(frozen=True, slots=True, kw_only=True)
class FlatWords:
    """``same_as``: this control's own words for those that every one of its kind has."""

    same_as: Same = field(default_factory=dict)
    cutter_below: float | None = None
    turn_letter: str = ""


def _own(part: Table, name: str, usual: int) -> dict[tuple[str, float], tuple[tuple[str, float], ...]]:
    words = [int(w[1:]) for w in m_words(part, name, [f"M{usual}"])]
    return {("M", float(w)): (("M", float(usual)),) for w in words if w != usual}


def flat_words(top: Table, kind: str) -> FlatWords:
    """``[cutter]`` of a sheet cutter, ``[punching]`` and ``[tool]`` of a punch; nothing of any other kind."""
    if kind == "sheet":
        part = top.table("cutter")
        if part is None:
            return FlatWords()
        same = {**_own(part, "on", 3), **_own(part, "off", 5)}
        below = part.number("below_z", None)
        part.done()
        return FlatWords(same_as=same, cutter_below=below)
    if kind == "punch":
        part, tool = top.table("punching"), top.table("tool")
        same, turn = {}, ""
        if part is not None:
            same = {**_own(part, "off", 21), **_own(part, "on", 20)}
            part.done()
        if tool is not None:
            turn = (tool.text("turn", "") or "").upper()
            if turn and (len(turn) != 1 or turn not in "ABCDEHIJKQUVW"):
                raise tool.bad("turn", "this must be one letter that means nothing else")
            tool.done()
        return FlatWords(same_as=same, turn_letter=turn)
    return FlatWords()
