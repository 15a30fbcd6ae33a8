"""A plain lathe job for the tests of turning: a bar of 40, and eight stations."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from tests.conftest import write_job

from underglass.core.files.job import read_job
from underglass.core.language.source import read_text
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import prove

LATHE_JOB = """\
format = 1
title = "Plain bar"
machine = "lathe-2axis"
control = "word-address-lathe"
program = "plain.nc"

[zero]
G54 = { z = -380.0 }

[stock]
shape = "bar"
size = [40.0, 90.0]
place = 1.0

[chuck]
kind = "jaws"
face = -60.0
diameter = 160.0
jaws = { length = 25.0, height = 25.0 }

[[tool]]
number = 1
kind = "turning"
insert = "C"
RE = 0.8
L = 12.0
KAPR = 95.0
orientation = 3
gauge = { x = 120.0, z = 60.0 }
holder = { width = 20.0, length = 100.0 }

[[tool]]
number = 2
kind = "turning"
insert = "D"
RE = 0.4
L = 11.0
KAPR = 93.0
orientation = 3
gauge = { x = 120.4, z = 60.2 }
holder = { width = 20.0, length = 100.0 }

[[tool]]
number = 3
kind = "grooving"
width = 3.0
depth = 12.0
RE = 0.2
orientation = 3
gauge = { x = 119.0, z = 58.0 }
holder = { width = 20.0, length = 80.0 }

[[tool]]
number = 4
kind = "drill"
DC = 12.0
APMX = 50.0
gauge = { x = 0.0, z = 110.0 }
holder = { diameter = 25.0, length = 60.0 }

[[tool]]
number = 5
kind = "boring"
insert = "C"
RE = 0.4
L = 6.0
KAPR = 95.0
orientation = 2
gauge = { x = 8.0, z = 120.0 }
holder = { diameter = 8.0, length = 60.0 }

[[tool]]
number = 6
kind = "threading"
SIG = 60.0
RE = 0.1
orientation = 8
gauge = { x = 118.0, z = 57.0 }
holder = { width = 16.0, length = 80.0 }

[[tool]]
number = 7
kind = "parting"
width = 3.0
depth = 22.0
RE = 0.1
orientation = 3
gauge = { x = 119.5, z = 61.0 }
holder = { width = 20.0, length = 80.0 }

[[tool]]
number = 8
kind = "centre-drill"
DC = 4.0
APMX = 12.0
gauge = { x = 0.0, z = 80.0 }
holder = { diameter = 20.0, length = 50.0 }
"""

START = "G21 G40 G97 G99 G54\nG50 S2500\nT0101\nG96 S150 M3\n"
"""Four lines after which a sharp-angled roughing tool turns; a test's own first line is the fifth."""


def prove_turning(folder: Path, text: str, job: str = LATHE_JOB, before: Proof | None = None) -> Proof:
    """Prove a program's text under the plain lathe job or another one."""
    loaded = read_job(write_job(folder, text, job))
    return prove(loaded, read_text(text, "plain.nc"), before=before)


Prover = Callable[..., Proof]
