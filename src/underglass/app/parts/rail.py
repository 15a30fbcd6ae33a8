"""The rail on the left: the places of the window, by icon and word, with a count where something needs attention."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton, QButtonGroup, QVBoxLayout, QWidget

from underglass.app.style.icons import pixmap
from underglass.app.style.palette import Palette
from underglass.app.style.theme import words_font

PLACES = (
    ("write", "Write", "pencil-simple"),
    ("setup", "Setup", "scales"),
    ("prove", "Prove", "bell"),
    ("machine", "Machine", "crosshair-simple"),
    ("hand-over", "Hand over", "export"),
)
"""Name, word and icon of each place there is."""


class PlaceButton(QAbstractButton):
    """One place."""

    def __init__(self, word: str, icon_name: str, palette: Palette) -> None:
        super().__init__()
        self.setText(word)
        self.setCheckable(True)
        self.setToolTip(word)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self._icon = icon_name
        self.palette_ = palette
        self.count = 0
        self.count_colour = palette.fault

    def sizeHint(self) -> QSize:
        return QSize(64, 72)

    def paintEvent(self, event: QPaintEvent) -> None:
        p = self.palette_
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        colour = "#FFFFFF" if self.isChecked() else p.rail_text
        if self.isChecked() or self.underMouse():
            painter.fillRect(self.rect(), QColor(p.rail_active))
        if self.isChecked():
            painter.fillRect(QRectF(0, 0, 4, self.height()), QColor("#7FA0FF"))
        picture = pixmap(self._icon, colour, 22, self.devicePixelRatioF())
        painter.drawPixmap(QPointF((self.width() - 22) / 2, 10), picture)
        painter.setPen(QColor(colour))
        painter.setFont(words_font(12))
        # Two words stand one under the other: the rail is narrow.
        words = self.text().split(" ")
        for k, word in enumerate(words):
            painter.drawText(QRectF(0, 34 + 14 * k, self.width(), 18), Qt.AlignmentFlag.AlignCenter, word)
        if self.count:
            badge = QRectF(self.width() / 2 - 10, 40 + 14 * len(words), 20, 13)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(self.count_colour))
            painter.drawRoundedRect(badge, 2, 2)
            painter.setPen(QColor("#FFFFFF" if p.name == "day" else p.on_active))
            painter.setFont(words_font(10, bold=True))
            painter.drawText(badge, Qt.AlignmentFlag.AlignCenter, str(min(self.count, 99)))
        if self.hasFocus():
            painter.setPen(QPen(QColor("#7FA0FF"), 1.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(self.rect()).adjusted(2, 2, -2, -2))
        painter.end()


class _Bell(QWidget):
    """The sign of the house: a cloche on its plate."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(64, 56)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor("#F8F6F1"), 2.2))
        shape = QPainterPath(QPointF(16, 44))
        shape.lineTo(16, 28)
        shape.arcTo(QRectF(16, 12, 32, 32), 180, -180)
        shape.lineTo(48, 44)
        painter.drawPath(shape)
        painter.setPen(QPen(QColor("#F8F6F1"), 3.6))
        painter.drawLine(QPointF(13, 45), QPointF(51, 45))
        painter.end()


class Rail(QWidget):
    """The places; ``chosen`` brings a place's name."""

    chosen = Signal(str)

    def __init__(self, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("rail")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(64)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(2)
        box.addWidget(_Bell())
        self.buttons: dict[str, PlaceButton] = {}
        group = QButtonGroup(self)
        for name, word, icon_name in PLACES:
            button = PlaceButton(word, icon_name, palette)
            button.clicked.connect(lambda _checked=False, n=name: self.chosen.emit(n))
            group.addButton(button)
            self.buttons[name] = button
            box.addWidget(button)
        box.addStretch(1)

    def set_palette(self, palette: Palette) -> None:
        for button in self.buttons.values():
            button.palette_ = palette
            button.update()

    def choose(self, name: str) -> None:
        self.buttons[name].setChecked(True)

    def set_count(self, name: str, count: int, colour: str) -> None:
        button = self.buttons[name]
        button.count, button.count_colour = count, colour
        button.update()
