"""What a lathe's control means by its words: diameters, U W, offsets, speeds, feeds, passes, cycles, corners, repeats."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
from scipy.integrate import quad
from tests.conftest import write_job
from tests.core.trades.turning.lathe import LATHE_JOB, START, prove_turning

from underglass.core.errors import BadEntry
from underglass.core.files.job import read_job
from underglass.core.files.report import path_as_csv
from underglass.core.proof.restart import restart
from underglass.core.trades.turning.cycles import passes

END = "G0 X200. Z100. M5\nM30\n"


def rows(text: str, folder: Path, job: str = LATHE_JOB) -> list[dict[str, str]]:
    lines = path_as_csv(prove_turning(folder, text, job)).splitlines()
    return [dict(zip(lines[0].split(","), line.split(","))) for line in lines[1:]]


def places(text: str, folder: Path, job: str = LATHE_JOB) -> list[tuple[float, float]]:
    return [(float(r["x1"]), float(r["z1"])) for r in rows(text, folder, job)]


def test_x_is_a_diameter_everywhere_and_y_is_blank(tmp_path: Path) -> None:
    found = rows(START + "G0 X50. Z5.\nG1 X40. Z-5. F0.2\n" + END, tmp_path)
    assert [(r["x1"], r["y1"], r["z1"]) for r in found[:2]] == [("50", "", "5"), ("40", "", "-5")]
    # machine X = programmed X + work offset + geometry, as a diameter
    assert (found[0]["mx"], found[0]["mz"]) == ("170", "-315")


def test_u_and_w_may_be_mixed_with_x_and_z(tmp_path: Path) -> None:
    assert places(START + "G0 X50. Z5.\nG1 U-4. Z-10. F0.2\nX44. W-3.\nU2. W1.\n" + END, tmp_path)[:4] == [
        (50.0, 5.0), (46.0, -10.0), (44.0, -13.0), (46.0, -12.0),
    ]  # fmt: skip


def test_an_offset_acts_with_the_next_move_of_its_axis(tmp_path: Path) -> None:
    job = LATHE_JOB + "\n[registers.wear]\n1 = { x = -0.04, z = 0.1 }\n"
    found = rows(START + "G0 X50.\nZ5.\n" + END, tmp_path, job)
    assert [(r["mx"], r["mz"]) for r in found[:2]] == [("169.96", "0"), ("169.96", "-314.9")]


def test_2_84_in_passes_of_0_4_is_eight_the_last_0_04() -> None:
    """Common practice, no source."""
    found = [0.0, *passes(2.84, 0.4)]
    steps = np.diff(found)
    assert len(steps) == 8 and np.allclose(steps[:7], 0.4) and steps[7] == pytest.approx(0.04)


def test_passes_of_a_bound_cycle_with_hundredths(tmp_path: Path) -> None:
    """An older habit: total and pass as whole hundredths; it ends where it began."""
    (tmp_path / "own.toml").write_text(
        'base = "word-address-lathe"\nformat = 1\ntitle = "Own"\n[cycles]\n'
        'G177 = { does = "turn-passes", total = "X", length = "Z", pass = "D", feed = "F", '
        'as = { total = "diameter, incremental, hundredths", length = "hundredths", pass = "hundredths, radius" } }\n'
    )
    job = LATHE_JOB.replace('control = "word-address-lathe"', 'control = "own.toml"')
    text = START + "G0 X40. Z1.\nG177 X-568 Z-2000 D40 F0.2\n" + END
    found = rows(text, tmp_path, job)
    mine = [r for r in found if r["line"] == "6"]
    cuts = [float(r["x1"]) for r in mine if r["kind"] == "cycle-feed" and r["x0"] == r["x1"]]
    assert len(cuts) == 8 and cuts[0] == pytest.approx(39.2) and cuts[-1] == pytest.approx(34.32)
    assert (float(mine[-1]["x1"]), float(mine[-1]["z1"])) == (40.0, 1.0)


def test_a_7_mm_ball_form_by_repeats(tmp_path: Path) -> None:
    """A radius of 7 in X and Z repeated inward 0.3 at a time (common practice, no source): the last pass leaves the form."""
    (tmp_path / "own.toml").write_text(
        'base = "word-address-lathe"\nformat = 1\ntitle = "Own"\n[cycles]\n'
        'G126 = { does = "repeat-blocks", from = "P", to = "Q", times = "L" }\n'
    )
    job = LATHE_JOB.replace('control = "word-address-lathe"', 'control = "own.toml"')
    text = (
        "G21 G40 G97 G99 G54\nG50 S2500\nT0202\nG96 S150 M3\nG0 X20. Z3.\nG126 P10 Q50 L20\n" + END
        + "N10 G0 U-0.6\nN20 G1 Z0. F0.1\nN30 G3 U14. W-7. R7.\nN40 G1 U8.\nN50 G0 U-22. Z3.\nM99\n"
    )  # fmt: skip
    found = rows(text, tmp_path, job)
    arcs = [r for r in found if r["kind"].startswith("arc")]
    assert len(arcs) == 20 and [float(a["x0"]) for a in arcs] == pytest.approx([20.0 - 0.6 * k for k in range(1, 21)])
    assert all(float(a["x1"]) - float(a["x0"]) == pytest.approx(14.0) for a in arcs)
    assert {r["line"] for r in found if r["kind"].startswith("arc")} == {"11"}, "rows carry their own lines"


def test_corner_words_shorten_both_sides(tmp_path: Path) -> None:
    found = places(START + "G0 X30. Z2.\nG1 Z0. F0.1\nX36. ,C1.\nZ-20. ,R2.\nX42.\n" + END, tmp_path)
    assert found[2:7] == [(34.0, 0.0), (36.0, -1.0), (36.0, -18.0), (40.0, -20.0), (42.0, -20.0)]


@pytest.mark.parametrize(("x0", "x1"), [(60.0, 20.0), (20.0, 60.0), (40.0, 0.0), (30.0, -10.0)])
def test_time_at_constant_surface_speed_is_the_integral(tmp_path: Path, x0: float, x1: float) -> None:
    """ds / (f n(s)) with n = min(1000 v / (pi d), limit), by SciPy's quad."""
    text = f"G21 G40 G97 G99 G54\nG50 S2500\nT0101\nG96 S150 M3\nG0 X{x0} Z5.\nG1 X{x1} F0.2\n" + END
    proof = prove_turning(tmp_path, text)
    move = proof.moves_of_line(6)
    assert move is not None
    length = abs(x1 - x0) / 2.0

    def slowness(s: float) -> float:
        d = abs(x0 + (x1 - x0) * s / length)
        turns = min(1000.0 * 150.0 / (math.pi * max(d, 1e-9)), 2500.0)
        return 60.0 / (0.2 * turns)

    wanted = quad(slowness, 0.0, length, limit=400, points=[length * 0.5])[0]
    # Speeding up and slowing down at the ends takes a few hundredths of a second more.
    assert wanted < float(proof.timing.duration[move[0]]) < wanted + 0.03


def test_feed_a_turn_without_surface_speed(tmp_path: Path) -> None:
    found = rows(
        "G21 G40 G97 G99 G54\nT0101\nG97 S800 M3\nG0 X50. Z5.\nG1 Z-5. F0.25\nG98 G1 Z-10. F120\n" + END, tmp_path
    )
    assert [float(r["feed"]) for r in found if r["kind"] == "feed"][:2] == [200.0, 120.0]


def test_g97_without_s_keeps_the_last_speed(tmp_path: Path) -> None:
    proof = prove_turning(tmp_path, START + "G0 X50. Z5.\nG97\nG1 X40. F0.2\n" + END)
    assert proof.motions.state_of(1).speed == pytest.approx(1000.0 * 150.0 / (math.pi * 50.0), rel=1e-6)


def test_thread_passes_by_equal_area_and_by_equal_depth(tmp_path: Path) -> None:
    for infeed, wanted in (
        ("area", [0.4, 0.4 * math.sqrt(2), 0.4 * math.sqrt(3), 0.8, 0.4 * math.sqrt(5), 0.92]),
        ("depth", [0.4, 0.8, 0.92]),
    ):
        (tmp_path / "own.toml").write_text(
            f'base = "word-address-lathe"\nformat = 1\ntitle = "Own"\n[thread]\ninfeed = "{infeed}"\n'
        )
        job = LATHE_JOB.replace('control = "word-address-lathe"', 'control = "own.toml"')
        text = "G21 G40 G97 G99 G54\nT0606\nG97 S500 M3\nG0 X44. Z8.\nG76 X38.16 Z-20. K0.92 D0.4 F1.5\n" + END
        cuts = [r for r in rows(text, tmp_path, job) if r["kind"] == "feed" and r["line"] == "5"]
        assert [(40.0 - float(r["x1"])) / 2.0 for r in cuts] == pytest.approx(wanted, abs=1e-6)


def test_the_hand_drills_loads_and_pulls_at_a_stop(tmp_path: Path) -> None:
    job = LATHE_JOB + "\n[hand]\nat_stop_1 = [ { drill = 6.0, SIG = 118.0, to_z = -12.0 }, { pull = 20.0 } ]\n"
    text = START + "G0 X200. Z100.\nM5\nM0\nM3\nG0 X36. Z22.\nG1 Z5. F0.2\nX41.\n" + END
    final = prove_turning(tmp_path, text, job).histories[0].final
    assert final.rings_at(15.0) == [pytest.approx((36.0, 6.0))]  # type: ignore[attr-defined]
    assert final.rings_at(-30.0) == [pytest.approx((40.0, 0.0))]  # type: ignore[attr-defined]


def test_what_another_job_leaves_is_clamped_turned_round(tmp_path: Path) -> None:
    (tmp_path / "op10").mkdir()
    first = START + "G0 X30. Z3.\nG1 Z-20. F0.2\nX41.\n" + END
    write_job(tmp_path / "op10", first, LATHE_JOB)
    job = LATHE_JOB.replace(
        'shape = "bar"\nsize = [40.0, 90.0]\nplace = 1.0',
        'from = "op10/plain.job.toml"\nturned_round = true\nplace = 0.5',
    )
    loaded = read_job(write_job(tmp_path, "M30\n", job))
    ring = loaded.bench.more.stock[0]  # type: ignore[union-attr]
    z = [p[1] for p in ring]
    assert max(z) == pytest.approx(0.5) and min(z) == pytest.approx(0.5 - 90.0)
    assert max(p[0] for p in ring if p[1] < -75.0) == pytest.approx(15.0, abs=1e-6), (
        "the turned end is in the chuck now"
    )


@pytest.mark.parametrize("line", [9, 12, 14])
def test_a_start_in_the_middle_comes_to_the_same_state(tmp_path: Path, line: int) -> None:
    text = (
        START
        + "G0 X36. Z2.\nG1 Z-20. F0.2\nX41.\nG0 X200. Z100.\nT0202\nG96 S180 M3\nG0 X34. Z2.\nG1 Z-20. F0.1\nX41.\n"
        + END
    )
    found = restart(prove_turning(tmp_path, text), line)
    assert found.reached and found.blocks and found.instead is None
    assert any(block.startswith("T0") for block in found.blocks)


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        ('control = "word-address-lathe"', 'control = "word-address-mill"', "take two of one kind"),
        ('shape = "bar"\nsize = [40.0, 90.0]', 'shape = "tube"\nsize = [40.0, 41.0, 90.0]', "no wall left"),
        ("KAPR = 95.0", "KAPR = 170.0", "no room for its other edge"),
        ("number = 8\nkind", "number = 80\nkind", "stations"),
        ("RE = 0.8\nL = 12.0", "RE = 20.0\nL = 12.0", "does not fit"),
        ("gauge = { x = 120.0, z = 60.0 }\n", "", "gauge"),
        ("face = -60.0", "fase = -60.0", "did you mean face"),
        ("orientation = 2", "orientation = 12", "1 to 9"),
        ("[chuck]", "[proof]\ncell = 0.1\n[chuck]", "cell"),
    ],
)
def test_bad_input_is_one_sentence(tmp_path: Path, old: str, new: str, says: str) -> None:
    assert old in LATHE_JOB
    with pytest.raises(BadEntry) as caught:
        read_job(write_job(tmp_path, "M30\n", LATHE_JOB.replace(old, new, 1)))
    assert says in str(caught.value) and "\n" not in str(caught.value) and caught.value.line >= 1


def test_millimetres_run_as_inches_are_suspected(tmp_path: Path) -> None:
    text = START + "G0 X36. Z3.\nG1 Z-20. F0.2\nX41.\nG0 X200. Z100. M5\nM30\n"
    meant = [f.code for f in prove_turning(tmp_path, text).findings]
    slip = prove_turning(tmp_path, text.replace("G21", "G20"))
    found = [f for f in slip.findings if f.code == "units-suspect"]
    assert "units-suspect" not in meant and len(found) == 1
    assert "larger than the bar" in found[0].message and found[0].message.endswith("look like millimetres")
    assert found[0].evidence["widest_mm"] == pytest.approx(41.0 * 25.4)


def test_a_cycle_told_by_letters_of_another_control_is_one_cause(tmp_path: Path) -> None:
    """It lacks its own letters; that the others are of no use only follows from that."""
    proof = prove_turning(tmp_path, START + "G0 X36. Z5.\nG76 X30. Z-16. P920 Q250 F1.5\n" + END)
    told = [(f.code, f.because, f.remedy) for f in proof.findings if f.code in ("cycle-incomplete", "word-unused")]
    incomplete, *unused = sorted(told, key=lambda row: row[0])
    assert incomplete[0] == "cycle-incomplete" and incomplete[1] is None
    assert "give Z, K and D" in incomplete[2] and "by P Q, bind" in incomplete[2]
    assert [row[1] for row in unused] == [("cycle-incomplete", 6)] * 2


def test_blocks_that_would_repeat_themselves_end_in_a_finding(tmp_path: Path) -> None:
    """A contour cycle within its own contour, and a stretch that holds the block which repeats it."""
    contour = "N10 G0 X28.\nG1 Z0. F0.12\nG71 P10 Q20 D1.5 F0.25\nX32. Z-2.\nN20 X41.\n"
    within = prove_turning(tmp_path, START + "G0 X42. Z2.\nG71 P10 Q20 D1.5 F0.25\n" + contour + END)
    told = [(f.line, f.message) for f in within.findings if f.code == "syntax"]
    assert told[0] == (6, "The contour N10 to N20 has a cycle of its own in it, in line 9")
    (tmp_path / "own.toml").write_text(
        'base = "word-address-lathe"\nformat = 1\ntitle = "Own"\n[cycles]\n'
        'G126 = { does = "repeat-blocks", from = "P", to = "Q", times = "L" }\n'
    )
    job = LATHE_JOB.replace('control = "word-address-lathe"', 'control = "own.toml"')
    again = prove_turning(tmp_path, START + "N10 G0 U-0.6\nG126 P10 Q20 L2\nN20 G0 U0.2\n" + END, job)
    assert [(f.code, f.line) for f in again.findings if f.code == "loop-runaway"] == [("loop-runaway", 6)]
