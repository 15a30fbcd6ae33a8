"""Rehearsals kept: beside the settings while one stands at the machine, so that a kill loses a few seconds, and as files of one's own."""

from __future__ import annotations

import hashlib
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtWidgets import QFileDialog, QWidget

from underglass.app.document import Document
from underglass.app.machine.session import Session
from underglass.core.errors import UnderGlassError
from underglass.core.files.rehearsal import checksum, read_rehearsal, write_rehearsal
from underglass.core.machine.rehearsal import Rehearsal

_KEEP_MS = 3000
_FILES = "Rehearsals (*.rehearsal.json)"


class KeptRehearsal(QObject):
    """``trouble`` brings a sentence."""

    trouble = Signal(str)

    def __init__(self, session: Session, document: Document, folder: Path, parent: QWidget) -> None:
        super().__init__(parent)
        self._session, self._document, self._folder, self._window = session, document, folder, parent
        self._kept_at = -1
        self._soon = QTimer(self)
        self._soon.setInterval(_KEEP_MS)
        self._soon.timeout.connect(self.keep)

    def begin(self) -> None:
        """Keep it from now on."""
        self._soon.start()

    def end(self) -> None:
        """Keep it once more, and no longer."""
        self._soon.stop()
        self.keep()

    @property
    def file(self) -> Path | None:
        """Where the rehearsal of the job that is open is kept."""
        job = self._document.job
        if job is None:
            return None
        name = hashlib.sha256(job.file.encode("utf-8", "surrogatepass")).hexdigest()[:24]
        return self._folder / f"{name}.rehearsal.json"

    def keep(self) -> None:
        """Write what was done until now, where anything was."""
        path, session = self.file, self._session
        if path is None or session.stand is None or session.stale or not session.worth_keeping:
            return
        done = session.rehearsal()
        if done.ticks == self._kept_at:
            return
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            write_rehearsal(done, path)
            self._kept_at = done.ticks
        except UnderGlassError as error:
            self.trouble.emit(str(error))
        except OSError as error:
            self.trouble.emit(f"The rehearsal cannot be kept: {error.strerror or error}")

    def left(self) -> Rehearsal | None:
        """The rehearsal of this very program that was left in the middle."""
        path = self.file
        if path is None or not path.exists():
            return None
        try:
            kept = read_rehearsal(path)
        except UnderGlassError:
            return None
        return kept if kept.checksum == checksum(self._session.program()) else None

    def save_as(self) -> None:
        """As a file of one's own."""
        name, _kind = QFileDialog.getSaveFileName(self._window, "Save the rehearsal", "", _FILES)
        if name:
            path = Path(name if name.endswith(".json") else f"{name}.rehearsal.json")
            try:
                write_rehearsal(self._session.rehearsal(), path)
            except UnderGlassError as error:
                self.trouble.emit(str(error))

    def ask_again(self) -> None:
        """One from a file, done again."""
        name, _kind = QFileDialog.getOpenFileName(self._window, "Do a rehearsal again", "", _FILES)
        if name:
            self.do_again(Path(name))

    def do_again(self, path: Path) -> bool:
        """Come to where a rehearsal ended. False, with a sentence, where that cannot be."""
        try:
            kept = read_rehearsal(path)
        except UnderGlassError as error:
            self.trouble.emit(str(error))
            return False
        if kept.checksum != checksum(self._session.program()):
            self.trouble.emit("This rehearsal is of another program: what was done then may not fit this one.")
        self._session.replay(kept)
        return True
