"""Writing in the real window: keys, folds, bookmarks, two views, words changed, passes copied, pasted text."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, QSettings, Qt, QUrl
from PySide6.QtGui import QDragEnterEvent, QDropEvent, QGuiApplication
from pytestqt.qtbot import QtBot

from tests.conftest import PLAIN_JOB, START, write_job
from underglass.app.main_window import MainWindow
from underglass.app.write.folds import Folds
from underglass.app.write.line_looks import line_marks
from underglass.app.write.text_places import word_at
from underglass.core.language.buffer import Change, Place

TEXT = (
    START
    + "G1 Z-1. F300\nX50.\nG0 Z50.\n(HOLES)\nT2 M6\nG0 X10. Y10. S900 M3\nG43 H2 Z20.\nG1 Z-5. F90\nG0 Z50.\nM30\n"
)
Plain = Callable[..., MainWindow]


def run(window: MainWindow, name: str) -> None:
    next(a for a in window.actions() if a.text() == name).trigger()


def test_keys_do_what_keys_do(plain: Plain, qtbot: QtBot) -> None:
    window = plain("G0 X1. Y2.\nM30\n")
    editor, key, control = window.editor, Qt.Key, Qt.KeyboardModifier.ControlModifier
    shift = Qt.KeyboardModifier.ShiftModifier
    editor.go_to(1)
    qtbot.keyClick(editor, key.Key_End)
    qtbot.keyClicks(editor, " Z3.")
    assert window.document.lines[0] == "G0 X1. Y2. Z3."
    qtbot.keyClick(editor, key.Key_Left, control)
    assert editor.caret == Place(0, 11)
    qtbot.keyClick(editor, key.Key_Left, control | shift)
    assert editor.selected_text == "Y2. "
    qtbot.keyClick(editor, key.Key_X, control)
    assert window.document.lines[0] == "G0 X1. Z3."
    qtbot.keyClick(editor, key.Key_Home)
    qtbot.keyClick(editor, key.Key_V, control)
    assert window.document.lines[0] == "Y2. G0 X1. Z3."
    qtbot.keyClick(editor, key.Key_Return)
    assert window.document.lines[:2] == ["Y2. ", "G0 X1. Z3."] and window.document.line == 2
    qtbot.keyClick(editor, key.Key_Backspace)
    qtbot.keyClick(editor, key.Key_Backspace, control)
    assert window.document.lines[0] == "G0 X1. Z3."
    qtbot.keyClick(editor, key.Key_Delete, control)
    assert window.document.lines[0] == "X1. Z3."
    for _ in range(9):
        qtbot.keyClick(editor, key.Key_Z, control)
    assert window.document.text == "G0 X1. Y2.\nM30\n" and not window.document.modified
    qtbot.keyClick(editor, key.Key_Z, control | shift)
    assert window.document.lines[0] == "G0 X1. Y2. Z3." and window.document.modified
    qtbot.keyClick(editor, key.Key_End, control)
    assert editor.caret == Place(2, 0)
    qtbot.keyClick(editor, key.Key_Insert)
    qtbot.keyClick(editor, key.Key_Home, control)
    qtbot.keyClicks(editor, "G1")
    assert window.document.lines[0] == "G1 X1. Y2. Z3."


def test_the_mouse_selects_words_and_lines(plain: Plain, qtbot: QtBot) -> None:
    window = plain("G0 X1.25 Y2.\nM30\n")
    editor, left = window.editor, Qt.MouseButton.LeftButton
    at = QPoint(int(editor.x_of(Place(0, 5))) + 2, int(editor.top_of(0)) + 5)
    qtbot.mouseClick(editor.viewport(), left, pos=at)
    assert editor.caret == Place(0, 5)
    qtbot.mouseDClick(editor.viewport(), left, pos=at)
    assert editor.selected_text == "X1.25"
    qtbot.mouseClick(editor.viewport(), left, pos=at)
    assert editor.selected_text == "G0 X1.25 Y2.\n"


@pytest.mark.parametrize(("text", "column", "word"), [("G1X5.Y-2.", 3, "X5."), ("G1 X5", 5, "X5"), ("(A B)", 1, "A")])
def test_words_are_told_apart_where_they_stand_close(text: str, column: int, word: str) -> None:
    start, end = word_at(text, column)
    assert text[start:end] == word


def test_rows_and_lines_with_folds() -> None:
    folds = Folds()
    folds.fold(3, 5)
    folds.fold(8, 8)
    seen = [line for line in range(12) if folds.at(line) is None]
    assert [folds.line(r) for r in range(len(seen))] == seen
    assert [folds.row(line) for line in seen] == list(range(len(seen)))
    assert folds.row(4) == 2 and folds.under(2) == (3, 5) and folds.count == 4
    folds.follow(Change(0, ("a",), ("a", "b")))
    assert folds.hidden == [(4, 6), (9, 9)]
    folds.follow(Change(5, ("x",), ("y",)))
    assert folds.hidden == [(9, 9)]


def test_folding_by_tool_and_the_findings_under_it(plain: Plain) -> None:
    window = plain(TEXT)
    editor = window.editor
    editor.go_to(10)
    run(window, "Fold or unfold here: tool or subprogram")
    assert editor.caret.line == 7 and editor.folds.hidden == [(8, 13)]
    assert [line for line, _top in editor.lines_seen()][-1] == 14 or 8 not in [k for k, _t in editor.lines_seen()]
    window.go_to_named("", 12)
    assert editor.folds.hidden == [] and window.document.line == 12
    run(window, "Fold every tool")
    assert len(editor.folds.hidden) == 2
    run(window, "Unfold everything")
    assert editor.folds.count == 0
    editor.go_to(1)
    run(window, "Fold or unfold here: tool or subprogram")
    assert "Nothing to fold" in window.trouble


def test_going_to_blocks_tools_and_programs(plain: Plain, qtbot: QtBot) -> None:
    window = plain(TEXT + "O200\nN40 X1.\nM99\n")
    for wanted, line in (("T2", 8), ("t1", 2), ("O200", 15), ("N40", 16), ("3", 3)):
        window.show_commands()
        qtbot.keyClicks(window.command_palette.field, wanted)
        qtbot.keyClick(window.command_palette.field, Qt.Key.Key_Return)
        assert window.document.line == line, wanted
    assert not window.go_to_named("T", 9) and "no T9" in window.trouble


def test_bookmarks_go_with_their_lines(plain: Plain) -> None:
    window = plain(TEXT)
    for line in (3, 8):
        window.editor.go_to(line)
        run(window, "Bookmark on or off")
    window.editor.go_to(1)
    window.editor.insert("(NEW)\n")
    assert window.document.bookmarks == {4, 9}
    run(window, "Next bookmark")
    assert window.document.line == 4
    run(window, "Previous bookmark")
    assert window.document.line == 9
    run(window, "Bookmark on or off")
    assert window.document.bookmarks == {4}


def test_two_views_of_one_text(plain: Plain, qtbot: QtBot) -> None:
    window = plain(TEXT)
    window.editor.go_to(3)
    run(window, "One or two views of the program")
    lower = window.program.lower
    assert lower is not None and window.editor is lower
    lower.go_to(12)
    qtbot.keyClicks(lower, "(HERE)")
    assert "(HERE)" in window.program.upper.buffer.lines[11] and window.program.upper.caret.line == 2
    lower.go_to(1)
    qtbot.keyClick(lower, Qt.Key.Key_Return)
    assert window.program.upper.caret.line == 3
    upper = window.program.upper
    qtbot.mouseClick(upper.viewport(), Qt.MouseButton.LeftButton, pos=QPoint(2, int(upper.top_of(3)) + 4))
    assert window.editor is window.program.upper and window.document.line == 4
    run(window, "One or two views of the program")
    assert window.program.lower is None
    qtbot.keyClicks(window.editor, "Y")
    assert window.document.modified


def test_a_word_changed_in_the_selected_lines(plain: Plain, qtbot: QtBot) -> None:
    window = plain(TEXT)
    bar = window.program.word_bar
    window.editor.select(Place(4, 0), Place(6, 0))
    run(window, "Change a word in many lines: times, plus, set")
    assert window.focusWidget() is bar.which and bar.make.text() == "Change 1"
    bar.by.setText("1/2")
    qtbot.keyClick(bar.by, Qt.Key.Key_Return)
    assert window.document.lines[4] == "G1 Z-1. F150" and window.document.lines[11] == "G1 Z-5. F90"
    bar.by.setText("two")
    assert not bar.make.isEnabled() and "figure" in bar.said.text()
    qtbot.keyClick(bar.by, Qt.Key.Key_Escape)
    assert not bar.isVisible() and window.focusWidget() is window.editor


def test_a_pass_copied_and_let_down_is_one_step(plain: Plain, qtbot: QtBot) -> None:
    window = plain(TEXT)
    bar = window.program.pass_bar
    window.editor.select(Place(4, 0), Place(6, 7))
    run(window, "Copy the selected lines, each copy lower")
    bar.times.setText("2")
    bar.step.setText("0.5")
    assert bar.said.text() == "3 lines become 9"
    qtbot.keyClick(bar.step, Qt.Key.Key_Return)
    assert [t for t in window.document.lines if "Z-" in t] == [
        "G1 Z-1. F300", "G1 Z-1.5 F300", "G1 Z-2. F300", "G1 Z-5. F90",
    ]  # fmt: skip
    window.editor.undo()
    assert window.document.text == TEXT


def test_what_a_word_processor_did_is_said_and_put_right(plain: Plain) -> None:
    window = plain(TEXT)
    editor = window.editor
    editor.go_to(5)
    QGuiApplication.clipboard().setText("Try this:\nG1 X\u221212,5 F200\n")
    editor.paste()
    assert "1 typographic minus" in window.trouble and "1 line that is no program" in window.trouble
    assert window.document.lines[5] == "G1 X\u221212,5 F200"
    window.notice.buttons[0].click()
    assert window.document.lines[4:6] == ["G1 X-12.5 F200", "G1 Z-1. F300"]
    assert window.trouble == ""
    editor.undo()
    editor.undo()
    assert window.document.text == TEXT
    QGuiApplication.clipboard().setText("G1 X-1.\n")
    editor.paste()
    assert window.trouble == ""


def test_marks_follow_the_lines_until_the_next_proof(plain: Plain) -> None:
    window = plain(TEXT)
    marks = line_marks(window.document.proof)  # type: ignore[arg-type]
    before = [marks.get(k) for k in range(1, 14)]
    marks.follow(Change(2, (), ("a", "b")))
    assert [marks.get(k) for k in range(1, 16)] == [*before[:2], None, None, *before[2:]]
    marks.follow(Change(2, ("a", "b"), ()))
    assert [marks.get(k) for k in range(1, 14)] == before


def test_a_kill_loses_nothing_that_was_kept(plain: Plain, qtbot: QtBot, tmp_path: Path) -> None:
    window = plain(b"G21\r\nM30\r\n")
    window.editor.go_to(1)
    with qtbot.waitSignal(window.filing.keeper.kept, timeout=10_000):
        qtbot.keyClicks(window.editor, "(A)")
    path = window.document.program_path
    assert path is not None and path.read_bytes() == b"G21\r\nM30\r\n"
    # As after a kill: the same settings, the same file, another window.
    window.filing.keeper.session.end()  # as a kill ends it
    other = MainWindow(window.settings)
    qtbot.addWidget(other, before_close_func=lambda w: w.document.set_modified(False))
    other.show()
    assert other.open(path.parent / "plain.job.toml")
    assert "not saved" in other.trouble
    other.notice.buttons[0].click()
    assert other.document.lines[0] == "(A)G21" and other.document.modified
    assert other.save() and path.read_bytes() == b"(A)G21\r\nM30\r\n"
    assert other.filing.keeper.kept_here() is None


def test_changes_from_outside(plain: Plain, qtbot: QtBot, tmp_path: Path) -> None:
    window = plain(TEXT)
    keeper, path = window.filing.keeper, window.document.program_path
    assert path is not None
    with qtbot.waitSignal(keeper.changed_outside, timeout=10_000):
        path.write_text(TEXT.replace("F300", "F200"))
    assert window.document.lines[4] == "G1 Z-1. F200" and not window.document.modified
    assert "another program" in window.trouble
    window.editor.undo()
    assert window.document.lines[4] == "G1 Z-1. F300" and window.document.modified
    with qtbot.waitSignal(keeper.changed_outside, timeout=10_000):
        write_job(path.parent, TEXT.replace("F300", "F100"))
    assert window.document.lines[4] == "G1 Z-1. F300"
    assert [b.text() for b in window.notice.buttons] == ["Take the file's text", "Keep mine", "Put away"]
    window.notice.buttons[0].click()
    assert window.document.lines[4] == "G1 Z-1. F100" and not window.document.modified
    with qtbot.waitSignal(keeper.changed_outside, timeout=10_000):
        path.unlink()
    assert "no longer" in window.trouble
    window.notice.buttons[0].click()
    assert path.read_text() == TEXT.replace("F300", "F100")


def test_mixed_line_ends_survive_an_edit_and_a_save(plain: Plain, qtbot: QtBot) -> None:
    raw = b"%\r\nG21\nG0 X-20.\r\nM30\n%"
    window = plain(raw)
    window.editor.go_to(2)
    qtbot.keyClick(window.editor, Qt.Key.Key_End)
    qtbot.keyClicks(window.editor, " G90")
    assert window.save()
    path = window.document.program_path
    assert path is not None and path.read_bytes() == b"%\r\nG21 G90\nG0 X-20.\r\nM30\n%"


def test_the_moment_goes_with_the_line_that_is_typed_in(plain: Plain, qtbot: QtBot) -> None:
    window = plain(TEXT)
    window.editor.go_to(6)
    proof = window.document.proof
    assert proof is not None
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        window.editor.select(Place(5, 0), Place(5, 4))
        qtbot.keyClicks(window.editor, "X90.")
    proof = window.document.proof
    assert proof is not None and window.document.proof_is_current
    assert window.document.moment == pytest.approx(proof.timing.end_of((proof.moves_of_line(6) or (0, 0))[1]))
    assert window.now.work_text(0) == "90.000"


def test_blocks_are_numbered_from_where_one_wants(plain: Plain, qtbot: QtBot) -> None:
    window = plain(TEXT.replace("X50.\n", "X50.\nGOTO 7\nN7 X51.\n"))
    run(window, "Number the blocks: first number and step")
    bar = window.program.number_bar
    bar.start.setText("100")
    bar.step.setText("5")
    qtbot.keyClick(bar.step, Qt.Key.Key_Return)
    lines = window.document.lines
    assert lines[0].startswith("N100 G21") and "N130 GOTO 135" in lines and "N135 X51." in lines
    bar.step.setText("0")
    assert not bar.make.isEnabled() and "whole numbers" in bar.said.text()
    bar.away.click()
    assert window.document.lines[0].startswith("G21") and "N135 X51." in window.document.lines


def test_a_long_program_is_searched_in_slices(plain: Plain, qtbot: QtBot) -> None:
    window = plain(START + "(X)\n" * 30_000 + "M30\n")
    bar = window.find_bar
    run(window, "Find and replace in the program")
    bar.query.setText("(X)")
    qtbot.waitUntil(lambda: bar.found.text() == "30000 found", timeout=20_000)
    assert bar.places[-1].line == 30_004
    bar.query.setText("nothing like it")
    qtbot.waitUntil(lambda: bar.found.text() == "none", timeout=20_000)


def test_the_first_page_offers_what_was_not_saved(plain: Plain, qtbot: QtBot) -> None:
    window = plain("G21\nM30\n")
    window.editor.go_to(1)
    with qtbot.waitSignal(window.filing.keeper.kept, timeout=10_000):
        qtbot.keyClicks(window.editor, "(A)")
    window.filing.keeper.session.end()  # as a kill ends it
    other = MainWindow(window.settings)
    qtbot.addWidget(other, before_close_func=lambda w: w.document.set_modified(False))
    other.show()
    assert other.first_page.kept.isVisible() and "plain.nc" in other.first_page.kept.text()
    other.first_page.kept.click()
    assert other.document.job is not None and "not saved" in other.trouble


SET_WRONG = PLAIN_JOB + "\n[registers.length]   # as touched off\nH1 = 80.0\n[registers.wear_length]\nH1 = -0.5\n"


def test_a_register_is_set_from_its_finding_and_saved_in_the_job_file(
    plain: Plain, qtbot: QtBot, tmp_path: Path
) -> None:
    window = plain(TEXT, SET_WRONG)
    wrong = next(f for f in window.document.proof.troubles if f.code == "length-register-wrong")  # type: ignore[union-attr]
    window.document.select_finding(wrong)
    assert window.reader.fix_button.text() == "Set H1 to 75.000, as on the bench"
    assert "79.500" in window.reader._preview.text()
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        window.reader.make_fix()
    assert "length-register-wrong" not in [f.code for f in window.document.proof.troubles]  # type: ignore[union-attr]
    assert window.document.modified and window.notice.buttons[0].text() == "Take it back"
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        window.notice.buttons[0].click()
    assert not window.document.modified
    assert "length-register-wrong" in [f.code for f in window.document.proof.troubles]  # type: ignore[union-attr]
    window.document.select_finding(next(f for f in window.document.proof.troubles if f.code == "length-register-wrong"))  # type: ignore[union-attr]
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        window.reader.make_fix()
    assert window.save() and not window.document.modified
    text = (tmp_path / "plain" / "plain.job.toml").read_text()
    assert "[registers.length]   # as touched off\nH1 = 75.5\n" in text and text.startswith(PLAIN_JOB)
    assert (tmp_path / "plain" / "plain.nc").read_text() == TEXT


def test_a_program_is_begun_from_nothing_written_and_saved(
    window: MainWindow, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        window.first_page.new.click()
    assert window.place == "write" and window.document.lines[0] == "%" and not window.document.modified
    assert window.document.proof is not None and not window.document.proof.troubles
    text = "T1 M6\nG0 G54 X10. Y10. S900 M3\nG43 H1 Z5.\nG1 Z-3. F100\nX80."
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        window.editor.insert(text)
    job = window.document.job
    assert job is not None and list(job.bench.tools) == [1] and job.bench.stocks[0].size[0] == pytest.approx(90.0)
    window.go_to_page("fill")
    assert window.side.fill.tool.count() == 1
    monkeypatch.setattr(
        "underglass.app.filing.QFileDialog.getSaveFileName", lambda *_a: (str(tmp_path / "label.nc"), "")
    )
    assert window.save() and not window.document.modified
    assert "X80." in (tmp_path / "label.nc").read_text()
    # A bare program is called by its file: once is enough.
    assert (window.header._title.text(), window.header._file.text()) == ("label.nc", "")
    assert window.filing.recent() == [(tmp_path / "label.nc").resolve()]


def test_what_was_open_before_is_offered_again(plain: Plain, qtbot: QtBot) -> None:
    window = plain(TEXT)
    window.filing.keeper.session.end()  # as a kill ends it
    other = MainWindow(window.settings)
    qtbot.addWidget(other)
    other.show()
    assert other.filing.recent()[0].name == "plain.job.toml" and other.first_page.again.count() == 2
    other.show_commands()
    qtbot.keyClicks(other.command_palette.field, "open again plain")
    qtbot.keyClick(other.command_palette.field, Qt.Key.Key_Return)
    assert other.document.job is not None and other.document.job.title == "Plain plate"


def test_files_let_fall_on_the_window_are_opened(plain: Plain, qtbot: QtBot, tmp_path: Path) -> None:
    window = plain(TEXT)
    (tmp_path / "bare.nc").write_text("G21\nM30\n")
    for name, opened in (("bare.nc", True), ("nothing.png", False)):
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(tmp_path / name))])
        args = (Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
        enter = QDragEnterEvent(QPoint(50, 50), *args)
        window.dragEnterEvent(enter)
        assert enter.isAccepted()
        window.dropEvent(QDropEvent(QPointF(50, 50), *args))
        if opened:
            assert window.document.source.name == "bare.nc"
    assert "no picture" in window.trouble and window.side.page == "print"


def test_a_program_that_never_was_saved_survives_a_kill_too(window: MainWindow, qtbot: QtBot) -> None:
    window.new_program()
    with qtbot.waitSignal(window.filing.keeper.kept, timeout=10_000):
        qtbot.keyClicks(window.editor, "T1 M6")
    window.filing.keeper.session.end()  # as a kill ends it
    other = MainWindow(window.settings)
    qtbot.addWidget(other, before_close_func=lambda w: w.document.set_modified(False))
    other.show()
    assert "new-program.nc" in other.first_page.kept.text()
    other.first_page.kept.click()
    assert "not saved" in other.trouble
    other.notice.buttons[0].click()
    assert "T1 M6" in other.document.lines and other.document.modified


def test_bookmarks_and_the_page_are_remembered(plain: Plain, qtbot: QtBot) -> None:
    window = plain(TEXT)
    window.go_to_page("reckon")
    for line in (3, 8):
        window.editor.go_to(line)
        run(window, "Bookmark on or off")
    path = window.document.program_path
    assert path is not None
    window.close()
    window.settings.sync()
    other = MainWindow(QSettings(window.settings.fileName(), QSettings.Format.IniFormat))
    qtbot.addWidget(other)
    other.show()
    assert other.open(path.parent / "plain.job.toml")
    assert other.document.bookmarks == {3, 8} and other.side.page == "reckon"
