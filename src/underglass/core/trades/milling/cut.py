"""How milling cuts: every stock as a field of heights, along the real tip's way."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from underglass.core.control.motions import Motions
from underglass.core.proof.cut_order import CutOrder
from underglass.core.removal.field import default_cell, make_field
from underglass.core.removal.history import MAY_TOUCH, NO_TOUCH, OWN_HOLE, StockHistory, cut
from underglass.core.removal.toolpath import tip_path, tip_path_after

STOCK_LOOK_MM = 5.0
"""Approaches of shank, holder and spindle nose to the stock that are nearer than this are kept in mind."""


def forbidden(motions: Motions) -> NDArray[np.uint8]:
    """Moves on which even the cutting part must not touch stock: every rapid, and all with the spindle stopped."""
    return motions.each("forbidden", _forbidden, back=2)


def _forbidden(motions: Motions) -> NDArray[np.uint8]:
    stopped = np.array([s.spindle == "off" or s.speed <= 0.0 for s in motions.in_force] or [True])
    out = np.where(motions.rapid() | stopped[motions.state], NO_TOUCH, MAY_TOUCH).astype(np.uint8)
    if len(motions) > 2:
        # Back down into the hole that it was fed into two moves ago, no deeper: a peck.
        here, there = slice(2, None), slice(None, -2)
        (x, y, _z), (x1, y1, z1) = motions.start.T, motions.end.T
        upright = (x == x1) & (y == y1) & (motions.sweep == 0.0)
        again = upright[here] & upright[there]
        if not again.any():
            return out
        again &= (x[here] == x[there]) & (y[here] == y[there])
        again &= (z1[here] >= z1[there]) & (motions.state[here] == motions.state[there])
        again &= motions.rapid()[here] & ~motions.rapid()[there]
        out[2:][again] = OWN_HOLE
    return out


def cut_stocks(order: CutOrder) -> tuple[StockHistory, ...]:
    """Every stock of the bench, cut. Raises ``Cancelled``."""
    forbid = forbidden(order.motions)
    out: list[StockHistory] = []
    before = [one for one in order.before if isinstance(one, StockHistory)]
    share = 1.0 / max(len(order.bench.stocks), 1)
    for k, stock in enumerate(order.bench.stocks):
        base = k * share
        cell = order.cell or default_cell(stock)
        old = before[k] if k < len(before) else None
        there = old is not None and old.solid == stock and old.grid.cell == cell
        path = (order.motions, order.rows, order.table.tools, stock.frame)
        out.append(
            cut(
                old.uncut if old is not None and there else make_field(stock, cell),
                tip_path_after(old.path, order.since, *path) if old is not None and there else tip_path(*path),
                order.table,
                forbid,
                lambda done, base=base: order.progress("cutting", base + share * done),  # type: ignore[misc]
                order.cancelled,
                look=max(order.clearance, STOCK_LOOK_MM),
                before=old,
                same_moves=order.since,
                solid=stock,
            )
        )
    return tuple(out)
