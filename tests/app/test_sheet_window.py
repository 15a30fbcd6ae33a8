"""Sheet cutting and punching in the real window: the demos with their slips, the glass, what holds now, Setup typed, dragged and taken back."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import ezdxf
import numpy as np
import pytest
import shapely
from PySide6.QtCore import QPointF
from PySide6.QtGui import QColor
from pytestqt.qtbot import QtBot

from tests.app.test_lathe_window import proved, row, still
from tests.conftest import write_job
from tests.core.trades.sheet.flat import PUNCH_JOB, SHEET_JOB
from underglass.app.main_window import MainWindow
from underglass.app.setup.rows_view import BELIEF, TRUTH
from underglass.app.style.palette import DAY, NIGHT
from underglass.app.trades.flat_skin import FlatSkin
from underglass.core.errors import UnderGlassError
from underglass.core.files.demo import copy_demo
from underglass.core.finding import Severity
from underglass.core.language.source import read_text
from underglass.core.proof.flat_outputs import history_of
from underglass.core.proof.print_ways import print_ways
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import prove

HOLE = "G21 G90 G40 G54\nG0 X60. Y60.\nM3\nG4 P0.6\nG41 G1 X60. Y50. F2000\nG3 X60. Y50. I0. J10.\nG40 G1 X60. Y60.\nM5\nM30\n"


@pytest.fixture
def demo(opened: Callable[[Path], MainWindow], tmp_path: Path, qtbot: QtBot) -> Callable[[str], MainWindow]:
    def make(name: str) -> MainWindow:
        window = opened(copy_demo(name, tmp_path / "demo"))
        still(qtbot, window)
        return window

    return make


def proof_of(window: MainWindow) -> Proof:
    proof = window.document.proof
    assert proof is not None
    return proof


def skin_of(window: MainWindow) -> FlatSkin:
    skin = window.glass.stage.skin
    assert isinstance(skin, FlatSkin)
    return skin


def line_of(window: MainWindow, text: str) -> int:
    return next(k for k, line in enumerate(window.document.lines, 1) if text in line)


def shown(window: MainWindow) -> dict[str, str]:
    now = window.now
    return {now._rows[k][0].text(): now.value(k) for k in now._rows if now._rows[k][0].isVisible()}


def write_anew(window: MainWindow, text: str) -> None:
    """The whole program, as one change."""
    lines = text.split("\n")
    assert window.document.buffer.change_lines(0, len(window.document.buffer.lines), lines)
    window.prove(at_once=True)


def bad(window: MainWindow) -> list[tuple[str, int]]:
    return [(f.code, f.line) for f in proof_of(window).findings if f.severity > Severity.NOTE]


def test_the_slips_are_found_and_undone(qtbot: QtBot, demo: Callable[[str], MainWindow]) -> None:
    window = demo("ridge-gusset-slip")
    (code, line), *more = bad(window)
    assert code == "inner-after-outer" and not more
    window.show_first(proof_of(window))
    still(qtbot, window)
    assert window.document.line == line
    place = skin_of(window).place_of(proof_of(window).troubles[0])
    assert place is not None and place[2] == 0.0
    # The two calls the other way round: holes first.
    lines = window.document.lines
    first = next(k for k, t in enumerate(lines) if "M98 P5102" in t and "M98 P5101" in lines[k + 1])
    mended = window.document.buffer.text.replace(
        f"{lines[first]}\n{lines[first + 1]}",
        f"{lines[first].replace('5102', '5101')}\n{lines[first + 1].replace('5101', '5102')}",
    )
    proved(qtbot, window, lambda: write_anew(window, mended))
    assert bad(window) == []


@pytest.mark.drawn
def test_cutting_is_seen_piece_by_piece(qtbot: QtBot, demo: Callable[[str], MainWindow]) -> None:
    window = demo("ridge-gusset")
    window.go_to_place("prove")
    proof, skin, glass = proof_of(window), skin_of(window), window.glass
    history = history_of(proof)
    assert history is not None and len(history.pieces) == 30
    freed = history.pieces[0]
    showing = glass.stage.showing
    before, after = proof.timing.start[freed.move], proof.timing.end_of(freed.move) + 0.01

    def lifted(moment: float) -> int:
        return sum(p.model[2, 3] > 0.0 for p in skin.bodies(moment, DAY, showing, None) if p.key[0] == "flat part")

    assert lifted(before) == 0 and lifted(after) == 1
    after = proof.timing.end_of(history.bites[freed.bite].last) + 0.01
    window.document.set_moment(after)
    still(qtbot, window)
    assert shown(window)["Contours cut"] == "1 of 30" and not window.now._axes[2].isVisible()
    labels = skin.labels(after, showing)
    assert [k.words for k in labels] == [str(k) for k in range(1, 31)] and sum(k.done for k in labels) == 1
    hottest = skin.colours.heat()
    assert hottest[0] == 0.0 and hottest.max() > 0.0
    glass.show_with(colouring="heat")
    still(qtbot, window)
    assert glass.stage.showing.colouring == "heat" and "Heat" in skin.legend("heat", DAY, "mm").title


def test_pierces_stand_on_the_tape_and_are_stepped_to(qtbot: QtBot, demo: Callable[[str], MainWindow]) -> None:
    window = demo("ridge-gusset")
    proof, tape = proof_of(window), window.tape
    events = [e for e in proof.motions.events if e.kind == "cutter-on"]
    on = [t for e, t in zip(proof.motions.events, proof.timing.events.tolist()) if e.kind == "cutter-on"]
    assert len(on) == 30
    said = {tape._stop_at(QPointF(tape.x_of(on[2]), y)) for y in np.arange(0.0, tape.height(), 2.0)}
    assert said == {"", f"Pierce 3, line {events[2].line}"}
    window.document.set_moment(0.0)
    window.player.step_event(1)
    assert window.document.moment == pytest.approx(on[0])


def test_slugs_fall_from_their_holes(qtbot: QtBot, demo: Callable[[str], MainWindow]) -> None:
    window = demo("louvre-panel")
    proof, skin = proof_of(window), skin_of(window)
    history = history_of(proof)
    assert history is not None
    showing = window.glass.stage.showing

    def slugs(moment: float) -> list[float]:
        bodies = skin.bodies(moment, DAY, showing, None)
        return [float(b.model[2, 3]) for b in bodies if b.key[0] == "flat slug"]

    hit = proof.timing.end_of(history.bites[4].last)
    assert slugs(0.0) == []
    # Half g t squared below the sheet's lower side: textbook.
    assert slugs(hit + 0.05)[0] == pytest.approx(-history.thickness - 0.5 * 9810.0 * 0.05**2, rel=1e-3)
    assert slugs(hit + 0.2)[0] < slugs(hit + 0.05)[0]
    window.glass.show_with(lift=False)
    still(qtbot, window)
    showing = window.glass.stage.showing
    assert slugs(hit + 0.05) == []


def test_a_hole_is_measured_and_picked(qtbot: QtBot, opened: Callable[[Path], MainWindow], tmp_path: Path) -> None:
    window = opened(write_job(tmp_path, HOLE, SHEET_JOB))
    still(qtbot, window)
    proof, measuring = proof_of(window), window.glass.measuring
    window.document.set_moment(proof.timing.total)
    down = np.array([0.0, 0.0, -1.0])
    measuring.choose("round")
    measuring.click(np.array([66.0, 60.0, 50.0]), down)
    assert measuring.result is not None and measuring.result.value == pytest.approx(20.0, abs=3e-3)
    measuring.choose("across")
    measuring.click(np.array([25.0, 60.0, 50.0]), down)
    assert measuring.result is not None and measuring.result.value == pytest.approx(50.0, abs=3e-3), "the web"
    hit = window.glass.stage.surface(np.array([69.5, 60.0, 50.0]), down)
    assert hit is not None and int(proof.motions.line[hit[1]]) == 6
    window.looking.save("dxf", tmp_path / "left.dxf")
    drawn = ezdxf.readfile(tmp_path / "left.dxf").modelspace().query("LWPOLYLINE")
    assert sorted(e.dxf.layer for e in drawn) == ["PIECES", "SHEET", "SHEET"], "the drop-out, the sheet and its hole"
    # The lens knows the kerf.
    window.editor.go_to(5)
    window.go_to_place("prove")
    with qtbot.waitSignal(window.beside.lens.looked, timeout=60_000):
        window.beside.choose("lens")
    lens = window.beside.lens.lens
    assert lens is not None and lens.told == lens.real == pytest.approx(0.8)
    assert window.beside.lens.told.field.word == "D (kerf)" and window.beside.buttons["stop"].isHidden()


def test_two_runs_of_a_sheet_are_compared(qtbot: QtBot, opened: Callable[[Path], MainWindow], tmp_path: Path) -> None:
    window = opened(write_job(tmp_path, HOLE, SHEET_JOB))
    still(qtbot, window)
    window.go_to_place("prove")
    window.beside.choose("runs")
    runs = window.beside.runs
    runs.hold_now()
    wider = window.document.buffer.text.replace("Y50. F", "Y49. F").replace("X60. Y50. I0. J10.", "X60. Y49. I0. J11.")
    proved(qtbot, window, lambda: write_anew(window, wider))
    if runs.comparison is None:
        qtbot.waitUntil(lambda: runs.comparison is not None, timeout=30_000)
    found = runs.comparison
    assert found is not None and not found.same_part and runs.colour.isHidden()
    assert found.a_left is not None and found.a_left.depth_mm == pytest.approx(1.0, abs=0.01)


def test_the_zero_is_typed_dragged_and_put_where_all_fits(
    qtbot: QtBot, opened: Callable[[Path], MainWindow], tmp_path: Path
) -> None:
    window = opened(write_job(tmp_path, HOLE, SHEET_JOB))
    window.go_to_place("setup")
    place = window.own_setup.now
    before = window.document.job_edit().text
    proved(qtbot, window, lambda: place._on_entered(row(window, "work", "G54", "x"), BELIEF, 60.0))
    assert row(window, "work", "G54", "x").off == pytest.approx(10.0)
    proved(qtbot, window, window.setting_up.undo)
    proved(qtbot, window, lambda: place._on_entered(row(window, "work", "G54", "x"), TRUTH, 80.0))
    proved(qtbot, window, window.setting_up.undo)
    # Dragged off to the left, and back where everything fits by the button.
    view = place.view
    view.taken.emit()
    proved(qtbot, window, lambda: view.zero_moved.emit(-55.0, 0.0))
    view.let_go.emit()
    off = next(f for f in proof_of(window).findings if f.code == "off-sheet")
    assert off.evidence["shift_y_mm"] == pytest.approx(0.0, abs=1e-3)
    place.stock.refresh()
    proved(qtbot, window, place.stock.fit.click)
    assert "off-sheet" not in {f.code for f in proof_of(window).findings}
    proved(qtbot, window, window.setting_up.undo)
    proved(qtbot, window, window.setting_up.undo)
    assert window.document.job_edit().text == before


def test_pages_of_cutter_and_table_change_the_job(
    qtbot: QtBot, opened: Callable[[Path], MainWindow], tmp_path: Path
) -> None:
    window = opened(write_job(tmp_path, HOLE, SHEET_JOB))
    window.go_to_place("setup")
    place = window.own_setup.now
    proved(qtbot, window, lambda: place.stock.fields["t"].typed.emit(6.0))
    assert window.document.job_data["stock"]["size"] == [600.0, 400.0, 6.0]
    place.choose("tools")
    proved(qtbot, window, lambda: place.cutter.fields["kerf"].typed.emit(2.0))
    assert "radius-register-wrong" not in {f.code for f in proof_of(window).findings}, (
        "the control is told what is there"
    )
    proved(qtbot, window, place.cutter.dry.click)
    history = history_of(proof_of(window))
    assert history is not None and not history.bites
    proved(qtbot, window, place.cutter.dry.click)
    place.choose("fixtures")
    proved(qtbot, window, place.clamps.add_one)
    assert len(window.document.job_data["fixture"]) == 1
    proved(qtbot, window, place.clamps.take_away)
    # A remnant.
    drawing = ezdxf.new(units=4)
    drawing.modelspace().add_lwpolyline([(0, 0), (300, 0), (300, 200), (0, 200)], close=True)
    drawing.saveas(tmp_path / "remnant.dxf")
    proved(qtbot, window, lambda: place.stock.take_drawing(tmp_path / "remnant.dxf"))
    history = history_of(proof_of(window))
    assert history is not None and shapely.area(history.sheet) == pytest.approx(60_000.0)
    proved(qtbot, window, place.stock.make_whole)
    assert "outline" not in window.document.job_data["stock"]


@pytest.mark.drawn
def test_the_press_has_its_words_turret_and_clamps(qtbot: QtBot, demo: Callable[[str], MainWindow]) -> None:
    window = demo("louvre-panel-slip")
    assert [code for code, _line in bad(window)] == ["clamp-zone", "clamp-zone"]
    window.go_to_place("prove")
    proof, skin = proof_of(window), skin_of(window)
    moment = proof.moment_of_line(line_of(window, "N510"))
    assert moment is not None
    window.document.set_moment(moment + 1.0)
    still(qtbot, window)
    names = shown(window)
    assert names["Station"] == "T14 \u00b7 forming 80 x 12" and names["Pitch"] == "40.000 mm"
    assert window.beside.buttons["lens"].isHidden() and window.beside.buttons["stop"].isHidden()
    window.beside.choose("whole")
    qtbot.waitUntil(lambda: "In all" in window.beside.whole.said.text(), timeout=30_000)
    assert "106" in window.beside.whole.said.text()

    def raised(at: float) -> int:
        placed = skin.bodies(at, DAY, window.glass.stage.showing, None)
        return sum(len(p.body.triangles) for p in placed if p.key[0] == "flat form")

    assert raised(0.0) == 0 < raised(proof.timing.total)
    window.go_to_place("setup")
    place = window.own_setup.now
    place.choose("tools")
    place.choose_tool(5)
    assert place.tool_chosen == 5 and place.view.mode == "tool"
    proved(qtbot, window, lambda: place.tools.fields["size0"].typed.emit(14.0))
    tool = next(t for t in window.document.job_data["tool"] if t["number"] == 5)
    assert tool["size"] == [14.0]
    proved(qtbot, window, place.tools.add_tool)
    proved(qtbot, window, place.tools.take_out)
    proved(qtbot, window, window.setting_up.undo)
    assert len(window.document.job_data["tool"]) == 6


@pytest.mark.drawn
def test_trades_follow_each_other_in_one_window_by_day_and_night(
    qtbot: QtBot, demo: Callable[[str], MainWindow], tmp_path: Path
) -> None:
    window = demo("vent-bracket")
    window.go_to_place("setup")
    for page in ("fixtures", "tools"):
        window.setup.choose(page)
    changes = iter((NIGHT, DAY, None))
    for name in ("louvre-panel", "winder-bush", "vent-bracket"):
        with qtbot.waitSignal(window.prover.proved, timeout=120_000):
            window.open(copy_demo(name, tmp_path / "next"))
        # A press and a lathe meet a change of colours, while their Setup was just left.
        colours = next(changes)
        for place in ("setup", "prove", "write"):
            window.go_to_place(place)
            if place == "prove" and colours is not None:
                window.set_colours(colours)
        still(qtbot, window)
        assert window.own_setup.isHidden() or name != "vent-bracket"
        assert not window.trouble and bad(window) == []


def test_clamps_move_on_the_sheet_when_they_are_repositioned(
    qtbot: QtBot, opened: Callable[[Path], MainWindow], tmp_path: Path
) -> None:
    text = "G21 G90 G54\nG0 X400. Y300.\nT12\nG179 I250.\nG0 X165. Y300.\nM30\n"
    job = PUNCH_JOB.replace("G54 = { x = 0.0, y = 0.0 }", "G54 = { x = 300.0, y = 0.0 }")
    window = opened(write_job(tmp_path, text, job))
    still(qtbot, window)
    skin, total = skin_of(window), proof_of(window).timing.total

    def clamp(moment: float) -> float:
        placed = skin.bodies(moment, DAY, window.glass.stage.showing, None)
        return next(float(p.model[0, 3]) for p in placed if p.key[0] == "flat held")

    assert clamp(0.0) == pytest.approx(120.0) and clamp(total) == pytest.approx(120.0 + 250.0)
    assert shown(window) is not None


def test_the_zero_is_taken_from_a_corner_an_edge_and_a_mark(
    qtbot: QtBot, opened: Callable[[Path], MainWindow], tmp_path: Path
) -> None:
    """Common practice, no source: machine place + the pointer's way from the cutter - the place in the part is the offset."""
    told = SHEET_JOB + "\n[registers.work]\nG54 = { x = 47.0, y = 52.0 }\n"
    window = opened(write_job(tmp_path, HOLE, told))
    still(qtbot, window)
    window.go_to_place("setup")
    place = window.own_setup.now
    place.choose("zero")
    page = place.touch
    assert place.page == "touch" and not page.take.isEnabled()
    # The real zero is 50, 50, the sheet's corner lies on it, and the pointer's spot is 35 beside the torch.
    page.read_there()
    assert (page.result["x"].shift, page.result["x"].value) == (35.0, 50.0)
    assert page.said.text().startswith("15.000 machine X + 35.000 to the pointer")
    page.list.setCurrentIndex(page.list.findData("right"))
    page.choose("right")
    assert page.result == {} and not page.y.isEnabled() and page.x.value == 600.0
    page.take_tip("cutter")
    page.x.show_value(601.0, "mm")
    page.read_there()
    assert set(page.result) == {"x"} and page.result["x"].value == pytest.approx(49.0)
    proved(qtbot, window, page.tell)
    assert row(window, "work", "G54", "x").off == pytest.approx(-1.0)
    assert row(window, "work", "G54", "y").off == pytest.approx(2.0), "an axis that was not read stays as it is"
    page.choose("mark")
    page.x.show_value(120.0, "mm")
    page.y.show_value(80.0, "mm")
    page.read_there()
    proved(qtbot, window, page.take.click)
    assert [row(window, "work", "G54", a).off for a in "xy"] == [pytest.approx(0.0), pytest.approx(0.0)]
    proved(qtbot, window, window.setting_up.undo)
    assert row(window, "work", "G54", "y").off == pytest.approx(2.0)


def test_a_sheet_at_each_zero_is_ticked_and_two_on_one_place_are_refused(
    qtbot: QtBot, opened: Callable[[Path], MainWindow], tmp_path: Path
) -> None:
    one = "G54 = { x = 50.0, y = 50.0 }"
    text = HOLE.replace("M5\n", "M5\nG55\nG0 X60. Y60.\nM3\nG4 P0.6\nG1 X70. F2000\nM5\n")
    window = opened(write_job(tmp_path, text, SHEET_JOB.replace(one, one + "\nG55 = { x = 720.0, y = 50.0 }")))
    still(qtbot, window)
    assert "off-sheet" in {f.code for f in proof_of(window).findings}, "nothing lies at G55 yet"
    window.go_to_place("setup")
    page = window.own_setup.now.stock
    page.refresh()
    assert page.at_each.isVisibleTo(page) and not page.at_each.isChecked()
    proved(qtbot, window, page.at_each.click)
    assert "off-sheet" not in {f.code for f in proof_of(window).findings}
    history = history_of(proof_of(window))
    assert history is not None and history.sheet.area == pytest.approx(2 * 600.0 * 400.0)
    # Each is drawn, in Setup and behind a drawing, and each zero has its name.
    job = window.document.job
    assert job is not None and len(print_ways(job).outlines(job)) == 2
    assert [row(window, "work", name, "x").what for name in ("G54", "G55")] == ["X of G54", "X of G55"]
    picture = window.own_setup.now.view.grab().toImage()
    view, stock = window.own_setup.now.view, QColor(DAY.stock)
    for x in (350.0, 1020.0):
        seen = picture.pixelColor(view.at(x, 400.0).toPoint() * picture.devicePixelRatio())
        assert abs(seen.red() - stock.red()) < 40 and abs(seen.blue() - stock.blue()) < 40, (x, seen.name())
    # The zeros dragged: both sheets stay where they lie.
    lay = [np.add(b, (50.0, 50.0, 50.0, 50.0)) for b in shapely.bounds(shapely.get_parts(history.sheet))]
    view.taken.emit()
    proved(qtbot, window, lambda: view.zero_moved.emit(10.0, -4.0))
    view.let_go.emit()
    now = history_of(proof_of(window))
    assert now is not None
    moved = [np.add(b, (60.0, 46.0, 60.0, 46.0)) for b in shapely.bounds(shapely.get_parts(now.sheet))]
    assert np.allclose(np.sort(lay, axis=0), np.sort(moved, axis=0))
    proved(qtbot, window, window.setting_up.undo)
    edit = window.document.job_edit()
    edit.put(300.0, "zero", "G55", "x")
    with pytest.raises(UnderGlassError, match="lie on one another"):
        window.document.change_job(edit.text, "too close")
    proved(qtbot, window, page.at_each.click)
    assert history_of(proof_of(window)).sheet.area == pytest.approx(600.0 * 400.0)  # type: ignore[union-attr]


def test_the_rest_of_a_nest_is_saved_from_a_contour_on(
    qtbot: QtBot, demo: Callable[[str], MainWindow], tmp_path: Path
) -> None:
    """The torch failed in the middle: the contour lies in a subprogram that was called before."""
    window = demo("ridge-gusset")
    proof = proof_of(window)
    window.go_to_place("prove")
    window.beside.choose("start")
    page = window.beside.start
    window.document.set_moment(0.0)
    page.refresh()
    assert page.rest.isVisibleTo(page) and page.contour.value == 1
    page.contour.show_value(99.0)
    page._on_contour()
    assert page.contour.said.text() == "From 1 to 30"
    page.contour.show_value(14.0)
    page._on_contour()
    history = history_of(proof)
    assert history is not None
    assert history.bites_done(*proof.timing.locate(window.document.moment)) == 13
    page.write_rest(tmp_path / "rest.nc")
    assert page.contour.said.text() == "" and "Contour 14 of 30" in page.rest_said.text()
    # On a sheet of its own, what is left cuts what was left: seventeen contours, the same pieces where they were.
    rest = prove(proof.job, read_text((tmp_path / "rest.nc").read_text(), "rest.nc"))
    left = history_of(rest)
    assert left is not None and len(left.bites) == 17
    want = shapely.union_all([b.shape for b in history.bites[13:]])
    assert shapely.symmetric_difference(want, shapely.union_all([b.shape for b in left.bites])).area < 1e-3
    assert not [f.code for f in rest.findings if f.severity.word in ("crash", "fault")]


@pytest.mark.parametrize(("name", "tool"), [("ridge-gusset-slip", 1), ("louvre-panel", 5)])
def test_a_bare_program_of_a_sheet_machine_is_guessed_and_confirmed(
    qtbot: QtBot, opened: Callable[[Path], MainWindow], tmp_path: Path, name: str, tool: int
) -> None:
    copy_demo(name, tmp_path / "demo")
    program = tmp_path / f"{name}.nc"
    program.write_bytes((tmp_path / "demo" / f"{name}.nc").read_bytes())
    window = opened(program)
    still(qtbot, window)
    assert "guesses" in window.trouble and "as line 3 states" in window.trouble
    window.setting_up.confirm_guess(f"T{tool}")
    place = window.own_setup.now
    page = place.pages["tools"]
    assert page.guessed.isVisible() and "guessed, not confirmed" in page.guessed.text()
    proved(qtbot, window, lambda: page.guessed.linkActivated.emit("confirm"))
    job = window.document.job
    assert job is not None and f"T{tool}" not in job.unconfirmed and "machine" in job.unconfirmed
    assert not page.guessed.isVisible() and window.document.modified
    window.setting_up.confirm_guess("machine")
    stock = place.pages["stock"]
    assert place.page == "stock" and stock.guessed.isVisible()
    proved(qtbot, window, lambda: stock.guessed.linkActivated.emit("confirm"))
    job = window.document.job
    assert job is not None and not job.unconfirmed & {"stock", "zero", "machine"}
    # What is confirmed is no guess any more: a caution becomes what it is.
    worst = max(f.severity for f in proof_of(window).findings)
    assert worst == (Severity.FAULT if "slip" in name else Severity.NOTE)
    window.document.undo_setup()
    assert "machine" in window.document.job.unconfirmed  # type: ignore[union-attr]
