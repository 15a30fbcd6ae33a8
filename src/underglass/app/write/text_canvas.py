"""A view of lines that is as quick at a million as at ten: only what is seen is laid out.

Caret and anchor are places (line and column from 0) in a buffer; several views may show one buffer.
"""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRect, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import (
    QAccessible,
    QAccessibleEvent,
    QClipboard,
    QColor,
    QFocusEvent,
    QGuiApplication,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QTextLayout,
    QTextOption,
)
from PySide6.QtWidgets import QAbstractScrollArea, QFrame, QWidget

from underglass.app.style.palette import Palette
from underglass.app.style.theme import number_font
from underglass.app.write.folds import Folds
from underglass.app.write.text_places import from_utf16, to_utf16
from underglass.core.language.buffer import Buffer, Change, Place, line_after

LEFT = 6
_KEPT_LAYOUTS = 2000


class TextCanvas(QAbstractScrollArea):
    """Shows a buffer with a caret and what is selected. ``caret_moved``: the caret is somewhere else than before."""

    caret_moved = Signal()

    def __init__(self, buffer: Buffer, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.buffer = buffer
        self.folds = Folds()
        self.colours = palette
        self.caret = Place(0, 0)
        self.anchor = Place(0, 0)
        self._told = Place(0, 0)
        self._stale: tuple[int, int] | None = None
        self.read_only = False
        self.overtype = False
        self._layouts: dict[str, QTextLayout] = {}
        self._widest = 0.0
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setFont(number_font(13))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.viewport().setCursor(Qt.CursorShape.IBeamCursor)
        self.verticalScrollBar().valueChanged.connect(self._on_scrolled)
        self.horizontalScrollBar().valueChanged.connect(self._on_scrolled)
        self._follow(buffer)

    def set_text_size(self, pixels: int) -> None:
        """Another size of the text."""
        self.setFont(number_font(pixels))
        self._layouts.clear()
        self._widest = 0.0
        self._place_bars()
        self.viewport().update()

    # -- the buffer --------------------------------------------------------------------------------------------------

    def _follow(self, buffer: Buffer) -> None:
        self.buffer = buffer
        buffer.changed.append(self._on_buffer_changed)
        buffer.finished.append(self._on_buffer_finished)

    def leave(self) -> None:
        """Follow the buffer no longer; before this view goes."""
        self.buffer.changed.remove(self._on_buffer_changed)
        self.buffer.finished.remove(self._on_buffer_finished)

    def show_anew(self) -> None:
        """Another text is in the buffer: caret and view go to its start."""
        self.folds.clear()
        self.caret = self.anchor = self._told = Place(0, 0)
        self._widest = 0.0
        self._place_bars()
        self.verticalScrollBar().setValue(0)
        self.horizontalScrollBar().setValue(0)
        self.viewport().update()

    def _on_buffer_changed(self, change: Change) -> None:
        self.folds.follow(change)
        first = change.first
        rows = (first, first + len(change.inserted) - 1) if not change.growth else (0, len(self.buffer.lines))
        self._stale = rows if self._stale is None else (min(rows[0], self._stale[0]), max(rows[1], self._stale[1]))
        if change.growth:
            self.caret = Place(line_after(self.caret.line, change), self.caret.column)
            self.anchor = Place(line_after(self.anchor.line, change), self.anchor.column)

    def _on_buffer_finished(self) -> None:
        self.caret, self.anchor = self.buffer.clamp(self.caret), self.buffer.clamp(self.anchor)
        self._place_bars()
        first, last = self._stale if self._stale is not None else (0, len(self.buffer.lines))
        self._stale = None
        self.paint_lines(first, last)

    def paint_lines(self, first: int, last: int) -> None:
        """Paint these lines (from 0) anew: a stroke of a key need not paint what it leaves alone."""
        top, bottom = self.top_of(first), self.top_of(last) + self.row_height
        if bottom < 0 or top > self.viewport().height():
            return
        self.viewport().update(
            0, int(max(top, 0)), self.viewport().width(), int(min(bottom, self.viewport().height()) - max(top, 0)) + 1
        )

    # -- rows and pixels ---------------------------------------------------------------------------------------------

    @property
    def row_height(self) -> int:
        return max(1, self.fontMetrics().height() + 3)

    @property
    def rows_seen(self) -> int:
        return max(1, self.viewport().height() // self.row_height)

    @property
    def first_row(self) -> int:
        return self.verticalScrollBar().value()

    def lines_seen(self) -> list[tuple[int, float]]:
        """(line from 0, top in pixels) of every line that is seen, also in part."""
        rows = len(self.buffer.lines) - self.folds.count
        last = min(rows, self.first_row + self.viewport().height() // self.row_height + 1)
        return [
            (self.folds.line(r), float((r - self.first_row) * self.row_height)) for r in range(self.first_row, last)
        ]

    def _place_bars(self) -> None:
        rows = len(self.buffer.lines) - self.folds.count
        bar = self.verticalScrollBar()
        bar.setPageStep(self.rows_seen)
        bar.setRange(0, max(0, rows - self.rows_seen))
        across = self.horizontalScrollBar()
        across.setPageStep(self.viewport().width())
        across.setSingleStep(20)
        across.setRange(0, max(0, int(self._widest + 2 * LEFT + 8) - self.viewport().width()))

    def _on_scrolled(self, _value: int) -> None:
        self.viewport().update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._place_bars()

    def _x0(self) -> float:
        return float(LEFT - self.horizontalScrollBar().value())

    def line_formats(self, _text: str) -> Sequence[QTextLayout.FormatRange]:
        """How the characters of a line look; for those who know more about the text than its letters."""
        return ()

    def forget_layouts(self) -> None:
        """Every line is to be laid out anew, as after a change of colours."""
        self._layouts.clear()
        self.viewport().update()

    def layout_of(self, line: int) -> QTextLayout:
        """The line set out in pixels, with its formats."""
        text = self.buffer.lines[line]
        layout = self._layouts.get(text)
        if layout is None:
            if len(self._layouts) > _KEPT_LAYOUTS:
                self._layouts.clear()
            layout = QTextLayout(text, self.font())
            option = QTextOption()
            option.setWrapMode(QTextOption.WrapMode.NoWrap)
            option.setTabStopDistance(self.fontMetrics().horizontalAdvance("0") * 4)
            layout.setTextOption(option)
            layout.setFormats(list(self.line_formats(text)))
            layout.beginLayout()
            row = layout.createLine()
            row.setLineWidth(1e7)
            row.setPosition(QPointF(0.0, 0.0))
            layout.endLayout()
            self._layouts[text] = layout
        return layout

    def x_of(self, place: Place) -> float:
        """Pixels from the viewport's left."""
        text = self.buffer.lines[place.line]
        x = self.layout_of(place.line).lineAt(0).cursorToX(to_utf16(text, place.column))
        return self._x0() + float(x[0] if isinstance(x, tuple) else x)

    def place_at(self, at: QPointF) -> Place:
        """The place under (or nearest to) a point of the viewport."""
        row = self.first_row + int(at.y() // self.row_height)
        rows = len(self.buffer.lines) - self.folds.count
        if row >= rows:
            return self.buffer.end
        line = self.folds.line(max(row, 0))
        units = self.layout_of(line).lineAt(0).xToCursor(at.x() - self._x0())
        return Place(line, from_utf16(self.buffer.lines[line], units))

    def top_of(self, line: int) -> float:
        """Pixels from the viewport's top to a line's top."""
        return float((self.folds.row(line) - self.first_row) * self.row_height)

    def caret_rect(self) -> QRect:
        """Where the caret stands in the viewport."""
        return QRect(int(self.x_of(self.caret)), int(self.top_of(self.caret.line)), 2, self.row_height)

    # -- drawing -----------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        p = self.colours
        painter = QPainter(self.viewport())
        painter.fillRect(event.rect(), QColor(p.panel))
        height, width = float(self.row_height), float(self.viewport().width())
        start, end = self.selection
        metrics = self.fontMetrics()
        lift = (height - metrics.height()) / 2.0
        widest = self._widest
        for line, top in self.lines_seen():
            if top > event.rect().bottom() or top + height < event.rect().top():
                continue
            text = self.buffer.lines[line]
            layout = self.layout_of(line)
            self.paint_behind(painter, line, QRectF(0.0, top, width, height))
            marked: list[QTextLayout.FormatRange] = []
            if start != end and start.line <= line <= end.line:
                a = to_utf16(text, start.column) if line == start.line else 0
                b = to_utf16(text, end.column) if line == end.line else to_utf16(text, len(text))
                marked.append(self._marked(a, b - a))
                if line != end.line:
                    x = self._x0() + self._across(layout, b)
                    painter.fillRect(QRectF(x, top, 7.0, height), QColor(p.active))
                x0, x1 = self._across(layout, a), self._across(layout, b)
                painter.fillRect(QRectF(self._x0() + x0, top, x1 - x0, height), QColor(p.active))
            painter.setPen(QColor(p.text))
            layout.draw(painter, QPointF(self._x0(), top + lift), marked)
            widest = max(widest, layout.lineAt(0).naturalTextWidth())
            self.paint_over(painter, line, QRectF(0.0, top, width, height))
        if self.hasFocus() or self.read_only:
            rect = self.caret_rect()
            if self.overtype:
                rect.setWidth(max(2, metrics.horizontalAdvance("0")))
                painter.fillRect(rect.adjusted(0, rect.height() - 3, 0, 0), QColor(p.active))
            elif self.hasFocus():
                painter.fillRect(rect, QColor(p.active))
        painter.end()
        if widest > self._widest:
            self._widest = widest
            QTimer.singleShot(0, self._place_bars)

    def _across(self, layout: QTextLayout, units: int) -> float:
        x = layout.lineAt(0).cursorToX(units)
        return float(x[0] if isinstance(x, tuple) else x)

    def _marked(self, start: int, length: int) -> QTextLayout.FormatRange:
        out = QTextLayout.FormatRange()
        out.start, out.length = start, length
        out.format.setForeground(QColor(self.colours.on_active))
        return out

    def paint_behind(self, painter: QPainter, line: int, rect: QRectF) -> None:
        """Under a line's text: the line with the caret is washed."""
        if line == self.caret.line:
            painter.fillRect(rect, QColor(self.colours.active_wash))

    def paint_over(self, painter: QPainter, line: int, rect: QRectF) -> None:
        """Behind a line's text: what is folded away under it is counted."""
        under = self.folds.under(line)
        if under is not None:
            layout = self.layout_of(line)
            x = self._x0() + layout.lineAt(0).naturalTextWidth() + 14
            text = f"{under[1] - under[0] + 1} lines folded"
            painter.setPen(QColor(self.colours.active))
            painter.drawText(QRectF(x, rect.top(), 400, rect.height()), Qt.AlignmentFlag.AlignVCenter, text)

    # -- selecting ---------------------------------------------------------------------------------------------------

    @property
    def selection(self) -> tuple[Place, Place]:
        """From the earlier to the later place; the same twice where nothing is selected."""
        return min(self.anchor, self.caret), max(self.anchor, self.caret)

    @property
    def selected_text(self) -> str:
        return self.buffer.between(*self.selection)

    def selected_lines(self) -> tuple[int, int]:
        """(first, last) line that a selection reaches into, from 0; the caret's where nothing is selected."""
        start, end = self.selection
        return start.line, end.line - (1 if end.line > start.line and end.column == 0 else 0)

    def select(self, anchor: Place, caret: Place) -> None:
        """Select from one place to another; the caret is seen."""
        shown = self.buffer.clamp(self.anchor), self.buffer.clamp(self.caret)
        self.anchor, self.caret = self.buffer.clamp(anchor), self.buffer.clamp(caret)
        if self.folds.at(self.caret.line) is not None:
            self.folds.unfold(self.caret.line)
            self._place_bars()
        self.show_caret()
        for anchor_now, caret_now in (shown, (self.anchor, self.caret)):
            self.paint_lines(min(anchor_now.line, caret_now.line), max(anchor_now.line, caret_now.line))
        if self.anchor != self.caret:
            board = QGuiApplication.clipboard()
            if board.supportsSelection():
                start, end = self.selection
                if end.line - start.line < 5000:
                    board.setText(self.selected_text, QClipboard.Mode.Selection)
        if self.caret != self._told:
            self._told = self.caret
            self.caret_moved.emit()
            self.setAccessibleDescription(self.buffer.lines[self.caret.line])
            QAccessible.updateAccessibility(QAccessibleEvent(self, QAccessible.Event.DescriptionChanged))

    def put_caret(self, place: Place, *, keep_anchor: bool = False) -> None:
        """The caret goes to a place; with ``keep_anchor`` what lies between is selected."""
        place = self.buffer.clamp(place)
        self.select(self.anchor if keep_anchor else place, place)

    def select_all(self) -> None:
        self.select(Place(0, 0), self.buffer.end)

    def show_caret(self) -> None:
        """Scroll so far that the caret is seen, with a line or two around it."""
        row, bar = self.folds.row(self.caret.line), self.verticalScrollBar()
        about = min(2, self.rows_seen // 4)
        if row < bar.value() + about:
            bar.setValue(row - about)
        elif row > bar.value() + self.rows_seen - 1 - about:
            bar.setValue(row - self.rows_seen + 1 + about)
        x, across = self.x_of(self.caret), self.horizontalScrollBar()
        if x < LEFT:
            across.setValue(int(across.value() + x - LEFT - 40))
        elif x > self.viewport().width() - 12:
            self._widest = max(self._widest, x - self._x0())
            self._place_bars()
            across.setValue(int(across.value() + x - self.viewport().width() + 60))

    def show_line(self, line: int) -> None:
        """Bring a line into view, in the middle where it is not there yet."""
        if self.folds.at(line) is not None:
            self.folds.unfold(line)
            self._place_bars()
        row, bar = self.folds.row(line), self.verticalScrollBar()
        if not bar.value() + 2 <= row <= bar.value() + self.rows_seen - 3:
            bar.setValue(row - self.rows_seen // 2)

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self.viewport().update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self.viewport().update()
