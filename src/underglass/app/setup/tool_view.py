"""A tool seen from the side, to scale: cutter, shank, holder and spindle nose, with its figures."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from underglass.app.style.palette import Palette
from underglass.app.style.theme import number_font, words_font
from underglass.core.bench.tool import Tool
from underglass.core.units import Unit, show_length

_NOSE_SHOWN = 22.0
_STEPS = 40


class ToolView(QWidget):
    """Lies on its side: the tip at the right, the gauge line at the left."""

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self.palette_ = palette
        self.tool: Tool | None = None
        self.believed: float | None = None
        self.nose = 80.0
        self.unit: Unit = "mm"
        self.setMinimumHeight(170)
        self.setAccessibleName("Side view of the tool")

    def sizeHint(self) -> QSize:
        return QSize(520, 210)

    def set_palette(self, palette: Palette) -> None:
        self.palette_ = palette
        self.update()

    def show_tool(self, tool: Tool | None, nose: float, unit: Unit, believed: float | None = None) -> None:
        """``believed``: the length that the control's register holds, mm, where it is known."""
        self.tool, self.nose, self.unit, self.believed = tool, nose, unit, believed
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        p = self.palette_
        painter.fillRect(self.rect(), QColor(p.ground))
        tool = self.tool
        if tool is None:
            painter.setPen(QColor(p.quiet))
            painter.setFont(words_font(13))
            painter.drawText(QRectF(self.rect()), Qt.AlignmentFlag.AlignCenter, "No tool is chosen")
            painter.end()
            return
        solids = tool.solids(self.nose)
        longest = max(tool.length, self.believed or 0.0) + _NOSE_SHOWN
        widest = max(max(c.radius for c in solids if c.part != "spindle") * 2.0, min(self.nose, tool.length), 10.0)
        scale = min((self.width() - 56.0) / longest, (self.height() - 84.0) / widest)
        middle = self.height() / 2.0
        left = (self.width() - longest * scale) / 2.0 + _NOSE_SHOWN * scale

        def x(above_tip: float) -> float:
            return left + (tool.length - above_tip) * scale

        fills = {"cutter": p.cutter, "shank": p.rule, "holder": p.holder, "spindle": p.fixture}
        for c in reversed(solids):
            painter.setPen(QPen(QColor(p.text), 1.2))
            painter.setBrush(QColor(fills[c.part]))
            radius = min(c.radius, (self.height() - 40.0) / 2.0 / scale)
            if c.part == "cutter":
                painter.drawPolygon(self._cutter(tool, x, middle, scale, c.top))
                continue
            top = min(c.top, tool.length + _NOSE_SHOWN)
            painter.drawRect(QRectF(x(top), middle - radius * scale, x(c.bottom) - x(top), 2.0 * radius * scale))
        painter.setPen(QPen(QColor(p.quiet), 1.0, Qt.PenStyle.DashDotLine))
        painter.drawLine(QPointF(x(tool.length + _NOSE_SHOWN), middle), QPointF(x(0.0) + 14.0, middle))
        low = middle + min(widest * scale / 2.0, self.height() / 2.0 - 46.0) + 12.0
        self._length(painter, x(tool.length), x(0.0), low, show_length(tool.length, self.unit), "length", p.text)
        if self.believed is not None and abs(self.believed - tool.length) > 5e-4:
            at = x(tool.length - self.believed)
            pen = QPen(QColor(p.belief), 1.6, Qt.PenStyle.DashLine)
            painter.setPen(pen)
            painter.drawLine(QPointF(at, middle - 30.0), QPointF(at, low + 4.0))
            painter.setFont(words_font(11))
            painter.drawText(QPointF(min(at + 4.0, self.width() - 120.0), middle - 32.0), "tip, the control thinks")
        high = middle - min(widest * scale / 2.0, self.height() / 2.0 - 46.0) - 12.0
        self._length(painter, x(tool.stickout), x(0.0), high, show_length(tool.stickout, self.unit), "stickout", p.text)
        painter.setPen(QPen(QColor(p.belief), 1.2))
        painter.drawLine(QPointF(x(tool.length), middle - 40.0), QPointF(x(tool.length), low + 4.0))
        painter.end()

    def _cutter(self, tool: Tool, x, middle: float, scale: float, top: float) -> QPolygonF:  # type: ignore[no-untyped-def]
        profile = tool.profile
        rim = [(0.0, 0.0)]
        for k in range(_STEPS + 1):
            rho = profile.radius * k / _STEPS
            rim.append((rho, min(profile.height(rho), top)))
        if not math.isclose(rim[-1][1], top):
            rim.append((profile.radius, top))
        upper = [QPointF(x(h), middle - rho * scale) for rho, h in rim]
        lower = [QPointF(x(h), middle + rho * scale) for rho, h in reversed(rim)]
        return QPolygonF(upper + lower)

    def _length(self, painter: QPainter, a: float, b: float, y: float, figure: str, word: str, colour: str) -> None:
        p = self.palette_
        painter.setPen(QPen(QColor(p.belief), 1.2))
        painter.drawLine(QPointF(a, y), QPointF(b, y))
        for end in (a, b):
            painter.drawLine(QPointF(end, y - 4), QPointF(end, y + 4))
        painter.setFont(words_font(11))
        words = painter.fontMetrics().horizontalAdvance(word) + 6
        painter.setFont(number_font(12))
        wide = painter.fontMetrics().horizontalAdvance(figure) + words + 8
        box = QRectF((a + b) / 2 - wide / 2, y - 9, wide, 18)
        if wide > abs(b - a) - 16.0:
            box.moveRight(min(a, b) - 6.0)  # a short one has no room between its ends
        painter.fillRect(box, QColor(p.ground))
        painter.setPen(QColor(colour))
        painter.drawText(box.adjusted(words + 2, 0, 0, 0), Qt.AlignmentFlag.AlignCenter, figure)
        painter.setFont(words_font(11))
        painter.setPen(QColor(p.quiet))
        painter.drawText(box.adjusted(4, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, word)
