"""Whatever a stranger wrote: an answer in a sentence, soon, and in little memory.

``test_ten_times_the_length…`` takes the processor's time of two lengths, as nothing else shows that an expression goes back over its text.
"""

from __future__ import annotations

import os
import time
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.conftest import PLAIN_JOB, START, codes, write_job
from underglass.core.control.flow import is_label
from underglass.core.entries.mesh import read_mesh
from underglass.core.errors import UnderGlassError
from underglass.core.files.job import read_job
from underglass.core.files.load import load, read_program
from underglass.core.files.profiles import read_control
from underglass.core.files.tool_set import read_tools
from underglass.core.language.block import read_block
from underglass.core.language.outline import sections
from underglass.core.language.pasted import cleaned
from underglass.core.language.stated import stated
from underglass.core.proof.proof import Proof
from underglass.core.removal import loupe
from underglass.core.removal.field import default_cell, make_field

Prove = Callable[..., Proof]

LINES = {
    "slash and blanks": lambda n: "/" + " " * n,
    "letter and blanks": lambda n: "X" + " " * n + "Y",
    "blanks": lambda n: " " * n + "?",
    "digits": lambda n: "X" + "9" * n,
    "number and blanks": lambda n: "N" + "1" * (n // 2) + " " * (n // 2) + "W",
    "open brackets": lambda n: "(" * n,
    "square brackets": lambda n: "[" * n,
    "stock of digits": lambda n: "(STOCK " + "1" * n + ")",
    "equals": lambda n: "(POCKET: " + "A=" * (n // 2) + "!",
    "letters": lambda n: "A" * n,
    "words": lambda n: "X1" * (n // 2),
    "variables": lambda n: "#1=" + "#" * n,
    "points": lambda n: "X" + "." * n,
    "signs": lambda n: "X" + "-" * n + "1",
}


@pytest.mark.parametrize("name", LINES)
def test_ten_times_the_length_takes_nothing_like_a_hundred_times_the_work(name: str) -> None:
    def once(n: int) -> float:
        text = LINES[name](n)
        begin = time.thread_time()
        read_block(text, 1)
        is_label(text)
        stated([text], "mm")
        sections([text])
        return time.thread_time() - begin

    def best(n: int) -> float:
        return min(once(n) for _ in range(5))

    # Going over the text again for each of its letters would be a hundred times; in between lies room for a busy machine.
    assert best(80_000) < 40.0 * max(best(8_000), 0.0002)


@pytest.mark.parametrize("text", ["X[" + "1+" * 100_000 + "1]", "#1=" + "2**" * 50_000 + "1", "X" + "[" * 100_000, "#1=" + "1+" * 1_000 + "1", "X[" + "-" * 5000 + "1]"])  # fmt: skip
def test_an_endless_sum_is_a_finding(prove_text: Prove, text: str) -> None:
    assert "syntax" in codes(prove_text(START + text + "\nM30\n"))


def test_a_sum_of_two_hundred_terms_is_worked_out(prove_text: Prove) -> None:
    proof = prove_text(START + "G0 X[" + "1+" * 200 + "1-300]\nM30\n")
    assert "syntax" not in codes(proof)


@pytest.mark.parametrize(
    "text",
    [
        "G83 X1. Y1. Z-99999. Q0.001 R2. F100\n", "G91 G81 X0.001 Z-1. R0 F100 L999999\n", "M98 P7 L999999\nM30\nO7\nG91 G0 X0.\nM99\n",
        "#1=0\nWHILE [#1 LT 1] DO 1\n#2=#2+1\nEND 1\n", "N1 GOTO 1\n", "M98 P7\nM30\nO7\nM98 P7\nM99\n",
        "#1=0\nWHILE [#1 LT 90000] DO 1\n#1=#1+1\nWHILE [#2 GT 9] DO 2\n" + "X1.\n" * 2000 + "END 2\nEND 1\n",
    ],
)  # fmt: skip
def test_what_would_go_on_for_ever_ends_with_a_finding(prove_text: Prove, text: str) -> None:
    job = PLAIN_JOB.replace('program = "plain.nc"', 'control = "mine.toml"\nprogram = "plain.nc"')
    profile = Path("src/underglass/data/profiles/control/word-address-mill.toml").read_text()
    profile = profile.replace("work    = 1000000", "work    = 20000").replace("jumps   = 100000", "jumps   = 20000")

    def run(tmp: Path) -> Proof:
        (tmp / "mine.toml").write_text(profile)
        return prove_text(START + text + "M30\n", job)

    folder = Path(prove_text("M30\n").job.folder)
    assert "loop-runaway" in codes(run(folder))


@pytest.mark.parametrize("kind", ["device", "pipe", "folder", "missing", "nul", "long"])
def test_only_regular_files_are_read(kind: str, tmp_path: Path) -> None:
    path = {
        "device": Path("/dev/zero"), "folder": tmp_path, "missing": tmp_path / "no.nc", "nul": Path("a\0b"), "long": tmp_path / ("x" * 5000),
        "pipe": tmp_path / "pipe",
    }[kind]  # fmt: skip
    if kind == "pipe":
        os.mkfifo(path)
    for read in (read_program, read_mesh, read_control, read_tools, read_job):
        with pytest.raises(UnderGlassError) as error:
            read(path)
        assert "\n" not in str(error.value) and len(str(error.value)) < 500


def test_a_job_that_names_a_device_says_so(tmp_path: Path) -> None:
    job = write_job(tmp_path, "M30\n", PLAIN_JOB.replace("plain.nc", "/dev/zero"))
    with pytest.raises(UnderGlassError, match="device"):
        load(job)


@pytest.mark.parametrize(
    "size", ["[100000.0, 0.05, 1.0]", "[10000000.0, 0.0000001, 1.0]", "[0.0000001, 0.0000001, 0.0000001]"]
)
def test_stock_of_any_shape_has_cells_that_can_be_held(size: str, tmp_path: Path) -> None:
    job = read_job(
        write_job(tmp_path, "M30\n", PLAIN_JOB.replace("[100.0, 60.0, 20.0]", size).replace("cell = 0.25\n", ""))
    )
    stock = job.bench.stocks[0]
    assert make_field(stock, default_cell(stock)).h.size <= 8_000_000


def test_tables_in_tables_are_refused_before_they_are_read(tmp_path: Path) -> None:
    (tmp_path / "deep.job.toml").write_text("x = " + "[" * 200_000)
    with pytest.raises(UnderGlassError, match="tables and lists"):
        read_job(tmp_path / "deep.job.toml")


def test_pasted_text_and_words_to_complete_are_quick_too() -> None:
    for make in LINES.values():
        cleaned([make(20_000)])


@pytest.mark.parametrize(
    ("text", "code"),
    [
        ("X99999999999999999999999999999999.", "travel-limit"),
        ("G91\nX999999.\nX999999.", "travel-limit"),
        ("Z-1e9", "word-unknown"),
        ("#1=99999.*99999.\nX#1", "travel-limit"),
        ("G2 X10. Y10. R9999999999.", "arc-mismatch"),
        ("G2 I1000000000.", "arc-mismatch"),
        ("G33 Z-99999999. K1.", "travel-limit"),
        ("G81 X99999999. Y1. Z-1. R1.", "travel-limit"),
    ],
)
def test_a_place_beyond_all_reach_is_left_out_and_said(prove_text: Prove, text: str, code: str) -> None:
    proof = prove_text(START + "G1 X10. F300\n" + text + "\nG0 G90 Z50.\nM30\n")
    assert code in codes(proof)
    assert abs(proof.motions.end).max() < 1e7


def test_hundreds_of_doubtful_rapids_use_up_what_looks_may_cost_and_are_proved(
    prove_text: Prove, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(loupe, "_DOUBT_WORK_IN_ALL", 1e5)
    moves = "".join(f"G0 X{k % 90}. Y{k % 50}. Z{-1 - k % 7 * 0.1:.1f}\nG0 Z{5 + k % 3}.\n" for k in range(625))
    assert "rapid-into-stock" in codes(prove_text(START + moves + "M30\n"))
