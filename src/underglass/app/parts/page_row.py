"""The row of words over a side panel: one of its pages is seen."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QPushButton, QWidget

from underglass.app.style.theme import share_of


class PageRow(QWidget):
    """``pages`` are (name, word, tip) each; ``narrow`` shares the width out by the length of the words."""

    chosen = Signal(str)

    def __init__(self, pages: Sequence[tuple[str, str, str]], *, narrow: bool = False) -> None:
        super().__init__()
        self.setObjectName("panelHead")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(self)
        row.setContentsMargins(6 if narrow else 8, 3, 6 if narrow else 8, 3)
        row.setSpacing(2 if narrow else 4)
        self.buttons: dict[str, QPushButton] = {}
        group = QButtonGroup(self)
        for name, word, tip in pages:
            button = QPushButton(word)
            button.setCheckable(True)
            button.setToolTip(tip)
            button.setProperty("page", True)
            if narrow:
                button.setProperty("side", True)
            button.clicked.connect(lambda _c=False, n=name: self.chosen.emit(n))
            group.addButton(button)
            row.addWidget(button, share_of(word) if narrow else 0)
            self.buttons[name] = button
        if not narrow:
            row.addStretch(1)

    def leave_out(self, names: Sequence[str]) -> bool:
        """Pages that are not offered now. True where one of them is seen."""
        for name, button in self.buttons.items():
            button.setVisible(name not in names)
        return self.page in names

    @property
    def page(self) -> str:
        """The name of the page that is seen."""
        return next(name for name, button in self.buttons.items() if button.isChecked())
