"""Comparing in the window: which two programs, and the page that shows them."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QFileDialog

from underglass.app.commands import Command
from underglass.app.shell import Shell
from underglass.app.write.compare_page import ComparePage, Side
from underglass.core.errors import UnderGlassError
from underglass.core.files.load import load, read_program
from underglass.core.language.source import Source


class Comparing(QObject):
    """A is always what is open. B is another program under this job, another job, or what the file still holds."""

    def __init__(self, window: Shell) -> None:
        super().__init__(window.widget)
        self._window = window
        self.page = ComparePage(window.colours)
        self.page.closed.connect(self.close)
        self.page.other_asked.connect(self.ask_other)
        self.page.line_chosen.connect(self._on_line_chosen)
        window.document.job_changed.connect(self.page.stop)

    def _on_line_chosen(self, line: int) -> None:
        self._window.document.select_line(line)

    def ask_other(self) -> None:
        """Choose the other program, then compare."""
        document = self._window.document
        if document.job is None:
            return
        start = str(document.program_path.parent) if document.program_path else str(Path.home())
        kinds = "Jobs and programs (*.job.toml *.nc *.ngc *.tap *.cnc *.txt);;Everything (*)"
        name, _kind = QFileDialog.getOpenFileName(self._window.widget, "Compare with", start, kinds)
        if name:
            self.compare_with(Path(name))

    def compare_with(self, path: Path) -> bool:
        """Another program, run under the job that is open, or a job of its own. False, with a sentence, where it cannot be."""
        document = self._window.document
        if document.job is None:
            return False
        try:
            if path.suffix == ".toml":
                job, source, _program = load(path)
            else:
                job, source = document.job, read_program(path)
        except UnderGlassError as problem:
            self._window.say_trouble(str(problem))
            return False
        self._show(Side(path.name, job, source))
        return True

    def compare_with_saved(self) -> bool:
        """What the file holds: what the edits since then have done."""
        document = self._window.document
        if document.job is None:
            return False
        saved: Source = document.source
        self._show(Side(f"{saved.name}, as saved", document.job, saved))
        return True

    def _show(self, other: Side) -> None:
        window, document = self._window, self._window.document
        assert document.job is not None
        window.go_to_place("write")
        window.say_trouble("")
        window.show_instead(self.page)
        self.page.compare(
            Side(f"{document.source.name}, open here", document.job, document.program()), other, document.units
        )
        self.page.view.setFocus()

    def close(self) -> None:
        """Back to the work; the line chosen last is the cursor's."""
        self._window.go_to_place("write")

    def commands(self) -> list[Command]:
        return [
            Command("Compare with another program…", self.ask_other, ("Ctrl+Shift+K",)),
            Command("Compare with what is saved", self.compare_with_saved),
        ]
