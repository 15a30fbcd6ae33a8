"""What the pictures of a trade's Setup have in common: whose document they show, which page they are about."""

from __future__ import annotations

from PySide6.QtCore import QSize
from PySide6.QtWidgets import QWidget

from underglass.app.document import Document
from underglass.app.style.palette import Palette


class PlanView(QWidget):
    """``mode``: what the page is about (bench, stock, tool, touch …); ``number``: which tool."""

    high = 320

    def __init__(self, document: Document, palette: Palette, name: str) -> None:
        super().__init__()
        self.document = document
        self.palette_ = palette
        self.mode = "bench"
        self.number = 0
        self.setMinimumHeight(170)
        self.setAccessibleName(name)

    def sizeHint(self) -> QSize:
        return QSize(520, self.high)

    def set_palette(self, palette: Palette) -> None:
        self.palette_ = palette
        self.update()

    def show_page(self, mode: str, number: int = 0) -> None:
        self.mode, self.number = mode, number
        self.update()
