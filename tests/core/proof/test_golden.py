"""Every golden program is found out in exactly what it says, no more and no less."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.conftest import PLAIN_JOB
from tests.outcomes import differences, outcome_of, recorded
from underglass.core.files.demo import copy_demo, demo_names
from underglass.core.files.load import load
from underglass.core.files.report import path_as_csv, restart_as_text, summary_as_text
from underglass.core.finding import CODES
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import prove
from underglass.core.proof.restart import restart

GOLDEN = Path(__file__).parents[2] / "golden"
FILES = sorted(GOLDEN.glob("*.nc"))
RECORDED = recorded()
_EXPECT = re.compile(r"; expect (\S+) (\d+)(?::(\d+))?(?: (.*))?$")


def expected(text: str) -> list[tuple[str, int, int | None, str]]:
    rows = [_EXPECT.match(line) for line in text.splitlines() if line.startswith("; expect")]
    assert all(rows)
    return [(r[1], int(r[2]), int(r[3]) if r[3] else None, r[4] or "") for r in rows if r]


def job_text(text: str, job: str = PLAIN_JOB) -> str:
    added = []
    for line in text.splitlines():
        if line.startswith(";!-"):
            old, new = (part.strip().replace("\\n", "\n") for part in line[3:].split("=>"))
            assert old in job
            job = job.replace(old, new, 1)
        elif line.startswith(";!"):
            added.append(line[2:].strip())
    return job + "\n" + "\n".join(added) + "\n"


@pytest.mark.parametrize("path", FILES, ids=lambda p: p.stem)
def test_golden(path: Path, prove_text: Callable[..., Proof]) -> None:
    text = path.read_text()
    proof = prove_text(text, job_text(text))
    wanted = expected(text)
    # Every tool has its first approach, and a program about one word is fed in the air: told only where it is about that.
    aside = {"first-approach", "cuts-air"} - {code for code, *_rest in wanted}
    found = [(f.code, f.line, f.column, f.message) for f in proof.findings if f.code not in aside]
    assert [(code, line) for code, line, _c, _m in found] == [(code, line) for code, line, _c, _w in wanted], found
    for (_code, _line, column, message), (_c, _l, want_column, words) in zip(found, wanted):
        assert want_column in (None, column), (column, message)
        assert words.lower() in message.lower()
    for finding in proof.findings:
        assert finding.remedy and finding.program == "plain.nc"
        assert 0.0 <= finding.time_s <= proof.timing.total + 1e-9
    grave = [f for f in proof.findings if f.code not in aside]
    assert not wanted or proof.outcome != "clean" or all(f.severity.word == "note" for f in grave)
    # A change that is meant is recorded anew: python -m tests.outcomes --record
    assert differences(path.stem, outcome_of(proof), RECORDED.get(path.stem)) == []


@pytest.mark.parametrize("name", demo_names())
def test_demo_comes_to_what_is_recorded(name: str, tmp_path: Path) -> None:
    job, source, _program = load(copy_demo(name, tmp_path))
    said = f"demo {name}"
    assert differences(said, outcome_of(prove(job, source)), RECORDED.get(said)) == []


def test_every_code_has_a_program_that_raises_it() -> None:
    every = sorted(GOLDEN.rglob("*.nc"))
    raised = {code for path in every for code, *_rest in expected(path.read_text())}
    elsewhere = {"not-text", "low-tool-change", "restart-unsafe", "below-target", "above-target"}
    elsewhere |= {"thread-as-rings", "pip-left", "chip-window"}  # notes of turning: tests/core/trades/turning
    elsewhere |= {"hit-over-edge", "pitch-under-nibbling"}  # notes of punching: tests/core/trades/sheet
    assert set(CODES) - raised - elsewhere == set()
    assert raised <= set(CODES)


@pytest.mark.parametrize("name", demo_names())
def test_moves_summary_and_restart_need_no_cut(name: str, tmp_path: Path) -> None:
    job, source, _program = load(copy_demo(name, tmp_path))
    whole, moves = prove(job, source), prove(job, source, cut=False)
    assert moves.stocks == () and path_as_csv(moves) == path_as_csv(whole)
    assert summary_as_text(moves) == summary_as_text(whole)
    for line in (5, 20, 40):
        assert restart_as_text(restart(moves, line)) == restart_as_text(restart(whole, line))
