"""Runs proofs off the GUI thread. Every request has a number; an answer that is no longer wanted is dropped.

One worker thread, one request waiting at most: while typing, only the newest text is proved.
"""

from __future__ import annotations

import gc
import threading
import traceback
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

from PySide6.QtCore import QObject, QTimer, Signal

from underglass.core.errors import Cancelled
from underglass.core.language.source import Source
from underglass.core.proof.job import Job
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import prove


@dataclass(frozen=True, slots=True, kw_only=True)
class Request:
    """What to prove. Frozen: the worker never looks at the document."""

    number: int
    job: Job
    source: Source
    hint: object = None
    """What ``prepare`` is given with the proof: where the window is likely to look at it."""


class Prover(QObject):
    """``proved`` brings a proof to the GUI thread; ``failed`` a sentence, for what should never happen."""

    proved = Signal(object)
    progressed = Signal(str, float)
    failed = Signal(str)
    _answered = Signal(int, object)
    _stepped = Signal(int, str, float)

    def __init__(self, parent: QObject | None = None, *, wait_ms: int = 120) -> None:
        super().__init__(parent)
        self._number = 0
        self._lock = threading.Condition()
        self._waiting: Request | None = None
        self._closing = False
        self._busy = False
        self._next: tuple[Job, Callable[[], Source], object] | None = None
        self.prepare: Callable[[Proof, object], object] = lambda _proof, _hint: None
        """Called in the worker's thread with each proof: what it gives back spares the GUI thread the work."""
        self.prepared: object = None
        self.make_job: Callable[[Job, Source, Callable[[], bool]], Job] = lambda job, _source, _cancelled: job
        """Called in the worker's thread before each proof: the job as it is to be proved."""
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(wait_ms)
        self._timer.timeout.connect(self._send)
        self._answered.connect(self._on_answered)
        self._stepped.connect(self._on_stepped)
        self._thread = threading.Thread(target=self._work, name="prover", daemon=True)
        self._thread.start()

    @property
    def busy(self) -> bool:
        """Whether an answer is still to come."""
        return self._busy

    def ask(self, job: Job, source: Callable[[], Source], *, at_once: bool = False, hint: object = None) -> None:
        """Prove this; what was asked before is no longer wanted. A burst of requests becomes one.

        ``source`` is called when the burst is over: to put a million lines together takes longer than a stroke of a key.
        """
        self._next = (job, source, hint)
        self._number += 1
        self._busy = True
        if at_once:
            self._timer.stop()
            self._send()
        else:
            self._timer.start()

    def cancel(self) -> None:
        """Let go of the running proof."""
        self._number += 1
        self._next = None
        self._timer.stop()
        self._busy = False
        with self._lock:
            self._waiting = None
        self.progressed.emit("", 0.0)

    def close(self) -> None:
        """Stop the worker; waits until it has let go."""
        self._number += 1
        self._timer.stop()
        with self._lock:
            self._closing = True
            self._lock.notify()
        self._thread.join(timeout=30.0)

    def _send(self) -> None:
        if self._next is None:
            return
        job, source, hint = self._next
        self._next = None
        made = source()
        with self._lock:
            self._waiting = Request(number=self._number, job=job, source=made, hint=hint)
            self._lock.notify()

    def _work(self) -> None:
        before: Proof | None = None
        while True:
            with self._lock:
                while self._waiting is None and not self._closing:
                    self._lock.wait()
                if self._closing:
                    return
                request = self._waiting
                self._waiting = None
            assert request is not None
            number = request.number
            # A proof makes millions of small things, none in a ring: looking for rings among them, as Python does by
            # itself, would hold the window up for a tenth of a second time and again.
            gc.disable()
            try:
                unwanted = partial(self._unwanted, number)
                proof = prove(
                    self.make_job(request.job, request.source, unwanted),
                    request.source,
                    lambda what, share, n=number: self._stepped.emit(n, what, share),
                    unwanted,
                    before,
                )
                answer: object = (proof, self.prepare(proof, request.hint))
            except Cancelled:
                continue
            except Exception:  # a fault of ours: the window must stay usable and say so
                traceback.print_exc()
                answer = None
            finally:
                gc.enable()
            before = answer[0] if isinstance(answer, tuple) else None
            if self._closing:
                return
            self._answered.emit(number, answer)

    def _unwanted(self, number: int) -> bool:
        return number != self._number or self._closing

    def _on_answered(self, number: int, answer: object) -> None:
        if number != self._number:
            return
        self._busy = False
        if isinstance(answer, tuple):
            proof, self.prepared = answer
            self.proved.emit(proof)
            self.prepared = None
        else:
            self.failed.emit("the proof stopped at a fault of Under Glass itself; the details are on the terminal")

    def _on_stepped(self, number: int, what: str, share: float) -> None:
        if number == self._number:
            self.progressed.emit(what, share)
