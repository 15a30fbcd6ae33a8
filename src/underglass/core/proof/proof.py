"""What one run of one job came to: a value. Same job and text in, same proof out."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from underglass.core.bench.tool import Tool
from underglass.core.control.motions import Motions
from underglass.core.control.run import Run
from underglass.core.control.state import Vector
from underglass.core.control.timing import Timing
from underglass.core.finding import FIRST_APPROACH, Finding, outcome
from underglass.core.language.source import Source
from underglass.core.proof.closest import Closest
from underglass.core.proof.job import Job
from underglass.core.proof.line_moves import LineMoves
from underglass.core.proof.load import Loads, loads
from underglass.core.removal.approach import Approaches
from underglass.core.removal.history import StockHistory
from underglass.core.removal.stock import History
from underglass.core.removal.toolpath import ToolTable


@dataclass(frozen=True, slots=True, kw_only=True)
class ToolUse:
    """What one tool did. Times in s, volume in mm3."""

    number: int
    feed_time_s: float
    rapid_time_s: float
    removed_mm3: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Segment:
    """A stretch of the run under one tool, for the tape: seconds from the start."""

    tool: int
    start_s: float
    end_s: float
    line: int
    remark: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Proof:
    """A finished proof. ``tool_row`` (n,) is each move's row of ``tool_table`` (-1: none)."""

    job: Job
    source: Source
    run: Run
    timing: Timing
    tool_table: ToolTable
    tool_row: NDArray[np.int32]
    histories: tuple[History, ...]
    findings: tuple[Finding, ...]
    closest: tuple[Closest, ...]
    segments: tuple[Segment, ...]
    line_moves: LineMoves
    passed_by: tuple[Approaches, ...] = ()
    """What each fixture was passed by, in the bench's order: from it a changed program is taken up again."""

    @property
    def motions(self) -> Motions:
        return self.run.motions

    @property
    def stocks(self) -> tuple[StockHistory, ...]:
        """Those of the stocks that are held as fields of heights."""
        return tuple(h for h in self.histories if isinstance(h, StockHistory))

    def loads(self) -> Loads:
        """How hard each move cuts."""
        return loads(self.motions, self.timing, self.tool_table, self.tool_row, self.stocks, self.job.bench.cuts_like)

    @property
    def outcome(self) -> str:
        return outcome(self.findings)

    @property
    def approaches(self) -> tuple[Finding, ...]:
        """The first approach of each tool: no trouble, but a thing to compare at the machine."""
        return tuple(f for f in self.findings if f.code == FIRST_APPROACH)

    @property
    def troubles(self) -> tuple[Finding, ...]:
        """All findings but the first approaches, which every program has."""
        return tuple(f for f in self.findings if f.code != FIRST_APPROACH)

    @property
    def to_mend(self) -> tuple[Finding, ...]:
        """The troubles that stand for themselves and that nobody has accepted."""
        return tuple(f for f in self.troubles if f.because is None and not f.accepted)

    def following(self, cause: Finding) -> tuple[Finding, ...]:
        """The findings that only follow from one, by way of others too, in order."""
        roots = {(cause.code, cause.line)}
        out: list[Finding] = []
        for f in self.findings:
            if f.because in roots and f != cause:
                out.append(f)
                roots.add((f.code, f.line))
        return tuple(out)

    @property
    def tool_order(self) -> list[int]:
        """The tools in the order in which the program first calls them."""
        return list(dict.fromkeys(segment.tool for segment in self.segments if segment.tool))

    def moves_of_line(self, line: int) -> tuple[int, int] | None:
        """First and last move that a line makes, or None. (A line may be run more than once; this is the first run.)"""
        return self.line_moves.of(line)

    def moment_of_line(self, line: int) -> float | None:
        """The moment at which a line's first move begins; for a line without one, the next line's that has one."""
        found = self.moves_of_line(line)
        if found is not None:
            return float(self.timing.start[found[0]])
        after = np.flatnonzero(self.motions.line > line)
        if len(after):
            return float(self.timing.start[after[0]])
        return self.timing.total if len(self.motions) else None

    def tool_at(self, move: int) -> Tool | None:
        """The tool really in the spindle during a move."""
        row = int(self.tool_row[move]) if 0 <= move < len(self.tool_row) else -1
        return self.tool_table.tools[row] if row >= 0 else None

    def gauge_at(self, time_s: float) -> Vector:
        """The gauge line's place at a moment, machine coordinates, mm."""
        if not len(self.motions):
            return self.job.bench.machine.home
        return self.motions.at(*self.timing.locate(time_s))

    def tip_heights(self, time_s: float) -> tuple[float, float]:
        """(commanded, real) height of the tip above the true zero G54 stands for, mm.

        real = machine Z - real length - true zero Z; commanded = machine Z - H in force - work offset Z.
        """
        if not len(self.motions):
            return (0.0, 0.0)
        move, _share = self.timing.locate(time_s)
        machine = self.gauge_at(time_s)
        state = self.motions.state_of(move)
        tool = self.tool_at(move)
        zero = self.job.bench.zero.get(state.offset)
        true_z = zero.z if zero is not None else state.shift[2]
        return (state.work(machine)[2], machine[2] - (tool.length if tool else 0.0) - true_z)

    def tool_uses(self) -> tuple[ToolUse, ...]:
        """Times and volume by the number that the program calls."""
        called = self.motions.tool_of()
        rapid = self.motions.rapid()
        removed = sum((h.removed for h in self.histories), np.zeros(len(called)))
        out = []
        for number in sorted(set(called.tolist()) - {0}):
            mine = called == number
            out.append(
                ToolUse(
                    number=number,
                    feed_time_s=float(self.timing.duration[mine & ~rapid].sum()),
                    rapid_time_s=float(self.timing.duration[mine & rapid].sum()),
                    removed_mm3=float(removed[mine].sum()),
                )
            )
        return tuple(out)
