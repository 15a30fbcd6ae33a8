"""Every golden program of cutting and punching sheet is found out in exactly what it says; a clean one in nothing above a note."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.core.proof.test_golden import expected, job_text
from tests.core.trades.sheet.flat import PUNCH_JOB, SHEET_JOB, prove_flat

GOLDEN = Path(__file__).parents[3] / "golden"
FILES = [
    (p, j) for name, j in (("sheet", SHEET_JOB), ("punching", PUNCH_JOB)) for p in sorted((GOLDEN / name).glob("*.nc"))
]


@pytest.mark.parametrize(("path", "job"), FILES, ids=[f"{p.parent.name}-{p.stem}" for p, _j in FILES])
def test_golden_flat(path: Path, job: str, tmp_path: Path) -> None:
    text = path.read_text()
    proof = prove_flat(tmp_path, text, job_text(text, job))
    wanted = expected(text)
    found = [(f.code, f.line, f.message) for f in proof.findings if f.severity.word != "note"]
    assert sorted((code, line) for code, line, _m in found) == sorted((c, n) for c, n, _col, _w in wanted), found
    assert path.stem.startswith("clean-") <= (not wanted)
    assert all(f.remedy and 0.0 <= f.time_s <= proof.timing.total + 1e-9 for f in proof.findings)
