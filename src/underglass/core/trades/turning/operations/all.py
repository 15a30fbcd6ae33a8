"""Every fill-in operation of turning, in the order in which they are offered."""

from __future__ import annotations

from underglass.core.compose.operation import Operation
from underglass.core.compose.registry import register
from underglass.core.trades.turning.operations.forms import FORM
from underglass.core.trades.turning.operations.grooves import GROOVE, UNDERCUT
from underglass.core.trades.turning.operations.profiles import BORED, PROFILE
from underglass.core.trades.turning.operations.simple import BORE, DRILL, FACE, KNURL, PART
from underglass.core.trades.turning.operations.starts import turning_starts
from underglass.core.trades.turning.operations.threading import THREAD

OPERATIONS: tuple[Operation, ...] = (FACE, PROFILE, DRILL, BORE, BORED, GROOVE, UNDERCUT, THREAD, FORM, KNURL, PART)

register("lathe", OPERATIONS, turning_starts)
