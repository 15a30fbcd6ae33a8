"""A program taken up again after an edit is the same as one run from the top, and costs only what changed."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import MillControl as Control
from tests.core.control.test_interpret import PROFILES, WORK
from underglass.core.control import again, plain
from underglass.core.control import timing as timing_module
from underglass.core.control.flow import Flow, Limits
from underglass.core.control.run import Run
from underglass.core.control.state import Registers
from underglass.core.control.timing import Timing, time_motions
from underglass.core.files.profiles import read_control, read_machine
from underglass.core.trades.milling.cut import forbidden

PROFILE, STRICT = (
    replace(read_control(PROFILES / "control" / f"{name}.toml"), limits=Limits(jumps=60))
    for name in ("word-address-mill", "strict-mill")
)
MACHINE = read_machine(PROFILES / "machine" / "mill-3axis.toml")
SUBS = {7: ("O7.nc", ("G91 X1.", "G90", "M99"))}


def control(strict: bool = False) -> Control:
    registers = Registers(work=WORK, length={1: 75.0, 2: 110.0}, radius={1: 5.0, 2: 4.0})
    return Control(STRICT if strict else PROFILE, MACHINE, registers, library=SUBS.get)


def columns(run: Run) -> dict[str, np.ndarray]:
    """What follows from the moves row by row: a run taken up again works it out only where moves are new."""
    m = run.motions
    made = {
        "tool": m.tool_of(),
        "rapid": m.rapid(),
        "radius": m.radius(),
        "length": m.lengths(),
        "forbidden": forbidden(m),
    }
    return made | dict(zip(("low", "high"), m.boxes()))


def assert_same(one: Run, two: Run) -> None:
    a, b = one.motions, two.motions
    for name, column in columns(one).items():
        np.testing.assert_array_equal(column, columns(two)[name], err_msg=name)
    assert len(a) == len(b)
    for name in ("line", "kind", "start", "end", "centre", "sweep", "feed", "plane", "dwell"):
        np.testing.assert_array_equal(getattr(a, name), getattr(b, name), err_msg=name)
    assert [a.in_force[k] for k in a.state] == [b.in_force[k] for k in b.state]
    for name in ("events", "lengths_used", "offsets_used", "radii_used"):
        assert getattr(a, name) == getattr(b, name), name
    assert one.findings == two.findings
    assert (one.ended, one.last_line, one.units_stated) == (two.ended, two.last_line, two.units_stated)
    np.testing.assert_array_equal(one.reached, two.reached)
    assert len(one.stretches) == len(two.stretches)
    for s, t in zip(one.stretches, two.stretches):
        assert (s.switched_on_line, s.end_move, s.side) == (t.switched_on_line, t.end_move, t.side)
        for name in ("line", "first", "last", "start", "end"):
            np.testing.assert_array_equal(getattr(s, name), getattr(t, name))


LINES = [
    "G0 X1. Y2. Z5.", "X3.", "G1 X4. Y1. F200", "Y7", "Z-1.", "G2 X8. Y8. R20.", "G91", "G90", "G17 G21 G40 G80", "T1 M6", "T2 M6",
    "G43 H1 Z20.", "H2", "S900 M3", "M5", "G41 D1 X20.", "G40 X0", "X30. Y30.", "G54", "G55", "G10 L2 P1 X-5.", "G81 X1. Z-2. R1.",
    "G80", "N10 X5.", "IF [#1 LT 2] GOTO 10", "#1=#1+1", "#1=0", "M98 P7", "M98 P100 L2", "G68 X0 Y0 R30.", "G69", "G52 X1.",
    "WHILE [#2 LT 3] DO 1", "#2=#2+1", "END 1", "M0", "M30", "?", "G20", "X1", "", "(note)", "G4 P1.", "O100", "M99", "%",
]  # fmt: skip
programs = st.lists(st.sampled_from(LINES), min_size=0, max_size=60)


@settings(max_examples=300, deadline=None)
@given(programs, st.lists(st.tuples(st.integers(0, 60), st.integers(0, 4), st.lists(st.sampled_from(LINES), max_size=3)), min_size=1, max_size=4), st.integers(1, 7), st.booleans())  # fmt: skip
def test_taken_up_again_is_run_from_the_top(
    program: list[str], edits: list[tuple[int, int, list[str]]], every: int, strict: bool
) -> None:
    kept, again.KEEP_EVERY = again.KEEP_EVERY, every
    try:
        run = control(strict).run(program)
        timing = time_motions(run.motions, MACHINE)
        for at, gone, come in edits:
            program = [*program[:at], *come, *program[at + gone :]]
            run = control(strict).run(program, old=run)
            assert_same(run, control(strict).run(program))
            timing = assert_timed_the_same(run, timing)
    finally:
        again.KEEP_EVERY = kept


def assert_timed_the_same(run: Run, earlier: Timing) -> Timing:
    """A timing that goes on from an earlier one is the whole one, to the last bit."""
    whole = time_motions(run.motions, MACHINE)
    for ahead in (1, 3):
        with pytest.MonkeyPatch.context() as patch:
            patch.setattr(timing_module, "_AHEAD", ahead)
            gone_on = time_motions(run.motions, MACHINE, earlier=(earlier, run.taken_over))
        for name in ("start", "duration", "events"):
            np.testing.assert_array_equal(getattr(gone_on, name), getattr(whole, name), err_msg=name)
        assert gone_on.total == whole.total and gone_on.speeds is not None and whole.speeds is not None
        np.testing.assert_array_equal(gone_on.speeds.corner, whole.speeds.corner)
    return whole


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.tuples(st.integers(-3, 3), st.integers(-1, 1)), min_size=8, max_size=60),
    st.integers(1, 55),
    st.integers(1, 7),
)
def test_the_stop_before_an_edit_is_seen_from_as_far_as_it_takes(
    steps: list[tuple[int, int]], at: int, far: int
) -> None:
    """Short moves at a high feed, nearly in line: the machine slows down over many of them."""
    x = y = 0.0
    lines = ["G21 G17 G40 G49 G80 G90 G94", "G1 F6000"]
    for long, across in steps:
        x, y = x + 0.4 + 0.1 * long, y + 0.02 * across
        lines.append(f"X{x:.3f} Y{y:.3f}")
    at = min(at, len(lines) - 1)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(again, "KEEP_EVERY", 1)
        old = control().run(lines)
        lines = [*lines[: at + 1], f"X{x + far:.3f} Y{-far}.", *lines[at + 1 :], "X0 Y0"]
        new = control().run(lines, old=old)
    assert_timed_the_same(new, time_motions(old.motions, MACHINE))


def long_program(n: int) -> list[str]:
    head = ["G21 G17 G40 G49 G80 G90 G94", "T1 M6", "G0 G54 X0 Y0 S900 M3", "G43 H1 Z5.", "G1 Z-1. F300"]
    return head + [f"X{k % 90}.{k % 7} Y{k % 50}." for k in range(n)] + ["G0 Z50.", "M30"]


@pytest.fixture
def blocks_done(monkeypatch: pytest.MonkeyPatch) -> Callable[[], int]:
    """Blocks that were carried out, one by one or in one go."""
    done = [0]
    real, in_one_go = Control.do, plain.run_on

    def counted(self: Control, block: object) -> None:
        done[0] += 1
        real(self, block)  # type: ignore[arg-type]

    def counted_in_one_go(c: Control, flow: Flow, most: int, x_counts: float) -> int:
        passed = in_one_go(c, flow, most, x_counts)
        done[0] += passed
        return passed

    monkeypatch.setattr(Control, "do", counted)
    monkeypatch.setattr(plain, "run_on", counted_in_one_go)

    def since() -> int:
        count, done[0] = done[0], 0
        return count

    return since


@pytest.mark.parametrize("at", [10, 4000, 9990])
@pytest.mark.parametrize("line", ["X1. Y1.", "X1. Y1.\nX2.", ""])
def test_an_edit_costs_a_few_hundred_blocks(at: int, line: str, blocks_done: Callable[[], int]) -> None:
    program = long_program(10_000)
    first = control().run(program)
    assert blocks_done() == len(program)
    edited = [*program[:at], *line.split("\n"), *program[at + 1 :]]
    second = control().run(edited, old=first)
    assert blocks_done() <= 2 * again.KEEP_EVERY + 3
    assert_same(second, control().run(edited))


def test_what_stays_different_is_run_to_the_end(blocks_done: Callable[[], int]) -> None:
    program = long_program(5_000)
    first = control().run(program)
    edited = program[:]
    edited[4] = "G1 Z-2. F300"
    blocks_done()
    second = control().run(edited, old=first)
    assert blocks_done() > 4_900
    assert_same(second, control().run(edited))


def test_a_changed_subprogram_beside_the_program_is_noticed() -> None:
    program = [*long_program(600)[:-1], "M98 P7", "M30"]
    first = control().run(program)
    registers = Registers(work=WORK, length={1: 75.0, 2: 110.0}, radius={1: 5.0, 2: 4.0})
    other = {7: ("O7.nc", ("G91 X2.", "G90", "M99"))}

    def fresh() -> Control:
        return Control(PROFILE, MACHINE, registers, library=other.get)

    assert_same(fresh().run(program, old=first), fresh().run(program))


def test_a_run_without_a_memory_is_of_no_use_and_does_no_harm() -> None:
    program = long_program(300)
    first = replace(control().run(program), memory=None)
    assert_same(control().run(program, old=first), control().run(program))
