"""Opening and saving in the window: files, unsaved changes, what was kept from a kill, changes from outside."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import QObject, QSettings
from PySide6.QtWidgets import QFileDialog, QMessageBox, QWidget

from underglass.app.document import Document
from underglass.app.keeping import NEW_NAME, Keeper
from underglass.app.parts.notice import Notice
from underglass.core.compose.shop import ShopTexts, filled, values_for
from underglass.core.errors import UnderGlassError, UnusableFile
from underglass.core.files.guess import guess_job
from underglass.core.files.job_edit import set_register
from underglass.core.files.load import load
from underglass.core.files.recovery import Kept
from underglass.core.files.save import write_whole
from underglass.core.language.source import read_bytes, read_text
from underglass.core.reckon.form import CannotBe

_RECENT = 8
_MOST_BOOKMARKS = 500
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
        self.settings: QSettings | None = None

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
        self.remember_bookmarks()
        self._document.open(job, source, program)
        self.keeper.watch(path)
        self._remember(path)
        self._recall_bookmarks()
        if job.guessed:
            self._notice.say(
                "A program without a job is proved with guesses. " + "; ".join(job.guessed) + ".", calm=True
            )
        kept = self.keeper.kept_here()
        if kept is not None:
            self._offer_kept(kept)
        return True

    def new(self, shop: ShopTexts) -> bool:
        """A new program between the shop's texts for start and end; it gets its name when it is saved first."""
        if not self.may_let_go():
            return False
        values = values_for("mm", title="new program")
        try:
            lines = [*filled(shop.start, values), "", *filled(shop.end, values)]
        except CannotBe:
            lines = ["%", "G21 G17 G40 G49 G80 G90 G94", "", "M30", "%"]
        source = read_text("\n".join(lines) + "\n", NEW_NAME)
        self._notice.say("")
        self.before_open()
        job = replace(guess_job(source, Path.home() / NEW_NAME), title="New program")
        self._document.open(job, source, None)
        self.keeper.watch(self.keeper.place)
        self._notice.say(
            "A new program. Until a job says what is really there, the stock is guessed around what it cuts.", calm=True
        )
        kept = self.keeper.kept_here()
        if kept is not None:
            self._offer_kept(kept)
        return True

    # -- what was open before ----------------------------------------------------------------------------------------

    def recent(self) -> list[Path]:
        """What was opened last, newest first, as far as it is still there."""
        kept = self.settings.value("recent") if self.settings is not None else None
        names = [kept] if isinstance(kept, str) else kept if isinstance(kept, list) else []
        return [Path(name) for name in names if isinstance(name, str) and Path(name).is_file()][:_RECENT]

    def remember_bookmarks(self) -> None:
        """Keep the open program's bookmarks for the next time."""
        path = self._document.program_path
        if self.settings is None or path is None:
            return
        key = f"bookmarks/{hashlib.sha256(str(path.resolve()).encode()).hexdigest()[:16]}"
        if self._document.bookmarks:
            self.settings.setValue(key, ",".join(map(str, sorted(self._document.bookmarks)[:_MOST_BOOKMARKS])))
        else:
            self.settings.remove(key)

    def _recall_bookmarks(self) -> None:
        path = self._document.program_path
        if self.settings is None or path is None:
            return
        key = f"bookmarks/{hashlib.sha256(str(path.resolve()).encode()).hexdigest()[:16]}"
        kept = str(self.settings.value(key) or "")
        last = len(self._document.lines)
        for number in kept.split(","):
            if number.isdigit() and 1 <= int(number) <= last:
                self._document.toggle_bookmark(int(number))

    def _remember(self, path: Path) -> None:
        if self.settings is not None:
            others = [str(p) for p in self.recent() if p != path.resolve()]
            self.settings.setValue("recent", [str(path.resolve()), *others][:_RECENT])

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
        if self._document.job is None:
            return False
        path = self._document.program_path
        return self.save_to(path) if path is not None else self.ask_save_as()

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
            job = self._document.job
            if before is None and job is not None:
                # A new program has its name now.
                self._document.job = replace(
                    job, title=path.name, file=str(path), folder=str(path.parent), program=path.name
                )
                self._remember(path)
                self._document.modified_changed.emit(self._document.modified)
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

    def ask_save_as(self) -> bool:
        """Ask for a name and save. False where nothing was saved."""
        if self._document.job is None:
            return False
        path = self._document.program_path or Path.home() / NEW_NAME
        name, _kind = QFileDialog.getSaveFileName(self._window, "Save the program as", str(path))
        return bool(name) and self.save_to(Path(name))

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
