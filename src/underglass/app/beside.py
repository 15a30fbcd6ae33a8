"""What is worked out around a proof, before it is asked for and beside the window."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from underglass.app.glass.prepared import prepare
from underglass.core.files.guess import PENDING, guess_job
from underglass.core.language.source import Source
from underglass.core.proof.job import Job
from underglass.core.proof.proof import Proof

_SHORT = 2000
"""Lines up to which guessing anew costs no more than a moment."""


def prepare_glass(proof: Proof, hint: object) -> object:
    """What the glass will show of a proof, worked out beside the window: at a line (int) or a moment (float)."""
    if isinstance(hint, int):
        moves = proof.moves_of_line(hint)
        return prepare(proof, proof.timing.end_of(moves[1]) if moves is not None else proof.moment_of_line(hint))
    return prepare(proof, hint if isinstance(hint, float) else None)


def guessed_anew(job: Job, source: Source, cancelled: Callable[[], bool]) -> Job:
    """A bare program's job follows its text, as long as guessing costs no more than a moment; the first time in any case."""
    if not job.guessed or (len(source.lines) > _SHORT and job.guessed != (PENDING,)):
        return job
    return replace(guess_job(source, Path(job.file), cancelled), title=job.title)
