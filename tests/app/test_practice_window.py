"""Practice in a real window: the list, the bar, hints, the checker, Show me and what is handed in."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton
from pytestqt.qtbot import QtBot

from underglass.app.main_window import MainWindow
from underglass.app.practice.guiding import Guiding
from underglass.core.files.practice import practice_folders, read_practice


def start(window: MainWindow, name: str, qtbot: QtBot) -> Guiding:
    """The list, a job chosen in it, and its button."""
    guiding = window.guiding
    guiding.show_list()
    assert window.stack.currentWidget() is guiding.page
    guiding.page.choose(name)
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        QTest.mouseClick(guiding.page.start, Qt.MouseButton.LeftButton)
    assert guiding.practising.practice is not None and guiding.practising.practice.name == name
    return guiding


def check(guiding: Guiding, qtbot: QtBot) -> None:
    with qtbot.waitSignal(guiding.practising.checked, timeout=60_000):
        QTest.mouseClick(guiding.bar.check, Qt.MouseButton.LeftButton)


def test_a_fault_is_looked_for_mended_and_handed_in(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    assert window.first_page.practice.isVisible()
    QTest.mouseClick(window.first_page.practice, Qt.MouseButton.LeftButton)
    assert window.guiding.page.list.count() > 30
    guiding = start(window, "punch-station", qtbot)
    bar = guiding.bar
    assert bar.isVisible() and "The press stops at a tool change" in bar.task.text()
    QTest.mouseClick(bar.hint, Qt.MouseButton.LeftButton)
    assert "Hint 1: Which station" in bar.more.text() and bar.hint.text() == "Hint, 2 left"
    check(guiding, qtbot)
    assert not guiding.practising.solved and "still finds a fault" in bar.more.text()
    k = window.document.lines.index("N200 T6")
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        window.document.buffer.change_lines(k, 1, ["N200 T5"])
    check(guiding, qtbot)
    assert bar.more.text().startswith("Solved.")
    assert "punch-station" in guiding.practising.done
    assert guiding.hand_in(tmp_path / "mine.html")
    page = (tmp_path / "mine.html").read_text()
    assert "N200 T5" in page and "solved" in page and "2, 1" in page
    # What was done stays for the next time, until it is begun anew.
    guiding.practising.leave()
    assert not bar.isVisible()
    start(window, "punch-station", qtbot)
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        QTest.mouseClick(bar.over, Qt.MouseButton.LeftButton)
    assert "N200 T6" in window.document.lines


def test_a_job_of_another_kind_puts_the_bar_away(window: MainWindow, qtbot: QtBot) -> None:
    guiding = start(window, "punch-clamps", qtbot)
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        window.open_demo("louvre-panel")
    assert guiding.practising.practice is None and not guiding.bar.isVisible()


def test_show_me_leads_to_a_finished_label_without_clicking(window: MainWindow, qtbot: QtBot) -> None:
    guiding = start(window, "first-cut", qtbot)
    machine = window.machine
    machine.session._timer.stop()
    QTest.mouseClick(guiding.bar.me, Qt.MouseButton.LeftButton)
    me = guiding.show_me
    clicked: list[str] = []
    for _ in range(60):
        me.look()
        if not me.running or "have it checked" in me.said.text().lower():
            break
        stand = machine.session.stand
        assert stand is not None
        if stand.moving:
            assert "It moves" in me.said.text()
            machine.session.advance(120.0)
            continue
        pointer = me._guide() if me._guide is not None else None
        assert pointer is not None
        target = pointer.at()
        assert isinstance(target, QPushButton) and target.isEnabled(), me.said.text()
        clicked.append(target.text())
        QTest.mouseClick(target, Qt.MouseButton.LeftButton)
        qtbot.waitUntil(lambda: not machine.session.busy, timeout=30_000)
    assert stand is not None and machine.session.stand is not None and machine.session.stand.parts == 1, clicked
    assert {"Turn it on", "Go home", "Put it in", "Shut it", "Start", "Free", "Put in", "Draw it up"} <= set(clicked)
    check(guiding, qtbot)
    assert guiding.practising.solved
    me.look()
    assert not me.running


def test_the_walk_goes_through_the_five_places_and_can_be_left(window: MainWindow, qtbot: QtBot) -> None:
    me = window.guiding.show_me
    with qtbot.waitSignal(window.prover.proved, timeout=60_000):
        QTest.mouseClick(window.first_page.walk, Qt.MouseButton.LeftButton)
    window.machine.session._timer.stop()
    places: list[str] = []
    for _ in range(40):
        me.look()
        if not me.running:
            break
        if me.next.isVisible():
            QTest.mouseClick(me.next, Qt.MouseButton.LeftButton)
            continue
        name = next(n for n, b in window.rail.buttons.items() if me._guide().at() is b)  # type: ignore[union-attr,misc]
        places.append(name)
        QTest.mouseClick(window.rail.buttons[name], Qt.MouseButton.LeftButton)
        window.machine.session._timer.stop()
    assert places == ["write", "setup", "prove", "machine", "hand-over"]
    assert not me.running
    window.guiding.walk()
    assert me.running
    QTest.mouseClick(me.leave, Qt.MouseButton.LeftButton)
    assert not me.running and not me.isVisible()


@pytest.mark.parametrize("text", ["", "format = 1\ntitle = 3\n"])
def test_practice_jobs_of_ones_own_are_listed_or_refused_in_a_sentence(
    window: MainWindow, tmp_path: Path, text: str
) -> None:
    good = tmp_path / "own" / "mine"
    good.mkdir(parents=True)
    source = read_practice(next(f for f in practice_folders() if f.name == "write-arc"))
    for file in source.folder.iterdir():
        (good / file.name).write_bytes(file.read_bytes())
    bad = tmp_path / "own" / "bad"
    bad.mkdir()
    (bad / "practice.toml").write_text(text)
    window.guiding.practising.set_own_folder(tmp_path / "own")
    window.guiding.show_list()
    page = window.guiding.page
    names = [page.list.item(k).data(Qt.ItemDataRole.UserRole) for k in range(page.list.count())]
    assert "mine" in [p.name for p in names if p is not None]
    assert str(bad / "practice.toml") in page.wrong.text()
