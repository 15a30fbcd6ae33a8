"""What the rules of turning look at: the section's history, the tool of each move, and words for both."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from underglass.core.bench.lathe import Lathe, LatheTool
from underglass.core.finding import Position
from underglass.core.proof.rules.context import Context
from underglass.core.removal.section.history import SectionHistory
from underglass.core.trades.turning.lathe import lathe_of, tips, tool_rows

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True, kw_only=True)
class Looked:
    """``row`` (n,) is each move's tool of ``tools`` (-1: none); ``start`` and ``end`` (n, 2) of the real tip."""

    lathe: Lathe
    cut: SectionHistory | None
    tools: tuple[LatheTool, ...]
    row: NDArray[np.int32]
    start: Floats
    end: Floats
    centre: Floats

    def tool(self, move: int) -> LatheTool | None:
        row = int(self.row[move])
        return self.tools[row] if row >= 0 else None

    def those(self, fits: Callable[[LatheTool], bool]) -> NDArray[np.bool_]:
        """Which moves are made by such a tool ``(n,)``."""
        known = np.array([fits(tool) for tool in self.tools] + [False], dtype=np.bool_)
        return known[self.row]

    def taken(self, n: int) -> Floats:
        """What each move took, mm3 ``(n,)``."""
        return self.cut.removed if self.cut is not None else np.zeros(n)


def look(context: Context) -> Looked:
    """Worked out once a proof."""
    found = context.kept.get("turning")
    if not isinstance(found, Looked):
        bench, motions = context.job.bench, context.motions
        tools, row = tool_rows(bench, motions)
        start, end, centre = tips(bench, motions, tools, row)
        cut = next((h for h in context.histories if isinstance(h, SectionHistory)), None)
        found = Looked(
            lathe=lathe_of(bench), cut=cut, tools=tools, row=row, start=start, end=end, centre=centre
        )  # fmt: skip
        context.kept["turning"] = found
    return found


def place(context: Context, x: float, z: float) -> Position:
    """A place of the half section as a report has it: X a diameter, Z from the true zero."""
    return Position(2.0 * x, 0.0, z)


def runs(moves: Iterable[int], apart: int = 3) -> Iterator[list[int]]:
    """Rising moves in groups: those that follow each other closely have one cause."""
    group: list[int] = []
    for move in moves:
        if group and move - group[-1] > apart:
            yield group
            group = []
        group.append(move)
    if group:
        yield group


def tool_events(context: Context) -> Iterator[tuple[int, int, int, int, int]]:
    """(station, first move, last move exclusive, line, column) of each stretch under one tool."""
    changes = [e for e in context.motions.events if e.kind == "tool-change"]
    for k, event in enumerate(changes):
        last = changes[k + 1].before if k + 1 < len(changes) else len(context.motions)
        yield event.tool, event.before, last, event.line, event.column
