"""The text view against models: folds, marks, columns, and random keys that undo takes back to the first letter."""

from __future__ import annotations

import random
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QGuiApplication, QInputMethodEvent, QKeyEvent, QTextCharFormat
from pytestqt.qtbot import QtBot

from underglass.app.style.palette import DAY
from underglass.app.write.folds import Folds
from underglass.app.write.line_looks import LineMarks, word_roles
from underglass.app.write.text_places import from_utf16, to_utf16, word_at
from underglass.app.write.text_view import TextView
from underglass.core.language.buffer import Buffer, Change, Place
from underglass.core.language.outline import sections

stretches = st.lists(st.tuples(st.integers(1, 40), st.integers(0, 6)), max_size=6)


@given(stretches)
def test_folds_are_what_a_list_of_seen_lines_would_be(pairs: list[tuple[int, int]]) -> None:
    folds, hidden = Folds(), set()
    for first, more in pairs:
        folds.fold(first, first + more)
        hidden |= set(range(first, first + more + 1))
    # Stretches that touch stay apart; what is hidden is the same.
    assert {k for k in range(60) if folds.at(k) is not None} == hidden and folds.count == len(hidden)
    seen = [k for k in range(60) if k not in hidden]
    assert [folds.line(r) for r in range(len(seen))] == seen
    assert [folds.row(k) for k in seen] == list(range(len(seen)))
    for line in sorted(hidden):
        assert folds.line(folds.row(line)) == max(k for k in seen if k < line)


@given(stretches, st.integers(0, 45), st.integers(0, 4), st.integers(0, 4))
def test_folds_follow_edits_or_open(pairs: list[tuple[int, int]], at: int, out: int, into: int) -> None:
    folds = Folds()
    for first, more in pairs:
        folds.fold(first, first + more)
    before = list(folds.hidden)
    change = Change(at, ("x",) * out, ("y",) * into)
    folds.follow(change)
    kept = []
    for a, b in before:
        touched = not (b < at or a >= at + out + (not out)) if out else a <= at <= b
        if not touched:
            move = change.growth if a >= at + out else 0
            kept.append((a + move, b + move))
    assert folds.hidden == [(a, b) for a, b in kept if a > 0]


@given(st.lists(st.integers(0, 5), max_size=20), st.integers(0, 15), st.integers(0, 4), st.integers(0, 4))
def test_marks_follow_as_a_list_would(values: list[int], first: int, out: int, into: int) -> None:
    marks = LineMarks()
    marks._marks = np.array([0, *values], dtype=np.uint8)
    out = min(out, max(len(values) - first, 0))
    marks.follow(Change(first, ("x",) * out, ("y",) * into))
    model = list(values)
    if first < len(model) or (out == 0 and first < len(model)):
        new = model[first : first + min(out, into)] + [0] * max(into - out, 0)
        if into != out:
            model[first : first + out] = new
    assert marks._marks[1:].tolist() == model


@given(st.text(max_size=12), st.integers(0, 12))
def test_columns_go_both_ways_for_any_letter(text: str, column: int) -> None:
    text = text.replace("\ud800", "")
    column = min(column, len(text))
    assert from_utf16(text, to_utf16(text, column)) == column
    start, end = word_at(text, column)
    assert 0 <= start <= end <= len(text)


@given(st.text(alphabet="GXYZMHDN0123456789.-() ;", max_size=40))
def test_roles_lie_within_their_line(text: str) -> None:
    for start, end, role in word_roles(text):
        assert 0 <= start < end <= len(text) and role


@given(st.lists(st.sampled_from(["G0 X1.", "T1 M6", "M06 T2", "O100", "(T9 M6)", "", "M98 P100", "T3"]), max_size=25))
def test_sections_lie_in_order_and_tools_within_their_program(lines: list[str]) -> None:
    found = sections(lines)
    tools = [s for s in found if s.kind == "tool"]
    assert [s.first for s in found] == sorted(s.first for s in found)
    for one, other in pairwise(tools):
        assert one.last < other.first
    assert all(0 <= s.first <= s.last < len(lines) for s in found)
    assert sum("O100" in t for t in lines) == sum(s.kind == "program" for s in found)


@pytest.fixture
def view(qtbot: QtBot) -> TextView:
    made = TextView(Buffer("G0 X1.\n\nG1 Y2. (\u00d8 \U0001f600 8)\nM30"), DAY)
    made.resize(400, 200)
    qtbot.addWidget(made)
    with qtbot.waitExposed(made):
        made.show()
    return made


KEYS = [
    Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Home, Qt.Key.Key_End, Qt.Key.Key_PageUp,
    Qt.Key.Key_PageDown, Qt.Key.Key_Return, Qt.Key.Key_Backspace, Qt.Key.Key_Delete, Qt.Key.Key_Insert,
]  # fmt: skip


@pytest.mark.parametrize("seed", range(6))
def test_random_keys_never_lose_the_way_back(view: TextView, qtbot: QtBot, seed: int) -> None:
    rng = random.Random(seed)
    first = view.buffer.text
    none, shift, control = (
        Qt.KeyboardModifier.NoModifier,
        Qt.KeyboardModifier.ShiftModifier,
        Qt.KeyboardModifier.ControlModifier,
    )
    for _ in range(250):
        what = rng.random()
        if what < 0.45:
            qtbot.keyClick(view, rng.choice(KEYS), rng.choice([none, shift, control, shift | control]))
        elif what < 0.8:
            qtbot.keyClicks(view, rng.choice(["X", "5.", " ", "G1", "(A)"]))
        elif what < 0.86:
            qtbot.keyClick(view, rng.choice([Qt.Key.Key_C, Qt.Key.Key_X, Qt.Key.Key_V]), control)
        elif what < 0.93:
            qtbot.keyClick(view, Qt.Key.Key_Z, rng.choice([control, control | shift]))
        else:
            at = QPoint(rng.randrange(view.viewport().width()), rng.randrange(view.viewport().height()))
            qtbot.mouseClick(view.viewport(), Qt.MouseButton.LeftButton, rng.choice([none, shift]), at)
        for place in (view.caret, view.anchor):
            assert place == view.buffer.clamp(place)
    while view.buffer.can_undo:
        view.undo()
    assert view.buffer.text == first
    view.grab()


def test_pasting_nothing_changes_nothing(view: TextView, qtbot: QtBot) -> None:
    before = view.buffer.text
    QGuiApplication.clipboard().clear()
    qtbot.keyClick(view, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    view.take_in(None)
    assert view.buffer.text == before and not view.buffer.can_undo


def test_letters_beyond_the_first_plane_are_one_step(view: TextView, qtbot: QtBot) -> None:
    text = view.buffer.lines[2]
    view.put_caret(Place(2, text.index("\U0001f600")))
    qtbot.keyClick(view, Qt.Key.Key_Right)
    assert view.caret.column == text.index("\U0001f600") + 1
    x = view.x_of(view.caret)
    assert view.place_at(QPointF(x, view.top_of(2) + 3)) == view.caret
    qtbot.keyClick(view, Qt.Key.Key_Backspace)
    assert view.buffer.lines[2] == text.replace("\U0001f600", "")


def test_an_input_method_writes_what_it_commits(view: TextView) -> None:
    event = QInputMethodEvent("", [])
    event.setCommitString("\u00c4")
    view.inputMethodEvent(event)
    assert view.buffer.lines[0] == "\u00c4G0 X1."
    assert view.inputMethodQuery(Qt.InputMethodQuery.ImCursorPosition) == 1
    assert view.inputMethodQuery(Qt.InputMethodQuery.ImSurroundingText) == "\u00c4G0 X1."
    assert QTextCharFormat() is not None


def test_keys_of_the_text_come_before_commands_of_the_window(view: TextView) -> None:
    for key, modifier, text, mine in (
        (Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier, "\x01", True),
        (Qt.Key.Key_X, Qt.KeyboardModifier.NoModifier, "x", True),
        (Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier, "\x0b", False),
        (Qt.Key.Key_F5, Qt.KeyboardModifier.NoModifier, "", False),
    ):
        event = QKeyEvent(QEvent.Type.ShortcutOverride, key, modifier, text)
        event.ignore()
        view.event(event)
        assert event.isAccepted() == mine, key


def test_dragging_selects_and_the_middle_button_pastes_what_is_selected(view: TextView, qtbot: QtBot) -> None:
    at = [
        view.viewport().mapFromParent(QPoint(0, 0)) + QPoint(int(view.x_of(Place(0, c))), int(view.top_of(0)) + 4)
        for c in (0, 2)
    ]
    qtbot.mousePress(view.viewport(), Qt.MouseButton.LeftButton, pos=at[0])
    qtbot.mouseMove(view.viewport(), at[1])
    view.put_caret(Place(0, 2), keep_anchor=True)
    qtbot.mouseRelease(view.viewport(), Qt.MouseButton.LeftButton, pos=at[1])
    assert view.selected_text == "G0"
    if QGuiApplication.clipboard().supportsSelection():
        end = QPoint(int(view.x_of(Place(3, 3))) + 4, int(view.top_of(3)) + 4)
        qtbot.mouseClick(view.viewport(), Qt.MouseButton.MiddleButton, pos=end)
        assert view.buffer.lines[3] == "M30G0"


def test_a_read_only_view_shows_and_copies_but_keeps_its_text(view: TextView, qtbot: QtBot) -> None:
    view.read_only = True
    before = view.buffer.text
    qtbot.keyClicks(view, "X5.")
    for key in (Qt.Key.Key_Return, Qt.Key.Key_Backspace, Qt.Key.Key_Delete):
        qtbot.keyClick(view, key)
    qtbot.keyClick(view, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    qtbot.keyClick(view, Qt.Key.Key_X, Qt.KeyboardModifier.ControlModifier)
    qtbot.keyClick(view, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    assert view.buffer.text == before
    view.copy()
    assert QGuiApplication.clipboard().text() == before
    assert [a.isEnabled() for a in view.make_menu().actions() if a.text().startswith("Paste")] == [False]


def test_a_long_line_scrolls_sideways_to_its_caret(view: TextView, qtbot: QtBot) -> None:
    view.buffer.load("X" * 300 + "\nY1.")
    view.show_anew()
    view.grab()
    qtbot.keyClick(view, Qt.Key.Key_End)
    qtbot.waitUntil(lambda: view.horizontalScrollBar().value() > 0)
    assert 0 <= view.caret_rect().left() < view.viewport().width()
    qtbot.keyClick(view, Qt.Key.Key_Home)
    assert view.caret == Place(0, 0)
    qtbot.waitUntil(lambda: 0 <= view.caret_rect().left() < view.viewport().width())


def test_up_and_down_remember_the_column(view: TextView, qtbot: QtBot) -> None:
    view.buffer.load("LONG LINE\nX\nLONG LINE")
    view.show_anew()
    view.put_caret(Place(0, 7))
    qtbot.keyClick(view, Qt.Key.Key_Down)
    assert view.caret == Place(1, 1)
    qtbot.keyClick(view, Qt.Key.Key_Down)
    assert view.caret == Place(2, 7)
    qtbot.keyClick(view, Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier)
    assert view.selected_text == "\nLONG LI"
