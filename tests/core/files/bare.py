"""Programs without a job, proved on what is guessed around them."""

from __future__ import annotations

from pathlib import Path

from underglass.core.files.load import load
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import prove


def bare(path: Path) -> Proof:
    job, source, _path = load(path)
    return prove(job, source)


def bare_text(folder: Path, text: str) -> Proof:
    path = folder / "bare.nc"
    path.write_text(text)
    return bare(path)
