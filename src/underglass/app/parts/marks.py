"""The shapes of severity: crash a filled diamond, fault a filled square, caution a hollow triangle, note a small ring."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QIcon, QPainter, QPen, QPixmap, QPolygonF

from underglass.app.style.palette import Palette
from underglass.core.finding import Severity


def mark_icon(severity: Severity, palette: Palette) -> QIcon:
    """The mark for a button."""
    out = QIcon()
    for ratio in (1, 2):
        picture = QPixmap(16 * ratio, 16 * ratio)
        picture.fill(Qt.GlobalColor.transparent)
        picture.setDevicePixelRatio(ratio)
        painter = QPainter(picture)
        draw_mark(painter, severity, QPointF(8, 8), 5.5, palette)
        painter.end()
        out.addPixmap(picture)
    return out


def draw_mark(painter: QPainter, severity: Severity, at: QPointF, size: float, palette: Palette) -> None:
    """The mark of a severity, ``size`` pixels from its middle to its edge."""
    colour = QColor(palette.severity(severity))
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    if severity == Severity.CRASH:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        s = size * 1.15
        painter.drawPolygon(
            QPolygonF([at + QPointF(0, -s), at + QPointF(s, 0), at + QPointF(0, s), at + QPointF(-s, 0)])
        )
    elif severity == Severity.FAULT:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        s = size * 0.85
        painter.drawRect(QRectF(at.x() - s, at.y() - s, 2 * s, 2 * s))
    elif severity == Severity.CAUTION:
        painter.setPen(QPen(colour, 1.8))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        s = size
        painter.drawPolygon(QPolygonF([at + QPointF(0, -s), at + QPointF(s, s * 0.8), at + QPointF(-s, s * 0.8)]))
    else:
        painter.setPen(QPen(colour, 1.8))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(at, size * 0.7, size * 0.7)
    painter.restore()
