"""What is being made for Hand over: its progress, the button that stops it, and what came of it."""

from __future__ import annotations

import html
from collections.abc import Callable, Mapping

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import QProgressBar, QPushButton, QVBoxLayout, QWidget

from underglass.app.background import Background, Cancel
from underglass.app.parts.basic import label, rich
from underglass.app.style.palette import Palette
from underglass.core.files.report_html import Photographs, in_order
from underglass.core.finding import Finding
from underglass.core.proof.proof import Proof

_PICTURED = 12
"""Findings that the glass is asked to picture; the others have the drawn pictures of their place."""
Pictures = Mapping[tuple[str, int, float], bytes | None]


def key_of(finding: Finding) -> tuple[str, int, float]:
    """What the pictures of findings are kept under."""
    return finding.code, finding.line, finding.time_s


class Making(QWidget):
    """One thing at a time, made beside the window but for pictures of the glass, which are taken one by one.

    ``proof``: what is shown now. ``leave``: stops what goes on elsewhere. ``done``: whether what was asked for is written.
    """

    line_chosen = Signal(int)
    done = Signal(bool)

    def __init__(
        self, proof: Callable[[], Proof | None], leave: Callable[[], None], palette: Palette, parent: QWidget | None = None
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self.setObjectName("sunk")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._proof, self._leave, self._palette = proof, leave, palette
        self._work = Background("sheets", self)
        self._work.done.connect(self._on_made)
        self._work.failed.connect(self.fail)
        self._then: Callable[[], None] | None = None
        self.going = 0
        """Which thing is being made: what is left for another one, or stopped, goes no further."""
        self.busy = False
        self.bar = QProgressBar()
        self.bar.setAccessibleName("How far it is")
        self.bar.setTextVisible(False)
        self.bar.setFixedHeight(6)
        self.bar.hide()
        self.stop = QPushButton("Stop")
        self.stop.clicked.connect(lambda _c=False: self.cancel())
        self.stop.hide()
        self.said = rich()
        self.said.setAccessibleName("What came of it")
        self.said.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.said.linkActivated.connect(lambda link: self.line_chosen.emit(int(link)))
        told = QVBoxLayout(self)
        told.setContentsMargins(20, 16, 20, 16)
        told.setSpacing(10)
        told.addWidget(label("What came of it", bold=True))
        told.addWidget(self.bar)
        told.addWidget(self.stop, 0, Qt.AlignmentFlag.AlignLeft)
        told.addWidget(self.said, 1)

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette

    def do(self, make: Callable[[Proof], str], then: Callable[[], None] | None = None) -> None:
        """Do it beside the window with the proof that is shown, and say what came of it; or go on to ``then``."""
        proof = self._begin()
        if proof is not None:
            self._ask_for(lambda: make(proof), then)

    def pictured(self, make: Callable[[Proof, Pictures], str], photographs: Callable[[], Photographs], then: Callable[[], None] | None = None) -> None:  # fmt: skip
        """The same with the glass's own pictures of the gravest findings: taken one at a time, between which the window answers."""
        proof = self._begin()
        if proof is None:
            return
        take, going = photographs(), self.going
        wanted = in_order(proof)[:_PICTURED]
        pictures: dict[tuple[str, int, float], bytes | None] = {}
        self.bar.setRange(0, max(len(wanted), 1))

        def next_one() -> None:
            if going != self.going:
                return
            done = len(pictures)
            self.bar.setValue(done)
            if done == len(wanted):
                self.bar.setRange(0, 0)
                self._ask_for(lambda: make(proof, pictures), then)
                return
            pictures[key_of(wanted[done])] = take(wanted[done])
            QTimer.singleShot(0, next_one)

        QTimer.singleShot(0, next_one)

    def cancel(self) -> None:
        """Leave it. What is written already stays."""
        self.going += 1
        self._work.cancel()
        self._leave()
        self.end("Stopped.", good=False)

    def fail(self, why: str) -> None:
        """It ended with a trouble, told in the colour of one."""
        self.end(f'<span style="color:{self._palette.fault}">{html.escape(why)}</span>', good=False)

    def end(self, words: str, *, good: bool = True) -> None:
        """It ended."""
        self.busy = False
        self.bar.hide()
        self.stop.hide()
        self.tell(words)
        self.done.emit(good)

    def tell(self, words: str) -> None:
        self.said.setText(words)

    def _begin(self) -> Proof | None:
        proof = self._proof()
        if proof is None:
            self.tell("There is no proof yet to make it of.")
            self.done.emit(False)
            return None
        if self.busy:
            self.cancel()
        self.going += 1
        self.busy = True
        self.bar.setRange(0, 0)
        self.bar.show()
        self.stop.show()
        return proof

    def _ask_for(self, make: Callable[[], str], then: Callable[[], None] | None) -> None:
        def work(_cancelled: Cancel) -> str:
            try:
                return make()
            except OSError as error:
                raise ValueError((error.strerror or str(error)).lower()) from None

        self._then = then
        self._work.ask(work)

    def _on_made(self, said: object) -> None:
        if self._then is not None:
            self.tell(str(said))
            then, self._then = self._then, None
            then()
        else:
            self.end(str(said))
