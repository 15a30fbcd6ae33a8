"""The trades that there are: the only module that names them."""

from __future__ import annotations

from underglass.core.proof.trade import Trade
from underglass.core.trades.milling.trade import MILLING

TRADES: dict[str, Trade] = {trade.kind: trade for trade in (MILLING,)}
"""By the kind of machine."""
