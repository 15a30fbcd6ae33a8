"""The tape: the whole program by time, banded by tool, flagged with findings. Drag it anywhere."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PySide6.QtWidgets import QToolTip, QWidget

from underglass.app.document import Document
from underglass.app.parts.marks import draw_mark
from underglass.app.style.palette import Palette
from underglass.app.style.theme import number_font, words_font
from underglass.app.tape.player import Player
from underglass.core.finding import Finding
from underglass.core.units import show_clock

_LEFT, _RIGHT = 14, 26
_BAND_TOP, _BAND_HEIGHT = 27, 30


class Tape(QWidget):
    """The strip itself. ``zoom`` shows a part of it: 1 is the whole."""

    def __init__(self, document: Document, player: Player, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._player = player
        self._palette = palette
        self._from = 0.0
        self._zoom = 1.0
        self._dragging = False
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("The tape: the program by time")
        self.setMinimumWidth(200)
        document.proof_changed.connect(self._on_proof_changed)
        document.moment_changed.connect(self._on_moment_changed)
        document.finding_changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(800, 84)

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        self.update()

    # -- time and place ------------------------------------------------------------------------------------------------

    @property
    def total(self) -> float:
        proof = self._document.proof
        return proof.timing.total if proof is not None else 0.0

    @property
    def shown(self) -> float:
        """How many seconds the strip shows."""
        return max(self.total / self._zoom, 1e-6)

    def x_of(self, moment: float) -> float:
        return _LEFT + (moment - self._from) / self.shown * (self.width() - _LEFT - _RIGHT)

    def moment_at(self, x: float) -> float:
        moment = self._from + (x - _LEFT) / max(self.width() - _LEFT - _RIGHT, 1) * self.shown
        return min(max(moment, 0.0), self.total)

    def _on_proof_changed(self) -> None:
        if self._document.proof is None:
            self._from, self._zoom = 0.0, 1.0
        self._from = min(self._from, max(0.0, self.total - self.shown))
        self.update()

    def _on_moment_changed(self, moment: float) -> None:
        if self._zoom > 1.0 and not self._dragging and not self._from <= moment <= self._from + self.shown:
            self._from = min(max(moment - self.shown * 0.3, 0.0), self.total - self.shown)
        self.update()

    # -- drawing -------------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        p = self._palette
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(p.panel))
        band = QRectF(_LEFT, _BAND_TOP, self.width() - _LEFT - _RIGHT, _BAND_HEIGHT)
        proof = self._document.proof
        if proof is None or self.total <= 0.0:
            painter.setPen(QPen(QColor(p.rule), 1))
            painter.drawRect(band)
            painter.setPen(QColor(p.quiet))
            painter.setFont(words_font(12))
            painter.drawText(band, Qt.AlignmentFlag.AlignCenter, "The tape fills when a program has been proved.")
            self._focus(painter)
            return
        self._paint_bands(painter, band)
        self._paint_scale(painter, band)
        self._paint_flags(painter, band)
        self._paint_moment(painter, band)
        self._focus(painter)
        painter.end()

    def _focus(self, painter: QPainter) -> None:
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(self._palette.active), 1.5))
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(2, 2, -2, -2), 3, 3)

    def _paint_bands(self, painter: QPainter, band: QRectF) -> None:
        p, proof = self._palette, self._document.proof
        assert proof is not None
        order = {tool: k for k, tool in enumerate(proof.tool_order)}
        painter.setFont(words_font(12))
        painter.save()
        painter.setClipRect(band)
        for segment in proof.segments:
            a, b = self.x_of(segment.start_s), self.x_of(segment.end_s)
            rect = QRectF(a, band.top(), max(b - a, 1.0), band.height())
            colour = QColor(p.tool(order[segment.tool]) if segment.tool in order else p.ground)
            colour.setAlphaF(0.55)
            painter.fillRect(rect, colour)
            painter.fillRect(QRectF(b - 0.5, band.top(), 1.0, band.height()), QColor(p.panel))
            name = f"T{segment.tool} {segment.remark.lower()}" if segment.tool else ""
            inner = QRectF(
                max(a, band.left()) + 8, band.top(), min(b, band.right()) - max(a, band.left()) - 12, band.height()
            )
            if inner.width() > 18:
                painter.setPen(QColor(p.text))
                elided = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, int(inner.width()))
                painter.drawText(inner, int(Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft), elided)
        painter.restore()
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(p.rule), 1))
        painter.drawRect(band)

    def _paint_scale(self, painter: QPainter, band: QRectF) -> None:
        steps = (1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 1800, 3600, 7200, 18000, 36000)
        room = 90.0 * self.shown / max(band.width(), 1.0)
        step = next((s for s in steps if s >= room), steps[-1])
        painter.setFont(number_font(11))
        painter.setPen(QColor(self._palette.quiet))
        k = int(self._from // step)
        while k * step <= self._from + self.shown:
            x = self.x_of(k * step)
            if band.left() - 1 <= x <= band.right() + 1:
                painter.drawLine(QPointF(x, band.bottom() + 1), QPointF(x, band.bottom() + 4))
                rect = QRectF(x - 40, band.bottom() + 5, 80, 14)
                painter.drawText(rect, int(Qt.AlignmentFlag.AlignCenter), show_clock(k * step))
            k += 1

    def _paint_flags(self, painter: QPainter, band: QRectF) -> None:
        proof = self._document.proof
        assert proof is not None
        for finding in sorted(proof.troubles, key=lambda f: f.severity):
            x = self.x_of(finding.time_s)
            if band.left() - 2 <= x <= band.right() + 2:
                colour = QColor(self._palette.severity(finding.severity))
                painter.setPen(QPen(colour, 1.4))
                painter.drawLine(QPointF(x, band.top() - 4), QPointF(x, band.bottom()))
                draw_mark(painter, finding.severity, QPointF(x, band.top() - 9), 5.5, self._palette)

    def _paint_moment(self, painter: QPainter, band: QRectF) -> None:
        p = self._palette
        x = self.x_of(self._document.moment)
        if not band.left() - 1 <= x <= band.right() + 1:
            return
        painter.setPen(QPen(QColor(p.active), 2))
        painter.drawLine(QPointF(x, band.top() - 2), QPointF(x, band.bottom() + 18))
        tenths = f"{show_clock(int(self._document.moment))}.{int(self._document.moment * 10) % 10}"
        painter.setFont(number_font(11, bold=True))
        width = painter.fontMetrics().horizontalAdvance(tenths) + 12
        tag = QRectF(min(max(x - width / 2, 2), self.width() - width - 2), band.bottom() + 5, width, 17)
        painter.fillRect(tag, QColor(p.active))
        painter.setPen(QColor(p.on_active))
        painter.drawText(tag, Qt.AlignmentFlag.AlignCenter, tenths)

    # -- mouse and keys ------------------------------------------------------------------------------------------------

    def _flag_at(self, at: QPointF) -> Finding | None:
        proof = self._document.proof
        if proof is None or not 4 <= at.y() <= _BAND_TOP + 2:
            return None
        near = [f for f in proof.troubles if abs(self.x_of(f.time_s) - at.x()) <= 7]
        return max(near, key=lambda f: f.severity, default=None)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton or self._document.proof is None:
            return
        flag = self._flag_at(event.position())
        if flag is not None:
            self._document.select_finding(flag)
            return
        self._player.stop()
        self._dragging = True
        self._document.set_moment(self.moment_at(event.position().x()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._dragging:
            self._document.set_moment(self.moment_at(event.position().x()))
            return
        flag = self._flag_at(event.position())
        if flag is not None:
            QToolTip.showText(event.globalPosition().toPoint(), f"Line {flag.line}: {flag.message}", self)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._dragging = False

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Turn: nearer or farther, about the cursor. Sideways or with Shift: along."""
        if self.total <= 0.0:
            return
        delta = event.angleDelta()
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier or abs(delta.x()) > abs(delta.y()):
            along = (delta.x() or delta.y()) / 120.0
            self._from -= along * self.shown * 0.1
        else:
            at = self.moment_at(event.position().x())
            before = (at - self._from) / self.shown
            self._zoom = min(max(self._zoom * 1.25 ** (delta.y() / 120.0), 1.0), max(self.total * 4.0, 1.0))
            self._from = at - before * self.shown
        self._from = min(max(self._from, 0.0), max(0.0, self.total - self.shown))
        self.update()
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not transport_key(self._player, event):
            super().keyPressEvent(event)


def transport_key(player: Player, event: QKeyEvent) -> bool:
    """The single keys of the transport, where the tape or the glass has the focus. True if it was one."""
    shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
    if event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier):
        return False
    key = event.key()
    if key == Qt.Key.Key_Space:
        player.toggle()
    elif key == Qt.Key.Key_K:
        player.stop()
    elif key in (Qt.Key.Key_J, Qt.Key.Key_L):
        player.shuttle(-1 if key == Qt.Key.Key_J else 1)
    elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
        way = -1 if key == Qt.Key.Key_Left else 1
        if shift:
            player.step_event(way)
        else:
            player.step_block(way)
    else:
        return False
    return True
