"""The control: what words do, in which order, and where the machine then stands."""

from __future__ import annotations

import math
from pathlib import Path

import pytest

from tests.conftest import MillControl as Control
from underglass.core.control.motions import Kind
from underglass.core.control.run import Run
from underglass.core.control.state import Registers, Switches
from underglass.core.data import data_folder
from underglass.core.files.profiles import read_control, read_machine

PROFILES = data_folder() / "profiles"
WORK = {"G54": (-300.0, -150.0, -200.0), "G55": (-100.0, -150.0, -200.0)}


def run(text: str, switches: Switches | None = None, profile: Path | None = None) -> Run:
    control = Control(
        read_control(profile or PROFILES / "control" / "word-address-mill.toml"),
        read_machine(PROFILES / "machine" / "mill-3axis.toml"),
        Registers(work=WORK, length={1: 75.0, 2: 110.0}, radius={1: 5.0}),
        switches,
    )
    return control.run(text.splitlines())


def ends(done: Run) -> list[tuple[float, float, float]]:
    """Work coordinates at the end of each move."""
    m = done.motions
    return [tuple(round(v, 6) for v in m.state_of(k).work(m.at(k, 1.0))) for k in range(len(m))]  # type: ignore[misc]


def codes(done: Run) -> list[str]:
    return [f.code for f in done.findings]


def test_machine_is_programmed_plus_offset_plus_length() -> None:
    done = run("T1 M6\nG0 G54 X10. Y20.\nG43 H1 Z5.\nM30")
    assert done.motions.end[-1].tolist() == [10.0 - 300.0, 20.0 - 150.0, 5.0 - 200.0 + 75.0]
    assert ends(done)[-1] == (10.0, 20.0, 5.0)
    assert done.ended


def test_the_length_register_moves_nothing_by_itself() -> None:
    done = run("G0 G54 X0 Y0\nG43 H1\nX5.")
    assert len(done.motions) == 2
    assert done.motions.end[1, 2] == 0.0  # machine Z as it was
    assert ends(done)[1][2] == pytest.approx(0.0 + 200.0 - 75.0)


def test_another_offset_moves_nothing_by_itself() -> None:
    done = run("G0 G54 X0 Y0\nG55\nX0")
    assert done.motions.end[1].tolist() == [-100.0, -150.0, 0.0]


def test_g53_ignores_offset_and_length_for_one_block() -> None:
    done = run("G43 H1 G0 Z50.\nG53 G0 Z-10.\nZ50.")
    assert done.motions.end[:, 2].tolist() == [-75.0, -10.0, -75.0]


def test_g91_steps_from_where_the_machine_is() -> None:
    done = run("G0 X10. Y10. Z0\nG91 G1 X1. Y-2. F100\nX1.\nG90 X0")
    assert [e[:2] for e in ends(done)] == [(10, 10), (11, 8), (12, 8), (0, 8)]


def test_inch_words_are_inches() -> None:
    done = run("G20 G0 X1. Y0 Z0\nG1 X2. F10.")
    assert ends(done)[0][0] == pytest.approx(25.4)
    assert done.motions.feed[1] == pytest.approx(254.0)


def test_a_block_starts_the_spindle_before_it_moves_and_stops_it_after() -> None:
    """NISTIR 6556 table 8, from memory: speed and spindle come before motion. M5 at the block's end: common practice."""
    done = run("G0 X1. Y1. Z0\nX2. M3 S3000\nX3. M5\nX4.")
    assert [done.motions.state_of(k).spindle for k in range(4)] == ["off", "clockwise", "clockwise", "off"]


def test_stop_words_at_the_blocks_start_by_profile(tmp_path: Path) -> None:
    text = (PROFILES / "control" / "word-address-mill.toml").read_text().replace('= "block-end" ', '= "block-start" ')
    mine = tmp_path / "mine.toml"
    mine.write_text(text)
    done = run("G0 X1. Y1. Z0 M3 S100\nX3. M5", profile=mine)
    assert done.motions.state_of(1).spindle == "off"


def test_t_alone_only_gets_the_tool_ready() -> None:
    done = run("T1 M6\nT2\nG0 X1. Y0 Z0\nM6\nX2.")
    tools = done.motions.tool_of().tolist()
    assert tools[0] == 1 and tools[-1] == 2
    assert [e.tool for e in done.motions.events] == [1, 2]


def test_a_tool_change_lifts_to_the_top_first() -> None:
    done = run("T1 M6\nG0 G54 X0 Y0\nG43 H1 Z5.\nT2 M6\nM30")
    assert done.motions.line.tolist() == [2, 3, 4]
    assert done.motions.kind[2] == Kind.RAPID
    assert done.motions.end[2, 2] == 0.0
    assert done.motions.state_of(2).tool == 1


def test_helix_keeps_plane_arc_and_height() -> None:
    done = run("G0 X7. Y7. Z5.\nG17 G2 X10. Y16. I3. J4. Z9. F100")
    m = done.motions
    assert (m.centre[1, :2] - np_shift(m, 1)).tolist() == pytest.approx([10.0, 11.0])
    assert m.radius()[1] == pytest.approx(5.0)
    # Length of a helix: sqrt((r a)^2 + z^2).
    turn = math.pi - math.atan2(3, 4)
    assert m.lengths()[1] == pytest.approx(math.hypot(5.0 * turn, 4.0))


def np_shift(motions, k: int):  # type: ignore[no-untyped-def]
    return motions.shifts()[k, :2]


def test_arc_places_lie_on_the_arc() -> None:
    done = run("G0 X10. Y0 Z0\nG3 X-10. Y0 I-10. J0 F100")
    m = done.motions
    top = m.state_of(1).work(m.at(1, 0.5))
    assert top[:2] == pytest.approx((0.0, 10.0))
    assert m.state_of(1).work(m.at(1, 0.25))[:2] == pytest.approx((10 / math.sqrt(2), 10 / math.sqrt(2)))


@pytest.mark.parametrize(
    ("text", "code", "line", "column"),
    [
        ("G0 X10. Y0 Z0\nG1 X20.", "feed-missing", 2, 1),
        ("G0 X10. Y0 Z0\nG1 X20. F0", "feed-missing", 2, 9),
        ("F100 G0 X10. Y0 Z0\nG2 X20.", "arc-centre-missing", 2, 1),
        ("F100 G0 X10. Y0 Z0\nG2 X10. Y0 R5.", "arc-centre-missing", 2, 12),
        ("F100 G0 X10. Y0 Z0\nG2 X20. Y0 I4.9 J0", "arc-mismatch", 2, 12),
        ("F100 G0 X10. Y0 Z0\nG2 X20. Y0 R4.", "arc-mismatch", 2, 12),
        ("G0 G1 X1.", "modal-conflict", 1, 4),
        ("G0 X1. X2.", "modal-conflict", 1, 8),
        ("M3 M5", "modal-conflict", 1, 4),
        ("G123 X1.", "word-unknown", 1, 1),
        ("G0 X1. A90.", "not-proved", 1, 8),
        ("G0 X1. A0.\nG1 A0 X5. F100", "not-proved", 1, 8),
        ("G0 X1. E9.", "word-unknown", 1, 8),
        ("M6", "tool-unknown", 1, 1),
        ("X5.", "syntax", 1, 1),
        ("G0 X5. Y", "syntax", 1, 8),
        ("G0 X5.\nG43 Z5.", "length-number-missing", 2, 1),
    ],
)
def test_alarms_stand_at_their_word(text: str, code: str, line: int, column: int) -> None:
    found = run(text + "\nM30").findings
    assert [(f.code, f.line, f.column) for f in found] == [(code, line, column)]
    assert found[0].remedy


def test_the_mismatch_message_shows_both_radii() -> None:
    found = run("F100 G0 X10. Y0 Z0\nG2 X20. Y0 I4.9 J0").findings[0]
    assert "4.900" in found.message and "5.100" in found.message
    assert found.evidence["start_radius_mm"] == pytest.approx(4.9)
    assert found.evidence["end_radius_mm"] == pytest.approx(5.1)


def test_radii_may_differ_within_the_profiles_tolerance() -> None:
    assert not codes(run("F100 G0 X10. Y0 Z0\nG2 X20.009 Y0 I5. J0"))
    assert codes(run("F100 G0 X10. Y0 Z0\nG2 X20.011 Y0 I5. J0")) == ["arc-mismatch"]


def test_one_missing_feed_is_one_finding() -> None:
    assert codes(run("G0 X0 Y0 Z0\nG1 X1.\nX2.\nX3.\nF100 X4.\nM30")) == ["feed-missing"]


def test_one_slip_does_not_hide_the_next() -> None:
    done = run("G0 X1. Y?\nG1 X2.\nG2 X3. Y0\nG999\nM30")
    assert codes(done) == ["syntax", "feed-missing", "arc-centre-missing", "word-unknown"]


def test_block_skip_and_optional_stop_are_switches() -> None:
    text = "G0 X1. Y0 Z0\n/X2.\nM1\nX3."
    assert len(run(text).motions) == 3
    assert len(run(text, Switches(block_skip=True)).motions) == 2
    assert [e.kind for e in run(text).motions.events] == ["optional-stop"]
    assert run(text, Switches(optional_stop=False)).motions.events == ()


def test_nothing_runs_after_the_end() -> None:
    done = run("G0 X1. Y0 Z0\nM30\nX2.\nG999")
    assert len(done.motions) == 1 and done.ended and not done.findings


def test_a_move_of_no_length_is_no_move() -> None:
    assert len(run("G0 X1. Y0 Z0\nX1.\nG1 X1. F100").motions) == 1
