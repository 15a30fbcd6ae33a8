"""A trade as a value: what its control understands, how it cuts, and, by its name, what is looked for.

Nothing outside of a trade's own folder knows it by name: a proof asks the job's trade.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from underglass.core.bench.bench import Bench
from underglass.core.control.dialect import Dialect
from underglass.core.control.motions import Motions
from underglass.core.removal.history import StockHistory
from underglass.core.removal.toolpath import ToolTable

Progress = Callable[[str, float], None]


@dataclass(frozen=True, slots=True, kw_only=True)
class CutOrder:
    """What is to be cut: the moves, the tools by row, how fine. ``cell`` mm, None: by the stock's size; ``clearance`` mm.

    ``before``: the stocks of an earlier proof, of the same bench or another; ``since``: so many
    moves at the beginning are known to be the same, made by the same tools (0: not known).
    """

    bench: Bench
    motions: Motions
    table: ToolTable
    rows: NDArray[np.int32]
    cell: float | None
    clearance: float
    progress: Progress
    cancelled: Callable[[], bool]
    before: tuple[StockHistory, ...] = ()
    since: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Trade:
    """``kind`` is what a machine profile calls its machines; ``title`` how a person reads it."""

    name: str
    kind: str
    title: str
    dialect: Dialect
    cut: Callable[[CutOrder], tuple[StockHistory, ...]]
