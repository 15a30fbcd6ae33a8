"""A page beside the glass: words and tables, worked out only while they are seen."""

from __future__ import annotations

import html

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QScrollArea, QVBoxLayout, QWidget

from underglass.app.document import Document
from underglass.app.parts.basic import rich
from underglass.app.style.palette import Palette
from underglass.app.style.theme import NUMBERS


class ProvePage(QScrollArea):
    """``refresh`` is called soon after something changed, and when the page comes to be seen."""

    def __init__(self, document: Document, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.document, self.palette_ = document, palette
        self.setFrameShape(QScrollArea.Shape.NoFrame)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        inner = QWidget()
        inner.setObjectName("panel")
        inner.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.box = QVBoxLayout(inner)
        self.box.setContentsMargins(12, 10, 12, 10)
        self.box.setSpacing(8)
        self.setWidget(inner)
        self.said = rich(13)
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(0)
        self._soon.timeout.connect(self._refresh)
        for signal in (document.proof_changed, document.units_changed):
            signal.connect(self.later)

    def later(self, *_what: object) -> None:
        """Something changed."""
        if self.isVisible():
            self._soon.start()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._soon.start()

    def _refresh(self) -> None:
        if self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        """Show what is known now."""

    def set_palette(self, palette: Palette) -> None:
        self.palette_ = palette
        self.later()

    # -- words -------------------------------------------------------------------------------------------------------

    def table(self, rows: list[tuple[str, ...]], widths: tuple[str, ...] = ()) -> str:
        """Rows of cells: the first of each in words, the others as figures, right-aligned. Cells are HTML."""
        out = ['<table width="100%" cellspacing="0" cellpadding="1">']
        for row in rows:
            cells = [f'<td style="color:{self.palette_.quiet}">{row[0]}</td>']
            cells += [
                f'<td align="right" style="font-family:{NUMBERS}; padding-left:7px">{cell}</td>' for cell in row[1:]
            ]
            out.append("<tr>" + "".join(cells) + "</tr>")
        return "".join(out) + "</table>"

    def head(self, words: str) -> str:
        return f'<p style="margin:8px 0 2px 0"><b>{html.escape(words)}</b></p>'

    def quiet(self, words: str) -> str:
        return f'<span style="color:{self.palette_.quiet}">{words}</span>'
