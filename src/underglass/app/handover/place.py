"""Hand over: the file and the stick, the sheets and reports that go with it, a folder of jobs."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QSettings, Signal
from PySide6.QtWidgets import QStackedWidget, QWidget

from underglass.app.commands import Command
from underglass.app.document import Document
from underglass.app.handover.file_page import FilePage
from underglass.app.handover.folder_page import FolderPage
from underglass.app.handover.sheets_page import SheetsPage, Sources
from underglass.app.parts.basic import column
from underglass.app.parts.page_row import PageRow
from underglass.app.style.palette import Palette

PAGES = (
    ("file", "File and stick", "The program as the control wants it, and the memory stick"),
    ("sheets", "Sheets and reports", "Setup sheet, report, comparison, tool chart, all of it in one folder"),
    ("folder", "Folder of jobs", "Prove every job of a folder"),
)


class HandOver(QWidget):
    """``line_chosen`` brings a line of the program, ``open_asked`` a job to be opened."""

    line_chosen = Signal(int)
    open_asked = Signal(object)

    def __init__(
        self, document: Document, settings: QSettings, sources: Callable[[FilePage], Sources], palette: Palette
    ) -> None:
        super().__init__()
        self.file = FilePage(document, Path(settings.fileName()).parent / "stick", palette)
        self.sheets = SheetsPage(document, settings, sources(self.file), palette)
        self.folder = FolderPage(settings, palette)
        self._parts = {"file": self.file, "sheets": self.sheets, "folder": self.folder}
        self._stack = QStackedWidget()
        for part in self._parts.values():
            self._stack.addWidget(part)
        self._row = PageRow(PAGES)
        self.buttons = self._row.buttons
        self._row.chosen.connect(self.choose)
        self.setLayout(column(self._row, self._stack))
        self.file.line_chosen.connect(self.line_chosen)
        self.sheets.line_chosen.connect(self.line_chosen)
        self.folder.open_asked.connect(self.open_asked)
        self.choose("file")

    @property
    def page(self) -> str:
        return self._row.page

    def choose(self, name: str) -> None:
        """Show a page."""
        self.buttons[name].setChecked(True)
        self._stack.setCurrentWidget(self._parts[name])
        if name == "file":
            self.file.name.setFocus()

    def set_palette(self, palette: Palette) -> None:
        for part in (self.file, self.sheets, self.folder):
            part.set_palette(palette)


def hand_over_commands(place: Callable[[], HandOver], go: Callable[[], object]) -> list[Command]:
    """What is done there from anywhere; ``go`` leads there."""

    def on(page: str, what: Callable[[HandOver], object]) -> Callable[[], object]:
        return lambda: (go(), place().choose(page), what(place()))

    return [
        Command("Send the file to the memory stick", on("file", lambda there: there.file.send_it())),
        Command("Save the setup sheet\u2026", on("sheets", lambda there: there.sheets.ask_sheet())),
        Command("Save the report of the proof\u2026", on("sheets", lambda there: there.sheets.ask_report())),
        Command("Save the comparison with the kept run\u2026", on("sheets", lambda there: there.sheets.ask_compare())),
        Command("Hold a tool chart against the program\u2026", on("sheets", lambda there: there.sheets.ask_chart())),
        Command("Save all of it in a folder\u2026", on("sheets", lambda there: there.sheets.ask_all())),
        Command("Prove a folder of jobs\u2026", on("folder", lambda there: there.folder.ask_folder())),
    ]
