"""The one document: job, text, proof, and the one selection and the one moment that every place shows.

A signal for each field, sent only when the field changes. Views write through the ``set_…`` methods; a value that is
already there sends nothing, so nothing can echo.
"""

from __future__ import annotations

import tomllib
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, Signal

from underglass.app.job_history import JobHistory, Standing
from underglass.core.files.guess import program_unit
from underglass.core.files.job import read_job_text
from underglass.core.files.job_edit import JobEdit, put_register
from underglass.core.files.job_write import written
from underglass.core.finding import Finding
from underglass.core.language.buffer import Buffer, Change, line_after
from underglass.core.language.source import Source, read_bytes, read_lines, read_text
from underglass.core.language.stated import Stated, stated
from underglass.core.proof.accepted import block_of
from underglass.core.proof.fixes import RegisterFix
from underglass.core.proof.job import Job
from underglass.core.proof.proof import Proof
from underglass.core.units import Unit

_STATED_IN = 5000
"""What is stated of stock and tools stands in so many lines, in front or at the tools."""


def free_job_path(program: Path) -> Path:
    """Where a program's job is to lie beside it: by its name, or with a number where another job lies there already."""
    path = program.with_suffix(".job.toml")
    number = 2
    while path.exists():
        path = program.with_name(f"{program.stem}-{number}.job.toml")
        number += 1
    return path


class Document(QObject):
    """What is open. ``line`` counts from 1; ``moment`` is in seconds from the start of the run."""

    job_changed = Signal()
    text_changed = Signal()
    modified_changed = Signal(bool)
    proof_changed = Signal()
    proving_changed = Signal(str, float)
    line_changed = Signal(int)
    moment_changed = Signal(float)
    finding_changed = Signal()
    units_changed = Signal()
    bookmarks_changed = Signal()
    setup_changed = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.job: Job | None = None
        self.source: Source = read_text("")
        self.program_path: Path | None = None
        self.buffer = Buffer()
        self.buffer.changed.append(self._on_buffer_changed)
        self.buffer.finished.append(self._on_buffer_finished)
        self.modified = False
        self.bookmarks: set[int] = set()
        self.job_text = ""
        """The job file's text as it stands; empty for a bare program."""
        self.history = JobHistory()
        self._said: tuple[int, Stated] = (-1, Stated())
        self._data: tuple[str, dict[str, Any]] = ("", {})
        self.proof: Proof | None = None
        self._asked: tuple[int, Source] = (-1, self.source)
        self.by_line = True
        self.proving = ("", 0.0)
        self.line = 1
        self.moment = 0.0
        self.finding: Finding | None = None
        self.units: Unit = "mm"

    # -- what is open --------------------------------------------------------------------------------------------

    def open(self, job: Job, source: Source, program_path: Path | None, job_text: str = "") -> None:
        """Take up a job and its program; everything that was about the last one is let go."""
        self.job = job
        self.job_text = job_text
        self.history.begin()
        self.source = source
        self.program_path = program_path
        self.buffer.newline = source.newline
        self.buffer.load(source.text if source.is_text else "")
        self.bookmarks = set()
        self._asked = (self.buffer.revision, source)
        self.by_line = True
        self.proof = None
        self.finding = None
        self.line = 1
        self.moment = 0.0
        self.units = job.units
        self.set_modified(False)
        self.job_changed.emit()
        self.units_changed.emit()
        self.text_changed.emit()
        self.proof_changed.emit()
        self.finding_changed.emit()
        self.line_changed.emit(1)
        self.moment_changed.emit(0.0)

    @property
    def text(self) -> str:
        """The whole program, line ends as ``\\n``."""
        return self.buffer.text

    @property
    def lines(self) -> list[str]:
        """The program's lines as they stand; the last one is empty where the text ends with a line end. To be read only."""
        return self.buffer.lines

    def line_text(self, line: int) -> str:
        """A line's text, by its number from 1; empty where there is none."""
        return self.buffer.lines[line - 1] if 1 <= line <= len(self.buffer.lines) else ""

    def _on_buffer_changed(self, change: Change) -> None:
        if change.growth and self.bookmarks:
            moved = {line_after(k - 1, change) + 1 for k in self.bookmarks}
            if moved != self.bookmarks:
                self.bookmarks = moved
                self.bookmarks_changed.emit()

    def _on_buffer_finished(self) -> None:
        self._look_modified()
        self.text_changed.emit()

    def set_text(self, text: str) -> None:
        """Another text in the place of all there is; one step that can be undone."""
        self.buffer.change_lines(0, len(self.buffer.lines), text.split("\n"))

    def set_modified(self, modified: bool) -> None:
        if modified != self.modified:
            self.modified = modified
            self.modified_changed.emit(modified)

    def _look_modified(self) -> None:
        self.set_modified(self.buffer.modified or self.history.modified)

    # -- the setup -----------------------------------------------------------------------------------------------------

    @property
    def table_job(self) -> Job | None:
        """The job, where its stock lies on a table; None where nothing is open, or a trade has its own bench."""
        return self.job if self.job is not None and self.job.bench.more is None else None

    @property
    def job_path(self) -> Path | None:
        """Where the job file lies, or is to lie by its program's name; None where nothing is open."""
        if self.job is None:
            return None
        path = Path(self.job.file)
        return path if path.suffix == ".toml" else free_job_path(path)

    def job_edit(self) -> JobEdit:
        """The job file's text to be changed; a bare program's job is written out with its guesses. Raises ``UnusableFile``."""
        assert self.job is not None
        return JobEdit(self.job_text or written(self.job), self.job.file)

    @property
    def job_data(self) -> dict[str, Any]:
        """The job file's entries as they stand, to be read only; made once for each text."""
        if self.job is None:
            return {}
        text = self.job_text or written(self.job)
        if self._data[0] != text:
            self._data = (text, tomllib.loads(text))
        return self._data[1]

    def change_job(self, text: str, what: str, key: str = "") -> None:
        """The job as another text has it: one step that can be undone; strokes of one ``key`` are joined.

        Raises ``UnusableFile`` or ``BadEntry``, and nothing changes, where the text is no job.
        """
        path = self.job_path
        if self.job is None or path is None or text == self.job_text:
            return
        before = Standing(self.job, self.job_text)
        job = read_job_text(text, path)
        self.history.made(what, key, before, Standing(job, text))
        self._put_job(Standing(job, text))

    def _put_job(self, standing: Standing) -> None:
        self.job, self.job_text = standing.job, standing.text
        self._look_modified()
        self.setup_changed.emit()

    def undo_setup(self) -> str:
        """Take the last change of the setup back; what it was, or empty."""
        step = self.history.undo()
        if step is None:
            return ""
        self._put_job(step.before)
        return step.what

    def redo_setup(self) -> str:
        """Make the change again that was taken back; what it was, or empty."""
        step = self.history.redo()
        if step is None:
            return ""
        self._put_job(step.after)
        return step.what

    def set_register(self, fix: RegisterFix) -> None:
        """Set a register of the control; it is written to the job file with the next save."""
        if self.job is None:
            return
        edit = self.job_edit()
        put_register(edit, self.job, fix.group, fix.key, fix.after)
        self.change_job(edit.text, f"set {fix.key}")

    def accept(self, finding: Finding, reason: str) -> None:
        """A finding is meant so, for this reason; an empty reason takes that back. Raises as ``change_job`` does."""
        if self.job is None or self.proof is None:
            return
        block = block_of(finding, self.proof.source.lines)
        edit = self.job_edit()
        for k in reversed(range(edit.count("accepted"))):
            entry = edit.get("accepted", k)
            if (entry.get("code"), str(entry.get("block", "")).strip()) == (finding.code, block):
                edit.drop("accepted", k)
        if reason.strip():
            edit.add("accepted", {"code": finding.code, "block": block, "reason": reason.strip()})
        self.change_job(edit.text, f"{'accepted' if reason.strip() else 'no longer accept'} {finding.code}")

    def job_saved(self) -> None:
        """The job file holds the job as it stands."""
        self.history.mark_saved()
        self._look_modified()

    @property
    def stated(self) -> Stated:
        """What the program's comments state of stock, zero and tools; read once for each revision."""
        if self._said[0] != self.buffer.revision:
            lines = self.buffer.lines[:_STATED_IN]
            self._said = (self.buffer.revision, stated(lines, program_unit(lines)))
        return self._said[1]

    def toggle_bookmark(self, line: int) -> None:
        """Mark a line (from 1) to come back to, or take its mark away."""
        self.bookmarks ^= {line}
        self.bookmarks_changed.emit()

    def filed(self) -> bytes:
        """The program as its file is to hold it: its own bytes where nothing was typed, its encoding and line ends else."""
        return self.source.encoded(self.buffer.as_filed()) if self.buffer.modified else self.source.raw

    def saved(self, data: bytes, path: Path) -> None:
        """The program now lies in this file as these bytes."""
        self.source = read_bytes(data, path.name)
        self.program_path = path
        self.buffer.mark_saved()
        self._look_modified()

    def program(self) -> Source:
        """The program as it stands now; made once for each revision."""
        if self._asked[0] != self.buffer.revision:
            self._asked = (self.buffer.revision, read_lines(self.buffer.lines, self.source.name))
        return self._asked[1]

    @property
    def proof_is_current(self) -> bool:
        """Whether the proof is of the text as it stands now."""
        revision, source = self._asked
        return self.proof is not None and revision == self.buffer.revision and self.proof.source is source

    # -- the proof -----------------------------------------------------------------------------------------------

    def set_proof(self, proof: Proof) -> None:
        """A finished proof. The moment stays at the selected line's, wherever that is now."""
        self.proof = proof
        if self.job is not None and self.job.guessed and proof.job.guessed and self.job is not proof.job:
            self.job = proof.job  # guessed anew from the text as it is now
            self.job_changed.emit()
        self.proving = ("", 0.0)
        old = self.finding
        self.finding = None
        if old is not None:
            self.finding = next((f for f in proof.findings if (f.code, f.line) == (old.code, old.line)), None)
        self.proof_changed.emit()
        self.proving_changed.emit("", 0.0)
        self.finding_changed.emit()
        # Where the moment was chosen by a line, as while typing in it, it goes with that line.
        at = self._moment_after(self.line) if self.by_line else None
        self._put_moment(min(self.moment if at is None else at, proof.timing.total))

    def set_proving(self, what: str, share: float) -> None:
        """How far the running proof is; an empty ``what`` when none runs."""
        self.proving = (what, share)
        self.proving_changed.emit(what, share)

    # -- selection and moment --------------------------------------------------------------------------------------

    def select_line(self, line: int, *, move_moment: bool = True) -> None:
        """Choose a line; the moment goes to where the line is done."""
        if line != self.line:
            self.line = line
            self.line_changed.emit(line)
        if self.finding is not None and self.finding.line != line:
            self.finding = None
            self.finding_changed.emit()
        if move_moment:
            self.by_line = True
            at = self._moment_after(line)
            if at is not None:
                self._put_moment(at)

    def _moment_after(self, line: int) -> float | None:
        """When a line is done, or would be come to where it moves nothing; None where it is not run."""
        if self.proof is None:
            return None
        moves = self.proof.moves_of_line(line)
        return self.proof.timing.end_of(moves[1]) if moves is not None else self.proof.moment_of_line(line)

    def select_finding(self, finding: Finding) -> None:
        """Choose a finding: its line and its moment with it."""
        self.finding = finding
        if finding.line != self.line:
            self.line = finding.line
            self.line_changed.emit(self.line)
        self.finding_changed.emit()
        moment = finding.time_s
        proof = self.proof
        if proof is not None and 0 <= finding.move < len(proof.motions):
            move, _share = proof.timing.locate(moment)
            # What stands at the very start of a move shows when the move is made.
            if move != finding.move:
                moment = proof.timing.end_of(finding.move)
        self.by_line = False
        self._put_moment(moment)

    def set_moment(self, moment: float, *, follow: bool = True) -> None:
        """Go to a moment; the line being run then is chosen with it."""
        if self.proof is None:
            return
        self.by_line = False
        moment = min(max(moment, 0.0), self.proof.timing.total)
        if follow and len(self.proof.motions):
            move, _share = self.proof.timing.locate(moment)
            line = int(self.proof.motions.line[move]) if moment > 0.0 else 1
            if line != self.line:
                self.line = line
                self.line_changed.emit(line)
                if self.finding is not None:
                    self.finding = None
                    self.finding_changed.emit()
        self._put_moment(moment)

    def _put_moment(self, moment: float) -> None:
        if moment != self.moment:
            self.moment = moment
            self.moment_changed.emit(moment)

    def set_units(self, units: Unit) -> None:
        """How lengths are shown. The job and its program keep their own."""
        if units != self.units:
            self.units = units
            self.units_changed.emit()
