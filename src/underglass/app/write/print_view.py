"""The part from above, or a lathe's section: the drawing, a picture or a grid, the stock's outline, and the path over them. Places are
picked here.

Coordinates are those of the part's real zero, mm, in the plane that the trade draws in (``print_ways``).
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
    QResizeEvent,
    QTransform,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from underglass.app.document import Document
from underglass.app.style.palette import Palette
from underglass.app.style.theme import number_font, words_font
from underglass.core.files.print_in import Line, Piece, Print, Spot, chain, crossings, distance, spots
from underglass.core.proof.print_ways import PrintPlane, print_ways
from underglass.core.units import show_length

_NEAR = 11.0
_ORDER = ("end", "centre", "crossing", "middle", "grid")
_MEANT = {"end": "end", "centre": "centre", "crossing": "crossing", "middle": "middle", "grid": "grid"}
_MOST_DRAWN = 60_000
_STEPS = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1)}


@dataclass(frozen=True, slots=True, kw_only=True)
class Lie:
    """How a picture lies on the part: mm a pixel, turn in degrees, and where its lower left corner is."""

    scale: float = 0.1
    turn: float = 0.0
    dx: float = 0.0
    dy: float = 0.0


class PrintView(QWidget):
    """``picked`` brings a place (x, y) and what it is on the print; ``chain_picked`` pieces with their directions."""

    picked = Signal(float, float, str)
    pixel_picked = Signal(float, float)
    chain_picked = Signal(object)

    def __init__(self, document: Document, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._palette = palette
        self.print: Print | None = None
        self.picture: QPixmap | None = None
        self.lie = Lie()
        self.grid = 10.0
        self.show_grid = True
        self.picking_pixels = False
        self.places: list[tuple[float, float]] = []
        self._spots: list[Spot] = []
        self._rapids, self._feeds = QPainterPath(), QPainterPath()
        self._stocks: list[QPolygonF] = []
        self._scale, self._at = 4.0, QPointF(0.0, 0.0)
        self._fitted = False
        self._drag: QPointF | None = None
        self._mouse: QPointF | None = None
        self.found: Spot | None = None
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Drawing and path")
        self.setMinimumWidth(160)
        document.proof_changed.connect(self._take_proof)
        document.job_changed.connect(self._on_job_changed)
        document.moment_changed.connect(lambda _t: self.update())
        document.units_changed.connect(self.update)
        self._on_job_changed()

    @property
    def plane(self) -> PrintPlane:
        job = self._document.job
        return print_ways(job).plane(job.control) if job is not None else PrintPlane()

    # -- what is shown -----------------------------------------------------------------------------------------------

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        self.update()

    def set_print(self, drawing: Print | None) -> None:
        """Another drawing, where it lies on the part already."""
        self.print = drawing
        self._spots = spots(drawing.pieces) if drawing is not None else []
        self.update()

    def set_picture(self, picture: QPixmap | None, lie: Lie | None = None) -> None:
        self.picture = picture
        self.lie = lie if lie is not None else self._laid(picture)
        self.update()

    def _laid(self, picture: QPixmap | None) -> Lie:
        """At first a picture covers the stock."""
        if picture is None or not picture.width():
            return Lie()
        box = self._stock_box()
        return Lie(scale=max(box.width(), 1.0) / picture.width(), turn=0.0, dx=box.left(), dy=box.top())

    def to_part(self, px: float, py: float) -> tuple[float, float]:
        """A place of the picture (pixels from its lower left corner) on the part."""
        c, s = (
            math.cos(math.radians(self.lie.turn)) * self.lie.scale,
            math.sin(math.radians(self.lie.turn)) * self.lie.scale,
        )
        return px * c - py * s + self.lie.dx, px * s + py * c + self.lie.dy

    def to_picture(self, x: float, y: float) -> tuple[float, float]:
        """A place of the part on the picture, pixels from its lower left corner."""
        c, s = math.cos(math.radians(self.lie.turn)), math.sin(math.radians(self.lie.turn))
        dx, dy = (x - self.lie.dx) / self.lie.scale, (y - self.lie.dy) / self.lie.scale
        return dx * c + dy * s, dy * c - dx * s

    def _on_job_changed(self) -> None:
        self._fitted = False
        self.places = []
        self._rapids, self._feeds = QPainterPath(), QPainterPath()
        self._stocks = []
        job = self._document.job
        if job is not None:
            self._stocks = [
                QPolygonF([QPointF(x, y) for x, y in ring.tolist()]) for ring in print_ways(job).outlines(job)
            ]
        self.update()

    def _take_proof(self) -> None:
        proof = self._document.proof
        self._rapids, self._feeds = QPainterPath(), QPainterPath()
        if proof is not None and len(proof.motions) and self.isVisible():
            self._draw_path()
        if not self._fitted and self._stocks:
            self.fit()
        self.update()

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        self._take_proof()

    def _draw_path(self) -> None:
        proof = self._document.proof
        assert proof is not None
        motions, ways = proof.motions, print_ways(proof.job)
        start, end = ways.path(proof)
        rapid = motions.rapid()
        for move in range(min(len(motions), _MOST_DRAWN)):
            path = self._rapids if rapid[move] else self._feeds
            (x0, y0), (x1, y1) = start[move].tolist(), end[move].tolist()
            if path.isEmpty() or path.currentPosition() != QPointF(x0, y0):
                path.moveTo(x0, y0)
            if motions.sweep[move] == 0.0:
                path.lineTo(x1, y1)
                continue
            steps = max(8, int(abs(float(motions.sweep[move])) / 0.1))
            for k in range(1, steps + 1):
                path.lineTo(*ways.at(proof, move, k / steps))

    # -- seeing ------------------------------------------------------------------------------------------------------

    def _stock_box(self) -> QRectF:
        box = QRectF()
        for polygon in self._stocks:
            box = box.united(polygon.boundingRect())
        return box if not box.isEmpty() else QRectF(0, 0, 100, 60)

    def fit(self) -> None:
        """The stock and the print, all of them."""
        box = self._stock_box()
        for piece in self.print.pieces if self.print is not None else ():
            if isinstance(piece, Line):
                box = box.united(QRectF(QPointF(piece.x0, piece.y0), QPointF(piece.x1, piece.y1)).normalized())
            else:
                box = box.united(QRectF(piece.cx - piece.r, piece.cy - piece.r, 2 * piece.r, 2 * piece.r))
        wide, high = max(box.width(), 1e-6), max(box.height(), 1e-6)
        self._scale = min((self.width() - 60) / wide, (self.height() - 90) / high) if self.width() > 80 else 4.0
        self._scale = max(self._scale, 1e-3)
        centre = box.center()
        self._at = QPointF(self.width() / 2 - centre.x() * self._scale, self.height() / 2 + centre.y() * self._scale)
        self._fitted = True
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if self._stocks:
            self.fit()

    def on_screen(self, x: float, y: float) -> QPointF:
        return QPointF(self._at.x() + x * self._scale, self._at.y() - y * self._scale)

    def on_part(self, at: QPointF) -> tuple[float, float]:
        return (at.x() - self._at.x()) / self._scale, (self._at.y() - at.y()) / self._scale

    def paintEvent(self, event: QPaintEvent) -> None:
        p = self._palette
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(p.glass_top))
        to_screen = QTransform(self._scale, 0, 0, -self._scale, self._at.x(), self._at.y())
        stock = QColor(p.stock)
        stock.setAlpha(60)
        for polygon in self._stocks:
            shown = to_screen.map(polygon)
            painter.setPen(QPen(QColor(p.text), 1.2))
            painter.setBrush(stock)
            painter.drawPolygon(shown)
        if self.picture is not None:
            self._paint_picture(painter)
        if self.show_grid:
            self._paint_grid(painter)
        if self.print is not None:
            painter.setPen(QPen(QColor(p.text), 1.3))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for piece in self.print.pieces:
                self._paint_piece(painter, piece)
        for path, colour, width, dashed in ((self._rapids, p.rapid, 1.2, True), (self._feeds, p.feed, 1.8, False)):
            pen = QPen(QColor(colour), width)
            pen.setCosmetic(True)
            if dashed:
                pen.setDashPattern([5.0, 4.0])
            painter.setPen(pen)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPath(to_screen.map(path))
        self._paint_zero(painter)
        self._paint_tool(painter)
        self._paint_places(painter)
        self._paint_found(painter)
        painter.end()

    def _paint_piece(self, painter: QPainter, piece: Piece) -> None:
        if isinstance(piece, Line):
            painter.drawLine(self.on_screen(piece.x0, piece.y0), self.on_screen(piece.x1, piece.y1))
        else:
            r = piece.r * self._scale
            centre = self.on_screen(piece.cx, piece.cy)
            box = QRectF(centre.x() - r, centre.y() - r, 2 * r, 2 * r)
            painter.drawArc(box, round(piece.first * 16), round((piece.last - piece.first) * 16))

    def _paint_picture(self, painter: QPainter) -> None:
        assert self.picture is not None
        painter.save()
        origin = self.on_screen(self.lie.dx, self.lie.dy)
        painter.translate(origin)
        painter.rotate(-self.lie.turn)
        k = self.lie.scale * self._scale
        painter.scale(k, k)
        painter.setOpacity(0.75)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawPixmap(QPointF(0, -self.picture.height()), self.picture)
        painter.restore()

    def _paint_grid(self, painter: QPainter) -> None:
        p, step = self._palette, self.grid
        if step * self._scale < 7.0:
            return
        colour = QColor(p.rule)
        painter.setPen(QPen(colour, 1.0))
        (left, top), (right, bottom) = self.on_part(QPointF(0, 0)), self.on_part(QPointF(self.width(), self.height()))
        for k in range(math.ceil(left / step), math.floor(right / step) + 1):
            x = self.on_screen(k * step, 0).x()
            painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))
        for k in range(math.ceil(bottom / step), math.floor(top / step) + 1):
            y = self.on_screen(0, k * step).y()
            painter.drawLine(QPointF(0, y), QPointF(self.width(), y))

    def _paint_zero(self, painter: QPainter) -> None:
        p, at = self._palette, self.on_screen(0.0, 0.0)
        if self.plane.folds:
            # The axis that the work turns about.
            painter.setPen(QPen(QColor(p.quiet), 1.0, Qt.PenStyle.DashDotLine))
            painter.drawLine(QPointF(0.0, at.y()), QPointF(self.width(), at.y()))
        painter.setPen(QPen(QColor(p.text), 1.6))
        painter.drawLine(at, at + QPointF(34, 0))
        painter.drawLine(at, at + QPointF(0, -34))
        painter.setFont(number_font(12))
        painter.drawText(at + QPointF(37, 4), self.plane.right.name)
        painter.drawText(at + QPointF(-4, -38), self.plane.up.name)
        painter.setBrush(QColor(p.panel))
        painter.drawEllipse(at, 5.0, 5.0)

    def _paint_tool(self, painter: QPainter) -> None:
        proof = self._document.proof
        if proof is None or not len(proof.motions):
            return
        move, share = proof.timing.locate(self._document.moment)
        ways = print_ways(proof.job)
        x, y = ways.at(proof, move, share)
        r = ways.radius(proof, move) * self._scale
        painter.setPen(QPen(QColor(self._palette.active), 1.6))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(self.on_screen(x, y), max(r, 3.0), max(r, 3.0))

    def _paint_places(self, painter: QPainter) -> None:
        p = self._palette
        painter.setFont(number_font(12))
        for k, (x, y) in enumerate(self.places, 1):
            at = self.on_screen(x, y)
            painter.setPen(QPen(QColor(p.panel), 1.0))
            painter.setBrush(QColor(p.belief))
            painter.drawEllipse(at, 5.0, 5.0)
            painter.setPen(QColor(p.belief))
            painter.drawText(at + QPointF(8, -6), str(k))

    def _paint_found(self, painter: QPainter) -> None:
        p = self._palette
        unit = self._document.units
        painter.setFont(words_font(12))
        if self.found is not None and not self.picking_pixels:
            at = self.on_screen(self.found.x, self.found.y)
            painter.setPen(QPen(QColor(p.active), 1.8))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(at.x() - 6, at.y() - 6, 12, 12))
        if self._mouse is not None:
            x, y = (self.found.x, self.found.y) if self.found is not None else self.on_part(self._mouse)
            what = f"  {_MEANT[self.found.meaning]}" if self.found is not None else ""
            y = abs(y) if self.plane.folds else y
            figures = "  ".join(f"{axis.name} {show_length(mm, unit)}" for axis, mm in self.plane.written(x, y))
            text = f"{figures}{what}"
            painter.setFont(number_font(13))
            box = QRectF(12, self.height() - 30, painter.fontMetrics().horizontalAdvance(text) + 16, 22)
            painter.fillRect(box, QColor(p.panel))
            painter.setPen(QColor(p.text))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    # -- picking -----------------------------------------------------------------------------------------------------

    def spot_at(self, at: QPointF) -> Spot | None:
        """The place that is meant near a point of the screen, or None."""
        x, y = self.on_part(at)
        reach = _NEAR / self._scale
        near = [
            s
            for s in self._spots
            if abs(s.x - x) < reach and abs(s.y - y) < reach and math.hypot(s.x - x, s.y - y) < reach
        ]
        pieces = [q for q in self.print.pieces if distance(q, x, y) < reach] if self.print is not None else []
        for k, one in enumerate(pieces[:12]):
            for other in pieces[k + 1 : 12]:
                near += [Spot(a, b, "crossing") for a, b in crossings(one, other) if math.hypot(a - x, b - y) < reach]
        if not near and self.show_grid and self.grid * self._scale >= 7.0:
            gx, gy = round(x / self.grid) * self.grid, round(y / self.grid) * self.grid
            if math.hypot(gx - x, gy - y) < reach:
                near.append(Spot(gx, gy, "grid"))
        return min(near, key=lambda s: (_ORDER.index(s.meaning), math.hypot(s.x - x, s.y - y)), default=None)

    def piece_at(self, at: QPointF) -> int | None:
        """The piece of the print under a point of the screen, by its index."""
        if self.print is None:
            return None
        x, y = self.on_part(at)
        found = min(range(len(self.print.pieces)), key=lambda k: distance(self.print.pieces[k], x, y), default=None)  # type: ignore[union-attr]
        return found if found is not None and distance(self.print.pieces[found], x, y) * self._scale < _NEAR else None

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._mouse = event.position()
        if self._drag is not None:
            self._at += event.position() - self._drag
            self._drag = event.position()
        self.found = None if self.picking_pixels else self.spot_at(event.position())
        self.update()

    def leaveEvent(self, event: object) -> None:
        self._mouse = self.found = None
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() in (Qt.MouseButton.MiddleButton, Qt.MouseButton.RightButton):
            self._drag = event.position()
            return
        if event.button() != Qt.MouseButton.LeftButton:
            return
        self._pick(event.position())

    def _pick(self, at: QPointF) -> None:
        x, y = self.on_part(at)
        if self.picking_pixels:
            self.pixel_picked.emit(*self.to_picture(x, y))
            return
        found = self.spot_at(at)
        if found is not None:
            x, y = found.x, found.y
        self.picked.emit(x, y, found.meaning if found is not None else "")

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        piece = self.piece_at(event.position())
        if piece is not None and self.print is not None and not self.picking_pixels:
            self.chain_picked.emit(chain(self.print.pieces, piece))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._drag = None

    def wheelEvent(self, event: QWheelEvent) -> None:
        self._zoom(1.2 ** (event.angleDelta().y() / 120.0), event.position())

    def _zoom(self, factor: float, at: QPointF) -> None:
        x, y = self.on_part(at)
        self._scale = min(max(self._scale * factor, 0.01), 5000.0)
        self._at = QPointF(at.x() - x * self._scale, at.y() + y * self._scale)
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """F shows everything, plus and minus zoom; the arrows move about by the grid (Shift: a tenth), Return picks."""
        key = event.key()
        if key == Qt.Key.Key_F:
            self.fit()
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Minus):
            self._zoom(
                1.25 if key == Qt.Key.Key_Plus else 0.8, self._mouse or QPointF(self.width() / 2, self.height() / 2)
            )
        elif key in _STEPS:
            x, y = (
                (self.found.x, self.found.y)
                if self.found is not None
                else self.on_part(self._mouse)
                if self._mouse
                else (0.0, 0.0)
            )
            step = self.grid * (0.1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0)
            dx, dy = _STEPS[Qt.Key(key)]
            self._mouse = self.on_screen(x + dx * step, y + dy * step)
            self.found = self.spot_at(self._mouse)
            self.update()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self._mouse is not None:
            self._pick(self._mouse)
        else:
            super().keyPressEvent(event)

    def relie(self, **changes: float) -> None:
        """Lay the picture otherwise."""
        self.lie = replace(self.lie, **changes)
        self.update()
