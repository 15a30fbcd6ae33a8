"""Practice jobs: each shipped one refuses what was given and the repairs that only look right, and takes the one that is right."""

from __future__ import annotations

import os
import re
import shutil
from functools import cache
from pathlib import Path
from typing import Any

import pytest

from underglass.core.errors import UnderGlassError
from underglass.core.files.hand_in import HandIn, as_page, write_hand_in
from underglass.core.files.load import load
from underglass.core.files.practice import (
    FILE,
    Change,
    Practice,
    answer_of,
    judge,
    practice_folders,
    read_practice,
    take,
)
from underglass.core.machine.checking import Verdict, solved
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import prove

JOBS = {folder.name: read_practice(folder) for folder in practice_folders()}
DEEP = bool(os.environ.get("UNDERGLASS_DEEP"))
_COARSE = re.compile(r"^cell\s*=\s*[0-9.]+", re.MULTILINE)


@cache
def _answer(name: str) -> Proof | None:
    practice = JOBS[name]
    path = take(practice, Path(os.environ["PYTEST_PRACTICE"]) / name, ())
    if practice.answer:
        shutil.copyfile(practice.folder / practice.answer, load(path)[2])
    return proof_at(path)


def answer(base: str, name: str) -> Proof | None:
    """What solves it, on coarse cells; one for all jobs of a demo."""
    return _answer(next(n for n, p in JOBS.items() if p.base == base) if base else name)


def proof_at(path: Path) -> Proof:
    path.write_text(_COARSE.sub("cell = 0.4", path.read_text()))
    job, source, _program = load(path)
    return prove(job, source)


@pytest.fixture(autouse=True, scope="module")
def _scratch(tmp_path_factory: pytest.TempPathFactory) -> Any:
    os.environ["PYTEST_PRACTICE"] = str(tmp_path_factory.mktemp("practice"))
    yield
    _answer.cache_clear()


def verdicts(practice: Practice, folder: Path, extra: tuple[Change, ...]) -> tuple[Verdict, ...]:
    given = take(practice, folder / "given")
    proof = proof_at(take(practice, folder / "tried", practice.changes + extra))
    return judge(practice, given, proof, answer(practice.base, practice.name))


def test_there_are_enough_of_them_over_the_four_trades() -> None:
    faults = [p for p in JOBS.values() if p.kind == "find-the-fault"]
    assert len(faults) >= 24
    bases = [{"vent-bracket": "mill", "winder-cover": "mill"}.get(p.base, p.base) for p in faults]
    assert all(bases.count(base) >= 5 for base in ("mill", "winder-bush", "ridge-gusset", "louvre-panel"))
    assert {p.kind for p in JOBS.values()} == {"first-cut", "find-the-fault", "write-it", "measure-and-correct"}
    assert all(len(p.wrong) == 3 for p in JOBS.values())


_NAMES = list(JOBS)
# Every second job and one of the nests, which take some seconds each; all in the long runs. Of the wrong repairs every third job's, one of its three.
_CAN = [n for n in _NAMES if JOBS[n].kind != "first-cut"]
_RIGHT = _CAN if DEEP else [n for k, n in enumerate(_CAN) if (not n.startswith("sheet") and k % 2) or n == "sheet-kerf"]
_WRONG = _NAMES if DEEP else _NAMES[::4]


@pytest.mark.parametrize("name", _RIGHT)
def test_the_job_as_it_is_given_is_refused_and_the_right_repair_is_taken(name: str, tmp_path: Path) -> None:
    practice = JOBS[name]
    given = verdicts(practice, tmp_path / "a", ())
    assert not solved(given)
    assert all(v.said.endswith((".", "?")) for v in given if not v.holds)
    assert solved(verdicts(practice, tmp_path / "b", practice.right))


@pytest.mark.parametrize("name", _WRONG)
def test_repairs_that_only_look_right_are_refused(name: str, tmp_path: Path) -> None:
    practice = JOBS[name]
    wrong = practice.wrong if DEEP else practice.wrong[len(name) % 3 :][:1]
    for k, one in enumerate(wrong):
        assert not solved(verdicts(practice, tmp_path / str(k), (one,))), one.says


def test_an_accepted_finding_is_not_a_mended_one(tmp_path: Path) -> None:
    practice = JOBS["punch-clamps"]
    given = take(practice, tmp_path / "g")
    job, source, _ = load(given)
    crash = next(f for f in prove(job, source).findings if f.code == "clamp-zone")
    block = source.lines[crash.line - 1]
    reason = f'\n[[accepted]]\ncode = "clamp-zone"\nblock = "{block}"\nreason = "meant so"\n'
    tried = take(practice, tmp_path / "t")
    tried.write_text(tried.read_text() + reason)
    found = judge(practice, given, proof_at(tried), answer(practice.base, practice.name))
    assert not solved(found)


@pytest.mark.parametrize(
    ("line", "why"),
    [
        ('base = "vent-bracket"\njob = "x.job.toml"', "either `base`"),
        ('base = "no-such-demo"', "there is no such demo"),
        ('job = "../../etc/passwd"', "in the practice job's own folder"),
        ('base = "vent-bracket"\nanswer = "/etc/passwd"', "in the practice job's own folder"),
        ('base = "vent-bracket"\nrun = "rm"', "run"),
    ],
)
def test_a_practice_job_from_a_stranger_is_refused_in_one_sentence(tmp_path: Path, line: str, why: str) -> None:
    text = f'format = 1\ntitle = "x"\nkind = "write-it"\ntask = "x"\nhints = ["a", "b", "c"]\nlearned = "x"\n{line}\n'
    (tmp_path / FILE).write_text(text)
    with pytest.raises(UnderGlassError, match=why):
        take(read_practice(tmp_path), tmp_path / "out")


def test_a_change_that_does_not_fit_is_said(tmp_path: Path) -> None:
    practice = JOBS["mill-clamp"]
    with pytest.raises(UnderGlassError, match="stands 0 times"):
        take(practice, tmp_path, (Change(into="program", find="N9999", put=""),))


def test_what_is_handed_in_has_task_answer_and_checksum(tmp_path: Path) -> None:
    practice = JOBS["mill-clamp"]
    proof = answer(practice.base, practice.name)
    assert proof is not None
    report = HandIn(practice=practice, proof=proof, verdicts=(Verdict("part", True, "As <wanted>."),), hints=1, tries=2, job_text="x")  # fmt: skip
    page = as_page(report, [])
    assert report.checksum in page and "As &lt;wanted&gt;." in page and "N940 X8. F450" in page
    other = HandIn(practice=practice, proof=proof, verdicts=(), hints=0, tries=0, job_text="y")
    assert other.checksum != report.checksum
    write_hand_in(report, tmp_path / "x.pdf", [])
    assert (tmp_path / "x.pdf").read_bytes().startswith(b"%PDF")
    with pytest.raises(UnderGlassError, match=r"as \.html or \.pdf"):
        write_hand_in(report, tmp_path / "x.doc", [])


def test_the_answer_is_proved_as_it_would_be_opened(tmp_path: Path) -> None:
    practice = JOBS["write-arc"]
    found = answer_of(practice, tmp_path)
    assert found is not None and "J" in "".join(found.source.lines)
