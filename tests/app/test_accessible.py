"""Every place of every trade: named for a screen reader, reached by keys, nothing cut off from 1024 x 700 to 2560 x 1440."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import QSize, Qt
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractScrollArea,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QLabel,
    QPushButton,
    QScrollArea,
    QSplitter,
    QToolButton,
    QWidget,
)
from pytestqt.qtbot import QtBot

from underglass.app.main_window import MainWindow
from underglass.app.parts.basic import Elided
from underglass.app.setup.page_tabs import PageTabs
from underglass.core.files.demo import copy_demo

DEMOS = ("vent-bracket-slip", "winder-bush-slip", "ridge-gusset-slip", "louvre-panel-slip")
SIZES = (QSize(1024, 700), QSize(2560, 1440))
MAY_GO = ("italic: as the bench",)
"""Words that may be left out where there is no room."""


def everywhere(window: MainWindow) -> Iterator[str]:
    """Go to every place, and every page of it; its name."""
    sides = {"write": window.side, "prove": window.beside, "hand-over": window.handing}
    for place in ("write", "setup", "prove", "machine", "hand-over"):
        window.go_to_place(place)
        side = sides.get(place)
        if side is not None:
            for name, button in side.buttons.items():
                if not button.isHidden():
                    side.choose(name)
                    yield f"{place}/{name}"
        elif place == "setup":
            tabs = next(t for t in window.setting_up.place.findChildren(PageTabs) if t.isVisible())
            for name, button in tabs.buttons.items():
                button.click()
                yield f"{place}/{name}"
        else:
            yield place


def seen(window: MainWindow) -> Iterator[QWidget]:
    return (part for part in window.findChildren(QWidget) if part.isVisible())


def nameless(part: QWidget) -> bool:
    """Whether it takes the focus by Tab and nobody could say what it is."""
    if not part.focusPolicy() & Qt.FocusPolicy.TabFocus or not part.isEnabled() or part.accessibleName():
        return False
    if isinstance(part, QLabel) or (isinstance(part, QAbstractButton) and part.text()):
        # A label is called by its words; an empty one says nothing and is passed over.
        return False
    # A scrolled room and a handle are no controls; the field in a spin box or a list is its parent's.
    return not isinstance(part, QScrollArea | QSplitter) and not isinstance(
        part.parentWidget(), QComboBox | QAbstractSpinBox
    )


def cut_off(part: QWidget) -> bool:
    """Whether words do not fit, or a part reaches beyond the one that it stands in."""
    if isinstance(part, QLabel) and not isinstance(part, Elided) and not part.wordWrap():
        plain = part.text() and not {"<", "&"} & set(part.text()) and part.text() not in MAY_GO
        lines = part.text().split("\n")
        if plain and part.width() + 1 < max(part.fontMetrics().horizontalAdvance(line) for line in lines):
            return True
    if isinstance(part, QPushButton | QToolButton) and part.text():
        lines = part.text().split("\n")
        if part.width() < max(part.fontMetrics().horizontalAdvance(line) for line in lines) + 4:
            return True
    if part.objectName() == "glassBar" and part.geometry().right() > part.parentWidget().width():
        return True
    if isinstance(part, QScrollArea) and part.horizontalScrollBarPolicy() == Qt.ScrollBarPolicy.ScrollBarAlwaysOff:
        return part.widget().width() > part.viewport().width() + 1
    parent = part.parentWidget()
    # What lies in a scrolled room may be higher than it.
    scrolled = isinstance(parent.parentWidget() if parent else None, QAbstractScrollArea)
    if isinstance(part, QPushButton | QLabel) and parent and not scrolled:
        return part.geometry().right() > parent.width() + 1 or part.geometry().bottom() > parent.height() + 1
    return False


def about(part: QWidget) -> str:
    words = getattr(part, "text", lambda: "")()
    return f"{type(part).__name__} {words!r}, {part.width()} wide, in {type(part.parentWidget()).__name__}"


@pytest.mark.parametrize("demo", DEMOS)
def test_nothing_is_nameless_and_nothing_is_cut_off(
    opened: Callable[[Path], MainWindow], tmp_path: Path, qtbot: QtBot, qapp: QApplication, demo: str
) -> None:
    window = opened(copy_demo(demo, tmp_path / "demo"))
    window.glass.measuring.choose("distance")  # its buttons lie in the glass, too
    found = []
    # What fits on the small screen fits on the large one; there the panels that stretch are looked at once.
    for size in SIZES if demo == DEMOS[0] else SIZES[:1]:
        window.resize(size)
        qtbot.waitUntil(lambda s=size: window.size() == s)  # type: ignore[misc]
        for place in everywhere(window):
            for _ in range(4):
                qapp.processEvents()  # what is laid out anew lays out what is in it
            for part in seen(window):
                if nameless(part):
                    found.append(f"{place}: {about(part)} has no name")
                if cut_off(part):
                    found.append(f"{place} at {size.width()}: {about(part)} is cut off")
    assert not found, "\n".join(sorted(set(found)))


@pytest.mark.parametrize("place", ["setup", "prove", "hand-over"])
def test_tab_goes_round_and_comes_back(slip: MainWindow, qtbot: QtBot, place: str) -> None:
    """By Tab alone everything that takes the focus is reached, and no part keeps it."""
    slip.go_to_place(place)
    slip.activateWindow()
    qtbot.waitUntil(lambda: slip.isActiveWindow())
    wanted = {p for p in seen(slip) if p.focusPolicy() & Qt.FocusPolicy.TabFocus and p.isEnabled()}
    slip.header.setFocus()
    met: list[QWidget] = []
    for _ in range(3 * len(wanted)):
        # What types a tab of its own is left by Ctrl+Tab, as everywhere.
        slip.focusNextChild()
        here = slip.focusWidget()
        if here is None or (met and here is met[0] and len(met) > 1):
            break
        met.append(here)
    assert len(met) > 5
    missed = {p for p in wanted if p not in met and not nameless(p)}
    # One of a row of choices stands for the row: arrows go on in it.
    missed = {p for p in missed if not (isinstance(p, QAbstractButton) and (p.group() or p.autoExclusive()))}
    assert [about(p) for p in missed if not isinstance(p, QLabel | QScrollArea | QSplitter)] == []


def test_what_has_the_focus_can_be_seen(slip: MainWindow, qtbot: QtBot) -> None:
    """A button drawn with and without the focus is not the same picture."""
    slip.go_to_place("hand-over")
    slip.handing.choose("sheets")
    slip.activateWindow()
    qtbot.waitUntil(lambda: slip.isActiveWindow())
    for part in (slip.handing.sheets.report, slip.handing.sheets.shop, slip.handing.buttons["file"]):
        slip.handing.sheets.chart.setFocus()
        without = part.grab().toImage()
        part.setFocus(Qt.FocusReason.TabFocusReason)
        qtbot.waitUntil(lambda p=part: p.hasFocus())  # type: ignore[misc]
        assert part.grab().toImage() != without, about(part)


@pytest.mark.parametrize("demo", ["vent-bracket-slip", "winder-bush-slip"])
def test_alt_and_a_number_is_a_page_of_any_place(
    opened: Callable[[Path], MainWindow], tmp_path: Path, qtbot: QtBot, demo: str
) -> None:
    window = opened(copy_demo(demo, tmp_path / "demo"))
    window.activateWindow()
    qtbot.waitUntil(lambda: window.isActiveWindow())
    rows = {
        "write": lambda: window.side.buttons, "prove": lambda: window.beside.buttons, "machine": lambda: window.machine.row.buttons,
        "hand-over": lambda: window.handing.buttons,
        "setup": lambda: next(t for t in window.setting_up.place.findChildren(PageTabs) if t.isVisible()).buttons,
    }  # fmt: skip
    for place, buttons in rows.items():
        window.go_to_place(place)
        offered = [b for b in buttons().values() if not b.isHidden()]
        for number in (2, 3, 1):
            qtbot.keyClick(window, getattr(Qt.Key, f"Key_{number}"), Qt.KeyboardModifier.AltModifier)
            assert offered[number - 1].isChecked(), (place, number)
