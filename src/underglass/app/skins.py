"""What trades add to the window: the skin that a proof wears in the glass (none where its stock is a field of heights), and the
place Setup of those that have a bench of their own."""

from __future__ import annotations

from collections.abc import Callable

from underglass.app.glass.skin import Skin
from underglass.app.trades.lathe_setup import LatheSetup
from underglass.app.trades.lathe_stop import LatheStopPage
from underglass.app.trades.turned_skin import TurnedSkin
from underglass.core.proof.proof import Proof

SKINS: dict[str, Callable[[Proof], Skin]] = {"turning": TurnedSkin}
"""By the trade's name."""


OwnStop = LatheStopPage
"""The page of stops where nothing lies on a table."""

OwnSetup = LatheSetup
"""The place Setup where nothing lies on a table."""


def skin_of(proof: Proof) -> Skin | None:
    """What the glass draws of a proof."""
    make = SKINS.get(proof.job.trade.name)
    return make(proof) if make is not None else None
