"""Plain jobs of sheet cutting and punching for tests."""

from __future__ import annotations

from pathlib import Path

from tests.conftest import write_job
from underglass.core.files.job import read_job
from underglass.core.language.source import read_text
from underglass.core.proof.flat_outputs import history_of
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import prove
from underglass.core.removal.sheet.history import SheetHistory

SHEET_JOB = """\
format = 1
title = "Plain sheet"
machine = "sheet-2axis"
control = "word-address-sheet"
program = "plain.nc"

[zero]
G54 = { x = 50.0, y = 50.0 }

[stock]
shape = "sheet"
size = [600.0, 400.0, 4.0]
place = [0.0, 0.0]
material = "steel"

[[tool]]
number = 1
kind = "torch"
kerf = 1.6
pierce_s = 0.6
pierce_diameter = 3.0
feed = [1200, 2600]
"""

PUNCH_JOB = """\
format = 1
title = "Plain panel"
machine = "punch-turret"
control = "word-address-punch"
program = "plain.nc"

[zero]
G54 = { x = 0.0, y = 0.0 }

[stock]
shape = "sheet"
size = [1000.0, 500.0, 1.5]
place = [0.0, 0.0]
material = "steel"

[[fixture]]
name = "clamp 1"
shape = "clamp-zone"
size = [90.0, 40.0]
place = [120.0, -10.0]

[[tool]]
number = 1
kind = "punch"
shape = "round"
size = [1.2]

[[tool]]
number = 3
kind = "punch"
shape = "square"
size = [20.0]

[[tool]]
number = 7
kind = "punch"
shape = "rectangle"
size = [40.0, 12.0]
forming = true
height = 4.0

[[tool]]
number = 12
kind = "punch"
shape = "round"
size = [12.0]
"""


def prove_flat(folder: Path, text: str, job: str = SHEET_JOB) -> Proof:
    """Prove a program's text under a job."""
    return prove(read_job(write_job(folder, text, job)), read_text(text, "plain.nc"))


def sheet_history(proof: Proof) -> SheetHistory:
    history = history_of(proof)
    assert history is not None
    return history
