"""A practice job under way in the window: laid out, opened, checked, handed in."""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject, QSettings, Signal

from underglass.app.background import Background
from underglass.app.document import Document
from underglass.core.errors import UnderGlassError
from underglass.core.files.practice import Practice, answer_of, judge, practice_folders, read_practice, take
from underglass.core.machine.checking import Verdict, solved
from underglass.core.machine.stand import Stand
from underglass.core.proof.proof import Proof

_GIVEN = "given"


class Practising(QObject):
    """``changed`` when there is another job, hint or verdict; ``trouble`` brings a sentence."""

    changed = Signal()
    trouble = Signal(str)
    checked = Signal()

    def __init__(self, document: Document, settings: QSettings, folder: Path, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._document, self._settings, self._folder = document, settings, folder
        self.open_: Callable[[Path], bool] = lambda _path: False
        self.save: Callable[[], bool] = lambda: True
        """Write what is open to its files: the work of a practice job is always kept."""
        self.stand: Callable[[], Stand | None] = lambda: None
        self.practice: Practice | None = None
        self.hints = 0
        self.verdicts: tuple[Verdict, ...] = ()
        self.tries = 0
        self._job: Path | None = None
        self._given: Path | None = None
        self._answer: Proof | None = None
        self._wanted = False
        self._background = Background("practice", self)
        self._background.done.connect(self._on_answer)
        self._background.failed.connect(self.trouble)
        self._judging = Background("check", self)
        self._judging.done.connect(self._on_judged)
        self._judging.failed.connect(self.trouble)
        document.proof_changed.connect(self._on_proof)
        document.job_changed.connect(self._on_job)

    # -- what there is ---------------------------------------------------------------------------------------------------

    @property
    def own_folder(self) -> Path | None:
        """Where practice jobs of one's own lie."""
        kept = str(self._settings.value("practice_folder") or "")
        return Path(kept) if kept else None

    def set_own_folder(self, folder: Path) -> None:
        self._settings.setValue("practice_folder", str(folder))
        self.changed.emit()

    def all(self) -> tuple[list[Practice], list[str]]:
        """Every practice job that can be read, and a sentence for each that cannot."""
        found, wrong = [], []
        for folder in practice_folders(self.own_folder):
            try:
                found.append(read_practice(folder))
            except UnderGlassError as error:
                wrong.append(str(error))
        return found, wrong

    @property
    def done(self) -> set[str]:
        """The names of those that have been solved."""
        kept = self._settings.value("practice_solved")
        return {name for name in str(kept or "").split("\n") if name}

    # -- one of them -------------------------------------------------------------------------------------------------------

    def start(self, practice: Practice, *, over: bool = False) -> bool:
        """Lay it out and open it; what was done before is gone on with, unless it is to begin ``over``."""
        self.keep()
        work = self._folder / practice.name
        given = work / _GIVEN
        try:
            job = self._laid_out(work) if not over else None
            if job is None:
                if work.exists():
                    shutil.rmtree(work)
                job = take(practice, work)
                take(practice, given)
            given_job = next(given.glob("*.job.toml"))
        except (UnderGlassError, OSError, StopIteration) as error:
            self.trouble.emit(str(error) or "The practice job cannot be laid out.")
            return False
        self.practice, self.hints, self.verdicts, self.tries = None, 0, (), 0
        self._answer, self._wanted = None, False
        if not self.open_(job):
            return False
        self.practice, self._job, self._given = practice, job, given_job

        def work_out(_cancelled: object) -> object:
            with tempfile.TemporaryDirectory() as scratch:
                return answer_of(practice, Path(scratch))

        self._background.ask(work_out)
        self.changed.emit()
        return True

    @staticmethod
    def _laid_out(work: Path) -> Path | None:
        """The job of what was begun before."""
        return next(iter(sorted(work.glob("*.job.toml"))), None) if (work / _GIVEN).is_dir() else None

    def keep(self) -> None:
        """Save the work of the job under way, without a question."""
        if self.practice is not None and self._document.modified:
            self.save()

    def over(self) -> None:
        """Begin it anew; what was done is thrown away, which is what was asked for."""
        if self.practice is not None:
            practice = self.practice
            self.start(practice, over=True)

    def leave(self) -> None:
        """No practice job any more; what is open stays open."""
        self.keep()
        self.practice = None
        self.verdicts = ()
        self.changed.emit()

    def _on_job(self) -> None:
        job = self._document.job
        if self.practice is not None and (job is None or self._job is None or Path(job.file) != self._job):
            self.leave()

    def hint(self) -> None:
        """One hint more."""
        if self.practice is not None:
            self.hints = min(self.hints + 1, len(self.practice.hints))
            self.changed.emit()

    # -- checking ----------------------------------------------------------------------------------------------------------

    def check(self) -> None:
        """Check what there is now; waits for its proof and for the answer's."""
        if self.practice is None:
            return
        self._wanted = True
        self.keep()
        self.changed.emit()
        self._try()

    def _on_answer(self, answer: object) -> None:
        self._answer = answer if isinstance(answer, Proof) else None
        self._try()

    def _on_proof(self) -> None:
        self._try()

    def _try(self) -> None:
        document = self._document
        proof = document.proof
        if not self._wanted or self._background.busy or proof is None or self.practice is None or self._given is None:
            return
        if not document.proof_is_current or proof.job is not document.job:
            return
        self._wanted = False
        self.tries += 1
        practice, given, answer, stand = self.practice, self._given, self._answer, self.stand()
        self._judging.ask(lambda _cancelled: (practice.name, judge(practice, given, proof, answer, stand)))
        self.changed.emit()

    def _on_judged(self, found: object) -> None:
        name, verdicts = found  # type: ignore[misc]
        if self.practice is None or self.practice.name != name:
            return
        self.verdicts = verdicts
        if self.solved:
            self._settings.setValue("practice_solved", "\n".join(sorted(self.done | {self.practice.name})))
        self.changed.emit()
        self.checked.emit()

    @property
    def checking(self) -> bool:
        """Whether a check is under way."""
        return self._wanted or self._judging.busy

    @property
    def solved(self) -> bool:
        return solved(self.verdicts)
