"""Changes of a program's figures: a word scaled, shifted or set over many lines; a pass copied and let down in Z.

Every function takes lines and gives lines; what cannot be done is said with ``BadChange``.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from decimal import ROUND_HALF_EVEN, Decimal
from typing import Literal

from underglass.core.language.block import Word, read_block
from underglass.core.language.edits import strip_numbers
from underglass.core.language.find import words

How = Literal["times", "plus", "to"]
_FIXED = "GMNO"
_MOTIONS = (0, 1, 2, 3)


class BadChange(ValueError):
    """What is asked for makes no sense here; the text says why."""


def figure(value: Decimal, like: str, places: int = 4) -> str:
    """A number written as its forerunner was: a point kept, decimals at most ``places`` and no noughts more than before."""
    point = "." in like
    had = len(like.partition(".")[2]) if point else 0
    rounded = value.quantize(Decimal(1).scaleb(-max(places, had)), ROUND_HALF_EVEN)
    whole, _dot, part = f"{abs(rounded):f}".partition(".")
    part = part.rstrip("0").ljust(had, "0")
    sign = "-" if rounded < 0 else "+" if like.lstrip().startswith("+") else ""
    if point and like.lstrip("+-").startswith(".") and whole == "0" and part:
        whole = ""
    return f"{sign}{whole}{'.' if point or part else ''}{part}"


def change_words(lines: Sequence[str], which: str, how: How, by: float, places: int = 4) -> tuple[str, ...]:
    """Change the number of every word that ``which`` finds, as ``F`` or ``Z < 0``: times, plus or set to ``by``.

    Words worked out by arithmetic are left. Raises ``BadChange`` for letters whose number is a name (G, M, N, O),
    ``BadQuery`` where ``which`` makes no sense.
    """
    amount = Decimal(repr(by))
    letter = which.strip()[:1].upper()
    if letter and letter in _FIXED:
        raise BadChange(f"the number of {letter} is a name, not a size: find and replace changes it")
    out = list(lines)
    for place in reversed(list(words(lines, which))):
        text = out[place.line - 1]
        word = next(w for w in read_block(text, 1).words if w.start == place.start)
        if word.node is not None:
            continue
        number = re.sub(r"[ \t]", "", word.text[1:])
        old = Decimal(number)
        new = old * amount if how == "times" else old + amount if how == "plus" else amount
        written = figure(new, number, places)
        if how != "plus" and "." not in number and "." in written and letter in "HDTS":
            raise BadChange(f"{word.text} would become {letter}{written}: {letter} takes whole numbers")
        out[place.line - 1] = text[: word.start + 1] + written + text[word.end :]
    return tuple(out)


def _modes(before: Sequence[str]) -> tuple[int, bool]:
    """(motion, incremental) in force after these lines, looked for from the last one back; as at start where unsaid."""
    motion: int | None = None
    incremental: bool | None = None
    for text in reversed(before):
        if "G" not in text and "g" not in text:
            continue
        for word in reversed(read_block(text, 1).words):
            code = word.value if word.letter == "G" else None
            if motion is None and code in _MOTIONS:
                motion = int(code or 0)
            if incremental is None and code in (90, 91):
                incremental = code == 91
        if motion is not None and incremental is not None:
            break
    return motion or 0, bool(incremental)


def copy_pass(
    lines: Sequence[str], step: float, times: int, before: Sequence[str] = (), axis: str = "Z"
) -> tuple[str, ...]:
    """The lines, and ``times`` copies below them, each let down by ``step`` (mm or inch as written) more than the last.

    ``axis`` words in feed blocks are changed, and in rapid blocks those at or below the highest of these (an approach);
    retracts stay. Copies have no block numbers. ``before`` is the text ahead, for what is in force. Raises
    ``BadChange`` under G91, where a copy goes on from where the last one ended by itself, and where there is nothing to
    let down.
    """
    motion, incremental = _modes(before)
    fed: list[tuple[int, Word]] = []
    rapid: list[tuple[int, Word]] = []
    for k, text in enumerate(lines):
        block = read_block(text, 1)
        for word in block.words:
            code = word.value if word.letter == "G" else None
            motion = int(code or 0) if code in _MOTIONS else motion
            incremental = incremental if code not in (90, 91) else code == 91
        if incremental:
            raise BadChange("these lines are under G91: a copy of them goes deeper by itself")
        for word in block.words:
            if word.letter == axis and word.node is None:
                (fed if motion else rapid).append((k, word))
    if not fed:
        raise BadChange(f"no {axis} word in a feed block among these lines: nothing to let down")
    highest = max(word.value for _k, word in fed)
    todo = fed + [(k, word) for k, word in rapid if word.value <= highest]
    out = list(lines)
    for number in range(1, times + 1):
        copy = list(lines)
        for k, word in sorted(todo, key=lambda item: -item[1].start):
            text = re.sub(r"[ \t]", "", word.text[1:])
            new = figure(Decimal(text) - Decimal(repr(step)) * number, text)
            copy[k] = copy[k][: word.start + 1] + new + copy[k][word.end :]
        out += strip_numbers(copy)
    return tuple(out)
