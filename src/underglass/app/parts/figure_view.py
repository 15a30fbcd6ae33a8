"""A drawing to scale: strokes in the part's coordinates, X to the right and Y up, fitted into what room there is."""

from __future__ import annotations

import math
from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from underglass.app.style.palette import Palette
from underglass.app.style.theme import number_font
from underglass.core.reckon.form import Stroke

_MARGIN = 26.0
_LABEL_GAP = 6.0
_ORDER = ("stock", "help", "missing", "part", "cut", "measure", "rapid", "path")
"""What lies above what."""


def bounds(strokes: Sequence[Stroke]) -> tuple[float, float, float, float]:
    """(left, bottom, right, top) of what is drawn; a unit square where nothing is."""
    xs: list[float] = []
    ys: list[float] = []
    for stroke in strokes:
        if stroke.kind == "arc":
            cx, cy, r, a, b = stroke.at
            if stroke.style == "help" and len(strokes) > 1 and abs(b - a) < 360.0:
                continue
            turns = [math.radians(a), math.radians(b)]
            turns += [math.radians(q) for q in range(math.ceil(a / 90) * 90, math.floor(b / 90) * 90 + 1, 90)]
            xs += [cx + r * math.cos(t) for t in turns]
            ys += [cy + r * math.sin(t) for t in turns]
        else:
            xs += stroke.at[0::2]
            ys += stroke.at[1::2]
    if not xs:
        return 0.0, 0.0, 1.0, 1.0
    return min(xs), min(ys), max(xs), max(ys)


class FigureView(QWidget):
    """Shows strokes: the part solid, the tool's way blue, measures in brass, what helps dashed and quiet."""

    def __init__(self, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._palette = palette
        self._strokes: tuple[Stroke, ...] = ()
        self._outdated = False
        self.setObjectName("sunk")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setMinimumHeight(150)
        self.setAccessibleName("Drawing")

    def sizeHint(self) -> QSize:
        return QSize(300, 170)

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        self.update()

    def show_strokes(self, strokes: Sequence[Stroke]) -> None:
        self._strokes, self._outdated = tuple(strokes), False
        self.update()

    def outdate(self) -> None:
        """What is drawn is not true any more, and the next drawing is on its way: it is shown faint until then."""
        self._outdated = True
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        p = self._palette
        painter.fillRect(self.rect(), QColor(p.ground))
        if not self._strokes:
            painter.end()
            return
        painter.setOpacity(0.25 if self._outdated else 1.0)
        painter.setFont(number_font(11))
        metrics = painter.fontMetrics()
        labels = [metrics.horizontalAdvance(s.text) for s in self._strokes if s.kind == "label"]
        room = _LABEL_GAP + max(labels) - _MARGIN + 8.0 if labels else 0.0
        left, bottom, right, top = bounds(self._strokes)
        wide, high = max(right - left, 1e-9), max(top - bottom, 1e-9)
        scale = min((self.width() - room - 2 * _MARGIN) / wide, (self.height() - 2 * _MARGIN) / high)
        x0 = (self.width() - room - wide * scale) / 2.0 - left * scale
        y0 = (self.height() + high * scale) / 2.0 + bottom * scale

        def at(x: float, y: float) -> QPointF:
            return QPointF(x0 + x * scale, y0 - y * scale)

        pens = {
            "part": QPen(QColor(p.text), 1.6),
            "path": QPen(QColor(p.active), 2.0),
            "cut": QPen(QColor(p.feed), 1.0),
            "rapid": QPen(QColor(p.rapid), 1.6, Qt.PenStyle.DashLine),
            "help": QPen(QColor(p.quiet), 1.0, Qt.PenStyle.DashLine),
            "measure": QPen(QColor(p.belief), 1.2),
            "stock": QPen(Qt.PenStyle.NoPen),
            "missing": QPen(QColor(p.caution), 1.0, Qt.PenStyle.DashLine),
        }
        taken: list[QRectF] = []
        for stroke in sorted(self._strokes, key=lambda s: _ORDER.index(s.style)):
            painter.setPen(pens[stroke.style])
            painter.setBrush(Qt.BrushStyle.NoBrush)
            if stroke.kind == "arc":
                cx, cy, r, a, b = stroke.at
                box = QRectF(at(cx - r, cy + r), at(cx + r, cy - r))
                path = QPainterPath()
                path.arcMoveTo(box, a)
                path.arcTo(box, a, b - a)
                painter.drawPath(path)
                middle = at(cx + r * math.cos(math.radians((a + b) / 2)), cy + r * math.sin(math.radians((a + b) / 2)))
            elif stroke.kind == "area":
                filled = QColor(p.stock)
                filled.setAlpha(110)
                box = QRectF(at(*stroke.at[:2]), at(*stroke.at[2:4])).normalized()
                painter.fillRect(box, filled)
                middle = box.center()
            elif stroke.kind == "dot":
                middle = at(*stroke.at[:2])
                painter.setBrush(QColor(pens[stroke.style].color()))
                painter.drawEllipse(middle, 2.6, 2.6)
            elif stroke.kind == "run":
                places = [at(*place) for place in zip(stroke.at[::2], stroke.at[1::2], strict=True)]
                painter.drawPolyline(places)
                middle = places[len(places) // 2]
            else:
                a1, b1 = at(*stroke.at[:2]), at(*stroke.at[2:4])
                painter.drawLine(a1, b1)
                middle = (a1 + b1) / 2.0
            if stroke.kind == "label":
                end = at(*stroke.at[2:4])
                box = QRectF(end.x() + _LABEL_GAP, end.y() - 10.0, self.width() - end.x() - _LABEL_GAP, 20.0)
                taken.append(QRectF(box.left(), box.top(), metrics.horizontalAdvance(stroke.text), 20.0))
                painter.setPen(QColor(p.caution if stroke.style == "missing" else p.text))
                painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, stroke.text)
            elif stroke.text:
                self._write(painter, stroke, middle, taken)
        painter.end()

    def _write(self, painter: QPainter, stroke: Stroke, at: QPointF, taken: list[QRectF]) -> None:
        """A word beside its place, where no other stands and all of it is seen."""
        metrics = painter.fontMetrics()
        wide, high = metrics.horizontalAdvance(stroke.text), metrics.height()
        room = QRectF(self.rect()).adjusted(2, 2, -2, -2)
        best: QRectF | None = None
        right, left = [(6, -high - 1), (6, 2)], [(-wide - 6, -high - 1), (-wide - 6, 2)]
        # The words of an upright measure stand outside of it, where the part is not.
        outward = stroke.kind == "measure" and stroke.at[0] == stroke.at[2] and at.x() < self.width() / 2.0
        beside = [(-wide - 6, -high / 2), *left, *right] if outward else [*right, *left]
        for dx, dy in (*beside, (-wide / 2, -high - 6), (-wide / 2, 6)):
            box = QRectF(at.x() + dx, at.y() + dy, wide, high)
            if room.contains(box) and not any(box.intersects(other) for other in taken):
                best = box
                break
        if best is None:
            return
        taken.append(best)
        ground = QColor(self._palette.ground)
        ground.setAlpha(210)
        painter.fillRect(best.adjusted(-2, 0, 2, 0), ground)
        named = {"measure": self._palette.belief, "missing": self._palette.caution}
        painter.setPen(QColor(named.get(stroke.style, self._palette.text)))
        painter.drawText(best, Qt.AlignmentFlag.AlignCenter, stroke.text)
