"""Whatever stands in a program: a proof, a summary and a restart from any line come of it, and never an exception."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.conftest import PLAIN_JOB, write_job
from underglass.core.control.flow import Limits
from underglass.core.files.job import read_job
from underglass.core.files.report import (
    comparison_as_text,
    proof_as_dict,
    proof_as_text,
    restart_as_text,
    summary_as_text,
)
from underglass.core.language.source import read_text
from underglass.core.proof.compare import compare_runs
from underglass.core.proof.job import Job
from underglass.core.proof.measure import part_mesh
from underglass.core.proof.prove import prove
from underglass.core.proof.reader import read_out
from underglass.core.proof.restart import restart

LINES = [
    "G21 G17 G40 G49 G80 G90 G94", "T1 M6", "T2 M6", "T9 M6", "G0 G54 X20. Y20. S3000 M3", "G43 H1 Z5.", "G43 H2 Z5.", "G1 Z-3. F300",
    "G41 D1 X40. Y20.", "G42 D1 X40. Y40.", "G41 X10.", "X60.", "Y40.", "X20. Y20.", "X50. Y8.", "G40 X10. Y10.", "G40", "G0 Z30.",
    "G2 X30. Y30. R8.", "G3 X40. Y30. I5. J0", "G3 I-5. J0", "G2 X60. Y30. Z-5. I10. J0", "G18", "G19", "G17", "G3 X30. Z-2. R9.", "G91", "G90",
    "G83 X30. Y30. Z-9. R2. Q3.", "G76 X30. Y30. Z-9. R2. Q.5", "G87 X5. Y5. R2. Z-9. I1. K-5.", "G80", "G33 Z-5. K1.", "G38.2 Z-30.", "G68 X0 Y0 R30.",
    "G69", "G51 P2.", "G51.1 X30.", "G50", "G50.1", "G52 X5.", "G92 X0", "G92.1", "G53 Z0", "G28 Z0", "G91 G28 X0", "M98 P100 L2", "M99", "O100", "N10",
    "GOTO 10", "#1=#1+1", "IF [#1 GT 3] GOTO 99", "N99", "WHILE [#2 LT 3] DO 1", "#2=#2+1", "END 1", "X[#1*5]", "M0", "M1", "M5", "M30", "S0", "F0", "G95", "G93",
    "G20", "X1e9", "X-99999.", "Z-500.", "?!", "", "(note)", "%", "G4 P1.", "M49", "G10 L2 P1 X0", "G10 L12 P1 R2.", "/X5.",
]  # fmt: skip


@pytest.fixture(scope="module")
def job(tmp_path_factory: pytest.TempPathFactory) -> Job:
    folder: Path = tmp_path_factory.mktemp("any")
    made = read_job(write_job(folder, "M30\n", PLAIN_JOB.replace("cell = 0.25", "cell = 2.0")))
    return replace(made, control=replace(made.control, limits=Limits(jumps=40)))


@settings(deadline=None, max_examples=150, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(st.sampled_from(LINES), max_size=25), st.integers(0, 24), st.sampled_from(LINES))
def test_any_program_and_any_edit(job: Job, lines: list[str], at: int, line: str) -> None:
    source = read_text("\n".join(lines) + "\n", "any.nc")
    proof = prove(job, source)
    assert proof_as_text(proof) and proof_as_dict(proof)["format"] == 1 and summary_as_text(proof)
    for number, text in enumerate(source.lines, 1):
        assert read_out(proof, text, number).sentences
        if number % 5 == 1:
            assert restart_as_text(restart(proof, number))
    assert len(part_mesh(proof)[1])
    edited = read_text("\n".join([*lines[:at], line, *lines[at + 1 :]]) + "\n", "any.nc")
    again, whole = prove(job, edited, before=proof), prove(job, edited)
    assert again.findings == whole.findings and again.closest == whole.closest
    assert comparison_as_text(compare_runs(again, whole)).startswith("the same part")
