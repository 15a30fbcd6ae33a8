"""Bars over the text: a word changed over many lines, a pass copied and let down, blocks numbered. Return does it, Escape closes."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from underglass.app.parts.basic import label
from underglass.app.write.program_editor import ProgramEditor
from underglass.core.language.edits import renumber, strip_numbers
from underglass.core.language.find import BadQuery, words
from underglass.core.language.rework import BadChange, How, change_words, copy_pass
from underglass.core.reckon.figure import BadFigure, read_figure

_HOW: tuple[tuple[str, How], ...] = (("times", "times"), ("plus", "plus"), ("set to", "to"))


class Bar(QWidget):
    """A row of fields over the text that acts on what is selected there."""

    def __init__(self, editor: ProgramEditor, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("panelHead")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.editor = editor
        self.row, self.foot = QHBoxLayout(), QHBoxLayout()
        box = QVBoxLayout(self)
        box.setContentsMargins(10, 6, 10, 6)
        box.setSpacing(5)
        for row in (self.row, self.foot):
            row.setSpacing(6)
            box.addLayout(row)
        self.said = label(quiet=True, pixels=12)
        self.make = QPushButton()
        self.make.clicked.connect(self.do)
        editor.caret_moved.connect(self.look)
        editor.buffer.finished.append(self.look)
        self.hide()

    def take(self, editor: ProgramEditor) -> None:
        """Act on another view of the text."""
        if editor is not self.editor:
            self.editor.caret_moved.disconnect(self.look)
            self.editor = editor
            editor.caret_moved.connect(self.look)
            self.look()

    def put(self, fields: Sequence[QWidget], more: Sequence[QWidget] = ()) -> None:
        """The fields in one row, what comes of them and the buttons in another: a column of text is narrow."""
        for part in fields:
            self.row.addWidget(part)
        self.row.addStretch(1)
        self.said.setMinimumWidth(20)
        self.foot.addWidget(self.make)
        for part in more:
            self.foot.addWidget(part)
        self.foot.addWidget(self.said, 1)

    def begin(self) -> None:
        """Show the bar; its first field has the keys."""
        self.show()
        self.look()
        field = self.findChild(QLineEdit)
        if field is not None:
            field.setFocus()
            field.selectAll()

    def finish(self) -> None:
        self.hide()
        self.editor.setFocus()

    def look(self) -> None:
        """Say what would be done."""

    def do(self) -> None:
        """Do it."""

    def field(self, name: str, text: str, width: int) -> QLineEdit:
        made = QLineEdit(text)
        made.setAccessibleName(name)
        made.setFixedWidth(width)
        made.textChanged.connect(lambda _text: self.look())
        made.installEventFilter(self)
        return made

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.KeyPress and isinstance(event, QKeyEvent):
            if event.key() == Qt.Key.Key_Escape:
                self.finish()
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self.do()
                return True
        return super().eventFilter(watched, event)


class WordBar(Bar):
    """Scale, shift or set the number of a letter in the selected lines, or in all."""

    def __init__(self, editor: ProgramEditor) -> None:
        super().__init__(editor)
        self.which = self.field("Which word", "F", 82)
        self.which.setToolTip("A letter, or a letter and a comparison: F, or F > 800")
        self.how = QComboBox()
        self.how.setAccessibleName("How to change it")
        self.how.addItems([name for name, _how in _HOW])
        self.how.currentIndexChanged.connect(lambda _index: self.look())
        self.by = self.field("By how much", "0.8", 70)
        self.put((label("Change", quiet=True), self.which, self.how, self.by))

    def _lines(self) -> tuple[int, int]:
        if self.editor.anchor != self.editor.caret:
            first, last = self.editor.selected_lines()
            return first, last
        return 0, len(self.editor.buffer.lines) - 1

    def look(self) -> None:
        if not self.isVisible():
            return
        first, last = self._lines()
        try:
            count = sum(1 for _ in words(self.editor.buffer.lines[first : last + 1], self.which.text() or " "))
            read_figure(self.by.text())
        except (BadQuery, BadFigure) as problem:
            self._say(str(problem), False)
            return
        where = "in all lines" if last - first + 1 == len(self.editor.buffer.lines) else f"in {last - first + 1} lines"
        self.make.setText(f"Change {count}")
        self._say(where, bool(count))

    def _say(self, text: str, can: bool) -> None:
        self.said.setText(text)
        self.said.setToolTip(text)
        self.make.setEnabled(can and not self.editor.read_only)
        if not can:
            self.make.setText("Change")

    def do(self) -> None:
        if not self.make.isEnabled():
            return
        first, last = self._lines()
        try:
            by = read_figure(self.by.text())
            how = _HOW[self.how.currentIndex()][1]
            new = change_words(self.editor.buffer.lines[first : last + 1], self.which.text(), how, by)
        except (BadChange, BadQuery, BadFigure) as problem:
            self._say(str(problem), False)
            return
        self.editor.replace_lines(first, last, new)


class PassBar(Bar):
    """Copy the selected lines below themselves, each copy lower than the last."""

    def __init__(self, editor: ProgramEditor) -> None:
        super().__init__(editor)
        self.times = self.field("How many copies", "1", 44)
        self.step = self.field("Lower by", "1.0", 70)
        self.put((label("Copy", quiet=True), self.times, label("times, each lower by", quiet=True), self.step))
        self.make.setText("Copy")

    def _new(self) -> tuple[str, ...]:
        first, last = self.editor.selected_lines()
        times = read_figure(self.times.text())
        if times != int(times) or not 1 <= times <= 500:
            raise BadFigure("copies: a whole number from 1 to 500")
        lines = self.editor.buffer.lines
        return copy_pass(lines[first : last + 1], read_figure(self.step.text()), int(times), lines[:first])

    def look(self) -> None:
        if not self.isVisible():
            return
        first, last = self.editor.selected_lines()
        if last - first > 20_000:
            text, can = "too many lines for a pass", False
        else:
            try:
                text, can = f"{last - first + 1} lines become {len(self._new())}", True
            except (BadChange, BadFigure) as problem:
                text, can = str(problem), False
        self.said.setText(text)
        self.said.setToolTip(text)
        self.make.setEnabled(can and not self.editor.read_only)

    def do(self) -> None:
        if self.make.isEnabled():
            first, last = self.editor.selected_lines()
            self.editor.replace_lines(first, last, self._new())
            self.finish()


class NumberBar(Bar):
    """Number the blocks of the whole program; jumps follow the blocks they lead to."""

    def __init__(self, editor: ProgramEditor) -> None:
        super().__init__(editor)
        self.start = self.field("First number", "10", 64)
        self.step = self.field("Step", "10", 54)
        self.away = QPushButton("Remove them")
        self.away.setToolTip("Take the block numbers away, but for those that are jumped to")
        self.away.clicked.connect(lambda: self._change(strip_numbers))
        self.put(
            (label("Number from", quiet=True), self.start, label("in steps of", quiet=True), self.step), (self.away,)
        )
        self.make.setText("Number")

    def _figures(self) -> tuple[int, int]:
        start, step = read_figure(self.start.text()), read_figure(self.step.text())
        if start != int(start) or step != int(step) or not 0 <= start <= 99_999_999 or not 1 <= step <= 100_000:
            raise BadFigure("whole numbers, the step from 1")
        return int(start), int(step)

    def look(self) -> None:
        if not self.isVisible():
            return
        try:
            self._figures()
            text = ""
        except BadFigure as problem:
            text = str(problem)
        self.said.setText(text)
        self.make.setEnabled(not text and not self.editor.read_only)

    def _change(self, edit: Callable[[Sequence[str]], Sequence[str]]) -> None:
        lines = self.editor.buffer.lines
        if not self.editor.replace_lines(0, len(lines) - 1, edit(tuple(lines))):
            self.said.setText("so already, or a jump is worked out by arithmetic")

    def do(self) -> None:
        if self.make.isEnabled():
            start, step = self._figures()
            self._change(lambda lines: renumber(lines, start, step))
