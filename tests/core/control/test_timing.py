"""Times: uniformly accelerated motion, from any textbook of mechanics."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.core.control.test_interpret import PROFILES, run
from underglass.core.control.timing import time_motions
from underglass.core.files.profiles import read_machine

MACHINE = read_machine(PROFILES / "machine" / "mill-3axis.toml")


def test_a_long_rapid_is_a_trapezoid() -> None:
    """t = s / v + v / a for a move long enough to reach its speed: 300 mm at 20 m/min and 3 m/s2."""
    timing = time_motions(run("G0 X0").motions, MACHINE)
    speed, gain = 20000.0 / 60.0, 3000.0
    assert timing.duration[0] == pytest.approx(300.0 / speed + speed / gain)


def test_a_short_rapid_never_reaches_its_speed() -> None:
    """t = 2 sqrt(s / a)."""
    timing = time_motions(run("G0 X299.").motions, MACHINE)
    assert timing.duration[0] == pytest.approx(2.0 * math.sqrt(1.0 / 3000.0))


def test_a_slanted_rapid_is_as_fast_as_its_slowest_axis() -> None:
    timing = time_motions(run("G0 X200. Y50.").motions, MACHINE)
    alone = time_motions(run("G0 X200.").motions, MACHINE)
    assert timing.duration[0] == pytest.approx(alone.duration[0], rel=1e-9)


def test_a_feed_takes_its_length_over_feed_and_little_more() -> None:
    timing = time_motions(run("G0 X0 Y0\nG1 X100. F600").motions, MACHINE)
    assert timing.duration[1] == pytest.approx(10.0, rel=0.002)


def test_straight_on_keeps_its_speed_and_a_corner_does_not() -> None:
    whole = time_motions(run("G0 X0 Y0\nG1 X20. F6000").motions, MACHINE).duration[1:].sum()
    halves = time_motions(run("G0 X0 Y0\nG1 X10. F6000\nX20.").motions, MACHINE).duration[1:].sum()
    corner = time_motions(run("G0 X0 Y0\nG1 X10. F6000\nY10.").motions, MACHINE).duration[1:].sum()
    assert halves == pytest.approx(whole, rel=1e-9)
    assert corner > whole * 1.05


def test_tool_changes_take_their_time_and_moves_wait_for_them() -> None:
    timing = time_motions(run("T1 M6\nG0 X0\nT2 M6\nM30").motions, MACHINE)
    assert timing.events[0] == 0.0
    assert timing.start[0] == pytest.approx(4.0)
    assert timing.total == pytest.approx(8.0 + timing.duration[0])


def test_where_a_moment_is() -> None:
    timing = time_motions(run("G0 X0\nG1 X10. F600\nX20.").motions, MACHINE)
    assert timing.locate(0.0) == (0, 0.0)
    move, share = timing.locate(float(timing.start[1] + timing.duration[1] / 2))
    assert (move, share) == (1, pytest.approx(0.5))
    # Between two moves it is the first of them, done.
    assert timing.locate(timing.end_of(1)) == (1, pytest.approx(1.0))
    assert timing.locate(timing.total + 5) == (2, 1.0)


def test_times_only_grow() -> None:
    text = "G0 X0 Y0 Z0\n" + "\n".join(f"G1 X{math.sin(k) * 9:.3f} Y{k % 7} F{200 + 300 * (k % 9)}" for k in range(300))
    timing = time_motions(run(text).motions, MACHINE)
    assert (timing.duration > 0).all()
    assert (np.diff(timing.start) >= -1e-12).all()
    assert timing.total == pytest.approx(float(timing.start[-1] + timing.duration[-1]))


def test_a_move_without_feed_is_timed_at_the_highest() -> None:
    timing = time_motions(run("G0 X0\nG1 X100.").motions, MACHINE)
    assert timing.duration[1] == pytest.approx(100.0 / (MACHINE.feed_max / 60.0), rel=0.2)
