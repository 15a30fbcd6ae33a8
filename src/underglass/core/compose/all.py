"""Every fill-in operation there is, in the order in which they are offered."""

from __future__ import annotations

from underglass.core.compose.facing import FACING
from underglass.core.compose.operation import Operation
from underglass.core.compose.pocket import RECTANGULAR, ROUND

OPERATIONS: tuple[Operation, ...] = (FACING, RECTANGULAR, ROUND)
