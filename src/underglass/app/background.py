"""Work that is done beside the window: only the newest question is answered, older ones are let go."""

from __future__ import annotations

import threading
import traceback
from collections.abc import Callable

from PySide6.QtCore import QObject, Signal

from underglass.core.errors import Cancelled, UnderGlassError

Cancel = Callable[[], bool]


class Background(QObject):
    """``done`` brings the answer to the GUI thread; ``failed`` a sentence in its place."""

    done = Signal(object)
    failed = Signal(str)
    _answered = Signal(int, object, str)

    def __init__(self, name: str, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._name = name
        self._number = 0
        self._waiting: tuple[int, Callable[[Cancel], object]] | None = None
        self._lock = threading.Lock()
        self._running = False
        self.busy = False
        self._answered.connect(self._on_answered)

    def ask(self, work: Callable[[Cancel], object]) -> None:
        """Do this next. ``work`` is given a question to ask now and then: whether nobody waits for it any more."""
        self._number += 1
        self.busy = True
        with self._lock:
            self._waiting = (self._number, work)
            if self._running:
                return
            self._running = True
        threading.Thread(target=self._work, name=self._name, daemon=True).start()

    def cancel(self) -> None:
        """Nobody waits any more."""
        self._number += 1
        self.busy = False
        with self._lock:
            self._waiting = None

    def _work(self) -> None:
        while True:
            with self._lock:
                if self._waiting is None:
                    self._running = False
                    return
                number, work = self._waiting
                self._waiting = None
            said, answer = "", None
            try:
                answer = work(lambda n=number: n != self._number)  # type: ignore[misc]
            except Cancelled:
                continue
            except (UnderGlassError, ValueError) as error:
                said = str(error)
            except Exception:  # a fault of ours: the window must stay usable and say so
                traceback.print_exc()
                said = "Under Glass has failed here (its own bug, not your program); your text is safe"
            if number == self._number:
                try:
                    self._answered.emit(number, answer, said)
                except RuntimeError:
                    return  # the window has gone

    def _on_answered(self, number: int, answer: object, said: str) -> None:
        if number != self._number:
            return
        self.busy = False
        if said:
            self.failed.emit(said)
        else:
            self.done.emit(answer)
