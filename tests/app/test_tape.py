"""The tape and its player."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, QPointF, QSettings, Qt
from PySide6.QtGui import QWheelEvent
from pytestqt.qtbot import QtBot

from tests.conftest import START
from underglass.app.main_window import MainWindow
from underglass.app.tape.player import BLOCK_A_PRESS, FASTEST

PROGRAM = START + "X50. Y-8.\nZ2.\nG1 Z-4. F3000\nY68.\nG0 Z50.\nT2 M6\nG43 H2 Z50.\nM5\nM30\n"


@pytest.fixture
def taped(plain: Callable[..., MainWindow]) -> MainWindow:
    made = plain(PROGRAM)
    made.document.set_moment(0.0)
    return made


def test_steps_go_block_by_block_there_and_back(taped: MainWindow) -> None:
    lines, moments = [], []
    for _ in range(6):
        taped.player.step_block(1)
        lines.append(taped.document.line)
        moments.append(taped.document.moment)
    assert lines == [3, 4, 5, 6, 7, 8]
    assert moments == sorted(moments)
    for k in range(4, -1, -1):
        taped.player.step_block(-1)
        assert taped.document.moment == pytest.approx(moments[k])
    for _ in range(5):
        taped.player.step_block(-1)
    assert taped.document.moment == 0.0


def test_steps_from_tool_change_to_tool_change(taped: MainWindow) -> None:
    proof = taped.document.proof
    assert proof is not None
    taped.player.step_event(1)
    seen = [taped.document.moment]
    while taped.document.moment < proof.timing.total:
        taped.player.step_event(1)
        seen.append(taped.document.moment)
    assert any(m == pytest.approx(float(proof.timing.events[1])) for m in seen)
    taped.player.step_event(-1)
    assert taped.document.moment < proof.timing.total


def test_playing_runs_to_the_end_and_stops(taped: MainWindow, qtbot: QtBot) -> None:
    taped.player.set_speed(64.0)
    with qtbot.waitSignal(taped.player.changed, timeout=20_000):
        taped.player.play()
    assert taped.player.playing
    with qtbot.waitSignal(taped.player.changed, timeout=20_000):
        pass
    assert not taped.player.playing
    assert taped.document.moment == pytest.approx(taped.tape.total)


def test_keys_on_the_tape(taped: MainWindow, qtbot: QtBot) -> None:
    taped.tape.setFocus()
    qtbot.keyClick(taped.tape, Qt.Key.Key_Space)
    assert taped.player.direction == 1
    qtbot.keyClick(taped.tape, Qt.Key.Key_L)
    assert taped.player.speed == 16.0
    qtbot.keyClick(taped.tape, Qt.Key.Key_J)
    assert taped.player.direction == -1
    qtbot.keyClick(taped.tape, Qt.Key.Key_K)
    assert not taped.player.playing
    taped.document.set_moment(0.0)
    qtbot.keyClick(taped.tape, Qt.Key.Key_Right)
    assert taped.document.line == 3


def test_letters_typed_in_the_program_play_nothing(taped: MainWindow, qtbot: QtBot) -> None:
    taped.editor.go_to(8)
    qtbot.keyClicks(taped.editor, "l j ")
    assert not taped.player.playing


def test_place_and_moment_are_each_others_inverse(taped: MainWindow) -> None:
    tape = taped.tape
    for share in (0.0, 0.25, 0.9, 1.0):
        moment = share * tape.total
        assert tape.moment_at(tape.x_of(moment)) == pytest.approx(moment)
    assert tape.moment_at(-500) == 0.0 and tape.moment_at(99999) == tape.total


def test_zoom_keeps_the_moment_under_the_cursor(taped: MainWindow) -> None:
    tape = taped.tape
    at = QPointF(300, 40)
    before = tape.moment_at(300)
    event = QWheelEvent(at, tape.mapToGlobal(at), QPoint(), QPoint(0, 360), Qt.MouseButton.NoButton,
                        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
    tape.wheelEvent(event)
    assert tape.shown < tape.total
    assert tape.moment_at(300) == pytest.approx(before)


def test_an_empty_tape_draws_and_ignores(qtbot: QtBot, plain: Callable[..., MainWindow]) -> None:
    window = plain("M30\n")
    window.tape.grab()
    window.player.play()
    assert not window.player.playing
    window.player.step_block(1)
    assert window.document.moment == 0.0


STOPS = (
    START
    + "(SLOT)\nX50. Y-8.\nZ2.\nG1 Z-2. F300\nY68.\nG1 Z-4.\nY-8.\nG0 Z50.\nM1\n(SHELF)\nX10. Y-8.\nZ1.\nG1 Z-2.\nY68.\nG0 Z50.\n"
    + "M0\nM5\nT2 M6\nG0 G54 X80. Y30. S2000 M3\nG43 H2 Z5.\nG1 Z-6. F100\nG0 Z50.\nM5\nM30\n"
)


def run_through(window: MainWindow, kind: str) -> list[int]:
    """The lines at which playing is held, one halt of a kind after the other."""
    window.document.set_moment(0.0)
    window.player.halts = frozenset({kind})
    said: list[str] = []
    window.player.held.connect(said.append)
    for _ in range(60):
        before = len(said)
        window.player.advance(window.tape.total)
        if len(said) == before:
            break
    window.player.held.disconnect(said.append)
    return [int(s.split("line ")[1].split(":")[0].split(",")[0]) for s in said]


def test_playing_is_held_where_it_is_told_to(plain: Callable[..., MainWindow]) -> None:
    window = plain(STOPS)
    assert run_through(window, "optional") == [13]
    assert run_through(window, "stop") == [20]
    assert run_through(window, "tool") == [22]
    assert run_through(window, "level") == [9, 11, 18]
    assert run_through(window, "pass") == [11, 18, 25]
    window.player.depth = -3.0
    assert run_through(window, "depth") == [10, 25]
    window.player.mark_line(18)
    assert run_through(window, "line") == [18]
    assert len(run_through(window, "block")) > 15


def test_a_halt_at_a_depth_is_where_the_tip_is_there(plain: Callable[..., MainWindow]) -> None:
    window = plain(STOPS)
    window.player.depth = -3.0
    window.player.halts = frozenset({"depth"})
    window.document.set_moment(0.0)
    window.player.advance(window.tape.total)
    assert window.glass.stage.tip()[2] == pytest.approx(-3.0, abs=1e-3)
    assert "Z -3.000" in window.trouble
    window.player.step_halt(1)
    window.player.step_halt(-1)
    assert window.document.line == 10
    window.player.step_halt(-1)
    assert "No more stops" in window.trouble


def test_a_loop_goes_round_and_backwards(plain: Callable[..., MainWindow]) -> None:
    window = plain(STOPS)
    window.player.set_loop((5.0, 9.0))
    window.document.set_moment(8.5)
    window.player.advance(1.0)
    assert window.document.moment == 5.0
    window.player.advance(-1.0)
    assert window.document.moment == 9.0
    window.player.set_loop((9.0, 5.0))
    assert window.player.loop is None  # nothing lies between


def test_a_drag_with_control_loops_a_stretch(plain: Callable[..., MainWindow], qtbot: QtBot) -> None:
    window = plain(STOPS)
    tape, y = window.tape, 40
    a, b = (QPoint(round(tape.x_of(m)), y) for m in (4.0, 12.0))
    qtbot.mousePress(tape, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, a)
    qtbot.mouseMove(tape, b)
    qtbot.mouseRelease(tape, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, b)
    assert window.player.loop == (pytest.approx(4.0, abs=0.3), pytest.approx(12.0, abs=0.3))


def test_an_operation_alone_is_cut_into_fresh_stock(plain: Callable[..., MainWindow]) -> None:
    window = plain(STOPS)
    shelf = next(o for o in window.tape.operations if o.name == "SHELF")
    field = window.glass.stage.cursors[0].field
    slot, step = field.grid.cell_at(50.0, 30.0), field.grid.cell_at(10.0, 30.0)
    window.looking.cut_alone(shelf)
    assert window.document.moment == shelf.start_s and "fresh stock" in window.trouble
    assert window.glass.stage.cursors[0].field.h[slot] == 20.0
    window.document.set_moment(shelf.end_s)
    field = window.glass.stage.cursors[0].field
    assert field.h[step] == pytest.approx(18.0) and field.h[slot] == 20.0
    window.document.set_moment(shelf.start_s)
    assert window.glass.stage.cursors[0].field.h[step] == 20.0  # backwards, too
    assert window.player.bounds == (shelf.start_s, shelf.end_s)
    window.document.set_moment(window.tape.total)
    assert window.glass.stage.cursors[0].field.h[step] == pytest.approx(18.0)
    window.looking.cut_alone(None)
    assert window.glass.stage.cursors[0].field.h[slot] == pytest.approx(16.0)


def test_an_operation_stays_alone_through_an_edit(plain: Callable[..., MainWindow], qtbot: QtBot) -> None:
    window = plain(STOPS)
    window.looking.cut_alone(next(o for o in window.tape.operations if o.name == "SHELF"))
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        window.editor.go_to(17)
        window.editor.replace_lines(16, 16, ["G1 Z-3."])
    window.document.set_moment(window.tape.total)
    field = window.glass.stage.cursors[0].field
    assert field.h[field.grid.cell_at(10.0, 30.0)] == pytest.approx(17.0)
    assert field.h[field.grid.cell_at(50.0, 30.0)] == 20.0


def test_by_block_the_play_button_makes_one_block(plain: Callable[..., MainWindow]) -> None:
    window = plain(STOPS)
    window.document.set_moment(0.0)
    window.player.set_speed(BLOCK_A_PRESS)
    window.transport.play.click()
    assert not window.player.playing and window.document.line == 3
    window.transport.play.click()
    assert window.document.line == 4
    window.player.set_speed(64.0)
    window.player.play()
    window.player.shuttle(1)
    assert window.player.speed == FASTEST
    window.player.stop()


def test_the_tape_shows_down_to_one_block(plain: Callable[..., MainWindow]) -> None:
    window = plain(STOPS)
    tape = window.tape
    for _ in range(80):
        wheel = QWheelEvent(
            QPointF(400, 40), QPointF(400, 40), QPoint(), QPoint(0, 120), Qt.MouseButton.NoButton,
            Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
        )  # fmt: skip
        tape.wheelEvent(wheel)
    assert tape.shown == pytest.approx(0.02, rel=0.3)
    assert not tape.grab().isNull()


def test_what_was_chosen_is_there_the_next_time(plain: Callable[..., MainWindow], tmp_path: Path) -> None:
    window = plain(STOPS)
    window.transport.kinds["tool"].setChecked(True)
    window.player.set_speed(2.0)
    window.glass.show_with(rapids=False, ghost=True)
    window.settings.sync()
    again = MainWindow(QSettings(window.settings.fileName(), QSettings.Format.IniFormat))
    assert again.player.halts == {"tool"} and again.player.speed == 2.0
    assert again.transport.kinds["tool"].isChecked()
    assert not again.glass.showing.rapids and again.glass.showing.ghost
    again.close()


def test_the_panels_switches_change_time_and_stops(plain: Callable[..., MainWindow], qtbot: QtBot) -> None:
    window = plain(STOPS)
    before = window.tape.total
    feeds = float(window.document.proof.timing.duration[~window.document.proof.motions.rapid()].sum())
    assert window.transport.panel.text() == "100 %"
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        window.transport.overrides["feed_override"].enter("50")
    # At half the feed the feed moves take nearly twice as long: only starting and stopping does not.
    assert before + 0.9 * feeds < window.tape.total < before + 1.1 * feeds
    assert window.transport.panel.text() == "50 %"
    window.transport.overrides["feed_override"].enter("1000")
    assert window.transport.overrides["feed_override"].bad and window.document.job.switches.feed_override == 0.5
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        window.transport.flags["optional_stop"].trigger()
    assert [e.kind for e in window.document.proof.motions.events].count("optional-stop") == 0
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        window.setting_up.undo()
    assert window.transport.flags["optional_stop"].isChecked()
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        window.setting_up.undo()
    assert window.tape.total == pytest.approx(before) and window.transport.panel.text() == "100 %"
