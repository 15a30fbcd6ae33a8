"""Typing in a view of lines: keys, mouse, clipboard, input methods, undo.

Caret and anchor are places (line and column from 0) in a buffer; several views may show one buffer.
"""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, QMimeData, QPoint, Qt, QTimer
from PySide6.QtGui import (
    QClipboard,
    QContextMenuEvent,
    QGuiApplication,
    QInputMethodEvent,
    QKeyEvent,
    QKeySequence,
    QMouseEvent,
)
from PySide6.QtWidgets import QMenu, QWidget

from underglass.app.style.palette import Palette
from underglass.app.write.text_canvas import LEFT, TextCanvas
from underglass.app.write.text_places import from_utf16, to_utf16, word_at
from underglass.core.language.buffer import Buffer, Place


class TextView(TextCanvas):
    """Shows and edits a buffer."""

    def __init__(self, buffer: Buffer, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(buffer, palette, parent)
        self.more_menu: Callable[[QMenu, int], object] = lambda _menu, _line: None
        """Adds to the menu what can be done with a line."""
        self._wanted_x: float | None = None
        self._clicks = 0
        self._clicks_over = QTimer(self)
        self._clicks_over.setSingleShot(True)
        self._clicks_over.timeout.connect(self._forget_clicks)
        self.setAttribute(Qt.WidgetAttribute.WA_InputMethodEnabled)

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

    def take_in(self, data: QMimeData | None) -> None:
        """What was copied elsewhere goes in at the caret; where nothing ever was, some platforms give nothing at all."""
        if data is not None and data.hasText() and not self.read_only:
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
        units = self.layout_of(line).lineAt(0).xToCursor(x - LEFT)
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
        self.more_menu(menu, self.caret.line + 1)
        return menu
