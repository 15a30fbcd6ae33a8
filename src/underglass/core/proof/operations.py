"""A run as its operations: what one tool does from one heading in the text to the next.

An operation begins at a tool change, and at a line with nothing but a comment if the tool next travels at rapid: a comment in
the middle of a cut is no heading. (Common practice, no source.)
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from underglass.core.language.outline import ENTRIES, FORM_END, is_remark
from underglass.core.proof.alone import moves_of
from underglass.core.proof.proof import Proof


@dataclass(frozen=True, slots=True, kw_only=True)
class Operation:
    """Moves ``first`` up to, not including, ``last``, from ``start_s`` to ``end_s``; ``line`` is where its first move stands."""

    tool: int
    name: str
    line: int
    first: int
    last: int
    start_s: float
    end_s: float

    @property
    def title(self) -> str:
        """Tool and name, as they are shown."""
        tool = f"T{self.tool}" if self.tool else "no tool"
        return f"{tool} {self.name}".strip()


def operations(proof: Proof) -> tuple[Operation, ...]:
    """All that make a move, in the order in which they run."""
    lines = proof.source.lines
    remarks = np.array([k for k, text in enumerate(lines, 1) if is_remark(text)], dtype=np.int64)
    line, rapid, timing = proof.motions.line, proof.motions.rapid(), proof.timing
    # The way to where tools are changed still belongs to the tool before, though the heading may stand above it.
    changes = [event.line for event in proof.motions.events if event.kind == "tool-change"]
    out = []
    for segment in proof.segments:
        a, b = moves_of(proof, segment)
        if b <= a:
            continue
        starts = [(a, ENTRIES.split(segment.remark)[0].strip())]
        # Of the moves that go on in the text, those with a heading between them and the move before.
        here, before = line[a + 1 : b], line[a : b - 1]
        upto, since = np.searchsorted(remarks, here, side="left"), np.searchsorted(remarks, before, side="right")
        headed = (here > before) & (upto > since) & rapid[a + 1 : b] & ~np.isin(here, changes)
        for n in np.flatnonzero(headed).tolist():
            heading = _heading(lines, int(remarks[upto[n] - 1]))
            if heading:
                starts.append((a + 1 + n, heading))
        for n, (first, name) in enumerate(starts):
            last = starts[n + 1][0] if n + 1 < len(starts) else b
            out.append(
                Operation(
                    tool=segment.tool,
                    name=name,
                    line=int(line[first]),
                    first=first,
                    last=last,
                    start_s=float(timing.start[first]),
                    end_s=timing.end_of(last - 1),
                )
            )
    return tuple(out)


def operation_of(found: tuple[Operation, ...], moves: int) -> NDArray[np.int32]:
    """Which operation each of so many moves belongs to, ``(moves,)``; -1 for none."""
    out = np.full(moves, -1, dtype=np.int32)
    for k, operation in enumerate(found):
        out[operation.first : operation.last] = k
    return out


def _heading(lines: Sequence[str], last: int) -> str:
    """What a comment says that ends in this line, by its first line; empty where it only closes a filled-in operation."""
    if FORM_END.search(lines[last - 1]):
        return ""
    first = last
    while first > 1 and is_remark(lines[first - 2]) and not FORM_END.search(lines[first - 2]):
        first -= 1
    text = lines[first - 1].strip().strip("();").strip()
    # A filled-in operation gives its entries behind its name.
    return ENTRIES.split(text)[0].strip()
