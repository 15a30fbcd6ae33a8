"""A hand wheel as a knurled strip: dragged or turned with the mouse's wheel, each line on it a click of so much."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PySide6.QtWidgets import QWidget

from underglass.app.style.palette import Palette
from underglass.app.style.theme import words_font

_PIXELS = 9.0


class WheelStrip(QWidget):
    """``turned`` brings clicks, with sign."""

    turned = Signal(int)

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self.palette_ = palette
        self.said = ""
        self._at = 0.0
        self._held: float | None = None
        self._left = 0.0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Hand wheel")
        self.setToolTip("Drag it, or turn the mouse's wheel over it; Left and Right while it has the focus")
        self.setCursor(Qt.CursorShape.SizeHorCursor)

    def sizeHint(self) -> QSize:
        return QSize(200, 40)

    def minimumSizeHint(self) -> QSize:
        return QSize(120, 40)

    def say(self, text: str) -> None:
        """What a click is now."""
        if text != self.said:
            self.said = text
            self.update()

    def turn(self, clicks: int) -> None:
        """So many clicks on."""
        self._at += clicks * _PIXELS
        self.update()
        self.turned.emit(clicks)

    def paintEvent(self, event: QPaintEvent) -> None:
        p = self.palette_
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        strip = QRectF(self.rect()).adjusted(1, 1, -1, -17)
        painter.setPen(QPen(QColor(p.active if self.hasFocus() else p.rule), 2 if self.hasFocus() else 1))
        painter.setBrush(QColor(p.ground))
        painter.drawRoundedRect(strip, 3, 3)
        painter.setClipRect(strip.adjusted(2, 2, -2, -2))
        count = int(strip.width() / _PIXELS) + 2
        first = int((self._at - strip.width() / 2) // _PIXELS)
        for k in range(first, first + count + 1):
            x = strip.center().x() + self._at - k * _PIXELS
            long = k % 10 == 0
            painter.setPen(QPen(QColor(p.text if long else p.quiet), 2 if long else 1))
            inset = 3 if long else 6
            painter.drawLine(QPointF(x, strip.top() + inset), QPointF(x, strip.bottom() - inset))
        painter.setClipping(False)
        painter.setPen(QPen(QColor(p.active), 2))
        middle = strip.center().x()
        painter.drawLine(QPointF(middle, strip.top()), QPointF(middle, strip.bottom()))
        painter.setPen(QColor(p.quiet))
        painter.setFont(words_font(12))
        painter.drawText(QRectF(0, self.height() - 16, self.width(), 16), Qt.AlignmentFlag.AlignCenter, self.said)
        painter.end()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._held, self._left = event.position().x(), 0.0

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held is None:
            return
        self._left += event.position().x() - self._held
        self._held = event.position().x()
        clicks = int(self._left / _PIXELS)
        if clicks:
            self._left -= clicks * _PIXELS
            self.turn(clicks)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._held = None

    def wheelEvent(self, event: QWheelEvent) -> None:
        self._left += event.angleDelta().y() / 120.0
        clicks = int(self._left)
        self._left -= clicks
        if clicks:
            self.turn(clicks)
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        way = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        if way is None:
            super().keyPressEvent(event)
        else:
            self.turn(way)
