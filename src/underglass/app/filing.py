"""Opening and saving in the window: files, unsaved changes, what was kept from a kill, changes from outside."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import QObject, QSettings
from PySide6.QtGui import QKeySequence
from PySide6.QtWidgets import QFileDialog, QMessageBox, QWidget

from underglass.app.commands import Command
from underglass.app.document import Document, free_job_path
from underglass.app.keeping import NEW_NAME, Keeper
from underglass.app.parts.notice import Notice
from underglass.core.compose.shop import ShopTexts, filled, values_for
from underglass.core.errors import UnderGlassError
from underglass.core.files.guess import PENDING, guess_job
from underglass.core.files.job_files import companion_names, rename_companion
from underglass.core.files.load import load, read_text_of
from underglass.core.language.source import read_bytes, read_text
from underglass.core.reading import MESH_BYTES, read_regular
from underglass.core.reckon.form import CannotBe
from underglass.core.saving import clear_stale, is_read_only, write_whole

_RECENT = 8
_MOST_BOOKMARKS = 500
_KINDS = "Jobs and programs (*.job.toml *.nc *.ngc *.tap *.cnc *.txt);;Everything (*)"


def _in_its_way(path: Path, text: str) -> bytes:
    """A job file's text with the line ends and the mark that its file had."""
    try:
        old = path.read_bytes()
    except OSError:
        old = b""
    if b"\r\n" in old:
        text = text.replace("\n", "\r\n")
    return (b"\xef\xbb\xbf" if old.startswith(b"\xef\xbb\xbf") else b"") + text.encode("utf-8")


def _differs(file: Path, data: bytes) -> bool:
    try:
        return read_regular(file, MESH_BYTES) != data
    except UnderGlassError:
        return True


class Filing(QObject):
    """``before_open`` is called when another document is about to come; ``opened`` when it is there."""

    def __init__(self, document: Document, notice: Notice, folder: Path, window: QWidget) -> None:
        super().__init__(window)
        self._document = document
        self._notice = notice
        self._window = window
        self.keeper = Keeper(document, folder, self)
        self.keeper.changed_outside.connect(self._on_changed_outside)
        self.keeper.job_changed_outside.connect(self._on_job_changed_outside)
        self.keeper.job_gone.connect(self._on_job_gone)
        self.before_open: Callable[[], None] = lambda: None
        self.show_guesses: Callable[[], None] = lambda: None
        self.settings: QSettings | None = None
        self._guessing: Path | None = None
        self._outside_allowed: set[Path] = set()
        document.proof_changed.connect(self._on_proof_changed)

    # -- opening -----------------------------------------------------------------------------------------------------

    def open(self, path: Path) -> bool:
        """Open a job or a bare program. False, with a sentence in the window, where that cannot be done."""
        if not self.may_let_go():
            return False
        try:
            job, source, program = load(path, guess=False)
            text = read_text_of(path) if path.suffix == ".toml" else ""
        except UnderGlassError as error:
            self._notice.say(str(error))
            return False
        self._notice.say("")
        clear_stale(path.parent)
        self.before_open()
        self.remember_bookmarks()
        self._document.open(job, source, program, text)
        self.keeper.watch(path)
        self._remember(path)
        self._recall_bookmarks()
        self._guessing = path if job.guessed else None
        if text and Path(job.folder).resolve() not in program.resolve().parents:
            self._notice.say(
                f"This job's program lies outside the job's own folder: {program.resolve()}. It is asked about before it is saved there.",
                calm=True,
            )
        self._offer_kept()
        return True

    def _on_proof_changed(self) -> None:
        """The guesses of a bare program that has been opened are there: say what they are."""
        job, path = self._document.job, self._guessing
        if path is None or job is None or not job.guessed or job.guessed == (PENDING,):
            return
        self._guessing = None
        tools = len(job.bench.tool_names)
        beside = path.with_suffix(".job.toml")
        its_job = [(f"Open {beside.name}", lambda: self.open(beside))] if beside.is_file() else []
        self._notice.say(
            f"A program without a job is proved with guesses. {'; '.join(said for said in job.guessed[:4] if not said.startswith('tool '))}; "
            f"{tools} tool{'' if tools == 1 else 's'}. Setup shows them, and has you confirm or change them.",
            calm=True,
            offers=[*its_job, ("Look at them", self.show_guesses)],
        )
        self._offer_kept()

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
        self._offer_kept()
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

    def _offer_kept(self) -> None:
        """What was typed or set and not saved before Under Glass last ended."""
        document = self._document
        kept, kept_job = self.keeper.kept_here(), self.keeper.kept_job()
        if kept is None and kept_job is None:
            return
        names = [k.program.name for k in (kept, kept_job) if k is not None]
        keeper = self.keeper

        def take() -> None:
            if kept is not None:
                document.set_text(read_bytes(kept.data).text.replace("\r\n", "\n").replace("\r", "\n"))
            if kept_job is not None:
                try:
                    document.change_job(kept_job.data.decode("utf-8", "replace"), "took what was kept")
                except UnderGlassError as error:
                    self._notice.say(str(error))
                    return
            keeper.answered(kept, kept_job)

        self._notice.say(
            f"Changes to {' and '.join(names)} that were not saved when Under Glass last ended are still here.",
            calm=True,
            offers=[("Take them", take), ("Throw them away", lambda: keeper.answered(kept, kept_job))],
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

    def save_to(self, path: Path, *, over: bool = False) -> bool:
        """Write the program to this file, and the job to its own. False, with a sentence, where that cannot be done.

        ``over``: a file that another program has changed meanwhile, or that is read-only, is written over all the same.
        """
        document = self._document
        data = document.filed()
        before = document.program_path
        try:
            if not over and self._asks_first(path):
                return False
            if path != before or document.buffer.modified or not document.history.modified:
                write_whole(path, data, over_read_only=over)
            if before is None:
                self._name_program(path)
            self._save_job(over=over)
        except UnderGlassError as error:
            self._notice.say(str(error))
            return False
        self._notice.say("")
        self.keeper.forget()
        document.saved(data, path)
        if path != before:
            self.keeper.watch(path if not document.job_text else Path(document.job.file) if document.job else path)
            document.modified_changed.emit(document.modified)
        return True

    def _asks_first(self, path: Path) -> bool:
        """Whether there is something to ask before saving: a file changed by another program, read-only, or elsewhere."""
        document, keeper = self._document, self.keeper
        over = ("Save over it", lambda: self.save_to(path, over=True))
        if path == document.program_path and keeper.changed_since_read() and keeper.on_disk() != document.filed():
            data = keeper.on_disk() or b""
            self._notice.say(
                f"Not saved: {path.name} was changed by another program since it was read here.",
                offers=[("Take the file's text", lambda: self._take_from_outside(data)), over],
            )
            return True
        job = document.job_path
        if document.history.modified and job is not None and keeper.job_changed_since_read():
            self._notice.say(
                f"Not saved: {job.name} was changed by another program since it was read here.", offers=[over]
            )
            return True
        for file in (path, job if document.history.modified else None):
            if file is not None and is_read_only(file):
                self._notice.say(f"Not saved: {file.name} is read-only.", offers=[over])
                return True
        if path == document.program_path and document.job is not None and document.job_text:
            folder = Path(document.job.folder).resolve()
            if path not in self._outside_allowed and folder not in path.resolve().parents:

                def go() -> None:
                    self._outside_allowed.add(path)
                    self.save_to(path)

                self._notice.say(
                    f"Not saved yet: the job names a program outside its own folder, {path.resolve()}.",
                    offers=[("Save it there", go)],
                )
                return True
        return False

    def _name_program(self, path: Path) -> None:
        """A new program has its name now, and so has its job."""
        document = self._document
        job = document.job
        if job is None:
            return
        if document.job_text:
            edit = document.job_edit()
            edit.put(path.name, "program")
            document.job = replace(job, file=str(free_job_path(path)), folder=str(path.parent))
            document.change_job(edit.text, "named the program")
        else:
            document.job = replace(job, title=path.name, file=str(path), folder=str(path.parent), program=path.name)
        self._remember(path)

    def _save_job(self, *, over: bool = False) -> None:
        """Changes of the setup go into the job file; a bare program gets one beside it. Raises ``UnusableFile``."""
        document = self._document
        path = document.job_path
        if not document.history.modified or path is None:
            return
        if not document.job_text:
            document.job_saved()  # undone back to a bare program
            return
        fresh = not path.exists()
        write_whole(path, _in_its_way(path, document.job_text), over_read_only=over)
        document.job_saved()
        self.keeper.job_written(path)
        if fresh:
            self._remember(path)

    def save_job_as(self, path: Path, *, over: bool = False) -> bool:
        """The job and all it names under another name: program, meshes and profiles go with it into another folder.

        ``over``: files of these names that lie there already are replaced.
        """
        document = self._document
        job = document.job
        if job is None:
            return False
        if not path.name.endswith(".toml"):
            path = path.with_name(f"{path.name.removesuffix('.job')}.job.toml")
        program = document.program_path.name if document.program_path is not None else f"{path.name.split('.')[0]}.nc"
        edit = document.job_edit()
        edit.put(program, "program")
        elsewhere = path.parent.resolve() != Path(job.folder).resolve()
        new_names = companion_names(edit, taken={program, path.name}) if elsewhere else {}
        wanted = {path.parent / program: document.filed()}
        try:
            for name, new in new_names.items():
                wanted[path.parent / new] = read_regular(Path(job.folder) / name, MESH_BYTES)
                rename_companion(edit, name, new)
            if elsewhere and not over:
                there = [file.name for file, data in wanted.items() if file.exists() and _differs(file, data)]
                if there:
                    self._notice.say(
                        f"Not saved: {', '.join(there)} {'lies' if len(there) == 1 else 'lie'} in that folder already and would be replaced.",
                        offers=[("Replace", lambda: self.save_job_as(path, over=True))],
                    )
                    return False
            for file, data in wanted.items():
                write_whole(file, data, over_read_only=over)
            write_whole(path, edit.text.encode("utf-8"), over_read_only=over)
        except (UnderGlassError, OSError) as error:
            said = str(error) if isinstance(error, UnderGlassError) else f"{path}: not saved: {error.strerror}"
            self._notice.say(said)
            return False
        self.keeper.forget()
        document.set_modified(False)
        line = document.line
        if not self.open(path):
            return False
        document.select_line(line)
        return True

    def ask_save_job_as(self) -> bool:
        """Ask for a name for the job and save. False where nothing was saved."""
        path = self._document.job_path
        if path is None:
            return False
        name, _kind = QFileDialog.getSaveFileName(
            self._window, "Save the job as", str(path), "Jobs (*.job.toml);;Everything (*)"
        )
        return bool(name) and self.save_job_as(Path(name))

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
        job_path = self._document.job_path
        names = [self._document.source.name] if self._document.buffer.modified else []
        if self._document.history.modified and job_path is not None:
            names.append(f"the setup, {job_path.name},")
        box.setText(f"{' and '.join(names)} {'have' if len(names) > 1 else 'has'} changes that are not saved.")
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

    def _on_job_gone(self) -> None:
        path = self._document.job_path
        if path is not None:
            self._notice.say(
                f"{path.name} is no longer where it was. The setup that is open here can be saved again.",
                offers=[("Save it again", self._save_job_again)],
            )

    def _save_job_again(self) -> None:
        document, path = self._document, self._document.job_path
        if path is None:
            return
        try:
            write_whole(path, document.job_text.encode("utf-8"))
        except UnderGlassError as error:
            self._notice.say(str(error))
            return
        document.job_saved()
        self.keeper.job_written(path)

    def _on_job_changed_outside(self, text: str) -> None:
        """The job file was changed by another program: taken at once, as a step that can be undone, or asked about."""
        document = self._document
        path = document.job_path
        if path is None or text == document.job_text:
            return

        def take() -> bool:
            try:
                document.change_job(text, "took the file's setup")
            except UnderGlassError as error:
                self._notice.say(f"{path.name} was changed by another program and cannot be used as it is now: {error}")
                return False
            document.job_saved()
            self.keeper.job_read = text
            return True

        if not document.history.modified:
            if take():
                self._notice.say(f"{path.name} was changed by another program; its new setup is open now.", calm=True)
            return
        self._notice.say(
            f"{path.name} was changed by another program, and here, too.",
            offers=[("Take the file's setup", take), ("Keep mine", lambda: None)],
        )

    def commands(self) -> list[Command]:
        key = QKeySequence.StandardKey
        return [
            Command("Open a job or a program…", self.ask_open, (key.Open,)),
            Command("Save the program and its job", self.save, (key.Save,)),
            Command("Save the program as…", self.ask_save_as, (key.SaveAs,)),
            Command("Save the job as…", self.ask_save_job_as),
        ]
