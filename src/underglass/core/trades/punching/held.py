"""How a sheet is held."""

from __future__ import annotations

from underglass.core.proof.flat_held import FLAT_HELD
from underglass.core.proof.held_picture import HELD
from underglass.core.trades.punching.name import PUNCHING

HELD[PUNCHING] = FLAT_HELD
