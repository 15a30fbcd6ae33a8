"""What a form would do, before it is written: its text put under the cursor of a copy, proved beside the window, told and drawn."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PySide6.QtCore import QObject, QTimer, Signal

from underglass.app.background import Background, Cancel
from underglass.app.document import Document
from underglass.app.style.palette import Palette
from underglass.core.compose.operation import Way
from underglass.core.finding import Finding
from underglass.core.language.source import read_lines
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import prove
from underglass.core.reckon.form import until
from underglass.core.units import show_clock

_WAIT_MS = 350


@dataclass(frozen=True, slots=True, kw_only=True)
class Tried:
    """``proof`` of the program with the text in it; ``found`` what it finds in that text; ``seconds`` that it adds.

    ``others``: what other ways to the same shape cost.
    """

    proof: Proof
    found: tuple[Finding, ...]
    seconds: float
    others: tuple[Way, ...] = ()

    def sentence(self, palette: Palette, *, inserted: bool) -> tuple[str, str]:
        """What came of it, and its colour; ``inserted``: it stands in place of nothing."""
        gravest = max(self.found, key=lambda f: f.severity, default=None)
        if gravest is None:
            said, colour = "Tried here: clean.", palette.quiet
        else:
            said = f"Tried here: {gravest.severity.word}. {gravest.message}."
            colour = palette.severity(gravest.severity)
        return said + (f" It adds {show_clock(max(self.seconds, 0.0))}." if inserted else ""), colour


class Trying(QObject):
    """``tried`` brings a ``Tried``, or None when there is nothing to try any more."""

    tried = Signal(object)

    def __init__(self, document: Document, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._work = Background("trying a form", self)
        self._work.done.connect(self.tried.emit)
        self._work.failed.connect(lambda _why: self.tried.emit(None))
        self._wanted: tuple[Callable[[], Sequence[str]], int, int] | None = None
        self._others: Callable[[], tuple[Way, ...]] = lambda: ()
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(_WAIT_MS)
        self._soon.timeout.connect(self._go)

    def ask(
        self, blocks: Callable[[], Sequence[str]], first: int, last: int, others: Callable[[], tuple[Way, ...]]
    ) -> None:
        """Try blocks, which are made beside the window, in place of lines ``first`` up to, not including, ``last``, from 0."""
        self._wanted, self._others = (blocks, first, last), others
        self._soon.start()

    def stop(self) -> None:
        """Nothing is tried any more."""
        self._soon.stop()
        self._wanted = None
        self._work.cancel()
        self.tried.emit(None)

    def _go(self) -> None:
        job, before = self._document.job, self._document.proof
        if self._wanted is None or job is None or before is None or not self._document.proof_is_current:
            return
        make, first, last = self._wanted
        ahead, behind, name = self._document.lines[:first], self._document.lines[last:], self._document.source.name
        others = self._others

        def work(cancel: Cancel) -> Tried:
            blocks = until(cancel, make)
            source = read_lines((*ahead, *blocks, *behind), name)
            proof = prove(job, source, cancelled=cancel, before=before)
            here = tuple(f for f in proof.troubles if first < f.line <= first + len(blocks))
            return Tried(
                proof=proof, found=here, seconds=proof.timing.total - before.timing.total, others=until(cancel, others)
            )

        self._work.ask(work)
