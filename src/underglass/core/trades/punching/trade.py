"""Turret punching as a value."""

from __future__ import annotations

from underglass.core.proof.job import BarePrograms, Trade
from underglass.core.trades.punching import at_machine, held, patterns, setup_rows
from underglass.core.trades.punching.clock import time_punching
from underglass.core.trades.punching.cut import cut_stocks
from underglass.core.trades.punching.dialect import PUNCH_DIALECT
from underglass.core.trades.punching.entries import read_punching
from underglass.core.trades.punching.guess import guess, recognises
from underglass.core.trades.punching.name import PUNCHING as NAME
from underglass.core.trades.punching.operations import all as operations
from underglass.core.trades.punching.outputs import OUT
from underglass.core.trades.punching.rules import clamps, hits, rows
from underglass.core.trades.punching.words import PUNCH_WORDS

REGISTERED = (OUT, setup_rows, patterns, clamps, hits, rows, operations, held, at_machine)
"""Imported, that they register themselves."""

PUNCHING = Trade(
    name=NAME, kind="punch", title="Punching", machines="turret punches", usual_control="word-address-punch", usual_machine="punch-turret",
    read=read_punching, dialect=PUNCH_DIALECT, cut=cut_stocks, words=PUNCH_WORDS, time=time_punching,
    without=frozenset({"comp-entry-witness", "comp-exit-remains", "low-tool-change"}), bare=BarePrograms(recognises=recognises, guess=guess),
)  # fmt: skip
