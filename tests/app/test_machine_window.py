"""The place Machine in a real window: every hand on it by button and key, and what it shows of what comes of that."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QPushButton
from pytestqt.qtbot import QtBot

from tests.conftest import PLAIN_JOB, SAFE, write_job
from underglass.app.machine.place import MachinePlace
from underglass.app.main_window import MainWindow
from underglass.core.files.demo import copy_demo
from underglass.core.machine.actions import Clamp, Guard, Mdi, PutIn, PutTool, SetFigure
from underglass.core.machine.instruments import EDGE_FINDER
from underglass.core.machine.stand import Stand

PROGRAM = (
    SAFE + "T1 M6\nG0 G54 X-20. Y30. S3000 M3\nG43 H1 Z25.\nZ-2.\nG1 X50. F300.\nM0\nG1 X120. F300.\nG0 Z25. M5\nM30\n"
)
JOB = PLAIN_JOB.replace("cell = 0.25", "cell = 1.0").replace(
    "place = [-25.0, 20.0, -5.0]", "place = [-25.0, -40.0, -5.0]"
)


def stand(place: MachinePlace) -> Stand:
    assert place.session.stand is not None
    return place.session.stand


def settled(place: MachinePlace, qtbot: QtBot) -> None:
    if place.session.busy:
        qtbot.waitUntil(lambda: not place.session.busy, timeout=30_000)


def press(place: MachinePlace, button: QAbstractButton, qtbot: QtBot) -> None:
    """A click on a button that can be pressed; what it starts is waited for."""
    assert button.isEnabled(), button.toolTip()
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    settled(place, qtbot)


def offered(place: MachinePlace, name: str) -> QPushButton:
    """The button beside a condition that is not met."""
    return place.before._rows[name][2]


def to_rest(place: MachinePlace) -> None:
    for _ in range(400):
        if not stand(place).moving:
            return
        place.session.advance(30.0)
    raise AssertionError("it never comes to rest")


def morning(place: MachinePlace, qtbot: QtBot) -> None:
    """Power on, home, work in and clamped, by the buttons beside what is missing."""
    press(place, offered(place, "power"), qtbot)
    press(place, offered(place, "home"), qtbot)
    to_rest(place)
    press(place, place.before.guard_open, qtbot)
    for name in ("work", "clamp", "guard"):
        press(place, offered(place, name), qtbot)


def put_tool(place: MachinePlace, number: int, qtbot: QtBot) -> None:
    before = place.before
    press(place, before.guard_open, qtbot)
    press(place, before.bar_free, qtbot)
    before.tool.setCurrentIndex(before.tool.findData(number))
    before.put_tool.refresh()
    press(place, before.put_tool, qtbot)
    press(place, before.bar_drawn, qtbot)
    press(place, before.guard_shut, qtbot)


@pytest.fixture
def place(opened: Callable[[Path], MainWindow], tmp_path: Path) -> MachinePlace:
    """The plain plate at the machine; its clock is moved by the test alone."""
    window = opened(write_job(tmp_path, PROGRAM, JOB))
    window.go_to_place("machine")
    window.machine.session._timer.stop()
    assert window.stack.currentWidget() is window.machine
    return window.machine


def test_from_power_on_to_a_part_by_the_buttons_alone(place: MachinePlace, qtbot: QtBot) -> None:
    assert "Power off" in place.before.next.text()
    assert not place.run.start.isEnabled() and place.run.start.toolTip() == "The power is off."
    assert place.readout.rows["x"][2].text() == "?"
    morning(place, qtbot)
    assert place.readout.rows["x"][2].text() == "300.000"
    press(place, place.run.start, qtbot)
    assert place.run.said.text() == "Put in T1, end mill 10, then start."
    assert not place.run.start.isEnabled() and "T1" in place.run.start.toolTip()
    assert place.before.tool.currentData() == 1
    put_tool(place, 1, qtbot)
    press(place, place.run.start, qtbot)
    to_rest(place)
    assert "stops in line 7" in place.run.said.text()
    assert place.run.blocks[1].text().split()[0] == "6"
    press(place, place.run.start, qtbot)
    to_rest(place)
    assert stand(place).parts == 1
    assert "1 made" in place.run.time.text()
    final = stand(place).course.proof.stocks[0].final.h
    assert final[30, 50] == 18.0
    # The glass stands at the same moment, of the same cut.
    assert place.session.view.proof is not None
    assert place.session.view.moment == pytest.approx(stand(place).at_s)


def test_a_jog_button_moves_as_long_as_it_is_held_and_a_key_too(place: MachinePlace, qtbot: QtBot) -> None:
    morning(place, qtbot)
    place.move_page.how.choose("fast")
    less = place.readout.rows["z"][1]
    QTest.mousePress(less, Qt.MouseButton.LeftButton)
    place.session.advance(1.0)
    assert stand(place).moving
    QTest.mouseRelease(less, Qt.MouseButton.LeftButton)
    to_rest(place)
    there = stand(place).place[2]
    assert -30.0 < there < -15.0
    QTest.keyPress(place, Qt.Key.Key_PageUp)
    place.session.advance(0.5)
    QTest.keyRelease(place, Qt.Key.Key_PageUp)
    to_rest(place)
    assert there < stand(place).place[2] < 0.0
    place.move_page.how.choose("step1")
    before = stand(place).place[0]
    QTest.keyClick(place, Qt.Key.Key_Left)
    to_rest(place)
    assert stand(place).place[0] == pytest.approx(before - 0.1)


def test_a_click_on_a_button_leaves_the_keys_with_the_place(place: MachinePlace, qtbot: QtBot) -> None:
    morning(place, qtbot)
    place.setFocus()
    QTest.mouseClick(place.near, Qt.MouseButton.LeftButton)
    assert place.hasFocus() or place.window().focusWidget() is place
    place.near.setFocus(Qt.FocusReason.TabFocusReason)
    assert place.window().focusWidget() is place.near
    QTest.mouseClick(place.readout.offset, Qt.MouseButton.LeftButton)
    assert place.window().focusWidget() is place


def test_clicks_of_the_wheel_are_put_together(place: MachinePlace, qtbot: QtBot) -> None:
    morning(place, qtbot)
    place.move_page.how.choose("step2")
    before = stand(place).place[0]
    for _ in range(5):
        QTest.keyClick(place.move_page.wheel, Qt.Key.Key_Left)
    to_rest(place)
    place.session.advance(1.0)
    to_rest(place)
    assert stand(place).place[0] == pytest.approx(before - 0.05)
    assert place.move_page.wheel.said == "X, a line is 0.01 mm"


def test_an_edge_finder_sets_the_zero_from_the_face_it_touches(place: MachinePlace, qtbot: QtBot) -> None:
    morning(place, qtbot)
    put_tool(place, EDGE_FINDER, qtbot)
    place.choose("mdi")
    for line in ("G0 G53 X-320. Y-120.", "G53 Z-95."):
        place.mdi.line.setText(line)
        QTest.keyClick(place.mdi.line, Qt.Key.Key_Return)
        settled(place, qtbot)
        to_rest(place)
    QTest.keyClick(place.mdi.line, Qt.Key.Key_Up)
    assert place.mdi.line.text() == "G53 Z-95."
    place._look_at_gaps()
    assert "15.000 mm to the left of the work" in place.move_page.near.text()
    place.session.step_by("x", 15.0)
    to_rest(place)
    place._look_at_gaps()
    assert "kicks over" in place.move_page.near.text()
    place.choose("touch")
    place.touch.face.enter("2")
    assert "half the tool 5.000" in place.touch.said.text()
    press(place, place.touch.set, qtbot)
    # The face at X -300 is to be X 2 of the part: G54 stands 2 farther out.
    assert stand(place).job.registers.work["G54"][0] == pytest.approx(-302.0, abs=1e-3)
    assert place.readout.rows["x"][2].text() == "-3.000"


def test_what_is_typed_wrong_is_an_alarm_with_its_way_back(place: MachinePlace, qtbot: QtBot) -> None:
    morning(place, qtbot)
    place.choose("mdi")
    place.mdi.line.setText("G1 X0 Q7")
    press(place, place.mdi.start, qtbot)
    to_rest(place)
    assert stand(place).alarm is not None
    assert stand(place).alarm.said == place.run.said.text()  # type: ignore[union-attr]
    assert "Alarm from the control" in place.before._rows["alarm"][1].text()
    press(place, offered(place, "alarm"), qtbot)
    assert "alarm" not in place.before._rows


def test_the_place_is_left_and_come_back_to(place: MachinePlace, qtbot: QtBot) -> None:
    window = place.window()
    assert isinstance(window, MainWindow)
    morning(place, qtbot)
    press(place, place.run.start, qtbot)
    put_tool(place, 1, qtbot)
    press(place, place.run.start, qtbot)
    place.session.advance(9.0)
    assert stand(place).moving
    window.go_to_place("write")
    assert not stand(place).moving and stand(place).mode == "program"
    window.go_to_place("machine")
    place.session._timer.stop()
    assert "Held" in place.run.said.text()
    # The setup changed meanwhile: it says so and offers a new morning.
    edit = window.document.job_edit()
    edit.put(76.0, "registers", "length", "H1")
    window.document.change_job(edit.text, "H1")
    assert not place.stale.isHidden()
    press(place, place.anew, qtbot)
    assert place.stale.isHidden() and not stand(place).power


def test_in_inch_and_by_night_nothing_is_lost(place: MachinePlace, qtbot: QtBot) -> None:
    window = place.window()
    assert isinstance(window, MainWindow)
    morning(place, qtbot)
    window.document.set_units("inch")
    assert place.readout.rows["x"][2].text() == "11.8110"
    assert place.move_page.how.buttons["step3"].text() == "0.0001"
    window.other_colours()
    assert place.glass.palette_ is window.colours


@pytest.mark.drawn
@pytest.mark.parametrize("name", ["winder-bush", "ridge-gusset", "louvre-panel"])
def test_each_trade_has_its_own_words_at_the_machine(
    opened: Callable[[Path], MainWindow], tmp_path: Path, qtbot: QtBot, name: str
) -> None:
    window = opened(copy_demo(name, tmp_path / "demo"))
    window.go_to_place("machine")
    place = window.machine
    place.session._timer.stop()
    press(place, offered(place, "power"), qtbot)
    press(place, offered(place, "home"), qtbot)
    to_rest(place)
    for action in (Guard(True), PutTool(1)):
        place.session.do(action)
    assert "the program calls them" in place.run.said.text()
    for one in ("work", "clamp", "guard"):
        if one in place.before._rows:
            press(place, offered(place, one), qtbot)
    press(place, place.run.start, qtbot)
    place.session.advance(20.0)
    assert stand(place).moving and stand(place).alarm is None
    press(place, place.run.hold, qtbot)
    to_rest(place)
    assert place.run.said.text().startswith("Held in line")
    hidden = {axis for axis, parts in place.readout.rows.items() if parts[0].isHidden()}
    assert hidden == ({"y"} if name == "winder-bush" else {"z"})


def test_figures_set_at_the_machine_are_kept_in_the_job(place: MachinePlace, qtbot: QtBot) -> None:
    window = place.window()
    assert isinstance(window, MainWindow)
    morning(place, qtbot)
    place.session.do(SetFigure(group="length", key="H1", value=60.0))
    put_tool(place, 1, qtbot)
    place.choose("touch")
    place.readout.rows["z"][0].click()
    press(place, place.touch.setter, qtbot)
    assert stand(place).job.registers.length[1] == pytest.approx(75.0)
    place.session.do(SetFigure(group="work", key="G55", value=-250.0, axis="x"))
    press(place, place.touch.keep, qtbot)
    job = window.document.job
    assert job is not None and job.registers.work["G55"][0] == -250.0
    assert place.stale.isHidden() and stand(place).power
    window.go_to_place("setup")
    window.document.undo_setup()
    assert window.document.job is not None and "G55" not in window.document.job.registers.work


def test_a_program_from_the_drop_folder_runs_and_one_that_vanished_is_said(place: MachinePlace, qtbot: QtBot) -> None:
    window = place.window()
    assert isinstance(window, MainWindow)
    drop = place._folder / "drop"
    drop.mkdir(parents=True)
    (drop / "OTHER.NC").write_text("%\nO0001\nG21 G90 G54\nG0 Z0\nM30\n%\n")
    (drop / "picture.png").write_bytes(b"no program")
    place.run.menu.aboutToShow.emit()
    names = [a.text() for a in place.run.menu.actions()]
    assert "OTHER.NC" in names and "picture.png" not in names
    other = next(a for a in place.run.menu.actions() if a.text() == "OTHER.NC")
    morning(place, qtbot)
    other.trigger()
    assert stand(place).source.name == "OTHER.NC" and place.run.program.text() == "OTHER.NC"
    press(place, place.run.start, qtbot)
    to_rest(place)
    assert stand(place).parts == 1
    (drop / "OTHER.NC").unlink()
    other.trigger()
    assert "OTHER.NC" in window.trouble and "Traceback" not in window.trouble
    place.session.load_open()
    assert stand(place).source.name == "plain.nc"


def test_closing_in_the_middle_loses_nothing(place: MachinePlace, qtbot: QtBot) -> None:
    window = place.window()
    assert isinstance(window, MainWindow)
    morning(place, qtbot)
    press(place, place.run.start, qtbot)
    put_tool(place, 1, qtbot)
    press(place, place.run.start, qtbot)
    place.session.advance(9.0)
    place.leave()
    there, path = stand(place).place, Path(window.document.job.file)  # type: ignore[union-attr]
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        window.open(path)
    place.session._timer.stop()
    assert "left in the middle" in window.trouble
    with qtbot.waitSignal(place.session.told, timeout=60_000):
        window.notice.buttons[0].click()
    assert stand(place).place == pytest.approx(there)
    assert stand(place).mode == "program" and stand(place).tool == 1
    # A file that is none is refused in a sentence.
    bad = place._folder / "bad.rehearsal.json"
    bad.write_text("[]")
    assert not place.kept.do_again(bad)
    assert "no rehearsal" in window.trouble


@pytest.mark.parametrize("name", ["winder-bush", "ridge-gusset", "louvre-panel"])
def test_each_trade_sets_its_zero_by_its_own_means(
    opened: Callable[[Path], MainWindow], tmp_path: Path, qtbot: QtBot, name: str
) -> None:
    window = opened(copy_demo(name, tmp_path / "demo"))
    window.go_to_place("machine")
    place = window.machine
    place.session._timer.stop()
    for one in ("power", "home"):
        press(place, offered(place, one), qtbot)
        to_rest(place)
    place.choose("touch")
    true = stand(place).truth.bench
    if name == "ridge-gusset":
        # The pointer's spot lies 35 beside the torch: over the mark at X0, the torch is at X -35.
        place.touch.pointer.choose("pointer")
        assert "35.000 beside the torch" in place.touch.said.text()
        press(place, place.touch.set, qtbot)
        assert stand(place).job.registers.work["G54"][0] == pytest.approx(stand(place).place[0] + 35.0)
        place.session.do(SetFigure(group="work", key="G54", value=1.0, axis="x"))
        press(place, place.touch.both, qtbot)
        x, y, _z = stand(place).job.registers.work["G54"]
        assert (x, y) == pytest.approx((stand(place).place[0] + 35.0, stand(place).place[1]))
    elif name == "louvre-panel":
        place.session.do(SetFigure(group="work", key="G54", value=1.0, axis="x"))
        press(place, place.touch.stops, qtbot)
        assert stand(place).job.registers.work["G54"][0] == pytest.approx(true.zero["G54"].x)
    else:
        press(place, place.touch.setter, qtbot)
        assert "call one first" in window.trouble
        for action in (Guard(True), PutIn(), Clamp(True), Guard(False)):
            place.session.do(action)
            settled(place, qtbot)
        place.session.do(Mdi("T0202"))
        settled(place, qtbot)
        to_rest(place)
        place.session.do(SetFigure(group="geometry", key="T2", value=100.0, axis="x"))
        press(place, place.touch.setter, qtbot)
        assert stand(place).job.registers.geometry[2][0] == pytest.approx(121.2 / 2.0, abs=0.7)


def test_a_tool_is_drawn_before_anything_has_moved_and_no_belief_is_told(place: MachinePlace, qtbot: QtBot) -> None:
    morning(place, qtbot)
    put_tool(place, EDGE_FINDER, qtbot)
    tip = place.glass.stage.tip()
    assert tip is not None
    # Home is at machine 0, the zero at Z -200, the finder 110 long: 90 above it.
    assert tip[2] == pytest.approx(200.0 - 110.0)
    assert not place.glass.overlay.grab().isNull()
