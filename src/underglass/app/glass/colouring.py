"""What the colour of a cut face says: its tool, its operation, when it was cut, how deep, how hard, or how far off.

A cell's code is one byte: 0 uncut, 1 to 62 a colour, and 128 on top where the selected line cut it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from underglass.app.style.palette import Palette
from underglass.core.bench.mesh import Mesh
from underglass.core.proof.compare import apart, target_heights
from underglass.core.proof.operations import Operation, operation_of
from underglass.core.proof.proof import Proof
from underglass.core.removal.field import Field
from underglass.core.units import Unit, from_mm, show_clock, show_length

Codes = NDArray[np.uint8]
Window = tuple[int, int, int, int]
"""Rows from, to and columns from, to, ends exclusive."""

COLOURINGS = (
    ("tool", "Tool"),
    ("operation", "Operation"),
    ("age", "When it was cut"),
    ("depth", "Depth"),
    ("load", "Load"),
    ("target", "Difference from target"),
    ("heat", "Heat, from cuts near by"),
    ("held", "Off the run held"),
)
STEPS = 61
"""Colours of a scale, first to last; the middle one is exact."""

_SELECTED = 128
_SAME_MM = 0.01


@dataclass(frozen=True, slots=True, kw_only=True)
class Legend:
    """What the colours mean: named ones, or the two ends (and the middle) of a scale."""

    title: str
    named: tuple[tuple[str, str], ...] = ()
    """(hex colour, words)"""
    scale: tuple[str, ...] = ()
    low: str = ""
    high: str = ""


def ramp(palette: Palette, diverging: bool = False) -> list[str]:
    """The colours of a scale: light to dark, told apart by lightness alone; or from brass over grey to blue."""
    day = palette.name == "day"
    if diverging:
        anchors = ["#9A4A0A", "#D9A066", "#C9C6BE", "#7FA3C8", "#0A5F94"] if day else ["#F2994A", "#A8703C", "#5B6068", "#4A7BA3", "#7CC4F2"]  # fmt: skip
    else:
        anchors = ["#EFE3BE", "#C9A95E", "#7D8A86", "#3F6590", "#1B2F78"] if day else ["#22366F", "#41689A", "#7E9690", "#CBB26C", "#F6EBC8"]  # fmt: skip
    colours = np.array([[int(a[k : k + 2], 16) for k in (1, 3, 5)] for a in anchors], dtype=np.float64)
    at = np.linspace(0.0, len(anchors) - 1.0, STEPS)
    parts = np.stack([np.interp(at, np.arange(len(anchors)), colours[:, k]) for k in range(3)], axis=1)
    return ["#" + "".join(f"{round(v):02X}" for v in row) for row in parts]


_last_target: tuple[object, object, list[NDArray[np.float64]]] | None = None


def _target_of(proof: Proof, target: Mesh) -> list[NDArray[np.float64]]:
    """The target's heights; kept, for while one types neither it nor the cells change."""
    global _last_target
    places = (proof.job.bench.part_zero, tuple(history.grid for history in proof.stocks))
    if _last_target is None or _last_target[0] is not target or _last_target[1] != places:
        _last_target = (target, places, target_heights(target, proof.job.bench.part_zero, proof.stocks))
    return _last_target[2]


class Colouring:
    """The codes of one proof's cells under one kind of colouring."""

    def __init__(
        self, proof: Proof, kind: str, found: tuple[Operation, ...], held: Sequence[NDArray[np.float32]] | None = None
    ) -> None:
        """``held``: the heights of the run that is held, a stock each, for ``held``."""
        self.proof, self.kind = proof, kind
        self._operations = found
        self._by_move: Codes | None = None
        self._wanted: list[NDArray[np.float64]] | None = None
        self.low, self.high = 0.0, 1.0
        n = len(proof.motions)
        if kind == "operation":
            self._by_move = (1 + np.maximum(operation_of(found, n), 0) % 61).astype(np.uint8)
        elif kind == "age":
            self.high = max(proof.timing.total, 1e-9)
            self._by_move = self._step(np.asarray(proof.timing.start) + np.asarray(proof.timing.duration))
        elif kind == "load":
            loads = proof.loads()
            self._power = bool(loads.power.any())
            figures = loads.power if self._power else loads.rate / 1000.0
            # The hardest hundredth does not squeeze all the others together.
            cutting = figures[figures > 0.0]
            self.high = float(np.quantile(cutting, 0.99)) if len(cutting) else 1.0
            self._by_move = self._step(figures)
        elif kind == "depth":
            self._range_of_depths()
        elif kind in ("target", "held"):
            settings = proof.job.settings
            if kind == "target" and settings.target is not None:
                self._wanted = _target_of(proof, settings.target)
                self._tolerance = settings.target_tolerance
            elif kind == "held" and held is not None:
                self._wanted = [np.asarray(h, dtype=np.float64) for h in held]
                self._tolerance = _SAME_MM
            self.high = self._most_off()
            self.low = -self.high
        else:
            order = {number: k for k, number in enumerate(proof.tool_order)}
            by_state = np.array([1 + order.get(s.tool, 0) % 61 for s in proof.motions.in_force] or [1], dtype=np.uint8)
            self._by_move = by_state[proof.motions.state]

    def _range_of_depths(self) -> None:
        zero = self.proof.job.bench.part_zero.z
        tops, lows = [], []
        for history in self.proof.stocks:
            cut = history.final.owner >= 0
            if cut.any():
                base = history.grid.frame.z - zero
                tops.append(float(history.final.h[cut].max()) + base)
                lows.append(float(history.final.h[cut].min()) + base)
        self.low, self.high = (min(lows), max(tops)) if lows else (-1.0, 0.0)
        if self.high - self.low < 1e-6:
            self.low -= 1.0

    def _most_off(self) -> float:
        """The scale's end: where the finished stock is farthest off, but no less than ten tolerances."""
        most = 0.0
        for history, wanted in zip(self.proof.stocks, self._wanted or ()):
            if wanted.shape == history.final.h.shape:
                off = np.abs(apart(history.final.h.astype(np.float64), wanted, self._tolerance))
                most = max(most, float(np.quantile(off[off > 0.0], 0.98)) if (off > 0.0).any() else 0.0)
        return max(most, 10.0 * getattr(self, "_tolerance", 0.05))

    def _step(self, figures: NDArray[np.float64]) -> Codes:
        share = (figures - self.low) / max(self.high - self.low, 1e-12)
        return (1 + np.clip(np.rint(share * (STEPS - 1)), 0, STEPS - 1)).astype(np.uint8)

    def codes(self, k: int, field: Field, window: Window, selected: tuple[int, int] | None) -> Codes:
        """The codes of stock ``k``'s cells in a window, as the field is now."""
        j0, j1, i0, i1 = window
        owner = field.owner[j0:j1, i0:i1]
        if self._by_move is not None:
            lookup = np.concatenate([self._by_move, np.zeros(2, dtype=np.uint8)])
            out = lookup[owner]
        elif self.kind == "depth":
            base = field.grid.frame.z - self.proof.job.bench.part_zero.z
            out = np.where(owner >= 0, self._step(field.h[j0:j1, i0:i1].astype(np.float64) + base), 0).astype(np.uint8)
        else:
            out = self._off(k, field, window)
        if selected is not None:
            out = out | np.where((owner >= selected[0]) & (owner <= selected[1]), _SELECTED, 0).astype(np.uint8)
        return out

    def _off(self, k: int, field: Field, window: Window) -> Codes:
        j0, j1, i0, i1 = window
        middle = np.full((j1 - j0, i1 - i0), 1 + STEPS // 2, dtype=np.uint8)
        if self._wanted is None or k >= len(self._wanted) or self._wanted[k].shape != field.h.shape:
            return middle
        # One cell more on every side: a height is compared with all nine about its place.
        a0, a1, b0, b1 = max(0, j0 - 1), min(field.h.shape[0], j1 + 1), max(0, i0 - 1), min(field.h.shape[1], i1 + 1)
        off = apart(field.h[a0:a1, b0:b1].astype(np.float64), self._wanted[k][a0:a1, b0:b1], self._tolerance)
        return self._step(off[j0 - a0 : j1 - a0, i0 - b0 : i1 - b0])

    @property
    def follows_cut(self) -> bool:
        """Whether a finer field has codes of its own; what is compared cell by cell has none."""
        return self._wanted is None

    def cells(self, palette: Palette) -> list[str]:
        """The colours of codes 0 to 63."""
        if self.kind in ("tool", "operation"):
            return [palette.stock] + [palette.tool(k) for k in range(63)]
        scale = ramp(palette, diverging=self._wanted is not None)
        return [palette.stock, *scale, *scale[-1:] * 2][:64]

    def legend(self, palette: Palette, unit: Unit) -> Legend:
        """What the colours mean."""
        if self.kind == "tool":
            named = []
            for k, number in enumerate(self.proof.tool_order[:12]):
                tool = self.proof.job.bench.really_in_spindle(number)
                named.append((palette.tool(k), f"T{number} {tool.name if tool else ''}".strip()))
            return Legend(title="Cut by", named=tuple(named))
        if self.kind == "operation":
            shown = [(palette.tool(k), o.title) for k, o in enumerate(self._operations[:12])]
            more = len(self._operations) - len(shown)
            return Legend(title="Cut by" + (f" (and {more} more)" if more else ""), named=tuple(shown))
        scale = tuple(ramp(palette, diverging=self._wanted is not None))
        if self.kind == "age":
            return Legend(title="Cut at", named=(), scale=scale, low=show_clock(0), high=show_clock(self.high))
        if self.kind == "depth":
            return Legend(
                title=f"Height Z, {unit}",
                named=(),
                scale=scale,
                low=show_length(self.low, unit),
                high=show_length(self.high, unit),
            )
        if self.kind == "load":
            what = "Power at the edge, kW" if self._power else "Removal rate, cm³/min"
            return Legend(title=what, named=(), scale=scale, low="0", high=f"{self.high:.3g}")
        if self._wanted is None:
            return Legend(title="No target in this job" if self.kind == "target" else "No run is held")
        most = f"{from_mm(self.high, unit):.3g}"
        than = "the target" if self.kind == "target" else "the run held"
        return Legend(
            title=f"Too low · too high, against {than}, {unit}", named=(), scale=scale, low=f"-{most}", high=f"+{most}"
        )
