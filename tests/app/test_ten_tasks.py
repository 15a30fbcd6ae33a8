"""What somebody new wants to do first, done by the mouse and the keys of a person; clicks and keys are counted.

The counts stand in docs/ten-tasks.md: the table there is held to what is counted here.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtWidgets import QAbstractItemView, QApplication, QComboBox, QFileDialog, QLineEdit, QWidget
from pytestqt.qtbot import QtBot

from underglass.app.main_window import MainWindow
from underglass.app.setup.rows_view import BELIEF
from underglass.core.files.demo import copy_demo
from underglass.core.language.buffer import Place

TABLE = Path(__file__).parents[2] / "docs" / "ten-tasks.md"


class Hand:
    """One person at the window. A double click is two clicks, each key is one, a key with Ctrl too."""

    def __init__(self, window: MainWindow, qtbot: QtBot) -> None:
        self.window, self.bot = window, qtbot
        self.clicks = self.keys = 0

    def click(self, part: QWidget, at: QPoint | None = None, *, double: bool = False) -> None:
        assert part.isVisible() and part.isEnabled()
        at = at if at is not None else part.rect().center()
        self.bot.mouseClick(part, Qt.MouseButton.LeftButton, pos=at)
        self.clicks += 1
        if double:
            self.bot.mouseDClick(part, Qt.MouseButton.LeftButton, pos=at)
            self.clicks += 1

    def key(self, key: Qt.Key, *, ctrl: bool = False) -> None:
        part = QApplication.focusWidget() or self.window
        self.bot.keyClick(part, key, Qt.KeyboardModifier.ControlModifier if ctrl else Qt.KeyboardModifier.NoModifier)
        self.keys += 1

    def type(self, words: str) -> None:
        part = QApplication.focusWidget()
        assert part is not None
        self.bot.keyClicks(part, words)
        self.keys += len(words)

    def choose(self, box: QComboBox, words: str) -> None:
        """Open a list and take an entry of it."""
        row = box.findText(words)
        assert row >= 0, [box.itemText(k) for k in range(box.count())]
        box.showPopup()
        self.clicks += 2
        box.view().setCurrentIndex(box.model().index(row, 0))
        box.setCurrentIndex(row)
        box.hidePopup()
        box.activated.emit(row)

    def item(self, view: QAbstractItemView, row: int) -> None:
        """A row of a list."""
        self.click(view.viewport(), view.visualRect(view.model().index(row, 0)).center())


@pytest.fixture
def hand(window: MainWindow, qtbot: QtBot) -> Hand:
    window.activateWindow()
    qtbot.waitUntil(lambda: window.isActiveWindow())
    return Hand(window, qtbot)


@pytest.fixture
def on_slip(hand: Hand, opened: Callable[[Path], MainWindow], tmp_path: Path) -> Hand:
    opened(copy_demo("vent-bracket-slip", tmp_path / "demo"))
    return hand


def told(task: int) -> tuple[int, int]:
    """(clicks, keys) of a task, as the table has them."""
    row = next(line for line in TABLE.read_text().splitlines() if re.match(rf"\| {task} \|", line))
    cells = [cell.strip() for cell in row.strip("|").split("|")]
    return int(cells[3]), int(cells[4])


def counted(hand: Hand, task: int) -> None:
    assert (hand.clicks, hand.keys) == told(task), "docs/ten-tasks.md says otherwise"


def test_see_a_crash(hand: Hand, qtbot: QtBot) -> None:
    window = hand.window
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        hand.click(window.first_page.demos["vent-bracket-slip"])
    assert "1 crash" in window.header.outcome.text() and window.document.line == 108
    assert "left clamp" in window.reader.text
    counted(hand, 1)


def test_mend_it_where_it_is(on_slip: Hand, qtbot: QtBot) -> None:
    hand, window = on_slip, on_slip.window
    hand.item(window.findings.list, window.findings.list.currentIndex().row())
    editor = window.editor
    assert editor.caret.line == 107
    column = editor.buffer.lines[107].index("X-8.") + 2
    at = QPointF(editor.x_of(Place(107, column)), 0.0).toPoint()
    at.setY(next(y for y in range(editor.viewport().height()) if editor.place_at(QPointF(at.x(), y)).line == 107) + 4)
    hand.click(editor.viewport(), at, double=True)
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        hand.type("X8.")
    assert window.document.lines[107] == "N940 X8. F450"
    assert window.document.proof is not None and window.document.proof.outcome == "clean"
    counted(hand, 2)


def test_look_at_what_came_before(on_slip: Hand, qtbot: QtBot) -> None:
    hand, window = on_slip, on_slip.window
    finding = window.document.finding
    assert finding is not None
    before = QPoint(round(window.tape.x_of(finding.time_s - 3.0)), window.tape.height() // 2)
    hand.click(window.tape, before)
    assert window.document.moment == pytest.approx(finding.time_s - 3.0, abs=0.5)
    counted(hand, 3)


def test_a_wrong_length_is_seen_and_set_right(on_slip: Hand, qtbot: QtBot) -> None:
    hand, window = on_slip, on_slip.window
    table = window.setup.table
    edit = window.document.job_edit()
    edit.put(95.0, "registers", "length", "H3")
    window.document.change_job(edit.text, "a slip")
    qtbot.waitUntil(lambda: window.document.proof_is_current, timeout=60_000)
    hand.click(window.rail.buttons["setup"])
    table.choose("length", "H3", "", BELIEF)
    at = table.visualRect(table.currentIndex()).center()
    hand.click(table.viewport(), at, double=True)
    editor = next(e for e in reversed(table.viewport().findChildren(QLineEdit)) if e.isVisible())
    editor.setFocus()
    hand.key(Qt.Key.Key_A, ctrl=True)
    hand.type("96")
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        hand.key(Qt.Key.Key_Return)
    assert window.document.job is not None and window.document.job.registers.length[3] == pytest.approx(96.0)
    counted(hand, 4)


def test_a_pocket_is_filled_in(on_slip: Hand, qtbot: QtBot) -> None:
    hand, window = on_slip, on_slip.window
    hand.click(window.rail.buttons["write"])
    hand.click(window.side.buttons["fill"])
    fill = window.side.fill
    hand.choose(fill.choice, "Pocket, round")
    qtbot.waitUntil(lambda: fill.write.isEnabled(), timeout=30_000)
    before = len(window.document.lines)
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        hand.click(fill.write)
    assert len(window.document.lines) > before + 10
    counted(hand, 5)


@pytest.mark.drawn
def test_a_depth_is_measured(on_slip: Hand, qtbot: QtBot) -> None:
    hand, window = on_slip, on_slip.window
    hand.click(window.rail.buttons["prove"])
    hand.click(window.glass_bar.measure)
    window.glass.view("top")
    hand.clicks += 2  # the view is taken from its list
    at = window.glass.project(np.array([[10.0, 40.0, -8.0]]))[0]
    hand.click(window.glass, QPoint(round(at[0]), round(at[1])))
    assert window.glass.measuring.clicked and window.glass.measuring.clicked[0][2] == pytest.approx(-8.0, abs=0.05)
    counted(hand, 6)


def test_compensation_is_explained(hand: Hand, qtbot: QtBot) -> None:
    window = hand.window
    hand.key(Qt.Key.Key_K, ctrl=True)
    palette = window.command_palette
    palette.field.setFocus()
    hand.type("compensation")
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        hand.key(Qt.Key.Key_Return)
    hand.click(window.rail.buttons["prove"])
    hand.item(window.findings.list, 0)
    hand.click(window.beside.buttons["lens"])
    lens = window.beside.lens
    qtbot.waitUntil(lambda: lens.view.isVisible() and lens.lens is not None, timeout=30_000)
    counted(hand, 7)


def test_a_start_in_the_middle(on_slip: Hand, qtbot: QtBot) -> None:
    hand, window = on_slip, on_slip.window
    window.editor.go_to(83)
    at = QPoint(60, next(y for y in range(2000) if window.editor.place_at(QPointF(60.0, y)).line == 82) + 4)
    hand.click(window.editor.viewport(), at)
    hand.click(window.rail.buttons["prove"])
    hand.click(window.beside.buttons["start"])
    page = window.beside.start
    qtbot.waitUntil(lambda: page.restart is not None and page.restart.line == 83, timeout=30_000)
    hand.click(page.copy)
    assert "T4" in QApplication.clipboard().text()
    counted(hand, 8)


def test_a_setup_sheet_is_saved(on_slip: Hand, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    hand, window = on_slip, on_slip.window
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a: (str(tmp_path / "sheet.pdf"), ""))
    hand.click(window.rail.buttons["hand-over"])
    hand.click(window.handing.buttons["sheets"])
    with qtbot.waitSignal(window.handing.sheets.done, timeout=60_000):
        hand.click(window.handing.sheets.sheet)
    hand.key(Qt.Key.Key_Return)  # the name that the dialogue offers is taken
    assert (tmp_path / "sheet.pdf").read_bytes().startswith(b"%PDF")
    counted(hand, 9)


def test_how_near_a_register_is_to_a_crash(on_slip: Hand, qtbot: QtBot) -> None:
    hand, window = on_slip, on_slip.window
    hand.click(window.rail.buttons["setup"])
    table = window.setup.table
    table.choose("length", "H1", "", BELIEF)
    hand.click(table.viewport(), table.visualRect(table.currentIndex()).center())
    what = window.setup.what_if
    qtbot.waitUntil(lambda: what.range is not None, timeout=60_000)
    counted(hand, 10)
