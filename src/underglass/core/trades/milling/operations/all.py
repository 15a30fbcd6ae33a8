"""Every fill-in operation of milling, in the order in which they are offered."""

from __future__ import annotations

from underglass.core.compose.operation import Operation
from underglass.core.compose.registry import register
from underglass.core.trades.milling.operations.areas import CURVED_SLOT, POCKET, REST, SLOT
from underglass.core.trades.milling.operations.bosses import RECTANGULAR_BOSS, ROUND_BOSS
from underglass.core.trades.milling.operations.chamfer import CHAMFER
from underglass.core.trades.milling.operations.engraving import ENGRAVING
from underglass.core.trades.milling.operations.facing import FACING
from underglass.core.trades.milling.operations.head import HEAD
from underglass.core.trades.milling.operations.holes import HOLES
from underglass.core.trades.milling.operations.lying import LYING
from underglass.core.trades.milling.operations.outline import OUTLINE
from underglass.core.trades.milling.operations.pocket import RECTANGULAR, ROUND
from underglass.core.trades.milling.operations.starts import milling_starts
from underglass.core.trades.milling.operations.surfaces import SURFACE

OPERATIONS: tuple[Operation, ...] = (
    HEAD, FACING, OUTLINE, RECTANGULAR, ROUND, POCKET, REST, SLOT, CURVED_SLOT, RECTANGULAR_BOSS, ROUND_BOSS,
    HOLES, CHAMFER, ENGRAVING, SURFACE, LYING,
)  # fmt: skip

register("mill", OPERATIONS, milling_starts)
