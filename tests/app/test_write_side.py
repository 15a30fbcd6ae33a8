"""Beside the text, in the real window: words offered, what is in force, forms, reckoners, the print, the shop's texts."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import ezdxf
import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QColor, QPixmap
from PySide6.QtWidgets import QComboBox, QLineEdit
from pytestqt.qtbot import QtBot

from tests.conftest import PLAIN_JOB, START
from underglass.app.main_window import MainWindow
from underglass.core.compose.operation import find_at
from underglass.core.language.buffer import Place
from underglass.core.trades.milling.operations.all import OPERATIONS

ALU = PLAIN_JOB.replace("[stock]", '[stock]\nmaterial = "aluminium"')
TEXT = START + "\nG0 Z50.\nM5\nM30\n"
Plain = Callable[..., MainWindow]


@pytest.fixture
def writing(plain: Plain) -> MainWindow:
    window = plain(TEXT, ALU)
    window.go_to_place("write")
    window.editor.go_to(5)
    return window


def set_field(window: MainWindow, key: str, text: str) -> None:
    field = window.side.fill.form.editor(key) if window.side.page == "fill" else window.side.reckon.form.editor(key)
    if isinstance(field, QComboBox):
        field.setCurrentIndex(field.findData(text))
    else:
        assert isinstance(field, QLineEdit)
        field.setText(text)


def standing_known(window: MainWindow, qtbot: QtBot) -> None:
    qtbot.waitUntil(lambda: window.side.standing is not None and window.side.standing.line == window.document.line)


# -- words offered -----------------------------------------------------------------------------------------------------------


def test_words_are_offered_as_they_are_typed_and_taken_with_tab(writing: MainWindow, qtbot: QtBot) -> None:
    editor = writing.editor
    qtbot.keyClicks(editor, "G8")
    offered = editor.completion
    assert offered.isVisible() and offered.choice is not None and offered.choice.text == "G80"
    qtbot.keyClick(editor, Qt.Key.Key_Down)
    qtbot.keyClick(editor, Qt.Key.Key_Tab)
    assert writing.document.lines[4] == "G81" and not offered.isVisible() and writing.focusWidget() is editor
    qtbot.keyClicks(editor, " H")
    assert [s.text for s in offered.offered] == ["H1", "H2"]
    qtbot.keyClick(editor, Qt.Key.Key_Escape)
    assert not offered.isVisible() and writing.focusWidget() is editor
    qtbot.keyClicks(editor, " (G")
    assert not offered.isVisible()


def test_words_can_be_asked_for_and_a_cycle_names_what_it_lacks(writing: MainWindow, qtbot: QtBot) -> None:
    qtbot.keyClicks(writing.editor, "G83 X5. ")
    next(a for a in writing.actions() if a.text() == "Suggestions").trigger()
    assert [s.text for s in writing.editor.completion.offered] == ["Z", "R", "Q"]
    writing.editor.take_word()
    assert writing.document.lines[4] == "G83 X5. Z"


# -- what is in force --------------------------------------------------------------------------------------------------------


def test_what_is_in_force_follows_the_cursor(writing: MainWindow, qtbot: QtBot) -> None:
    writing.editor.go_to(4)
    standing_known(writing, qtbot)
    here = writing.side.here
    assert "G43 H1 = 75.000" in here.text and "was off, G49" in here.text
    assert not here.figure.isVisible()
    with qtbot.waitSignal(writing.prover.proved, timeout=60_000):
        writing.editor.select(Place(4, 0), Place(4, 0))
        qtbot.keyClicks(writing.editor, "G83 X5. Y5. Z-8. R2. F90")
    standing_known(writing, qtbot)
    assert (
        here.figure.isVisible() and "G83" in here._cycle_words.text() and "depth of a peck" in here._cycle_words.text()
    )
    writing.editor.go_to(9)
    assert writing.document.line == 9


def test_half_a_word_keeps_the_last_good_picture(writing: MainWindow, qtbot: QtBot) -> None:
    before = writing.document.proof
    qtbot.keyClicks(writing.editor, "X")
    assert not writing.prover.busy and writing.document.proof is before and not writing.document.proof_is_current
    with qtbot.waitSignal(writing.prover.proved, timeout=60_000):
        qtbot.keyClicks(writing.editor, "5.")
    qtbot.keyClicks(writing.editor, "Y")
    assert writing._unfinished.isActive() or writing.prover.busy
    with qtbot.waitSignal(writing.prover.proved, timeout=60_000):
        qtbot.keyClick(writing.editor, Qt.Key.Key_Down)
    assert writing.document.proof_is_current


# -- forms -------------------------------------------------------------------------------------------------------------------


def test_a_pocket_is_filled_in_written_proved_and_opened_again(writing: MainWindow, qtbot: QtBot) -> None:
    writing.go_to_page("fill")
    fill = writing.side.fill
    fill.choose("Pocket, round")
    assert fill.form.entered["t"] == "1" and fill.form.entered["d"] == "10" and fill.form.entered["cx"] == "50"
    assert float(fill.form.entered["s"]) == 12000.0
    set_field(writing, "dia", "8")
    assert "wider" in fill.form.said_at("d") and not fill.write.isEnabled()
    set_field(writing, "dia", "x")
    assert "figure" in fill.form.said_at("dia") and fill.form.entered["dia"] == "x"
    set_field(writing, "dia", "1.5in/1.27")
    set_field(writing, "deep", "6")
    with qtbot.waitSignal(writing.prover.proved, timeout=60_000):
        qtbot.mouseClick(fill.write, Qt.MouseButton.LeftButton)
    found = find_at(writing.document.lines, writing.editor.caret.line, OPERATIONS)
    assert found is not None and found.entered["dia"] == "30" and not found.edited
    proof = writing.document.proof
    assert proof is not None
    field = proof.stocks[0].final
    assert field.height_at(50.0, 30.0) == pytest.approx(14.0) and field.height_at(50.0, 44.0) == pytest.approx(14.0)
    assert field.height_at(50.0, 45.5) == pytest.approx(20.0)
    # Opened again from its text, changed, written over; then changed by hand, which is noticed.
    qtbot.waitUntil(lambda: fill.found is not None)
    fill.open_found()
    assert fill.form.entered["dia"] == "30" and fill.write.text() == "Update"
    set_field(writing, "deep", "4")
    with qtbot.waitSignal(writing.prover.proved, timeout=60_000):
        fill.ask_write()
    assert "DEEP=4." in "".join(writing.document.lines[4:8]) and writing.document.lines[-3] == "M5"
    line = next(k for k, t in enumerate(writing.document.lines) if t.startswith("G3 X"))
    writing.editor.select(Place(line, 0), Place(line, 2))
    with qtbot.waitSignal(writing.prover.proved, timeout=60_000):
        qtbot.keyClicks(writing.editor, "G2")
    qtbot.waitUntil(lambda: fill.found is not None and fill.found.edited)
    assert "by hand" in fill.there.text()
    while writing.document.buffer.can_undo:
        writing.editor.undo()
    assert writing.document.text == TEXT


def test_every_operation_can_be_reached_by_name_and_takes_the_tool(writing: MainWindow, qtbot: QtBot) -> None:
    for operation in OPERATIONS:
        next(a for a in writing.actions() if a.text() == f"Fill in: {operation.name}").trigger()
        assert writing.side.page == "fill" and writing.side.fill.operation is operation
        qtbot.waitUntil(lambda: not writing.side.fill.form.working, timeout=20_000)
        assert writing.side.fill.form.answer is not None, writing.side.fill.form.why_not
    fill = writing.side.fill
    fill.tool.setCurrentIndex(fill.tool.findData(2))
    fill.take_tool()
    assert fill.form.entered["d"] == "8" and fill.form.entered["t"] == "2"


def test_a_tool_comes_in_and_goes_with_the_shops_texts(writing: MainWindow, tmp_path: Path) -> None:
    writing.go_to_page("texts")
    texts = writing.side.texts
    texts.choice.setCurrentIndex(texts.choice.findData("tool_start"))
    texts.edit.setPlainText("({TOOL} COMES IN)\nT{T} M6\nG0 G54 X{X} Y{Y} S{S} M3\nG43 H{H} Z{Z}\n{OOPS}")
    assert "{OOPS}" in texts.said.text() and not texts.write.isEnabled()
    texts.edit.setPlainText("({TOOL} COMES IN)\nT{T} M6\nG0 G54 X{X} Y{Y} S{S} M3\nG43 H{H} Z{Z}")
    assert texts.shown.toPlainText().startswith("(END MILL 10 COMES IN)\nT1 M6")
    texts.keep_text()
    assert texts.keep.isEnabled() is False
    writing.go_to_page("fill")
    fill = writing.side.fill
    fill.choose("Facing")
    fill.with_tool.setChecked(True)
    fill.ask_write()
    text = "\n".join(writing.document.lines)
    assert "(END MILL 10 COMES IN)\nT1 M6\nG0 G54 X-7. Y" in text and "(FACING: END" in text
    # Another window of the same settings has the shop's text.
    other = MainWindow(writing.settings)
    assert "COMES IN" in other.side.texts.texts.tool_start
    other.close()


# -- reckoners ---------------------------------------------------------------------------------------------------------------


def test_an_arc_is_reckoned_from_where_the_tool_is_and_written(writing: MainWindow, qtbot: QtBot) -> None:
    standing_known(writing, qtbot)
    writing.go_to_page("reckon")
    panel = writing.side.reckon
    panel.choose("Arc: centre from radius")
    panel.take_place()
    assert panel.form.entered["x0"] == "-20" and panel.form.entered["y0"] == "-20"
    for key, text in (("x1", "10"), ("y1", "-20"), ("r", "15"), ("way", "G2")):
        set_field(writing, key, text)
    assert [panel.which.itemText(k) for k in range(panel.which.count())] == [
        "G2 X10. Y-20. I15. J0.", "G2 X10. Y-20. R15.",
    ]  # fmt: skip
    assert "I is plus" in panel.form._rows.text() and "NISTIR" in panel.form._rows.text()
    panel.ask_write()
    assert writing.document.lines[4] == "G2 X10. Y-20. I15. J0."
    set_field(writing, "r", "14")
    assert "does not reach" in panel.form.said_at("r") and not panel.write.isVisible()


def test_holes_are_written_absolute_or_one_from_another(writing: MainWindow, qtbot: QtBot) -> None:
    standing_known(writing, qtbot)
    writing.go_to_page("reckon")
    panel = writing.side.reckon
    panel.choose("Hole grid")
    for key, text in (("nx", "2"), ("ny", "2"), ("dx", "10"), ("dy", "5")):
        set_field(writing, key, text)
    assert panel.blocks() == ("X0. Y0.", "X10. Y0.", "X10. Y5.", "X0. Y5.")
    panel.which.setCurrentIndex(1)
    assert panel.blocks() == ("X20. Y20.", "X10. Y0.", "X0. Y5.", "X-10. Y0.")


def test_inch_programs_are_reckoned_in_inches(plain: Plain, qtbot: QtBot) -> None:
    window = plain(START.replace("G21", "G20").replace("-20.", "-1.").replace("Z25.", "Z1.") + "M30\n")
    window.go_to_place("write")
    window.editor.go_to(5)
    standing_known(window, qtbot)
    window.go_to_page("reckon")
    window.side.reckon.choose("Thread and tap drill")
    assert window.side.reckon.form.entered["thread"] == "1/4-20"


@pytest.mark.parametrize(("mode", "milled", "tapped"), [("G94", "F900", "F500"), ("G95", "F0.3", "F1.25")])
def test_a_feed_is_written_as_the_mode_below_the_cursor_reads_it(
    plain: Plain, qtbot: QtBot, mode: str, milled: str, tapped: str
) -> None:
    window = plain(START + f"{mode}\nM30\n")
    window.go_to_place("write")
    window.editor.go_to(START.count("\n") + 1)
    standing_known(window, qtbot)
    window.go_to_page("reckon")
    panel = window.side.reckon
    panel.choose("Speed and feed")
    for key, text in (("from", "spindle"), ("n", "3000"), ("vf", "900")):
        set_field(window, key, text)
    assert panel.blocks() == (f"S3000 {milled}",)
    panel.choose("Feed for tapping")
    assert panel.blocks() == (f"S400 {tapped}",)


# -- the print ---------------------------------------------------------------------------------------------------------------


@pytest.fixture
def drawing(tmp_path: Path) -> Path:
    doc = ezdxf.new()
    doc.header["$INSUNITS"] = 4
    space = doc.modelspace()
    space.add_lwpolyline(
        [(10, 10), (60, 10), (60, 40, 0, 0, 0.41421356), (50, 50), (10, 50)], format="xyseb", close=True
    )
    space.add_circle((30, 25), 6)
    doc.saveas(tmp_path / "gusset.dxf")
    return tmp_path / "gusset.dxf"


def click(window: MainWindow, qtbot: QtBot, x: float, y: float, *, twice: bool = False) -> None:
    view = window.side.print.view
    at = view.on_screen(x, y).toPoint()
    if twice:
        qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=at)
        qtbot.mouseDClick(view, Qt.MouseButton.LeftButton, pos=at)
    else:
        qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=at + QPoint(3, 3))


def test_places_picked_from_a_drawing_go_into_the_text(writing: MainWindow, drawing: Path, qtbot: QtBot) -> None:
    standing_known(writing, qtbot)
    writing.go_to_page("print")
    panel = writing.side.print
    assert panel.view.isVisible() and not writing.glass.isVisible()
    with qtbot.waitSignal(panel.loaded, timeout=20_000):
        assert panel.load_file(drawing)
    panel.grid_on.setChecked(False)
    click(writing, qtbot, 10, 10)
    click(writing, qtbot, 30, 25)
    click(writing, qtbot, 60, 40)
    assert np.allclose(panel.view.places, [(10, 10), (30, 25), (60, 40)])
    panel.first_word.setCurrentText("G0")
    assert panel.blocks() == ("G0 X10. Y10.", "X30. Y25.", "X60. Y40.")
    panel.how.setCurrentIndex(1)
    panel.take_back()
    panel.ask_write()
    assert writing.document.lines[4:6] == ["G0 X30. Y30.", "X20. Y15."] and panel.view.places == []
    # Moved by its fields, in arithmetic, the drawing lies elsewhere.
    panel.fields["dx"].setText("10/2")
    click(writing, qtbot, 35, 25)
    assert np.allclose(panel.view.places, [(35, 25)])
    writing.go_to_page("here")
    assert writing.glass.isVisible()


def test_a_double_click_writes_the_whole_contour(writing: MainWindow, drawing: Path, qtbot: QtBot) -> None:
    writing.go_to_page("print")
    panel = writing.side.print
    with qtbot.waitSignal(panel.loaded, timeout=20_000):
        panel.load_file(drawing)
    click(writing, qtbot, 38, 10, twice=True)
    assert [t for t in writing.document.lines[4:] if t][:2] == ["G1 X10. Y10.", "G1 X60. Y10."]
    assert "G3 X50. Y50. I-10. J0." in writing.document.lines


def test_places_and_a_contour_go_from_the_drawing_into_a_form(writing: MainWindow, drawing: Path, qtbot: QtBot) -> None:
    standing_known(writing, qtbot)
    writing.go_to_page("print")
    panel, fill = writing.side.print, writing.side.fill
    with qtbot.waitSignal(panel.loaded, timeout=20_000):
        panel.load_file(drawing)
    panel.grid_on.setChecked(False)
    panel.target.setCurrentIndex(panel.target.findData("form"))
    before = list(writing.document.lines)
    click(writing, qtbot, 10, 10)
    click(writing, qtbot, 30, 25)
    panel.ask_write()
    # A form without places gives way to the holes; the pattern becomes a list.
    assert writing.side.page == "fill" and fill.operation.name == "Holes"
    assert fill.form.entered["pattern"] == "list" and fill.form.entered["points"] == "10 10\n30 25"
    assert fill.form.answer is not None and panel.view.places == []
    fill.choose("Pocket, any contour")
    writing.go_to_page("print")
    click(writing, qtbot, 38, 10, twice=True)
    assert writing.side.page == "fill" and fill.operation.name == "Pocket, any contour"
    assert fill.form.entered["contour"].startswith("10 10\n60 10\n60 40\nG3 50 50 I-10 J0")
    assert writing.document.lines == before
    # Every hole of a drawing at once, or those of one size.
    fill.choose("Holes")
    fill.take_drawing("points", f"{drawing}#12")
    assert fill.form.entered["points"] == "30 25"
    fill.take_drawing("points", f"{drawing}#5")
    assert "1 of 12" in writing.trouble


def test_a_picture_is_laid_down_by_two_places(writing: MainWindow, tmp_path: Path, qtbot: QtBot) -> None:
    picture = QPixmap(200, 100)
    picture.fill(QColor("white"))
    picture.save(str(tmp_path / "print.png"))
    writing.go_to_page("print")
    panel = writing.side.print
    assert panel.load_file(tmp_path / "print.png")
    assert not panel.load_file(tmp_path / "none.png") and "no picture" in writing.trouble
    for key, text in (("x1", "0"), ("y1", "0"), ("x2", "100"), ("y2", "0")):
        panel.fields[key].setText(text)
    panel.pick_two.click()
    view = panel.view
    for px in (20.0, 180.0):
        at = view.on_screen(*view.to_part(px, 50.0))
        qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=QPointF(at).toPoint())
    assert view.lie.scale == pytest.approx(100 / 160, rel=0.03) and view.lie.turn == pytest.approx(0.0, abs=1.5)
    assert view.to_part(20.0, 50.0) == pytest.approx((0.0, 0.0), abs=1.5)
    panel.take_away()
    assert view.picture is None


def test_a_grid_point_is_caught_and_a_bad_drawing_says_so(writing: MainWindow, tmp_path: Path, qtbot: QtBot) -> None:
    writing.go_to_page("print")
    panel = writing.side.print
    panel.fields["grid"].setText("25")
    click(writing, qtbot, 50, 25)
    assert panel.view.places == [(50.0, 25.0)]
    panel.fields["grid"].setText("0")
    assert "greater than zero" in panel.said.text()
    (tmp_path / "x.dxf").write_text("no")
    with qtbot.waitSignal(panel.trouble, timeout=20_000):
        assert panel.load_file(tmp_path / "x.dxf")
    assert "no DXF drawing" in writing.trouble


def test_places_are_picked_by_the_keyboard_alone(writing: MainWindow, qtbot: QtBot) -> None:
    writing.go_to_page("print")
    view = writing.side.print.view
    view.setFocus()
    view._mouse = view.on_screen(0.0, 0.0)
    view.found = view.spot_at(view._mouse)
    for key in (Qt.Key.Key_Right, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Return):
        qtbot.keyClick(view, key)
    assert view.places == [(20.0, 10.0)]
