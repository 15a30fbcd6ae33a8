"""What would bring the window down only after hours of work."""

from __future__ import annotations

import sys
from pathlib import Path

from pytestqt.qtbot import QtBot

from underglass.app.main_window import MainWindow
from underglass.core.files.demo import copy_demo


def test_calls_into_qt_leave_the_count_of_references_alone(window: MainWindow) -> None:
    # A binding that gives away a reference too many at each call ends the program when None has none left.
    window.repaint()
    before = sys.getrefcount(None)
    for _ in range(500):
        window.update()
        window.editor.viewport().setObjectName("")
    assert sys.getrefcount(None) > before - 250


def test_a_place_is_made_when_one_goes_there_and_knows_what_was_set_before(
    window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    window.settings.setValue("setup_page", "touch")
    window.settings.setValue("grid_inch", "0.25")
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        assert window.open(copy_demo("vent-bracket-slip", tmp_path / "demo"))
    window.document.set_units("inch")
    late = (
        window.places.setup,
        window.places.machine,
        window.places.handing,
        window.side.late_print,
        window.beside.late_why,
    )
    assert all(one.made is None for one in late)
    edit = window.document.job_edit()
    edit.put(1.0, "registers", "length", "H1")
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        window.document.change_job(edit.text, "a length is out")
    # The rail tells what is wrong in Setup though nobody has been there.
    assert window.rail.buttons["setup"].count > 0
    window.other_colours()
    night = window.colours
    assert window.rail.buttons["setup"].count_colour == night.fault
    window.go_to_place("setup")
    assert window.setup.page == "touch" and window.setup.isVisible() and window.setup.palette_ is night
    assert window.setup.table.model().rowCount() > 0
    window.go_to_place("hand-over")
    assert window.file_page.isVisible() and window.file_page.name.text() == "vent-bracket-slip.nc"
    window.go_to_page("print")
    assert window.middle.currentWidget() is window.side.print.view and window.side.print.view.isVisible()
    window.go_to_page("fill")
    assert window.side.fill.tool.count() > 1 and window.middle.currentWidget() is window.glass
    assert all(one.made is not None for one in (late[0], late[2], late[3])) and late[1].made is None
    window.go_to_place("machine")
    assert window.machine.isVisible() and window.machine.session.view.units == "inch"
