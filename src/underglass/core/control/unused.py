"""Words that a block cannot use: said, never passed over.

Codes: word-unused, not-proved.
"""

from __future__ import annotations

from underglass.core.control.block_words import BlockWords
from underglass.core.control.cycles import CYCLE_LETTERS
from underglass.core.control.desk import Desk
from underglass.core.control.motions import PLANE_AXES
from underglass.core.finding import Severity
from underglass.core.language.block import Word

_ASIDE = frozenset("NOFSTDXYZ")
"""Letters that stay in force, or whose place is judged where something moves."""

_BELONGS = {
    "I": "I belongs to an arc",
    "J": "J belongs to an arc",
    "K": "K belongs to an arc",
    "R": "R belongs to an arc or a cycle",
    "P": "P belongs to a dwell, a call or a cycle",
    "Q": "Q belongs to a cycle",
    "L": "L belongs to a call or a cycle",
}


def tell(c: Desk, b: BlockWords) -> None:
    """Say which of the block's words nothing was done with. To be asked after the block's work is done."""
    for word in b.not_held:
        _tell_not_held(c, b, word)
    left = [letter for letter in b.letters if letter not in _ASIDE]
    if not left or b.unknown or b.silent:
        return
    used = _used(c, b)
    for letter in left:
        if letter not in used:
            _say(c, b, letter)


def _tell_not_held(c: Desk, b: BlockWords, word: Word) -> None:
    """Once for each axis that is not simulated: that it is named, and that it moves."""
    moves = word.value != 0.0
    if (word.letter, moves) in c.axes_told:
        return
    c.axes_told |= {(word.letter, moves)}
    said = word.text.upper()
    message, remedy = (
        (f"{said} moves a fourth axis, which is not held: what follows is run with the part as it lies", "prove each side as a job of its own")
        if moves
        else (f"{said} names a fourth axis, which is not held: nothing is missed as long as it stays at 0", "leave it if the axis stays where it is")
    )  # fmt: skip
    c.find_word(
        "not-proved", b.block, word, message, remedy, {"axis": word.letter, "value": word.value}, raised=None if moves else Severity.NOTE
    )  # fmt: skip


def _used(c: Desk, b: BlockWords) -> set[str]:
    """Letters that this block's words make use of."""
    m = c.modal
    out: set[str] = set()
    key = b.g["non-modal"][0] if "non-modal" in b.g else 0
    if key == 100:
        return set(b.letters)
    if key == 300 or "path control" in b.g:
        out |= {"P", "Q"}
    if b.m.get("spindle", (0,))[0] == 19:
        out |= {"P", "R"}
    if "length compensation" in b.g or m.h_number is not None:
        out.add("H")
    cycle = c.profile.cycle_by_name.get(m.motion)
    if cycle is not None:
        out |= set(cycle.letters.values()) | set(CYCLE_LETTERS.values())
    elif m.motion in ("G2", "G3") and not key:
        own = {"IJK"[axis] for axis in PLANE_AXES[m.plane][:2]}
        centre = own & set(b.letters)
        out |= own if centre and not (c.profile.arc_by_r and "R" in b.letters) else {"R"}
    elif m.motion == "G33":
        out |= {"K", c.profile.thread_letter}
    return out


def _say(c: Desk, b: BlockWords, letter: str) -> None:
    word: Word = b.letters[letter]
    why, remedy = (
        _BELONGS.get(letter, "nothing in this block takes it"),
        "take the word away, or write what it belongs to",
    )
    if letter == "H":
        why, remedy = "no G43 is in force", f"write G43 beside {word.text.upper()}, or take it away"
    elif c.modal.motion in ("G2", "G3") and letter == "R":
        why, remedy = (
            "the arc's centre is given as well, and that is taken",
            "give the arc by its centre or by R, not by both",
        )
    elif c.modal.motion in ("G2", "G3") and letter in "IJK":
        given_by_r = c.profile.arc_by_r and "R" in b.letters
        why = "R is given as well, and that is taken" if given_by_r else f"this arc lies in G{c.modal.plane}"
        remedy = "give the arc by its centre or by R, not by both" if given_by_r else "check the plane, G17 G18 or G19"
    elif c.modal.motion in ("G2", "G3") and letter in "PL":
        why, remedy = "an arc of this control turns once at most", "write a block for each turn"
    c.find_word(
        "word-unused", b.block, word, f"{word.text.upper()} has no effect here: {why}", remedy, {"letter": letter, "value": word.value},
        raised=Severity.NOTE if word.value == 0.0 else None,
    )  # fmt: skip
