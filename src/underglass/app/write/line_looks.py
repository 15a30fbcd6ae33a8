"""How a line looks: the roles of its words, and its mark in the margin."""

from __future__ import annotations

import numpy as np

from underglass.core.control.words import OFFSET_NAMES, g_key
from underglass.core.language.block import read_block
from underglass.core.language.buffer import Change
from underglass.core.proof.proof import Proof

CUT, PLUNGE, RAPID, CHANGE, STOP = "cut", "plunge", "rapid", "change", "stop"


def word_roles(text: str) -> list[tuple[int, int, str]]:
    """(start, end, role) of the stretches of a line that are not plain ink.

    Roles: number (N), cut, travel, belief (a word that reads a register), remark, problem.
    """
    block = read_block(text, 1)
    out = [(r.start, r.end, "remark") for r in block.remarks]
    out += [(p.start, p.end, "problem") for p in block.problems]
    for word in block.words:
        key = g_key(word.value) if word.letter == "G" else None
        if word.letter == "N":
            out.append((word.start, word.end, "number"))
        elif word.letter in "HD" or (key is not None and key in OFFSET_NAMES):
            out.append((word.start, word.end, "belief"))
        elif key in (10, 20, 30):
            out.append((word.start, word.end, "cut"))
        elif key == 0:
            out.append((word.start, word.end, "travel"))
    return out


_MARK_NAMES = (None, RAPID, PLUNGE, CUT, CHANGE, STOP)


class LineMarks:
    """What each line's mark in the margin is, by the line's number from 1; follows edits until the next proof."""

    def __init__(self, proof: Proof | None = None) -> None:
        self._marks = np.zeros(0, dtype=np.uint8)
        if proof is None:
            return
        motions = proof.motions
        events = [(e.line, 4 if e.kind == "tool-change" else 5) for e in motions.events if e.kind != "cutter-on"]
        last = max(int(motions.line.max()) if len(motions) else 0, max((line for line, _m in events), default=0))
        self._marks = np.zeros(last + 1, dtype=np.uint8)
        if len(motions):
            step = motions.end - motions.start
            down = (np.hypot(step[:, 0], step[:, 1]) < 1e-6) & (step[:, 2] < 0) & (motions.sweep == 0.0)
            self._marks[motions.line] = np.where(motions.rapid(), 1, np.where(down, 2, 3))
        for line, mark in events:
            self._marks[line] = mark

    def get(self, line: int) -> str | None:
        """The mark's name, or None."""
        return _MARK_NAMES[self._marks[line]] if 0 <= line < len(self._marks) else None

    def follow(self, change: Change) -> None:
        """Lines came or went: the marks behind them move along."""
        first, end = change.first + 1, change.first + 1 + len(change.removed)
        if change.growth and first < len(self._marks):
            kept = self._marks[first : min(end, first + len(change.inserted))]
            new = np.zeros(max(len(change.inserted) - len(kept), 0), dtype=np.uint8)
            self._marks = np.concatenate([self._marks[:first], kept, new, self._marks[end:]])


def line_marks(proof: Proof) -> LineMarks:
    """The marks of a proof."""
    return LineMarks(proof)
