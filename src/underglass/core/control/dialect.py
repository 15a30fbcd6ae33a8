"""What one trade's control understands, as a table: the words of a block, each with what is done for it, in their order.

The loop asks a dialect which steps a block of certain words takes, and does them; it knows no word itself. Which steps that
are depends only on what kinds of words stand in the block, and is worked out once for each kind of block.

Glossary
    step    what is done for one group of words or one letter
    shape   the groups and letters of a block, whatever their figures
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace

from underglass.core.control.block_words import BlockWords
from underglass.core.control.desk import Desk

Handler = Callable[[Desk, BlockWords], None]
Shape = tuple[str, ...]

_MOST_SHAPES = 4096
"""A program has some dozens; one that is made to have more does not fill the memory."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """One step of a block: done where a word of one of the groups (``g``, ``m``) or one of the letters stands in it.

    ``always``: in every block that has words.
    """

    name: str
    do: Handler
    g: tuple[str, ...] = ()
    m: tuple[str, ...] = ()
    letters: str = ""
    always: bool = False

    def wanted(self, words: BlockWords) -> bool:
        return (
            self.always
            or any(group in words.g for group in self.g)
            or any(group in words.m for group in self.m)
            or any(letter in words.letters for letter in self.letters)
        )


def _nothing_besides(_desk: Desk) -> None:
    """A control that holds nothing but what every one does."""


def _one_by_one(_desk: Desk) -> float:
    """No block is known to be a plain move."""
    return 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Dialect:
    """``steps`` in the order in which a block is carried out.

    ``places_alone``: how an X of a block of nothing but X Y Z I J and F, under G0 to G3, counts now where that is a plain move and
    nothing else (see ``plain``): 1, or 0.5 for a diameter; 0 where such blocks are to be read one by one.
    """

    name: str
    steps: tuple[Step, ...]
    places_alone: Callable[[Desk], float] = _one_by_one
    begins: Callable[[Desk], None] = _nothing_besides
    """What a control of this kind holds besides, before the first block."""
    _known: dict[Shape, tuple[Handler, ...]] = field(default_factory=dict, compare=False, repr=False)

    def steps_of(self, words: BlockWords) -> tuple[Handler, ...]:
        """What is to be done for a block, in order."""
        shape = (*words.g, "", *words.m, "", *words.letters)
        known = self._known.get(shape)
        if known is None:
            if len(self._known) > _MOST_SHAPES:
                self._known.clear()
            known = self._known[shape] = tuple(step.do for step in self.steps if step.wanted(words))
        return known

    def with_step(self, step: Step, before: str) -> Dialect:
        """The same with one more step before another. Raises ``ValueError`` where that is not there."""
        at = [s.name for s in self.steps].index(before)
        return replace(self, steps=(*self.steps[:at], step, *self.steps[at:]), places_alone=_one_by_one, _known={})


Motions = Mapping[str, Handler]
"""Motion word to what is done for a block under it."""
