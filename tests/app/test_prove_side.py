"""The pages beside the glass, and the findings under them."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from pytestqt.qtbot import QtBot

from tests.app.test_tape import STOPS
from tests.conftest import PLAIN_JOB, START
from tests.core.proof.test_lens import pocket
from tests.core.proof.test_stops import TEXT
from underglass.app.main_window import MainWindow
from underglass.app.prove.side import PAGES
from underglass.core.files.demo import copy_demo
from underglass.core.finding import Severity

WRONG = (
    START
    + "X50. Y-8.\nZ2.\nG1 Z-4. F3000\nY68.\nG2 X50. Y50. R2.\nG43 H3\nG0 Z-5.\nM5\nG41 X50 Y50\nT2 M6\nG55 X5\nM30\n"
)


def words(text: str) -> str:
    """A page's words without its marks."""
    return re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", text))


@pytest.mark.parametrize("name", [name for name, _word, _tip in PAGES])
def test_every_page_says_what_to_do_when_nothing_is_open(window: MainWindow, name: str, qtbot: QtBot) -> None:
    window.stack.setCurrentWidget(window.work)
    window.beside.choose(name)
    page = window.beside.part_of(name)
    qtbot.waitUntil(lambda: page.isVisible())
    page.refresh()
    if name != "now":
        assert len(words(page.said.text())) > 20


def test_now_says_offset_radius_time_and_both_blocks(plain: Callable[..., MainWindow]) -> None:
    window = plain(pocket(40.0, 30.0), PLAIN_JOB + "\n[registers.work]\nG54 = { x = -300.0, y = -150.0, z = -199.5 }\n")
    window.document.select_line(10)
    now = window.now
    assert now.value("offset") == "G54 out by Z 0.500"
    assert now.value("radius") == "5.000 / 5.000"
    elapsed, left = now.value("time").split(" · ")
    assert ":" in elapsed and ":" in left
    assert now._block.text() == "Y45.0" and now._next.text() == "next  X30.0"
    window.document.set_moment(window.tape.total)
    assert now.value("time").endswith("0:00") and now._next.text() == "next  –"


def test_the_whole_program_is_told(plain: Callable[..., MainWindow], qtbot: QtBot) -> None:
    window = plain(STOPS)
    window.beside.choose("whole")
    qtbot.waitUntil(lambda: window.beside.whole.summary is not None)
    said = words(window.beside.whole.said.text())
    assert "T1" in said and "T2" in said and "G54" in said and "stops 2" in said
    assert re.search(r"lowest Z -6\.0", said) and "past it by" in said
    window.beside.whole.said.linkActivated.emit("22")
    assert window.document.line == 22


def test_the_lens_takes_the_glasss_room_and_its_sliders_try(plain: Callable[..., MainWindow], qtbot: QtBot) -> None:
    window = plain(pocket(40.0, 30.0))
    window.document.select_line(10)
    window.beside.choose("lens")
    lens = window.beside.lens
    qtbot.waitUntil(lambda: lens.lens is not None)
    assert lens.view.isVisible() and not window.glass.isVisible()
    assert "inside the contour" in words(lens.said.text()) and not lens.back.isEnabled()
    before = window.document.job
    lens.real.field.enter("10.6")
    qtbot.waitUntil(lambda: lens.lens.real == pytest.approx(5.3))
    assert "Gouged" in lens.said.text() and "0.300" in words(lens.said.text())
    assert "tried, not in the job" in words(lens.head.text()) and window.document.job is before
    # A click on the path leads to its line.
    at = lens.view.at((70.0, 30.0)).toPoint()
    qtbot.mouseClick(lens.view, Qt.MouseButton.LeftButton, pos=at)
    assert window.document.line == 10
    lens.back.click()
    qtbot.waitUntil(lambda: lens.lens.real == 5.0)
    assert not lens.view.grab().isNull()
    window.document.select_line(18)
    qtbot.waitUntil(lambda: lens.lens is None)
    assert "nothing for the lens" in lens.said.text()
    window.beside.choose("now")
    assert window.glass.isVisible()


def test_the_lens_follows_the_cutter_while_it_plays(plain: Callable[..., MainWindow], qtbot: QtBot) -> None:
    window = plain(pocket(40.0, 30.0))
    window.document.select_line(10)
    window.beside.choose("lens")
    qtbot.waitUntil(lambda: window.beside.lens.lens is not None)
    one = window.beside.lens.view.tip
    assert one == (pytest.approx(65.0), pytest.approx(40.0))  # the corner of the pocket, less the radius both ways
    window.player.advance(-1.0)
    qtbot.waitUntil(lambda: window.beside.lens.view.tip not in (one, None))


def test_a_size_is_measured_and_corrected_at_a_stop(plain: Callable[..., MainWindow], qtbot: QtBot) -> None:
    window = plain(TEXT)
    window.player.halts = frozenset({"stop"})
    window.document.set_moment(0.0)
    window.player.advance(window.tape.total)
    window.beside.choose("stop")
    page = window.beside.stop
    qtbot.waitUntil(lambda: page.stop is not None and page.form.isVisible())
    assert page.stop.line == 10
    page.size.setCurrentIndex(3)
    page.size.activated.emit(3)
    page.take.click()
    assert window.glass.measuring.mode == "point"
    window.glass.view("top")
    x, y, _depth = window.glass.project(np.array([[50.0, 30.0, -4.0]]))[0]
    window.glass.measuring.click(*window.glass.seen.ray(x, y))
    assert page.measured.value == pytest.approx(-4.0)
    page.wanted.enter("-4.1")
    assert page.register.currentText() == "H1" and page.sum.value == pytest.approx(-0.1)
    moment = window.document.moment
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        page.correct.click()
    assert window.document.moment == pytest.approx(moment)  # the cut stays where it is
    field = window.document.proof.stocks[0].final
    assert field.h[field.grid.cell_at(50.0, 30.0)] == pytest.approx(16.0)
    assert field.h[field.grid.cell_at(10.0, 30.0)] == pytest.approx(17.9)
    page.refresh()
    assert "H1 -0.100" in words(page.said.text())
    page.by.enter("0.5")
    page.axis.setCurrentIndex(2)
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        page.shift.click()
    assert window.document.job.at_stops[0].work["G54"] == (0.0, 0.0, 0.5)
    page.refresh()
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        page.back.click()
    assert window.document.job.at_stops == ()
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        window.document.undo_setup()
    assert window.document.job.at_stops
    page.go_on.click()
    assert window.player.playing
    window.player.stop()


def test_a_run_is_held_and_the_change_told(plain: Callable[..., MainWindow], qtbot: QtBot) -> None:
    window = plain(TEXT)
    window.looking.hold_run()
    runs = window.beside.runs
    assert window.glass.stage.held is window.document.proof is window.tape.held
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        window.editor.replace_lines(7, 7, ["X60. Y68."])
    qtbot.waitUntil(lambda: runs.comparison is not None)
    said = words(runs.said.text())
    assert "Leads elsewhere first in line 8" in said and "differs by" in said
    runs.colour.click()
    assert window.glass.showing.colouring == "held"
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        window.setting_up.undo()
    qtbot.waitUntil(lambda: runs.comparison is not None and runs.comparison.same_path)
    runs.let_go.click()
    assert window.glass.stage.held is None and window.tape.held is None
    assert window.glass.showing.colouring == "tool"


def test_a_start_in_the_middle_says_what_to_send(plain: Callable[..., MainWindow], qtbot: QtBot) -> None:
    window = plain(TEXT)
    window.document.select_line(13)
    window.looking.start_here()
    page = window.beside.start
    qtbot.waitUntil(lambda: page.restart is not None and page.restart.line == 13)
    said = words(page.said.text())
    assert "G43 H1" in said and "S3000 M3" in said
    page.copy.click()
    assert QGuiApplication.clipboard().text().splitlines() == list(page.restart.blocks)
    window.document.set_moment(0.0, follow=False)
    page.show_stock.click()
    assert window.document.moment == pytest.approx(window.document.proof.moment_of_line(13))
    window.document.select_line(99, move_moment=False)
    qtbot.waitUntil(lambda: "never comes" in page.said.text())


def test_findings_are_filtered_grouped_and_sorted(plain: Callable[..., MainWindow], qtbot: QtBot) -> None:
    window = plain(WRONG)
    panel = window.findings
    every = panel.model.findings
    assert len(every) > 5 and panel.bar.isVisible()
    qtbot.keyClicks(panel.words, "H3")
    assert 0 < len(panel.model.findings) < len(every)
    assert all("H3" in f.message for f in panel.model.findings)
    panel.words.clear()
    panel.severities[Severity.CRASH].click()
    assert all(f.severity != Severity.CRASH for f in panel.model.findings)
    panel.severities[Severity.CRASH].click()
    panel.choose_by(order="gravity")
    grave = [f.severity for f in panel.model.findings if f.code != "first-approach"]
    assert grave == sorted(grave, reverse=True)
    panel.choose_by(group="tool", order="line")
    headings = [row for row in panel.model.rows if isinstance(row, str)]
    assert headings and headings[0].startswith(("No tool", "T1"))
    panel.choose_by(words="no such words")
    assert panel._empty.isVisible() and "filter" in panel._empty.text()
    assert {f.code for f in every} == {f.code for f in panel.model.findings} or not panel.model.findings


def test_a_finding_shows_its_figures_and_mends_itself(plain: Callable[..., MainWindow], qtbot: QtBot) -> None:
    window = plain(WRONG)
    finding = next(f for f in window.document.proof.findings if f.code == "length-register-wrong")
    window.document.select_finding(finding)
    assert window.findings.make.isVisible() and "H3" in window.findings.make.text()
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        window.findings.make.click()
    assert window.document.job.registers.length[3] == pytest.approx(75.0)


@pytest.mark.drawn
def test_a_chosen_finding_shows_its_place(slip: MainWindow, qtbot: QtBot) -> None:
    finding = slip.document.finding
    assert finding is not None
    qtbot.waitUntil(lambda: slip.findings._delegate.picture(finding) is not None, timeout=60_000)
    picture = slip.findings._delegate.picture(finding)
    shades = {picture.pixel(x, y) for x in range(0, picture.width(), 6) for y in range(0, picture.height(), 6)}
    assert len(shades) > 10
    index = slip.findings.list.currentIndex()
    assert slip.findings.list.visualRect(index).height() > 200


def test_at_a_stop_the_register_that_can_still_help_is_offered_first(
    opened: Callable[[Path], MainWindow], tmp_path: Path, qtbot: QtBot
) -> None:
    """The demo with compensation: roughed with D12, measured at M1, finished with D2. Corrected, the finish comes to size."""
    window = opened(copy_demo("winder-cover", tmp_path / "demo"))
    window.beside.choose("stop")
    page = window.beside.stop
    page.refresh()
    window.document.set_moment(page.found[0].time_s)
    qtbot.waitUntil(lambda: page.register.count() > 0)
    assert page.register.currentText() == "D2"
    page.measured.enter("80.5")
    page.wanted.enter("80.6")
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        page.correct.click()
    finished = [s for s in window.document.proof.run.stretches if s.switched_on_line == 33]
    assert finished[0].radius == pytest.approx(6.05)
