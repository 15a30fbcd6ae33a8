"""Slips whose sizes are worked out by hand are found again. The parts, and the long run over 200 of them, are the benchmarks'."""

from __future__ import annotations

import math
import os
from pathlib import Path

import pytest
from benchmarks.slipped_parts import KINDS, slipped, slipped_twice
from benchmarks.test_why import asked, ranks

from tests.conftest import PLAIN_JOB, SAFE, write_job
from underglass.core.data import data_folder
from underglass.core.files.load import load
from underglass.core.proof.features import Feature, measured_in
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import prove
from underglass.core.proof.question import Measured, Question, Seen
from underglass.core.proof.why import why

WHICH = range(len(KINDS)) if os.environ.get("UNDERGLASS_DEEP") else (0, 16, 27, 30, 39)
"""Of each trade some: a register, a wrong tool, a clamp, a tool that gives way, a point, a kerf, a punch."""


@pytest.mark.parametrize("which", WHICH)
def test_the_first_answer_is_the_slip(which: int, tmp_path: Path) -> None:
    part = slipped(which + 1)[which]
    answer = asked(part, tmp_path)
    assert ranks(part, answer) == [1], (part.slips, [(c.answer, c.words, c.explains) for c in answer.causes[:6]])


def test_two_slips_at_once_are_among_the_first_answers(tmp_path: Path) -> None:
    part = slipped_twice(4)[3]
    answer = asked(part, tmp_path)
    assert len(part.slips) == 2 and max(ranks(part, answer)) <= 5
    pair = next(c for c in answer.causes if c.pair)
    assert "; and " in pair.words and pair.explains > max(c.explains for c in answer.causes if not c.pair)


def test_what_no_cause_explains_is_said(tmp_path: Path) -> None:
    part = slipped(1)[0]
    # A floor 0.2 too high, and the same floor 0.2 too low: somebody has read the micrometer wrong.
    part.features = (part.features[0], part.features[0])
    part.nominal = (part.nominal[0],) * 2
    part.readings = (part.nominal[0] + 0.2, part.nominal[0] - 0.2)
    answer = asked(part, tmp_path)
    assert all(c.explains < 0.9 for c in answer.causes)


# -- sizes and sights ---------------------------------------------------------------------------------------------------------

# A slot at 45 degrees' ends: two holes, a step beside a slot, and a slanted wall.
PLATE = SAFE + (
    "T1 M6\nG0 G54 X20. Y30. S3000 M3\nG43 H1 Z25.\nG0 Z2.\nG1 Z-4. F200.\nX80. F400.\nG0 Z2.\nX10. Y10.\nG1 Z-2. F200.\nX40. Y12. F400.\nG0 Z25. M5\n"
    "T2 M6\nG0 X60. Y10. S2000 M3\nG43 H2 Z5.\nG1 Z-9. F200.\nG0 Z5.\nX83. Y13.\nG1 Z-9.\nG0 Z25. M5\nM30\n"
)


@pytest.fixture
def plate(tmp_path: Path) -> Proof:
    clear = PLAIN_JOB.replace("place = [-25.0, 20.0, -5.0]", "place = [-25.0, -60.0, -5.0]")
    return prove(*load(write_job(tmp_path, PLATE, clear))[:2])


def test_steps_distances_and_angles_are_those_of_the_drawing(plate: Proof) -> None:
    assert measured_in(plate, Feature(what="step", at=(50.0, 30.0), to=(50.0, 50.0))) == pytest.approx(4.0, abs=1e-3)
    # 23 along and 3 up: a right-angled triangle.
    holes = Feature(what="distance", at=(60.0, 10.0), to=(83.0, 13.0), z=-3.0)
    assert measured_in(plate, holes) == pytest.approx((23.0**2 + 3.0**2) ** 0.5, abs=0.01)
    # The slanted slot rises 2 over 30.
    wall = Feature(what="angle", at=(18.0, 10.5), to=(32.0, 11.5), z=-1.0, way_deg=90.0)
    assert measured_in(plate, wall) == pytest.approx(3.814, abs=0.15)  # atan(2 / 30)
    upright = Feature(what="taper", at=(50.0, 30.0), z=-1.0, way_deg=90.0, to=(-3.0, 0.0))
    assert measured_in(plate, upright) == pytest.approx(0.0, abs=0.011)


def test_turned_faces_and_tapers_are_those_of_the_drawing() -> None:
    proof = prove(*load(data_folder() / "demo" / "winder-bush.job.toml")[:2])
    # The drawing: flange 40 from Z -30 on, its chamfer 1 x 45 degrees from 38; a chamfer of 1.5 at 45 degrees on the thread's land.
    face = measured_in(proof, Feature(what="face", at=(36.0, 0.0), z=-25.0, way_deg=180.0))
    assert face == pytest.approx(-30.0, abs=1e-3)
    cone = measured_in(proof, Feature(what="taper", z=-1.0, to=(-0.5, 0.0)))
    assert cone == pytest.approx(1.0, abs=0.02)


def test_a_ridge_and_a_corner_have_a_tool_behind_them(tmp_path: Path) -> None:
    # Two passes that overlap by 1 leave a ridge where the mill is 2 smaller; a corner of the step is where the slot begins.
    text = SAFE + (
        "T1 M6\nG0 G54 X20. Y20. S3000 M3\nG43 H1 Z25.\nG0 Z2.\nG1 Z-4. F200.\nX80. F400.\nY29.\nX20.\nG0 Z25. M5\nM30\n"
    )
    spare = (
        '\n[[tool]]\nnumber = 5\nkind = "end-mill"\nDC = 8.0\nAPMX = 22.0\nlength = 75.0\nstickout = 40.0\n\n[proof]'
    )
    job, source, _ = load(write_job(tmp_path, text, PLAIN_JOB.replace("\n[proof]", spare)))
    answer = why(job, source, Question(seen=(Seen(what="ridge", at=(50.0, 24.5)),)))
    words = [c.words for c in answer.causes if c.seen == (True,)]
    assert "T5 sat where T1 belongs" in words and answer.as_seen == (False,)
    assert not any("H1" in w for w in words), "a face that is higher all over is no ridge"
    round_one = why(job, source, Question(seen=(Seen(what="rounded", at=(84.0, 34.0)),)))
    assert any("T5 sat" in c.words or "T1 really cut" in c.words for c in round_one.causes if c.seen == (True,))


def test_all_of_it_aside_is_a_size(plate: Proof) -> None:
    question = Question(seen=(Seen(what="aside", at=(-0.3, 0.0)),))
    answer = why(plate.job, plate.source, question)
    assert [m.feature.what for m in answer.question.measured] == ["middle", "middle"] and not answer.question.seen
    assert answer.causes[0].words == "The control held G54 X -300.300, -0.300 out"
    assert Measured(feature=answer.question.measured[0].feature, value=0.0).feature.words.startswith("middle of all")


def test_a_rotation_that_was_left_over_is_thought_of(plate: Proof) -> None:
    """Turned by a about the zero, a slot along X at Y 30 has its middle at 30 cos a + x tan a: at X 50, a degree lifts it by 0.87 (on paper)."""
    by = math.radians(1.0)
    middle = 30.0 / math.cos(by) + 50.0 * math.tan(by)
    wall = Feature(what="place", at=(50.0, 30.0), z=-3.0, way_deg=90.0)
    lower = Feature(what="place", at=(30.0, 30.0), z=-3.0, way_deg=90.0)
    sizes = [
        Measured(feature=f, value=v, wanted=35.0)
        for f, v in ((wall, middle + 5.0 / math.cos(by)), (lower, middle - 20.0 * math.tan(by) + 5.0 / math.cos(by)))
    ]
    answer = why(plate.job, plate.source, Question(measured=tuple(sizes)))
    best = next(c for c in answer.causes if c.words.startswith("A rotation of"))
    assert best.answer == 1 and best.explains > 0.97 and best.by_mm == pytest.approx(1.0, abs=0.05)


def test_no_answer_holds_a_size_below_nothing(tmp_path: Path) -> None:
    """The other hand of compensation would be a radius of -8 as well, or a cutter of 48: the first cannot be, and the word stands first."""
    which = KINDS.index(("milling", "hand"))
    answer = asked(slipped(which + 1)[which], tmp_path)
    assert answer.causes[0].words.startswith("G42 stood")
    assert not any("D3 -" in words for c in answer.causes for words in (c.words, *c.also))
