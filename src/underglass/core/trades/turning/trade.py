"""Turning as a value."""

from __future__ import annotations

from underglass.core.proof.job import BarePrograms, Trade
from underglass.core.trades.turning import at_machine, held, lens, place, print_ways, setup_rows
from underglass.core.trades.turning.clock import time_turning
from underglass.core.trades.turning.cut import cut_stocks
from underglass.core.trades.turning.dialect import LATHE
from underglass.core.trades.turning.entries import read_turning
from underglass.core.trades.turning.guess import guess, recognises
from underglass.core.trades.turning.name import TURNING as NAME
from underglass.core.trades.turning.operations import all as operations
from underglass.core.trades.turning.outputs import TURNED
from underglass.core.trades.turning.rules import contacts, cutting, offsets, size, speeds, target, threads
from underglass.core.trades.turning.words import LATHE_WORDS

OUTPUTS = TURNED
"""Imported, that it registers itself."""

REGISTERED = (lens, setup_rows, operations, held, at_machine, place, print_ways)
"""Imported, that they register themselves."""

RULE_MODULES = (contacts, cutting, offsets, size, speeds, target, threads)
"""Imported, that they register their rules."""

TURNING = Trade(
    name=NAME, kind="lathe", title="Turning", machines="lathes", usual_control="word-address-lathe", usual_machine="lathe-2axis",
    read=read_turning, dialect=LATHE, cut=cut_stocks, words=LATHE_WORDS, time=time_turning,
    bare=BarePrograms(recognises=recognises, guess=guess),
)  # fmt: skip
