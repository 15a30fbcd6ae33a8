"""Which skin a proof wears in the glass: none where its stock is a field of heights."""

from __future__ import annotations

from collections.abc import Callable

from underglass.app.glass.skin import Skin
from underglass.app.trades.turned_skin import TurnedSkin
from underglass.core.proof.proof import Proof

SKINS: dict[str, Callable[[Proof], Skin]] = {"turning": TurnedSkin}
"""By the trade's name."""


def skin_of(proof: Proof) -> Skin | None:
    """What the glass draws of a proof."""
    make = SKINS.get(proof.job.trade.name)
    return make(proof) if make is not None else None
