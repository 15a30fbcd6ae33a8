"""Blocks, tools and moves for the removal tests, and what has been cut."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from underglass.core.bench.frame import Frame
from underglass.core.bench.solid import Solid
from underglass.core.bench.tool import Tool
from underglass.core.removal.field import Field, make_field
from underglass.core.removal.history import MAY_TOUCH, StockHistory, cut
from underglass.core.removal.toolpath import TipPath, make_tool_table, one_step_a_move

BLOCK = Solid(name="block", shape="box", size=(60.0, 50.0, 20.0), frame=Frame())
MILL = Tool(number=1, kind="end-mill", DC=10.0, length=80.0, APMX=25.0, stickout=45.0, shank=10.0)
DRILL = Tool(number=2, kind="drill", DC=8.0, length=80.0, APMX=40.0, stickout=45.0, shank=8.0, SIG=math.radians(118.0))
V_TOOL = Tool(
    number=3, kind="engraver", DC=12.0, length=80.0, APMX=25.0, stickout=45.0, shank=12.0, SIG=math.radians(90.0)
)
BALL = Tool(number=4, kind="ball-end", DC=10.0, length=80.0, APMX=25.0, stickout=45.0, shank=10.0)
BULL = Tool(number=5, kind="bull-nose", DC=10.0, length=80.0, APMX=25.0, stickout=45.0, shank=10.0, RE=2.0)
TAPER = Tool(
    number=6, kind="taper-mill", DC=4.0, length=80.0, APMX=25.0, stickout=45.0, shank=12.0, KAPR=math.radians(75.0)
)
TAPER_BALL = Tool(
    number=7,
    kind="taper-mill",
    DC=4.0,
    length=80.0,
    APMX=25.0,
    stickout=45.0,
    shank=12.0,
    RE=2.0,
    KAPR=math.radians(80.0),
)
TOOLS = (MILL, DRILL, V_TOOL, BALL, BULL, TAPER, TAPER_BALL)
TABLE = make_tool_table(TOOLS, 80.0)

Move = tuple[Sequence[float], Sequence[float]] | tuple[Sequence[float], Sequence[float], Sequence[float], float]


def path_of(moves: Sequence[Move], tool: int = 0) -> TipPath:
    """Moves as (start, end) or (start, end, centre, sweep in rad), all with one tool of ``TOOLS``."""
    n = len(moves)
    return one_step_a_move(
        np.array([m[0] for m in moves], dtype=float).reshape(n, 3),
        np.array([m[1] for m in moves], dtype=float).reshape(n, 3),
        np.array([m[2] if len(m) > 2 else (math.nan, math.nan) for m in moves], dtype=float).reshape(n, 2),
        np.array([m[3] if len(m) > 3 else 0.0 for m in moves], dtype=float),
        np.full(n, tool, dtype=np.int32),
    )


def block(cell: float = 0.1) -> Field:
    return make_field(BLOCK, cell)


def cut_moves(
    moves: Sequence[Move], tool: int = 0, cell: float = 0.1, forbid: int = MAY_TOUCH, **more: int
) -> StockHistory:
    """The block with these moves cut."""
    return cut(block(cell), path_of(moves, tool), TABLE, np.full(len(moves), forbid, dtype=np.uint8), **more)  # type: ignore[arg-type]


def removed(history: StockHistory) -> float:
    """mm3"""
    return history.uncut.volume() - history.final.volume()
