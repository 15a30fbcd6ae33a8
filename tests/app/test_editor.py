"""The program's words by role, and the marks in its margin."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from PySide6.QtCore import QPoint, Qt
from pytestqt.qtbot import QtBot

from tests.conftest import START
from underglass.app.main_window import MainWindow
from underglass.app.write.line_looks import CHANGE, CUT, PLUNGE, RAPID, STOP, line_marks, word_roles


@pytest.mark.parametrize(
    ("text", "roles"),
    [
        ("N10 G1 X5.", [("N10", "number"), ("G1", "cut")]),
        ("G0 Z5. (up)", [("(up)", "remark"), ("G0", "travel")]),
        ("G43 H2 D3 G54", [("H2", "belief"), ("D3", "belief"), ("G54", "belief")]),
        ("X5. M3 F100", []),
        ("g03 x1", [("g03", "cut")]),
        ("X--5", [("X--5", "problem")]),
    ],
)
def test_roles(text: str, roles: list[tuple[str, str]]) -> None:
    assert [(text[a:b], role) for a, b, role in word_roles(text)] == roles


PROGRAM = START + "X50. Y50.\nZ2.\nG1 Z-4. F300\nX60.\nG2 X60. Y50. I-5. J0\nG0 Z50.\nM0\nM30\n"


def test_marks(plain: Callable[..., MainWindow]) -> None:
    window = plain(PROGRAM)
    marks = line_marks(window.document.proof)  # type: ignore[arg-type]
    assert [marks.get(k) for k in range(1, 13)] == [
        None,
        CHANGE,
        RAPID,
        RAPID,
        RAPID,
        RAPID,
        PLUNGE,
        CUT,
        CUT,
        RAPID,
        STOP,
        STOP,
    ]


def test_the_margin_chooses_lines(plain: Callable[..., MainWindow], qtbot: QtBot) -> None:
    window = plain(PROGRAM)
    editor = window.editor
    y = int(editor.top_of(7) + editor.row_height / 2)
    qtbot.mouseClick(editor._margin, Qt.MouseButton.LeftButton, pos=QPoint(8, y))
    assert window.document.line == 8
    proof = window.document.proof
    assert proof is not None
    assert window.document.moment == pytest.approx(proof.timing.end_of((proof.moves_of_line(8) or (0, 0))[1]))


def test_only_what_is_seen_is_coloured(plain: Callable[..., MainWindow]) -> None:
    window = plain(START + "G1 X1. F100\n" * 4000 + "M30\n")
    window.editor.grab()
    assert len(window.editor._layouts) < 300


def test_moving_the_cursor_moves_the_moment(plain: Callable[..., MainWindow], qtbot: QtBot) -> None:
    window = plain(PROGRAM)
    window.editor.go_to(7)
    first = window.document.moment
    qtbot.keyClick(window.editor, Qt.Key.Key_Down)
    assert window.document.line == 8 and window.document.moment > first
    assert "Feeds 10.000 mm to X60.000" in window.reader.text


def test_text_commands_change_what_is_selected_and_can_be_undone(
    plain: Callable[..., MainWindow], qtbot: QtBot
) -> None:
    text = START + "GOTO 7\nN7 X-30.\nM30\n"
    window = plain(text)
    action = {a.text(): a for a in window.actions()}

    def run(name: str) -> str:
        with qtbot.waitSignal(window.document.text_changed, timeout=10_000):
            action[name].trigger()
        return str(window.document.text)

    numbered = run("Number the blocks: N10, N20 …").split("\n")
    assert numbered[0].startswith("N10 G21") and numbered[4] == "N50 GOTO 60" and numbered[5] == "N60 X-30."
    assert run("Take the block numbers away").split("\n")[5] == "N60 X-30."
    with qtbot.waitSignal(window.document.text_changed, timeout=10_000):
        window.editor.undo()
        window.editor.undo()
    assert window.document.text == text
    window.editor.go_to(3)
    commented = run("Comment on or off").split("\n")
    assert commented[2].startswith("(G0 G54") and commented[3] == text.split("\n")[3]
    assert run("Comment on or off") == text


def test_a_command_with_nothing_to_do_says_so(plain: Callable[..., MainWindow]) -> None:
    window = plain(START + "M30\n")
    {a.text(): a for a in window.actions()}["Take the block numbers away"].trigger()
    assert "Nothing to change" in window.trouble


def test_find_and_replace_in_the_window(plain: Callable[..., MainWindow], qtbot: QtBot) -> None:
    text = START + "G1 X-30. F800\nX-31. F900\nX-32. F1000\nM30\n"
    window = plain(text)
    bar = window.find_bar
    window.editor.go_to(1)
    find = next(a for a in window.actions() if a.text() == "Find and replace in the program")
    assert "Ctrl+F" in [k.toString() for k in find.shortcuts()]
    find.trigger()
    assert bar.isVisible() and window.focusWidget() is bar.query
    bar.set_way(2)
    bar.query.setText("")
    qtbot.keyClicks(bar.query, "F > 800")
    qtbot.waitUntil(lambda: bar.found.text() == "2 found")
    qtbot.keyClick(bar.query, Qt.Key.Key_Return)
    assert window.editor.selected_text == "F900" and bar.found.text() == "1 of 2"
    qtbot.keyClick(bar.query, Qt.Key.Key_Return)
    assert window.editor.selected_text == "F1000"
    qtbot.keyClick(bar.query, Qt.Key.Key_Return, Qt.KeyboardModifier.ShiftModifier)
    assert window.editor.selected_text == "F900"
    bar.new.setText("F700")
    bar.replace_one()
    assert window.document.text.split("\n")[5] == "X-31. F700" and window.editor.selected_text == "F1000"
    bar.query.setText("F")
    bar.look()
    bar.new.setText("F650")
    with qtbot.waitSignal(window.document.text_changed, timeout=10_000):
        qtbot.mouseClick(bar.all, Qt.MouseButton.LeftButton)
    assert window.document.text.count("F650") == 3 and bar.found.text() == "3 replaced"
    window.editor.undo()
    assert window.document.text.count("F650") == 0
    bar.set_way(1)
    bar.query.setText("(")
    bar.look()
    assert bar.found.text() == "?" and not bar.all.isEnabled() and "no pattern" in bar.found.toolTip()
    qtbot.keyClick(bar.query, Qt.Key.Key_Escape)
    assert not bar.isVisible() and window.focusWidget() is window.editor
