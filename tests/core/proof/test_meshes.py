"""Stock, fixtures and targets from mesh files; close passes of the holder to the stock; two runs compared."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh

from tests.conftest import PLAIN_JOB, START, codes
from underglass.core.errors import BadEntry
from underglass.core.language.source import read_text
from underglass.core.proof.compare import against_target, compare_runs
from underglass.core.proof.measure import part_mesh
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import prove

Prove = Callable[..., Proof]
SLOT = START + "X50. Y-8.\nZ2.\nG1 Z-4. F300\nY68.\nG0 Z50.\nM5\nM30\n"
BOX = 'shape = "box"\nsize = [100.0, 60.0, 20.0]'


def block() -> trimesh.Trimesh:
    """The plain job's plate as a mesh, part zero at its left front corner of the top."""
    return trimesh.creation.box(bounds=[[0, 0, -20], [100, 60, 0]])


def test_a_block_from_a_file_cuts_like_a_block(prove_text: Prove, tmp_path: Path) -> None:
    block().export(tmp_path / "block.stl")
    job = PLAIN_JOB.replace(BOX, 'shape = "mesh"\nmesh = "block.stl"', 1)
    meshed, plain = prove_text(SLOT, job), prove_text(SLOT)
    assert codes(meshed) == codes(plain) == []
    np.testing.assert_array_equal(meshed.stocks[0].final.h, plain.stocks[0].final.h)


def test_a_casting_keeps_its_slope(prove_text: Prove, tmp_path: Path) -> None:
    """A wedge that rises from 0 to 20: its volume is half the box's, and air over it is not cut."""
    corners = np.array([[0, 0, 0], [100, 0, 0], [100, 60, 0], [0, 60, 0], [100, 0, 20], [100, 60, 20]], dtype=float)
    trimesh.Trimesh(corners).convex_hull.export(tmp_path / "wedge.stl")
    job = PLAIN_JOB.replace(BOX, 'shape = "mesh"\nmesh = "wedge.stl"', 1)
    proof = prove_text(START + "M30\n", job)
    assert proof.stocks[0].uncut.volume() == pytest.approx(60000.0, rel=2e-3)
    assert proof.stocks[0].uncut.height_at(50.0, 30.0) == pytest.approx(10.0, abs=0.06)


def test_hollows_are_said_not_to_be_held(prove_text: Prove, tmp_path: Path) -> None:
    outer, inner = block(), trimesh.creation.box(bounds=[[20, 20, -15], [80, 40, -5]])
    inner.invert()
    trimesh.util.concatenate([outer, inner]).export(tmp_path / "hollow.stl")
    proof = prove_text(START + "M30\n", PLAIN_JOB.replace(BOX, 'shape = "mesh"\nmesh = "hollow.stl"', 1))
    (finding,) = [f for f in proof.findings if f.code == "not-proved"]
    assert finding.evidence["held_mm3"] - finding.evidence["real_mm3"] == pytest.approx(60 * 20 * 10, rel=0.01)  # type: ignore[operator]


@pytest.mark.parametrize("name", ["missing.stl", "bad.stl"])
def test_a_mesh_that_cannot_be_read_names_its_entry(prove_text: Prove, tmp_path: Path, name: str) -> None:
    (tmp_path / "bad.stl").write_bytes(b"nothing")
    with pytest.raises(BadEntry) as caught:
        prove_text("M30\n", PLAIN_JOB.replace(BOX, f'shape = "mesh"\nmesh = "{name}"', 1))
    assert caught.value.key == "stock.mesh" and name in str(caught.value)


# -- fixtures ------------------------------------------------------------------------------------------------------------------

CLAMP = 'shape = "box"\nsize = [20.0, 20.0, 15.0]'


@pytest.mark.parametrize(("y", "found"), [(30.0, ["tool-into-fixture"]), (16.0, ["tool-into-fixture"]), (-5.0, [])])
def test_a_clamp_from_a_file_is_met_like_a_clamp(prove_text: Prove, tmp_path: Path, y: float, found: list[str]) -> None:
    trimesh.creation.box((20, 20, 15)).export(tmp_path / "clamp.stl")
    job = PLAIN_JOB.replace(CLAMP, 'shape = "mesh"\nmesh = "clamp.stl"', 1)
    text = START + f"X-60. Y{y}\nZ5.\nG1 X-30. F500\nX-10.\nG0 Z50.\nM5\nM30\n"
    meshed, plain = prove_text(text, job), prove_text(text)
    assert [c for c in codes(meshed) if c != "cuts-air"] == [c for c in codes(plain) if c != "cuts-air"] == found
    if found:
        a, b = (next(f for f in p.findings if f.code == "tool-into-fixture") for p in (meshed, plain))
        assert (a.line, a.evidence["depth_mm"]) == (b.line, pytest.approx(b.evidence["depth_mm"], abs=0.02))


@pytest.mark.parametrize("gap", [0.4, 0.8, 3.0])
def test_how_near_a_clamp_from_a_file_is_passed(prove_text: Prove, tmp_path: Path, gap: float) -> None:
    trimesh.creation.box((20, 20, 15)).export(tmp_path / "clamp.stl")
    job = PLAIN_JOB.replace(CLAMP, 'shape = "mesh"\nmesh = "clamp.stl"', 1)
    text = START + f"X-60. Y{20.0 - 5.0 - gap}\nZ5.\nG1 X-2. F500\nG0 Z50.\nM5\nM30\n"
    proof = prove_text(text, job)
    near = min(c.distance_mm for c in proof.closest if c.to == "left clamp" and c.part == "cutter")
    # The clamp's edge is known to half a cell.
    assert near == pytest.approx(gap, abs=0.13)
    assert ("close-pass" in codes(proof)) == (gap < 1.0)


def test_on_other_cells_a_mesh_is_passed_anew(prove_text: Prove, tmp_path: Path) -> None:
    """A long program under a job whose cells were changed: nothing of the passing on the old cells is kept."""
    trimesh.creation.icosphere(subdivisions=3, radius=10.0).export(tmp_path / "clamp.stl")
    job = PLAIN_JOB.replace(CLAMP, 'shape = "mesh"\nmesh = "clamp.stl"', 1)
    passes = "".join(f"X-{2 + k % 40}. Y{4 + k % 2 * 0.5}\n" for k in range(5000))
    text = START + "X-60. Y4.\nZ10.\nG1 X-40. F500\n" + passes + "G0 Z50.\nM5\nM30\n"
    before = prove_text(text, job)
    coarse = replace(before.job, settings=replace(before.job.settings, cell=3.0))
    again, whole = prove(coarse, before.source, before=before), prove(coarse, before.source)
    assert again.closest == whole.closest and again.findings == whole.findings
    assert whole.closest != before.closest


# -- the holder and the stock ------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(("depth", "gap"), [(-39.4, 0.6), (-38.0, 2.0), (-30.0, 10.0)])
def test_how_near_the_holder_comes_to_the_stock(prove_text: Prove, depth: float, gap: float) -> None:
    """The holder stands 40 above the tip: beside a thick plate at Z -39.4 it clears the top by 0.6."""
    job = (
        PLAIN_JOB.replace("[100.0, 60.0, 20.0]", "[100.0, 60.0, 60.0]")
        .replace("[0.0, 0.0, -20.0]", "[0.0, 0.0, -60.0]")
        .replace("APMX = 22.0", "APMX = 40.0")
    )
    text = START + f"X50. Y-20.\nG1 Z{depth} F300\nY-8.\nG0 Z50.\nM5\nM30\n"
    proof = prove_text(text, job)
    near = [c for c in proof.closest if c.to == "stock" and c.part == "holder"]
    if gap > 5.0:
        assert not near
        return
    assert near[0].distance_mm == pytest.approx(gap, abs=1e-3)
    assert (codes(proof) == ["cuts-air", "close-pass"]) == (gap < 1.0)


def test_a_shank_in_its_own_cut_is_no_close_pass(prove_text: Prove) -> None:
    job = PLAIN_JOB.replace("APMX = 22.0", "APMX = 5.0")
    text = START + "X50. Y-10.\nG1 Z-4. F300\nY70.\nZ-8.\nY-10.\nG0 Z50.\nM5\nM30\n"
    assert codes(prove_text(text, job)) == []


# -- targets -------------------------------------------------------------------------------------------------------------------


def with_target(path: str) -> str:
    return PLAIN_JOB.replace("[proof]", f'[proof]\ntarget = "{path}"\ntarget_tolerance = 0.05')


def test_the_finished_part_meets_its_own_shape(prove_text: Prove, tmp_path: Path) -> None:
    slot = trimesh.creation.box(bounds=[[45, -1, -4], [55, 61, 1]])
    trimesh.boolean.difference([block(), slot], engine="manifold").export(tmp_path / "part.stl")
    assert codes(prove_text(SLOT, with_target("part.stl"))) == []


def test_too_deep_and_too_little_against_a_target(prove_text: Prove, tmp_path: Path) -> None:
    """The wanted slot is 3 deep and there is a second one: the first is 1 mm too deep, the second 2 mm of excess."""
    first = trimesh.creation.box(bounds=[[45, -1, -3], [55, 61, 1]])
    second = trimesh.creation.box(bounds=[[75, -1, -2], [85, 61, 1]])
    trimesh.boolean.difference([block(), first, second], engine="manifold").export(tmp_path / "part.stl")
    proof = prove_text(SLOT, with_target("part.stl"))
    by_code = {f.code: f for f in proof.findings if f.code.endswith("-target")}
    assert set(by_code) == {"below-target", "above-target"}
    gouge, excess = by_code["below-target"], by_code["above-target"]
    assert gouge.evidence["depth_mm"] == pytest.approx(1.0) and gouge.line == 8 and gouge.severity.word == "fault"
    assert excess.evidence["depth_mm"] == pytest.approx(2.0) and excess.severity.word == "caution"
    assert 75.0 < excess.evidence["x_mm"] < 85.0 and excess.evidence["area_mm2"] == pytest.approx(600.0, rel=0.06)  # type: ignore[operator]
    settings = proof.job.settings
    assert settings.target is not None
    ((deviation, beyond),) = against_target(settings.target, 0.05, proof.stocks, proof.job.bench.part_zero)
    assert beyond == pytest.approx(0.0, abs=1e-5)
    assert deviation.over.min() == pytest.approx(-1.0) and deviation.over.max() == pytest.approx(2.0)


def test_the_exported_part_is_its_own_target(prove_text: Prove, tmp_path: Path) -> None:
    vertices, faces = part_mesh(prove_text(SLOT))
    trimesh.Trimesh(vertices, faces, process=False).export(tmp_path / "out.stl")
    assert codes(prove_text(SLOT, with_target("out.stl"))) == []


# -- two runs ------------------------------------------------------------------------------------------------------------------


def test_absolute_and_incremental_make_the_same_part(prove_text: Prove) -> None:
    one = prove_text(SLOT)
    two = prove_text(START + "X50. Y-8.\nZ2.\nG91 G1 Z-6. F300\nY76.\nG90 G0 Z50.\nM5\nM30\n")
    found = compare_runs(one, two)
    assert found.same_part and found.same_path and found.apart_mm3 == 0.0


def test_the_same_part_by_another_path(prove_text: Prove) -> None:
    found = compare_runs(prove_text(SLOT), prove_text(SLOT.replace("Y68.\nG0", "Y30.\nY68.\nY-8.\nG0")))
    assert found.same_part and not found.same_path
    assert found.first_difference == (8, 8) and found.feed_b_mm > found.feed_a_mm and found.time_b_s > found.time_a_s


@pytest.mark.parametrize("edit", [("Z-4.", "Z-4.5"), ("X50.", "X51."), ("Y68.", "Y40.")])
def test_what_makes_another_part(prove_text: Prove, edit: tuple[str, str]) -> None:
    a, b = prove_text(SLOT), prove_text(SLOT.replace(*edit))
    found = compare_runs(a, b)
    assert not found.same_part and found.first_difference is not None
    exact = float(np.abs(a.stocks[0].final.h - b.stocks[0].final.h).sum()) * 0.0625
    assert 0.7 * exact < found.apart_mm3 <= exact * 1.2
    mirrored = compare_runs(b, a)
    assert (mirrored.a_left is None) == (found.a_lacks is None)


def test_stocks_on_other_cells_are_refused(prove_text: Prove) -> None:
    one = prove_text(SLOT)
    job = replace(one.job, settings=replace(one.job.settings, cell=0.5))
    with pytest.raises(ValueError, match="cells"):
        compare_runs(one, prove(job, read_text(SLOT, "plain.nc")))
    assert math.isfinite(one.timing.total)


def test_a_target_larger_than_the_stock_is_told(prove_text: Prove, tmp_path: Path) -> None:
    trimesh.creation.box(bounds=[[0, 0, -20], [104, 60, 0]]).export(tmp_path / "part.stl")
    found = [f for f in prove_text(START + "M30\n", with_target("part.stl")).findings if f.code == "below-target"]
    assert [f.evidence.get("beyond_mm") for f in found] == [pytest.approx(4.0)]


def test_every_one_of_several_stocks_is_compared(prove_text: Prove, tmp_path: Path) -> None:
    """The slot is cut into the first alone: the second has it as excess."""
    slot = trimesh.creation.box(bounds=[[45, -1, -4], [55, 61, 1]])
    trimesh.boolean.difference([block(), slot], engine="manifold").export(tmp_path / "part.stl")
    job = with_target("part.stl").replace(
        "[stock]", "G55 = { x = -150.0, y = -150.0, z = -200.0 }\n\n[stock]\nrepeat_at = ['G54', 'G55']"
    )
    (finding,) = [f for f in prove_text(SLOT, job).findings if f.code.endswith("-target")]
    assert finding.code == "above-target" and finding.evidence["depth_mm"] == pytest.approx(4.0)
    assert finding.evidence["x_mm"] == pytest.approx(200.0, abs=6.0)


# -- probing, and cuts thinner than a cell ---------------------------------------------------------------------------------------


@pytest.mark.parametrize("meshed", [False, True])
@pytest.mark.parametrize(("way", "ends"), [("Z-30.", (50.0, 30.0, 0.0)), ("Y40. Z-20.", None)])
def test_a_probe_stops_at_a_casting_as_at_a_block(
    prove_text: Prove, tmp_path: Path, meshed: bool, way: str, ends: tuple[float, float, float] | None
) -> None:
    block().export(tmp_path / "block.stl")
    job = PLAIN_JOB.replace('kind = "drill"', 'kind = "probe"')
    if meshed:
        job = job.replace(BOX, 'shape = "mesh"\nmesh = "block.stl"', 1)
    proof = prove_text("G21 G17 G90 G94\nT2 M6\nG0 G54 X50. Y30.\nG43 H2 Z20.\nG38.2 " + way + " F100\nM30\n", job)
    assert "probe-missed" not in codes(proof)
    at = proof.motions.state_of(len(proof.motions) - 1).work(proof.motions.at(len(proof.motions) - 1, 1.0))
    if ends is not None:
        assert at == pytest.approx(ends, abs=1e-3)
    else:
        # On its way down a slope the ball of 8 touches the plane with its lowest place.
        assert at[2] == pytest.approx(0.0, abs=1e-3) and at[1] == pytest.approx(35.0, abs=0.2)


def test_a_finishing_cut_thinner_than_a_cell_cuts_no_air(prove_text: Prove) -> None:
    """0.1 mm off a wall that lies between the middles of cells of 0.25: nothing in the cells, all there under the loupe."""
    job = PLAIN_JOB.replace(
        'number = 2\nkind = "drill"\nDC = 8.0\nSIG = 118.0', 'number = 2\nkind = "end-mill"\nDC = 10.0'
    )
    first = START + "X-20. Y-3.95\nG1 Z-4. F300\nX120.\nG0 Z50.\n"
    second = "T2 M6\nG0 X-20. Y{y} S3000 M3\nG43 H2 Z5.\nG1 Z-4. F300\nX120.\nG0 Z50.\nM5\nM30\n"
    thin = prove_text(first + second.format(y="-3.88"), job)
    assert thin.tool_uses()[1].removed_mm3 == 0.0 and codes(thin) == []
    again = prove_text(first + second.format(y="-3.95"), job)
    assert codes(again) == ["cuts-air"]
