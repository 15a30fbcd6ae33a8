"""Every fill-in operation of sheet cutting."""

from __future__ import annotations

from underglass.core.compose.operation import Operation
from underglass.core.compose.registry import register
from underglass.core.trades.sheet.operations.nest import NEST
from underglass.core.trades.sheet.operations.starts import sheet_starts

OPERATIONS: tuple[Operation, ...] = (NEST,)

register("sheet", OPERATIONS, sheet_starts)
