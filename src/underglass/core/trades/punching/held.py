"""How a sheet is held, how a drawing lies over it, how the place of a finding is pictured."""

from __future__ import annotations

from underglass.core.proof.flat_held import FLAT_HELD
from underglass.core.proof.flat_place import compared_flat, looking_flat
from underglass.core.proof.flat_print import FLAT_PRINT
from underglass.core.proof.held_picture import HELD
from underglass.core.proof.place_picture import COMPARED, PLACES
from underglass.core.proof.print_ways import PRINTS
from underglass.core.trades.punching.name import PUNCHING

HELD[PUNCHING] = FLAT_HELD
PRINTS[PUNCHING] = FLAT_PRINT
PLACES[PUNCHING] = looking_flat
COMPARED[PUNCHING] = compared_flat
