"""Opening and saving in the window: files, unsaved changes, what was kept from a kill, changes from outside."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QFileDialog, QMessageBox, QWidget

from underglass.app.document import Document
from underglass.app.keeping import Keeper
from underglass.app.parts.notice import Notice
from underglass.core.errors import UnderGlassError, UnusableFile
from underglass.core.files.job_edit import set_register
from underglass.core.files.load import load
from underglass.core.files.recovery import Kept
from underglass.core.files.save import write_whole
from underglass.core.language.source import read_bytes

_KINDS = "Jobs and programs (*.job.toml *.nc *.ngc *.tap *.cnc *.txt);;Everything (*)"


class Filing(QObject):
    """``before_open`` is called when another document is about to come; ``opened`` when it is there."""

    def __init__(self, document: Document, notice: Notice, folder: Path, window: QWidget) -> None:
        super().__init__(window)
        self._document = document
        self._notice = notice
        self._window = window
        self.keeper = Keeper(document, folder, self)
        self.keeper.changed_outside.connect(self._on_changed_outside)
        self.before_open: Callable[[], None] = lambda: None

    # -- opening -----------------------------------------------------------------------------------------------------

    def open(self, path: Path) -> bool:
        """Open a job or a bare program. False, with a sentence in the window, where that cannot be done."""
        if not self.may_let_go():
            return False
        try:
            job, source, program = load(path)
        except UnderGlassError as error:
            self._notice.say(str(error))
            return False
        self._notice.say("")
        self.before_open()
        self.keeper.forget() if self._document.modified else None
        self._document.open(job, source, program)
        self.keeper.watch(path)
        if job.guessed:
            self._notice.say(
                "A program without a job is proved with guesses. " + "; ".join(job.guessed) + ".", calm=True
            )
        kept = self.keeper.kept_here()
        if kept is not None:
            self._offer_kept(kept)
        return True

    def _offer_kept(self, kept: Kept) -> None:
        text = read_bytes(kept.data).text.replace("\r\n", "\n").replace("\r", "\n")
        self._notice.say(
            f"Changes to {kept.program.name} that were not saved when Under Glass last ended are still here.",
            calm=True,
            offers=[
                ("Take them", lambda: self._document.set_text(text)),
                ("Throw them away", self.keeper.forget),
            ],
        )

    def ask_open(self) -> None:
        path = self._document.program_path
        start = str(path.parent) if path else str(Path.home())
        name, _kind = QFileDialog.getOpenFileName(self._window, "Open a job or a program", start, _KINDS)
        if name:
            self.open(Path(name))

    # -- saving ------------------------------------------------------------------------------------------------------

    def save(self) -> bool:
        """Write the program where it came from; nothing else in the file changes."""
        path = self._document.program_path
        return path is not None and self._document.job is not None and self.save_to(path)

    def save_to(self, path: Path) -> bool:
        """Write the program to this file. False, with a sentence in the window, where that cannot be done."""
        data = self._document.filed()
        before = self._document.program_path
        try:
            write_whole(path, data)
            self._save_registers()
        except UnderGlassError as error:
            self._notice.say(str(error))
            return False
        self._notice.say("")
        self.keeper.forget()
        self._document.saved(data, path)
        if path != before:
            self.keeper.watch(path)
        return True

    def _save_registers(self) -> None:
        """Registers that were set here go into the job file. Raises ``UnusableFile``."""
        document = self._document
        if not document.register_fixes or document.job is None:
            return
        path = Path(document.job.file)
        try:
            text = path.read_text(encoding="utf-8")
        except OSError as error:
            raise UnusableFile(str(path), (error.strerror or "cannot be read").lower()) from None
        for fix, before in document.register_fixes:
            text = set_register(text, fix, before)
        write_whole(path, text.encode("utf-8"))
        document.register_fixes = []

    def ask_save_as(self) -> None:
        path = self._document.program_path
        if self._document.job is None or path is None:
            return
        name, _kind = QFileDialog.getSaveFileName(self._window, "Save the program as", str(path))
        if name:
            self.save_to(Path(name))

    def may_let_go(self) -> bool:
        """Whether what is open may be closed: saved, or given up knowingly."""
        if not self._document.modified:
            return True
        box = QMessageBox(self._window)
        box.setWindowTitle("Under Glass")
        box.setText(f"{self._document.source.name} has changes that are not saved.")
        save = box.addButton("Save", QMessageBox.ButtonRole.AcceptRole)
        drop = box.addButton("Do not save", QMessageBox.ButtonRole.DestructiveRole)
        box.addButton("Keep working", QMessageBox.ButtonRole.RejectRole)
        box.exec()
        if box.clickedButton() is save:
            return self.save()
        if box.clickedButton() is drop:
            self.keeper.forget()
            return True
        return False

    # -- changes from outside ----------------------------------------------------------------------------------------

    def _on_changed_outside(self, data: bytes | None) -> None:
        document = self._document
        name = document.source.name
        if data is None:
            self._notice.say(
                f"{name} is no longer where it was. What is open here can be saved again.",
                offers=[("Save it again", self.save)],
            )
            return
        if not document.modified:
            self._take_from_outside(data)
            self._notice.say(f"{name} was changed by another program; its new text is open now.", calm=True)
            return
        self._notice.say(
            f"{name} was changed by another program, and here, too.",
            offers=[
                ("Take the file's text", lambda: self._take_from_outside(data)),
                ("Keep mine", lambda: None),
            ],
        )

    def _take_from_outside(self, data: bytes) -> None:
        """The file's new text as one step that can be undone."""
        document = self._document
        path = document.program_path
        if path is None:
            return
        source = read_bytes(data, path.name)
        document.set_text(source.text.replace("\r\n", "\n").replace("\r", "\n") if source.is_text else "")
        document.saved(data, path)
