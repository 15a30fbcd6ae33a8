"""The tabs over the pages of Setup."""

from __future__ import annotations

from collections.abc import Iterable

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QPushButton, QWidget


class PageTabs(QWidget):
    """One button a page, given as (name, word); ``chosen`` brings the name of the one that is clicked."""

    chosen = Signal(str)

    def __init__(self, pages: Iterable[tuple[str, str]]) -> None:
        super().__init__()
        self.setObjectName("panelHead")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(36)
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 0, 10, 0)
        row.setSpacing(1)
        self.buttons: dict[str, QPushButton] = {}
        group = QButtonGroup(self)
        for name, word in pages:
            button = QPushButton(word)
            button.setCheckable(True)
            button.setProperty("page", True)
            button.setProperty("tab", True)
            button.clicked.connect(lambda _c=False, n=name: self.chosen.emit(n))
            group.addButton(button)
            self.buttons[name] = button
            row.addWidget(button)
        row.addStretch(1)
