"""The finished part: against a target profile, through the lens, and what if a figure were different."""

from __future__ import annotations

import math
from pathlib import Path

import pytest
import shapely
from tests.core.trades.turning.lathe import LATHE_JOB, START, prove_turning

from underglass.core.files.job import read_job_text
from underglass.core.finding import Severity
from underglass.core.proof.belief import Row
from underglass.core.proof.bench_rows import ROWS, SideOf
from underglass.core.proof.lens import look, place_of
from underglass.core.proof.margins import survival
from underglass.core.proof.proof import Proof
from underglass.core.reckon.fits import judged, wanted_size
from underglass.core.reckon.form import CannotBe
from underglass.core.trades.turning.target import wanted_section

END = "G0 X200. Z100. M5\nM30\n"
CYLINDER = f"{START}G0 X44. Z0.\nG1 X-1.6 F0.15\nG0 X30. Z2.\nG1 Z-20. F0.2\nX44.\n{END}"
"""A spigot of 30 by 20 on a bar of 40, faced; the nose of 0.8 rounds its inner corner."""


def with_target(places: str, within: float = 0.02) -> str:
    return f"{LATHE_JOB}\n[proof]\ntarget = {places}\ntarget_tolerance = {within}\n"


def found(proof: Proof) -> dict[str, tuple[int, float]]:
    return {f.code: (f.line, float(f.evidence["depth_mm"] or 0.0)) for f in proof.findings if "target" in f.code}


@pytest.mark.parametrize(
    ("places", "wanted"),
    [
        # Without its corner, which no nose reaches: 30 and 20 as they are programmed.
        ("[[0, 0], [30, 0], [30, -19], [0, -19]]", {}),
        ("[[0, 0], [29.9, 0], [29.9, -19], [0, -19]]", {"above-target": (8, 0.05)}),
        ("[[0, 0], [30.3, 0], [30.3, -19], [0, -19]]", {"below-target": (8, 0.15)}),
        ("[[0, -0.5], [30, -0.5], [30, -19], [0, -19]]", {"above-target": (6, 0.5)}),
    ],
)
def test_the_part_against_its_target(tmp_path: Path, places: str, wanted: dict[str, tuple[int, float]]) -> None:
    proof = prove_turning(tmp_path, CYLINDER, with_target(places))
    assert {c: (line, round(d, 3)) for c, (line, d) in found(proof).items()} == wanted


def test_the_fillet_that_the_nose_leaves_is_what_the_closed_form_says(tmp_path: Path) -> None:
    """In a square corner a nose of radius RE leaves RE (sqrt 2 - 1) standing, square to the fillet."""
    proof = prove_turning(
        tmp_path, CYLINDER, with_target("[[0, 0], [30, 0], [30, -20], [40, -20], [40, -25], [0, -25]]")
    )
    line, deep = found(proof)["above-target"]
    assert (line, set(found(proof))) == (8, {"above-target"}) or line == 9
    # What stands in the corner is farthest from the outline where the fillet's middle is: RE (1 - 1 / sqrt 2).
    assert deep == pytest.approx(0.8 * (1.0 - 1.0 / math.sqrt(2.0)), abs=2e-3)


def test_a_part_that_is_parted_off_is_held_against_its_target_too(tmp_path: Path) -> None:
    text = f"{CYLINDER.removesuffix(END)}G0 X200. Z100.\nT0707\nG97 S600\nG0 X44. Z-28.\nG1 X-0.2 F0.05\nG0 X44.\n{END}"
    proof = prove_turning(tmp_path, text, with_target("[[0, 0], [30.4, 0], [30.4, -19], [0, -19]]"))
    assert proof.histories[0].pieces  # type: ignore[attr-defined]
    assert found(proof)["below-target"][1] == pytest.approx(0.2, abs=1e-3)


def test_a_target_that_is_none_is_named(tmp_path: Path) -> None:
    from underglass.core.errors import BadEntry

    for bad in ('"missing.dxf"', "[[0, 0], [1, 1]]", "7", "[[-3, 0], [3, 0], [3, -3]]"):
        with pytest.raises(BadEntry, match="target"):
            read_job_text(with_target(bad), tmp_path / "bad.job.toml")
    job = read_job_text(with_target("[[0, 0], [30, 0], [30, -20], [0, -20]]"), tmp_path / "good.job.toml")
    section = wanted_section(job)
    assert section is not None and section.area == pytest.approx(15.0 * 20.0)


# -- the lens ----------------------------------------------------------------------------------------------------------


def lens_of(proof: Proof, line: int) -> object:
    place = place_of(proof, line)
    assert place is not None
    return look(proof, place)


@pytest.mark.parametrize("angle", [10.0, 20.0, 45.0])
def test_without_compensation_a_cone_stands_off_as_the_formula_says(tmp_path: Path, angle: float) -> None:
    """RE (cos a + sin a - 1), square to it (common practice, no source); T1's nose is 0.8."""
    a = math.radians(angle)
    rise = 2.0 * 8.0 * math.tan(a)
    text = f"{START}G0 X20. Z2.\nG1 Z0. F0.2\nX{20 + rise:.6f} Z-8. F0.1\nX44.\n{END}"
    proof = prove_turning(tmp_path, text)
    seen = lens_of(proof, 7)
    assert seen.told == 0.0 and seen.real == 0.8  # type: ignore[attr-defined]
    left = [p for p in seen.patches if p.what == "left"]  # type: ignore[attr-defined]
    cone = 0.8 * (math.cos(a) + math.sin(a) - 1.0)
    # Square to the cone, away from the corners at its ends, the edge stands so far off.
    middle = shapely.Point(-4.0, (20.0 + rise / 2.0) / 2.0)
    region = shapely.union_all([shapely.Polygon(p.rings[0]) for p in left])
    way = shapely.LineString([(middle.x, middle.y), (middle.x + 3.0 * math.sin(a), middle.y + 3.0 * math.cos(a))])
    assert shapely.intersection(region, way).length == pytest.approx(cone, abs=2e-3)
    assert not [p for p in seen.patches if p.what == "bitten" and p.size > 0.01]  # type: ignore[attr-defined]


def test_with_compensation_the_cone_is_where_it_is_drawn(tmp_path: Path) -> None:
    text = f"{START}G0 X18. Z2.\nG1 G42 X20. Z0. F0.2\nX26. Z-8. F0.1\nZ-14.\nG40 X44.\n{END}"
    seen = lens_of(prove_turning(tmp_path, text), 7)
    assert seen.told == seen.real == 0.8  # type: ignore[attr-defined]
    # (The way in cuts the edge of the face: it comes from inside.)
    assert not [p for p in seen.patches if p.size > 0.01 and p.at[0] < -0.5]  # type: ignore[attr-defined]
    wrong = LATHE_JOB + "\n[registers.nose]\n1 = { radius = 0.8, orientation = 2 }\n"
    seen = lens_of(prove_turning(tmp_path, text, wrong), 7)
    # Taken for orientation 2 the nose lies 2 RE too far inwards along X.
    assert max(p.size for p in seen.patches) > 0.5  # type: ignore[attr-defined]
    assert any("orientation 2" in words for words in seen.words)  # type: ignore[attr-defined]


# -- what if, told in two sides ------------------------------------------------------------------------------------------


def row_of(proof: Proof, group: str, key: str, axis: str) -> Row:
    rows = ROWS["turning"].rows(proof.job, proof)
    return next(r for r in rows if (r.group, r.key, r.axis) == (group, key, axis))


@pytest.mark.parametrize("side", ["belief", "truth"])
def test_how_far_a_gauge_may_be_out_is_found_by_proofs(tmp_path: Path, side: SideOf) -> None:
    """A face tool that stands 2 mm off the jaws' end at its deepest: out by more along Z, it runs into them."""
    text = f"{START}G0 X44. Z9.\nX38.\nG1 Z-57. F0.2\nX44.\n{END}"
    proof = prove_turning(tmp_path, text)
    row = row_of(proof, "length", "T1", "z")
    found_range = survival(proof.job, proof.source, row, side)
    assert found_range.survives and found_range.stands == 60.0
    end = found_range.low if side == "belief" else found_range.high
    assert end.beyond is not None
    assert end.value == pytest.approx(57.0 if side == "belief" else 63.0, abs=0.02)
    assert "jaws" in end.beyond.said


def test_taking_the_controls_word_and_telling_it_are_each_others_way_back(tmp_path: Path) -> None:
    from underglass.core.files.job_edit import JobEdit

    job_text = LATHE_JOB + "\n[registers.geometry]\n1 = { x = 120.6, z = 59.8 }\n"
    job = read_job_text(job_text, tmp_path / "a.job.toml")
    rows = ROWS["turning"].rows(job, None)
    edit = JobEdit(job_text)
    ROWS["turning"].believe_control(edit, job, rows)
    after = read_job_text(edit.text, tmp_path / "a.job.toml")
    assert all(abs(r.off or 0.0) < 1e-9 for r in ROWS["turning"].rows(after, None))
    edit = JobEdit(job_text)
    ROWS["turning"].tell_control(edit, job, rows)
    told = read_job_text(edit.text, tmp_path / "a.job.toml")
    assert told.registers.geometry[1] == pytest.approx((60.0, 0.0, 60.0))


# -- fits ----------------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("text", "low", "high"),
    [
        ("13 H7", 13.0, 13.018), ("28h6", 27.987, 28.0), ("25 \u00b10.02", 24.98, 25.02), ("25 +0.1 -0.05", 24.95, 25.1),
        ("25 +0.05/0", 25.0, 25.05), ("24.9 to 25.1", 24.9, 25.1), ("8 -0,1 -0,2", 7.8, 7.9),
    ],
)  # fmt: skip
def test_a_toleranced_size_as_a_drawing_has_it(text: str, low: float, high: float) -> None:
    """13 H7 is 0 to +0.018, 28 h6 is -0.013 to 0 (ISO 286-2, from memory)."""
    wanted = wanted_size(text, "mm")
    assert (round(wanted.low, 6), round(wanted.high, 6)) == (low, high)
    assert judged((low + high) / 2.0, wanted, "mm")[0]
    assert not judged(high + 0.001, wanted, "mm")[0] and "too large" in judged(high + 0.001, wanted, "mm")[1]
    assert not judged(low - 0.001, wanted, "mm")[0] and "too small" in judged(low - 0.001, wanted, "mm")[1]


def test_words_that_are_no_size_are_refused() -> None:
    for text in ("", "H7", "13 Q7", "about 13", "25 to 24"):
        with pytest.raises(CannotBe):
            wanted_size(text, "mm")


def test_soft_jaws_may_be_cut_as_deep_as_they_say(tmp_path: Path) -> None:
    text = f"{START}G0 X44. Z2.\nX39.\nG1 Z-61. F0.2\nX39.8\nZ-50.\nX44.\n{END}"
    hard = prove_turning(tmp_path, text)
    soft = prove_turning(tmp_path, text, LATHE_JOB.replace("height = 25.0", "height = 25.0, may_cut = 2.0"))

    def crashes(proof: Proof) -> list[str]:
        return [f.code for f in proof.findings if f.severity >= Severity.CRASH]

    assert "tool-into-fixture" in crashes(hard)
    assert crashes(soft) == []
