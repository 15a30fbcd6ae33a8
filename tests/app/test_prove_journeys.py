"""Whole ways through the window: what a programmer, a setter and a student do when they write, set up and prove."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from tests.app.test_journey import type_over
from tests.conftest import PLAIN_JOB, START
from tests.core.proof.test_compensation_left import retreat
from underglass.app.main_window import MainWindow
from underglass.core.files.demo import copy_demo
from underglass.core.finding import Severity


def proved(window: MainWindow, qtbot: QtBot, act: Callable[[], object]) -> None:
    """Do something and wait for the proof of it."""
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        act()


# -- 1 write -----------------------------------------------------------------------------------------------------------


def test_a_program_is_pasted_mended_copied_deeper_and_numbered(window: MainWindow, qtbot: QtBot) -> None:
    """Paste, see what is wrong, mend it by what is offered, copy the pass lower, number the lines, all of it undone."""
    window.new_program()
    editor = window.editor
    editor.select_all()
    program = START + "X50. Y-8.\nZ2.\nG1 Z-2. F300\nY68.\nG2 X40. Y50. R2.\nG0 Z50.\nM5\nM30\n"
    QApplication.clipboard().setText(program)
    proved(window, qtbot, editor.paste)
    found = {f.code for f in window.document.proof.findings}
    assert "arc-mismatch" in found or "arc-centre-missing" in found or any(c.startswith("arc") for c in found)
    line = next(f.line for f in window.document.proof.findings if f.code.startswith("arc"))
    proved(window, qtbot, lambda: editor.replace_lines(line - 1, line - 1, ["G2 X40. Y58. R10."]))
    assert not any(f.code.startswith("arc") for f in window.document.proof.findings)
    first = window.document.proof
    proved(window, qtbot, lambda: editor.replace_lines(6, 6, ["G1 Z-4. F300"]))
    # A proof follows each edit, and the moment stays with the line that was changed.
    assert window.document.proof is not first
    cut = window.document.proof.stocks[0]
    assert float(cut.removed.sum()) > float(first.stocks[0].removed.sum())
    proved(window, qtbot, editor.undo)
    assert float(window.document.proof.stocks[0].removed.sum()) == pytest.approx(float(first.stocks[0].removed.sum()))


# -- 2 set up ------------------------------------------------------------------------------------------------------------


def test_a_wrong_register_is_seen_tried_and_set_right(plain: Callable[..., MainWindow], qtbot: QtBot) -> None:
    """H1 holds 5 mm too little: two tips in the glass, the row in Setup, the quick fix, and the finding is gone."""
    wrong = PLAIN_JOB + "\n[registers.length]\nH1 = 70.0\n"
    window = plain(START + "X50. Y-8.\nZ12.\nG1 Z-4. F300\nY68.\nG0 Z50.\nM5\nM30\n", wrong)
    finding = next(f for f in window.document.proof.findings if f.code == "length-register-wrong")
    assert finding.severity >= Severity.FAULT
    window.document.select_line(8)
    assert window.now.value("commanded") == "-4.000" and window.now.value("real") == "-9.000"
    window.looking.hold_run()
    window.document.select_finding(finding)
    proved(window, qtbot, window.findings.make.click)
    window.document.select_line(8)
    assert window.now.value("real") == "-4.000" == window.now.value("commanded")
    runs = window.beside.runs
    qtbot.waitUntil(lambda: runs.comparison is not None)
    # The held run cut the slot 5 mm deeper: that much more is standing now.
    assert runs.comparison.a_lacks is not None and runs.comparison.a_lacks.depth_mm == pytest.approx(5.0, abs=1e-3)
    proved(window, qtbot, window.setting_up.undo)
    assert window.document.job.registers.length[1] == 70.0


# -- 3 prove -------------------------------------------------------------------------------------------------------------


@pytest.mark.drawn
def test_the_student_finds_the_brush_and_mends_it(slip: MainWindow, qtbot: QtBot) -> None:
    """Back three seconds, play, the flag holds it, click the scar, change one number: the flag is gone."""
    crash = slip.document.finding
    assert crash is not None and crash.severity == Severity.CRASH
    slip.document.set_moment(crash.time_s - 3.0)
    slip.transport.kinds["finding"].setChecked(True)
    slip.player.set_speed(64.0)
    with qtbot.waitSignal(slip.player.held, timeout=60_000) as held:
        slip.player.play()
    assert "left clamp" in held.args[0] and slip.document.moment == pytest.approx(crash.time_s)
    qtbot.waitUntil(lambda: slip.glass.still, timeout=60_000)
    at = slip.glass.overlay._place(crash)
    qtbot.mouseClick(slip.glass, Qt.MouseButton.LeftButton, pos=at.toPoint())
    assert slip.document.line == 108 and slip.document.finding == crash
    type_over(slip, 108, "N940 X8. F450", qtbot)
    assert slip.document.proof.outcome == "clean" and slip.findings.model.findings[0].code == "first-approach"


def test_lines_first_then_the_solid_block_by_block_to_an_operation_far_down(
    opened: Callable[[Path], MainWindow], tmp_path: Path, qtbot: QtBot
) -> None:
    window = opened(copy_demo("vent-bracket", tmp_path / "demo"))
    glass, player = window.glass, window.player
    qtbot.keyClick(glass, Qt.Key.Key_S)
    assert not glass.show_solid and glass.show_lines
    qtbot.keyClick(glass, Qt.Key.Key_S)
    # Straight to the drill, far down, with everything before it cut.
    drill = next(o for o in window.tape.operations if o.tool == 4)
    window.looking.go_to_operation(drill)
    proof = window.document.proof
    fresh = proof.stocks[0].cursor()
    fresh.go(*proof.timing.locate(drill.start_s))
    assert np.array_equal(glass.stage.cursors[0].field.h, fresh.field.h)
    # Its first move down, block by block: the real tip's height is that of the first approach.
    approach = next(f for f in proof.approaches if f.tool == 4)
    for _ in range(6):
        qtbot.keyClick(window.tape, Qt.Key.Key_Right)
        if window.document.line == approach.line:
            break
    assert window.document.line == approach.line
    top = max(s.top for s in proof.job.bench.stocks) - proof.job.bench.part_zero.z
    assert glass.stage.tip()[2] - top == pytest.approx(float(approach.evidence["height_mm"]))
    # Hold at tool changes from here: the next one is the slot drill's.
    player.halts = frozenset({"tool"})
    player.advance(window.tape.total)
    assert "tool change" in window.trouble and window.document.moment > drill.end_s - 1e-6


def test_what_compensation_left_is_found_explained_and_mended(plain: Callable[..., MainWindow], qtbot: QtBot) -> None:
    """The caution leads to the lens; an overrun is tried; the program is changed by it; the caution is gone."""
    window = plain(retreat(90.0))
    (finding,) = [f for f in window.document.proof.findings if f.code == "comp-exit-remains"]
    window.document.select_finding(finding)
    window.beside.choose("lens")
    lens = window.beside.lens
    qtbot.waitUntil(lambda: lens.lens is not None)
    assert "Left standing" in lens.said.text() and f"{float(finding.evidence['remains_mm']):.3f}" in lens.said.text()
    lens.over.field.enter("6")
    qtbot.waitUntil(lambda: lens.lens.overrun == 6.0)
    assert "Nothing is left" in lens.said.text()
    # What was tried, written: past the middle by six, and away from there.
    lines = window.document.lines
    edited = [*lines[:12], "X44.", "X44. Y-32.", *lines[14:]]
    proved(window, qtbot, lambda: window.editor.replace_lines(0, len(lines) - 1, edited))
    assert not [f for f in window.document.proof.findings if f.code.startswith("comp-")]


def test_a_stop_is_used_to_measure_correct_and_edit_what_is_still_to_come(
    plain: Callable[..., MainWindow], qtbot: QtBot
) -> None:
    text = START + "X50. Y-8.\nZ2.\nG1 Z-4. F300\nY68.\nG0 Z50.\nM0\nX20. Y-8.\nG1 Z-4.\nY68.\nG0 Z50.\nM5\nM30\n"
    window = plain(text)
    window.player.halts = frozenset({"stop"})
    window.document.set_moment(0.0)
    window.player.advance(window.tape.total)
    window.beside.choose("stop")
    page = window.beside.stop
    qtbot.waitUntil(lambda: page.stop is not None)
    stopped = window.document.moment
    # A block not yet run is edited; the cut up to the stop is the same afterwards.
    before = window.glass.stage.cursors[0].field.h.copy()
    proved(window, qtbot, lambda: window.editor.replace_lines(11, 11, ["G1 Z-3."]))
    window.document.set_moment(stopped)
    assert np.array_equal(window.glass.stage.cursors[0].field.h, before)
    page.refresh()
    window.player.halts = frozenset()
    window.player.advance(window.tape.total)
    field = window.glass.stage.cursors[0].field
    assert field.h[field.grid.cell_at(20.0, 30.0)] == pytest.approx(17.0)
    assert field.h[field.grid.cell_at(50.0, 30.0)] == pytest.approx(16.0)


def test_the_tape_is_dragged_while_a_proof_runs(plain: Callable[..., MainWindow], qtbot: QtBot) -> None:
    """Nothing waits: the old picture stays usable until the new one is there."""
    window = plain(START + "X50. Y-8.\nZ2.\nG1 Z-4. F300\nY68.\nG0 Z50.\nM5\nM30\n")
    window.prove(at_once=True)
    tape = window.tape
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        qtbot.mousePress(tape, Qt.MouseButton.LeftButton, pos=QPoint(200, 40))
        for x in range(200, 500, 20):
            qtbot.mouseMove(tape, QPoint(x, 40))
            window.glass.camera = window.glass.camera.turned(2.0, 0.0)
            window.glass.restless()
    qtbot.mouseRelease(tape, Qt.MouseButton.LeftButton, pos=QPoint(480, 40))
    assert window.document.proof is not None


def test_the_finished_part_is_measured_like_one(plain: Callable[..., MainWindow], qtbot: QtBot, tmp_path: Path) -> None:
    """Section, slot's width, and the check that the time on the tape is the summary's."""
    window = plain(START + "X50. Y-8.\nZ2.\nG1 Z-4. F300\nY68.\nG0 Z50.\nM5\nM30\n")
    window.document.set_moment(window.tape.total)
    window.glass.view("top")
    window.glass.measuring.choose("across")
    x, y, _depth = window.glass.project(np.array([[50.0, 30.0, -4.0]]))[0]
    window.glass.measuring.click(*window.glass.seen.ray(x, y))
    assert window.glass.measuring.result.value == pytest.approx(10.0, abs=0.25)
    window.beside.choose("whole")
    qtbot.waitUntil(lambda: window.beside.whole.summary is not None)
    assert window.beside.whole.summary.time_s == pytest.approx(window.tape.total)


def test_a_lines_own_menu_leads_to_what_is_proved_of_it(plain: Callable[..., MainWindow], qtbot: QtBot) -> None:
    window = plain(retreat(90.0))
    window.editor.go_to(10)
    actions = {a.text().split("\t")[0]: a for a in window.editor.make_menu().actions()}
    actions["Hold here when playing"].trigger()
    window.document.set_moment(0.0)
    window.player.advance(window.tape.total)
    assert "Held before line 10" in window.trouble
    actions["Start here: what to send first"].trigger()
    assert window.beside.page == "start" and window.document.line == 10
    actions["The compensation lens"].trigger()
    assert window.beside.lens.view.isVisible()
    actions["Play from here"].trigger()
    assert window.player.playing and window.document.moment >= window.document.proof.moment_of_line(10)
    window.player.stop()
    actions["Cut this operation alone"].trigger()
    assert window.player.alone is not None
    # In the second view of the program it is the same.
    window.program.split()
    assert "Hold here when playing" in {a.text() for a in window.program.lower.make_menu().actions()}
