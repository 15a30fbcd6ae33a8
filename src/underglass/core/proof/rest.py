"""The rest of a run as a program of its own: from one contour on, with what has to be sent first, loops and calls written out.

For the sheet whose cutter failed in the middle of a nest: the contour lies in a subprogram that has been called before, so no line
of the text says where to go on. Each block that would still be carried out is written as it is then; the whole is run by a fresh
control and offered only where that makes the very moves that were left.
"""

from __future__ import annotations

import contextlib
from dataclasses import dataclass

import numpy as np

from underglass.core.control.interpret import Control
from underglass.core.language import writing
from underglass.core.language.block import Block, Word
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import control_for
from underglass.core.proof.restart_blocks import leading_blocks

_SAME_MM = 2e-3
"""How far a move may be off: places are written to the usual decimals."""
_NOT_WRITTEN = frozenset("NO")


@dataclass(frozen=True, slots=True, kw_only=True)
class Rest:
    """``line`` of the main program or subprogram that begins the contour; ``blocks`` to send first, ``lines`` the whole program; empty, with
    ``why`` in words, where it cannot be written."""

    contour: int
    of: int
    line: int
    blocks: tuple[str, ...] = ()
    lines: tuple[str, ...] = ()
    why: str = ""


class _Here(Exception):
    pass


def contours(proof: Proof) -> list[int]:
    """The moves with which the cutter's contours begin."""
    return [e.before for e in proof.motions.events if e.kind == "cutter-on"]


def rest_from(proof: Proof, contour: int) -> Rest:
    """What is left from a contour on, counted from 1 by where the cutter comes on. Raises ``ValueError`` where there is none of that number."""
    events = [k for k, e in enumerate(proof.motions.events) if e.kind == "cutter-on"]
    if not 1 <= contour <= len(events):
        raise ValueError(
            f"there are {len(events)} contours, and no {contour}" if events else "this program cuts no contour"
        )
    event = events[contour - 1]
    line = proof.motions.events[event].line
    trace: list[tuple[Block, int, int]] = []
    whole = control_for(proof.job)
    whole.watch = lambda block: trace.append((block, len(whole.events), len(whole.moves)))
    whole.run(proof.source.lines, name=proof.source.name)
    # The block that switched it on is the last one before which it had not been told.
    at = max(k for k, (_b, told, _m) in enumerate(trace) if told <= event)

    def said(why: str) -> Rest:
        return Rest(contour=contour, of=len(events), line=line, why=why)

    there = _stand_before(proof, at)
    if there.path.compensated:
        return said("radius compensation is on where this contour begins")
    blocks = leading_blocks(proof, there)
    if blocks is None:
        return said("what is in force here cannot be brought about by a few blocks")
    # What is written out asks for no variables.
    blocks = tuple(text for text in blocks if not text.startswith("#"))
    texts = [text for block, _told, _moves in trace[at:] if (text := _written(block))]
    lines = (*blocks, *texts)
    if not _same_moves(proof, lines, trace[at][2]):
        return said("written out, these blocks would not make the same moves")
    return Rest(contour=contour, of=len(events), line=line, blocks=blocks, lines=lines)


def _stand_before(proof: Proof, count: int) -> Control:
    """A control that has carried out so many blocks, and no more."""
    control = control_for(proof.job)
    left = [count]

    def watch(_block: Block) -> None:
        if not left[0]:
            raise _Here
        left[0] -= 1

    control.watch = watch
    with contextlib.suppress(_Here):
        control.run(proof.source.lines, name=proof.source.name)
    control.watch = None
    return control


def _written(block: Block) -> str:
    return " ".join(_word(w) for w in block.words if w.letter not in _NOT_WRITTEN)


def _word(word: Word) -> str:
    if "#" in word.text or "[" in word.text:
        # Worked out: as finely as a variable was reckoned.
        return f"{word.letter}{writing.figure(word.value, 6)}"
    return word.text.upper().replace(" ", "")


def _same_moves(proof: Proof, lines: tuple[str, ...], done: int) -> bool:
    """Whether the last moves of these lines are those of the proof from one of them on: where they go, how fast, the cutter on or off."""
    made = control_for(proof.job).run(lines).motions
    left = len(proof.motions) - done
    if len(made) < left:
        return False
    begin = len(made) - left
    on = [[m.state_of(k).spindle for k in range(first, len(m))] for m, first in ((proof.motions, done), (made, begin))]
    if on[0] != on[1]:
        return False
    for name in ("kind", "start", "end", "centre", "sweep", "feed"):
        old, new = getattr(proof.motions, name)[done:], getattr(made, name)[begin:]
        if name == "start":
            # The way to the first place is the new program's own.
            old, new = old[1:], new[1:]
        if not np.allclose(np.nan_to_num(old), np.nan_to_num(new), atol=_SAME_MM, rtol=0.0):
            return False
    return True
