"""Places and chains of a drawing as blocks: run by the control they come to where they were drawn, on a mill and on a lathe."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.conftest import PLAIN_JOB, write_job
from tests.conftest import START as MILL_START
from tests.core.trades.turning.lathe import LATHE_JOB
from tests.core.trades.turning.lathe import START as LATHE_START
from underglass.core.files.job import read_job
from underglass.core.files.print_blocks import chain_blocks, place_blocks
from underglass.core.files.print_in import Arc, Line
from underglass.core.proof.job import Job
from underglass.core.proof.print_ways import PrintPlane, print_ways
from underglass.core.proof.prove import control_for

figure = st.floats(-80.0, 80.0, allow_nan=False)
places = st.lists(st.tuples(figure, figure), min_size=1, max_size=12)


@pytest.fixture(scope="module")
def mill(tmp_path_factory: pytest.TempPathFactory) -> Job:
    return read_job(write_job(Path(tmp_path_factory.mktemp("mill")), "M30\n", PLAIN_JOB))


@pytest.fixture(scope="module")
def lathe(tmp_path_factory: pytest.TempPathFactory) -> Job:
    return read_job(write_job(Path(tmp_path_factory.mktemp("lathe")), "M30\n", LATHE_JOB))


def ends(job: Job, lines: list[str], axes: list[int]) -> np.ndarray:
    """Where the moves of these lines end, in program coordinates of two axes."""
    head = LATHE_START if job.trade.kind == "lathe" else MILL_START
    feed = "F.2" if job.trade.kind == "lathe" else "F300"
    run = control_for(job).run(
        [*head.splitlines(), "G97 S500 M3" if job.trade.kind == "lathe" else "", f"G1 {feed}", *lines]
    )
    shift = np.array([run.motions.in_force[k].shift for k in run.motions.state])
    return np.array(run.motions.end - shift)[:, axes]


@settings(deadline=None, max_examples=60, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(places, st.booleans())
def test_a_mill_goes_where_it_was_picked(mill: Job, picked: list[tuple[float, float]], by: bool) -> None:
    plane = print_ways(mill).plane(mill.control)
    first = place_blocks([(0.0, 0.0)], plane, "mm")
    lines = place_blocks(picked, plane, "mm", incremental=by, start=(0.0, 0.0))
    found = ends(mill, [*first, *(["G91"] if by else []), *lines], [0, 1])
    # Rounding does not add up: the last place is as near as the first.
    assert found[-1] == pytest.approx(picked[-1], abs=6e-4)


@settings(deadline=None, max_examples=60, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(st.tuples(figure, st.floats(1.0, 60.0)), min_size=1, max_size=12), st.booleans())
def test_a_lathe_goes_where_it_was_picked(lathe: Job, picked: list[tuple[float, float]], by: bool) -> None:
    """X is written as a diameter, U and W say by how much."""
    plane = print_ways(lathe).plane(lathe.control)
    lines = place_blocks(picked, plane, "mm", incremental=by, start=(5.0, 20.0))
    assert all((line[0] in "UW") == by for line in lines)
    found = ends(lathe, ["X40. Z5.", *lines], [2, 0])
    assert found[-1] == pytest.approx(picked[-1], abs=6e-4)


@pytest.mark.parametrize("side", [1.0, -1.0])
@pytest.mark.parametrize("back", [False, True])
def test_an_arc_of_either_half_is_turned_as_it_is_drawn(lathe: Job, side: float, back: bool) -> None:
    plane = print_ways(lathe).plane(lathe.control)
    arc = Arc(-10.0, 12.0, 4.0, 90.0, 180.0) if side > 0 else Arc(-10.0, -12.0, 4.0, 180.0, 270.0)
    lines = chain_blocks([(arc, back)], plane, "mm")
    kind, _x, _z, i, k = lines[-1].split()
    start = (-10.0, 16.0) if (back if side < 0 else not back) else (-14.0, 12.0)
    assert lines[0] == f"G1 X{2 * start[1]:.0f}. Z{start[0]:.0f}."
    assert (float(k[1:]), float(i[1:])) == (-10.0 - start[0], 12.0 - start[1])
    # From the top of a circle down to its left side is anticlockwise, Z to the right and X up.
    assert kind == ("G3" if start[0] == -10.0 else "G2")
    found = ends(lathe, list(lines), [2, 0])
    assert math.dist(found[-1], (-14.0, 12.0) if start[0] == -10.0 else (-10.0, 16.0)) < 1e-9


def test_a_chain_that_crosses_the_axis_stays_as_it_is_drawn() -> None:
    lines = chain_blocks([(Line(0.0, -5.0, 0.0, 5.0), False)], PrintPlane(folds=True), "mm")
    assert lines == ("G1 X0. Y-5.", "G1 X0. Y5.")


def test_inch_has_four_decimals() -> None:
    assert place_blocks([(25.4, 1.27)], PrintPlane(), "inch") == ("X1. Y0.05",)
