"""What trades add to the window: the skin that a proof wears in the glass (none where its stock is a field of heights), and the
place Setup of those that have a bench of their own."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QStackedWidget

from underglass.app.document import Document
from underglass.app.glass.skin import Skin
from underglass.app.prove.page import ProvePage
from underglass.app.setup.own_place import OwnPlace
from underglass.app.style.palette import Palette
from underglass.app.trades.flat_setup import PunchSetup, SheetSetup
from underglass.app.trades.flat_skin import FlatSkin
from underglass.app.trades.lathe_setup import LatheSetup
from underglass.app.trades.lathe_stop import LatheStopPage
from underglass.app.trades.turned_skin import TurnedSkin
from underglass.core.proof.proof import Proof

SKINS: dict[str, Callable[[Proof], Skin]] = {"turning": TurnedSkin, "sheet cutting": FlatSkin, "punching": FlatSkin}
"""By the trade's name."""


STOPS: dict[str, Callable[[Document, Palette], ProvePage]] = {"turning": LatheStopPage}
"""The page of stops by the trade's name, where nothing lies on a table; a trade without one corrects nothing at a stop."""

PLACES: dict[str, Callable[[Document, Path, Palette], OwnPlace]] = {
    "turning": LatheSetup,
    "sheet cutting": SheetSetup,
    "punching": PunchSetup,
}
"""The place Setup by the trade's name, where nothing lies on a table."""


class OwnSetup(QStackedWidget):
    """The place Setup of the trade that the job is of; made when one first goes there. Signals as ``OwnPlace``'s."""

    trouble = Signal(str)
    line_chosen = Signal(int)

    def __init__(self, document: Document, folder: Path, palette: Palette) -> None:
        """``folder``: where a person's own sets of tools lie."""
        super().__init__()
        self._document, self._folder, self._palette = document, folder, palette
        self._made: dict[str, OwnPlace] = {}

    @property
    def now(self) -> OwnPlace:
        """The one for the job that is open. Raises ``LookupError`` where its trade has no bench of its own."""
        job = self._document.job
        name = job.trade.name if job is not None else ""
        if name not in PLACES:
            raise LookupError("no job of a trade with a bench of its own is open")
        if name not in self._made:
            place = self._made[name] = PLACES[name](self._document, self._folder, self._palette)
            place.trouble.connect(self.trouble)
            place.line_chosen.connect(self.line_chosen)
            self.addWidget(place)
        self.setCurrentWidget(self._made[name])
        return self._made[name]

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        for place in self._made.values():
            place.set_palette(palette)


def skin_of(proof: Proof) -> Skin | None:
    """What the glass draws of a proof."""
    make = SKINS.get(proof.job.trade.name)
    return make(proof) if make is not None else None
