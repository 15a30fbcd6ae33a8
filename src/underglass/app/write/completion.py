"""The list under the word being written: what may stand there, with what it does. Tab takes one, typing goes on past it."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from underglass.app.style.palette import Palette
from underglass.app.style.theme import number_font, words_font
from underglass.core.proof.complete import Suggestion

_ROW = 22
_MOST = 8


class CompletionList(QWidget):
    """Painted beside the caret; the editor keeps the keys and moves the choice."""

    def __init__(self, palette: Palette, parent: QWidget) -> None:
        super().__init__(parent)
        self.colours = palette
        self.offered: list[Suggestion] = []
        self.chosen = 0
        self.setAccessibleName("Suggestions")
        self.hide()

    def offer(self, offered: list[Suggestion]) -> None:
        """Show these; none: nothing is shown."""
        self.offered, self.chosen = offered, 0
        self.setVisible(bool(offered))
        self.resize(self.sizeHint())
        self.update()

    @property
    def choice(self) -> Suggestion | None:
        return self.offered[self.chosen] if self.offered and self.isVisible() else None

    def move_choice(self, way: int) -> None:
        self.chosen = (self.chosen + way) % len(self.offered)
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(390, _ROW * min(len(self.offered), _MOST) + 24)

    def paintEvent(self, event: QPaintEvent) -> None:
        p = self.colours
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(p.panel))
        painter.setPen(QColor(p.active))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        first = max(0, min(self.chosen - _MOST // 2, len(self.offered) - _MOST))
        for k, suggestion in enumerate(self.offered[first : first + _MOST]):
            top = 1.0 + k * _ROW
            if first + k == self.chosen:
                painter.fillRect(QRectF(1, top, self.width() - 2, _ROW), QColor(p.active_wash))
            painter.setFont(number_font(13, bold=True))
            painter.setPen(QColor(p.text))
            painter.drawText(QRectF(10, top, 84, _ROW), Qt.AlignmentFlag.AlignVCenter, suggestion.text)
            painter.setFont(words_font(12))
            painter.setPen(QColor(p.quiet))
            said = suggestion.said + (", in force" if suggestion.now else "")
            room = QRectF(86, top, self.width() - 96, _ROW)
            painter.drawText(
                room, Qt.AlignmentFlag.AlignVCenter,
                painter.fontMetrics().elidedText(said, Qt.TextElideMode.ElideRight, int(room.width())),
            )  # fmt: skip
        painter.setFont(words_font(11))
        painter.setPen(QColor(p.quiet))
        more = f"{self.chosen + 1} of {len(self.offered)}    Tab takes it, Esc closes"
        painter.drawText(QRectF(10, self.height() - 22, self.width() - 20, 20), Qt.AlignmentFlag.AlignVCenter, more)
        painter.end()
