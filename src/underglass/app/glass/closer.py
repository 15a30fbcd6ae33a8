"""The loupe: where one looks so closely that cells would show, finer ones are worked out beside the window."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QObject, Signal

from underglass.app.background import Background, Cancel
from underglass.app.glass.eye import Eye
from underglass.core.removal.loupe import FACTOR, look_closer

_PIXELS_A_CELL = 3.0
"""A cell larger than this many pixels shows its corners: then finer ones are worked out."""

_FINEST = 100
"""The loupe's cells are at most so many times finer."""

_RAYS = 5


class Closer(QObject):
    """``ready`` brings (stock, loupe) to the GUI thread. Belongs to one glass."""

    ready = Signal(int, object)

    def __init__(self, eye: Eye, parent: QObject) -> None:
        super().__init__(parent)
        self._eye = eye
        self._work = Background("loupe", self)
        self._work.done.connect(self._on_done)

    @property
    def busy(self) -> bool:
        """Whether an answer is still to come."""
        return self._work.busy

    def cancel(self) -> None:
        """No answer is wanted any more."""
        self._work.cancel()

    def look(self) -> None:
        """Zoomed in so far that cells show, ask for finer ones of what is seen."""
        eye = self._eye
        stage, proof = eye.stage, eye.stage.proof
        showing, colouring = stage.showing, stage.colouring
        if proof is None or not showing.solid or showing.section is not None or stage.alone is not None:
            return
        if colouring is not None and not colouring.follows_cut:
            return
        view = eye.seen
        grid = [(x, y) for x in np.linspace(0.0, view.width, _RAYS) for y in np.linspace(0.0, view.height, _RAYS)]
        found = stage.window_seen([view.ray(float(x), float(y)) for x, y in grid])
        if found is None:
            return
        stock, window = found
        j0, j1, i0, i1 = window
        known = stage.loupe
        if max((i1 - i0) / view.width, (j1 - j0) / view.height) > 1.0 / _PIXELS_A_CELL:
            if known is not None:
                stage.drop_loupe()
            return
        margin = max(2, (j1 - j0) // 4, (i1 - i0) // 4)
        rows, columns = proof.stocks[stock].grid.shape
        window = (max(0, j0 - margin), min(rows, j1 + margin), max(0, i0 - margin), min(columns, i1 + margin))
        if known is not None and known[0] == stock and known[1].window == window:
            return
        # A cell of the loupe about as large as a pixel.
        factor = int(np.clip(min(view.width / (i1 - i0), view.height / (j1 - j0)), FACTOR, _FINEST))
        history, solid = proof.stocks[stock], proof.job.bench.stocks[stock]
        move, share = stage.moment()

        def work(cancelled: Cancel) -> object:
            return stock, look_closer(history, solid, window, move, share, factor, cancelled=cancelled)

        self._work.ask(work)

    def _on_done(self, answer: object) -> None:
        assert isinstance(answer, tuple)
        self.ready.emit(*answer)
