"""Every fill-in operation of punching."""

from __future__ import annotations

from underglass.core.compose.operation import Operation
from underglass.core.compose.registry import register
from underglass.core.trades.punching.operations.several import CONTOUR, PARTS
from underglass.core.trades.punching.operations.shapes import EDGE, HOLES, ROUND, SLOT, WINDOW
from underglass.core.trades.punching.operations.starts import punching_starts

OPERATIONS: tuple[Operation, ...] = (HOLES, SLOT, WINDOW, ROUND, EDGE, CONTOUR, PARTS)

register("punch", OPERATIONS, punching_starts)
