"""What a rule looks at, and the small sentences several rules need."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from underglass.core.bench.tool import Tool
from underglass.core.control.motions import Motions, RegisterUse
from underglass.core.control.run import Run
from underglass.core.control.timing import Timing
from underglass.core.errors import Cancelled
from underglass.core.proof.closest import Closest
from underglass.core.proof.job import Job
from underglass.core.proof.length_ways import length_way, perfect_length
from underglass.core.proof.load import Loads, loads
from underglass.core.removal.approach import Approaches
from underglass.core.removal.history import StockHistory
from underglass.core.removal.stock import History
from underglass.core.removal.toolpath import ToolTable
from underglass.core.units import MM_PER_INCH, show_length


@dataclass(frozen=True, slots=True, kw_only=True)
class Context:
    """One run, with the cut done. ``tool_row`` as in ``Proof``.

    ``since``: the moves before this one are an earlier proof's, made by the same tools on the same bench; ``earlier`` is how
    they passed its fixtures. A rule leaves ``closest`` and ``approaches`` behind for the proof.
    """

    job: Job
    run: Run
    timing: Timing
    tool_table: ToolTable
    tool_row: NDArray[np.int32]
    histories: tuple[History, ...]
    cancelled: Callable[[], bool] = lambda: False
    lines: Sequence[str] = ()
    since: int = 0
    earlier: tuple[Approaches, ...] = ()
    closest: list[Closest] = field(default_factory=list)
    approaches: list[Approaches] = field(default_factory=list)
    kept: dict[str, object] = field(default_factory=dict)

    def check(self) -> None:
        """To be asked in every loop that a program can make long. Raises ``Cancelled`` when told to stop."""
        if self.cancelled():
            raise Cancelled

    def boxes(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Bounds of each move."""
        return self.motions.boxes()

    def removed(self) -> NDArray[np.float64]:
        """What each move takes of all the stocks, ``(n,)`` mm3."""
        return self._of_all("removed", [s.removed for s in self.stocks], np.add)

    def depths(self) -> NDArray[np.float64]:
        """How deep each move goes, as in ``StockHistory``, ``(n, 3)`` mm: the most of all the stocks."""
        return self._of_all("depths", [s.depths for s in self.stocks], np.maximum)

    def _of_all(self, name: str, columns: list[NDArray[np.float64]], join: np.ufunc) -> NDArray[np.float64]:
        found = self.kept.get(name)
        if found is None:
            found = self.kept[name] = columns[0] if len(columns) == 1 else join.reduce(columns)
        return found  # type: ignore[return-value]

    @property
    def loads(self) -> Loads:
        """How hard each move cuts."""
        return loads(self.motions, self.timing, self.tool_table, self.tool_row, self.stocks, self.job.bench.cuts_like)

    @property
    def stocks(self) -> tuple[StockHistory, ...]:
        """Those of the stocks that are held as fields of heights."""
        return tuple(h for h in self.histories if isinstance(h, StockHistory))

    @property
    def cuts(self) -> bool:
        """Whether there are moves, and stock for them to cut."""
        return bool(self.histories) and len(self.run.motions) > 0

    @property
    def motions(self) -> Motions:
        return self.run.motions

    def real_tool(self, called: int) -> Tool | None:
        return self.job.bench.really_in_spindle(called)

    def length(self, value_mm: float, *, sign: bool = False) -> str:
        """A length with its unit, as the job's person reads it."""
        return f"{show_length(value_mm, self.job.units, sign=sign)} {self.job.units}"

    def area(self, value_mm2: float) -> str:
        """An area with its unit."""
        inch = self.job.units == "inch"
        return f"{value_mm2 / MM_PER_INCH**2:.4f} in2" if inch else f"{value_mm2:.2f} mm2"

    def volume(self, value_mm3: float) -> str:
        """A volume with its unit."""
        inch = self.job.units == "inch"
        return f"{value_mm3 / MM_PER_INCH**3:.4f} in3" if inch else f"{value_mm3:.0f} mm3"

    def figure(self, value_mm: float) -> str:
        """A length without its unit."""
        return show_length(value_mm, self.job.units)

    def tool_words(self, number: int) -> str:
        """``tool 3 (end mill 10)``."""
        tool = self.real_tool(number)
        if tool is None:
            name = self.job.bench.tool_names.get(self.job.bench.loaded.get(number, number))
            return f"tool {number} ({name})" if name else f"tool {number}"
        size = tool.DC if self.job.units == "mm" else round(tool.DC / MM_PER_INCH, 4)
        return f"tool {number} ({tool.name.rsplit(' ', 1)[0]} {size:g})"

    def needs_length(self, tool: int) -> bool:
        """Whether a tool's Z moves want a length offset in force, by the way in which Z knows the tool."""
        return length_way(self.job).needs_offset(tool)

    def wrong_length(self, use: RegisterUse) -> float:
        """Register less what it should hold, mm: how much higher the tip runs than the control believes. 0 within tolerance."""
        tool = self.real_tool(use.tool)
        if tool is None:
            return 0.0
        off = use.value - perfect_length(self.job, tool)
        return off if abs(off) > self.job.settings.tolerance.length else 0.0

    def length_use_at(self, move: int) -> RegisterUse | None:
        """The length register that a move is made under."""
        uses = self.motions.lengths_used
        k = bisect_right(uses, move, key=lambda use: use.before)
        found = uses[k - 1] if k else None
        return found if found and found.tool == self.motions.state_of(move).tool else None
