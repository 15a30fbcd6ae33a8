"""Sheet cutting and punching programs without a job: known as such, and proved on a sheet that makes them right."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.core.compose.entries import DEEP
from tests.core.files.bare import bare, bare_text
from underglass.core.bench.sheet import Sheet
from underglass.core.data import data_folder
from underglass.core.files.job import read_job_text
from underglass.core.files.job_write import written
from underglass.core.files.load import load
from underglass.core.finding import Severity
from underglass.core.language.source import read_bytes
from underglass.core.proof.flat_guess import stated_sheet
from underglass.core.proof.outputs import outputs_of
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import prove
from underglass.core.trade_list import TRADES

GOLDEN = Path(__file__).parents[2] / "golden"
DEMO = data_folder() / "demo"
CLEAN = sorted(p for trade in ("sheet", "punching") for p in (GOLDEN / trade).glob("clean-*.nc"))
NOT_ALONE = {
    # Only the job says that contours may stay open; one contour with a Z, as a router's might be.
    "clean-bridged",
    "clean-z-is-read",
}


def sheet(proof: Proof) -> Sheet:
    more = proof.job.bench.more
    assert isinstance(more, Sheet)
    return more


def trade_of(path: Path) -> str:
    lines = read_bytes(path.read_bytes(), path.name).lines
    return next((n for n, t in TRADES.items() if t.bare is not None and t.bare.recognises(lines)), "mill")


@pytest.mark.parametrize(
    "path", [p for p in CLEAN if p.stem not in NOT_ALONE][:: 1 if DEEP else 2], ids=lambda p: p.stem
)
def test_a_clean_program_is_clean_on_what_is_guessed_too(path: Path) -> None:
    proof = bare(path)
    assert proof.job.unconfirmed >= {"stock", "zero", "machine"}
    assert not [(f.code, f.line, f.message) for f in proof.findings if f.severity >= Severity.CAUTION]
    again = read_job_text(written(proof.job), path.with_name("again.job.toml"))
    assert again.bench == proof.job.bench and again.unconfirmed == proof.job.unconfirmed


def test_every_program_is_taken_for_its_own_trades() -> None:
    for trade in ("sheet", "punch"):
        folder = {"sheet": "sheet", "punch": "punching"}[trade]
        found = [trade_of(p) for p in (GOLDEN / folder).glob("*.nc")]
        assert len(found) > 40 and found.count(trade) >= len(found) - 3
    mills = [*GOLDEN.glob("*.nc"), *DEMO.glob("vent-*.nc"), *DEMO.glob("winder-cover*.nc")]
    assert {trade_of(p) for p in mills} == {"mill"}
    assert {trade_of(p) for p in (GOLDEN / "turning").glob("*.nc")} == {"lathe"}


def test_the_demos_prove_bare_as_with_their_jobs() -> None:
    for name, found in (
        ("ridge-gusset", []),
        ("ridge-gusset-slip", ["inner-after-outer"]),
        ("louvre-panel", []),
    ):
        proof = bare(DEMO / f"{name}.nc")
        assert [f.code for f in proof.findings if f.severity >= Severity.CAUTION] == found
        own = outputs_of(proof)
        assert own is not None
        real, source, _path = load(DEMO / f"{name}.job.toml")
        assert len(proof.run.motions) == len(prove(real, source).run.motions)
    gussets = sheet(bare(DEMO / "ridge-gusset.nc"))
    # "STEEL 4 MM, SIX OUT OF 600 X 400"; the kerf of a torch, what M3 waits for.
    assert gussets.thickness == 4.0 and gussets.region().area == pytest.approx(240_000.0)
    assert (gussets.cutters[1].kerf, gussets.cutters[1].pierce_s) == (1.6, 0.6)
    panel = sheet(bare(DEMO / "louvre-panel.nc"))
    assert panel.punches[2].size == (6.5,) and panel.punches[5].size == (12.0,)  # said; reckoned with by a pattern


@pytest.mark.parametrize(
    ("said", "size", "thickness", "material"),
    [
        ("(SHEET 1000 X 500 X 2)", (1000.0, 500.0), 2.0, ""),
        ("(3MM MILD STEEL, 1250 X 2500)", (1250.0, 2500.0), 3.0, "steel"),
        ("(ALUMINIUM 2 MM)", None, 2.0, "aluminium"),
        ("; stainless plate 1/8 in, 48 x 24 in", (1219.2, 609.6), 3.175, "stainless"),
        ("(SLOT 60 X 8)", None, 0.0, ""),
    ],
)
def test_what_comments_say_of_a_sheet(
    said: str, size: tuple[float, float] | None, thickness: float, material: str
) -> None:
    found = stated_sheet(["G21", said], "mm")
    assert (found.size, found.thickness, found.material) == (
        pytest.approx(size) if size else None, pytest.approx(thickness), material,
    )  # fmt: skip
    assert found.line == (2 if size or thickness else 0)


def test_a_slip_of_a_bare_cutting_program_is_seen(tmp_path: Path) -> None:
    contour = "G0 X20. Y20.\nM3\nG4 P0.5\nG1 X20. Y60. F2000\nX70.\nY20.\nX18.\nM5\n"
    assert bare_text(tmp_path, f"G21 G90 G54\n{contour}M30\n").outcome == "clean"
    left_on = bare_text(tmp_path, f"G21 G90 G54\n{contour.replace('M5', '')}G0 X0. Y0.\nM30\n")
    told = {f.code: f.severity for f in left_on.findings}
    # No other sheet, zero or cutter would make it right.
    assert told["beam-on-rapid"] == told["beam-left-on"] == Severity.FAULT


@pytest.mark.parametrize(
    ("said", "shape", "size"),
    [
        ("T7 (ROUND 10)", "round", (10.0,)),
        ("T7 (OB 30 X 8)", "obround", (30.0, 8.0)),
        ("T7 (SQ 25)", "square", (25.0,)),
        ("(RECTANGLE 80 X 5)\nT7", "rectangle", (80.0, 5.0)),
        ("T7 (HOLES 6.5)", "round", (6.5,)),
    ],
)
def test_punches_as_people_name_them(tmp_path: Path, said: str, shape: str, size: tuple[float, ...]) -> None:
    proof = bare_text(tmp_path, f"G21 G90 G54\n{said}\nX60. Y50.\nX160. Y50.\nX160. Y150.\nM30\n")
    punch = sheet(proof).punches[7]
    assert (punch.shape, punch.size) == (shape, size) and proof.outcome == "clean"
    assert "T7" in proof.job.stated


def test_a_second_offset_is_another_sheet_beside_the_first() -> None:
    proof = bare(GOLDEN / "sheet" / "clean-two-sheets.nc")
    one, two = proof.job.bench.zero["G54"], proof.job.bench.zero["G55"]
    assert two.x - one.x > 100.0 and two.y == one.y
    assert [f.code for f in proof.findings if f.code == "zero-not-given"] == ["zero-not-given"]
    assert any("another sheet at G55" in said for said in proof.job.guessed)


def test_bridges_and_slats_that_nobody_has_spoken_of_are_notes(tmp_path: Path) -> None:
    """Several contours that end as far short of their beginnings are meant so; one alone is looked at."""
    row = "G0 X20. Y{a}.\nM3\nG4 P0.5\nG1 X20. Y{b}. F2000\nX120.\nY{a}.\nX{end}\nM5\n"
    two = [row.format(a=a, b=a + 40, end="22.5") for a in (20, 80)]
    both = bare_text(tmp_path, f"G21 G90 G54\n{''.join(two)}M30\n")
    assert [(f.code, f.severity) for f in both.findings] == [("piece-hangs", Severity.NOTE)] * 2
    one = bare_text(tmp_path, f"G21 G90 G54\n{two[0]}{row.format(a=80, b=120, end='18.')}G0 X60. Y100.\nM30\n")
    assert {(f.code, f.severity) for f in one.findings} == {
        ("piece-hangs", Severity.CAUTION), ("piece-may-tip", Severity.NOTE)
    }  # fmt: skip
