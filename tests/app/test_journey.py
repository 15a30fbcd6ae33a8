"""The first minute: the demo opens on its crash, one number is changed, the crash is gone."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from tests.conftest import START
from underglass.app.main_window import MainWindow
from underglass.core.files.demo import copy_demo
from underglass.core.finding import Severity
from underglass.core.language.buffer import Place

SLOT = START + "X50. Y-8.\nZ2.\nG1 Z-4. F300\nY68.\nG0 Z50.\nM5\nM30\n"


def type_over(window: MainWindow, line: int, text: str, qtbot: QtBot) -> None:
    """Replace a line by typing, and wait for the new proof."""
    editor = window.editor
    editor.go_to(line)
    editor.select(Place(line - 1, 0), Place(line - 1, len(editor.buffer.lines[line - 1])))
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        qtbot.keyClicks(editor, text)


@pytest.mark.drawn
def test_it_opens_on_the_crash_everywhere(slip: MainWindow) -> None:
    document = slip.document
    assert document.finding is not None and document.finding.severity == Severity.CRASH
    assert document.line == 108
    assert slip.editor.caret.line + 1 == 108
    assert "1 crash" in slip.header.outcome.text()
    assert slip.rail.buttons["prove"].count == 1
    assert slip.findings.list.currentIndex().isValid()
    assert "left clamp" in slip.reader.text
    assert document.moment == pytest.approx(document.finding.time_s)
    assert slip.now.work_text(2) == "-8.000"


@pytest.mark.drawn
def test_one_number_changed_and_the_crash_is_gone(slip: MainWindow, qtbot: QtBot) -> None:
    type_over(slip, 108, "N940 X8. F450", qtbot)
    proof = slip.document.proof
    assert proof is not None and proof.outcome == "clean"
    assert "clean" in slip.header.outcome.text()
    assert slip.rail.buttons["prove"].count == 0
    assert [f.code for f in slip.findings.model.findings if f.code != "first-approach"] == []
    with qtbot.waitSignal(slip.prover.proved, timeout=60_000):
        for _ in range(20):
            slip.editor.undo()
    assert slip.document.proof is not None and slip.document.proof.outcome == "crash"


def test_a_crash_typed_into_the_clean_demo_appears_at_its_line(
    opened: Callable[[Path], MainWindow], tmp_path: Path, qtbot: QtBot
) -> None:
    window = opened(copy_demo("vent-bracket", tmp_path / "demo"))
    assert window.document.proof is not None and window.document.proof.outcome == "clean"
    line = window.document.text.split("\n").index("N750 G1 Z-23.5") + 1
    type_over(window, line, "N750 G0 Z-23.5", qtbot)
    found = window.document.proof.troubles
    assert [(f.code, f.line) for f in found] == [("rapid-into-stock", line)]


@pytest.mark.drawn
def test_dragging_the_tape_back_restores_the_stock(slip: MainWindow, qtbot: QtBot) -> None:
    tape = slip.tape
    cursor = slip.glass.stage.cursors[0]
    end = cursor.field.h.copy()
    x0, x1 = int(tape.x_of(slip.document.moment)), int(tape.x_of(60.0))
    qtbot.mousePress(tape, Qt.MouseButton.LeftButton, pos=QPoint(x0, 40))
    for x in range(x0, x1, -25):
        qtbot.mouseMove(tape, QPoint(x, 40))
    qtbot.mouseMove(tape, QPoint(x1, 40))
    qtbot.mouseRelease(tape, Qt.MouseButton.LeftButton, pos=QPoint(x1, 40))
    moment = slip.document.moment
    assert moment == pytest.approx(60.0, abs=0.5)
    proof = slip.document.proof
    assert proof is not None
    fresh = proof.stocks[0].cursor()
    fresh.go(*proof.timing.locate(moment))
    assert np.array_equal(cursor.field.h, fresh.field.h)
    assert cursor.field.h.sum() > end.sum()
    # The line follows, everywhere.
    line = int(proof.motions.line[proof.timing.locate(moment)[0]])
    assert slip.document.line == line == slip.editor.caret.line + 1
    assert slip.document.finding is None


def test_choosing_a_finding_brings_everything_there(slip: MainWindow, qtbot: QtBot) -> None:
    slip.document.set_moment(10.0)
    assert slip.document.line != 108
    index = slip.findings.model.index(0)
    rect = slip.findings.list.visualRect(index)
    qtbot.mouseClick(slip.findings.list.viewport(), Qt.MouseButton.LeftButton, pos=rect.center())
    assert slip.document.line == 108
    assert slip.document.moment == pytest.approx(slip.document.proof.troubles[0].time_s)  # type: ignore[union-attr]


def test_clicking_the_flag_on_the_tape(slip: MainWindow, qtbot: QtBot) -> None:
    slip.document.set_moment(0.0)
    moment = slip.document.proof.troubles[0].time_s  # type: ignore[union-attr]
    qtbot.mouseClick(slip.tape, Qt.MouseButton.LeftButton, pos=QPoint(int(slip.tape.x_of(moment)), 18))
    assert slip.document.finding is not None and slip.document.line == 108


@pytest.mark.drawn
def test_clicking_the_scar_in_the_glass_lands_on_the_line(slip: MainWindow, qtbot: QtBot) -> None:
    slip.document.set_moment(slip.document.proof.timing.total)  # type: ignore[union-attr]
    place = slip.glass.overlay._place(slip.document.proof.troubles[0])  # type: ignore[union-attr]
    assert place is not None
    qtbot.mouseClick(slip.glass, Qt.MouseButton.LeftButton, pos=place.toPoint())
    assert slip.document.finding is not None and slip.document.line == 108


@pytest.mark.drawn
def test_clicking_a_surface_chooses_the_line_that_cut_it(plain: Callable[..., MainWindow], qtbot: QtBot) -> None:
    window = plain(SLOT)
    window.glass.view("top")
    window.glass.set_shown(lines=False)
    at = window.glass.project(np.array([[50.0, 30.0, -4.0]]))[0]
    qtbot.mouseClick(window.glass, Qt.MouseButton.LeftButton, pos=QPoint(int(at[0]), int(at[1])))
    assert window.document.line == 8
    at = window.glass.project(np.array([[20.0, 30.0, 0.0]]))[0]
    before = window.document.line
    qtbot.mouseClick(window.glass, Qt.MouseButton.LeftButton, pos=QPoint(int(at[0]), int(at[1])))
    assert window.document.line == before  # uncut stock belongs to no line
    assert "Uncut stock" in window.glass.about(QPoint(int(at[0]), int(at[1])).toPointF())


@pytest.mark.drawn
def test_a_wrong_register_shows_as_two_tips(plain: Callable[..., MainWindow], tmp_path: Path) -> None:
    from tests.conftest import PLAIN_JOB

    window = plain(SLOT, PLAIN_JOB + "[registers.length]\nH1 = 80.0\n")
    assert [f.code for f in window.document.proof.troubles] == ["cuts-air", "length-register-wrong"]  # type: ignore[union-attr]
    window.document.select_line(8)
    assert window.now.value("commanded") == "-4.000"
    assert window.now.value("real") == "1.000"
    assert window.now.value("length") == "75.000 / 80.000"


def test_saving_keeps_every_other_byte(opened: Callable[[Path], MainWindow], tmp_path: Path, qtbot: QtBot) -> None:
    from tests.conftest import write_job

    raw = SLOT.replace("\n", "\r\n").encode() + b"%  \r\n"
    window = opened(write_job(tmp_path, raw))
    assert window.save()
    assert (tmp_path / "plain.nc").read_bytes() == raw
    type_over(window, 8, "Y60.", qtbot)
    assert window.document.modified and "●" in window.header._file.text()
    assert window.save()
    assert (tmp_path / "plain.nc").read_bytes() == raw.replace(b"Y68.", b"Y60.")
    assert not window.document.modified


def test_a_folder_that_cannot_be_written_says_so(plain: Callable[..., MainWindow], qtbot: QtBot) -> None:
    window = plain(SLOT)
    assert not window.filing.save_to(Path("/nowhere/at/all.nc"))
    assert "not saved" in window.trouble


def test_inches_are_a_matter_of_showing(plain: Callable[..., MainWindow], qtbot: QtBot) -> None:
    window = plain(SLOT)
    window.document.select_line(8)
    assert window.now.work_text(2) == "-4.000"
    qtbot.mouseClick(window.header.inch, Qt.MouseButton.LeftButton)
    assert window.now.work_text(2) == "-0.1575"
    assert window.reader._name.text() == "What line 8 does"


def test_commands_by_name(slip: MainWindow, qtbot: QtBot) -> None:
    slip.show_commands()
    palette = slip.command_palette
    qtbot.keyClicks(palette.field, "look top")
    assert palette.list.count() == 1
    qtbot.keyClick(palette.field, Qt.Key.Key_Return)
    assert slip.glass.camera.elevation_deg == pytest.approx(89.9)
    slip.show_commands()
    qtbot.keyClicks(slip.command_palette.field, "60")
    qtbot.keyClick(slip.command_palette.field, Qt.Key.Key_Return)
    assert slip.document.line == 60


def test_places_keep_line_and_moment(slip: MainWindow, qtbot: QtBot) -> None:
    line, moment = slip.document.line, slip.document.moment
    before = slip.split.sizes()
    qtbot.mouseClick(slip.rail.buttons["write"], Qt.MouseButton.LeftButton)
    assert slip.place == "write" and slip.split.sizes()[0] > before[0] + 100
    qtbot.mouseClick(slip.rail.buttons["prove"], Qt.MouseButton.LeftButton)
    assert (slip.document.line, slip.document.moment) == (line, moment)
    assert slip.split.sizes() == before


@pytest.mark.drawn
def test_day_and_night(slip: MainWindow, qtbot: QtBot) -> None:
    slip.other_colours()
    assert slip.colours.name == "night"
    assert slip.settings.value("theme") == "night"
    slip.other_colours()
    assert slip.colours.name == "day"
    assert isinstance(QApplication.instance(), QApplication)


def test_the_first_page_opens_the_demo(window: MainWindow, qtbot: QtBot) -> None:
    assert window.stack.currentWidget() is window.first_page
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        qtbot.mouseClick(window.first_page.slip, Qt.MouseButton.LeftButton)
    assert window.document.proof is not None and window.document.proof.outcome == "crash"
    assert window.stack.currentWidget() is not window.first_page


def test_a_change_is_offered_shown_made_and_undone(plain: Callable[..., MainWindow], qtbot: QtBot) -> None:
    text = START + "G1 G41 D1 X-20. Y-30. F300\nX-40.\nT2 M6\nG40\nM30\n"
    window = plain(text)
    finding = next(f for f in window.document.proof.troubles if f.code == "comp-left-on")  # type: ignore[union-attr]
    window.document.select_finding(finding)
    reader = window.reader
    assert (
        reader.fix is not None
        and reader.fix_button.isVisible()
        and reader.fix_button.text() == "Insert G40 before this block"
    )
    assert "+ G40" in reader._preview.text()
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        qtbot.mouseClick(reader.fix_button, Qt.MouseButton.LeftButton)
    lines = window.document.text.split("\n")
    assert lines[6] == "G40" and lines[7] == "T2 M6"
    proof = window.document.proof
    assert proof is not None and "comp-left-on" not in [f.code for f in proof.findings]
    assert not reader.fix_button.isVisible()
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        window.editor.undo()
    assert window.document.text == text


def test_no_change_is_offered_for_text_that_runs_ahead_of_the_proof(
    plain: Callable[..., MainWindow], qtbot: QtBot
) -> None:
    window = plain(START + "X-30.\n")
    window.document.select_line(5)
    assert window.reader.fix is not None and window.reader.fix.after == ("M30",)
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        window.document.set_text(window.document.text + "X-31.\n")
        assert window.reader.fix is None
    window.document.select_line(6)
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        window.reader.make_fix()
    assert window.document.text.rstrip("\n").split("\n")[-1] == "M30"


@pytest.mark.parametrize("units", ["mm", "inch"])
def test_no_figure_of_the_panel_is_cut(plain: Callable[..., MainWindow], units: str) -> None:
    window = plain(START + "X-123.456 Y-123.456\nG53 G0 X-700. Y-400.\nM30\n")
    window.resize(1280, 800)
    window.document.set_units(units)  # type: ignore[arg-type]
    window.document.set_moment(window.tape.total)
    for column in (window.now._work, window.now._machine, window.now._to_go):
        for figure in column:
            assert figure.fontMetrics().horizontalAdvance(figure.text()) <= figure.width(), figure.text()


def test_a_finding_is_accepted_with_a_reason_kept_in_the_job(qtbot: QtBot, slip: MainWindow) -> None:
    window, panel = slip, slip.findings
    grave = next(f for f in window.document.proof.troubles if f.severity.word == "crash")  # type: ignore[union-attr]
    window.document.select_finding(grave)
    assert panel.meant.isVisible() and not panel.accept.isEnabled()
    qtbot.keyClicks(panel.reason, "the clamp is soft")
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        qtbot.keyClick(panel.reason, Qt.Key.Key_Return)
    left = [f for f in window.document.proof.troubles if f.code == grave.code and f.line == grave.line]  # type: ignore[union-attr]
    assert left and left[0].severity.word == "note" and left[0].evidence["accepted"] == "the clamp is soft"
    assert panel.accept.text() == "No longer accept it" and window.document.modified
    assert window.save() and 'reason = "the clamp is soft"' in Path(window.document.job.file).read_text()  # type: ignore[union-attr]
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        panel.accept.click()
    assert any(f.severity.word == "crash" for f in window.document.proof.troubles)  # type: ignore[union-attr]
    assert "[[accepted]]" not in window.document.job_text


def test_prove_gives_the_glass_most_room_from_the_first(slip: MainWindow) -> None:
    program, glass, right = slip.split.sizes()
    assert glass > program and glass > right
