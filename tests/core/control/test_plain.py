"""Blocks that are nothing but places, taken in one go: the same as one by one, to the last bit."""

from __future__ import annotations

import math
import os
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.conftest import PLAIN_JOB, START, write_job
from tests.core.trades.turning.lathe import LATHE_JOB
from tests.core.trades.turning.lathe import START as LATHE_START
from tests.deep.fuzz import differs
from underglass.core.control.desk import Desk
from underglass.core.control.flow import Limits
from underglass.core.control.interpret import Control
from underglass.core.control.run import Run
from underglass.core.files.job import read_job
from underglass.core.language.block import read_block
from underglass.core.proof.job import Job
from underglass.core.proof.prove import control_for

DEEP = bool(os.environ.get("UNDERGLASS_DEEP"))


def _never(_desk: Desk) -> float:
    return 0.0


FIGURES = (
    "10.",
    "-3.25",
    "+7",
    ".5",
    "-.125",
    "0",
    "12.3456789",
    "1e5",
    "1..2",
    "-",
    "99999999999999.",
    "10 .5",
    "007.0",
)
HEADS = ("", "", "", "G1 ", "G01", "G0 ", "N10 ", "N20G1", "G10 ", "G1.5 ", "g1", "/", "G00 ", "G2 ", "G03", "G3 ")
OTHERS = (
    "G91", "G90", "G20", "G21", "F0", "F250.", "G93", "G94", "G95", "M3 S900", "M5", "G41 D1", "G40", "G68 X0 Y0 R30.", "G68 X3. Y-2. R-17.5", "G68 X3. Y-2. R-17.5", "G69", "G51.1 X0", "G50.1", "G51 X0 Y0 P2.", "G50", "G55", "G54",
    "T2 M6", "G43 H2", "G49", "(note)", "", "X1. (note)", "G81 X1. Y1. Z-2. R1.", "G80", "G2 X10. Y10. R30.", "%", "M30", "WHILE [#1 LT 2] DO 1",
    "#1=#1+1", "END 1", "X#1", "G52 X1.", "G10 L2 P1 Z1.", "M0", "G28 Z0", "X1. Y2. F100.", "X1. X2.", "X1. P3.",
    "G17", "G18", "G90.1", "G91.1", "G2 X5. I5. K1.", "G3 X10. Y10. I5. R30.", "G2",
)  # fmt: skip


@st.composite
def an_arc(draw: st.DrawFn) -> str:
    """One that fits, from wherever it begins, in incremental and in absolute places: back to where it began, or from and to the zero."""
    i, j = draw(st.sampled_from(((5, 0), (-3, 4), (0, 0.125), (1.5, -2))))
    to = draw(st.sampled_from(("", f"X{2 * i} Y{2 * j}", f"X{i - j} Y{j + i}", f"X{i - j} Y{j + i} Z-.5", "X0 Y0")))
    centre = draw(
        st.sampled_from((f"I{i} J{j}", f"I{i}J{j}", f"J{j}", f"I{i}.001 J{j}" if isinstance(i, int) else f"I{i}"))
    )
    word, feed = draw(st.sampled_from(("G2 ", "G3 ", "", "G02"))), draw(st.sampled_from(("", "", " F120.")))
    return f"{draw(st.sampled_from(('', '', 'G91 ', 'G90 ')))}{word}{to} {centre}{feed}"


@st.composite
def a_line(draw: st.DrawFn) -> str:
    if draw(st.integers(0, 5)) == 0:
        return draw(st.sampled_from(OTHERS))
    if draw(st.integers(0, 2)) == 0:
        return draw(an_arc())
    letters = draw(
        st.sampled_from(("X", "XY", "Z", "XYZ", "Y", "", "YX", "XZ", "XF", "XZF", "F", "FX", "XI", "IJ", "XYIJ"))
    )
    words = "".join(
        f"{letter}{draw(st.sampled_from(FIGURES))}{draw(st.sampled_from(('', ' ', '  ')))}" for letter in letters
    )
    return draw(st.sampled_from(HEADS)) + words


@pytest.fixture(scope="module")
def job(tmp_path_factory: pytest.TempPathFactory) -> Job:
    return read_job(write_job(Path(tmp_path_factory.mktemp("plain")), "M30\n", PLAIN_JOB))


@pytest.fixture(scope="module")
def lathe(tmp_path_factory: pytest.TempPathFactory) -> Job:
    return read_job(write_job(Path(tmp_path_factory.mktemp("plain lathe")), "M30\n", LATHE_JOB))


def both(job: Job, lines: list[str], limits: Limits | None = None) -> tuple[Run, Run]:
    runs = []
    for long_way in (False, True):
        control: Control = control_for(job)
        if long_way:
            control.dialect = replace(control.dialect, places_alone=_never)
        if limits is not None:
            control.profile = replace(control.profile, limits=limits)
        runs.append(control.run(lines))
    return runs[0], runs[1]


def same(one: Run, two: Run) -> None:
    assert differs(one, two) == ""
    assert np.array_equal(one.reached, two.reached) and one.inherited == two.inherited
    assert one.motions.offsets_used == two.motions.offsets_used and one.motions.events == two.motions.events
    assert one.memory is not None and two.memory is not None
    assert one.memory.checkpoints == two.memory.checkpoints and one.memory.lowest_at_end == two.memory.lowest_at_end


@settings(
    deadline=None, max_examples=2000 if DEEP else 250, suppress_health_check=[HealthCheck.function_scoped_fixture]
)
@given(st.lists(a_line(), max_size=40))
def test_in_one_go_is_as_one_by_one(job: Job, lines: list[str]) -> None:
    # A loop that never ends is met often enough: it need not go round a million times.
    same(*both(job, [*START.splitlines(), "G1 Z-1. F300", *lines], Limits(work=4_000)))


TURNING = (
    "G96 S120",
    "G97 S800",
    "G50 S2000",
    "G98",
    "G99",
    "U1.",
    "W-2.",
    "X10. Z-5. C1.",
    "G42",
    "M5",
    "M3",
    "T0202",
    "G32 Z-9. F1.5",
)


@settings(
    deadline=None, max_examples=1000 if DEEP else 120, suppress_health_check=[HealthCheck.function_scoped_fixture]
)
@given(
    st.lists(st.one_of(a_line(), a_line(), st.sampled_from(TURNING)), max_size=40),
    st.sampled_from(("G96 S150", "G97 S900")),
)
def test_in_one_go_is_as_one_by_one_on_a_lathe(lathe: Job, lines: list[str], speed: str) -> None:
    same(*both(lathe, [*LATHE_START.splitlines(), f"{speed} M3", "G1 X30. Z1. F.2", *lines], Limits(work=4_000)))


def test_feeds_by_the_turn_are_those_of_the_diameter_that_each_move_starts_at(lathe: Job) -> None:
    """n = 1000 v / (pi d), common practice, no source."""
    head = [*LATHE_START.splitlines(), "G96 S150 M3", "G1 X30. Z1. F.2"]
    one, two = both(lathe, [*head, "X20. F.1", "Z-4.", "X40. Z-5. F.25", "M30"])
    same(one, two)
    turns = [1000.0 * 150.0 / (math.pi * d) for d in (30.0, 20.0, 20.0)]
    most = control_for(lathe).machine.spindle_max
    assert one.motions.feed[-3:] == pytest.approx([min(n, most) * f for n, f in zip(turns, (0.1, 0.1, 0.25))])


def test_a_long_way_is_taken_in_one_go_and_its_checkpoints_are_where_they_were(job: Job) -> None:
    lines = [*START.splitlines(), "G1 X0 Y0 F300", *(f"X{k % 90}.{k % 7} Y{k % 50}." for k in range(2000)), "M30"]
    one, two = both(job, lines)
    same(one, two)
    assert len(one.motions) > 2000 and one.memory is not None and len(one.memory.checkpoints) > 6


def test_the_limit_of_moves_is_met_at_the_same_block(job: Job) -> None:
    lines = [*START.splitlines(), "G1 X0 Y0 F300", *(f"X{k % 90}. Y{k % 50}." for k in range(300)), "M30"]
    one, two = both(job, lines, Limits(moves=100))
    same(one, two)
    assert [f.code for f in one.findings] == ["not-proved"] and one.findings[0].line != len(lines)


@pytest.mark.parametrize(
    "text", ["X10. Y-3.25", "X1.5 F.25", "N12 G01X.5Z+7", "G1 X1.", "Y12.3456789", "G3X1.Y2.I-.5J0"]
)
def test_a_line_of_places_is_what_the_reader_reads(text: str) -> None:
    from underglass.core.control.plain import _PLACES

    found = _PLACES.fullmatch(text)
    assert found is not None
    read = {w.letter: w.value for w in read_block(text, 1).words}
    for axis, figure in zip("XYZIJF", found.groups()[1:]):
        assert read.get(axis) == (None if figure is None else float(figure))


def test_arcs_and_lines_that_take_turns_are_taken_in_one_go(job: Job) -> None:
    """Slots of trochoids as they are written out: a line, a half turn out, a line, a half turn back, down a helix first."""
    lines = [*START.splitlines(), "G17", "G0 X20. Y20.", "G1 Z1. F300", "G3 X20. Y20. Z-1. I2. J0"]
    for k in range(400):
        x = 20.0 + 0.1 * k
        lines += [
            f"G1 X{x:.3f} Y24. F250",
            f"G2 X{x + 1:.3f} Y24. I0.5 J0",
            "G91",
            f"N{k} G1 Y-4.",
            "G90",
            f"G3 X{x:.3f} Y20. I-.5 J0",
        ]
    one, two = both(job, [*lines, "G0 Z50.", "M30"])
    same(one, two)
    assert one.findings == () and np.count_nonzero(one.motions.sweep) == 801
    radii = one.motions.radius()
    assert radii[radii > 0.0].round(6).tolist() == [2.0, *[0.5] * 800]
