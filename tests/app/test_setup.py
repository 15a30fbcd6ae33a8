"""Setup in the real window: the zero snapped, typed and touched off, both sides set, slips that crash in Prove."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import trimesh
from PySide6.QtCore import QPoint, QSettings, Qt
from PySide6.QtWidgets import QAbstractItemView, QLineEdit, QPushButton
from pytestqt.qtbot import QtBot

from tests.conftest import PLAIN_JOB, START, write_job
from underglass.app.main_window import MainWindow
from underglass.app.setup.rows_view import BELIEF, TRUTH, WEAR
from underglass.core.bench.tool import HolderStep
from underglass.core.files.job import read_job
from underglass.core.files.setup_edit import zero_on_stock
from underglass.core.files.tool_set import read_tools

Plain = Callable[..., MainWindow]
TWO = (
    START
    + "G0 X20. Y30.\nG0 Z2.\nG1 Z-4. F300\nG0 Z50.\nT2 M6\nG0 X50. Y30. S900 M3\nG43 H2 Z20.\nG0 Z2.\nG1 Z-5. F90\nG0 Z50.\nM30\n"
)


def run(window: MainWindow, name: str) -> None:
    next(a for a in window.actions() if a.text() == name).trigger()


def proved(qtbot: QtBot, window: MainWindow, do: Callable[[], object]) -> None:
    """Do something that is proved anew, and wait until it is."""
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        do()


@pytest.fixture
def setup(plain: Plain) -> MainWindow:
    window = plain(TWO)
    window.go_to_place("setup")
    return window


def zero(window: MainWindow) -> tuple[float, float, float]:
    job = window.document.job
    assert job is not None
    return tuple(round(v, 4) for v in zero_on_stock(job))  # type: ignore[return-value]


def cell(window: MainWindow, group: str, key: str, axis: str = "", column: int = BELIEF) -> QPoint:
    table = window.setup.table
    table.choose(group, key, axis, column)
    return table.visualRect(table.currentIndex()).center()


def type_cell(
    qtbot: QtBot, window: MainWindow, text: str, group: str, key: str, axis: str = "", column: int = BELIEF
) -> None:
    """Double-click a cell and type, as a person does."""
    table = window.setup.table
    at = cell(window, group, key, axis, column)
    qtbot.mouseClick(table.viewport(), Qt.MouseButton.LeftButton, pos=at)
    qtbot.mouseDClick(table.viewport(), Qt.MouseButton.LeftButton, pos=at)
    editor = next(e for e in reversed(table.viewport().findChildren(QLineEdit)) if e.isVisible())
    qtbot.keyClick(editor, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    qtbot.keyClicks(editor, text)
    qtbot.keyClick(editor, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: table.state() != QAbstractItemView.State.EditingState)


# -- the zero --------------------------------------------------------------------------------------------------------


def test_the_zero_is_snapped_to_a_corner_by_a_click_in_the_picture(qtbot: QtBot, setup: MainWindow) -> None:
    setup.setup.choose("zero")
    picture = setup.setup.picture
    picture.repaint()
    before = setup.document.job.bench.stocks[0].frame  # type: ignore[union-attr]
    corner = next(p for p, share in picture.snap_points("plan") if share == (1.0, 1.0, None))
    proved(qtbot, setup, lambda: qtbot.mouseClick(picture, Qt.MouseButton.LeftButton, pos=corner.toPoint()))
    assert zero(setup) == (100.0, 60.0, 0.0)
    assert setup.document.job.bench.stocks[0].frame == before, "the block stays"  # type: ignore[union-attr]
    assert setup.setup.zero.sides[0].checkedId() == 2 and setup.setup.zero.sides[1].checkedId() == 2
    run(setup, "Undo")
    assert zero(setup) == (0.0, 0.0, 0.0) and "Taken back: moved the zero" in setup.trouble
    assert not setup.document.modified


def test_the_zero_is_dragged_and_caught_and_that_is_one_step(qtbot: QtBot, setup: MainWindow) -> None:
    setup.setup.choose("zero")
    picture = setup.setup.picture
    picture.repaint()
    start = picture.zero_at("plan").toPoint()
    middle = next(p for p, share in picture.snap_points("plan") if share == (0.5, 0.5, None)).toPoint()
    qtbot.mousePress(picture, Qt.MouseButton.LeftButton, pos=start)
    for k in range(1, 6):
        qtbot.mouseMove(picture, start + (middle - start) * k / 5)
    assert setup.document.job.bench.stocks[0].frame.x == -300.0  # type: ignore[union-attr]
    qtbot.mouseRelease(picture, Qt.MouseButton.LeftButton, pos=middle)
    assert zero(setup) == (50.0, 30.0, 0.0)
    assert len(setup.document.history.steps) == 1


def test_the_zero_is_typed_with_arithmetic_and_in_inches(qtbot: QtBot, setup: MainWindow) -> None:
    setup.setup.choose("zero")
    field = setup.setup.zero.fields["left"]
    field.edit.setFocus()
    field.edit.selectAll()
    qtbot.keyClicks(field.edit, "100/4")
    assert zero(setup)[0] == 25.0 and field.text == "100/4"
    qtbot.keyClick(field.edit, Qt.Key.Key_Return)
    assert field.text == "25.000" and len(setup.document.history.steps) == 1
    field.edit.selectAll()
    qtbot.keyClicks(field.edit, "1 1/2in")
    assert zero(setup)[0] == pytest.approx(38.1)
    field.edit.selectAll()
    qtbot.keyClicks(field.edit, "far")
    assert field.said.isVisible() and "figure" in field.said.text() and field.text == "far"
    assert zero(setup)[0] == pytest.approx(38.1), "nonsense changes nothing"
    qtbot.keyClick(field.edit, Qt.Key.Key_Escape)
    assert field.text == "38.100" and not field.bad
    qtbot.keyClick(field.edit, Qt.Key.Key_Up)
    assert zero(setup)[0] == pytest.approx(39.1)
    setup.document.set_units("inch")
    assert field._name.text().endswith(", in")
    # A moved zero moves what the program cuts: with the zero in the middle it cuts elsewhere.
    setup.setup.zero.snap_to(0.5, 0.5, 1.0)
    assert setup.setup.zero.sides[2].checkedId() == 2
    sentence = setup.setup.zero.sentence.text()
    assert "moving the zero, not the block" in sentence and "here they agree" in sentence


def test_the_zero_is_touched_off(qtbot: QtBot, plain: Plain) -> None:
    window = plain(TWO, PLAIN_JOB + "[registers.work]\nG54 = { x = -305.0, y = -150.0, z = -200.0 }\n")
    window.setting_up.go_to("touch")
    touch = window.setup.touch
    assert touch.offset.currentText() == "G54" and touch.tool.currentText() == "T1 end mill 10"
    assert "out by X -5.000" not in window.setup.zero.sentence.text()
    qtbot.mouseClick(touch.face_buttons["left"], Qt.MouseButton.LeftButton)
    assert touch.result is not None and touch.result.value == pytest.approx(-300.0, abs=1e-4)
    assert "half the tool" in touch.said.text() and "-305.000 +" in touch.said.text()
    proved(qtbot, window, lambda: qtbot.mouseClick(touch.take, Qt.MouseButton.LeftButton))
    assert window.document.job.registers.work["G54"][0] == pytest.approx(-300.0, abs=1e-4)  # type: ignore[union-attr]
    touch.use("block")
    touch.block.enter("50")
    touch.touch("top")
    assert touch.result.value == pytest.approx(-200.0) and touch.face_buttons["top"].isVisible()
    touch.use("finder")
    touch.size.enter("12")  # told wrong: 2 mm too large
    touch.touch("left")
    assert touch.result.value == pytest.approx(-299.0, abs=1e-4)
    touch.touch_both("y")
    assert touch.result.value == pytest.approx(-120.0, abs=1e-4), "the finder's size falls out"
    touch.use("setter")
    touch.measure_tool()
    assert touch.result.value == pytest.approx(75.0)
    touch.apply()
    assert window.document.job.registers.length[1] == pytest.approx(75.0)  # type: ignore[union-attr]
    touch.use("finder")
    touch.size.enter("10")
    touch.touch_two()
    assert "0.0000" in touch.said.text()
    touch.touch_all()
    assert window.document.job.registers.work["G54"] == pytest.approx((-300.0, -150.0, -200.0), abs=1e-4)  # type: ignore[union-attr]


def test_z_is_touched_anew_with_each_tool(qtbot: QtBot, plain: Plain) -> None:
    window = plain(TWO, PLAIN_JOB.replace("[zero]", '[zero]\nz_by = "each-tool"') + "[registers.touched]\nT1 = 0.4\n")
    window.setting_up.go_to("touch")
    touch = window.setup.touch
    touch.use("block")
    assert "touched anew" in touch.hint.text()
    qtbot.mouseClick(touch.face_buttons["top"], Qt.MouseButton.LeftButton)
    assert touch.result is not None and touch.result.value == pytest.approx(-125.0)
    assert touch.take.text() == "Touch Z off with T1: -125.000"
    proved(qtbot, window, lambda: qtbot.mouseClick(touch.take, Qt.MouseButton.LeftButton))
    assert window.document.job.touched[1] == 0.0  # type: ignore[union-attr]
    assert touch.take.text() == "Z is touched off with T1"
    touch.use("setter")
    touch.measure_tool()
    assert "each tool" in touch.said.text() and not touch.take.isVisible()


def test_several_offsets_are_held_against_each_other(qtbot: QtBot, setup: MainWindow) -> None:
    page = setup.setup.zero
    setup.setup.choose("zero")
    page.add_zero()
    page.fields["left"].setFocus()
    assert list(setup.document.job.bench.zero) == ["G54", "G55"] and len(setup.document.job.bench.stocks) == 2  # type: ignore[union-attr]
    page.pitch.enter("125")
    type_cell(qtbot, setup, "-150.2", "work", "G55", "y")
    setup.setup.refresh()
    assert "G54 to G55" in page.sanity.text() and "-0.200" in page.sanity.text() and "\u25a0" in page.sanity.text()
    page.within.enter("0.5")
    assert "\u25a0" not in page.sanity.text()
    page.remove_zero()
    assert list(setup.document.job.bench.zero) == ["G54"]  # type: ignore[union-attr]


# -- both sides ------------------------------------------------------------------------------------------------------


def test_a_swapped_length_crashes_in_prove_and_its_row_is_marked(qtbot: QtBot, setup: MainWindow) -> None:
    cell(setup, "length", "H1")
    proved(qtbot, setup, lambda: setup.setup.make_slip("swap"))
    job = setup.document.job
    assert job is not None and (job.registers.length[1], job.registers.length[2]) == (110.0, 75.0)
    found = [f for f in setup.document.proof.troubles if f.severity.word == "crash"]  # type: ignore[union-attr]
    assert any(f.tool == 2 for f in found), "tool 2 runs 35 mm lower than the control believes"
    assert [r.key for r in setup.setup._rows if r.wrong] == ["H1", "H2"]
    assert setup.rail.buttons["setup"].count == 2
    setup.go_to_place("prove")
    assert any("H2 holds 75.000" in f.message for f in setup.document.proof.troubles)  # type: ignore[union-attr]
    setup.go_to_place("setup")
    setup.setup.table.clearSelection()
    proved(qtbot, setup, setup.setup.tell_control)
    assert not setup.document.proof.troubles and setup.rail.buttons["setup"].count == 0  # type: ignore[union-attr]
    run(setup, "Undo")
    run(setup, "Undo")
    assert not setup.document.modified and setup.document.job.registers.length[1] == 75.0  # type: ignore[union-attr]
    run(setup, "Undo")
    assert "Nothing to take back" in setup.trouble
    run(setup, "Redo")
    assert setup.document.job.registers.length[1] == 110.0  # type: ignore[union-attr]


def test_figures_are_typed_into_the_rows(qtbot: QtBot, setup: MainWindow) -> None:
    proved(qtbot, setup, lambda: type_cell(qtbot, setup, "75+13.15", "length", "H1"))
    job = setup.document.job
    assert job is not None and job.registers.length[1] == 88.15
    table = setup.setup.table
    row = table.current()
    assert row is not None and row.verdict == "wrong" and row.off == pytest.approx(13.15) and not row.follows
    type_cell(qtbot, setup, "-0.1", "length", "H1", column=WEAR)
    assert setup.document.job.registers.length[1] == pytest.approx(88.05)  # type: ignore[union-attr]
    type_cell(qtbot, setup, "80", "length", "H1", column=TRUTH)
    assert setup.document.job.bench.tools[1].length == 80.0  # type: ignore[union-attr]
    # Nonsense stays as it was typed, marked, with the reason; the figure that was there still holds.
    model = table.rows_model
    index = table.currentIndex().siblingAtColumn(BELIEF)
    assert not model.setData(index, "8..5")
    assert model.data(index) == "8..5" and "figure" in str(model.data(index, Qt.ItemDataRole.ToolTipRole))
    assert model.setData(index, "85") and model.text(model.row(index), BELIEF) == "85.000"  # type: ignore[arg-type]
    # What the job file refuses is refused here, and says why.
    truth = table.currentIndex().siblingAtColumn(TRUTH)
    model.setData(truth, "-5")
    assert "too small" in setup.trouble and model.data(truth) == "-5"
    assert setup.document.job.bench.tools[1].length == 80.0  # type: ignore[union-attr]


def test_the_real_part_elsewhere_is_not_told_to_the_control(qtbot: QtBot, setup: MainWindow) -> None:
    proved(qtbot, setup, lambda: type_cell(qtbot, setup, "-195", "work", "G54", "z", TRUTH))
    job = setup.document.job
    assert job is not None and job.bench.part_zero.z == -195.0 and job.registers.work["G54"][2] == -200.0
    assert any(f.code == "work-offset-wrong" for f in setup.document.proof.findings)  # type: ignore[union-attr]
    proved(qtbot, setup, setup.setup.believe_control)
    assert setup.document.job.bench.part_zero.z == -200.0  # type: ignore[union-attr]


def test_what_if_says_how_far_and_what_happens(qtbot: QtBot, setup: MainWindow) -> None:
    what = setup.setup.what_if
    with qtbot.waitSignal(what.ranged, timeout=60_000):
        setup.setup.table.choose("length", "H1")
    assert what.range is not None and what.range.survives
    assert "Safe from" in what.sentence.text() and "75.000" in what.sentence.text()
    assert 75.0 - what.range.low.value == pytest.approx(2.0, abs=0.05)
    assert what.slider.band is not None and "line 6" in what.ends.text()
    with qtbot.waitSignal(what.judged, timeout=60_000):
        what.slider.try_value(70.0)
    assert "1 found" in what.ends.text() or "found," in what.ends.text()
    assert setup.document.job.registers.length[1] == 75.0, "trying changes nothing"  # type: ignore[union-attr]
    with qtbot.waitSignal(what.ranged, timeout=60_000):
        qtbot.mouseClick(what.set_it, Qt.MouseButton.LeftButton)
    assert setup.document.job.registers.length[1] == 70.0  # type: ignore[union-attr]
    assert "outside" in what.sentence.text()
    with qtbot.waitSignal(what.ranged, timeout=60_000):
        what.choose_side("truth")
    assert "the real length of T1" in what.sentence.text()
    with qtbot.waitSignal(what.judged, timeout=60_000):
        qtbot.keyClick(what.slider, Qt.Key.Key_Right)
    assert what.slider.trial == pytest.approx(75.05)
    qtbot.mouseClick(what.back, Qt.MouseButton.LeftButton)
    assert what.slider.trial is None
    setup.setup.table.choose("left", "rotation")
    assert "not tried" in what.sentence.text() and not what.slider.isVisible()


# -- stock and fixtures ----------------------------------------------------------------------------------------------


def test_the_block_is_sized_moved_and_made_of_something(qtbot: QtBot, setup: MainWindow) -> None:
    setup.setup.choose("stock")
    page = setup.setup.stock
    page.fields["size_x"].enter("110.5")
    page.fields["place_x"].enter("-5")
    job = setup.document.job
    assert job is not None and job.bench.stocks[0].extent[0] == 110.5 and job.bench.stocks[0].frame.x == -305.0
    assert job.bench.part_zero.x == -300.0, "the zero stays"
    page.fields["size_z"].enter("-3")
    assert "too small" in page.fields["size_z"].said.text().lower() and setup.document.job is job
    page.fields["size_x"].enter("70000")
    assert setup.document.job.bench.stocks[0].extent[0] == 70000.0  # type: ignore[union-attr]
    assert setup.document.job.settings.cell is None, "cells of 0.25 would be too many"  # type: ignore[union-attr]
    run(setup, "Undo")
    assert setup.document.job.settings.cell == 0.25  # type: ignore[union-attr]
    page.material.setCurrentIndex(page.material.findData("aluminium"))
    page.material.activated.emit(page.material.currentIndex())
    page.shape.setCurrentIndex(page.shape.findData("cylinder"))
    page.shape.activated.emit(page.shape.currentIndex())
    job = setup.document.job
    assert job.bench.cuts_like is not None and job.bench.stocks[0].shape == "cylinder"  # type: ignore[union-attr]
    assert not page.fields["size_y"].isVisible() and page.fields["size_x"]._name.text().startswith("Diameter")
    picture = setup.setup.picture
    picture.setFocus()
    qtbot.keyClick(picture, Qt.Key.Key_Right)
    qtbot.keyClick(picture, Qt.Key.Key_PageUp, Qt.KeyboardModifier.ShiftModifier)
    frame = setup.document.job.bench.stocks[0].frame  # type: ignore[union-attr]
    assert (frame.x, round(frame.z, 3)) == (-304.0, -219.9)


def test_a_shape_let_fall_on_the_window_is_stock_or_fixture(qtbot: QtBot, setup: MainWindow, tmp_path: Path) -> None:
    path = tmp_path / "casting.stl"
    trimesh.creation.cylinder(radius=20.0, height=60.0).export(path)
    setup.setting_up.drop(path)
    assert "What is it here?" in setup.trouble
    offers = {b.text(): b for b in setup.notice.findChildren(QPushButton)}
    qtbot.mouseClick(offers["The stock"], Qt.MouseButton.LeftButton)
    job = setup.document.job
    assert job is not None and job.bench.stocks[0].shape == "mesh"
    assert setup.setup.stock.up.isVisible()
    setup.setup.stock.up.setCurrentIndex(setup.setup.stock.up.findData("+x"))
    setup.setup.stock.up.activated.emit(0)
    assert setup.document.job.bench.stocks[0].extent == pytest.approx((60.0, 40.0, 40.0), abs=0.2)  # type: ignore[union-attr]
    setup.setting_up._shape(path, "fixtures")
    assert [f.name for f in setup.document.job.bench.fixtures][-1] == "casting"  # type: ignore[union-attr]
    (tmp_path / "bad.stl").write_text("no shape")
    setup.setting_up._shape(tmp_path / "bad.stl", "stock")
    assert "holds no triangles" in setup.trouble
    setup.setting_up._wanted(path)
    assert setup.document.job.settings.target is not None  # type: ignore[union-attr]


def test_a_vise_grips_the_block_and_is_collided_with(qtbot: QtBot, setup: MainWindow) -> None:
    setup.setting_up.go_to("fixtures")
    page = setup.setup.fixtures
    while page._entries():
        page.remove_chosen()
    assert page.empty.isVisible()
    proved(qtbot, setup, lambda: page.add_piece("vise"))
    job = setup.document.job
    assert job is not None
    jaws = {f.name: f.solid for f in job.bench.fixtures if f.entry}
    stock = job.bench.stocks[0]
    assert jaws["vice, fixed jaw"].frame.y == pytest.approx(stock.frame.y + 60.0)
    moving = jaws["vice, moving jaw"]
    assert moving.frame.y + moving.extent[1] == pytest.approx(stock.frame.y)
    assert stock.frame.z < moving.top < stock.top
    assert len(setup.document.history.steps) == 2, "taking the clamp away, and the vise with its place"
    page.fields["opening"].enter("40")
    proved(qtbot, setup, lambda: page.fields["jaw_height"].enter("120"))
    assert any(f.code in ("tool-into-fixture", "close-pass") for f in setup.document.proof.findings)  # type: ignore[union-attr]
    page.put_where("left")
    left = [f.solid for f in setup.document.job.bench.fixtures if f.entry]  # type: ignore[union-attr]
    assert max(s.frame.x + s.extent[0] for s in left) == pytest.approx(stock.frame.x)
    page.put_where("table")
    assert (
        min(s.frame.z for f in [setup.document.job] for s in [x.solid for x in f.bench.fixtures if x.entry]) == -560.0
    )  # type: ignore[union-attr]


@pytest.mark.parametrize("kind", ["parallels", "clamp", "plate", "box", "cylinder"])
def test_every_piece_can_be_put_copied_named_and_taken_away(qtbot: QtBot, setup: MainWindow, kind: str) -> None:
    setup.setting_up.go_to("fixtures")
    page = setup.setup.fixtures
    page.add_piece(kind)
    assert page.chosen == 2 and page.list.count() == 2
    page.copy_chosen()
    assert page.list.count() == 3 and page.list.item(2).text() != page.list.item(1).text()
    page.fields["turned"].enter("45")
    page.fields["place_0"].enter("200")
    entry = page._entries()[2]
    assert entry["turned"] == 45.0 and entry["place"][0] == 200.0
    if kind == "plate":
        page.put_at_stations()
        assert len(setup.document.job.bench.zero) == 2  # type: ignore[union-attr]
    page.list.setCurrentRow(0)
    assert page.chosen == 1
    page.choose(3)
    page.remove_chosen()
    assert page.list.count() == 2
    before = setup.document.job_text
    for _ in range(12):
        run(setup, "Undo")
    assert setup.document.job_text != before and not setup.document.modified


def test_a_fixture_is_dragged_and_caught_by_a_face(qtbot: QtBot, setup: MainWindow) -> None:
    """The clamp overlaps the block by 5 mm at its left; dragged a little, its right face is caught by the block's."""
    setup.setting_up.go_to("fixtures")
    picture = setup.setup.picture
    picture.repaint()
    at = picture.at("plan", -300.0 - 20.0, -150.0 + 30.0).toPoint()
    qtbot.mousePress(picture, Qt.MouseButton.LeftButton, pos=at)
    assert setup.setup.fixtures.chosen == 1
    target = at + QPoint(round(4.0 * picture._scale), 0)
    qtbot.mouseMove(picture, target)
    qtbot.mouseRelease(picture, Qt.MouseButton.LeftButton, pos=target)
    solid = setup.document.job.bench.fixtures[1].solid  # type: ignore[union-attr]
    edges = (solid.frame.x, solid.frame.x + solid.extent[0])
    assert any(abs(e + 300.0) < 1e-6 for e in edges), edges
    assert len(setup.document.history.steps) == 1


# -- tools -----------------------------------------------------------------------------------------------------------


def test_a_tool_that_is_called_and_missing_is_a_row_with_an_offer(qtbot: QtBot, plain: Plain) -> None:
    window = plain(TWO.replace("T2 M6", "(12 SPOT DRILL)\nT6 M6").replace("H2", "H6"))
    window.setting_up.go_to("tools")
    page = window.setup.tools
    rows = {page.table.item(k, 0).text(): page.table.item(k, 1).text() for k in range(page.table.rowCount())}
    assert rows["T6"] == "\u25b3 not on the bench" and rows["T1"] == "end mill 10"
    assert "T6 is called at line 10" in page.offer.text() and "spot drill 12" in page.offer.text()
    proved(qtbot, window, lambda: page.offer.linkActivated.emit("add:6"))
    tool = window.document.job.bench.tools[6]  # type: ignore[union-attr]
    assert (tool.kind, tool.DC) == ("spot-drill", 12.0)
    assert "guessed" in page.offer.text() and window.document.job.unconfirmed == {"T6"}  # type: ignore[union-attr]
    page.offer.linkActivated.emit("confirm:6")
    assert not window.document.job.unconfirmed and "guessed" not in window.document.job_text  # type: ignore[union-attr]
    assert "tool-missing" not in [f.code for f in window.document.proof.findings]  # type: ignore[union-attr]


def test_a_tool_is_shaped_and_its_picture_follows(qtbot: QtBot, setup: MainWindow) -> None:
    setup.setting_up.go_to("tools")
    page = setup.setup.tools
    page.choose(1)
    page.fields["length"].enter("80")
    tool = page.tool()
    assert tool is not None and (tool.length, tool.stickout) == (80.0, 45.0), "pulled out of its holder"
    assert page.view.tool is tool
    page.fields["DC"].enter("12")
    page.fields["RE"].enter("9")
    assert "larger than half" in page.fields["RE"].said.text() and page.tool().RE == 0.0  # type: ignore[union-attr]
    page.fields["RE"].enter("2")
    page.holder_edit.setText("32 x 20, 50 x 15")
    page.holder_edit.textEdited.emit("32 x 20, 50 x 15")
    assert page.tool().holder == (HolderStep(32.0, 20.0), HolderStep(50.0, 15.0))  # type: ignore[union-attr]
    page.holder_edit.textEdited.emit("32 by 20")
    assert "diameter x length" in page.holder_said.text().lower()
    page.kind.setCurrentIndex(page.kind.findData("ball-end"))
    page.kind.activated.emit(0)
    assert page.tool().kind == "ball-end"  # type: ignore[union-attr]
    page.loaded.setCurrentIndex(page.loaded.findData("2"))
    page.loaded.activated.emit(0)
    job = setup.document.job
    assert job is not None and job.bench.loaded == {1: 2}
    assert "T2" in page.table.item(0, 1).text() and "really T2" in next(
        r.what for r in setup.setup._rows if r.key == "H1"
    )


def test_a_set_of_ones_own(qtbot: QtBot, setup: MainWindow, tmp_path: Path) -> None:
    setup.setting_up.go_to("tools")
    page = setup.setup.tools
    page.choose(1)
    tools = dict(setup.document.job.bench.tools)  # type: ignore[union-attr]
    page.keep(*tools.values())
    page.keep(tools[1])
    assert len(page.kept()) == 2, "what is there already is not kept twice"
    page.choose(2)
    page.use(page.kept()[1], "holder")
    tool = page.tool()
    assert tool is not None and tool.kind == "drill" and tool.holder == (HolderStep(40.0, 30.0),)
    assert tool.length == 70.0 + 35.0
    page.use(page.kept()[1], "cutter")
    assert page.tool().kind == "end-mill" and page.tool().length == 75.0  # type: ignore[union-attr]
    page.use(page.kept()[2], "whole")
    assert page.tool() == tools[2]
    page.write_to(tmp_path / "out.csv")
    assert read_tools(tmp_path / "out.csv").keys() == tools.keys()
    page.take_off(2)
    setup.setting_up.drop(tmp_path / "out.csv")
    assert page.document.job.bench.tools[2].DC == 8.0  # type: ignore[union-attr]
    (tmp_path / "bad.csv").write_text("nothing\n")
    page.read_from(tmp_path / "bad.csv")
    assert "name at least the columns" in setup.trouble


# -- machine and files -----------------------------------------------------------------------------------------------


def test_a_machine_of_ones_own(qtbot: QtBot, setup: MainWindow) -> None:
    setup.setting_up.go_to("machine")
    page = setup.setup.machine
    assert "-760.000 to 0.000" in page.facts.text() and "Room about the stock" in page.facts.text()
    page.edit_own("machine")
    assert page.text.isVisible() and "# A three-axis vertical mill" in page.text.toPlainText()
    page.text.setPlainText(page.text.toPlainText().replace("x = [-760.0, 0.0]", "x = [0.0, -250.0]"))
    page.use_own()
    assert page.why.isVisible() and "the smaller first" in page.why.text() and page.text.isVisible()
    page.text.setPlainText(page.text.toPlainText().replace("x = [0.0, -250.0]", "x = [-250.0, 0.0]"))
    proved(qtbot, setup, page.use_own)
    job = setup.document.job
    assert job is not None and job.bench.machine.travel_min[0] == -250.0
    assert (Path(job.folder) / "own-mill-3axis.toml").exists() and "it reaches beyond" in page.facts.text()
    assert any(f.code == "travel-limit" for f in setup.document.proof.findings)  # type: ignore[union-attr]
    page.edit_own("machine")
    page.text.setPlainText(page.text.toPlainText().replace("x = [-250.0, 0.0]", "x = [-800.0, 0.0]"))
    proved(qtbot, setup, page.use_own)
    assert setup.document.job.bench.machine.travel_min[0] == -800.0  # type: ignore[union-attr]


def test_the_job_is_saved_with_its_comments_and_under_another_name(
    qtbot: QtBot, setup: MainWindow, tmp_path: Path
) -> None:
    path = Path(setup.document.job.file)  # type: ignore[union-attr]
    setup.setup.stock.fields["size_x"].enter("111")
    assert setup.document.modified
    assert setup.save() and not setup.document.modified
    assert path.read_text() == PLAIN_JOB.replace("size = [100.0, 60.0, 20.0]", "size = [111.0, 60.0, 20.0]")
    other = tmp_path / "elsewhere"
    other.mkdir()
    mesh = path.parent / "shapes"
    mesh.mkdir()
    trimesh.creation.box(extents=(10, 10, 10)).export(mesh / "block.stl")
    setup.setup.fixtures.add_mesh(mesh / "block.stl")
    proved(qtbot, setup, lambda: setup.filing.save_job_as(other / "copy"))
    job = read_job(other / "copy.job.toml")
    assert job.bench.stocks[0].extent[0] == 111.0 and (other / "block.stl").exists() and (other / job.program).exists()
    assert Path(setup.document.job.file) == other / "copy.job.toml" and not setup.document.modified  # type: ignore[union-attr]


def test_a_bare_program_gets_a_job_with_the_first_change(
    qtbot: QtBot, opened: Callable[[Path], MainWindow], tmp_path: Path
) -> None:
    program = tmp_path / "bare.nc"
    program.write_text("(STOCK 90 X 50 X 15, ZERO LEFT FRONT, TOP)\n" + TWO)
    window = opened(program)
    assert "90.000 x 50.000 x 15.000 mm, as line 1 states" in window.trouble
    window.setting_up.go_to("stock")
    page = window.setup.stock
    assert "Guessed" in page.offer.text() and not window.document.modified
    page.offer.linkActivated.emit("confirm")
    job = window.document.job
    assert (
        job is not None and not job.guessed and job.unconfirmed == {"T1", "T2", "machine"} and window.document.modified
    )
    assert window.save()
    made = tmp_path / "bare.job.toml"
    assert read_job(made).bench.stocks[0].size == (90.0, 50.0, 15.0)
    assert made in window.filing.recent()
    window.document.buffer.change_lines(0, 1, ["(STOCK 95 X 50 X 15, ZERO LEFT FRONT, TOP)"])
    window.setup.refresh()
    assert "Line 1 states a stock of 95.000" in page.offer.text()
    page.offer.linkActivated.emit("take")
    assert window.document.job.bench.stocks[0].size[0] == 95.0  # type: ignore[union-attr]


def test_a_setup_that_was_not_saved_is_still_there_after_a_kill(
    qtbot: QtBot, setup: MainWindow, tmp_path: Path
) -> None:
    path = Path(setup.document.job.file)  # type: ignore[union-attr]
    with qtbot.waitSignal(setup.filing.keeper.kept, timeout=60_000):
        setup.setup.stock.fields["size_x"].enter("123")
    folder = Path(setup.settings.fileName()).parent
    setup.filing.keeper.session.end()  # as a kill ends it
    second = MainWindow(QSettings(str(folder / "settings.ini"), QSettings.Format.IniFormat))
    qtbot.addWidget(second, before_close_func=lambda w: w.document.set_modified(False))
    with qtbot.waitSignal(second.prover.proved, timeout=60_000):
        second.open(path)
    assert "plain.job.toml" in second.trouble and "still here" in second.trouble
    with qtbot.waitSignal(second.prover.proved, timeout=60_000):
        next(b for b in second.notice.findChildren(type(second.setup.tell)) if b.text() == "Take them").click()
    assert second.document.job.bench.stocks[0].extent[0] == 123.0  # type: ignore[union-attr]
    second.document.set_modified(False)
    second.close()


def test_a_job_file_changed_by_another_program_is_taken(qtbot: QtBot, setup: MainWindow) -> None:
    path = Path(setup.document.job.file)  # type: ignore[union-attr]
    with qtbot.waitSignal(setup.filing.keeper.job_changed_outside, timeout=60_000):
        path.write_text(PLAIN_JOB.replace("size = [100.0,", "size = [105.0,"))
    assert setup.document.job.bench.stocks[0].extent[0] == 105.0 and not setup.document.modified  # type: ignore[union-attr]
    setup.setup.stock.fields["size_x"].enter("107")
    with qtbot.waitSignal(setup.filing.keeper.job_changed_outside, timeout=60_000):
        path.write_text(PLAIN_JOB.replace("size = [100.0,", "size = [109.0,"))
    assert "and here, too" in setup.trouble and setup.document.job.bench.stocks[0].extent[0] == 107.0  # type: ignore[union-attr]


def test_pages_are_reached_by_keys_and_kept(qtbot: QtBot, window: MainWindow, tmp_path: Path) -> None:
    window.go_to_place("setup")
    assert window.stack.currentWidget() is window.first_page, "without a job there is nothing to set up"
    window.open(write_job(tmp_path, TWO))
    run(window, "Go to place: Setup")
    for page in window.setup.buttons:
        run(window, f"Setup: {window.setup.buttons[page].text().lower()}")
        assert window.setup.page == page and window.setup.page_stack.currentWidget() is window.setup.pages[page]
    assert np.isfinite(window.setup.picture._scale)
    window.other_colours()
    window.other_colours()


def test_what_a_button_cannot_do_is_said(qtbot: QtBot, setup: MainWindow) -> None:
    """A tool that another number really loads stays; a profile that is broken is not taken: both say so, nothing changes."""
    setup.setting_up.go_to("tools")
    page = setup.setup.tools
    page.do(lambda edit: edit.put(2, "loaded", "T1"), "T2 for T1")
    before = setup.document.job_text
    page.take_off(2)
    assert "Tool 2 is not on the bench." in setup.trouble and setup.document.job_text == before
    machine = setup.setup.machine
    machine.do(lambda edit: edit.put("nowhere.toml", "machine"), "another machine")
    assert "no machine profile" in setup.trouble and setup.document.job_text == before


def test_a_job_that_lies_beside_a_bare_program_is_offered_and_never_written_over(
    qtbot: QtBot, opened: Callable[[Path], MainWindow], tmp_path: Path
) -> None:
    (tmp_path / "bare.nc").write_text(TWO)
    other = tmp_path / "bare.job.toml"
    other.write_text(PLAIN_JOB.replace("plain.nc", "bare.nc"))
    window = opened(tmp_path / "bare.nc")
    assert "Open bare.job.toml" in [b.text() for b in window.notice.findChildren(QPushButton)]
    window.setup.stock.fields["size_x"].enter("90")
    assert window.save()
    assert other.read_text() == PLAIN_JOB.replace("plain.nc", "bare.nc")
    assert read_job(tmp_path / "bare-2.job.toml").bench.stocks[0].extent[0] == 90.0
