"""The compensation lens against figures worked out on paper and against shapely's own offsets."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
import pytest
import shapely
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.conftest import PLAIN_JOB, START
from tests.core.proof.test_compensation_left import retreat
from underglass.core.proof.lens import Lens, look, place_of
from underglass.core.proof.proof import Proof

Prove = Callable[..., Proof]


def lens_of(proof: Proof, line: int = 10, **tried: float) -> Lens:
    place = place_of(proof, line)
    assert place is not None
    return look(proof, place, **tried)


def pocket(w: float, h: float) -> str:
    """Round the inside of a pocket anticlockwise, in from its middle and out to it."""
    x0, y0, x1, y1 = 50.0 - w / 2, 30.0 - h / 2, 50.0 + w / 2, 30.0 + h / 2
    return (
        START + f"X50. Y30.\nZ2.\nG1 Z-3. F200\nG41 D1 X50. Y{y0} F400\nX{x1}\nY{y1}\nX{x0}\nY{y0}\nX50.\n"
        "G40 X50. Y30.\nG0 Z50.\nM5\nM30\n"
    )


@pytest.mark.parametrize("angle", [60.0, 90.0, 120.0])
def test_the_cusp_of_a_compensated_retreat_is_left(prove_text: Prove, angle: float) -> None:
    """Two circles of radius r whose centres stand r / tan((180 - angle) / 2) apart leave a cusp of this height."""
    lens = lens_of(prove_text(retreat(angle)))
    short = 5.0 / math.tan(math.radians(180.0 - angle) / 2.0)
    height = 5.0 - math.sqrt(25.0 - short * short / 4.0)
    left = [p for p in lens.patches if p.what == "left"]
    assert len(left) == 1 and left[0].size == pytest.approx(height, abs=3e-3)
    assert left[0].at[0] == pytest.approx(50.0 + short / 2.0, abs=0.05)
    assert lens.side == 1.0 and lens.where == "outside" and lens.closed
    assert "climb" in lens.words[0]


def test_run_past_the_beginning_nothing_is_left(prove_text: Prove) -> None:
    proof = prove_text(retreat(90.0))
    assert lens_of(proof).patches
    far = lens_of(proof, overrun=5.1)
    assert not far.patches and not far.troubles
    # Less than the radius is too short for the corner that follows: the control complains of it.
    near = lens_of(proof, overrun=2.0)
    assert not near.patches and "reverse" in near.troubles[0]


@settings(max_examples=25, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.floats(-0.8, 0.8), st.floats(18.0, 60.0), st.floats(14.0, 40.0))
def test_a_radius_that_is_out_bites_or_leaves_just_that(prove_text: Prove, out: float, w: float, h: float) -> None:
    """A cutter larger than the register by ``out`` cuts a pocket larger by it all round; a smaller one leaves it."""
    lens = lens_of(prove_text(pocket(w, h)), real=5.0 + out)
    bitten = max((p.size for p in lens.patches if p.what == "bitten"), default=0.0)
    walls = shapely.box(50.0 - w / 2, 30.0 - h / 2, 50.0 + w / 2, 30.0 + h / 2)
    # The swept region may leave the pocket only by what the cutter is too large.
    beyond = shapely.difference(lens.swept, shapely.buffer(walls, max(out, 0.0) + 1e-3, join_style="mitre"))
    assert beyond.area < 1e-3
    if out > 0.02:
        assert bitten == pytest.approx(out, abs=0.01)
    elif out < 0.0:
        assert bitten < 0.006
    left = [p for p in lens.patches if p.what == "left"]
    if out < -0.02:
        assert max(p.size for p in left) >= -out - 1e-6


def test_inside_corners_keep_the_cutters_radius(prove_text: Prove) -> None:
    lens = lens_of(prove_text(pocket(40.0, 30.0)))
    left = [p for p in lens.patches if p.what == "left"]
    # Between two walls at a right angle a circle of radius r leaves r^2 (1 - pi / 4).
    assert len(left) == 4
    assert all(p.area == pytest.approx(25.0 * (1.0 - math.pi / 4.0), rel=0.01) for p in left)
    assert [c.kind for c in lens.corners] == ["inside"] * 4 and "5.000 stays" in lens.corners[0].words


def test_the_path_is_the_one_that_the_control_made(prove_text: Prove) -> None:
    """Without anything tried, the lens's centre path is the run's own, move by move."""
    for text in (pocket(40.0, 30.0), retreat(90.0)):
        proof = prove_text(text)
        lens, stretch = lens_of(proof), proof.run.stretches[0]
        shift = np.array(stretch.shift[:2])
        made = proof.motions.end[int(stretch.first[0]) : int(stretch.last[-1]), :2] - shift
        seen = np.array([leg.points[-1] for leg in lens.centre if leg.role != "exit"])
        assert np.allclose(made, seen, atol=1e-9)


def test_another_d_moves_the_path_as_another_register_would(prove_text: Prove) -> None:
    from dataclasses import replace

    from underglass.core.proof.prove import prove

    proof = prove_text(pocket(40.0, 30.0))
    tried = lens_of(proof, told=4.0)
    registers = replace(proof.job.registers, radius={**proof.job.registers.radius, 1: 4.0})
    other = lens_of(prove(replace(proof.job, registers=registers), proof.source))
    assert all(np.allclose(a.points, b.points) for a, b in zip(tried.centre, other.centre, strict=True))


def test_a_line_before_the_first_contour_leads_to_it_and_one_after_the_last_to_none(prove_text: Prove) -> None:
    proof = prove_text(pocket(40.0, 30.0))
    assert place_of(proof, 1) == place_of(proof, 10) is not None
    assert place_of(proof, 18) is None
    lens = lens_of(proof)
    assert "Line 8 comes in" in " ".join(lens.words)


def test_a_cutter_too_large_for_the_corner_is_told(prove_text: Prove) -> None:
    lens = lens_of(prove_text(pocket(18.0, 14.0)), told=9.5)
    assert lens.troubles


def test_what_another_pass_takes_is_not_left(prove_text: Prove) -> None:
    """The cusp of a retreat, and a straight pass beside the contour that takes it away."""
    alone = lens_of(prove_text(retreat(90.0)))
    beside = "G0 X30. Y3.\nG1 Z-3. F200\nX70. F400\nG0 Z50.\nM5"
    after = lens_of(prove_text(retreat(90.0).replace("G40\nM5", "G40\n" + beside)))
    assert [p.what for p in alone.patches] == ["left"] and not after.patches
    higher = lens_of(prove_text(retreat(90.0).replace("G40\nM5", "G40\n" + beside.replace("Z-3.", "Z-2."))))
    assert [p.size for p in higher.patches] == pytest.approx([p.size for p in alone.patches])


def test_the_demos_caution_is_the_lenss(tmp_path) -> None:  # type: ignore[no-untyped-def]
    from underglass.core.files.demo import copy_demo
    from underglass.core.files.load import load
    from underglass.core.proof.prove import prove

    job, source, _path = load(copy_demo("winder-cover", tmp_path))
    proof = prove(job, source)
    (finding,) = [f for f in proof.findings if f.code == "comp-exit-remains"]
    assert [f.severity.word for f in proof.troubles] == ["note", "caution"]  # D12 is accepted, with its reason
    left = [p for p in lens_of(proof, finding.line).patches if p.what == "left"]
    assert left[0].size == pytest.approx(float(finding.evidence["remains_mm"]), abs=3e-3)


def test_the_words_are_in_the_units_that_are_shown_and_true_of_the_spindle(prove_text: Prove) -> None:
    proof = prove_text(pocket(40.0, 30.0))
    place = place_of(proof, 10)
    assert place is not None
    assert "0.1969 off it" in " ".join(look(proof, place, unit="inch").words)  # 5 mm / 25.4
    assert "5.000 off it" in " ".join(look(proof, place).words)
    assert "climb" in look(proof, place).words[0]
    turned = prove_text(pocket(40.0, 30.0).replace("M3\n", "M4\n"))
    assert "conventional" in look(turned, place).words[0]
    stopped = look(prove_text(pocket(40.0, 30.0).replace(" S3000 M3", "")), place)
    assert "the spindle stands" in stopped.words[0] and "milling" not in stopped.words[0]


def test_a_negative_register_says_that_it_changes_sides(prove_text: Prove) -> None:
    job = PLAIN_JOB + "\n[registers.radius]\nD1 = -5.0\n"
    lens = lens_of(prove_text(pocket(40.0, 30.0), job))
    assert lens.side == -1.0 and lens.words[0].startswith("G41: the cutter runs right") and "negative" in lens.words[1]
