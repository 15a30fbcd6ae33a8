"""A turned job in the real window: the demo with its slip, the part in the glass, what holds now, Setup typed and taken back."""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path

import ezdxf
import numpy as np
import pytest
from PySide6.QtCore import QEventLoop, QPoint, QPointF, Qt
from pytestqt.qtbot import QtBot

from underglass.app.main_window import MainWindow
from underglass.app.prove.side import PAGES
from underglass.app.setup.rows_view import BELIEF, TRUTH, WEAR
from underglass.app.trades.turned_skin import TurnedSkin, flat
from underglass.core.files.demo import copy_demo
from underglass.core.files.setup_edit import SLIPS
from underglass.core.proof.belief import Row


@pytest.fixture
def bush(opened: Callable[[Path], MainWindow], tmp_path: Path, qtbot: QtBot) -> Callable[[str], MainWindow]:
    def make(name: str) -> MainWindow:
        window = opened(copy_demo(name, tmp_path / "demo"))
        still(qtbot, window)
        return window

    return make


def still(qtbot: QtBot, window: MainWindow) -> None:
    """Wait until nothing is worked out any more."""
    loop = QEventLoop()
    window.when_still(loop.quit)
    loop.exec()


def proved(qtbot: QtBot, window: MainWindow, do: Callable[[], object]) -> None:
    with qtbot.waitSignal(window.prover.proved, timeout=120_000):
        do()
    still(qtbot, window)


def row(window: MainWindow, group: str, key: str, axis: str = "") -> Row:
    rows = window.own_setup.now._rows
    return next(r for r in rows if (r.group, r.key, r.axis) == (group, key, axis))


def test_the_slip_is_one_crash_where_it_happens(qtbot: QtBot, bush: Callable[[str], MainWindow]) -> None:
    window = bush("winder-bush-slip")
    proof = window.document.proof
    assert proof is not None
    assert [(f.code, window.document.lines[f.line - 1][:4]) for f in proof.troubles if f.severity.word == "crash"] == [
        ("rapid-into-stock", "N420")
    ]
    crash = proof.troubles[0]
    window.go_to_place("prove")
    window.document.set_moment(crash.time_s)
    still(qtbot, window)
    skin = window.glass.stage.skin
    assert isinstance(skin, TurnedSkin)
    place = skin.place_of(crash)
    assert place is not None and place[1] == 0.0 and 6.0 < place[2] < 22.5
    # One line written in mends it.
    window.editor.go_to(crash.line - 1)
    window.editor.put_caret(type(window.editor.caret)(crash.line - 2, len(window.document.lines[crash.line - 2])))
    proved(qtbot, window, lambda: window.editor.insert("\nN410 G0 Z5."))
    assert window.document.proof is not None and window.document.proof.outcome == "clean"


def test_the_part_is_picked_and_says_its_diameter(qtbot: QtBot, bush: Callable[[str], MainWindow]) -> None:
    window = bush("winder-bush")
    proof = window.document.proof
    assert proof is not None
    line = next(k for k, text in enumerate(window.document.lines, 1) if text.startswith("N470"))
    moment = proof.moment_of_line(line)
    assert moment is not None
    window.document.set_moment(moment)
    still(qtbot, window)
    skin = window.glass.stage.skin
    assert isinstance(skin, TurnedSkin)
    # Straight down onto the journal of 28, from above the axis on the far side of the section.
    start = flat(np.array([[100.0, -25.0]]))[0] + (0.0, 3.0, 0.0)
    hit = window.glass.stage.surface(start, np.array([0.0, 0.0, -1.0]))
    assert hit is not None
    _z, y, x = hit[0].place  # type: ignore[union-attr]
    assert 2.0 * np.hypot(x, y) == pytest.approx(27.994, abs=2e-3)
    assert window.document.lines[int(proof.motions.line[hit[1]]) - 1].startswith("N570")
    said = skin.about(hit[0], "mm")  # type: ignore[arg-type]
    assert "diameter 27.99" in said and "tool 2" in said


def test_what_holds_now_is_a_lathes(qtbot: QtBot, bush: Callable[[str], MainWindow]) -> None:
    window = bush("winder-bush")
    window.go_to_place("prove")
    proof = window.document.proof
    assert proof is not None
    line = next(k for k, text in enumerate(window.document.lines, 1) if text.startswith("N130"))
    moment = proof.moment_of_line(line)
    assert moment is not None
    window.document.set_moment(moment + 1.0)
    now = window.now
    assert now.isVisible() and not now._axes[2].isVisible()
    names = {now._rows[k][0].text(): now.value(k) for k in now._rows if now._rows[k][0].isVisible()}
    assert names["Speed limit"] == "3000 rpm" and names["Feed"] == "0.150 mm a turn" and names["Surface"] == "200 m/min"
    assert names["Zero"] == "G54 true" and names["Offset 01"] == names["Gauge, real"] == "X 120.000  Z 60.000"


def test_setup_is_typed_and_taken_back(qtbot: QtBot, bush: Callable[[str], MainWindow]) -> None:
    window = bush("winder-bush")
    window.go_to_place("setup")
    place = window.own_setup.now
    assert place.isVisible() and not window.setup.isVisible()
    before = window.document.job_edit().text
    proved(qtbot, window, lambda: place._on_entered(row(window, "length", "T2", "x"), BELIEF, 121.6))
    proof = window.document.proof
    assert proof is not None and "geometry-wrong" in [f.code for f in proof.findings]
    assert row(window, "length", "T2", "x").off == pytest.approx(0.4) and row(window, "length", "T2", "x").wrong
    proved(qtbot, window, lambda: place._on_entered(row(window, "length", "T2", "x"), WEAR, -0.4))
    assert window.document.proof is not None and window.document.proof.outcome == "clean"
    proved(qtbot, window, lambda: place._on_entered(row(window, "work", "G54", "z"), TRUTH, -381.0))
    proved(qtbot, window, window.setting_up.undo)
    proved(qtbot, window, window.setting_up.undo)
    proved(qtbot, window, window.setting_up.undo)
    assert window.document.job_edit().text == before


def test_every_page_of_setup_changes_the_job(qtbot: QtBot, bush: Callable[[str], MainWindow]) -> None:
    window = bush("winder-bush")
    window.go_to_place("setup")
    place = window.own_setup.now
    stock = place.stock
    proved(qtbot, window, lambda: stock.fields["outer"].typed.emit(48.0))
    assert window.document.job_data["stock"]["size"] == [48.0, 85.0]
    place.choose("chuck")
    proved(qtbot, window, lambda: place.chuck.fields["face"].typed.emit(-52.0))
    proved(qtbot, window, lambda: place.chuck.tail.click())
    assert window.document.job_data["tailstock"] == {"z": 20.0}
    place.choose("tools")
    proved(qtbot, window, place.tools.add_tool)
    assert place.tools.number_chosen == 8 and window.document.job_data["tool"][-1]["number"] == 8
    proved(qtbot, window, place.tools.take_off)
    assert len(window.document.job_data["tool"]) == 7


@pytest.mark.drawn
def test_a_lathe_and_a_mill_follow_each_other_in_one_window(
    qtbot: QtBot, bush: Callable[[str], MainWindow], tmp_path: Path
) -> None:
    window = bush("winder-bush")
    window.go_to_place("setup")
    with qtbot.waitSignal(window.prover.proved, timeout=120_000):
        window.open(copy_demo("vent-bracket", tmp_path / "demo"))
    still(qtbot, window)
    assert window.setup.isVisible() and not window.own_setup.isVisible()
    window.go_to_place("prove")
    still(qtbot, window)
    assert window.now._axes[2].isVisible() and window.glass.stage.skin is None and len(window.glass.stage.cursors) == 1
    with qtbot.waitSignal(window.prover.proved, timeout=120_000):
        window.open(copy_demo("winder-bush", tmp_path / "demo"))
    still(qtbot, window)
    for page, *_words in PAGES:
        window.beside.choose(page)
        still(qtbot, window)
    assert "Parted off" in window.beside.whole.said.text() or "parted off" in window.beside.whole.said.text()


def test_diameters_grooves_and_tapers_are_measured_in_the_picture(
    qtbot: QtBot, bush: Callable[[str], MainWindow]
) -> None:
    window = bush("winder-bush")
    proof = window.document.proof
    assert proof is not None
    line = next(k for k, text in enumerate(window.document.lines, 1) if text.startswith("N700"))
    moment = proof.moment_of_line(line)
    assert moment is not None
    window.document.set_moment(moment)
    still(qtbot, window)
    measuring = window.glass.measuring

    def click(z: float) -> None:
        measuring.click(flat(np.array([[100.0, z]]))[0] + (0.0, 3.0, 0.0), np.array([0.0, 0.0, -1.0]))

    measuring.choose("round")
    click(-20.0)
    assert measuring.result is not None and measuring.result.value == pytest.approx(27.994, abs=2e-3)
    assert "outside" in measuring.result.words
    measuring.choose("across")
    click(-13.5)
    assert measuring.result is not None and measuring.result.value == pytest.approx(3.0, abs=0.02), "the relief"
    measuring.choose("profile")
    click(-0.5)
    click(-1.2)
    assert measuring.result is not None and "Taper 45.0" in measuring.result.words
    skin = window.glass.stage.skin
    assert skin is not None
    _vertices, faces = skin.solid(moment)
    assert len(faces) > 1000


def test_a_trial_cut_is_measured_at_the_stop_and_corrected(
    qtbot: QtBot, opened: Callable[[Path], MainWindow], tmp_path: Path
) -> None:
    from tests.conftest import write_job
    from tests.core.trades.turning.lathe import LATHE_JOB, START

    text = (
        START
        + "G0 X36. Z2.\nG1 Z-10. F0.15\nG0 X60. Z10.\nM0\nG0 X36. Z2.\nG1 Z-30. F0.15\nX41.\nG0 X200. Z100.\nM5\nM30\n"
    )
    worn = LATHE_JOB.replace("gauge = { x = 120.0, z = 60.0 }", "gauge = { x = 119.96, z = 60.0 }", 1)
    worn += "\n[registers.geometry]\n1 = { x = 120.0, z = 60.0 }\n"
    window = opened(write_job(tmp_path, text, worn))
    window.go_to_place("prove")
    window.beside.choose("stop")
    still(qtbot, window)
    page = window.beside.own_stop
    page.refresh()
    page.at.show_value(-5.0, "mm")
    page.wanted.show_value(36.0, "mm")
    page._look()
    assert page.taken is not None and page.taken.diameter == pytest.approx(36.04, abs=1e-5) and page.taken.offset == 1
    assert "-0.040" in page.why.text() or "\u22120.040" in page.why.text()
    proved(qtbot, window, page.correct.click)
    proof = window.document.proof
    assert proof is not None
    assert proof.histories[0].final.rings_at(-20.0)[0][0] == pytest.approx(36.0, abs=1e-5)  # type: ignore[attr-defined]
    assert proof.histories[0].final.rings_at(-5.0)[0][0] == pytest.approx(36.0, abs=1e-5)  # type: ignore[attr-defined]
    page.refresh()
    proved(qtbot, window, page.back.click)
    assert "at_stop" not in window.document.job_data


def test_a_profile_is_typed_dragged_and_taken_back(qtbot: QtBot, bush: Callable[[str], MainWindow]) -> None:
    window = bush("winder-bush")
    window.go_to_place("setup")
    place = window.own_setup.now
    stock, before = place.stock, window.document.job_edit().text
    proved(qtbot, window, lambda: stock.do(lambda edit: stock._put_shape(edit, "profile"), "profile"))
    assert stock.places() == [(0.0, 0.0), (45.0, 0.0), (45.0, -85.0), (0.0, -85.0)]
    item = stock.profile.table.item(1, 0)
    assert item is not None and item.text() == "45.000"
    proved(qtbot, window, lambda: item.setText("46"))
    assert window.document.job_data["stock"]["profile"][1] == [46.0, 0.0]
    proved(qtbot, window, lambda: stock.profile.added.emit(1))
    assert len(stock.places()) == 5
    # Dragged in the picture: where the cursor lets go there the place is.
    view = place.view
    at = view._at(*(v / 2.0 if k == 0 else v + 1.0 for k, v in enumerate(stock.places()[2])))
    view.taken = view._grip_at(at)
    assert view.taken == 2
    proved(qtbot, window, lambda: view.place_moved.emit(2, *view._place(at - QPointF(30.0, 10.0))))
    moved = stock.places()[2]
    assert moved[0] > 45.5 and moved[1] < -42.5
    view.taken = -1
    proved(qtbot, window, lambda: view.place_removed.emit(2))
    for _ in range(5):
        proved(qtbot, window, window.setting_up.undo)
    assert window.document.job_edit().text == before


def test_a_tool_is_touched_off_with_its_sum(qtbot: QtBot, bush: Callable[[str], MainWindow]) -> None:
    window = bush("winder-bush")
    window.go_to_place("setup")
    place = window.own_setup.now
    proved(qtbot, window, lambda: place._on_entered(row(window, "length", "T2", "x"), BELIEF, 130.0))
    place.choose("touch")
    page = place.touch
    page.choose(2)
    page.touch("x")
    assert "166.200 machine X \u2212 45.000 diameter" in page.said.text() and "= 121.200" in page.said.text()
    page.touch("z")
    proved(qtbot, window, page.tell)
    assert not row(window, "length", "T2", "x").wrong and not row(window, "length", "T2", "z").wrong
    page.choose(4)
    assert not page.by_diameter.isEnabled()
    page.touch_setter()
    assert list(page.result) == ["z"] and page.result["z"].value == pytest.approx(115.0)


def test_slips_and_what_if_stand_on_the_lathe_too(qtbot: QtBot, bush: Callable[[str], MainWindow]) -> None:
    window = bush("winder-bush")
    window.go_to_place("setup")
    place = window.own_setup.now
    with qtbot.waitSignal(place.what_if.ranged, timeout=120_000):
        place.table.choose("length", "T5", "z")
    found = place.what_if.range
    assert found is not None and found.survives and "Safe from" in place.what_if.sentence.text()
    # By the words of the menu too, which every trade has.
    said = {action.text(): action for action in window.actions()}
    proved(qtbot, window, said[f"Practice error: {SLIPS['shift']}"].trigger)
    assert row(window, "length", "T5", "z").off == pytest.approx(10.0)
    proved(qtbot, window, said["Copy what the control says to the bench"].trigger)
    assert window.places.setup.made is None
    assert row(window, "length", "T5", "z").truth == pytest.approx(132.0)


def test_a_fit_that_is_typed_is_judged_and_figures_stand_at_the_cursor(
    qtbot: QtBot, bush: Callable[[str], MainWindow]
) -> None:
    window = bush("winder-bush")
    window.go_to_place("prove")
    window.document.set_moment(128.0)
    still(qtbot, window)
    measuring = window.glass.measuring
    measuring.choose("round")
    qtbot.keyClicks(window.glass_bar.wanted, "28 h6")
    measuring.click(np.array([-20.0, -100.0, -10.0]), np.array([0.0, 1.0, 0.0]))
    assert measuring.result is not None and measuring.result.within is True
    assert "28 h6 in (27.987 to 28.000)" in measuring.result.words
    assert measuring.want("28 f7") == "" and measuring.result.within is False
    measuring.want("")
    measuring.clear()
    # A thread says its crest, its core and its lead.
    measuring.click(np.array([-7.0, -100.0, -10.0]), np.array([0.0, 1.0, 0.0]))
    assert measuring.result is not None and "lead 1.500" in measuring.result.words
    measuring.choose("")
    window.glass.on_the_plane()
    assert window.glass.hovering.flat
    x, y, _depth = window.glass.project(np.array([[-20.0, 0.0, 13.0]]))[0]
    assert window.glass.hovering.move(QPointF(x, y))
    assert [d.words for d in window.glass.hovering.found] == ["\u00d8 27.994", "13.636", "Z -20.000"]
    window.glass.view("corner")
    window.glass.hovering.move(QPointF(x, y))
    assert window.glass.hovering.found == ()


@pytest.mark.drawn
def test_colours_by_depth_load_and_target(qtbot: QtBot, bush: Callable[[str], MainWindow], tmp_path: Path) -> None:
    window = bush("winder-bush")
    skin = window.glass.stage.skin
    assert isinstance(skin, TurnedSkin)
    for kind in ("depth", "load", "age", "operation", "target"):
        window.glass.show_with(colouring=kind)
        still(qtbot, window)
        assert skin.legend(kind, window.colours, "mm").title
    assert skin.legend("target", window.colours, "mm").title == "No target in this job"
    path = tmp_path / "demo" / "winder-bush.job.toml"
    path.write_text(
        path.read_text() + "\n[proof]\ntarget = [[13.0, -36], [40, -36], [40, -30], [28.2, -30], [28.2, 0], [13, 0]]\n"
    )
    with qtbot.waitSignal(window.prover.proved, timeout=120_000):
        window.open(path)
    still(qtbot, window)
    skin = window.glass.stage.skin
    assert isinstance(skin, TurnedSkin) and skin.legend("target", window.colours, "mm").high == "+0.2"
    places = np.array([[13.997, -22.0], [14.1, -22.0], [14.3, -22.0]])
    low, same, high = skin.colours.colours("target", window.colours, np.array([1, 1, 1]), places)
    assert len({low, same, high}) == 3


def test_the_lens_looks_at_contours_without_compensation_too(qtbot: QtBot, bush: Callable[[str], MainWindow]) -> None:
    window = bush("winder-bush")
    window.go_to_place("prove")
    page = window.beside.lens
    with qtbot.waitSignal(page.looked, timeout=60_000):
        window.document.select_line(30)
        window.beside.choose("lens")
    assert page.lens is not None and page.lens.told == pytest.approx(0.2) and page.told.field.word == "Nose, told"
    with qtbot.waitSignal(page.looked, timeout=60_000):
        page.real._on_typed(0.4)
    assert any(p.what == "left" for p in page.lens.patches)


def test_a_bare_turning_program_opens_on_a_guessed_lathe(
    opened: Callable[[Path], MainWindow], qtbot: QtBot, tmp_path: Path
) -> None:
    path = tmp_path / "stud.nc"
    path.write_text(
        "G21 G40 G97 G99\nT0101\nG96 S150 M3\nG0 X44. Z0.\nG1 X-1.6 F0.2\nG0 X36. Z2.\nG1 Z-30.\nX44.\nG0 X200. Z100. M5\nM30\n"
    )
    window = opened(path)
    still(qtbot, window)
    assert window.document.job is not None and window.document.job.trade.kind == "lathe"
    assert "a bar 42.000" in window.trouble and "1 tool." in window.trouble
    window.go_to_place("setup")
    assert window.own_setup.isVisible()
    place = window.own_setup.now
    proved(qtbot, window, lambda: place.stock.fields["outer"].typed.emit(45.0))
    assert window.document.job_data["stock"]["size"][0] == 45.0
    assert place.stock.guessed.isVisible()
    proved(qtbot, window, lambda: place.stock.guessed.linkActivated.emit("confirm"))
    assert window.document.job.unconfirmed == {"T1"}


def test_tools_are_kept_taken_and_written(qtbot: QtBot, bush: Callable[[str], MainWindow], tmp_path: Path) -> None:
    window = bush("winder-bush")
    window.go_to_place("setup")
    tools = window.own_setup.now.tools
    tools.choose(5)
    tools.kept.keep()
    tools.kept.keep()
    assert [t.name for t in tools.kept.kept()] == ["boring bar C RE 0.2"]
    tools.choose(2)
    proved(qtbot, window, lambda: tools.take(tools.kept.kept()[0].entry))
    taken = next(e for e in window.document.job_data["tool"] if e["number"] == 2)
    assert taken["kind"] == "boring" and taken["gauge"] == {"x": 9.0, "z": 122.0}
    tools.kept.write(tmp_path / "tools.toml", window.document.job_data["tool"])
    tools.choose(7)
    proved(qtbot, window, tools.take_off)
    proved(qtbot, window, lambda: tools.kept.take_from(tmp_path / "tools.toml"))
    assert window.document.job_data["tool"][-1]["number"] == 7
    (tmp_path / "none.toml").write_text("format = 1\n")
    tools.kept.take_from(tmp_path / "none.toml")
    assert "no tools" in window.trouble


def test_places_and_a_contour_are_taken_from_a_drawing(
    qtbot: QtBot, bush: Callable[[str], MainWindow], tmp_path: Path
) -> None:
    """Z to the right and X up, as a turned part is drawn; written as diameters, whichever half of the drawing is clicked."""
    doc = ezdxf.new()
    doc.header["$INSUNITS"] = 4
    space = doc.modelspace()
    for side in (1, -1):
        space.add_lwpolyline(
            [(0, side * 8), (-10, side * 8), (-12, side * 10, 0, 0, side * 0.4142135624), (-14, side * 12), (-30, side * 12)],
            format="xyseb",
        )  # fmt: skip
    doc.saveas(tmp_path / "pin.dxf")
    window = bush("winder-bush")
    window.go_to_page("print")
    panel = window.side.print
    with qtbot.waitSignal(panel.loaded, timeout=20_000):
        panel.load_file(tmp_path / "pin.dxf")
    view = panel.view
    panel.grid_on.setChecked(False)
    assert (view.plane.right.name, view.plane.up.name) == ("Z", "X")
    for z, r in ((0, 8), (-10, -8)):
        qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=view.on_screen(z, r).toPoint() + QPoint(2, 2))
    assert panel.blocks() == ("X16. Z0.", "X16. Z-10.")
    panel.how.setCurrentIndex(1)
    assert panel.blocks()[1] == "U0. W-10."
    panel.take_back()
    panel.take_back()
    panel.target.setCurrentIndex(panel.target.findData("form"))
    at = view.on_screen(-5, -8).toPoint()
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=at)
    qtbot.mouseDClick(view, Qt.MouseButton.LeftButton, pos=at)
    assert window.side.fill.form.entered["profile"].split("\n")[:2] == ["16 0", "16 -10"]
    assert "24 -14 I0 K-2" in window.side.fill.form.entered["profile"]
    window.go_to_page("print")
    panel.target.setCurrentIndex(0)
    window.editor.go_to(10)
    before = set(window.document.lines)
    at = view.on_screen(-5, -8).toPoint()
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=at)
    qtbot.mouseDClick(view, Qt.MouseButton.LeftButton, pos=at)
    wrote = [line for line in window.document.lines if line not in before]
    assert wrote[0] == "G1 X16. Z0." and wrote[-1].endswith("X24. Z-30.")
    assert "G3 X24. Z-14. I0. K-2." in wrote
    # As it is run: half way round, the arc is where it is drawn.
    proved(qtbot, window, lambda: window.prove(at_once=True))
    proof = window.document.proof
    assert proof is not None
    move = int(np.flatnonzero(proof.motions.line == window.document.lines.index("G3 X24. Z-14. I0. K-2.") + 1)[0])
    work = np.array(proof.motions.at(move, 0.5)) - proof.motions.state_of(move).shift
    assert work[[2, 0]] == pytest.approx((-14.0 + math.sqrt(2.0), 10.0 + math.sqrt(2.0)))
