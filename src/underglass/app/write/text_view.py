"""A view of lines that is as quick at a million as at ten: only what is seen is laid out.

Caret and anchor are places (line and column from 0) in a buffer; several views may show one buffer.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QEvent, QMimeData, QPoint, QPointF, QRect, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import (
    QAccessible,
    QAccessibleEvent,
    QClipboard,
    QColor,
    QContextMenuEvent,
    QFocusEvent,
    QGuiApplication,
    QInputMethodEvent,
    QKeyEvent,
    QKeySequence,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QTextLayout,
    QTextOption,
)
from PySide6.QtWidgets import QAbstractScrollArea, QFrame, QMenu, QWidget

from underglass.app.style.palette import Palette
from underglass.app.style.theme import number_font
from underglass.app.write.folds import Folds
from underglass.core.language.buffer import Buffer, Change, Place, line_after

_LEFT = 6
_KEPT_LAYOUTS = 2000


def to_utf16(text: str, column: int) -> int:
    """A column of a Python string as Qt counts it (UTF-16 units)."""
    return column if text.isascii() else len(text[:column].encode("utf-16-le", "surrogatepass")) // 2


def from_utf16(text: str, units: int) -> int:
    """A position that Qt counted as a column of a Python string."""
    if text.isascii():
        return units
    return len(text.encode("utf-16-le", "surrogatepass")[: units * 2].decode("utf-16-le", "ignore"))


def word_at(text: str, column: int) -> tuple[int, int]:
    """(start, end) of the program word, number or blank stretch about a column."""

    def kind(character: str) -> int:
        return 0 if character in " \t" else 1 if character.isalnum() or character in "+-.#_" else 2

    if not text:
        return 0, 0
    at = min(column, len(text) - 1)
    if column == len(text) or (at > 0 and kind(text[at]) != 1 and kind(text[at - 1]) == 1 and column > 0):
        at = max(at - (column <= len(text) - 1), 0)
    wanted = kind(text[at])
    start = end = at
    while start > 0 and kind(text[start - 1]) == wanted:
        start -= 1
    while end < len(text) and kind(text[end]) == wanted:
        end += 1
    if wanted == 1:
        # Words may stand close, as in G1X5: each letter that comes before a figure begins one.
        for k in range(at, start, -1):
            if text[k].isalpha() and not text[k - 1].isalpha():
                start = k
                break
        for k in range(at + 1, end):
            if text[k].isalpha() and not text[k - 1].isalpha():
                end = k
                break
    return start, end


class TextView(QAbstractScrollArea):
    """Shows and edits a buffer. ``caret_moved`` is sent when the caret is somewhere else than before."""

    caret_moved = Signal()

    def __init__(self, buffer: Buffer, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.buffer = buffer
        self.folds = Folds()
        self.colours = palette
        self.caret = Place(0, 0)
        self.anchor = Place(0, 0)
        self._told = Place(0, 0)
        self.read_only = False
        self.overtype = False
        self._wanted_x: float | None = None
        self._layouts: dict[str, QTextLayout] = {}
        self._widest = 0.0
        self._clicks = 0
        self._clicks_over = QTimer(self)
        self._clicks_over.setSingleShot(True)
        self._clicks_over.timeout.connect(self._forget_clicks)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setFont(number_font(13))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAttribute(Qt.WidgetAttribute.WA_InputMethodEnabled)
        self.viewport().setCursor(Qt.CursorShape.IBeamCursor)
        self.verticalScrollBar().valueChanged.connect(self._on_scrolled)
        self.horizontalScrollBar().valueChanged.connect(self._on_scrolled)
        self._follow(buffer)

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
        if change.growth:
            self.caret = Place(line_after(self.caret.line, change), self.caret.column)
            self.anchor = Place(line_after(self.anchor.line, change), self.anchor.column)

    def _on_buffer_finished(self) -> None:
        self.caret, self.anchor = self.buffer.clamp(self.caret), self.buffer.clamp(self.anchor)
        self._place_bars()
        self.viewport().update()

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
        across.setRange(0, max(0, int(self._widest + 2 * _LEFT + 8) - self.viewport().width()))

    def _on_scrolled(self, _value: int) -> None:
        self.viewport().update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._place_bars()

    def _x0(self) -> float:
        return float(_LEFT - self.horizontalScrollBar().value())

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
        self.anchor, self.caret = self.buffer.clamp(anchor), self.buffer.clamp(caret)
        if self.folds.at(self.caret.line) is not None:
            self.folds.unfold(self.caret.line)
            self._place_bars()
        self.show_caret()
        self.viewport().update()
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
        if x < _LEFT:
            across.setValue(int(across.value() + x - _LEFT - 40))
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

    # -- typing ------------------------------------------------------------------------------------------------------

    def insert(self, text: str, kind: str = "") -> None:
        """Put text in the place of what is selected, or at the caret."""
        if self.read_only:
            return
        start, end = self.selection
        text = text.replace("\r\n", "\n").replace("\r", "\n")
        behind = self.buffer.replace(start, end, text, kind if start == end else "")
        self.put_caret(behind)

    def _rub(self, to: Place) -> None:
        start, end = self.selection
        if self.read_only:
            return
        if start == end:
            start, end = min(self.caret, to), max(self.caret, to)
            self.put_caret(self.buffer.replace(start, end, "", "rub" if to < self.caret else ""))
        else:
            self.put_caret(self.buffer.replace(start, end, ""))

    def undo(self) -> None:
        """Take the last change back and select what stands there again."""
        places = None if self.read_only else self.buffer.undo()
        if places is not None:
            self.select(*places)

    def redo(self) -> None:
        place = None if self.read_only else self.buffer.redo()
        if place is not None:
            self.put_caret(place)

    def copy(self) -> None:
        if self.anchor != self.caret:
            QGuiApplication.clipboard().setText(self.selected_text)

    def cut(self) -> None:
        if self.anchor != self.caret and not self.read_only:
            self.copy()
            self.insert("")

    def paste(self) -> None:
        self.take_in(QGuiApplication.clipboard().mimeData())

    def take_in(self, data: QMimeData) -> None:
        """What was copied elsewhere goes in at the caret."""
        if data.hasText() and not self.read_only:
            self.buffer.break_step()
            self.insert(data.text())

    # -- moving about ------------------------------------------------------------------------------------------------

    def _beside(self, way: int) -> Place:
        line, column = self.caret
        if way < 0:
            if column:
                return Place(line, column - 1)
            above = self.folds.line(self.folds.row(line) - 1) if self.folds.row(line) else line
            return Place(above, len(self.buffer.lines[above])) if line else self.caret
        if column < len(self.buffer.lines[line]):
            return Place(line, column + 1)
        under = self.folds.under(line)
        following = (under[1] if under else line) + 1
        return Place(following, 0) if following < len(self.buffer.lines) else self.caret

    def _word_beside(self, way: int) -> Place:
        line, column = self.caret
        text = self.buffer.lines[line]
        if (way < 0 and column == 0) or (way > 0 and column == len(text)):
            return self._beside(way)
        if way > 0:
            at = max(word_at(text, column)[1], column + 1)
            while at < len(text) and text[at] in " \t":
                at += 1
            return Place(line, min(at, len(text)))
        at = column
        while at > 0 and text[at - 1] in " \t":
            at -= 1
        return Place(line, min(word_at(text, at - 1)[0], at) if at else 0)

    def _rows_on(self, rows: int) -> Place:
        count = len(self.buffer.lines) - self.folds.count
        x = self._wanted_x if self._wanted_x is not None else self.x_of(self.caret) + self.horizontalScrollBar().value()
        row = min(max(self.folds.row(self.caret.line) + rows, 0), count - 1)
        line = self.folds.line(row)
        units = self.layout_of(line).lineAt(0).xToCursor(x - _LEFT)
        self._wanted_x = x
        return Place(line, from_utf16(self.buffer.lines[line], units))

    def _line_start(self) -> Place:
        text = self.buffer.lines[self.caret.line]
        first = len(text) - len(text.lstrip(" \t"))
        return Place(self.caret.line, 0 if self.caret.column == first else first)

    def _moves(self) -> tuple[tuple[QKeySequence.StandardKey, QKeySequence.StandardKey, Callable[[], Place]], ...]:
        key = QKeySequence.StandardKey
        here = self.caret.line
        return (
            (key.MoveToPreviousChar, key.SelectPreviousChar, lambda: self._beside(-1)),
            (key.MoveToNextChar, key.SelectNextChar, lambda: self._beside(1)),
            (key.MoveToPreviousWord, key.SelectPreviousWord, lambda: self._word_beside(-1)),
            (key.MoveToNextWord, key.SelectNextWord, lambda: self._word_beside(1)),
            (key.MoveToPreviousLine, key.SelectPreviousLine, lambda: self._rows_on(-1)),
            (key.MoveToNextLine, key.SelectNextLine, lambda: self._rows_on(1)),
            (key.MoveToPreviousPage, key.SelectPreviousPage, lambda: self._rows_on(-max(1, self.rows_seen - 2))),
            (key.MoveToNextPage, key.SelectNextPage, lambda: self._rows_on(max(1, self.rows_seen - 2))),
            (key.MoveToStartOfLine, key.SelectStartOfLine, self._line_start),
            (key.MoveToEndOfLine, key.SelectEndOfLine, lambda: Place(here, len(self.buffer.lines[here]))),
            (key.MoveToStartOfDocument, key.SelectStartOfDocument, lambda: Place(0, 0)),
            (key.MoveToEndOfDocument, key.SelectEndOfDocument, lambda: self.buffer.end),
        )

    _UP_AND_DOWN = (
        QKeySequence.StandardKey.MoveToPreviousLine,
        QKeySequence.StandardKey.MoveToNextLine,
        QKeySequence.StandardKey.MoveToPreviousPage,
        QKeySequence.StandardKey.MoveToNextPage,
    )

    def _moved_by(self, event: QKeyEvent) -> bool:
        for move, choose, where in self._moves():
            if event.matches(move) or event.matches(choose):
                if move not in self._UP_AND_DOWN:
                    self._wanted_x = None
                wanted = where()
                kept_x = self._wanted_x
                if move == QKeySequence.StandardKey.MoveToPreviousChar and event.matches(move):
                    wanted = wanted if self.anchor == self.caret else self.selection[0]
                elif move == QKeySequence.StandardKey.MoveToNextChar and event.matches(move):
                    wanted = wanted if self.anchor == self.caret else self.selection[1]
                self.buffer.break_step()
                self.put_caret(wanted, keep_anchor=event.matches(choose))
                self._wanted_x = kept_x
                return True
        return False

    def _done_by(self, event: QKeyEvent) -> bool:
        key = QKeySequence.StandardKey
        for sequence, call in (
            (key.Undo, self.undo),
            (key.Redo, self.redo),
            (key.Copy, self.copy),
            (key.Cut, self.cut),
            (key.Paste, self.paste),
            (key.SelectAll, self.select_all),
            (key.Delete, lambda: self._rub(self._beside(1))),
            (key.DeleteStartOfWord, lambda: self._rub(self._word_beside(-1))),
            (key.DeleteEndOfWord, lambda: self._rub(self._word_beside(1))),
            (key.InsertParagraphSeparator, self.new_line),
            (key.InsertLineSeparator, self.new_line),
        ):
            if event.matches(sequence):
                self._wanted_x = None
                call()
                return True
        return False

    def new_line(self) -> None:
        """Return: the line is parted at the caret."""
        self.buffer.break_step()
        self.insert("\n")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self._moved_by(event) or self._done_by(event):
            return
        control = event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier)
        if event.key() == Qt.Key.Key_Backspace and not control:
            self._wanted_x = None
            self._rub(self._beside(-1))
        elif event.key() == Qt.Key.Key_Insert and not event.modifiers():
            self.overtype = not self.overtype
            self.viewport().update()
        elif event.text() and event.text().isprintable() and not control:
            self._wanted_x = None
            self.type(event.text())
        else:
            super().keyPressEvent(event)

    def type(self, text: str) -> None:
        """As from the keyboard."""
        if self.overtype and self.anchor == self.caret and self.caret.column < len(self.buffer.lines[self.caret.line]):
            self.anchor = Place(self.caret.line, self.caret.column + 1)
            self.anchor, self.caret = self.caret, self.anchor
        self.insert(text, "type")

    def event(self, event: QEvent) -> bool:
        # Keys that mean something in a text are the text's, before any command of the window.
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent):
            mine = any(event.matches(k) for pair in self._moves() for k in pair[:2]) or any(
                event.matches(k)
                for k in (
                    QKeySequence.StandardKey.Undo, QKeySequence.StandardKey.Redo, QKeySequence.StandardKey.Copy,
                    QKeySequence.StandardKey.Cut, QKeySequence.StandardKey.Paste, QKeySequence.StandardKey.SelectAll,
                    QKeySequence.StandardKey.Delete,
                )
            )  # fmt: skip
            plain = not event.modifiers() & ~(
                Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.KeypadModifier
            ) and bool(event.text().isprintable() and event.text())
            if mine or plain:
                event.accept()
                return True
        return super().event(event)

    def inputMethodEvent(self, event: QInputMethodEvent) -> None:
        if event.commitString():
            self.insert(event.commitString(), "type")
        event.accept()

    def inputMethodQuery(self, query: Qt.InputMethodQuery) -> object:
        if query == Qt.InputMethodQuery.ImCursorRectangle:
            return self.caret_rect().translated(self.viewport().pos())
        if query == Qt.InputMethodQuery.ImEnabled:
            return not self.read_only
        if query == Qt.InputMethodQuery.ImSurroundingText:
            return self.buffer.lines[self.caret.line]
        if query == Qt.InputMethodQuery.ImCursorPosition:
            return to_utf16(self.buffer.lines[self.caret.line], self.caret.column)
        if query == Qt.InputMethodQuery.ImCurrentSelection:
            return self.selected_text if self.selection[0].line == self.selection[1].line else ""
        return super().inputMethodQuery(query)

    # -- the mouse ---------------------------------------------------------------------------------------------------

    def _forget_clicks(self) -> None:
        self._clicks = 0

    def mousePressEvent(self, event: QMouseEvent) -> None:
        place = self.place_at(event.position())
        self._wanted_x = None
        self.buffer.break_step()
        if event.button() == Qt.MouseButton.LeftButton:
            self._clicks = self._clicks + 1 if self._clicks_over.isActive() else 1
            self._clicks_over.start(QGuiApplication.styleHints().mouseDoubleClickInterval())
            if self._clicks >= 3:
                self.select(Place(place.line, 0), self.buffer.clamp(Place(place.line + 1, 0)))
            else:
                self.put_caret(place, keep_anchor=bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
        elif event.button() == Qt.MouseButton.MiddleButton:
            self.put_caret(place)
            self.take_in(QGuiApplication.clipboard().mimeData(QClipboard.Mode.Selection))

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._clicks = 2
            self._clicks_over.start(QGuiApplication.styleHints().mouseDoubleClickInterval())
            place = self.place_at(event.position())
            start, end = word_at(self.buffer.lines[place.line], place.column)
            self.select(Place(place.line, start), Place(place.line, end))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if event.buttons() & Qt.MouseButton.LeftButton and self._clicks == 1:
            self.put_caret(self.place_at(event.position()), keep_anchor=True)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        menu = self.make_menu()
        menu.exec(event.globalPos() if event.reason() == QContextMenuEvent.Reason.Mouse else self._menu_place())

    def _menu_place(self) -> QPoint:
        return self.viewport().mapToGlobal(self.caret_rect().bottomLeft())

    def make_menu(self) -> QMenu:
        """What can be done with the text here."""
        menu = QMenu(self)
        chosen = self.anchor != self.caret
        for name, call, keys, can in (
            ("Undo", self.undo, QKeySequence.StandardKey.Undo, self.buffer.can_undo),
            ("Redo", self.redo, QKeySequence.StandardKey.Redo, self.buffer.can_redo),
            ("", None, None, True),
            ("Cut", self.cut, QKeySequence.StandardKey.Cut, chosen),
            ("Copy", self.copy, QKeySequence.StandardKey.Copy, chosen),
            ("Paste", self.paste, QKeySequence.StandardKey.Paste, not self.read_only),
            ("", None, None, True),
            ("Select all", self.select_all, QKeySequence.StandardKey.SelectAll, True),
        ):
            if call is None or keys is None:
                menu.addSeparator()
                continue
            action = menu.addAction(f"{name}\t{QKeySequence(keys).toString()}")
            action.setEnabled(can)
            action.triggered.connect(lambda _checked=False, c=call: c())
        return menu

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self.viewport().update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self.viewport().update()
