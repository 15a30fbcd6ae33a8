"""What is worked out around a proof, before it is asked for and beside the window."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from underglass.app.glass.stage import prepare
from underglass.core.files.guess import guess_job
from underglass.core.language.source import Source
from underglass.core.proof.job import Job
from underglass.core.proof.proof import Proof


def prepare_glass(proof: Proof, hint: object) -> object:
    """What the glass will show of a proof, worked out beside the window: at a line (int) or a moment (float)."""
    if isinstance(hint, int):
        moves = proof.moves_of_line(hint)
        return prepare(proof, proof.timing.end_of(moves[1]) if moves is not None else proof.moment_of_line(hint))
    return prepare(proof, hint if isinstance(hint, float) else None)


def guessed_anew(job: Job, source: Source) -> Job:
    """A bare program's job follows its text, as long as guessing costs no more than a moment."""
    if not job.guessed or len(source.lines) > 2000:
        return job
    return replace(guess_job(source, Path(job.file)), title=job.title, control=job.control)
