"""Milling as a value."""

from __future__ import annotations

from underglass.core.proof.job import Trade
from underglass.core.trades.milling import held, place
from underglass.core.trades.milling.cut import cut_stocks
from underglass.core.trades.milling.dialect import MILL
from underglass.core.trades.milling.entries import read_milling
from underglass.core.trades.milling.name import MILLING as NAME
from underglass.core.trades.milling.operations import all as operations
from underglass.core.trades.milling.rules import contacts, cutting, reach, registers, target, undercuts

REGISTERED = (operations, held, place)
"""Imported, that they register themselves."""

RULE_MODULES = (contacts, cutting, reach, registers, target, undercuts)
"""Imported, that they register their rules."""

MILLING = Trade(
    name=NAME, kind="mill", title="Milling", machines="mills", usual_control="word-address-mill", usual_machine="mill-3axis",
    read=read_milling, dialect=MILL, cut=cut_stocks,
)  # fmt: skip
