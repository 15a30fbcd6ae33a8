"""Find and replace in the program: one bar over the text. Enter goes on, Shift+Enter back, Escape closes."""

from __future__ import annotations

import time
from itertools import groupby

from PySide6.QtCore import QEvent, QObject, Qt, QTimer
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QGridLayout, QLineEdit, QMenu, QPushButton, QWidget

from underglass.app.parts.basic import label
from underglass.app.write.program_editor import ProgramEditor
from underglass.core.language import buffer
from underglass.core.language.find import BadQuery, Place, Way, find, replaced

_WAYS: tuple[tuple[str, Way, str], ...] = (
    ("Text", "text", "Find text as it is written"),
    ("Pattern", "pattern", "Find by a regular expression; \\1 in the replacement is its first group"),
    ("Word", "word", "Find words by letter and value: F, or F > 800"),
)

_SLICE_S = 0.012
_CHUNK = 2000


class FindBar(QWidget):
    """What is looked for, how, and what is to stand in its place."""

    def __init__(self, editor: ProgramEditor, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("panelHead")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._editor = editor
        self.places: list[Place] = []
        self._seen = -1
        self.query = QLineEdit()
        self.query.setPlaceholderText("Find")
        self.query.setAccessibleName("Find")
        self._way = 0
        self.way = QPushButton(_WAYS[0][0])
        self.way.setAccessibleName("How to find")
        menu = QMenu(self.way)
        menu.setToolTipsVisible(True)
        for index, (name, _kind, tip) in enumerate(_WAYS):
            action = menu.addAction(name)
            action.setToolTip(tip)
            action.triggered.connect(lambda _checked=False, k=index: self.set_way(k))
        self.way.setMenu(menu)
        self.found = label(quiet=True, pixels=12)
        self.new = QLineEdit()
        self.new.setPlaceholderText("Replace with")
        self.new.setAccessibleName("Replace with")
        self.one, self.all = QPushButton("Replace"), QPushButton("All")
        self.one.setToolTip("Replace this one and go to the next")
        self.all.setToolTip("Replace every one, as one step that can be undone")
        grid = QGridLayout(self)
        grid.setContentsMargins(10, 6, 10, 6)
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(5)
        grid.addWidget(self.query, 0, 0)
        grid.addWidget(self.way, 0, 1)
        grid.addWidget(self.found, 0, 2)
        grid.addWidget(self.new, 1, 0)
        grid.addWidget(self.one, 1, 1)
        grid.addWidget(self.all, 1, 2)
        grid.setColumnStretch(0, 1)
        self._look_again = QTimer(self)
        self._look_again.setSingleShot(True)
        self._look_again.setInterval(0)
        self._look_again.timeout.connect(self.look)
        self._more = QTimer(self)
        self._more.setSingleShot(True)
        self._more.setInterval(0)
        self._more.timeout.connect(self._slice)
        self._at = 0
        self.query.textChanged.connect(lambda _text: self._look_again.start())
        editor.buffer.finished.append(self._on_text_changed)
        self.one.clicked.connect(self.replace_one)
        self.all.clicked.connect(self.replace_all)
        for field in (self.query, self.new):
            field.installEventFilter(self)
        self.hide()

    def take(self, editor: ProgramEditor) -> None:
        """Act on another view of the text."""
        self._editor = editor

    @property
    def kind(self) -> Way:
        return _WAYS[self._way][1]

    def set_way(self, index: int) -> None:
        """Find text (0), a pattern (1) or words (2)."""
        self._way = index
        self.way.setText(_WAYS[index][0])
        self.way.setToolTip(_WAYS[index][2])
        self.look()

    def begin(self) -> None:
        """Show the bar, with the selected text in it where that is on one line."""
        chosen = self._editor.selected_text
        if chosen and "\n" not in chosen:
            self.query.setText(chosen)
        self.show()
        self.query.setFocus()
        self.query.selectAll()
        self.look()

    def finish(self) -> None:
        """Close the bar; the cursor stays where it found something."""
        self.hide()
        self._editor.setFocus()

    def _on_text_changed(self) -> None:
        if self.isVisible() and self._editor.buffer.revision != self._seen:
            self._look_again.start()

    def look(self) -> None:
        """Find everything anew."""
        self._look_again.stop()
        self._seen = self._editor.buffer.revision
        self.places, self._at = [], 0
        self._slice()

    def _slice(self) -> None:
        """Look through some lines, then let the window have its turn: a million of them take a while."""
        self._more.stop()
        lines, query = self._editor.buffer.lines, self.query.text()
        if self._editor.buffer.revision != self._seen:
            return
        until = time.perf_counter() + _SLICE_S
        tip, text = "", ""
        try:
            while self._at < len(lines):
                first = self._at
                self._at = min(first + _CHUNK, len(lines))
                self.places += [
                    p._replace(line=p.line + first) for p in find(lines[first : self._at], query, self.kind)
                ]
                if time.perf_counter() > until:
                    break
            text = "" if not query else f"{len(self.places)} found" if self.places else "none"
        except BadQuery as problem:
            self.places, self._at, text, tip = [], len(lines), "?", str(problem)
        if self._at < len(lines):
            text = f"{len(self.places)} so far"
            self._more.start()
        self.found.setToolTip(tip)
        self.found.setText(text)
        for button in (self.one, self.all):
            button.setEnabled(bool(self.places) and not self._editor.read_only and self._at >= len(lines))

    def _here(self) -> tuple[int, int]:
        start = self._editor.selection[0]
        return start.line + 1, start.column

    def _select(self, place: Place) -> None:
        line = place.line - 1
        self._editor.select(buffer.Place(line, place.start), buffer.Place(line, place.end))
        self._editor.show_line(line)

    def _text_of(self, place: Place) -> str:
        return self._editor.buffer.lines[place.line - 1][place.start : place.end]

    def go_on(self, way: int = 1) -> None:
        """Select the next place after the cursor, or the last one before it; round at the ends."""
        if not self.places:
            return
        here = self._here()
        chosen = bool(self._editor.selected_text)
        if way > 0:
            after = [p for p in self.places if (p.line, p.start) > here or ((p.line, p.start) == here and not chosen)]
            place = (after or self.places)[0]
        else:
            before = [p for p in self.places if (p.line, p.start) < here]
            place = (before or self.places)[-1]
        self._select(place)
        self.found.setText(f"{self.places.index(place) + 1} of {len(self.places)}")

    def replace_one(self) -> None:
        """Replace the place that is selected, and go to the next; with none selected just go there."""
        here = self._here()
        place = next((p for p in self.places if (p.line, p.start) == here), None)
        chosen = self._editor.selected_text
        if place is not None and chosen == self._text_of(place):
            new = self._new_text(chosen)
            if new is None:
                return
            self._editor.insert(new)
            self.look()
        self.go_on()

    def _new_text(self, old: str) -> str | None:
        try:
            return replaced(old, self.query.text(), self.kind, self.new.text())
        except BadQuery as problem:
            self.found.setText("?")
            self.found.setToolTip(str(problem))
            return None

    def replace_all(self) -> None:
        """Replace every place, from the last to the first, as one step."""
        count, made = len(self.places), self._editor.buffer
        with made.group():
            for line, places in groupby(self.places, key=lambda p: p.line):
                text = made.lines[line - 1]
                for place in reversed(list(places)):
                    new = self._new_text(text[place.start : place.end])
                    if new is None:
                        return
                    text = text[: place.start] + new + text[place.end :]
                made.change_lines(line - 1, 1, text.split("\n"))
        self.look()
        self.found.setText(f"{count} replaced")

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.KeyPress and isinstance(event, QKeyEvent):
            if event.key() == Qt.Key.Key_Escape:
                self.finish()
                return True
            if (
                event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
                and not event.modifiers() & Qt.KeyboardModifier.AltModifier
            ):
                if watched is self.new:
                    self.replace_one()
                else:
                    self.look()
                    self.go_on(-1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1)
                return True
        return super().eventFilter(watched, event)
