"""The tape and its player."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from pytestqt.qtbot import QtBot

from tests.conftest import START
from underglass.app.main_window import MainWindow

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
