"""Whatever a program says and does, a bench is guessed around it, and it is a job file that can be read again."""

from __future__ import annotations

import random
from pathlib import Path

from tests.core.compose.entries import DEEP
from underglass.core.data import data_folder
from underglass.core.files.guess import guess_job
from underglass.core.files.job import read_job_text
from underglass.core.files.job_write import written
from underglass.core.language.source import read_text
from underglass.core.proof.prove import prove

GOLDEN = Path(__file__).parents[2] / "golden"
FILES = sorted([*GOLDEN.glob("*.nc"), *GOLDEN.glob("*/*.nc"), *(data_folder() / "demo").glob("*.nc")])
SAID = (
    "(T1 CNMG432)", "(STOCK 1/2 X 3 X -)", "(STEEL 4 MM, 600 X 400)", "(T5 ROUND)", "(SHEET 5 X 3)", "(KERF 99)", "(T3 1-1/2 FACE MILL)",
    "(T2 #99 DRILL)", "(T1 0/0 EM)", "(BAR 1/0)", "(PLATE 1/8)", "(T4 M8X TAP)", "(OB 8 X 30)", "(T9 V-BIT 0 DEG)", "(T1 180 DEG CHAMFER 5)",
    "(STOCK X1 Y1 Z0)",
)  # fmt: skip
MORE = ("", " T7", " T4000", " M3", " M5", " F99999999", " G10 L2 P2 X1. Y-5000. Z9.")
BITS = ("O", "0", "-", ".", "X", "9999", "(", ")", "#1", "G52 X1e5", ",", " ", "P99999999")


def spoilt(lines: list[str], dice: random.Random) -> str:
    """A program after a few slips of the fingers."""
    for _ in range(dice.randint(1, 6)):
        at = dice.randrange(len(lines)) if lines else 0
        what = dice.random()
        if not lines or what < 0.3:
            lines.insert(at, dice.choice(SAID))
        elif what < 0.45:
            del lines[at]
        elif what < 0.7:
            lines[at] = lines[at].replace("G54", dice.choice(["G55", "G54.1 P3", "G59"])) + dice.choice(MORE)
        elif what < 0.9:
            k = dice.randrange(len(lines[at]) + 1)
            lines[at] = lines[at][:k] + dice.choice(BITS) + lines[at][k:]
        else:
            lines.insert(at, dice.choice(lines))
    return "\n".join(lines)


def test_a_bench_is_guessed_around_any_program(tmp_path: Path) -> None:
    dice, trades = random.Random(8), set()
    for _ in range(1500 if DEEP else 16):
        text = spoilt(dice.choice(FILES).read_text(errors="replace").splitlines(), dice)
        source = read_text(text, "any.nc")
        job = guess_job(source, tmp_path / "any.nc")
        proof = prove(job, source)
        trades.add(job.trade.name)
        again = read_job_text(written(job), tmp_path / "any.job.toml")
        assert again.trade is job.trade and again.bench.zero.keys() == job.bench.zero.keys(), text
        assert all(1 <= f.line <= max(len(source.lines), 1) for f in proof.findings), text
    assert len(trades) >= (4 if DEEP else 3)
