"""What other ways to the same shape take beside the one that is filled in; one press takes another."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QGridLayout, QPushButton, QWidget

from underglass.app.parts.basic import emptied, label
from underglass.app.style.theme import number_font
from underglass.core.compose.operation import Way
from underglass.core.reckon.form import Answer
from underglass.core.units import show_clock


class OtherWays(QWidget):
    """``taken`` (key, value): the choice that was pressed."""

    taken = Signal(str, str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._rows = QGridLayout(self)
        self._rows.setContentsMargins(12, 4, 12, 0)
        self._rows.setHorizontalSpacing(8)
        self._rows.setVerticalSpacing(0)
        self._rows.setColumnStretch(0, 1)
        self.buttons: list[QPushButton] = []
        self.hide()

    def show_ways(self, mine: Answer | None, others: Sequence[Way]) -> None:
        """This way first, then the others as they are asked for; nothing where there is none to choose."""
        pressed = any(button.hasFocus() for button in self.buttons)
        emptied(self._rows)
        self.buttons = []
        self.setVisible(mine is not None and mine.minutes is not None and bool(others))
        if mine is None or mine.minutes is None or not others:
            return
        this = label("This way, by feed and rapid alone", quiet=True, pixels=12)
        this.setContentsMargins(5, 0, 0, 0)
        self._row(0, this, mine.minutes, mine.makes, quiet=False)
        for way in others:
            button = QPushButton(way.word)
            button.setProperty("way", True)
            button.setCursor(Qt.CursorShape.PointingHandCursor)
            button.setToolTip("Take this way instead")
            button.setAccessibleName(f"{way.word}, {show_clock(way.minutes * 60.0)}; take it instead")
            button.clicked.connect(lambda _on=False, w=way: self.taken.emit(w.key, w.value))
            self.buttons.append(button)
            self._row(len(self.buttons), button, way.minutes, way.makes, quiet=True)
        if pressed:
            # The keyboard stays among the ways: the one just left is the way back.
            self.buttons[0].setFocus()

    def _row(self, at: int, words: QWidget, minutes: float, makes: str, *, quiet: bool) -> None:
        figure = label(f"{makes}  {show_clock(minutes * 60.0)}" if makes else show_clock(minutes * 60.0), quiet=quiet)
        figure.setFont(number_font(12))
        self._rows.addWidget(words, at, 0)
        self._rows.addWidget(figure, at, 1, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
