"""What a trade is asked to cut."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from underglass.core.bench.bench import Bench
from underglass.core.control.motions import Motions
from underglass.core.removal.stock import History
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
    before: tuple[History, ...] = ()
    since: int = 0
