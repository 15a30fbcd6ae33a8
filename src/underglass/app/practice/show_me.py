"""Show me: a ring round the real control that is to be used next, with one sentence; it follows what is done and never clicks."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PySide6.QtCore import QPoint, QRect, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from underglass.app.parts.basic import label
from underglass.app.style.palette import Palette

_LOOK_MS = 200


@dataclass(frozen=True, slots=True, kw_only=True)
class Pointer:
    """What to point at (None: nothing, the sentence stands in the middle), the sentence, and whether it is done; ``by_hand``: a button goes on."""

    at: Callable[[], QWidget | None]
    said: str
    done: Callable[[], bool] = lambda: False
    by_hand: bool = False


Guide = Callable[[], Pointer | None]
"""Asked again and again: what to point at now; None where all is done."""


def in_order(pointers: Sequence[Pointer]) -> Guide:
    """One after the other: each until it is done."""
    at = [0]

    def now() -> Pointer | None:
        while at[0] < len(pointers) and pointers[at[0]].done():
            at[0] += 1
        return pointers[at[0]] if at[0] < len(pointers) else None

    now.step = lambda: at.__setitem__(0, at[0] + 1)  # type: ignore[attr-defined]
    return now


class _Ring(QWidget):
    """Drawn over the window; clicks go through it."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.colour = QColor()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(self.colour, 3))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(2, 2, -2, -2), 6, 6)
        painter.end()


class ShowMe(QWidget):
    """The sentence beside the ring. ``ended`` when all is done, or when it is left."""

    ended = Signal(bool)

    def __init__(self, window: QWidget, palette: Palette) -> None:
        super().__init__(window)
        self.setObjectName("floating")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._window, self._palette = window, palette
        self._guide: Guide | None = None
        self._ring = _Ring(window)
        self.said = label(pixels=14)
        self.said.setWordWrap(True)
        self.said.setFixedWidth(300)
        self.next, self.leave = QPushButton("Next"), QPushButton("Leave")
        self.next.setProperty("strong", True)
        self.next.clicked.connect(self._on_next)
        self.leave.clicked.connect(lambda: self.stop(done=False))
        row = QHBoxLayout()
        row.addStretch(1)
        row.addWidget(self.leave)
        row.addWidget(self.next)
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 12, 14, 10)
        box.addWidget(self.said)
        box.addLayout(row)
        self._timer = QTimer(self)
        self._timer.setInterval(_LOOK_MS)
        self._timer.timeout.connect(self.look)
        self.hide()
        self._ring.hide()

    @property
    def running(self) -> bool:
        return self._guide is not None

    def run(self, guide: Guide) -> None:
        """Point at one thing after the other."""
        self._guide = guide
        self._timer.start()
        self.look()

    def stop(self, *, done: bool) -> None:
        """It is over, or has been left."""
        self._guide = None
        self._timer.stop()
        self.hide()
        self._ring.hide()
        self.ended.emit(done)

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette

    def _on_next(self) -> None:
        step = getattr(self._guide, "step", None)
        if step is not None:
            step()
        self.look()

    def look(self) -> None:
        """Where to point now."""
        if self._guide is None:
            return
        pointer = self._guide()
        if pointer is None:
            self.stop(done=True)
            return
        if self.said.text() != pointer.said:
            self.said.setText(pointer.said)
        self.next.setVisible(pointer.by_hand)
        self.adjustSize()
        target = pointer.at()
        room = self._window.rect()
        if target is None or not target.isVisible():
            self._ring.hide()
            self.move(room.center() - QPoint(self.width() // 2, self.height() // 2))
        else:
            place = QRect(target.mapTo(self._window, QPoint(0, 0)), target.size()).adjusted(-5, -5, 5, 5)
            self._ring.colour = QColor(self._palette.belief)
            self._ring.setGeometry(place)
            self._ring.show()
            self._ring.raise_()
            self.move(self._beside(place, room))
        self.show()
        self.raise_()

    def _beside(self, place: QRect, room: QRect) -> QPoint:
        """To the right of it, or to the left, or under or over it: where there is room."""
        w, h = self.width(), self.height()
        y = min(max(place.center().y() - h // 2, 8), room.height() - h - 8)
        if place.right() + w + 14 < room.width():
            return QPoint(place.right() + 10, y)
        if place.left() - w - 14 > 0:
            return QPoint(place.left() - w - 10, y)
        x = min(max(place.center().x() - w // 2, 8), room.width() - w - 8)
        below = place.bottom() + 10
        return QPoint(x, below if below + h < room.height() else max(place.top() - h - 10, 8))
