"""Asks for a loupe off the GUI thread. Every request has a number; an answer that is no longer wanted is dropped."""

from __future__ import annotations

import threading
from dataclasses import dataclass

from PySide6.QtCore import QObject, Signal

from underglass.core.bench.solid import Solid
from underglass.core.errors import Cancelled
from underglass.core.removal.history import StockHistory
from underglass.core.removal.loupe import Loupe, Window, look_closer


@dataclass(frozen=True, slots=True)
class LoupeRequest:
    """Which stock, where, and at which moment. Frozen: the worker looks at nothing else."""

    stock: int
    history: StockHistory
    solid: Solid
    window: Window
    move: int
    share: float
    factor: int


class Closer(QObject):
    """``ready`` brings (stock, loupe) to the GUI thread."""

    ready = Signal(int, object)
    _answered = Signal(int, int, object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._number = 0
        self.busy = False
        self._answered.connect(self._on_answered)

    def ask(self, request: LoupeRequest) -> None:
        """Work out this loupe; what was asked before is no longer wanted."""
        self._number += 1
        self.busy = True
        threading.Thread(target=self._work, args=(self._number, request), name="loupe", daemon=True).start()

    def cancel(self) -> None:
        """No answer is wanted any more."""
        self._number += 1
        self.busy = False

    def _work(self, number: int, r: LoupeRequest) -> None:
        try:
            loupe = look_closer(
                r.history, r.solid, r.window, r.move, r.share, r.factor, cancelled=lambda: number != self._number
            )
        except Cancelled:
            return
        try:
            self._answered.emit(number, r.stock, loupe)
        except RuntimeError:
            # The window was closed meanwhile.
            return

    def _on_answered(self, number: int, stock: int, loupe: Loupe) -> None:
        if number == self._number:
            self.busy = False
            self.ready.emit(stock, loupe)
