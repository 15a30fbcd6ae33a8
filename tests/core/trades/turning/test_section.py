"""The half section against closed forms and independent judges: Pappus, shapely's buffer, manifold3d, ISO 286."""

from __future__ import annotations

import math
from pathlib import Path

import manifold3d
import numpy as np
import pytest
import shapely
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.core.trades.turning.lathe import LATHE_JOB, START, prove_turning

from underglass.core.bench.lathe import INSERT_ANGLES, LatheTool
from underglass.core.proof.proof import Proof
from underglass.core.removal.section.history import SectionHistory, cut_section
from underglass.core.removal.section.revolve import turned
from underglass.core.removal.section.shape import convex_parts, folded, swept, volume
from underglass.core.removal.section.ways import SectionTool, make_ways

END = "G0 X200. Z100. M5\nM30\n"


def history(proof: Proof) -> SectionHistory:
    found = proof.histories[0]
    assert isinstance(found, SectionHistory)
    return found


def test_a_cylinder_by_pappus(tmp_path: Path) -> None:
    """pi (R^2 - r^2) L of what a plain pass takes; the nose leaves a fillet of (1 - pi/4) RE^2 at the shoulder."""
    proof = prove_turning(tmp_path, START + "G0 X36. Z3.\nG1 Z-20. F0.2\nX41.\n" + END)
    taken = float(history(proof).removed.sum())
    fillet = (1.0 - math.pi / 4.0) * 0.8**2
    # The fillet's centroid stands 0.2234 r from the sharp corner (any handbook's spandrel), here above radius 18.
    ring = 2.0 * math.pi * (18.0 + 0.2234 * 0.8) * fillet
    plain = math.pi * (20.0**2 - 18.0**2) * 21.0
    # The side of the insert leans by 5 degrees: a little is taken behind the shoulder as well.
    lean = plain - ring
    assert taken == pytest.approx(lean, rel=2e-4)


@pytest.mark.parametrize(
    ("z", "outer", "inner"), [(-5.0, 36.0, 0.0), (-19.0, 36.0, 0.0), (-30.0, 40.0, 0.0), (-20.0, 40.0, 0.0)]
)
def test_diameters_are_exact_and_a_wall_counts_by_its_chuck_side(
    tmp_path: Path, z: float, outer: float, inner: float
) -> None:
    proof = prove_turning(tmp_path, START + "G0 X36. Z3.\nG1 Z-20. F0.2\nX41.\n" + END)
    rings = history(proof).final.rings_at(z)
    assert rings == [pytest.approx((outer, inner), abs=2e-6)]


def test_13_h7_is_judged_rightly(tmp_path: Path) -> None:
    """ISO 286: 13 H7 is 0 to +0.018 (from memory)."""
    text = (
        "G21 G40 G97 G99 G54\nG50 S2500\nT0404\nG97 S1200 M3\nG0 X0. Z5.\nG1 Z-30. F0.15\nG0 Z100.\nT0505\nG97 S2000 M3\nG0 X{0} Z2.\nG1 Z-20. F0.05\nX11.\nG0 Z5.\n"
        + END
    )
    for diameter, good in ((12.999, False), (13.0, True), (13.009, True), (13.018, True), (13.019, False)):
        proof = prove_turning(tmp_path, text.format(f"{diameter:.3f}"))
        bore = history(proof).final.rings_at(-10.0)[0][1]
        assert bore == pytest.approx(diameter, abs=1e-6)
        assert (-1e-6 <= bore - 13.0 <= 0.018 + 1e-6) == good


def test_tip_radius_without_compensation_on_a_cone(tmp_path: Path) -> None:
    """On a cone rising towards the chuck the surface stands RE (cos a + sin a - 1) off, square to it (common practice, no source)."""
    angle = math.radians(20.0)
    long = 20.0
    rise = long * math.tan(angle)
    x0 = 20.0
    text = START + f"G0 X{x0} Z0.\nG1 Z0.001 F0.1\nX{x0 + 2 * rise:.5f} Z{-long:.5f}\nX41.\n" + END
    proof = prove_turning(tmp_path, text)
    z = -8.0
    met = history(proof).final.rings_at(z)[0][0] / 2.0
    wanted = (x0 / 2.0 - z * math.tan(angle)) + 0.8 * (math.cos(angle) + math.sin(angle) - 1.0) / math.cos(angle)
    assert met == pytest.approx(wanted, abs=1e-3)


@pytest.mark.parametrize("degrees", [10.0, 30.0, 45.0])
def test_compensation_puts_the_cone_where_it_is_written(tmp_path: Path, degrees: float) -> None:
    angle = math.radians(degrees)
    long = 12.0
    rise = long * math.tan(angle)
    x0 = 12.0
    text = (
        START
        + f"G0 G42 X{x0 - 2.0} Z2.\nG1 X{x0} Z0. F0.1\nX{x0 + 2 * rise:.5f} Z{-long:.5f}\nX44.\nG0 G40 X46.\n"
        + END
    )
    proof = prove_turning(tmp_path, text)
    for z in (-3.0, -6.0, -9.0):
        met = history(proof).final.rings_at(z)[0][0] / 2.0
        assert met == pytest.approx(x0 / 2.0 - z * math.tan(angle), abs=5e-4)


@pytest.mark.parametrize("word", ["G2", "G3"])
def test_a_compensated_arc_is_that_of_an_exact_offset(tmp_path: Path, word: str) -> None:
    """The nose's way is the contour's offset by RE: what is left is the contour itself, by shapely's buffer as judge."""
    body = "G1 Z-10. F0.1\n" + (f"{word} X30. Z-15. R5.\n")
    text = START + "G0 G42 X20. Z3.\nG1 X20. Z2. F0.2\n" + body + "G1 X42.\nG0 G40 X46.\n" + END
    proof = prove_turning(tmp_path, text)
    centre = (15.0, -10.0) if word == "G2" else (10.0, -15.0)
    final = history(proof).final
    for z in (-11.0, -12.5, -14.0):
        dz = z - centre[1]
        x = centre[0] - math.sqrt(25.0 - dz**2) if word == "G2" else centre[0] + math.sqrt(25.0 - dz**2)
        assert final.rings_at(z)[0][0] / 2.0 == pytest.approx(x, abs=1e-3)


def test_the_solid_has_the_volume_of_the_section(tmp_path: Path) -> None:
    """Against an independent solid: manifold3d takes the mesh as closed, and trimesh measures the same."""
    text = (
        START
        + "G0 X30. Z3.\nG1 Z-20. F0.2\nX41.\nG0 X200. Z100.\nT0404\nG97 S1000 M3\nG0 X0. Z5.\nG1 Z-30. F0.1\nG0 Z5.\n"
        + END
    )
    proof = prove_turning(tmp_path, text)
    shape = history(proof).final.shape
    vertices, faces = turned(shape, 720)
    solid = trimesh.Trimesh(vertices, faces)
    assert solid.is_watertight
    mesh = manifold3d.Mesh(np.asarray(solid.vertices, dtype=np.float32), np.asarray(solid.faces, dtype=np.uint32))
    made = manifold3d.Manifold(mesh)
    # A 720-gon has sin(x) / x of the circle's area, x a half degree.
    share = math.sin(math.tau / 720) / (math.tau / 720)
    assert made.volume() == pytest.approx(volume(shape) * share, rel=1e-4)
    assert solid.volume == pytest.approx(volume(shape) * share, rel=1e-6)


CORNERS = st.floats(-5.0, 5.0, allow_nan=False)


@given(
    st.lists(st.tuples(CORNERS, CORNERS), min_size=3, max_size=9),
    st.tuples(CORNERS, CORNERS),
    st.tuples(CORNERS, CORNERS),
)
def test_what_a_convex_outline_sweeps_is_the_hull_of_both_ends(
    places: list[tuple[float, float]], a: tuple[float, float], b: tuple[float, float]
) -> None:
    hull = shapely.convex_hull(shapely.MultiPoint(places))
    if hull.geom_type != "Polygon" or hull.area < 1e-3:
        return
    part = shapely.get_coordinates(hull)[:-1]
    found = swept([part], np.array([a]), np.array([b]))[0]
    judge = shapely.convex_hull(shapely.MultiPoint(np.vstack([part + a, part + b])))
    assert shapely.symmetric_difference(shapely.make_valid(found), judge).area <= 1e-9 + 1e-9 * judge.area


@given(st.integers(0, 10**6))
def test_any_run_leaves_what_taking_away_piece_by_piece_leaves(seed: int) -> None:
    """Bands, envelopes and versions against one plain difference after another; and volumes that add up."""
    random = np.random.default_rng(seed)
    bar = shapely.box(0.0, -30.0, 12.0, 0.0)
    nose = shapely.get_coordinates(shapely.Point(0.0, 0.0).buffer(1.2, 6))[:-1] + (1.2, 1.2)
    tool = SectionTool.of(nose, None, (1.2, 1.2), 1.2, (1.0, 1.0))
    n = 12
    places = np.column_stack([random.uniform(6.0, 16.0, n + 1), random.uniform(-25.0, 6.0, n + 1)])
    ways = make_ways(
        places[:-1], places[1:], np.full((n, 2), np.nan), np.zeros(n), np.zeros(n), np.zeros(n, dtype=np.int32), np.zeros(n + 1)
    )  # fmt: skip
    made = cut_section(bar, ways, (tool,), np.zeros(n, dtype=np.bool_))
    judge = bar
    for shape in swept(list(tool.edge), places[:-1], places[1:]):
        judge = shapely.difference(judge, folded(shape))
        parts = shapely.get_parts(judge)
        # What no longer hangs together with the end in the chuck falls off.
        judge = parts[int(np.argmin(shapely.bounds(parts)[:, 1]))]
    assert shapely.symmetric_difference(made.final.shape, judge).area < 1e-5
    fallen = sum(p.volume for p in made.pieces)
    assert made.uncut.volume() - made.final.volume() == pytest.approx(float(made.removed.sum()) + fallen, abs=1e-2)
    # Any moment is what a shorter run leaves.
    k = int(random.integers(0, n))
    part = cut_section(
        bar,
        make_ways(places[:k], places[1 : k + 1], np.full((k, 2), np.nan), np.zeros(k), np.zeros(k), np.zeros(k, dtype=np.int32), np.zeros(k + 1)),
        (tool,), np.zeros(max(k, 1), dtype=np.bool_),
    ) if k else None  # fmt: skip
    then = made.at(k - 1, 1.0).shape if k else made.uncut.shape
    assert shapely.symmetric_difference(then, part.final.shape if part is not None else bar).area < 1e-5


@pytest.mark.parametrize("letter", [x for x in INSERT_ANGLES if x != "R"])
@pytest.mark.parametrize("orientation", [1, 2, 3, 4])
def test_an_inserts_outline_touches_the_lines_through_its_tip(letter: str, orientation: int) -> None:
    """The imaginary tip is where the tangents square to X and Z meet; the corner angle is ISO 1832's (from memory)."""
    kapr = {"C": 95.0, "D": 93.0, "V": 100.0, "T": 91.0, "S": 75.0, "W": 95.0}[letter]
    tool = LatheTool(
        number=1, kind="turning", gauge=(60.0, 60.0), insert=letter, RE=0.8, L=10.0, KAPR=math.radians(kapr), orientation=orientation
    )  # fmt: skip
    outline = tool.cutting()
    x, z = outline[:, 0], outline[:, 1]
    near = [x.min() if orientation in (3, 4) else x.max(), z.min() if orientation in (2, 3) else z.max()]
    if letter != "S":
        assert near == pytest.approx([0.0, 0.0], abs=1e-6)
    one, two = (np.array(w) for w in tool.edge_ways)
    assert math.degrees(math.acos(float(one @ two))) == pytest.approx(INSERT_ANGLES[letter])
    assert sum(shapely.Polygon(p).area for p in convex_parts(outline)) == pytest.approx(shapely.Polygon(outline).area)


def test_a_changed_program_comes_to_the_same_as_a_whole_run(tmp_path: Path) -> None:
    body = [f"G0 X{38 - k} Z2.\nG1 Z{-5 - k}. F0.2\nX41.\n" for k in range(6)]
    first = prove_turning(tmp_path, START + "".join(body) + END)
    body[4] = "G0 X33.5 Z2.\nG1 Z-11. F0.2\nX41.\n"
    text = START + "".join(body) + END
    again, whole = prove_turning(tmp_path, text, LATHE_JOB, first), prove_turning(tmp_path, text)
    assert again.findings == whole.findings
    assert shapely.symmetric_difference(history(again).final.shape, history(whole).final.shape).area < 1e-9
    assert np.allclose(history(again).removed, history(whole).removed)


@settings(max_examples=25)
@given(x=st.floats(44.0, 180.0), to=st.floats(0.0, 36.0))
def test_a_crash_has_the_moment_of_its_first_contact(
    tmp_path_factory: pytest.TempPathFactory, x: float, to: float
) -> None:
    """A rapid straight at the bar meets it at the bar's own diameter, but for what a round nose has in common at 0.001 mm2."""
    proof = prove_turning(tmp_path_factory.mktemp("meets"), START + f"G0 X{x:.3f} Z-20.\nX{to:.3f}\nX200.\n" + END)
    crash = next(f for f in proof.findings if f.code == "rapid-into-stock")
    x, to = round(x, 3), round(to, 3)
    share = (x - 40.0) / (x - to)
    begin, took = float(proof.timing.start[crash.move]), float(proof.timing.duration[crash.move])
    assert crash.time_s == pytest.approx(begin + share * took, abs=(0.02 / (x - to) + 1e-4) * took)
