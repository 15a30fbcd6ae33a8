"""What the colour of a cut edge of a sheet says: its tool, its operation, when it was cut, how hot the sheet was there."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from underglass.app.glass.colouring import STEPS, Legend, ramp
from underglass.app.style.palette import Palette
from underglass.core.proof.operations import operation_of, operations
from underglass.core.proof.proof import Proof
from underglass.core.removal.sheet.history import SheetHistory
from underglass.core.units import show_clock

COLOURINGS = ("tool", "operation", "age", "heat")


class FlatColours:
    """Of one proof."""

    def __init__(self, proof: Proof, history: SheetHistory | None) -> None:
        self.proof, self.history = proof, history
        self._found = operations(proof)
        self._operations = operation_of(self._found, len(proof.motions))
        self._order = {n: k for k, n in enumerate(dict.fromkeys(int(t) for t in proof.motions.tool_of().tolist()))}
        self._heat: NDArray[np.float64] | None = None

    def shades(self, palette: Palette, kind: str) -> list[str]:
        """A colour a bite."""
        history, timing = self.history, self.proof.timing
        assert history is not None
        called = self.proof.motions.tool_of()
        if kind == "operation":
            return [palette.tool(int(self._operations[b.first])) for b in history.bites]
        if kind in ("age", "heat"):
            scale = ramp(palette)
            figures = self.heat() if kind == "heat" else np.array([timing.start[b.first] for b in history.bites])
            most = (max(float(figures.max(initial=0.0)), 1e-9)) if kind == "heat" else max(timing.total, 1e-9)
            return [scale[round(min(float(f) / most, 1.0) * (STEPS - 1))] for f in figures]
        return [palette.tool(self._order.get(int(called[b.first]), 0)) for b in history.bites]

    def of_move(self, move: int, palette: Palette, kind: str) -> str:
        """The colour of what one move made, by operation or by tool."""
        if kind == "operation":
            return palette.tool(int(self._operations[move]))
        return palette.tool(self._order.get(int(self.proof.motions.tool_of()[move]), 0))

    def heat(self) -> NDArray[np.float64]:
        """Of each cut how hot the sheet still is there: the sum of what earlier cuts near by left, falling by half in 20 s and in 40 mm."""
        if self._heat is None:
            history, timing = self.history, self.proof.timing
            assert history is not None
            at = np.array([b.shape.centroid.coords[0] for b in history.bites]).reshape(-1, 2)
            when = np.array([timing.end_of(b.last) for b in history.bites])
            begin = np.array([timing.start[b.first] for b in history.bites])
            out = np.zeros(len(at))
            for k in range(1, len(at)):
                near = slice(max(0, k - 200), k)
                away = np.hypot(*(at[near] - at[k]).T)
                out[k] = float((0.5 ** (away / 40.0) * 0.5 ** (np.maximum(begin[k] - when[near], 0.0) / 20.0)).sum())
            self._heat = out
        return self._heat

    def legend(self, kind: str, palette: Palette) -> Legend:
        """What the colours mean."""
        if kind == "operation":
            return Legend(
                title="Cut by", named=tuple((palette.tool(k), o.title) for k, o in enumerate(self._found[:12]))
            )
        scale = tuple(ramp(palette))
        if kind == "heat":
            return Legend(title="Heat left by cuts near by", named=(), scale=scale, low="cold", high="hot")
        return Legend(
            title="Cut at", named=(), scale=scale, low=show_clock(0), high=show_clock(self.proof.timing.total)
        )
