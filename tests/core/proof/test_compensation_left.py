"""What compensation leaves at a contour's ends, against areas and heights worked out on paper."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
import pytest
import shapely
from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st

from tests.conftest import PLAIN_JOB
from underglass.core.finding import Finding
from underglass.core.proof.proof import Proof

HEAD = "G21 G17 G40 G49 G80 G90 G94\nT1 M6\nG0 G54 X-20. Y-20. S3000 M3\nG43 H1 Z25.\n"
Prove = Callable[..., Proof]


def found(proof: Proof) -> list[Finding]:
    return [f for f in proof.findings if f.code.startswith("comp-")]


def outside(way_in: str, start: str, rest: str, way_out: str) -> str:
    return f"{HEAD}G0 {way_in}\nZ2.\nG1 Z-3. F200\nG41 D1 {start} F400\n{rest}\n{way_out}\nG0 Z50.\nG40\nM5\nM30\n"


def retreat(angle_deg: float) -> str:
    """Round a square clockwise from the middle of its lower side, and away at an angle from the way, compensated."""
    turn = math.radians(angle_deg)
    x, y = 50.0 - 40.0 * math.cos(turn), 8.0 - 40.0 * math.sin(turn)
    # The entry comes from straight below, so that where the retreat ends is not where it began.
    return outside("X50. Y-20.", "X50. Y8.", "X8.\nY52.\nX92.\nY8.\nX50.", f"X{x:.6f} Y{y:.6f}")


def cusp_area(r: float, apart: float) -> float:
    """Area between a line and two circles of radius r that stand on it, centres ``apart``: the box between the centres
    less what both cover of it. Each covers the integral of sqrt(r^2 - x^2) up to half of the distance."""
    h = apart / 2.0
    under = 0.5 * (h * math.sqrt(r * r - h * h) + r * r * math.asin(h / r))
    return apart * r - 2.0 * under


@pytest.mark.parametrize("angle", [60.0, 90.0, 120.0])
def test_a_retreat_with_compensation_on_leaves_a_cusp(prove_text: Prove, angle: float) -> None:
    """The centre turns off r / tan((180 - angle) / 2) before the corner: two circles that far apart leave the cusp."""
    (finding,) = found(prove_text(retreat(angle)))
    short = 5.0 / math.tan(math.radians(180.0 - angle) / 2.0)
    height = 5.0 - math.sqrt(25.0 - short * short / 4.0)
    assert finding.code == "comp-exit-remains" and finding.line == 14
    assert finding.evidence["remains_mm"] == pytest.approx(height, abs=2e-3)
    assert finding.evidence["area_mm2"] == pytest.approx(cusp_area(5.0, short), rel=5e-3)
    assert (finding.evidence["at_x_mm"], finding.evidence["at_y_mm"]) == (
        pytest.approx(50.0 + short / 2.0, abs=0.02),
        pytest.approx(8.0 - height, abs=2e-3),
    )


def test_an_open_corner_keeps_the_whole_fillet(prove_text: Prove) -> None:
    """One straight wall and back to where the tool came from: the corner keeps r^2 (1 - pi / 4)."""
    text = f"{HEAD}G0 X40. Y-20.\nZ2.\nG1 Z-3. F200\nG41 D1 X60. Y8. F400\nX40.\nX40. Y-20.\nG0 Z50.\nG40\nM5\nM30\n"
    (finding,) = found(prove_text(text))
    assert finding.code == "comp-exit-remains"
    # The entry's way passes below and takes a part of the corner's lower end; what stands at the wall is whole.
    assert 0.0 < finding.evidence["area_mm2"] <= 25.0 * (1.0 - math.pi / 4.0) + 1e-3  # type: ignore[operator]


def test_a_wide_angle_leaves_what_nobody_sees(prove_text: Prove) -> None:
    """At 10 degrees the cusp is 0.0048 mm high."""
    assert found(prove_text(retreat(10.0))) == []


def test_an_overlap_takes_the_cusp_away(prove_text: Prove) -> None:
    text = retreat(90.0).replace("Y8.\nX50.\n", "Y8.\nX44.\n")
    assert "X44." in text
    assert found(prove_text(text.replace("X50.000000 Y-32.000000", "X44.000000 Y-32.000000"))) == []


def test_a_cusp_that_another_move_removes(prove_text: Prove) -> None:
    away = "G0 Z50.\nG40\nG0 X70. Y3.\nZ2.\nG1 Z-3. F200\nX30. F400\nG0 Z50.\nM5\nM30"
    text = retreat(90.0).replace("G0 Z50.\nG40\nM5\nM30", away)
    assert away in text and found(prove_text(text)) == []
    higher = text.replace("Z2.\nG1 Z-3. F200\nX30.", "Z2.\nG1 Z-2. F200\nX30.")
    assert higher != text and [f.code for f in found(prove_text(higher))] == ["comp-exit-remains"]


def test_off_the_stock_nothing_remains(prove_text: Prove) -> None:
    small = PLAIN_JOB.replace("size = [100.0, 60.0, 20.0]", "size = [30.0, 60.0, 20.0]")
    assert [f.code for f in found(prove_text(retreat(90.0), small))] == []


@pytest.mark.parametrize("below", [1.0, 3.0, 4.9])
def test_an_entry_begun_nearer_than_the_radius_bites(prove_text: Prove, below: float) -> None:
    """The centre starts ``below`` the wall, the cutter reaches r - below over it; at the square point nothing."""
    text = f"{HEAD}G0 X50. Y-20.\nZ2.\nG1 Z-3. F200\nX58. Y{8.0 - below} F400\nG41 D1 X50. Y8.\nX8.\nY52.\nX92.\nY8.\nX48.\nG40 Y-20.\nG0 Z50.\nM5\nM30\n"
    (finding,) = found(prove_text(text))
    assert (finding.code, finding.line) == ("comp-entry-witness", 9)
    assert finding.evidence["divot_mm"] == pytest.approx(5.0 - below, abs=3e-3)


def test_passes_over_one_contour_are_one_finding(prove_text: Prove) -> None:
    once = "G1 Z{z} F200\nG41 D1 X50. Y8. F400\nX8.\nY52.\nX92.\nY8.\nX50.\nY-20.\nG40\n"
    text = HEAD + "G0 X50. Y-20.\nZ2.\n" + once.format(z=-1) + once.format(z=-2) + "G0 Z50.\nM5\nM30\n"
    (finding,) = found(prove_text(text))
    assert (finding.line, finding.evidence["passes"], finding.evidence["last_line"]) == (14, 2, 23)


@settings(deadline=None, max_examples=60, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    st.lists(st.tuples(st.floats(12, 88), st.floats(12, 48)), min_size=3, max_size=9),
    st.booleans(),
    st.booleans(),
    st.sampled_from(["straight", "arcs", "overlap"]),
    st.integers(1, 2),
)
def test_contours_entered_and_left_as_they_should_be_are_clean(
    prove_text: Prove, points: list[tuple[float, float]], clockwise: bool, left: bool, leads: str, passes: int
) -> None:
    """Any convex contour from the middle of its longest side, square to it or on tangent arcs, inside or outside."""
    hull = shapely.convex_hull(shapely.MultiPoint(points))
    assume(hull.geom_type == "Polygon" and hull.minimum_clearance > 6.0)
    ring = np.array(hull.exterior.coords)[:-1]
    signed = float(np.sum(ring[:, 0] * np.roll(ring[:, 1], -1) - np.roll(ring[:, 0], -1) * ring[:, 1]))
    ring = ring if (signed < 0.0) == clockwise else ring[::-1]
    inside = left != clockwise
    r = 5.0
    # Inside, the cutter must fit everywhere with room for its way in.
    assume(not inside or hull.buffer(-3.2 * r).area > 1.0)
    sides = np.roll(ring, -1, axis=0) - ring
    k = int(np.argmax(np.hypot(*sides.T)))
    ring = np.roll(ring, -(k + 1), axis=0)
    a, b = ring[-1], ring[0]
    way = (b - a) / np.hypot(*(b - a))
    assume(np.hypot(*(b - a)) > 4.5 * r)
    off = np.array([-way[1], way[0]]) * (1.0 if left else -1.0)
    middle = (a + b) / 2.0
    word, turn = ("G41", "G3") if left else ("G42", "G2")
    lead = 1.4 * r
    if leads == "arcs":
        begin, end = middle - way * lead + off * lead, middle + way * lead + off * lead
        far_in, far_out = begin + off * 0.6 * r - way * 0.1, end + off * 0.6 * r
        assume(not inside or all(hull.buffer(-r).contains(shapely.Point(p)) for p in (far_in, far_out, begin, end)))
        come = [f"G41 D1 X{begin[0]:.5f} Y{begin[1]:.5f}".replace("G41", word)]
        come += [f"{turn} X{middle[0]:.5f} Y{middle[1]:.5f} R{lead:.5f}", "G1"]
        go = [f"{turn} X{end[0]:.5f} Y{end[1]:.5f} R{lead:.5f}", f"G1 G40 X{far_out[0]:.5f} Y{far_out[1]:.5f}"]
        start = begin + off * 1.05 * r
    else:
        start = middle + off * 1.2 * r
        past = middle + way * (2.0 if leads == "overlap" else 0.0)
        come = [f"{word} D1 X{middle[0]:.5f} Y{middle[1]:.5f}"]
        go = [f"X{past[0]:.5f} Y{past[1]:.5f}"] if leads == "overlap" else []
        out = past + off * 1.2 * r
        go += [f"G40 X{out[0]:.5f} Y{out[1]:.5f}"]
    around = [f"X{x:.5f} Y{y:.5f}" for x, y in ring] + [f"X{middle[0]:.5f} Y{middle[1]:.5f}"]
    once = [f"G0 X{start[0]:.5f} Y{start[1]:.5f}", "G1 Z-{z} F200", *come, *around, *go]
    text = (
        HEAD
        + "Z5.\n"
        + "".join("\n".join(once).replace("{z}", str(n + 1)) + "\nG0 Z5.\n" for n in range(passes))
        + "M5\nM30\n"
    )
    assert found(prove_text(text)) == []
