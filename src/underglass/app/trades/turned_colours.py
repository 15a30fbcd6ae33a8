"""What the colour of a turned face says: its tool, its operation, when, how deep or how hard it was cut, or how far off the target it is."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from underglass.app.glass.colouring import STEPS, Legend, ramp
from underglass.app.style.palette import Palette
from underglass.core.proof.operations import Operation, operation_of
from underglass.core.proof.proof import Proof
from underglass.core.removal.section.history import SectionHistory
from underglass.core.removal.section.shape import Floats
from underglass.core.trades.turning.target import how_far, wanted_section
from underglass.core.units import Unit, from_mm, show_clock, show_length

COLOURINGS = ("tool", "operation", "age", "depth", "load", "target")


class TurnedColours:
    """Of one proof."""

    def __init__(self, proof: Proof, history: SectionHistory | None, found: tuple[Operation, ...]) -> None:
        self.proof, self.history, self._found = proof, history, found
        self._operations = operation_of(found, len(proof.motions))
        self._order = {n: k for k, n in enumerate(proof.tool_order)}
        self.wanted = wanted_section(proof.job)
        self._scales: dict[str, tuple[float, NDArray[np.float64]]] = {}

    def _by_move(self, kind: str) -> tuple[float, NDArray[np.float64]]:
        """(the scale's end, a figure a move)."""
        found = self._scales.get(kind)
        if found is None:
            n = len(self.proof.motions)
            timing, history = self.proof.timing, self.history
            if kind == "age" or history is None:
                figures, high = np.asarray(timing.start), max(timing.total, 1e-9)
            elif kind == "depth":
                figures = history.depth
                high = float(figures.max(initial=0.0)) or 1.0
            else:
                spent = np.maximum(np.asarray(timing.duration), 1e-9)
                figures = np.where(history.removed > 0.0, history.removed / spent * 60.0 / 1000.0, 0.0)
                cutting = figures[figures > 0.0]
                # The hardest hundredth does not squeeze all the others together.
                high = float(np.quantile(cutting, 0.99)) if len(cutting) else 1.0
            found = self._scales[kind] = (high, figures if len(figures) == n else np.zeros(n))
        return found

    @property
    def _most_off(self) -> float:
        return 10.0 * self.proof.job.settings.target_tolerance

    def colours(self, kind: str, palette: Palette, owners: NDArray[np.int64], places: Floats) -> list[str]:
        """A colour an edge: ``owners`` the move that made each (-1: uncut), ``places`` (n, 2) in its middle."""
        if kind == "target" and self.wanted is not None:
            scale = ramp(palette, diverging=True)
            off = how_far(self.wanted, places)
            off = np.where(np.abs(off) <= self.proof.job.settings.target_tolerance, 0.0, off)
            step = np.clip(np.rint((off / self._most_off + 1.0) / 2.0 * (STEPS - 1)), 0, STEPS - 1).astype(int)
            behind = places[:, 1] < self.wanted.bounds[1] - 1e-6
            return [
                palette.stock if out or m < 0 else scale[k]
                for k, m, out in zip(step.tolist(), owners.tolist(), behind.tolist())
            ]
        if kind in ("age", "depth", "load"):
            high, figures = self._by_move(kind)
            scale = ramp(palette)
            step = np.clip(np.rint(figures / high * (STEPS - 1)), 0, STEPS - 1).astype(int)
            return [palette.stock if m < 0 else scale[step[m]] for m in owners.tolist()]
        if kind == "operation":
            return [palette.stock if m < 0 else palette.tool(int(self._operations[m])) for m in owners.tolist()]
        called = self.proof.motions.tool_of()
        return [palette.stock if m < 0 else palette.tool(self._order.get(int(called[m]), 0)) for m in owners.tolist()]

    def legend(self, kind: str, palette: Palette, unit: Unit) -> Legend:
        """What the colours mean."""
        if kind == "operation":
            shown = [(palette.tool(k), o.title) for k, o in enumerate(self._found[:12])]
            more = len(self._found) - len(shown)
            return Legend(title="Cut by" + (f" (and {more} more)" if more else ""), named=tuple(shown))
        if kind == "target":
            if self.wanted is None:
                return Legend(title="No target in this job")
            most = f"{from_mm(self._most_off, unit):.3g}"
            return Legend(
                title=f"Too small · too large, against the target, {unit}",
                named=(),
                scale=tuple(ramp(palette, diverging=True)),
                low=f"-{most}",
                high=f"+{most}",
            )
        scale, high = tuple(ramp(palette)), self._by_move(kind)[0]
        if kind == "age":
            return Legend(title="Cut at", named=(), scale=scale, low=show_clock(0), high=show_clock(high))
        if kind == "depth":
            return Legend(
                title=f"Depth of cut, {unit}",
                named=(),
                scale=scale,
                low=show_length(0.0, unit),
                high=show_length(high, unit),
            )
        return Legend(title="Removal rate, cm³/min", named=(), scale=scale, low="0", high=f"{high:.3g}")
