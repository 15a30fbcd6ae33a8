"""The compensation lens's picture, in plan: programmed path, the control's path, the real edge, what is left and bitten."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely
from numpy.typing import NDArray
from PySide6.QtCore import QPoint, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPolygonF,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from underglass.app.style.palette import Palette
from underglass.app.style.theme import number_font, words_font
from underglass.core.proof.lens import Leg, Lens
from underglass.core.units import Unit, show_length

_KEY = (
    ("programmed", "programmed path"),
    ("centre", "the control's path of the centre"),
    ("edge", "the real cutter's edge"),
    ("ahead", "what the control looks ahead"),
    ("left", "left standing"),
    ("bitten", "bitten into the part"),
)

_TOP, _FOOT = 36.0, 32.0 + 18.0 * len(_KEY)
"""Pixels above and below the picture; the key stands in the lower ones."""


class LensView(QWidget):
    """``line_picked`` brings the line of what was clicked. Wheel: nearer; drag: along; double click: all of it."""

    line_picked = Signal(int)

    def __init__(self, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.palette_ = palette
        self.lens: Lens | None = None
        self.unit: Unit = "mm"
        self.line = 0
        self.tip: tuple[float, float] | None = None
        """Where the cutter's centre is at this moment, in the lens's coordinates; None off the picture."""
        self.empty = ""
        self._scale, self._middle = 1.0, np.zeros(2)
        self._drag: QPoint | None = None
        self._press: QPoint | None = None
        self.setMinimumSize(260, 200)
        self.setMouseTracking(True)
        self.setAccessibleName("Compensation lens: the path in plan")

    def set_palette(self, palette: Palette) -> None:
        self.palette_ = palette
        self.update()

    def show_lens(
        self, lens: Lens | None, line: int, unit: Unit, tip: tuple[float, float] | None, empty: str = ""
    ) -> None:
        """What to draw; another stretch is shown whole, another radius leaves the view as it is."""
        other = lens is not None and (self.lens is None or self.lens.lines != lens.lines)
        self.lens, self.line, self.unit, self.tip, self.empty = lens, line, unit, tip, empty
        if other:
            self.fit()
        self.update()

    def fit(self) -> None:
        """Show all of it."""
        if self.lens is None:
            return
        x0, y0, x1, y1 = self.lens.bounds
        self._middle = np.array([(x0 + x1) / 2, (y0 + y1) / 2])
        self._scale = min((self.width() - 60) / max(x1 - x0, 1e-6), (self.height() - _TOP - _FOOT) / max(y1 - y0, 1e-6))
        self.update()

    def look_at(self, place: tuple[float, float], pixels: float) -> None:
        """A place in the middle, so many pixels a millimetre."""
        self._middle, self._scale = np.array(place), pixels
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.fit()

    # -- places ------------------------------------------------------------------------------------------------------

    def at(self, place: NDArray[np.float64] | tuple[float, float]) -> QPointF:
        """A place of the plane as a point of the picture."""
        x, y = (np.asarray(place, dtype=np.float64) - self._middle) * self._scale
        return QPointF(self.width() / 2 + x, self._level() - y)

    def _level(self) -> float:
        """Where the middle lies: what is drawn stands clear of the key below it."""
        return (self.height() + _TOP - _FOOT) / 2

    def place(self, at: QPointF) -> NDArray[np.float64]:
        return self._middle + np.array([at.x() - self.width() / 2, self._level() - at.y()]) / self._scale

    def _polyline(self, points: NDArray[np.float64]) -> QPolygonF:
        return QPolygonF([self.at(p) for p in points])

    # -- drawing -----------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        p = self.palette_
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(p.glass_top))
        painter.setFont(words_font(13))
        lens = self.lens
        if lens is None:
            painter.setPen(QColor(p.quiet))
            painter.drawText(
                self.rect().adjusted(40, 40, -40, -40), int(Qt.AlignmentFlag.AlignCenter) | 0x1000, self.empty
            )
            painter.end()
            return
        swept = self._region(lens.swept)
        wash = QColor(p.feed)
        wash.setAlphaF(0.10)
        painter.fillPath(swept, wash)
        painter.setPen(QPen(QColor(p.feed), 2.0))
        painter.drawPath(swept)
        for patch in lens.patches:
            colour = QColor(p.fault if patch.what == "bitten" else p.caution)
            fill = QColor(colour)
            fill.setAlphaF(0.45)
            painter.setBrush(fill)
            style = Qt.PenStyle.SolidLine if patch.what == "bitten" else Qt.PenStyle.DashLine
            painter.setPen(QPen(colour, 1.4, style))
            painter.drawPath(self._path(patch.rings))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        self._ahead(painter, lens)
        for leg in lens.programmed:
            chosen = leg.line == self.line
            wide = 3.2 if chosen else 1.6
            style = Qt.PenStyle.SolidLine if leg.role in ("contour", "overrun") else Qt.PenStyle.DashLine
            painter.setPen(QPen(QColor(p.active if chosen else p.text), wide, style))
            painter.drawPolyline(self._polyline(leg.points))
        pen = QPen(QColor(p.belief), 2.4, Qt.PenStyle.CustomDashLine, Qt.PenCapStyle.RoundCap)
        pen.setDashPattern([0.1, 2.2])
        painter.setPen(pen)
        for leg in lens.centre:
            painter.drawPolyline(self._polyline(leg.points))
        self._ends(painter, lens)
        self._cutter(painter, lens)
        self._sizes(painter, lens)
        self._key(painter)
        painter.end()

    def _ahead(self, painter: QPainter, lens: Lens) -> None:
        """What the control already knows while it makes the chosen element: a broad wash along the elements ahead."""
        at = next((k for k, leg in enumerate(lens.programmed) if leg.line == self.line), None)
        if at is None:
            return
        colour = QColor(self.palette_.active)
        colour.setAlphaF(0.16)
        painter.setPen(QPen(colour, 11.0, Qt.PenStyle.SolidLine, Qt.PenCapStyle.FlatCap))
        for leg in lens.programmed[at + 1 : at + 1 + lens.lookahead]:
            painter.drawPolyline(self._polyline(leg.points))

    def _region(self, region: object) -> QPainterPath:
        pieces = [piece for piece in shapely.get_parts(region) if piece.geom_type == "Polygon"]
        rings = [shapely.get_coordinates(ring) for piece in pieces for ring in (piece.exterior, *piece.interiors)]
        return self._path(rings)

    def _path(self, rings: Sequence[NDArray[np.float64]]) -> QPainterPath:
        path = QPainterPath()
        path.setFillRule(Qt.FillRule.OddEvenFill)
        for ring in rings:
            path.addPolygon(self._polyline(ring))
            path.closeSubpath()
        return path

    def _ends(self, painter: QPainter, lens: Lens) -> None:
        """Names of the ways in and out, and marks at the corners."""
        p = self.palette_
        painter.setFont(words_font(12))
        named: set[str] = set()
        boxes: list[QRectF] = []
        for leg in lens.programmed[:1] + tuple(leg for leg in lens.centre if leg.role in ("exit", "lead out")):
            word = {"entry": "in", "lead in": "in", "exit": "out", "lead out": "out"}.get(leg.role)
            if word is not None and word not in named:
                named.add(word)
                middle = self.at((leg.points[0] + leg.points[-1]) / 2)
                boxes.append(self._word(painter, middle, f"{word}, line {leg.line}", p.quiet, boxes))
        for corner in lens.corners:
            at = self.at(corner.at)
            painter.setPen(QPen(QColor(p.text), 1.2))
            painter.setBrush(QColor(p.panel))
            if corner.kind == "inside":
                painter.drawRect(QRectF(at.x() - 3, at.y() - 3, 6, 6))
            else:
                painter.drawEllipse(at, 3.0, 3.0)

    def _word(self, painter: QPainter, at: QPointF, text: str, colour: str, clear_of: Sequence[QRectF] = ()) -> QRectF:
        """A word beside a place, lower where another one stands there already; where it stands."""
        wide = painter.fontMetrics().horizontalAdvance(text) + 10
        box = QRectF(at.x() + 8, at.y() - 9, wide, 18)
        for other in clear_of:
            if box.intersects(other):
                box.moveTop(other.bottom() + 2.0)
        painter.fillRect(box, QColor(self.palette_.panel))
        painter.setPen(QColor(colour))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
        return box

    def _cutter(self, painter: QPainter, lens: Lens) -> None:
        """The cutter at this moment: as it is, and (broken) as the control believes it."""
        if self.tip is None:
            return
        p, at = self.palette_, self.at(self.tip)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for radius, colour, style in (
            (lens.real, p.text, Qt.PenStyle.SolidLine),
            (lens.told, p.belief, Qt.PenStyle.DashLine),
        ):
            painter.setPen(QPen(QColor(colour), 1.5, style))
            painter.drawEllipse(at, radius * self._scale, radius * self._scale)
        painter.drawLine(at + QPointF(-5, 0), at + QPointF(5, 0))
        painter.drawLine(at + QPointF(0, -5), at + QPointF(0, 5))

    def _sizes(self, painter: QPainter, lens: Lens) -> None:
        """The largest places with their sizes, as long as they do not lie on each other."""
        painter.setFont(number_font(12, bold=True))
        taken: list[QPointF] = []
        for patch in lens.patches[:10]:
            at = self.at(patch.at)
            if any((at - other).manhattanLength() < 46 for other in taken):
                continue
            taken.append(at)
            colour = self.palette_.fault if patch.what == "bitten" else self.palette_.caution
            self._word(painter, at, show_length(patch.size, self.unit), colour)

    def _key(self, painter: QPainter) -> None:
        """What each kind of line is."""
        p = self.palette_
        painter.setFont(words_font(12))
        x, y = 16.0, self.height() - 16.0 - 18 * len(_KEY)
        colours = {
            "programmed": p.text, "centre": p.belief, "edge": p.feed, "ahead": p.active, "left": p.caution,
            "bitten": p.fault,
        }  # fmt: skip
        for kind, words in _KEY:
            colour = colours[kind]
            pen = QPen(QColor(colour), 2.0)
            if kind == "centre":
                pen = QPen(QColor(colour), 2.4, Qt.PenStyle.CustomDashLine, Qt.PenCapStyle.RoundCap)
                pen.setDashPattern([0.1, 2.2])
            fill = QColor(colour)
            fill.setAlphaF(0.45)
            if kind == "ahead":
                fill.setAlphaF(0.16)
                painter.fillRect(QRectF(x, y + 3, 26, 10), fill)
            elif kind in ("left", "bitten"):
                painter.setPen(
                    QPen(QColor(colour), 1.4, Qt.PenStyle.DashLine if kind == "left" else Qt.PenStyle.SolidLine)
                )
                painter.setBrush(fill)
                painter.drawRect(QRectF(x + 4, y + 3, 18, 10))
            else:
                painter.setPen(pen)
                painter.drawLine(QPointF(x, y + 8), QPointF(x + 26, y + 8))
            painter.setPen(QColor(p.text))
            painter.drawText(QPointF(x + 34, y + 12), words)
            y += 18
        painter.setBrush(Qt.BrushStyle.NoBrush)

    # -- mouse -------------------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._drag = self._press = event.position().toPoint()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is None:
            return
        now = event.position().toPoint()
        step = now - self._drag
        if self._press is not None and (now - self._press).manhattanLength() > 4:
            self._press = None
        self._drag = now
        self._middle = self._middle - np.array([step.x(), -step.y()]) / self._scale
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._press is not None:
            line = self.line_at(event.position())
            if line is not None:
                self.line_picked.emit(line)
        self._drag = self._press = None

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.fit()

    def wheelEvent(self, event: QWheelEvent) -> None:
        steps = event.angleDelta().y() / 120.0
        if steps:
            before = self.place(event.position())
            self._scale = float(np.clip(self._scale * 1.2**steps, 0.01, 20_000.0))
            self._middle = self._middle + before - self.place(event.position())
            self.update()
        event.accept()

    def line_at(self, at: QPointF) -> int | None:
        """The line of the place that is left or bitten, or of the path, under a point."""
        lens = self.lens
        if lens is None:
            return None
        point = shapely.Point(*self.place(at))
        for patch in lens.patches:
            if shapely.Polygon(patch.rings[0], patch.rings[1:]).contains(point):
                return patch.line
        legs: list[Leg] = [*lens.programmed, *lens.centre]
        if not legs:
            return None
        away = [float(shapely.distance(point, shapely.LineString(leg.points))) for leg in legs]
        k = int(np.argmin(away))
        return legs[k].line if away[k] * self._scale <= 8.0 else None
