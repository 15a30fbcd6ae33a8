"""One block's words, sorted by what they are for, with complaints about those that cannot stand together."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace

from underglass.core.control.profile import ControlProfile
from underglass.core.control.words import SINGLE_LETTERS, g_key
from underglass.core.language.block import Block, Word

Complain = Callable[[str, Word, str, str], None]
"""(code, word, message, remedy)"""

_MOST_COMPLAINTS = 20
"""Of one block; more say nothing more."""

_END_OF_CYCLE = 800
_BESIDE_IT = frozenset({0, 10, 20, 30, 330, 382})


def _with_end_of_cycle(one: int, two: int) -> bool:
    """Whether one word is G80 and the other moves plainly: G0 G80, as safe lines have it (common practice, no source)."""
    return _END_OF_CYCLE in (one, two) and (one in _BESIDE_IT or two in _BESIDE_IT)


_ONCE = SINGLE_LETTERS | {"F"}


class BlockWords:
    """``g`` and ``m`` by group: (key, word). ``letters``: the other words. ``unknown``: a word was not understood.

    ``silent``: a word of the machine's own stands here that moves nothing, and takes the letters it likes.
    ``preselect``: a second T, behind M6. ``not_held``: words of axes that are not simulated.
    """

    __slots__ = ("block", "g", "letters", "m", "not_held", "preselect", "silent", "unknown")

    def __init__(self, block: Block, profile: ControlProfile, complain: Complain) -> None:
        self.block = block
        self.g: dict[str, tuple[int, Word]] = {}
        self.m: dict[str, tuple[int, Word]] = {}
        self.letters: dict[str, Word] = {}
        self.unknown, self.silent = bool(block.problems), False
        self.preselect: Word | None = None
        self.not_held: tuple[Word, ...] = ()
        letters = self.letters
        m_words = complaints = 0

        def limited(code: str, word: Word, message: str, remedy: str) -> None:
            nonlocal complaints
            complaints += 1
            if complaints <= _MOST_COMPLAINTS:
                complain(code, word, message, remedy)

        for word in block.words:
            letter = word.letter
            if letter == "G":
                key = g_key(word.value)
                self.silent = self.silent or key in profile.no_effect_g
                self._take(self.g, key, word, profile.g_groups, limited)
            elif letter == "M":
                whole = int(word.value) if abs(word.value) < 1e6 and word.value == int(word.value) else None
                self.silent = self.silent or whole in profile.no_effect
                m_words += 1
                if m_words > profile.most_m:
                    message = (
                        f"{word.text.upper()} is one M-word too many: this control takes {profile.most_m} in a block"
                    )
                    limited("modal-conflict", word, message, "write it in a block of its own")
                self._take(self.m, whole, word, profile.m_groups, limited)
            elif letter == "T" and "T" in letters and "tool change" in self.m:
                # T2 M6 T3: the tool after the next is got ready.
                self.preselect = word
            elif letter in letters and letter in _ONCE:
                message = f"{letter} appears twice in this block; the control takes only one"
                limited("modal-conflict", word, message, f"keep one {letter} word")
            elif letter in profile.not_held:
                self.not_held += (word,)
            elif letter in profile.unread:
                message = f"{word.text} is not read: {profile.unread[letter]}"
                limited(
                    "word-unknown",
                    word,
                    message,
                    "take the word away, or check the program for another machine's words",
                )
            else:
                letters[letter] = word

    def count_increments(self, increment: float, letters: str) -> Word | None:
        """Read lengths without a decimal point as so many increments. The first such word that is not nought, or None."""
        first = None
        for letter in letters:
            word = self.letters.get(letter)
            if (
                word is not None
                and "." not in word.text
                and word.value
                and "#" not in word.text
                and "[" not in word.text
            ):
                self.letters[letter] = word._replace(value=word.value * increment)
                first = first or word
        return first

    def _take(
        self,
        into: dict[str, tuple[int, Word]],
        key: int | None,
        word: Word,
        groups: Mapping[int, str],
        complain: Complain,
    ) -> None:
        group = groups.get(key) if key is not None else None
        if group is None or key is None:
            self.unknown = True
            complain(
                "word-unknown",
                word,
                f"the control does not know {word.text.upper()}",
                "if your machine has it, add it to the control profile (Setup, Machine); the rest of the block is carried out without it",
            )
        elif group == "motion" and group in into and _with_end_of_cycle(into[group][0], key):
            # G80 beside a motion word: the cycle ends, then the move is made.
            if into[group][0] == _END_OF_CYCLE:
                into[group] = (key, word)
        elif group in into:
            other = into[group][1]
            complain(
                "modal-conflict",
                word,
                f"{other.text.upper()} and {word.text.upper()} are both {group} words: only one is allowed per block",
                "keep the one that is meant; the first is taken here",
            )
        else:
            into[group] = (key, word)

    def value(self, letter: str) -> float | None:
        word = self.letters.get(letter)
        return None if word is None else word.value

    def has(self, letters: str) -> bool:
        return any(letter in self.letters for letter in letters)

    def g_word(self, group: str) -> Word | None:
        found = self.g.get(group)
        return found[1] if found else None


def in_other_words(block: Block, same: Mapping[tuple[str, float], tuple[tuple[str, float], ...]]) -> Block:
    """The block with a profile's own words put as those that they stand for."""
    if not any((w.letter, w.value) in same for w in block.words):
        return block
    words: list[Word] = []
    for word in block.words:
        meant = same.get((word.letter, word.value))
        words += [word] if meant is None else [word._replace(letter=a, value=b) for a, b in meant]
    return replace(block, words=tuple(words))
