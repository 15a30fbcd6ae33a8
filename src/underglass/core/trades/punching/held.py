"""How a sheet is held, and how a drawing lies over it."""

from __future__ import annotations

from underglass.core.proof.flat_held import FLAT_HELD
from underglass.core.proof.flat_print import FLAT_PRINT
from underglass.core.proof.held_picture import HELD
from underglass.core.proof.print_ways import PRINTS
from underglass.core.trades.punching.name import PUNCHING

HELD[PUNCHING] = FLAT_HELD
PRINTS[PUNCHING] = FLAT_PRINT
