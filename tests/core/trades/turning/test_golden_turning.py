"""Every golden turning program is found out in exactly what it says; a clean one in nothing above a note."""

from __future__ import annotations

from pathlib import Path

import pytest
from tests.core.proof.test_golden import expected, job_text
from tests.core.trades.turning.lathe import LATHE_JOB, prove_turning

GOLDEN = Path(__file__).parents[3] / "golden" / "turning"
FILES = sorted(GOLDEN.glob("*.nc"))


def job_of(text: str) -> str:
    return job_text(text, LATHE_JOB)


@pytest.mark.parametrize("path", FILES, ids=lambda p: p.stem)
def test_golden_turning(path: Path, tmp_path: Path) -> None:
    text = path.read_text()
    proof = prove_turning(tmp_path, text, job_of(text))
    wanted = expected(text)
    found = [(f.code, f.line, f.message) for f in proof.findings if f.severity.word != "note"]
    assert sorted((code, line) for code, line, _m in found) == sorted((c, n) for c, n, _col, _w in wanted), found
    for code, line, _column, words in wanted:
        said = next(m for c, n, m in found if (c, n) == (code, line))
        assert words.lower() in said.lower()
    assert path.stem.startswith("clean-") == (not wanted)
    assert all(f.remedy and 0.0 <= f.time_s <= proof.timing.total + 1e-9 for f in proof.findings)
