"""Looks after the open program's file: keeps what is typed against a kill, and sees changes from outside."""

from __future__ import annotations

import threading
from pathlib import Path

from PySide6.QtCore import QFileSystemWatcher, QObject, QTimer, Signal

from underglass.app.document import Document
from underglass.core.errors import UnderGlassError
from underglass.core.files.load import read_text_of
from underglass.core.files.recovery import Kept, Session, drop, keep, kept_for, let_go
from underglass.core.reading import PROGRAM_BYTES, read_regular

NEW_NAME = "new-program.nc"
KEEP_AFTER_S = 1.5
"""How soon what was typed is kept, where nothing else is set."""
_LOOK_AFTER_MS = 150
_GONE = "\0"


class Keeper(QObject):
    """``changed_outside`` brings the file's new bytes, or None where the file is gone."""

    changed_outside = Signal(object)
    job_changed_outside = Signal(str)
    job_gone = Signal()
    kept = Signal()

    def __init__(self, document: Document, folder: Path, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self.folder = folder
        self.session = Session(folder)
        self.destroyed.connect(self.session.end)
        self.opened: Path | None = None
        self._watcher = QFileSystemWatcher(self)
        self._watcher.fileChanged.connect(self._on_file_changed)
        self._watcher.directoryChanged.connect(self._on_file_changed)
        self._told: bytes | None = None
        self._kept_for: Path | None = None
        self._forgotten = 0
        self._keep_soon = QTimer(self)
        self._keep_soon.setSingleShot(True)
        self._keep_soon.setInterval(round(1000 * KEEP_AFTER_S))
        self._keep_soon.timeout.connect(self.keep_now)
        self._look_soon = QTimer(self)
        self._look_soon.setSingleShot(True)
        self._look_soon.setInterval(_LOOK_AFTER_MS)
        self._look_soon.timeout.connect(self._look)
        self._lock = threading.Lock()
        document.text_changed.connect(self._on_text_changed)
        document.setup_changed.connect(self._on_text_changed)
        self._job_told = ""
        self.job_read = ""
        """The job file's text as it was read or written last by this window."""

    def keep_after(self, seconds: float) -> None:
        """How soon what was typed is kept."""
        self._keep_soon.setInterval(round(1000 * seconds))

    @property
    def place(self) -> Path:
        """What the text is kept for: the program's file, or a name of its own for one that has none yet."""
        return self._document.program_path or self.folder / NEW_NAME

    # -- against a kill ----------------------------------------------------------------------------------------------

    def _on_text_changed(self) -> None:
        # Not put off while typing goes on: a few seconds are all that may be lost.
        if self._document.modified and not self._keep_soon.isActive():
            self._keep_soon.start()
        elif (
            not self._document.modified
            and self._kept_for is not None
            and self._kept_for in (self._document.program_path, self._document.job_path)
        ):
            self.forget()  # undone back to what the file holds

    def keep_now(self) -> None:
        """Write down what is not saved; off the GUI thread, for long programs take their time."""
        document = self._document
        path = self.place
        if self.opened is None or document.job is None or not document.modified:
            return
        job_path = document.job_path
        if document.history.modified and job_path is not None and document.job_text:
            self._write(job_path, self.opened, document.job_text.encode("utf-8", "replace"))
        if not document.buffer.modified:
            return
        source, newline = document.source, document.buffer.newline
        if len(document.lines) < 20_000 or document.buffer.mixed_ends:
            self._write(path, self.opened, source.encoded(document.buffer.as_filed()))
            return
        kept, opened, forgotten = tuple(document.lines), self.opened, self._forgotten

        def work() -> None:
            data = source.encoded(newline.join(kept))
            with self._lock:
                if forgotten == self._forgotten:
                    self._write(path, opened, data)

        threading.Thread(target=work, name="keeper", daemon=True).start()

    def _write(self, path: Path, opened: Path, data: bytes) -> None:
        try:
            keep(self.folder, path, opened, data, self.session.name)
        except UnderGlassError:
            return
        self._kept_for = path
        self.kept.emit()

    def forget(self) -> None:
        """Nothing needs to be kept for the open program."""
        self._keep_soon.stop()
        self._forgotten += 1
        with self._lock:
            let_go(self.folder, self.place, self.session.name)
            if self._document.job_path is not None:
                let_go(self.folder, self._document.job_path, self.session.name)

    def answered(self, *left: Kept | None) -> None:
        """What an ended session left was taken or refused; what was taken is first kept as this session's own."""
        self.keep_now()
        for kept in left:
            if kept is not None:
                drop(kept.file)

    def kept_job(self) -> Kept | None:
        """What was kept of the open job's setup."""
        path = self._document.job_path
        return kept_for(self.folder, path) if path is not None else None

    def kept_here(self) -> Kept | None:
        """What was kept for the program that is open, from a session that ended without saving."""
        return kept_for(self.folder, self.place)

    # -- changes from outside ----------------------------------------------------------------------------------------

    def on_disk(self) -> bytes | None:
        """The program's file as it is now; None where there is none."""
        path = self._document.program_path
        try:
            return read_regular(path, PROGRAM_BYTES) if path is not None else None
        except UnderGlassError:
            return None

    def changed_since_read(self) -> bool:
        """Whether the program's file holds something else than what this window read or wrote last."""
        data = self.on_disk()
        return data is not None and bool(self._document.source.raw or data) and data != self._document.source.raw

    def job_changed_since_read(self) -> bool:
        """The same of the job's file."""
        path = self._document.job_path
        if path is None or not self.job_read or not path.is_file():
            return False
        try:
            return read_text_of(path) != self.job_read
        except UnderGlassError:
            return False

    def watch(self, opened: Path) -> None:
        """Look after the program that was just opened; ``opened`` is what the person named, job or program."""
        self.opened = opened
        watched = self._watcher.files() + self._watcher.directories()
        if watched:
            self._watcher.removePaths(watched)
        path = self._document.program_path
        self._told = None
        self._kept_for = None
        if path is not None:
            self._watcher.addPaths([str(path), str(path.parent)])
        self._job_told = self.job_read = self._document.job_text
        job = self._document.job_path
        if job is not None and job.exists():
            self._watcher.addPaths([str(job), str(job.parent)])

    def job_written(self, path: Path) -> None:
        """The job file was written by the window itself."""
        self._job_told = self.job_read = self._document.job_text
        if str(path) not in self._watcher.files():
            self._watcher.addPath(str(path))

    def _look_at_job(self) -> None:
        path = self._document.job_path
        if path is None or not self._document.job_text:
            return
        try:
            text = read_text_of(path)
        except UnderGlassError:
            if not path.exists() and self._job_told != _GONE and self.job_read:
                self._job_told = _GONE
                self.job_gone.emit()
            return
        if str(path) not in self._watcher.files():
            self._watcher.addPath(str(path))
        if text in (self._job_told, self._document.job_text):
            return
        self._job_told = text
        self.job_changed_outside.emit(text)

    def _on_file_changed(self, _path: str) -> None:
        self._look_soon.start()

    def _look(self) -> None:
        self._look_at_job()
        path = self._document.program_path
        if path is None:
            return
        data = self.on_disk()
        if data is not None and str(path) not in self._watcher.files():
            self._watcher.addPath(str(path))  # replaced by another file of its name
        now = data if data is not None else b""
        if now == self._told or (data is not None and data == self._document.source.raw):
            self._told = None if data == self._document.source.raw else self._told
            return
        self._told = now
        self.changed_outside.emit(data)
