"""Milling as a value."""

from __future__ import annotations

from underglass.core.proof.trade import Trade
from underglass.core.trades.milling.cut import cut_stocks
from underglass.core.trades.milling.dialect import MILL
from underglass.core.trades.milling.name import MILLING as NAME
from underglass.core.trades.milling.rules import contacts, cutting, reach, target

RULE_MODULES = (contacts, cutting, reach, target)
"""Imported, that they register their rules."""

MILLING = Trade(name=NAME, kind="mill", title="Milling", dialect=MILL, cut=cut_stocks)
