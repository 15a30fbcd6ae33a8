"""The program's column: its head, the bars over the text, one or two views of it, and the block reader."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeySequence
from PySide6.QtWidgets import QSplitter, QVBoxLayout, QWidget

from underglass.app.commands import Command
from underglass.app.document import Document
from underglass.app.parts.basic import PanelHead
from underglass.app.prove.reader_panel import ReaderPanel
from underglass.app.style.palette import Palette
from underglass.app.write.bars import NumberBar, PassBar, WordBar
from underglass.app.write.find_bar import FindBar
from underglass.app.write.program_editor import TEXT_EDITS, ProgramEditor
from underglass.core.language import edits
from underglass.core.proof.standing import Standing


class ProgramColumn(QWidget):
    """``editor`` is the view that had the keys last; both show the one text."""

    split_changed = Signal(bool)
    nothing_done = Signal(str)
    """Why what was asked for changes nothing."""

    def __init__(self, document: Document, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._palette = palette
        self.head = PanelHead("Program")
        self.upper = ProgramEditor(document, palette)
        self.lower: ProgramEditor | None = None
        self._text_size = 13
        self.editor = self.upper
        self.upper.focused.connect(self._on_focused)
        self.find_bar = FindBar(self.upper)
        self.word_bar = WordBar(self.upper)
        self.pass_bar = PassBar(self.upper)
        self.number_bar = NumberBar(self.upper)
        self._bars = (self.find_bar, self.word_bar, self.pass_bar, self.number_bar)
        self.reader = ReaderPanel(document, palette)
        self.stand: Callable[[], Standing | None] = lambda: None
        self.upper.stand = lambda: self.stand()
        self.reader.fix_asked.connect(lambda fix: self.editor.make_fix(fix))
        self._split = QSplitter(Qt.Orientation.Vertical)
        self._split.setHandleWidth(1)
        self._split.addWidget(self.upper)
        self._split.addWidget(self.reader)
        self._split.setSizes([440, 190])
        self._split.setStretchFactor(0, 1)
        self._split.setCollapsible(0, False)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        for part in (self.head, *self._bars):
            box.addWidget(part)
        box.addWidget(self._split, 1)
        document.line_changed.connect(self._on_line_changed)
        document.text_changed.connect(lambda: self._on_line_changed(document.line))

    @property
    def editors(self) -> tuple[ProgramEditor, ...]:
        return (self.upper,) if self.lower is None else (self.upper, self.lower)

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        for part in (*self.editors, self.reader):
            part.set_palette(palette)

    def begin(self, bar: QWidget) -> None:
        """One bar at a time over the text: find, change a word, copy a pass."""
        for other in self._bars:
            if other is not bar:
                other.hide()
        bar.begin()  # type: ignore[attr-defined]

    def split(self) -> None:
        """A second view of the same text below the first, or away with it."""
        if self.lower is not None:
            self.lower.leave()
            self.lower.setParent(None)
            self.lower.deleteLater()
            self.lower = None
            self._take(self.upper)
            self.upper.setFocus()
        else:
            self.lower = ProgramEditor(self._document, self._palette)
            self.lower.set_text_size(self._text_size)
            self.lower.setObjectName("lowerEditor")
            self.lower.setAccessibleName("Program, second view")
            self.lower.focused.connect(self._on_focused)
            self.lower.stand = lambda: self.stand()
            self.lower.read_only = self.upper.read_only
            self._split.insertWidget(1, self.lower)
            self._split.setStretchFactor(1, 1)
            total = sum(self._split.sizes())
            self._split.setSizes([int(total * 0.37), int(total * 0.37), int(total * 0.26)])
            self.lower.show_proof()
            self.lower.put_caret(self.upper.caret)
            self._take(self.lower)
            self.lower.setFocus()
        self.split_changed.emit(self.lower is not None)

    def _on_focused(self, editor: ProgramEditor) -> None:
        self._take(editor)
        self._document.select_line(editor.caret.line + 1, move_moment=False)

    def _take(self, editor: ProgramEditor) -> None:
        """The commands act on this view from now on; the other keeps its place."""
        self.editor = editor
        for one in self.editors:
            one.stays = one is not editor
        for bar in self._bars:
            bar.take(editor)

    def _on_line_changed(self, line: int) -> None:
        lines = self._document.lines
        total = len(lines) - (not lines[-1])
        self.head.detail.setText(f"line {line} of {max(total, 1)}")

    # -- commands ----------------------------------------------------------------------------------------------------

    def change_text(self, edit: Callable[[Sequence[str]], tuple[str, ...]], whole: bool) -> None:
        """Change the program's text as a whole, or the lines that are selected; can be undone."""
        if self._document.job is not None and not self.editor.change_lines(edit, whole):
            self.nothing_done.emit("Nothing to change.")

    def fold_here(self) -> None:
        if not self.editor.toggle_fold():
            self.nothing_done.emit("Nothing to fold here: this line is not inside a tool section or a subprogram.")

    def fold_all(self, kind: str) -> None:
        if not self.editor.fold_all(kind):
            what = "tool change" if kind == "tool" else "subprogram"
            self.nothing_done.emit(f"Nothing to fold: the program has no {what}.")

    def next_bookmark(self, way: int) -> None:
        if not self.editor.next_bookmark(way):
            self.nothing_done.emit("No line is bookmarked; Ctrl+F2 bookmarks the one with the cursor.")

    def set_text_size(self, pixels: int) -> None:
        """The size of the program's text, in both views."""
        self._text_size = pixels
        for view in (self.upper, self.lower):
            if view is not None:
                view.set_text_size(pixels)

    def rewrite(self, first: int, last: int, lines: Sequence[str]) -> None:
        """Other blocks in place of those of a form."""
        if not self.editor.replace_lines(first, last, lines):
            self.nothing_done.emit("Nothing to change.")

    def rewrite_all(self, lines: Sequence[str]) -> None:
        """Other lines for the program: what differs is replaced, as one step to undo."""
        self.rewrite(0, len(self.editor.buffer.lines) - 1, lines)

    def commands(self) -> list[Command]:
        # The editor is asked for when the command runs: with two views it is the one that had the keys last.
        return [
            Command("Apply the fix offered", self.reader.make_fix, ("Alt+Return",)),
            *(
                Command(name, lambda e=edit, every=whole: self.change_text(e, every))  # type: ignore[misc]
                for name, edit, whole in TEXT_EDITS
            ),
            Command(
                "Find and replace in the program",
                lambda: self.begin(self.find_bar),
                (QKeySequence.StandardKey.Find, "Ctrl+H"),
            ),
            Command("Find next", self.find_bar.go_on, ("F3",)),
            Command("Find previous", lambda: self.find_bar.go_on(-1), ("Shift+F3",)),
            Command(
                "Comment on or off", lambda: self.editor.change_line_here(edits.toggle_comments), ("Ctrl+Shift+C",)
            ),
            Command(
                "Change a word in many lines: times, plus, set", lambda: self.begin(self.word_bar), ("Ctrl+Shift+F",)
            ),
            Command("Copy the selected lines, each copy lower", lambda: self.begin(self.pass_bar), ("Ctrl+Shift+P",)),
            Command("Number the blocks: first number and step", lambda: self.begin(self.number_bar)),
            Command("Put the cursor in the program", lambda: self.editor.setFocus(), ("Ctrl+E",)),
            Command("Suggestions", lambda: self.editor.offer_words(), ("Ctrl+Return",)),
            Command("Fold or unfold here: tool or subprogram", self.fold_here, ("Ctrl+.",)),
            Command("Fold every tool", lambda: self.fold_all("tool"), ("Ctrl+Shift+.",)),
            Command("Fold every subprogram", lambda: self.fold_all("program")),
            Command("Unfold everything", lambda: self.editor.unfold_all(), ("Ctrl+Shift+,",)),
            Command("Bookmark on or off", lambda: self.editor.toggle_bookmark(), ("Ctrl+F2",)),
            Command("Next bookmark", lambda: self.next_bookmark(1), ("F2",)),
            Command("Previous bookmark", lambda: self.next_bookmark(-1), ("Shift+F2",)),
            Command("One or two views of the program", self.split, ("Ctrl+Shift+V",)),
        ]
