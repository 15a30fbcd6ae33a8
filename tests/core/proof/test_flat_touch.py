"""A sheet's zero from a corner, an edge or a mark. Offset = machine place + pointer - place in the part (common practice, no source)."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.conftest import write_job
from tests.core.trades.sheet.flat import SHEET_JOB
from underglass.core.bench.sheet import Sheet
from underglass.core.files.job import read_job
from underglass.core.proof.flat_touch import SPOTS, Spot, reading, spot, sums
from underglass.core.proof.job import Job


@pytest.fixture(scope="module")
def job(tmp_path_factory: pytest.TempPathFactory) -> Job:
    text = SHEET_JOB.replace("place = [0.0, 0.0]", "place = [-12.0, 7.0]")
    return read_job(write_job(Path(tmp_path_factory.mktemp("touch")), "M30\n", text))


def sheet_of(job: Job) -> Sheet:
    assert isinstance(job.bench.more, Sheet)
    return job.bench.more


@pytest.mark.parametrize("name", [name for name, _words in SPOTS])
@pytest.mark.parametrize("pointer", [(0.0, 0.0), (35.0, -4.0)])
def test_who_knows_the_place_finds_the_true_zero(job: Job, name: str, pointer: tuple[float, float]) -> None:
    sheet = sheet_of(job)
    at = spot(sheet, name)
    found = sums(job, reading(sheet, name, at, pointer), at, pointer)
    assert {axis for axis, value in zip("xy", at) if value is not None} == set(found)
    assert all(one.value == pytest.approx({"x": 50.0, "y": 50.0}[axis]) for axis, one in found.items())


@settings(deadline=None, max_examples=40, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.floats(-300.0, 300.0), st.floats(-300.0, 300.0))
def test_who_takes_the_corner_for_another_place_is_out_by_just_that(job: Job, dx: float, dy: float) -> None:
    sheet = sheet_of(job)
    real = spot(sheet, "upper right")
    assert real == Spot(588.0, 407.0)
    told = Spot(588.0 + dx, 407.0 + dy)
    found = sums(job, reading(sheet, "upper right", told, (35.0, 0.0)), told, (35.0, 0.0))
    assert found["x"].value == pytest.approx(50.0 - dx) and found["y"].value == pytest.approx(50.0 - dy)


def test_the_sum_is_said_as_a_setter_says_it(job: Job) -> None:
    sheet = sheet_of(job)
    told = Spot(-12.0, None)
    said = sums(job, reading(sheet, "left", told, (35.0, 0.0)), told, (35.0, 0.0))["x"].said
    assert said == "3.000 machine X + 35.000 to the pointer's spot \u2212 (-12.000) in the part = 50.000"
