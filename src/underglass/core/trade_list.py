"""The trades that there are: the only module that names them."""

from __future__ import annotations

from underglass.core.compose import made_for
from underglass.core.proof.job import Trade
from underglass.core.trades.milling.trade import MILLING
from underglass.core.trades.punching.trade import PUNCHING
from underglass.core.trades.sheet.trade import SHEET
from underglass.core.trades.turning.trade import TURNING

REGISTERED = (made_for,)
"""Imported, that it registers its rule: any trade's operations may be made for another tool."""

TRADES: dict[str, Trade] = {trade.kind: trade for trade in (MILLING, TURNING, SHEET, PUNCHING)}
"""By the kind of machine."""

USUAL: Trade = MILLING
"""What a bare program is taken for that no other trade knows as its own."""
