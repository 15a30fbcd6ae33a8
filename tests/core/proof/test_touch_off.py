"""Touching off: the sums of the trade, and devices that read the bench as it really is.

Check values, common practice, no source: a 3.5 in block and a half-inch tool shift by 2.0 in; a 2 in gauge block over
0.010 in of stock to come off gives 2.010.
"""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import PLAIN_JOB
from underglass.core.files.job import read_job_text
from underglass.core.proof.job import Job
from underglass.core.proof.length_ways import perfect_length, perfect_offset
from underglass.core.proof.touch_off import (
    face_to_zero,
    plan_of,
    setter_reading,
    setter_top,
    side_reading,
    stock_at,
    top_reading,
    touched_setter,
    touched_top,
)
from underglass.core.reckon.touching import edge, height, middle, predicted_z, tool_length, turn
from underglass.core.units import MM_PER_INCH


def job_of(text: str = PLAIN_JOB) -> Job:
    return read_job_text(text, Path("/nowhere/x.job.toml"))


def test_half_the_block_and_half_the_tool() -> None:
    found = edge(-10.0 * MM_PER_INCH, "low", 0.25 * MM_PER_INCH, 1.75 * MM_PER_INCH, "inch")
    assert found.shift / MM_PER_INCH == pytest.approx(2.0)
    assert found.value / MM_PER_INCH == pytest.approx(-8.0)
    assert found.said == "-10.0000 + (1.7500 face to zero + 0.2500 half the tool) = -8.0000"
    assert edge(0.0, "high", 5.0, 20.0).value == -25.0


def test_a_gauge_block_and_what_is_still_to_come_off() -> None:
    found = height(0.0, 0.0, 2.0 * MM_PER_INCH, 0.010 * MM_PER_INCH, "inch")
    assert found.shift / MM_PER_INCH == pytest.approx(2.010)
    assert found.value / MM_PER_INCH == pytest.approx(-2.010)


def test_heights_alone_and_the_middle_and_the_setter() -> None:
    assert predicted_z(-560.0, 100.0, 21.0, 1.0).value == -440.0
    assert middle(-325.0, -175.0).value == -250.0
    assert tool_length(-379.0, -500.0).value == 121.0


angles = st.floats(-44.0, 44.0).map(lambda v: round(v, 3))


@given(angle=angles)
def test_two_points_tell_how_the_part_lies(angle: float) -> None:
    """The angle that comes out is the one at which the block was laid."""
    text = PLAIN_JOB.replace("z = -200.0 }", f"z = -200.0, turned = {angle} }}")
    job = job_of(text)
    # Near the middle of the front face, where also a steep one is met before its neighbour.
    x0, _, x1, _ = plan_of(stock_at(job, "G54")).bounds
    corner = job.bench.stocks[0].frame
    along = [20.0, 60.0]
    shares = [
        (corner.x + d * math.cos(math.radians(angle)) + 5.0 * math.sin(math.radians(angle)) - x0) / (x1 - x0)
        for d in along
    ]
    points = [(x0 + s * (x1 - x0), side_reading(job, "G54", "front", 5.0, s)) for s in shares]
    assert turn(points[0], points[1]) == pytest.approx(angle, abs=1e-3)


@pytest.mark.parametrize("face", ["left", "right", "front", "back"])
def test_an_edge_found_on_the_real_block_gives_the_real_zero(face: str) -> None:
    job = job_of()
    reading = side_reading(job, "G54", face, 5.0)  # type: ignore[arg-type]
    inside = face_to_zero(job, "G54", face)  # type: ignore[arg-type]
    found = edge(reading, "low" if face in ("left", "front") else "high", 5.0, inside)
    zero = job.bench.part_zero
    assert found.value == pytest.approx(zero.x if face in ("left", "right") else zero.y, abs=1e-5)
    # Told the wrong diameter, the control is out by half of what the diameter is out by.
    wrong = edge(reading, "low" if face in ("left", "front") else "high", 6.0, inside)
    assert abs(wrong.value - found.value) == pytest.approx(1.0)


def test_a_round_block_is_touched_at_its_widest() -> None:
    text = PLAIN_JOB.replace('shape = "box"\nsize = [100.0, 60.0, 20.0]', 'shape = "cylinder"\nsize = [80.0, 20.0]')
    job = job_of(text)
    low, high = (side_reading(job, "G54", f, 5.0) for f in ("left", "right"))  # type: ignore[arg-type]
    assert middle(low, high).value == pytest.approx(-300.0 + 40.0, abs=1e-3)
    assert high - low == pytest.approx(90.0, abs=1e-2)


def test_height_and_length_of_the_real_tool() -> None:
    job = job_of()
    tool = job.bench.tools[1]
    found = height(top_reading(job, "G54", tool, 25.0), tool.length, 25.0, 0.0)
    assert found.value == pytest.approx(-200.0)
    assert tool_length(setter_reading(job, tool), setter_top(job)).value == pytest.approx(75.0)
    # A wrong H makes a wrong offset that takes it back: that is how a crash waits for the next tool.
    assert height(top_reading(job, "G54", tool, 25.0), 80.0, 25.0, 0.0).value == pytest.approx(-205.0)


@pytest.mark.parametrize("number", [1, 2])
@pytest.mark.parametrize("z_by", ["length-registers", "first-tool", "each-tool", "tool-table", "to-part"])
def test_what_is_touched_in_z_sets_what_a_perfect_machine_holds(z_by: str, number: int) -> None:
    """In each way of setting, with every tool: touching puts right what was wrong, and leaves what was right."""
    text = PLAIN_JOB.replace("[zero]", f'[zero]\nz_by = "{z_by}"' + ("\nz_tool = 1" if z_by == "first-tool" else ""))
    right = job_of(text)
    tool = right.bench.tools[number]
    top = touched_top(right, "G54", number, 25.0, 0.0, "mm")
    assert not isinstance(top, str)
    if z_by == "each-tool":
        assert (top.group, top.name, top.value) == ("touched", f"T{number}", pytest.approx(0.0))
        assert top.found.value == pytest.approx(-200.0 + tool.length), "the tip on the zero"
        assert touched_top(right, "G54", number, 25.0, 0.3, "mm").value == pytest.approx(-0.3)  # type: ignore[union-attr]
    elif z_by == "to-part":
        assert (top.group, top.name, top.value) == ("length", f"H{number}", pytest.approx(perfect_length(right, tool)))
    else:
        perfect = perfect_offset(right, "G54")
        assert perfect is not None
        assert (top.group, top.name, top.value) == ("work", "G54", pytest.approx(perfect[2]))
    wrong = replace(right, registers=replace(right.registers, length={1: 3.0, 2: 4.0}))
    length = touched_setter(wrong, number, "mm")
    if z_by in ("each-tool", "to-part"):
        assert isinstance(length, str) and "touch" in length
    else:
        assert not isinstance(length, str) and length.name == f"H{number}"
        assert length.value == pytest.approx(perfect_length(right, tool))
    assert "no such tool" in str(touched_top(right, "G54", 9, 25.0, 0.0, "mm"))


def test_a_second_part_is_touched_against_the_first_ones_lengths() -> None:
    """Where H goes down to the first part, the second part's offset holds how much higher that part lies."""
    text = PLAIN_JOB.replace("[zero]", '[zero]\nz_by = "to-part"')
    job = job_of(text)
    second = replace(job.bench.zero["G54"], z=-190.0)
    raised = replace(job, bench=replace(job.bench, zero={**job.bench.zero, "G55": second}))
    to_come = job.bench.stocks[0].top - second.z
    found = touched_top(raised, "G55", 2, 25.0, to_come, "mm")
    assert not isinstance(found, str) and (found.group, found.name) == ("work", "G55")
    assert found.value == pytest.approx(10.0)
