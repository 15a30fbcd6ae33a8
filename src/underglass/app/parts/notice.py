"""One sentence under the header, with what can be done about it beside it."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from underglass.app.parts.basic import label
from underglass.app.style.palette import Palette

Offer = tuple[str, Callable[[], object]]


class Notice(QWidget):
    """Shown until the next thing is done, or until it is put away."""

    def __init__(self, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("notice")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._palette = palette
        self._calm = False
        self._words = label(pixels=13)
        self._words.setWordWrap(True)
        self._words.setAccessibleName("Message")
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(12, 5, 8, 5)
        self._row.setSpacing(8)
        self._row.addWidget(self._words, 1)
        self.buttons: list[QPushButton] = []
        self.hide()

    @property
    def text(self) -> str:
        return self._words.text()

    def say(self, text: str, *, calm: bool = False, offers: Sequence[Offer] = ()) -> None:
        """Show a sentence; with offers each is a button, and one more puts the sentence away. Empty: nothing is shown."""
        self._calm = calm
        self._words.setText(text)
        for button in self.buttons:
            self._row.removeWidget(button)
            button.deleteLater()
        self.buttons = []
        for name, call in (*offers, ("Put away", lambda: None)) if offers else ():
            button = QPushButton(name)
            button.clicked.connect(lambda _checked=False, c=call: self._take(c))
            self._row.addWidget(button)
            self.buttons.append(button)
        self.setVisible(bool(text))
        self.set_palette(self._palette)

    def _take(self, call: Callable[[], object]) -> None:
        self.say("")
        call()

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        colour = palette.belief if self._calm else palette.fault
        self._words.setStyleSheet(f"color: {colour};")
        self.setStyleSheet(f"#notice {{ background: {palette.ground}; border-bottom: 1px solid {colour}; }}")
