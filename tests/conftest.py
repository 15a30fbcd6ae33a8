"""Shared by all tests: a plain job, a folder to put it in, and helpers that prove text."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from hypothesis import settings

os.environ.setdefault("QT_QPA_PLATFORM", "xcb" if os.environ.get("DISPLAY") else "offscreen")

from underglass.core.control.interpret import Control
from underglass.core.files.job import read_job
from underglass.core.language.source import read_bytes, read_text
from underglass.core.proof.job import Job
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import prove
from underglass.core.trades.milling.dialect import MILL


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Where nothing can be drawn, the tests that look at the drawing are left out, and said to be."""
    if os.environ["QT_QPA_PLATFORM"] == "offscreen":
        for item in items:
            if item.get_closest_marker("drawn"):
                item.add_marker(pytest.mark.skip(reason="the offscreen platform has no OpenGL"))


# No test is timed: a slow machine is no fault of the code. Speed is measured in benchmarks/.
# Random entries are fewer in every change's run than in the long ones.
settings.register_profile("house", deadline=None, max_examples=100 if os.environ.get("UNDERGLASS_DEEP") else 35)
settings.load_profile("house")

PLAIN_JOB = """\
format = 1
title = "Plain plate"
program = "plain.nc"

[zero]
G54 = { x = -300.0, y = -150.0, z = -200.0 }

[stock]
shape = "box"
size = [100.0, 60.0, 20.0]
place = [0.0, 0.0, -20.0]

[[fixture]]
name = "left clamp"
shape = "box"
size = [20.0, 20.0, 15.0]
place = [-25.0, 20.0, -5.0]

[[tool]]
number = 1
kind = "end-mill"
DC = 10.0
APMX = 22.0
length = 75.0
stickout = 40.0
holder = { diameter = 40.0, length = 30.0 }

[[tool]]
number = 2
kind = "drill"
DC = 8.0
SIG = 118.0
APMX = 60.0
length = 110.0
stickout = 70.0

[proof]
cell = 0.25
"""
"""A plate of 100 x 60 x 20 with its zero at the left front corner of its top; a 10 mm end mill and an 8 mm drill."""

SAFE = "G21 G17 G40 G49 G80 G90 G94\n"
START = SAFE + "T1 M6\nG0 G54 X-20. Y-20. S3000 M3\nG43 H1 Z25.\n"
"""Four lines after which the mill turns, clear of the stock; the test's own first line is the fifth."""


def write_job(folder: Path, program: str | bytes, job: str = PLAIN_JOB) -> Path:
    """A job and its program in a folder; the job's path."""
    data = program if isinstance(program, bytes) else program.encode()
    (folder / "plain.nc").write_bytes(data)
    path = folder / "plain.job.toml"
    path.write_text(job)
    return path


@pytest.fixture
def plain_job(tmp_path: Path) -> Job:
    return read_job(write_job(tmp_path, "M30\n"))


@pytest.fixture
def prove_text(tmp_path: Path) -> Callable[..., Proof]:
    """Prove a program's text under the plain job, or under another job's text."""

    def run(text: str | bytes, job: str = PLAIN_JOB) -> Proof:
        loaded = read_job(write_job(tmp_path, text, job))
        source = read_bytes(text, "plain.nc") if isinstance(text, bytes) else read_text(text, "plain.nc")
        return prove(loaded, source)

    return run


def codes(proof: Proof) -> list[str]:
    """The findings' codes in order, but for the first approaches that every program has."""
    return [f.code for f in proof.findings if f.code != "first-approach"]


class MillControl(Control):
    """A mill's control, without a job round it."""

    def __init__(self, *given: Any, **named: Any) -> None:
        super().__init__(*given, dialect=MILL, **named)
