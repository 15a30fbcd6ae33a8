"""A file for the control, the simulated stick, and two programs side by side, in the real window."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Qt
from pytestqt.qtbot import QtBot

from tests.conftest import START
from underglass.app.main_window import MainWindow
from underglass.core.files.stick import ROOM

Plain = Callable[..., MainWindow]
TEXT = START + "G1 X10. F200\nX20.\nG0 Z50.\nM5\nM30\n"


def test_the_file_is_made_as_the_control_wants_it_and_arrives(plain: Plain, qtbot: QtBot) -> None:
    window = plain("g21 (Ø8 " + "x" * 90 + ")\n" + TEXT)
    qtbot.mouseClick(window.rail.buttons["hand-over"], Qt.MouseButton.LeftButton)
    page = window.file_page
    assert page.isVisible() and page.made is not None
    page.control.setCurrentIndex(page.control.findText("Strict mill"))
    page.name.selectAll()
    qtbot.keyClicks(page.name, "winder-bush-42.nc.txt")
    assert page.made.name == "WINDER-B.NC" and page.made.lines[0] == "%" and page.made.lines[-1] == "%"
    assert page.made.data.count(b"\r\n") == len(page.made.lines) and b"G21 (D8 XXX" in page.made.data
    said = page._found.text()
    assert "two extensions" in said and "longer than 80" in said and "lower case" in said
    page.send_it()
    assert "byte for byte" in page.arrived.text() and "the control lists it" in page.arrived.text()
    listed = [page.list.item(k).text() for k in range(page.list.count())]
    assert any(t.startswith("WINDER-B.NC") for t in listed) and any("two extensions" in t for t in listed)
    page.take_off()
    assert not any(page.list.item(k).text().startswith("WINDER-B.NC") for k in range(page.list.count()))
    # A trouble's link leads to its line in the program.
    page.line_chosen.emit(2)
    assert window.place == "write" and window.document.line == 2


def test_a_full_stick_and_a_folder_that_is_not_there_say_so(plain: Plain, tmp_path: Path) -> None:
    window = plain(TEXT)
    window.go_to_place("hand-over")
    page = window.file_page
    (page._stick / "BIG.NC").write_bytes(b" " * (ROOM - 200))
    page.send_it()
    assert "full" in page.arrived.text()
    assert not page.save_to(Path("/nowhere/at/all.nc")) and "not saved" in page.arrived.text()
    assert page.save_to(tmp_path / "out.nc") and (tmp_path / "out.nc").read_bytes() == page.made.data  # type: ignore[union-attr]


def test_absolute_and_incremental_make_the_same_part(plain: Plain, tmp_path: Path, qtbot: QtBot) -> None:
    cut = "G0 Z2.\nG1 Z-1. F300\n{}G0 Z50.\nM5\nM30\n"
    window = plain(START.replace("X-20. Y-20.", "X20. Y20.") + cut.format("X60.\nY40.\n"))
    other = tmp_path / "incremental.nc"
    other.write_text(START.replace("X-20. Y-20.", "X20. Y20.") + cut.format("G91 X40.\nY20.\nG90\n"))
    page = window.comparing.page
    with qtbot.waitSignal(page.compared, timeout=60_000):
        assert window.comparing.compare_with(other)
    assert page.isVisible() and page.found is not None
    assert page.found.same_part and page.found.same_path and "The same part" in page.verdict.text()
    assert len(page.view.groups) == 1 and page.counted.text() == "1 difference"
    page.by_meaning.setChecked(True)
    assert len(page.view.groups) == 1
    other.write_text(START.replace("X-20. Y-20.", "X20. Y20.") + cut.format("X60.\nY41.\n"))
    with qtbot.waitSignal(page.compared, timeout=60_000):
        window.comparing.compare_with(other)
    assert not page.found.same_part and "Not the same part" in page.verdict.text()
    page._on_link("8,8")
    assert page.view.row == 7 and window.document.line == 8
    qtbot.keyClick(page.view, Qt.Key.Key_Escape)
    assert not page.isVisible() and window.editor.isVisible()


def test_an_edit_is_compared_with_what_is_saved(plain: Plain, qtbot: QtBot) -> None:
    window = plain(TEXT)
    window.editor.go_to(1)
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        qtbot.keyClicks(window.editor, "(NEW) ")
    page = window.comparing.page
    with qtbot.waitSignal(page.compared, timeout=60_000):
        assert window.comparing.compare_with_saved()
    assert page.found is not None and page.found.same_path and len(page.view.groups) == 1
    qtbot.keyClick(page.view, Qt.Key.Key_F7)
    assert page.view.row == 0
    page.by_meaning.setChecked(True)
    assert page.counted.text() == "same text"
    assert not window.comparing.compare_with(Path("/nowhere.nc")) and "nowhere" in window.trouble
