"""Whatever is opened or typed, the window stays usable and says one sentence."""

from __future__ import annotations

import random
from collections.abc import Callable
from pathlib import Path

import pytest
from pytestqt.qtbot import QtBot

from tests.conftest import PLAIN_JOB, START, write_job
from underglass.app.main_window import MainWindow

GOOD = START + "M30\n"


@pytest.mark.parametrize(
    ("name", "raw", "says"),
    [
        ("a.job.toml", b"format = 1\n", "missing"),
        ("b.job.toml", b"\xff\xfe\x00", "UTF-8"),
        ("c.job.toml", b"= = =", "not valid TOML"),
        ("d.job.toml", PLAIN_JOB.replace("plain.nc", "gone.nc").encode(), "gone.nc"),
    ],
)
def test_a_job_that_cannot_be_used(window: MainWindow, tmp_path: Path, name: str, raw: bytes, says: str) -> None:
    (tmp_path / name).write_bytes(raw)
    assert not window.open(tmp_path / name)
    assert says in window.trouble and "\n" not in window.trouble
    assert window.isEnabled() and window.document.job is None


def test_what_was_open_stays_open(plain: Callable[..., MainWindow], tmp_path: Path) -> None:
    window = plain(GOOD)
    assert not window.open(tmp_path / "nowhere.job.toml")
    assert window.document.job is not None and window.document.text == GOOD


@pytest.mark.parametrize("raw", [b"", b"\0\1\2" * 99, b"\x89PNG\r\n\x1a\n\0\0", bytes(range(256))])
def test_any_bytes_as_a_program(plain: Callable[..., MainWindow], raw: bytes) -> None:
    window = plain(raw)
    assert window.document.proof is not None
    assert window.findings.model.rowCount() >= 1
    assert window.save()
    assert (Path(window.document.job.folder) / "plain.nc").read_bytes() == raw  # type: ignore[union-attr]


@pytest.mark.parametrize("seed", range(4))
def test_random_typing_is_proved(plain: Callable[..., MainWindow], qtbot: QtBot, seed: int) -> None:
    window = plain(GOOD)
    rng = random.Random(seed)
    alphabet = "GXYZIJMFSTH0123456789.-+() %/;#[]é\n\t"
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        for _ in range(3):
            window.editor.go_to(rng.randint(1, 8))
            window.editor.insert("".join(rng.choice(alphabet) for _ in range(60)))
    assert window.document.proof is not None
    # And it still answers to something good.
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        window.editor.select_all()
        window.editor.insert(GOOD)
    assert window.document.proof.outcome == "clean"


def test_a_bare_program_opens_with_its_guesses_said(opened: Callable[[Path], MainWindow], tmp_path: Path) -> None:
    (tmp_path / "bare.nc").write_text(GOOD)
    window = opened(tmp_path / "bare.nc")
    assert "guesses" in window.trouble and "1 tool. Setup shows them" in window.trouble


def test_only_the_newest_text_is_proved(plain: Callable[..., MainWindow], qtbot: QtBot) -> None:
    window = plain(GOOD)
    answers = []
    window.prover.proved.connect(answers.append)
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        for k in range(8):
            window.editor.go_to(4)
            window.editor.insert(f"G0 Z{20 + k}.\n")
    assert len(answers) == 1
    assert list(answers[0].source.lines) == window.document.lines[:-1]


def test_a_proof_can_be_stopped(window: MainWindow, tmp_path: Path, qtbot: QtBot) -> None:
    moves = "".join(f"G1 X{k % 90}. Y{k % 50}. F500\n" for k in range(60_000))
    path = write_job(tmp_path, START + moves + "M30\n")
    with qtbot.waitSignal(window.document.proving_changed, timeout=30_000):
        window.open(path)
    window.stop_proof()
    assert not window.prover.busy
    assert window.document.proof is None
    assert window.header.outcome.text() == "no proof yet"
