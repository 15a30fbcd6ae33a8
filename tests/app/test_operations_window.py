"""Operations in the window: filled in for every trade, tried before they are written, listed, moved, switched off, opened again."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from pytestqt.qtbot import QtBot

from tests.app.conftest import copy_demo
from tests.conftest import write_job
from underglass.app.main_window import MainWindow
from underglass.app.parts import form_view
from underglass.cli.fill import filled_text
from underglass.core.compose.operation import ShopEntries
from underglass.core.compose.registry import operations_of
from underglass.core.files.cuts import read_cuts
from underglass.core.proof.proof import Proof
from underglass.core.reckon.form import Answer

JOB = """\
format = 1
title = "Bed label"
program = "plain.nc"
[zero]
G54 = { x = -300.0, y = -150.0, z = -200.0 }
[stock]
shape = "box"
size = [120.0, 80.0, 20.0]
place = [-10.0, -10.0, -19.0]
material = "aluminium"
[[tool]]
number = 1
kind = "face-mill"
DC = 50.0
APMX = 5.0
length = 60.0
[[tool]]
number = 2
kind = "end-mill"
DC = 10.0
APMX = 25.0
length = 75.0
stickout = 40.0
centre_cutting = true
[proof]
cell = 0.5
"""
START = "G21 G17 G40 G49 G54 G80 G90 G94\n"
END = "G0 Z50.\nM5\nM30\n"


def proved(qtbot: QtBot, window: MainWindow, do: Callable[[], object]) -> None:
    """Do something that changes the program, and wait for its proof."""
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        do()
    qtbot.waitUntil(lambda: window.document.proof_is_current, timeout=60_000)


def stands(qtbot: QtBot, window: MainWindow, line: int) -> None:
    """Wait until what is in force at a line is known beside the text."""
    side = window.side
    qtbot.waitUntil(lambda: side.standing is not None and side.standing.line == line, timeout=20_000)


@pytest.fixture
def plate(qtbot: QtBot, opened: Callable[[Path], MainWindow], tmp_path: Path) -> MainWindow:
    """A program of two operations: a face, then a pocket."""
    window = opened(write_job(tmp_path, START + END, JOB))
    window.go_to_place("write")
    for name, after in (("Facing", "G21"), ("Pocket, round", "(FACING: END")):
        line = next(k for k, t in enumerate(window.document.lines, 1) if t.startswith(after))
        window.document.select_line(line)
        window.side.choose("fill")
        stands(qtbot, window, line)
        window.side.fill.choose(name)
        if name != "Facing":
            window.side.fill.form.enter({"deep": "4", "cx": "50", "cy": "30"})
        proved(qtbot, window, window.side.fill.ask_write)
    window.side.choose("list")
    window.side.list.refresh()
    return window


def names(window: MainWindow) -> list[str]:
    return [row.name for row in window.side.list.rows]


def bad(window: MainWindow) -> list[str]:
    proof = window.document.proof
    assert isinstance(proof, Proof)
    return [f.code for f in proof.troubles if f.severity.word in ("crash", "fault")]


def test_a_program_is_built_of_forms_and_its_tools_come_in_once(plate: MainWindow) -> None:
    lines = plate.document.lines
    assert names(plate) == ["Facing", "Pocket, round"] and bad(plate) == []
    assert [t for t in lines if t.startswith("T")] == ["T1 M6", "T2 M6"]
    view = plate.side.list.view
    assert view.topLevelItem(0).text(2) == "T1" and ":" in view.topLevelItem(1).text(3)
    assert plate.side.list.said.text().startswith("2 operations")


def test_rows_are_moved_copied_switched_off_and_all_of_it_undoes(qtbot: QtBot, plate: MainWindow) -> None:
    panel, before = plate.side.list, plate.document.lines
    panel.view.setCurrentItem(panel.view.topLevelItem(1))
    proved(qtbot, plate, panel.copy)
    panel.refresh()
    assert names(plate) == ["Facing", "Pocket, round", "Pocket, round"]
    # The tool that is in already is not called again.
    assert [t for t in plate.document.lines if t.startswith("T")] == ["T1 M6", "T2 M6"]
    proved(qtbot, plate, lambda: panel.move(0, 2))
    panel.refresh()
    assert names(plate)[-1] == "Facing" and [t for t in plate.document.lines if t.startswith("T")] == ["T2 M6", "T1 M6"]
    panel.view.setCurrentItem(panel.view.topLevelItem(0))
    proved(qtbot, plate, panel.switch)
    panel.refresh()
    assert panel.rows[0].off and panel.view.topLevelItem(0).text(3) == "off"
    assert panel.buttons["off"].text() == "Switch on"
    # With the first pocket off the second one brings its tool in.
    assert [t for t in plate.document.lines if t.startswith("T")] == ["T2 M6", "T1 M6"]
    proved(qtbot, plate, panel.take_out)
    panel.refresh()
    assert names(plate) == ["Pocket, round", "Facing"]
    for _step in range(4):
        proved(qtbot, plate, plate.editor.undo)
    assert plate.document.lines == before


def test_hand_edits_show_and_are_not_lost_by_switching_off(qtbot: QtBot, plate: MainWindow) -> None:
    panel = plate.side.list
    found = panel.rows[1].found
    line = next(k for k in range(found.first, found.last) if plate.document.lines[k].startswith("G1 Z"))
    proved(qtbot, plate, lambda: plate.editor.replace_lines(line, line, ["G1 Z-0.5 F100"]))
    panel.refresh()
    plate.side.fill.look(line + 1)
    assert f"Line {line + 1}: G1 Z-0.5 F100 (form: G1 Z" in plate.side.fill.there.text()
    assert panel.rows[1].found.edited and "\u270e" in panel.view.topLevelItem(1).text(1)
    panel.view.setCurrentItem(panel.view.topLevelItem(1))
    panel.switch()
    assert "changed by hand" in plate.trouble
    # Moved it goes as it is.
    proved(qtbot, plate, lambda: panel.move(1, 0))
    assert "G1 Z-0.5 F100" in plate.document.lines


def test_a_form_opens_again_is_tried_and_written_over(qtbot: QtBot, plate: MainWindow) -> None:
    panel, fill = plate.side.list, plate.side.fill
    panel.view.setCurrentItem(panel.view.topLevelItem(1))
    panel.open_here()
    assert plate.side.page == "fill" and fill.opened is not None and fill.form.entered["deep"] == "4"
    with qtbot.waitSignal(fill.trying.tried, timeout=60_000, check_params_cb=lambda t: t is not None):
        fill.form.enter({"deep": "12"})
    assert fill.tried_said.text().startswith("Tried here: clean") and plate.glass.stage.held is not None
    # What other ways take stands beside; one press takes one, and the one left is offered.
    entry = fill.form.entered["way"]
    plunge = next(b for b in fill.ways.buttons if b.text() == "Entry: straight down")
    with qtbot.waitSignal(fill.trying.tried, timeout=60_000, check_params_cb=lambda t: t is not None):
        qtbot.mouseClick(plunge, Qt.MouseButton.LeftButton)
    assert fill.form.entered["way"] == "plunge"
    assert [b.text() for b in fill.ways.buttons] == [
        "Cutting: conventional",
        "Entry: on a helix",
        "Entry: along a ramp",
    ]
    fill.form.enter({"way": entry})
    # Beside the stock it would cut air: said before it is written.
    with qtbot.waitSignal(fill.trying.tried, timeout=60_000, check_params_cb=lambda t: t is not None and bool(t.found)):
        fill.form.enter({"cx": "-200"})
    assert "Tried here: c" in fill.tried_said.text()
    fill.form.enter({"deep": "6", "cx": "50"})
    proved(qtbot, plate, fill.ask_write)
    assert plate.glass.stage.held is None and names(plate) == ["Facing", "Pocket, round"]
    assert any("DEEP=6." in t for t in plate.document.lines)


def test_chosen_speeds_are_offered_the_next_time(qtbot: QtBot, plate: MainWindow) -> None:
    fill = plate.side.fill
    plate.side.choose("fill")
    fill.choose("Slot, straight")
    advised = fill.form.entered["s"]
    fill.form.enter({"s": "4321", "f": "777"})
    proved(qtbot, plate, fill.ask_write)
    assert fill.cuts_file is not None
    (cut,) = read_cuts(fill.cuts_file)
    assert cut.entered["s"] == "4321" != advised and cut.material == "aluminium" and cut.job == "Bed label"
    fill.choose("Facing")
    fill.choose("Slot, straight")
    assert fill.form.entered["s"] == "4321" and "as last time" in fill.kept_said.text()


def test_another_tool_brings_its_own_figures_and_leaves_the_rest(plate: MainWindow) -> None:
    fill = plate.side.fill
    plate.side.choose("fill")
    fill.choose("Pocket, any contour")
    fill.form.enter({"deep": "3.3", "d": "16", "s": "1"})
    for number, d in ((1, "50"), (2, "10")):
        fill.tool.setCurrentIndex(fill.tool.findData(number))
        fill.take_tool()
        assert fill.form.entered["t"] == str(number) and fill.form.entered["d"] == d and fill.form.entered["s"] != "1"
    assert fill.form.entered["deep"] == "3.3"


def test_a_contour_comes_from_a_drawing(plate: MainWindow, tmp_path: Path) -> None:
    import ezdxf

    drawing = ezdxf.new(units=4)
    drawing.modelspace().add_lwpolyline([(0, 0), (60, 0), (60, 40), (0, 40)], close=True)
    drawing.saveas(tmp_path / "plate.dxf")
    fill = plate.side.fill
    plate.side.choose("fill")
    fill.choose("Outline")
    fill.take_drawing("contour", str(tmp_path / "plate.dxf"))
    assert fill.form.answer is not None and "60 40" in fill.form.entered["contour"]
    fill.take_drawing("contour", str(tmp_path / "none.dxf"))
    assert "none.dxf" in plate.trouble
    fill.form.enter({"contour": "0 0\n60 0 R90\n60 40\nCLOSE"})
    assert "row 2" in fill.form.said_at("contour")
    # Beside the button that cannot be pressed too: the field may be scrolled out of sight.
    assert not fill.write.isEnabled() and fill.tried_said.isVisible()
    assert fill.tried_said.text() == "Row 2: a radius of 90 does not fit between these two."


@pytest.mark.parametrize(
    ("demo", "name"), [("winder-bush", "groove"), ("ridge-gusset", "nest"), ("louvre-panel", "punched-slot")]
)
def test_every_trade_is_filled_in_as_the_command_line_does(
    qtbot: QtBot, opened: Callable[[Path], MainWindow], tmp_path: Path, demo: str, name: str
) -> None:
    job = copy_demo(demo, tmp_path / "d")
    window = opened(job)
    window.go_to_place("write")
    last = next(k for k, t in enumerate(window.document.lines, 1) if "M30" in t) - 1
    window.document.select_line(last)
    window.side.choose("fill")
    stands(qtbot, window, last)
    fill = window.side.fill
    operation = next(op for op in operations_of(fill.kind) if op.key == name)
    fill.choose(operation.name)
    qtbot.waitUntil(lambda: not fill.form.working, timeout=20_000)
    assert fill.form.answer is not None and fill.tool.count() == len(window.document.job.bench.tool_names)  # type: ignore[union-attr]
    assert fill.tool.currentIndex() >= 0 and fill.with_tool.isHidden() == (name == "nest"), "a torch is not called"
    # Another tool is in at the end of the program than here: what follows the tool's text is the same to the letter.
    written, printed = list(fill._blocks()), filled_text(name, {}, job, "mm").splitlines()
    head = next(k for k, t in enumerate(written) if not t.startswith("("))
    assert written[:head] == printed[:head] and written[-10:-1] == printed[-10:-1]


def test_a_punch_that_is_not_in_the_turret_is_told_before_it_is_written(
    qtbot: QtBot, opened: Callable[[Path], MainWindow], tmp_path: Path
) -> None:
    window = opened(copy_demo("louvre-panel", tmp_path / "d"))
    window.go_to_place("write")
    window.side.choose("fill")
    fill = window.side.fill
    # No straight punch stands square in this turret: the form keeps its own station, and the box shows none.
    fill.choose("Parts cut apart")
    assert fill.tool.currentIndex() == -1 and fill.form.entered["t"] == "1"
    qtbot.waitUntil(lambda: fill.with_tool.isChecked() and "fault" in fill.tried_said.text(), timeout=60_000)
    assert "calls tool 1, which is not on the bench" in fill.tried_said.text()
    # Without the tool change the hits would be the punch's that is in; what is tried follows the box.
    fill.with_tool.click()
    qtbot.waitUntil(lambda: "fault" not in fill.tried_said.text(), timeout=60_000)
    assert "it would be cut with the wrong one" in fill.tool_said.text()


def test_sizes_that_are_not_the_tools_are_said_and_taken(qtbot: QtBot, plate: MainWindow) -> None:
    plate.side.choose("fill")
    fill = plate.side.fill
    fill.choose("Surface")
    # The bench has an end mill, no ball: the form reckons with what is there.
    assert fill.form.entered["tool"] == "flat" and fill.bench_said.isHidden()
    fill.form.enter({"tool": "ball", "d": "9"})
    said = "T2 on the bench is different: tool flat, not ball; tool diameter 10, not 9."
    assert fill.bench_said.said.text() == said and fill.bench_said.isVisible()
    qtbot.mouseClick(fill.bench_said.take, Qt.MouseButton.LeftButton)
    assert (fill.form.entered["tool"], fill.form.entered["d"]) == ("flat", "10") and fill.bench_said.isHidden()
    # What no figure can put right is said all the same.
    fill.choose("Surface about a lying axis")
    assert fill.bench_said.said.text() == "T1 on the bench is different: tool face mill, not ball end mill."
    assert fill.bench_said.isVisible() and fill.bench_said.take.isHidden()
    # Another tool brings its own sizes, and leaves what has nothing to do with it.
    fill.choose("Pocket, rectangular")
    fill.form.enter({"angle": "5"})
    fill.tool.setCurrentIndex(fill.tool.findData(2))
    fill.take_tool()
    assert fill.form.entered["angle"] == "5" and fill.form.entered["d"] == "10"


def test_a_form_that_takes_long_is_answered_beside_the_window(
    qtbot: QtBot, plate: MainWindow, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(form_view, "_SLOW_S", -1.0)  # every form takes long
    plate.side.choose("fill")
    fill = plate.side.fill
    fill.choose("Pocket, any contour")
    asked: list[str] = []
    own = fill.operation
    held = threading.Event()

    def work(e: ShopEntries) -> Answer:
        asked.append(f"{e.number('deep'):g}")
        # The first one is answered at once: nobody knows yet that it takes long.
        assert len(asked) == 1 or held.wait(20.0)
        return own.work(e)

    fill.form.show_form(replace(own, work=work), "mm")
    assert fill.form.answer is not None and not fill.form.working
    for deep in ("3", "4", "5"):
        fill.form.enter({"deep": deep})
        assert fill.form.working and fill.form.answer is None and not fill.write.isEnabled()
        assert fill.tried_said.isVisible() and fill.tried_said.text() == "Working it out…"
    held.set()
    qtbot.waitUntil(lambda: fill.form.answer is not None, timeout=20_000)
    # What was typed in between is not worked out: the newest figures are.
    assert fill.write.isEnabled() and asked[-1] == "5" and len(asked) < 4
    assert any("Z-5." in block for block in fill.form.answer.blocks)
    # An entry that is known to take long does not hold the window up even once.
    fill.form.show_form(own, "mm")
    fill.form.enter({"hold": "120"})
    assert fill.form.working
    qtbot.waitUntil(lambda: fill.form.answer is not None, timeout=20_000)
    assert any(row.word == "Most engagement" for row in fill.form.answer.rows)


def test_a_form_that_turns_out_long_does_not_hold_the_window_up_and_says_how_far_it_is(
    qtbot: QtBot, plate: MainWindow, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(form_view, "_MANY", 1)
    plate.side.choose("fill")
    fill = plate.side.fill
    fill.choose("Surface")
    assert fill.form.answer is not None
    monkeypatch.setattr(form_view, "_AT_ONCE_S", 0.0)  # nothing is quick enough
    with qtbot.waitSignal(fill.form.went_on, check_params_cb=lambda: "blocks" in fill.tried_said.text(), timeout=60_000):  # fmt: skip
        fill.form.enter({"step": "0.01", "ways": "across", "long": "300"})
        assert fill.form.working and fill.form.answer is None and not fill.write.isEnabled()
        assert fill.form.figure._outdated, "the drawing of other figures is not shown as if it were theirs"
    # Other figures, and nobody waits for these any more.
    fill.form.enter({"step": "2", "ways": "along", "long": "20"})
    qtbot.waitUntil(lambda: fill.form.answer is not None, timeout=20_000)
    assert len(fill.form.answer.blocks) < 1000 and not fill.form.working  # type: ignore[union-attr]
    assert not fill.form.figure._outdated


def test_a_program_for_two_parts_is_turned_from_tools_to_parts_and_back(qtbot: QtBot, plate: MainWindow) -> None:
    panel = plate.side.list
    assert panel.buttons["parts"].isHidden(), "for one part it makes no difference"
    small = plate.document.job_text.replace(
        'kind = "face-mill"\nDC = 50.0', 'kind = "end-mill"\ncentre_cutting = true\nDC = 12.0'
    )
    proved(qtbot, plate, lambda: plate.document.change_job(small, "a smaller tool"))
    ops = {op.name: op for op in operations_of("mill")}
    many = {"parts": "list", "shifts": "0 0\n30 0", "deep": "2", "cy": "30"}
    texts = [ops["Pocket, round"].text({"t": "1", "cx": "30", "dia": "24", **many}, "mm"), ops["Pocket, round"].text({"t": "2", "cx": "30", "dia": "26", **many}, "mm")]  # fmt: skip
    program = [*START.split("\n")[:1], *texts[0], *texts[1], "M5", "M30", ""]
    proved(qtbot, plate, lambda: plate.document.set_text("\n".join(program)))
    panel.refresh()
    button = panel.buttons["parts"]
    assert button.text() == "Part by part" and not button.isHidden()
    proved(qtbot, plate, button.click)
    panel.refresh()
    assert len(panel.rows) == 4 and button.text() == "Tool by tool" and panel.warned.isHidden()
    assert [t for t in plate.document.lines if t.startswith("T")] == ["T1 M6", "T2 M6", "T1 M6", "T2 M6"]
    assert plate.document.lines.count("(PART 2 OF 2)") == 1
    by_parts = plate.document.lines
    proved(qtbot, plate, button.click)
    panel.refresh()
    assert len(panel.rows) == 2 and [t for t in plate.document.lines if t.startswith("T")] == ["T1 M6", "T2 M6"]
    proved(qtbot, plate, plate.editor.undo)
    assert plate.document.lines == by_parts
