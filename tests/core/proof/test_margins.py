"""The range in which a program survives, against what can be reckoned by hand."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

from tests.conftest import PLAIN_JOB, START, write_job
from underglass.core.errors import Cancelled
from underglass.core.files.load import load
from underglass.core.language.source import Source
from underglass.core.proof.belief import Row, rows
from underglass.core.proof.job import Job
from underglass.core.proof.margins import Range, nearest, survival, with_value
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import prove

SLOT = START + "G0 Z2.\nG1 Z-4. F200\nX120. F400\nG0 Z50.\nM30\n"
"""Along Y-20, clear of the block: nothing but air."""

CUT = START + "G0 Y10.\nG0 Z2.\nG0 X-10.\nG1 Z-4. F200\nX120. F400\nG0 Z50.\nM30\n"
"""A slot 4 deep along Y10; the clamp stands over X-25 to -5, Y20 to 40, up to Z10."""

DRILL = (
    "G21 G17 G40 G49 G80 G90 G94\nT2 M6\nG0 G54 X50. Y30. S2000 M3\nG43 H2 Z25.\nG0 Z2.\nG1 Z-23.5 F200\nG0 Z50.\nM30\n"
)


def setting(
    tmp_path: Path, program: str, job: str = PLAIN_JOB
) -> tuple[Job, Source, dict[tuple[str, str], Row], Proof]:
    loaded, source, _program = load(write_job(tmp_path, program, job))
    proof = prove(loaded, source)
    return loaded, source, {(r.key, r.axis): r for r in rows(loaded, proof)}, proof


def both(tmp_path: Path, program: str, key: str, axis: str = "", job: str = PLAIN_JOB) -> Range:
    loaded, source, by, _proof = setting(tmp_path, program, job)
    return survival(loaded, source, by[key, axis])


def test_how_low_a_rapid_may_come(tmp_path: Path) -> None:
    """The rapid to Z2 over the block's corner is stopped by nothing until the tip is at Z0: 2 mm of H (and the touch)."""
    over = START + "G0 X20. Y30.\nG0 Z2.\nG1 Z-4. F200\nG0 Z50.\nM30\n"
    found = both(tmp_path, over, "H1")
    assert 75.0 - found.low.value == pytest.approx(2.0, abs=0.03) and found.survives
    assert found.low.beyond is not None and found.low.beyond.line == 6 and "rapid" in found.low.beyond.said.lower()
    # Too long by 4 mm and nothing is cut any more.
    assert found.high.value - 75.0 == pytest.approx(4.0, abs=0.03)
    assert found.high.beyond is not None and "only air" in found.high.beyond.said


def test_a_hole_that_ends_short_of_through(tmp_path: Path) -> None:
    """A 118 degree point of 8 mm is 2.404 high: the first of the rim is left when the tip has 3.5 - 2.4 less to go."""
    found = both(tmp_path, DRILL, "H2")
    assert (
        found.high.beyond is not None and "short of through" in found.high.beyond.said and found.high.beyond.line == 6
    )
    assert found.high.value - 110.0 == pytest.approx(3.5 - 2.404, abs=0.35)  # cells of 0.25 stand at the rim
    # The point stands between cells of 0.25: it is met 0.1 deeper.
    assert 110.0 - found.low.value == pytest.approx(2.0, abs=0.13)


def test_sideways_until_the_clamp(tmp_path: Path) -> None:
    """The slot's edge runs 5 mm from Y10, to Y15; the clamp's side is at Y20: 5 mm of Y, less what counts as a touch."""
    found = both(tmp_path, CUT, "G54", "y")
    assert found.high.beyond is not None and "left clamp" in found.high.beyond.said
    assert found.high.value + 150.0 == pytest.approx(5.0, abs=0.15)


def test_the_real_thing_can_be_varied_too(tmp_path: Path) -> None:
    job, source, by, _proof = setting(tmp_path, START + "G0 X20. Y30.\nG0 Z2.\nG1 Z-4. F200\nG0 Z50.\nM30\n")
    belief, truth = survival(job, source, by["H1", ""]), survival(job, source, by["H1", ""], "truth")
    # A tool longer by as much is a register shorter by as much.
    assert truth.high.value - 75.0 == pytest.approx(75.0 - belief.low.value, abs=0.01)
    longer = with_value(job, by["H1", ""], 77.0, "truth")
    assert longer.bench.tools[1].length == 77.0 and longer.bench.tools[1].stickout == 42.0
    assert longer.registers.length[1] == 75.0
    moved = with_value(job, by["G54", "x"], -290.0, "truth")
    assert moved.bench.part_zero.x == -290.0 and moved.bench.stocks[0].frame.x == -290.0
    assert moved.bench.fixtures[1].solid.frame.x == job.bench.fixtures[1].solid.frame.x + 10.0
    assert moved.bench.fixtures[0] == job.bench.fixtures[0], "the table stays"


def test_a_figure_that_is_out_already_is_judged_from_the_truth(tmp_path: Path) -> None:
    over = START + "G0 X20. Y30.\nG0 Z2.\nG1 Z-4. F200\nG0 Z50.\nM30\n"
    found = both(tmp_path, over, "H1", job=PLAIN_JOB + "[registers.length]\nH1 = 70.0\n")
    assert not found.survives and found.stands == 70.0 and 75.0 - found.low.value == pytest.approx(2.0, abs=0.03)


def test_what_is_in_the_air_has_no_ends_and_one_side_has_no_range(tmp_path: Path) -> None:
    found = both(tmp_path, SLOT, "shift", "x")
    assert found.high.beyond is None or found.high.beyond.said
    job, source, by, proof = setting(tmp_path, SLOT, PLAIN_JOB + "[registers.length]\nH7 = 70.0\n")
    with pytest.raises(ValueError, match="only one side"):
        survival(job, source, by["H7", ""])
    with pytest.raises(Cancelled):
        survival(job, source, by["H1", ""], cancelled=lambda: True)
    assert nearest(proof) is None or nearest(proof).distance_mm >= 0.0  # type: ignore[union-attr]


def test_nothing_that_was_given_is_changed(tmp_path: Path, plain_job: Job, prove_text: Callable[..., Proof]) -> None:
    job, _source, by, _proof = setting(tmp_path, CUT)
    before = dict(job.registers.length), job.bench
    for key, axis, value in (("H1", "", 1.0), ("G54", "x", 5.0), ("shift", "z", 2.0)):
        assert with_value(job, by[key, axis], value, "belief") != job
    assert (dict(job.registers.length), job.bench) == before
