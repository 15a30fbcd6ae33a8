"""Radius compensation against an independent offset (shapely's buffers), and what it complains about."""

from __future__ import annotations

import cmath
import math
from dataclasses import replace

import numpy as np
import pytest
import shapely
import shapely.affinity
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from tests.conftest import MillControl as Control
from tests.core.control.test_interpret import PROFILES, WORK, codes, ends
from underglass.core.control.motions import Kind, Motions
from underglass.core.control.run import Run
from underglass.core.control.state import Registers
from underglass.core.files.profiles import read_control, read_machine

CONTROL = read_control(PROFILES / "control" / "word-address-mill.toml")
MACHINE = read_machine(PROFILES / "machine" / "mill-3axis.toml")


def run(text: str, radius: float = 5.0, **changes: object) -> Run:
    profile = replace(CONTROL, **changes)  # type: ignore[arg-type]
    control = Control(profile, MACHINE, Registers(work=WORK, length={}, radius={1: radius}))
    return control.run(text.splitlines())


def traced(motions: Motions, first: int, last: int) -> np.ndarray:
    """The centre's way in work coordinates as points, arcs in fine chords."""
    places = [motions.state_of(first).work(motions.at(first, 0.0))[:2]]
    for k in range(first, last + 1):
        steps = 1 if motions.sweep[k] == 0.0 else max(2, int(abs(motions.sweep[k]) / 0.02))
        places += [motions.state_of(k).work(motions.at(k, (s + 1) / steps))[:2] for s in range(steps)]
    return np.array(places)


def around(points: list[tuple[float, float]], word: str) -> tuple[str, list[int]]:
    """A program around a closed contour that begins and ends in the middle of its last side, and the contour's lines."""
    a, b = np.array(points[-1]), np.array(points[0])
    middle = (a + b) / 2
    way = (b - a) / np.linalg.norm(b - a)
    # Compensation left of the way approaches from the left.
    off = np.array([-way[1], way[0]]) * (25.0 if word == "G41" else -25.0)
    start = middle + off
    lines = ["F500 G0 Z0", f"G0 X{start[0]:.6f} Y{start[1]:.6f}", f"G1 {word} D1 X{middle[0]:.6f} Y{middle[1]:.6f}"]
    first = len(lines) + 1
    for x, y in points:
        lines.append(f"G1 X{x:.6f} Y{y:.6f}")
    lines.append(f"G1 X{middle[0]:.6f} Y{middle[1]:.6f}")
    last = len(lines)
    lines += [f"G1 G40 X{start[0]:.6f} Y{start[1]:.6f}", "M30"]
    return "\n".join(lines), [first, last]


def compensated(points: list[tuple[float, float]], word: str, radius: float) -> tuple[Run, shapely.LineString]:
    text, (first, last) = around(points, word)
    done = run(text, radius)
    mine = np.flatnonzero((done.motions.line >= first) & (done.motions.line <= last))
    return done, shapely.LineString(traced(done.motions, int(mine[0]), int(mine[-1])))


SQUARE = [(0.0, 0.0), (60.0, 0.0), (60.0, 40.0), (0.0, 40.0)]
ELL = [(0.0, 0.0), (80.0, 0.0), (80.0, 30.0), (40.0, 30.0), (40.0, 70.0), (0.0, 70.0)]
ARROW = [(0.0, 0.0), (50.0, 20.0), (100.0, 0.0), (60.0, 60.0), (50.0, 35.0), (30.0, 70.0)]
SHAPES = {"square": SQUARE, "ell": ELL, "arrow": ARROW, "triangle": [(0.0, 0.0), (90.0, 10.0), (30.0, 60.0)]}


@pytest.mark.parametrize("word", ["G41", "G42"])
@pytest.mark.parametrize("name", list(SHAPES))
@pytest.mark.parametrize("radius", [0.0, 2.0, 5.0])
def test_contours_against_shapely(name: str, word: str, radius: float) -> None:
    points = SHAPES[name]  # counter-clockwise: left is inside
    done, path = compensated(points, word, radius)
    assert codes(done) == []
    region = shapely.Polygon(points)
    expected = region.buffer(-radius if word == "G41" else radius, quad_segs=120).exterior
    assert path.hausdorff_distance(expected) < 2e-3
    assert path.length == pytest.approx(expected.length, abs=0.02)


@settings(max_examples=150, deadline=None)
@given(
    st.lists(st.floats(35, 90), min_size=4, max_size=9),
    st.floats(0, 6),
    st.floats(0.5, 4),
    st.sampled_from(["G41", "G42"]),
    st.booleans(),
)
def test_random_contours_against_shapely(
    far: list[float], turn: float, radius: float, word: str, clockwise: bool
) -> None:
    n = len(far)
    points = [(r * math.cos(turn + math.tau * k / n), r * math.sin(turn + math.tau * k / n)) for k, r in enumerate(far)]
    region = shapely.Polygon(points)
    if clockwise:
        points.reverse()
    inside = (word == "G41") != clockwise
    expected = region.buffer(-radius if inside else radius, quad_segs=100)
    # Corners that the cutter cannot enter, and sides that vanish, are alarms; they are tested by themselves.
    assume(expected.geom_type == "Polygon" and not expected.interiors)
    sides = [math.dist(points[k - 1], points[k]) for k in range(n)]
    assume(min(sides) > 12 * radius)
    done, path = compensated(points, word, radius)
    assert codes(done) == []
    assert path.hausdorff_distance(expected.exterior) < 5e-3


def test_a_slot_with_round_ends_outside_and_inside() -> None:
    """Tangent arcs: the offset of a slot is a slot, radius larger or smaller by the cutter's."""
    text = "F500 G0 Z0\nG0 X30. Y{start}\nG1 {word} D1 X30. Y0\nX60.\nG3 X60. Y20. I0 J10.\nG1 X0\nG3 X0 Y0 I0 J-10.\nG1 X30.\nG40 Y{start}\nM30"
    slot = shapely.LineString([(0, 10), (60, 10)]).buffer(10, quad_segs=120)
    for word, start, way in (("G42", -25, 4.0), ("G41", 10, -4.0)):
        done = run(text.format(word=word, start=start), 4.0)
        assert codes(done) == []
        path = shapely.LineString(traced(done.motions, 3, 7))
        assert path.hausdorff_distance(slot.buffer(way, quad_segs=120).exterior) < 3e-3
        radii = done.motions.radius()
        assert sorted({round(float(r), 6) for r in radii if r > 0}) == [10.0 + way]


@settings(max_examples=200, deadline=None)
@given(st.floats(0.05, 0.5), st.floats(0.0, 360.0), st.floats(0.5, 12.0), st.booleans())
def test_corners_broken_by_a_hair_and_rounded_to_three_places(
    corner: float, turned: float, radius: float, clockwise: bool
) -> None:
    """An arc of a tenth, its figures rounded, does not quite run into the line behind it: no corner that a cutter must fit into."""
    turn = math.radians(turned)
    places = []
    for k, (x, y) in enumerate([(40, -24), (40, 24), (-40, 24), (-40, -24)]):
        middle = complex(math.copysign(abs(x) - corner, x), math.copysign(abs(y) - corner, y))
        # Counter-clockwise the arc begins square to the side that comes, and ends a quarter further.
        begin = middle + corner * 1j ** (k - 1)
        places.append((begin, middle + corner * 1j**k, middle))
    if clockwise:
        places = [(end, begin, middle) for begin, end, middle in reversed(places)]
    lines = []
    for triple in places:
        begin, end, middle = (
            complex(round(p.real, 3), round(p.imag, 3)) for p in (p * cmath.exp(1j * turn) for p in triple)
        )
        off = middle - begin
        lines.append(f"G1 X{begin.real:.3f} Y{begin.imag:.3f}")
        lines.append(f"{'G2' if clockwise else 'G3'} X{end.real:.3f} Y{end.imag:.3f} I{off.real:.3f} J{off.imag:.3f}")
    # From the middle of the side that comes first, and back there.
    on = (places[-1][1] + places[0][0]) / 2 * cmath.exp(1j * turn)
    start = on * (1.0 + 25.0 / abs(on))
    word = "G41" if clockwise else "G42"
    text = [
        "F500 G0 Z0",
        f"G0 X{start.real:.3f} Y{start.imag:.3f}",
        f"G1 {word} D1 X{on.real:.3f} Y{on.imag:.3f}",
        *lines,
    ]
    text += [f"G1 X{on.real:.3f} Y{on.imag:.3f}", f"G1 G40 X{start.real:.3f} Y{start.imag:.3f}", "M30"]
    done = run("\n".join(text), radius)
    assert codes(done) == []
    mine = np.flatnonzero((done.motions.line >= 4) & (done.motions.line <= 12))
    path = shapely.LineString(traced(done.motions, int(mine[0]), int(mine[-1])))
    part = shapely.affinity.rotate(
        shapely.box(-40 + corner, -24 + corner, 40 - corner, 24 - corner), turned, origin=(0, 0)
    )
    assert path.hausdorff_distance(part.buffer(corner + radius, quad_segs=100).exterior) < 0.02


def test_full_circle_inside_and_outside() -> None:
    text = "F500 G0 Z0\nG0 X0 Y0\nG1 {word} D1 X{x} Y0\nG3 X{x} Y0 I-20. J0\nG1 G40 X0 Y0\nM30"
    done = run(text.format(word="G41", x="20."), 5.0)
    assert codes(done) == []
    assert done.motions.radius().max() == pytest.approx(15.0)
    assert abs(done.motions.sweep).max() == pytest.approx(math.tau)


def test_arc_meets_line_at_an_inside_corner() -> None:
    """A half disc from the inside: the crossing of a line and a circle, checked against shapely."""
    text = "F500 G0 Z0\nG0 X0 Y10.\nG1 G41 D1 X0 Y0\nX30.\nG3 X-30. Y0 I-30. J0\nG1 X0\nG40 Y10.\nM30"
    done = run(text, 5.0)
    assert codes(done) == []
    half = shapely.Point(0, 0).buffer(30, quad_segs=800).intersection(shapely.box(-40, 0, 40, 40))
    path = shapely.LineString(traced(done.motions, 3, 5))
    assert path.hausdorff_distance(half.buffer(-5, quad_segs=120, join_style="mitre").exterior) < 5e-3


def test_two_arcs_meet_at_an_inside_corner() -> None:
    """A lens from the inside: the crossing of two circles."""
    text = "F500 G0 Z0\nG0 X0 Y0\nG1 G41 D1 X0 Y-10.\nG3 X30. Y0 I0 J50.\nG3 X-30. Y0 I-30. J-40.\nG3 X0 Y-10. I30. J40.\nG1 G40 X0 Y0\nM30"
    done = run(text, 3.0)
    assert codes(done) == []
    lens = shapely.Point(0, 40).buffer(50, quad_segs=900).intersection(shapely.Point(0, -40).buffer(50, quad_segs=900))
    path = shapely.LineString(traced(done.motions, 3, 5))
    assert path.hausdorff_distance(lens.buffer(-3, quad_segs=120).exterior) < 6e-3


def test_an_inside_corner_keeps_the_cutters_fillet() -> None:
    """Common practice, no source: a half-inch cutter leaves a quarter-inch fillet in an inside corner."""
    done, path = compensated(SQUARE, "G41", 6.35)
    region = shapely.Polygon(SQUARE)
    left = region.difference(shapely.Polygon(path.coords).buffer(6.35, quad_segs=120))
    assert codes(done) == []
    assert left.area == pytest.approx(4 * (6.35**2 - math.pi * 6.35**2 / 4), rel=1e-3)


def test_entry_and_exit_stand_square_beside_the_contour() -> None:
    done = run("F500 G0 Z0\nG0 X-20. Y-20.\nG1 G41 D1 X0 Y-10.\nY50.\nG40 X-20.\nM30", 5.0)
    assert ends(done)[2] == pytest.approx((-5.0, -10.0, 0.0))
    assert ends(done)[3] == pytest.approx((-5.0, 50.0, 0.0))
    assert ends(done)[4] == pytest.approx((-20.0, 50.0, 0.0))
    comps = [done.motions.state_of(k).comp for k in range(len(done.motions))]
    assert comps == ["off", "off", "left", "left", "off"]


def test_outside_corners_by_profile() -> None:
    text = "F500 G0 Z0\nG0 X-20. Y-20.\nG1 G41 D1 X0 Y-10.\nY50.\nX50.\nG40 Y70.\nM30"
    rolled = run(text, 5.0)
    assert Kind.ARC_CW in rolled.motions.kind
    sharp = run(text, 5.0, corner="extended")
    assert Kind.ARC_CW not in sharp.motions.kind
    assert ends(sharp)[3] == pytest.approx((-5.0, 55.0, 0.0))


def test_heights_between_contour_moves_happen_beside_it() -> None:
    done = run("F500 G0 Z0\nG0 X-20. Y-20.\nG1 G41 D1 X0 Y-10.\nY20.\nZ-3.\nY50.\nG40 X-20.\nM30", 5.0)
    assert codes(done) == []
    assert next(e for e in ends(done) if e[2] == -3.0) == pytest.approx((-5.0, 20.0, -3.0))
    assert done.motions.line.tolist() == [1, 2, 3, 4, 5, 6, 7]


def test_mirrored_sides_swap() -> None:
    done = run("F500 G0 Z0\nG0 X20. Y-20.\nG51.1 X0\nG1 G41 D1 X0 Y-10.\nY50.\nG40 X-20.\nG50.1\nM30", 5.0)
    # Programmed left of the way up is X minus; mirrored it is X plus.
    assert (5.0, 50.0, 0.0) in [pytest.approx(e) for e in ends(done)]


def test_a_diameter_register_counts_half(tmp_path) -> None:  # type: ignore[no-untyped-def]
    from tests.conftest import PLAIN_JOB, write_job
    from underglass.core.files.job import read_job

    profile = (PROFILES / "control" / "word-address-mill.toml").read_text().replace('d = "radius"  ', 'd = "diameter"')
    (tmp_path / "mine.toml").write_text(profile)
    text = PLAIN_JOB.replace("format = 1", 'format = 1\ncontrol = "mine.toml"') + "[registers.radius]\nD1 = 9.8\n"
    assert read_job(write_job(tmp_path, "M30\n", text)).registers.radius == {1: pytest.approx(4.9), 2: 4.0}


@pytest.mark.parametrize(
    ("text", "code", "line", "says"),
    [
        ("G1 G41 D1 X0 Y3.\nY50.\nX60.\nG40 X90.\nM30", "comp-entry-short", 3, "shorter than the radius"),
        ("G41 D1\nG3 X20. Y0 I10. J0\nG1 X60.\nG40 X90.\nM30", "comp-entry-short", 4, "straight move"),
        ("G1 G41 D1 X20. Y0\nX40.\nG3 X44. Y0 I2. J0\nG1 X60.\nG40 Y30.\nM30", "comp-inside-corner", 5, "inside arc"),
        ("G1 G41 D1 X20. Y0\nX40.\nX42. Y2.\nX41. Y60.\nG40 X60.\nM30", "comp-inside-corner", 5, "too short"),
        ("G1 G41 X20. Y0\nX40.\nG40 Y30.\nM30", "comp-register-missing", 3, "no D"),
        ("G1 G41 D1 X20. Y0\nX40.\nX60.\nM30", "comp-left-on", 6, "program's end"),
        ("G1 G41 D1 X20. Y0\nX40.\nX60.\nT2 M6\nM30", "comp-left-on", 6, "tool change"),
        ("G1 G41 D1 X20. Y0\nX40.\nG53 G0 Z0\nM30", "comp-left-on", 5, "G53"),
        ("G1 G41 D1 X20. Y0\nX40.\nG91 G28 Z0\nM30", "comp-left-on", 5, "G28"),
        ("G1 G41 D1 X20. Y0\nX40.\nG18\nG40 X60.\nM30", "comp-plane-change", 5, "changes the plane"),
        ("G1 G41 D1 X20. Y0\nX40.\nZ-1.\nZ-2.\nZ-3.\nX60.\nG40 Y40.\nM30", "comp-lookahead", 7, "3 blocks"),
    ],
)
def test_alarms(text: str, code: str, line: int, says: str) -> None:
    done = run("F500 G0 Z0\nG0 X0 Y0\n" + text, 5.0)
    assert (code, line) in [(f.code, f.line) for f in done.findings], done.findings
    assert all(f.code in (code, "comp-inside-corner") for f in done.findings)
    assert says in next(f for f in done.findings if f.code == code).message


@pytest.mark.parametrize("between", ["(a comment)", "Z-1.", "M8", "Z-1.\nZ-2."])
def test_a_few_blocks_between_are_normal(between: str) -> None:
    assert codes(run(f"F500 G0 Z0\nG0 X0 Y0\nG1 G41 D1 X20. Y0\nX40.\n{between}\nX60.\nG40 Y40.\nM30", 5.0)) == []


def test_without_d_the_tools_own_number_by_profile() -> None:
    text = "T1 M6\nF500 G0 Z0\nG0 X0 Y0\nG1 G41 X20. Y0\nX40.\nG40 Y40.\nM30"
    done = run(text, 5.0, d_default="tool")
    assert "comp-register-missing" not in codes(done)
    assert done.motions.radii_used[0].number == 1  # type: ignore[attr-defined]


WORDS = st.sampled_from(
    ["G41 D1", "G42 D1", "G40", "G1 X10.", "G1 X10. Y20.", "G1 X-5. Y3.", "G2 X20. Y0 I5. J0", "G3 X0 Y0 R9.", "G0 Z5.", "Z-1.", "G18", "G17",
     "M0", "G4 P1", "T1 M6", "G28 Z0", "G53 G0 Z0", "G68 R30.", "G69", "G81 X1. Z-1. R1.", "G80", "M30", "G91", "G90", "X3.", "Y4."]
)  # fmt: skip


@settings(max_examples=120, deadline=None)
@given(st.lists(WORDS, max_size=20), st.floats(-3, 8))
def test_nothing_escapes_and_moves_join_up(words: list[str], radius: float) -> None:
    done = run("F300 G0 X0 Y0 Z0\n" + "\n".join(words), radius)
    m = done.motions
    assert np.isfinite(m.end).all() and np.isfinite(m.start).all()
    if len(m) > 1:
        assert np.allclose(m.end[:-1], m.start[1:], atol=1e-9)
