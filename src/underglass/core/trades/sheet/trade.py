"""Cutting of sheet as a value."""

from __future__ import annotations

from underglass.core.proof.job import BarePrograms, Trade
from underglass.core.trades.sheet import at_machine, held, setup_rows
from underglass.core.trades.sheet.cut import cut_stocks
from underglass.core.trades.sheet.dialect import SHEET_DIALECT
from underglass.core.trades.sheet.entries import read_sheet
from underglass.core.trades.sheet.guess import guess, recognises
from underglass.core.trades.sheet.name import SHEET as NAME
from underglass.core.trades.sheet.operations import all as operations
from underglass.core.trades.sheet.outputs import OUT
from underglass.core.trades.sheet.rules import contours, cutter, fit, order
from underglass.core.trades.sheet.words import SHEET_WORDS

REGISTERED = (OUT, setup_rows, contours, cutter, fit, order, operations, held, at_machine)
"""Imported, that they register themselves."""

SHEET = Trade(
    name=NAME, kind="sheet", title="Sheet cutting", machines="sheet cutters", usual_control="word-address-sheet",
    usual_machine="sheet-2axis", read=read_sheet, dialect=SHEET_DIALECT, cut=cut_stocks, words=SHEET_WORDS,
    without=frozenset({"comp-entry-witness", "comp-exit-remains", "low-tool-change"}), switches=frozenset({"dry_trace"}),
    bare=BarePrograms(recognises=recognises, guess=guess),
)  # fmt: skip
