"""A turning program without a job: known as one, and proved on a lathe that makes it right."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.core.files.bare import bare, bare_text
from tests.core.trades.turning.lathe import LATHE_JOB, START, prove_turning
from underglass.core.bench.lathe import LatheTool
from underglass.core.data import data_folder
from underglass.core.files.job import read_job_text
from underglass.core.files.job_write import written
from underglass.core.files.load import load
from underglass.core.finding import Severity
from underglass.core.proof.outputs import outputs_of
from underglass.core.proof.proof import Proof
from underglass.core.trades.turning.guess import recognises
from underglass.core.trades.turning.lathe import lathe_of

GOLDEN = Path(__file__).parents[2] / "golden"
CLEAN = sorted((GOLDEN / "turning").glob("clean-*.nc"))
BUSH = data_folder() / "demo" / "winder-bush.nc"


def tools(proof: Proof) -> dict[int, LatheTool]:
    return dict(lathe_of(proof.job.bench).tools)


@pytest.mark.parametrize("path", [*CLEAN, BUSH], ids=lambda p: p.stem)
def test_a_clean_program_is_clean_on_what_is_guessed_too(path: Path) -> None:
    proof = bare(path)
    assert proof.job.trade.name == "turning"
    assert proof.job.unconfirmed >= {"stock", "zero", "machine"}
    assert not [(f.code, f.line, f.message) for f in proof.findings if f.severity >= Severity.CAUTION]


def test_no_milling_program_is_taken_for_a_lathes() -> None:
    programs = [*GOLDEN.glob("*.nc"), *(p for p in (data_folder() / "demo").glob("*.nc") if "bush" not in p.stem)]
    assert len(programs) > 100
    assert [p.name for p in programs if recognises(p.read_text().splitlines())] == []
    # Fourth axes and lone words that a mill has too.
    assert not recognises("T101 M6\nG43 H1 Z5.\nG1 X3. F100.\nM30".splitlines())
    assert not recognises("G96 S200\nG1 X3. Y2.".splitlines())


def test_the_comments_say_what_the_tools_and_the_bar_are() -> None:
    proof = bare(BUSH)
    kinds = {n: t.kind for n, t in tools(proof).items()}
    assert kinds == {
        1: "turning", 2: "turning", 3: "grooving", 4: "drill", 5: "boring", 6: "threading", 7: "parting"
    }  # fmt: skip
    assert (tools(proof)[4].DC, tools(proof)[3].width) == (12.0, 3.0)
    assert max(x for x, _z in lathe_of(proof.job.bench).stock[0]) == pytest.approx(22.5)
    assert "a bar 45.000" in proof.job.guessed[0] and "line 3" in proof.job.guessed[0]
    assert "T4" in proof.job.stated and "stock" in proof.job.stated and "T1" not in proof.job.stated


@pytest.mark.parametrize(
    ("said", "insert", "nose"),
    [
        ("CNMG120408", "C", 0.8), ("DNMG 15 06 04 FINISH", "D", 0.4), ("CCMT09T304", "C", 0.4), ("OD VNMG RE0.4", "V", 0.4),
        ("CNMG-432 ROUGH", "C", 0.79375), ("55 DEG OD TURN, 0.2 NOSE", "D", 0.2), ("TURN, R.031", "C", 0.7874),
        ("TURN, DEEP END", "C", 0.4),
    ],
)  # fmt: skip
@pytest.mark.parametrize("where", ["list", "call"])
def test_inserts_as_people_name_them(tmp_path: Path, said: str, insert: str, nose: float, where: str) -> None:
    """ISO 1832 (from memory): shape first; the nose in tenths of a millimetre, or in sixty-fourths of an inch."""
    head = f"(T1 {said})\nN1 (PROFILE)\n\n" if where == "list" else ""
    call = START if where == "list" else START.replace("T0101", f"T0101 ({said})")
    proof = bare_text(tmp_path, f"{head}{call}G0 X36. Z2.\nG1 Z-20. F0.1\nX37.\nG0 X200. Z100. M5\nM30\n")
    assert (tools(proof)[1].insert, tools(proof)[1].RE) == (insert, pytest.approx(nose, abs=1e-4))


def test_a_slip_is_seen_on_what_is_guessed_and_says_so(tmp_path: Path) -> None:
    proof = bare(BUSH.with_name("winder-bush-slip.nc"))
    found = [f for f in proof.findings if f.severity >= Severity.CAUTION]
    assert [(f.code, f.severity) for f in found] == [("rapid-into-stock", Severity.CAUTION)]
    assert "guessed" in found[0].message
    text = f"{START}G0 X44. Z2.\nG1 G41 X36. Z0. F0.2\nZ-20.\nT0202\nM30\n"
    assert "comp-left-on" in {f.code for f in bare_text(tmp_path, text).findings if f.severity >= Severity.FAULT}


def test_without_comments_what_a_tool_does_tells_what_it_is(tmp_path: Path) -> None:
    text = (
        "G21 G40 G97 G99 G54\nG50 S2000\nT0101\nG96 S150 M3\nG0 X44. Z0.\nG1 X-1.6 F0.2\nG0 X36. Z2.\nG1 Z-30.\nX44.\nG0 X200. Z100.\n"
        "T0202\nG97 S800\nG0 X0. Z3.\nG1 Z-25. F0.1\nG0 Z100.\nX200.\nT0303\nG0 X14. Z2.\nG1 Z-20. F0.1\nX11.\nG0 Z5.\nG0 X200. Z100.\n"
        "T0404\nG0 X40. Z-15.\nG1 X30. F0.05\nG0 X40.\nX200. Z100.\nT0505\nG97 S600\nG0 X40. Z4.\nG76 X33.5 Z-10. K1.2 D0.3 F2.\nG0 X200. Z100.\n"
        "T0606\nG0 X44. Z-28.\nG1 X-0.2 F0.05\nG0 X44.\nX200. Z100. M5\nM30\n"
    )
    proof = bare_text(tmp_path, text)
    kinds = {n: t.kind for n, t in tools(proof).items()}
    assert kinds == {1: "turning", 2: "drill", 3: "boring", 4: "grooving", 5: "threading", 6: "parting"}


@pytest.mark.parametrize(("down", "letter"), [("X30. Z-20.", "C"), ("X26. Z-20.", "D"), ("X20. Z-20.", "V")])
def test_the_insert_reaches_down_the_steepest_slope(tmp_path: Path, down: str, letter: str) -> None:
    """Free angles: C at 95 degrees 5, D at 93 degrees 32, V at 93 degrees 52 (180 - KAPR - insert angle)."""
    first = {"C": "X36. Z-10.\nZ-20.\nX37.", "D": "Z-10.\nX30. Z-18.\nX37.", "V": "Z-10.\nX30. Z-13.5\nX37."}[letter]
    proof = bare_text(tmp_path, f"{START}G0 X36. Z2.\nG1 F0.1 {first}\nG0 X200. Z100. M5\nM30\n")
    assert tools(proof)[1].insert == letter, down


def test_the_guesses_make_a_job_file_of_their_own(tmp_path: Path) -> None:
    job, _source, _path = load(BUSH)
    again = read_job_text(written(job), tmp_path / "bush.job.toml")
    assert again.trade is job.trade and again.unconfirmed == job.unconfirmed
    assert lathe_of(again.bench) == lathe_of(job.bench)


def test_an_inch_program_gets_inch_bars(tmp_path: Path) -> None:
    text = "G20 G40 G99\nT0101\nG97 S900 M3\nG0 X1.1 Z0.1\nG1 X0.9 F0.008\nZ-1.\nX1.1\nG0 X5. Z3. M5\nM30\n"
    proof = bare_text(tmp_path, text)
    assert proof.job.units == "inch" and "bar 1.0000 x" in proof.job.guessed[0]
    assert not [f for f in proof.findings if f.severity >= Severity.CAUTION]


def test_a_cycle_told_in_two_blocks_cuts_as_one_told_in_one(tmp_path: Path) -> None:
    """Depth and lift in a block of their own in front (common practice, no source)."""
    rest = "N10 G0 X20.\nG1 Z0. F0.1\nX24. Z-2.\nZ-20.\nN20 X41.\nG0 X200. Z100. M5\nM30\n"
    one = prove_turning(tmp_path, f"{START}G0 X42. Z2.\nG71 P10 Q20 D2. R0.3 U0.4 W0.1 F0.2\n{rest}")
    two = prove_turning(tmp_path, f"{START}G0 X42. Z2.\nG71 U2. R0.3\nG71 P10 Q20 U0.4 W0.1 F0.2\n{rest}")
    assert one.run.motions.end.tolist() == two.run.motions.end.tolist()
    assert not [f for f in two.findings if f.severity >= Severity.CAUTION]
    alone = prove_turning(tmp_path, f"{START}G0 X42. Z2.\nG71 U2. R0.3\nG0 X200. Z100. M5\nM30\n")
    assert "cycle-incomplete" in {f.code for f in alone.findings}


def test_compensation_before_the_finish_cycle_is_on_in_it(tmp_path: Path) -> None:
    """A 45 degree chamfer comes out where it is drawn only with it: RE (cos 45 + sin 45 - 1) off, square to it, without."""
    rest = "G70 P10 Q20\nG40 G0 X200. Z100. M5\nM30\nN10 G0 X20.\nG1 Z0. F0.1\nX30. Z-5.\nZ-20.\nN20 X41.\n"
    within = prove_turning(tmp_path, f"{START}G0 X42. Z2.\nG0 G42 X41.\n{rest}", LATHE_JOB)
    without = prove_turning(tmp_path, f"{START}G0 X42. Z2.\nG0 X41.\n{rest}", LATHE_JOB)
    assert "comp-cycle" not in {f.code for f in within.findings}

    def at(proof: Proof, z: float) -> float:
        own = outputs_of(proof)
        assert own is not None
        return own.rings(proof, z, None)[0][0]

    assert at(within, -2.5) == pytest.approx(25.0, abs=2e-3)
    assert at(without, -2.5) == pytest.approx(25.0 + 2 * 0.8 * (2 * 0.70710678 - 1.0) / 0.70710678, abs=2e-3)
