"""Registers set in a job file: read again they are what was meant, and nothing else has changed."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.conftest import PLAIN_JOB, write_job
from underglass.core.errors import UnusableFile
from underglass.core.files.job import read_job
from underglass.core.files.job_edit import set_register
from underglass.core.files.load import load
from underglass.core.proof.fixes import register_fix_for, with_register
from underglass.core.proof.prove import prove

PROGRAM = "G21 G17 G40 G49 G80 G90 G94\nT1 M6\nG0 G55 X-20. Y-20. S3000 M3\nG43 H1 Z25.\nG1 Z-1. F200\nG41 D1 X0. Y-20.\nY30.\nG40 X-20.\nG0 Z50.\nM30\n"
WRONG = PLAIN_JOB.replace("[stock]", "G55 = { x = -100.0, y = -150.0, z = -200.0 }\n[stock]", 1).replace(
    'title = "Plain plate"', 'title = "Plain plate" # kept\nunits = "UNITS"'
)
REGISTERS = (
    "\n[registers]\nwork = { G55 = { x = -120.0, y = -150.0, z = -200.0 } } # old\n[registers.radius]\nD1 = 9.0\n"
)


@pytest.mark.parametrize("units", ["mm"])
def test_every_register_can_be_set_to_the_truth(tmp_path: Path, units: str) -> None:
    text = WRONG.replace("UNITS", units) + REGISTERS
    path = write_job(tmp_path, PROGRAM, text)
    job, source, _program = load(path)
    fixes = [f for f in (register_fix_for(x, job) for x in prove(job, source).troubles) if f is not None]
    assert {f.key for f in fixes} >= {"D1", "G55"}
    for fix in fixes:
        text = set_register(text, fix, job)
        job = with_register(job, fix)
    path.write_text(text)
    again = read_job(path)
    assert again.registers == job.registers
    left = [x.code for x in prove(again, source).troubles]
    assert "radius-register-wrong" not in left and "work-offset-wrong" not in left
    assert "# kept" in text and "# old" in text


def test_a_file_that_is_no_toml_any_more_says_so(tmp_path: Path) -> None:
    job, source, _program = load(write_job(tmp_path, PROGRAM, WRONG.replace("UNITS", "mm") + REGISTERS))
    fix = next(f for f in (register_fix_for(x, job) for x in prove(job, source).troubles) if f is not None)
    with pytest.raises(UnusableFile, match="cannot be read any more"):
        set_register("[broken", fix, job)
