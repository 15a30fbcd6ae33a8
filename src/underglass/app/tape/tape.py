"""The tape: the whole program by time, banded by tool, flagged with findings. Drag it anywhere."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import (
    QColor,
    QContextMenuEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QWheelEvent,
)
from PySide6.QtWidgets import QMenu, QToolTip, QWidget

from underglass.app.document import Document
from underglass.app.parts.marks import draw_mark
from underglass.app.style.palette import Palette
from underglass.app.style.theme import number_font, words_font
from underglass.app.tape.player import Player
from underglass.core.finding import Finding
from underglass.core.proof.operations import Operation
from underglass.core.proof.proof import Proof
from underglass.core.units import show_clock

_LEFT, _RIGHT = 14, 26
_BAND_TOP, _BAND_HEIGHT = 27, 30
_LEAST_SHOWN_S = 0.02
_DROP_PIXELS = 7.0
_TICK_PIXELS, _NAME_PIXELS = 18.0, 46.0
"""A block this wide has its ends drawn; this wide, its line number."""


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
        self._loop_from: float | None = None
        self.operations: tuple[Operation, ...] = ()
        self.fill_menu: Callable[[QMenu, float], object] = lambda _menu, _moment: None
        """Puts into a menu what can be done with the moment that was clicked."""
        self.held: Proof | None = None
        """The run to compare with: its tools lie as a thin band under the one that is shown."""
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("The tape: the program by time")
        self.setMinimumWidth(200)
        document.proof_changed.connect(self._on_proof_changed)
        document.moment_changed.connect(self._on_moment_changed)
        document.finding_changed.connect(self.update)
        player.changed.connect(self.update)

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
        self._paint_blocks(painter, band)
        self._paint_held(painter, band)
        self._paint_stretch(painter, band)
        self._paint_pierces(painter, band)
        self._paint_stops(painter, band)
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
        several = len(self.operations) > len(proof.segments)
        for segment in proof.segments:
            a, b = self.x_of(segment.start_s), self.x_of(segment.end_s)
            rect = QRectF(a, band.top(), max(b - a, 1.0), band.height())
            colour = QColor(p.tool(order[segment.tool]) if segment.tool in order else p.ground)
            colour.setAlphaF(0.55)
            painter.fillRect(rect, colour)
            painter.fillRect(QRectF(b - 0.5, band.top(), 1.0, band.height()), QColor(p.panel))
            if not several:
                self._name(painter, band, a, b, f"T{segment.tool} {segment.remark}" if segment.tool else "")
        if several:
            for operation in self.operations:
                a, b = self.x_of(operation.start_s), self.x_of(operation.end_s)
                painter.fillRect(QRectF(a - 0.5, band.top() + 4, 1.0, band.height() - 8), QColor(p.quiet))
                self._name(painter, band, a, b, operation.title)
        painter.restore()
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(p.rule), 1))
        painter.drawRect(band)

    def _name(self, painter: QPainter, band: QRectF, a: float, b: float, name: str) -> None:
        left = max(a, band.left())
        inner = QRectF(left + 8, band.top(), min(b, band.right()) - left - 12, band.height())
        if inner.width() > 18:
            painter.setPen(QColor(self._palette.text))
            elided = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, int(inner.width()))
            painter.drawText(inner, int(Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft), elided)

    def _paint_blocks(self, painter: QPainter, band: QRectF) -> None:
        """Zoomed in far enough, where each block ends, and its line."""
        proof = self._document.proof
        assert proof is not None
        timing, lines = proof.timing, proof.motions.line
        a = max(0, int(np.searchsorted(timing.start, self._from, side="right")) - 1)
        b = int(np.searchsorted(timing.start, self._from + self.shown, side="left"))
        if b <= a or band.width() / (b - a) < _TICK_PIXELS:
            return
        painter.setFont(number_font(11))
        painter.setPen(QColor(self._palette.quiet))
        k = a
        while k < b:
            last = k
            while last + 1 < min(b + 1, len(lines)) and lines[last + 1] == lines[k]:
                last += 1
            left, right = max(self.x_of(float(timing.start[k])), band.left()), self.x_of(timing.end_of(last))
            if band.left() < right < band.right():
                painter.drawLine(QPointF(right, band.bottom() - 7), QPointF(right, band.bottom()))
            if min(right, band.right()) - left > _NAME_PIXELS:
                rect = QRectF(left, band.bottom() - 14, min(right, band.right()) - left - 4, 13)
                painter.drawText(
                    rect, int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter), f"line {int(lines[k])}"
                )
            k = last + 1

    def _paint_held(self, painter: QPainter, band: QRectF) -> None:
        """The run to compare with, on the same scale of time: its tools, and how long it took."""
        if self.held is None:
            return
        p = self._palette
        for segment in self.held.segments:
            a, b = self.x_of(segment.start_s), self.x_of(segment.end_s)
            a, b = max(a, band.left()), min(b, band.right())
            if b > a:
                painter.fillRect(QRectF(a, band.bottom() - 4, b - a - 1, 4), QColor(p.belief))

    def _paint_stretch(self, painter: QPainter, band: QRectF) -> None:
        """What is not played lies under a veil; a loop has brass ends."""
        p, player = self._palette, self._player
        if player.loop is None and player.alone is None:
            return
        begin, end = (self.x_of(m) for m in player.bounds)
        veil = QColor(p.panel)
        veil.setAlphaF(0.72)
        if begin > band.left():
            painter.fillRect(
                QRectF(band.left(), band.top(), min(begin, band.right()) - band.left(), band.height()), veil
            )
        if end < band.right():
            left = max(end, band.left())
            painter.fillRect(QRectF(left, band.top(), band.right() - left, band.height()), veil)
        painter.setPen(QPen(QColor(p.belief), 2))
        for x in (begin, end):
            if band.left() <= x <= band.right():
                painter.drawLine(QPointF(x, band.top() - 3), QPointF(x, band.bottom() + 3))

    def _paint_stops(self, painter: QPainter, band: QRectF) -> None:
        """Stops as two upright strokes across the band, optional ones broken."""
        proof = self._document.proof
        assert proof is not None
        for event, moment in zip(proof.motions.events, proof.timing.events.tolist()):
            if event.kind not in ("stop", "optional-stop"):
                continue
            x = self.x_of(moment)
            if not band.left() <= x <= band.right():
                continue
            style = Qt.PenStyle.SolidLine if event.kind == "stop" else Qt.PenStyle.DotLine
            painter.setPen(QPen(QColor(self._palette.text), 2, style))
            for off in (-2.5, 2.5):
                painter.drawLine(QPointF(x + off, band.top() + 2), QPointF(x + off, band.bottom() - 2))

    def _paint_pierces(self, painter: QPainter, band: QRectF) -> None:
        """Where the cutter comes on: drops on the band's lower edge. Those that would run together are one."""
        proof = self._document.proof
        assert proof is not None
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(self._palette.feed))
        last = -math.inf
        for event, moment in zip(proof.motions.events, proof.timing.events.tolist()):
            x = self.x_of(moment) if event.kind == "cutter-on" else -math.inf
            if not band.left() <= x <= band.right() or x - last < _DROP_PIXELS:
                continue
            last = x
            foot = band.bottom() - 1.0
            painter.drawPolygon(
                QPolygonF([QPointF(x, foot), QPointF(x - 3.0, foot - 7.0), QPointF(x + 3.0, foot - 7.0)])
            )

    def _paint_scale(self, painter: QPainter, band: QRectF) -> None:
        steps = (
            0.001,
            0.002,
            0.005,
            0.01,
            0.02,
            0.05,
            0.1,
            0.2,
            0.5,
            1,
            2,
            5,
            10,
            15,
            30,
            60,
            120,
            300,
            600,
            1800,
            3600,
            7200,
            18000,
            36000,
        )
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
                whole = int(k * step + 1e-9)
                part = "" if step >= 1 else f"{k * step - whole:.{3 if step < 0.01 else 2 if step < 0.1 else 1}f}"[1:]
                painter.drawText(rect, int(Qt.AlignmentFlag.AlignCenter), show_clock(whole) + part)
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
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self._loop_from = self.moment_at(event.position().x())
            return
        self._dragging = True
        self._document.set_moment(self.moment_at(event.position().x()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._loop_from is not None:
            here = self.moment_at(event.position().x())
            self._player.set_loop((min(here, self._loop_from), max(here, self._loop_from)))
            return
        if self._dragging:
            self._document.set_moment(self.moment_at(event.position().x()))
            return
        flag = self._flag_at(event.position())
        if flag is not None:
            QToolTip.showText(event.globalPosition().toPoint(), f"Line {flag.line}: {flag.message}", self)
            return
        stop = self._stop_at(event.position())
        operation = self.operation_at(self.moment_at(event.position().x()))
        if stop:
            QToolTip.showText(event.globalPosition().toPoint(), stop, self)
        elif operation is not None and _BAND_TOP <= event.position().y() <= _BAND_TOP + _BAND_HEIGHT:
            spent = show_clock(operation.end_s - operation.start_s)
            words = f"{operation.title}\nfrom line {operation.line}, {spent}"
            QToolTip.showText(event.globalPosition().toPoint(), words, self)

    def _stop_at(self, at: QPointF) -> str:
        proof = self._document.proof
        if proof is None or not _BAND_TOP <= at.y() <= _BAND_TOP + _BAND_HEIGHT:
            return ""
        for event, moment in zip(proof.motions.events, proof.timing.events.tolist()):
            if event.kind in ("stop", "optional-stop") and abs(self.x_of(moment) - at.x()) <= 5:
                return f"{'Stop M0' if event.kind == 'stop' else 'Optional stop M1'}, line {event.line}"
        count = 0
        for event, moment in zip(proof.motions.events, proof.timing.events.tolist()):
            count += event.kind == "cutter-on"
            low = at.y() >= _BAND_TOP + _BAND_HEIGHT - 10
            if event.kind == "cutter-on" and low and abs(self.x_of(moment) - at.x()) <= 3:
                return f"Pierce {count}, line {event.line}"
        return ""

    def operation_at(self, moment: float) -> Operation | None:
        """The operation that is run at a moment."""
        return next((o for o in self.operations if o.start_s - 1e-9 <= moment <= o.end_s + 1e-9), None)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        menu = QMenu(self)
        self.fill_menu(menu, self.moment_at(event.pos().x()))
        menu.exec(event.globalPos())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._dragging = False
        self._loop_from = None

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
            self._zoom = min(max(self._zoom * 1.25 ** (delta.y() / 120.0), 1.0), max(self.total / _LEAST_SHOWN_S, 1.0))
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
