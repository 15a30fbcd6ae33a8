"""The plane engine against closed forms and against shapely's own regions built another way."""

from __future__ import annotations

import math
import os
from pathlib import Path

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.trades.sheet.flat import PUNCH_JOB, SHEET_JOB, prove_flat, sheet_history
from underglass.core.bench.sheet import Punch, quarter_steps
from underglass.core.finding import Severity
from underglass.core.proof.flat_outputs import plate
from underglass.core.proof.outputs import outputs_of
from underglass.core.proof.proof import Proof
from underglass.core.proof.rest import rest_from
from underglass.core.proof.restart import restart
from underglass.core.removal.sheet.cutting import cut_sheet
from underglass.core.removal.sheet.history import Bite, kerf
from underglass.core.trades.punching.rows import pitch_for, scallop
from underglass.core.trades.sheet import cut as sheet_cut
from underglass.core.trades.sheet.rules import cutter as cutter_rules

SHEET = shapely.box(0.0, 0.0, 600.0, 400.0)
HEAD = "G21 G90 G40 G54\n"
HOLE = "G0 X60. Y60.\nM3\nG4 P0.6\nG41 G1 X60. Y50. F2000\nG3 X60. Y50. I0. J10.\nG40 G1 X60. Y60.\nM5\n"


def bite(way: list[tuple[float, float]], first: int, width: float = 1.6) -> Bite:
    places = np.array(way, dtype=np.float64)
    return Bite(first, first + len(way) - 2, kerf(places, width), places, width, np.arange(1, len(way)))


def square(x: float, y: float, side: float, first: int) -> Bite:
    return bite([(x, y), (x + side, y), (x + side, y + side), (x, y + side), (x, y)], first)


def test_a_straight_kerf_takes_its_length_by_its_width_and_two_half_discs() -> None:
    history = cut_sheet(SHEET, 4.0, [bite([(100, 100), (200, 100)], 0)], 1)
    assert history.area[0] == pytest.approx(100.0 * 1.6 + math.pi * 0.8**2, rel=2e-3)
    assert history.final.volume() == pytest.approx((600 * 400 - history.area[0]) * 4.0)


@pytest.mark.parametrize("radius", [0.05, 0.8, 6.0, 60.0])
def test_round_edges_are_true_to_a_micrometre(radius: float) -> None:
    """The sagitta of a chord: r (1 - cos(a / 2))."""
    chord = math.pi / 2.0 / quarter_steps(radius)
    assert radius * (1.0 - math.cos(chord / 2.0)) <= 0.001


def test_pieces_and_their_moves() -> None:
    inner, outer = square(120, 120, 20, 0), square(100, 100, 60, 4)
    history = cut_sheet(SHEET, 4.0, [inner, outer], 8)
    assert [(p.move, p.bite) for p in history.pieces] == [(3, 0), (7, 1)]
    assert history.pieces[0].area == pytest.approx(18.4**2)
    # Of the second what the first has taken, and left in it, is no part.
    assert history.pieces[1].area == pytest.approx(58.4**2 - (21.6**2 - (4.0 - math.pi) * 0.8**2), abs=0.01)
    later = cut_sheet(SHEET, 4.0, [outer, inner], 8)
    assert [round(p.area, 3) for p in later.pieces] == [round(58.4**2, 3), round(18.4**2, 3)]


def test_where_a_cut_parts_the_sheet_the_smaller_half_comes_loose() -> None:
    history = cut_sheet(SHEET, 4.0, [bite([(400, -10), (400, 200), (400, 410)], 0)], 2)
    assert [(p.move, round(p.area, 3), p.centre) for p in history.pieces] == [(1, 199.2 * 400, (500.4, 200.0))]
    corner = cut_sheet(SHEET, 4.0, [bite([(-5, 300), (100, 300), (100, 405)], 0)], 2)
    assert corner.pieces[0].area == pytest.approx(99.2 * 99.2)


def test_two_cuts_that_meet_free_a_piece_together() -> None:
    halves = [bite([(100, 100), (200, 100), (200, 200)], 0), bite([(200, 200), (100, 200), (100, 100)], 2)]
    history = cut_sheet(SHEET, 4.0, halves, 4)
    assert [(p.move, p.bite) for p in history.pieces] == [(3, 1)]


@settings(max_examples=25, deadline=None)
@given(st.lists(st.tuples(st.integers(2, 56), st.integers(2, 36), st.integers(1, 6)), min_size=1, max_size=9))
def test_any_cuts_come_to_what_shapely_takes_away_at_once(cuts: list[tuple[int, int, int]]) -> None:
    bites = [square(10.0 * x, 10.0 * y, 7.0 * s, 4 * k) for k, (x, y, s) in enumerate(cuts)]
    history = cut_sheet(SHEET, 2.0, bites, 4 * len(bites))
    whole = shapely.difference(SHEET, shapely.union_all([b.shape for b in bites]))
    assert history.final.area == pytest.approx(whole.area, abs=1e-4)
    assert history.final.region.symmetric_difference(whole).area < 1e-4
    assert history.removed.sum() == pytest.approx((SHEET.area - whole.area) * 2.0, abs=1e-3)
    # At any moment what is left is what the part of the way that has been run leaves.
    state = history.at(4 * len(bites) - 3, 0.5)
    last = bites[-1].way
    part = kerf(np.vstack([last[:2], (last[1] + last[2]) / 2.0]), 1.6)
    before = shapely.difference(SHEET, shapely.union_all([*(b.shape for b in bites[:-1]), part]))
    assert state.region.symmetric_difference(before).area < 1e-4 and state.area == pytest.approx(before.area, abs=1e-4)


@settings(max_examples=25, deadline=None)
@given(
    st.lists(st.tuples(st.integers(2, 56), st.integers(2, 36), st.integers(1, 6)), min_size=1, max_size=9),
    st.tuples(st.integers(0, 560), st.integers(0, 360), st.integers(1, 200)), st.integers(0, 35), st.sampled_from((0.0, 0.4, 1.0)),
)  # fmt: skip
def test_what_is_left_of_a_window_or_a_line_is_that_of_the_whole_region(
    cuts: list[tuple[int, int, int]], window: tuple[int, int, int], move: int, share: float
) -> None:
    bites = [square(10.0 * x, 10.0 * y, 7.0 * s, 4 * k) for k, (x, y, s) in enumerate(cuts)]
    history = cut_sheet(SHEET, 2.0, bites, 4 * len(bites))
    x, y, size = window
    move = min(move, 4 * len(bites) - 1)
    region = history.at(move, share).region
    for shape in (shapely.box(x, y, x + size, y + size), shapely.LineString([(x, y), (x + size, y + size / 3.0)])):
        left, want = history.left_of(shape, move, share), shapely.intersection(shape, region)
        assert shapely.symmetric_difference(left, want).length < 1e-6 * max(shape.length, 1.0)


def test_a_cut_that_goes_on_beyond_every_measure_is_cut_so_far() -> None:
    """Each of a thousand squares meets all the others: those after the four hundredth are left out, and where is known."""
    hit = shapely.box(100.0, 100.0, 130.0, 130.0)
    none = np.empty((0, 2))
    bites = [
        Bite(k, k, shapely.transform(hit, lambda p, k=k: p + (0.001 * k, 0.0)), none, 0.0, np.empty(0, np.int64)) for k in range(1200)
    ]  # fmt: skip
    history = cut_sheet(SHEET, 2.0, bites, 1200)
    assert history.left_out == len(history.bites) == 401
    assert history.removed[401:].sum() == 0.0 and history.final.area == pytest.approx(SHEET.area - 30.0 * 30.4)


def test_the_plate_is_closed_and_as_large_as_the_region() -> None:
    import trimesh

    history = cut_sheet(SHEET, 4.0, [square(120, 120, 20, 0)], 4)
    vertices, faces = plate(history.final.region, -4.0, 0.0)
    mesh = trimesh.Trimesh(vertices, faces)
    assert mesh.is_watertight and mesh.volume == pytest.approx(history.final.volume(), rel=1e-6)


# -- cutting ---------------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("kerf_mm", [1.2, 1.6, 2.0])
def test_a_hole_grows_by_the_kerf_that_the_control_does_not_know(tmp_path: Path, kerf_mm: float) -> None:
    """Compensated by half a kerf of 1.6, a hole of 20 comes out 20 + (real kerf - 1.6)."""
    job = SHEET_JOB.replace("kerf = 1.6", f"kerf = {kerf_mm}\n") + "\n[registers.radius]\nD1 = 0.8\n"
    proof = prove_flat(tmp_path, f"{HEAD}{HOLE}M30\n", job.replace("pierce_diameter = 3.0\n", ""))
    x0, _y0, x1, _y1 = sheet_history(proof).bites[0].shape.bounds
    assert x1 - x0 == pytest.approx(20.0 + kerf_mm - 1.6, abs=2e-3)
    codes = {f.code for f in proof.findings if f.severity >= Severity.FAULT}
    assert ("radius-register-wrong" in codes) == (kerf_mm != 1.6)


def test_measure_and_pieces_as_the_report_has_them(tmp_path: Path) -> None:
    proof = prove_flat(tmp_path, f"{HEAD}{HOLE}M30\n")
    own = outputs_of(proof)
    assert own is not None and own.metal is not None
    assert own.metal(proof, [(60.0, 50.9), (60.0, 49.9), (200.0, 200.0), (601.0, 0.0)], None).tolist() == [
        False,
        True,
        True,
        False,
    ]
    assert own.metal(proof, [(60.0, 50.9)], 2).tolist() == [True]
    piece = own.report(proof)["pieces"][0]
    assert piece["line"] == 6 and piece["inside"] is True
    assert piece["volume_mm3"] == pytest.approx(4.0 * piece["area_mm2"], abs=1e-3)


def test_the_zero_at_which_all_fits_is_the_nearest(tmp_path: Path) -> None:
    text = f"{HEAD}G0 X500. Y10.\nM3\nG4 P0.6\nG1 X620. F2000\nY60.\nX500.\nM5\nM30\n"
    found = next(f for f in prove_flat(tmp_path, text).findings if f.code == "off-sheet")
    assert found.line == 5
    assert found.evidence["shift_x_mm"] == pytest.approx(-20.8, abs=2e-3)
    assert found.evidence["shift_y_mm"] == pytest.approx(0.0, abs=1e-3)
    assert found.evidence["turned_deg"] == 0
    # Too high for the sheet as it lies, but not turned by a quarter.
    tall = f"{HEAD}G0 X10. Y10.\nM3\nG4 P0.6\nG1 Y510. F2000\nX60.\nY10.\nM5\nM30\n"
    turned = next(f for f in prove_flat(tmp_path, tall).findings if f.code == "off-sheet")
    assert turned.evidence["turned_deg"] in (90, 270)
    larger = tall.replace("Y510.", "Y710.")
    assert "turned_deg" not in next(f for f in prove_flat(tmp_path, larger).findings if f.code == "off-sheet").evidence


def test_a_dry_trace_cuts_nothing_and_judges_only_the_fit(tmp_path: Path) -> None:
    job = SHEET_JOB + "\n[switches]\ndry_trace = true\n"
    text = f"{HEAD}{HOLE.replace('P0.6', 'P0.1').replace('M5', '')}M30\n"
    proof = prove_flat(tmp_path, text, job)
    assert [f.code for f in proof.findings if f.severity > Severity.NOTE] == []
    assert sheet_history(proof).final.volume() == sheet_history(proof).uncut.volume()
    off = prove_flat(tmp_path, text.replace("Y60.", "Y398.").replace("Y50.", "Y388."), job)
    assert "off-sheet" in {f.code for f in off.findings}


def test_a_profile_binds_its_own_words_and_a_height(tmp_path: Path) -> None:
    (tmp_path / "mine.toml").write_text(
        'format = 1\nkind = "sheet"\ntitle = "Mine"\nbase = "word-address-sheet"\n[cutter]\non = ["M17"]\noff = ["M18"]\nbelow_z = 0.0\n'
    )
    job = SHEET_JOB.replace('control = "word-address-sheet"', 'control = "mine.toml"')
    by_words = prove_flat(tmp_path, f"{HEAD}{HOLE.replace('M3', 'M17').replace('M5', 'M18')}M30\n", job)
    by_height = prove_flat(tmp_path, f"{HEAD}{HOLE.replace('M3', 'Z-1.').replace('M5', 'Z5.')}M30\n", job)
    usual = prove_flat(tmp_path, f"{HEAD}{HOLE}M30\n")
    for proof in (by_words, by_height):
        assert [f.code for f in proof.findings if f.severity > Severity.NOTE] == []
        assert sheet_history(proof).final.area == pytest.approx(sheet_history(usual).final.area)


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ("size = [600.0, 400.0, 4.0]", "size = [600.0, 400.0]", "size"), ("kerf = 1.6", "kerf = 0.0", "kerf"), ('kind = "torch"', 'kind = "saw"', "kind"),
        ("place = [0.0, 0.0]", 'outline = "none.dxf"\nthickness = 3.0', "outline"), ("feed = [1200, 2600]", "feed = [2600, 1200]", "feed"),
        ("G54 = { x = 50.0, y = 50.0 }", "G54 = { x = 50.0, y = 50.0, z = 1.0 }", "z"), ('material = "steel"', 'material = "steel"\n\n[proof]\ncell = 0.1', "cell"),
        ('control = "word-address-sheet"', 'control = "word-address-mill"', "control"),
    ],
)  # fmt: skip
def test_a_bad_entry_is_one_sentence_with_its_key(tmp_path: Path, old: str, new: str, words: str) -> None:
    from underglass.core.errors import BadEntry, UnusableFile
    from underglass.core.files.job import read_job_text

    assert old in SHEET_JOB
    with pytest.raises((BadEntry, UnusableFile)) as found:
        read_job_text(SHEET_JOB.replace(old, new), tmp_path / "bad.job.toml")
    assert words in str(found.value) and "\n" not in str(found.value)


def test_a_remnants_outline_comes_from_a_drawing(tmp_path: Path) -> None:
    import ezdxf

    drawing = ezdxf.new(units=4)
    space = drawing.modelspace()
    space.add_lwpolyline([(10, 10), (310, 10), (310, 210), (10, 210)], close=True)
    space.add_circle((100, 100), 30)
    drawing.saveas(tmp_path / "remnant.dxf")
    job = SHEET_JOB.replace(
        "size = [600.0, 400.0, 4.0]\nplace = [0.0, 0.0]",
        'outline = "remnant.dxf"\nthickness = 4.0\nplace = [-5.0, 0.0]',
    )
    proof = prove_flat(tmp_path, f"{HEAD}G0 X200. Y100.\nG0 X0. Y0.\nM30\n", job)
    sheet = sheet_history(proof).sheet
    assert sheet.bounds[:2] == (-5.0, 0.0)
    assert sheet.area == pytest.approx(300 * 200 - math.pi * 900.0, rel=1e-4)
    over = prove_flat(tmp_path, f"{HEAD}G0 X40. Y90.\nM3\nG4 P0.6\nG1 X120. F2000\nM5\nM30\n", job)
    assert "off-sheet" in {f.code for f in over.findings}


# -- punching --------------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("shape", "size", "area"),
    [
        ("round", (12.0,), math.pi * 36.0), ("square", (20.0,), 400.0), ("rectangle", (30.0, 8.0), 240.0),
        ("obround", (30.0, 8.0), 22.0 * 8.0 + math.pi * 16.0), ("hexagon", (14.0,), 14.0**2 * math.sqrt(3.0) / 2.0),
        ("single-D", (12.0, 9.0), math.pi * 36.0 - (36.0 * math.acos(0.5) - 3.0 * math.sqrt(27.0))),
    ],
)  # fmt: skip
def test_punches_are_as_large_as_their_closed_form(shape: str, size: tuple[float, ...], area: float) -> None:
    ring = shapely.Polygon(Punch(number=1, shape=shape, size=size).places())
    assert ring.is_valid and ring.exterior.is_ccw and ring.area == pytest.approx(area, rel=3e-4)


def test_scallops_and_the_pitch_that_is_wanted() -> None:
    """h = r - sqrt(r^2 - (q / 2)^2), and back."""
    for radius, pitch in ((6.0, 4.0), (10.0, 3.0), (2.5, 5.0)):
        high = scallop(radius, pitch)
        assert high == pytest.approx(radius - math.sqrt(radius**2 - (pitch / 2.0) ** 2))
        assert pitch_for(radius, high or 0.0) == pytest.approx(pitch)
    assert scallop(6.0, 12.1) is None


@pytest.mark.parametrize(
    ("block", "hits", "pitch"),
    [
        ("G170 X200. Y300. A0. L100. Q30.", 5, 25.0), ("G170 X200. Y300. A0. K5 Q30.", 5, 30.0), ("G171 X300. Y300. R40. K6", 6, 40.0),
        ("G175 X300. Y300. R40. A0. C360. Q10. B12.", 29, math.tau * 46.0 / 29), ("G175 X300. Y300. R40. A0. C90. Q10. B-12.", 7, math.pi / 2 * 34.0 / 6),
        ("G172 X200. Y200. I30. P4 J40. K3", 12, 30.0), ("G178 X300. Y200. I100. J60. Q5. B-12.", 56, 88.0 / 18),
    ],
)  # fmt: skip
def test_patterns_have_the_hits_that_the_formula_gives(tmp_path: Path, block: str, hits: int, pitch: float) -> None:
    """n = ceil(length / pitch - 1e-6) steps, hits n + 1, for a full turn n, along the line where the hits' centres lie; of a rectangle the longest."""
    proof = prove_flat(tmp_path, f"G21 G90 G54\nG0 X0. Y300.\nT12\n{block}\nG0 X0. Y400.\nM30\n", PUNCH_JOB)
    own = outputs_of(proof)
    assert own is not None
    row = own.report(proof)["rows"][0]
    assert row["hits"] == hits and row["pitch_mm"] == pytest.approx(pitch, abs=1e-3)
    assert own.report(proof)["hits"] == {"12": hits}
    assert not [f for f in proof.findings if f.severity > Severity.NOTE and f.code != "piece-free"]


def test_a_nibbled_circle_frees_its_disc_at_the_hit_that_closes_it(tmp_path: Path) -> None:
    proof = prove_flat(
        tmp_path,
        "G21 G90 G54\nG0 X0. Y300.\nT12\nG177 X500. Y250. R50. A0. C360. Q4. B-12.\nG0 X0. Y400.\nM30\n",
        PUNCH_JOB,
    )
    piece = sheet_history(proof).pieces[0]
    hits = np.flatnonzero(proof.motions.dwell > 0.0)
    # Twelve wide every 4 mm: the last two strike where the first has taken the metal already.
    assert hits[-4] < piece.move <= hits[-1]
    after = sheet_history(proof).bites[piece.bite + 1 :]
    assert len(sheet_history(proof).pieces) == 1 and len(after) == int((hits > piece.move).sum())
    # A disc of radius 50 - 12 with the scallops that the punch leaves on it.
    assert math.pi * 38.0**2 < piece.area < math.pi * 38.5**2


def test_clamps_know_where_they_are_after_repositioning(tmp_path: Path) -> None:
    head = "G21 G90 G54\nG0 X400. Y300.\nT12\n"
    job = PUNCH_JOB.replace("G54 = { x = 0.0, y = 0.0 }", "G54 = { x = 300.0, y = 0.0 }")
    before = prove_flat(tmp_path, f"{head}G0 X165. Y300.\nX165. Y20.\nM30\n", job)
    after = prove_flat(tmp_path, f"{head}G179 I250.\nG0 X165. Y300.\nX165. Y20.\nM30\n", job)
    moved_on = prove_flat(tmp_path, f"{head}G179 I250.\nG0 X415. Y300.\nX415. Y20.\nM30\n", job)
    assert [f.code for f in before.findings if f.severity == Severity.CRASH] == ["clamp-zone"]
    assert [f.code for f in after.findings if f.severity == Severity.CRASH] == []
    assert [f.code for f in moved_on.findings if f.severity == Severity.CRASH] == ["clamp-zone"]
    # The hit is where the program says, the machine stands so much farther back.
    assert sheet_history(after).bites[0].shape.centroid.x == pytest.approx(165.0)
    assert float(after.motions.end[-1, 0]) == pytest.approx(165.0 + 300.0 - 250.0)


def test_what_is_only_noted(tmp_path: Path) -> None:
    """A notch over the edge, and a pitch with which the press does not nibble."""
    head = "G21 G90 G54\nG0 X0. Y300.\nT3\n"
    thin = PUNCH_JOB.replace("500.0, 1.5]", "500.0, 0.8]")
    for block, code in (("X1000. Y300.", "hit-over-edge"), ("G176 X200. Y300. A0. L40. Q1.", "pitch-under-nibbling")):
        proof = prove_flat(tmp_path, f"{head}{block}\nG0 X0. Y400.\nM30\n", thin)
        found = [(f.code, f.line, f.severity) for f in proof.findings if f.severity >= Severity.NOTE]
        assert (code, 4, Severity.NOTE) in found and max(s for _c, _l, s in found) == Severity.NOTE


@settings(max_examples=20, deadline=None)
@given(
    st.lists(
        st.tuples(st.sampled_from([1, 3, 12, 20]), st.integers(5, 90), st.integers(5, 40), st.integers(0, 7), st.integers(2, 12)),
        min_size=1, max_size=5,
    )
)  # fmt: skip
def test_any_rows_of_hits_come_to_what_shapely_takes_away_at_once(rows: list[tuple[int, int, int, int, int]]) -> None:
    """Equal hits in a row are worked out once, and rows like the branches of a tree are taken to free nothing."""
    punches = {1: Punch(number=1, shape="round", size=(3.0,)), 3: Punch(number=3, shape="square", size=(20.0,)),
               12: Punch(number=12, shape="round", size=(12.0,)), 20: Punch(number=20, shape="obround", size=(30.0, 8.0))}  # fmt: skip
    sheet = shapely.box(0.0, 0.0, 600.0, 300.0)
    none = np.empty((0, 2))
    bites = []
    for number, x, y, way, count in rows:
        step = np.array([math.cos(way * math.pi / 4.0), math.sin(way * math.pi / 4.0)]) * (4.0 + way)
        for k in range(count):
            shape = shapely.Polygon(punches[number].places() + np.array([6.0 * x, 6.0 * y]) + k * step)
            bites.append(Bite(len(bites), len(bites), shape, none, 0.0, np.empty(0, dtype=np.int64)))
    history = cut_sheet(sheet, 1.0, bites, len(bites))
    whole = shapely.difference(sheet, shapely.union_all([b.shape for b in bites]))
    assert history.final.area == pytest.approx(whole.area, abs=1e-3)
    assert history.final.region.symmetric_difference(whole).area < 1e-3
    parts = sorted((p for p in shapely.get_parts(whole) if p.area > 1e-3), key=lambda p: p.area)
    for k, loose in enumerate(parts[:-1]):
        # Where round hits only just touch, it hangs at a point: loose or not is a matter of the last bit.
        if shapely.distance(loose, shapely.union_all([*parts[:k], *parts[k + 1 :]])) < 1e-9:
            continue
        assert any(shapely.contains(p.shape, shapely.point_on_surface(loose)) for p in history.pieces)


def test_nibbling_runs_on_and_hit_by_hit_waits(tmp_path: Path) -> None:
    """At 4 mm the shipped press nibbles at 685 hits a minute, and punches hit by hit at no more than 400."""
    head = "G21 G90 G54\nG0 X0. Y300.\nT12\n"
    nibbled = prove_flat(tmp_path, f"{head}G176 X200. Y300. A0. L400. Q4.\nM30\n", PUNCH_JOB)
    single = prove_flat(tmp_path, f"{head}G170 X200. Y300. A0. L400. Q4.\nM30\n", PUNCH_JOB)
    own = outputs_of(nibbled)
    assert own is not None
    fast, slow = (own.report(p)["rows"][0]["time_s"] for p in (nibbled, single))
    rate = np.interp(4.0, [1.5, 8.0], [800.0, 500.0])
    assert fast == pytest.approx(100 * 60.0 / rate, rel=0.02)
    assert slow >= 100 * 60.0 / 400.0 * 0.98


# -- cuts without an end -------------------------------------------------------------------------------------------------------

ROUND = "G41 G1 Y52. F1700\nG3 J8.\nG40 G1 Y60.\n"


def test_a_loop_over_the_same_hole_is_cut_once_round(tmp_path: Path) -> None:
    """The move to the next hole is forgotten and the cutter stays on: a thousand rounds over the same one."""
    head = "G21 G90 G40 G54\nG0 X50. Y60.\nM3\nG4 P0.6\n"
    proof = prove_flat(tmp_path, head + "#1=0\nWHILE [#1 LT 1000] DO 1\n#1=#1+1\n" + ROUND + "END 1\nM5\nM30\n")
    once = prove_flat(tmp_path, head + ROUND + "M5\nM30\n")
    many, one = sheet_history(proof).bites[0], sheet_history(once).bites[0]
    assert len(many.done) > 2_000 and len(many.way) < 2 * len(one.way) + 10
    assert shapely.symmetric_difference(many.shape, one.shape).area < 1e-6


def test_a_loop_that_wanders_off_is_held_so_far_and_told(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    if not os.environ.get("UNDERGLASS_DEEP"):
        for module in (sheet_cut, cutter_rules):
            monkeypatch.setattr(module, "MOST_PLACES", 20_000)
    text = "G21 G90 G40 G54\nG0 X50. Y60.\nM3\nG4 P0.6\nG91 F1700\n#1=0\nWHILE [#1 LT 1500] DO 1\n#1=#1+1\nG2 X0.001 Y0. I8. J0.\nEND 1\nM5\nM30\n"
    proof = prove_flat(tmp_path, text)
    assert "not-proved" in {f.code for f in proof.findings}
    assert len(sheet_history(proof).bites[0].way) <= sheet_cut.MOST_PLACES + 1_000


def test_part_of_a_round_again_and_then_elsewhere_leaves_no_short_cut(tmp_path: Path) -> None:
    """Long ways have each round but once; where the second round is left half way, the way goes on from there."""
    square = "Y100.\nX100.\nY50.\nX50.\n"
    text = (
        "G21 G90 G40 G54 F2000\nG0 X50. Y50.\nM3\nG4 P0.6\nG1\n" + square * 60 + "Y100.\nX100.\nX150. Y120.\nM5\nM30\n"
    )
    bite = sheet_history(prove_flat(tmp_path, text)).bites[0]
    line = shapely.LineString([(50, 50), (50, 100), (100, 100), (100, 50), (50, 50), (50, 100), (100, 100), (150, 120)])
    assert shapely.symmetric_difference(shapely.LineString(bite.way).buffer(0.8), line.buffer(0.8)).area < 1e-6
    assert len(bite.way) < 20 and bite.done[-1] == len(bite.way) - 1


def test_a_kerf_in_parts_is_the_kerf() -> None:
    t = np.linspace(0.0, 60.0, 6000)
    way = np.column_stack([(20.0 + t) * np.cos(t), (20.0 + t) * np.sin(t)])
    whole = shapely.buffer(shapely.LineString(way), 0.2, quad_segs=16)
    assert shapely.symmetric_difference(kerf(way, 0.4), whole).area < 1e-3 * whole.area


# -- the rest of a nest --------------------------------------------------------------------------------------------------------

NEST = """\
G21 G90 G40 G54
#1=0
WHILE [#1 LT 3] DO 1
G52 X[20.+#1*110.5] Y20.
M98 P7
G52 X[20.+#1*110.5] Y90.
M98 P7
G52 X0. Y0.
#1=#1+1
END 1
G0 X0. Y0.
M30
O7
G90 G0 X30. Y30.
M3
G4 P0.6
G41 G1 Y22. F1700
G3 J8.
G40 G1 Y30.
M5
M99
"""


@pytest.mark.parametrize("contour", range(1, 7))
def test_the_rest_from_any_contour_makes_the_moves_that_were_left(tmp_path: Path, contour: int) -> None:
    proof = prove_flat(tmp_path, NEST)
    rest = rest_from(proof, contour)
    assert (rest.of, rest.why) == (6, "") and not any("#" in line or "M98" in line for line in rest.lines)
    again = prove_flat(tmp_path, "\n".join(rest.lines) + "\n")
    left = [b.shape for b in sheet_history(proof).bites[contour - 1 :]]
    made = [b.shape for b in sheet_history(again).bites]
    assert len(made) == len(left)
    assert all(shapely.symmetric_difference(a, b).area < 1e-2 for a, b in zip(left, made))


def test_a_rest_that_is_not_there_is_said(tmp_path: Path) -> None:
    proof = prove_flat(tmp_path, NEST)
    with pytest.raises(ValueError, match="there are 6 contours, and no 7"):
        rest_from(proof, 7)


# -- hits without an end -------------------------------------------------------------------------------------------------------


def hits_in_a_loop(folder: Path, body: str, rounds: int = 1500) -> Proof:
    head = "G21 G90 G54 G0 X0. Y300.\nT12\nG0 X200. Y200.\n#1=0\n"
    return prove_flat(
        folder, head + f"WHILE [#1 LT {rounds}] DO 1\n#1=#1+1\n{body}END 1\nG0 X0. Y400.\nM30\n", PUNCH_JOB
    )


def test_the_same_hit_again_and_again_is_one_bite_and_told(tmp_path: Path) -> None:
    proof = hits_in_a_loop(tmp_path, "X200. Y200.\n")
    assert [(f.code, f.line) for f in proof.findings] == [("hit-on-nothing", 7)]
    assert len(sheet_history(proof).bites) == 1


def test_hits_that_creep_over_one_another_are_held_so_far_and_told(tmp_path: Path) -> None:
    proof = hits_in_a_loop(tmp_path, "G91 X0.001\nG90\n")
    history = sheet_history(proof)
    assert "not-proved" in {f.code for f in proof.findings} and 300 < len(history.bites) < 1500
    assert history.left_out == proof.findings[0].move > history.bites[-1].last


def test_a_start_after_a_shift_and_a_compensated_contour_can_be_made(tmp_path: Path) -> None:
    """G52 and D were not sent: nothing was offered from the first contour on."""
    text = (
        NEST.replace("#1=0\nWHILE [#1 LT 3] DO 1\n", "")
        .replace("#1=#1+1\nEND 1\n", "")
        .replace("[20.+#1*110.5]", "20.")
    )
    proof = prove_flat(tmp_path, text)
    line = text.splitlines().index("M98 P7") + 3
    assert text.splitlines()[line - 1] == "M98 P7"
    start = restart(proof, line)
    assert start.instead is None and "G52 X20. Y90." in start.blocks and "D1" in start.blocks
    assert "the local shift of G52" in {need.what for need in start.missing}
