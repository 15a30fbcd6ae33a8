"""Opening what a person names: a job with its program, or a bare program."""

from __future__ import annotations

from pathlib import Path

from underglass.core.errors import UnusableFile
from underglass.core.files.guess import guess_job, pending_job
from underglass.core.files.job import read_job
from underglass.core.language.source import Source, read_bytes
from underglass.core.proof.job import Job
from underglass.core.reading import PROGRAM_BYTES, TEXT_BYTES, read_regular


def read_program(path: Path) -> Source:
    """A program file's bytes as a source. Raises ``UnusableFile``."""
    return read_bytes(read_regular(path, PROGRAM_BYTES), path.name)


def load(path: Path, *, guess: bool = True) -> tuple[Job, Source, Path]:
    """(job, program, the program's file). Anything but ``*.toml`` is a bare program, proved with guesses.

    ``guess`` False: they are left for later (``guess.pending_job``), for they take as long as the program does. Raises ``UnusableFile`` or ``BadEntry``.
    """
    if path.is_dir():
        raise UnusableFile(str(path), "this is a folder; name the job in it")
    if path.suffix != ".toml":
        source = read_program(path)
        return (guess_job if guess else pending_job)(source, path), source, path
    job = read_job(path)
    program = Path(job.folder) / job.program
    return job, read_program(program), program


def read_text_of(path: Path) -> str:
    """A job file's text, line ends as ``\\n``. Raises ``UnusableFile``."""
    return read_regular(path, TEXT_BYTES).decode("utf-8-sig", "replace").replace("\r\n", "\n")
