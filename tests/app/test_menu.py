"""The menu, the settings, the page of keys: every way is visible, every key is one command's, what is set is kept."""

from __future__ import annotations

from collections import Counter
from pathlib import Path

from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QApplication, QMenu
from pytestqt.qtbot import QtBot

from underglass.app.main_window import MainWindow
from underglass.app.parts.command_palette import ALSO, CommandPalette
from underglass.app.parts.first_page import CARD, DEMOS
from underglass.app.parts.keys_page import KeysPage
from underglass.app.parts.main_menu import MENU
from underglass.app.parts.settings_page import SettingsPage
from underglass.app.style.palette import DAY, NIGHT
from underglass.core.data import data_folder


def action(window: MainWindow, words: str):  # type: ignore[no-untyped-def]
    return next(a for a in window.actions() if a.text() == words)


def test_no_two_commands_have_one_key(window: MainWindow) -> None:
    keys = Counter(s.toString() for a in window.actions() for s in a.shortcuts())
    assert [k for k, n in keys.items() if n > 1] == []


def test_the_menu_holds_commands_that_there_are(window: MainWindow, slip: MainWindow) -> None:
    for _time in range(2):
        window.helping.fill()
    menu: QMenu = window.header.menu
    shown = [a.text() for a in menu.actions() if not a.isSeparator()]
    known = {a.text() for a in window.actions()}
    assert {w for group in MENU for w in group if not w.startswith("*")} <= known
    assert shown[0] == "New program" and shown[-1] == "Quit" and "Open again" in shown and "Demos" in shown
    again = next(a for a in menu.actions() if a.text() == "Open again").menu()
    assert isinstance(again, QMenu) and any("vent-bracket-slip" in a.text() for a in again.actions())
    assert set(ALSO) <= known


def test_words_of_the_trade_find_commands_that_are_called_otherwise(window: MainWindow) -> None:
    palette = CommandPalette(window.actions(), lambda _l, _n: None, window)
    for wanted, found in (
        ("bolt circle", "Calculate: Bolt circle"),
        ("work offset", "Setup: part zero"),
        ("single block", "Each block"),
        ("dark", "colours"),
        ("export", "setup sheet"),
    ):
        palette.field.setText(wanted)
        assert any(found in palette.list.item(k).text() for k in range(palette.list.count())), wanted


def test_keys_and_marks_are_explained_and_searched(window: MainWindow) -> None:
    action(window, "Keys and marks").trigger()
    page = window.helping.page
    assert isinstance(page, KeysPage) and "Undo" in page.shown()
    page.field.setText("undo")
    assert page.shown() == ["Undo"]
    page.field.setText("caution")
    assert page.shown() == [] and any(
        not page.marks.topLevelItem(k).isHidden() for k in range(page.marks.topLevelItemCount())
    )
    page.close()


def test_what_is_set_takes_effect_and_is_kept(
    qtbot: QtBot, qapp: QApplication, window: MainWindow, tmp_path: Path
) -> None:
    action(window, "Settings\u2026").trigger()
    page = window.helping.page
    assert isinstance(page, SettingsPage)
    page.units.setCurrentIndex(page.units.findData("inch"))
    page.units.activated.emit(page.units.currentIndex())
    assert window.document.units == "inch"
    page.kept.setCurrentIndex(page.kept.findData("5"))
    page.kept.activated.emit(page.kept.currentIndex())
    assert window.filing.keeper._keep_soon.interval() == 5000 and window.settings.value("kept_after") == "5"
    page.grid.setCurrentIndex(page.grid.findData(""))
    page.grid.activated.emit(page.grid.currentIndex())
    assert not window.side.print.view.show_grid
    window.helping.set_grid("0.25")
    assert window.side.print.view.show_grid and abs(window.side.print.view.grid - 6.35) < 1e-9
    for night in (True, False):
        page.colours.setCurrentIndex(page.colours.findData("night" if night else "day"))
        page.colours.activated.emit(page.colours.currentIndex())
        assert window.colours is (NIGHT if night else DAY)
    low = window.editor.row_height
    page.text.setCurrentIndex(page.text.findData("20"))
    page.text.activated.emit(page.text.currentIndex())
    assert window.editor.row_height > low
    page.size.setCurrentIndex(page.size.findData("150"))
    page.size.activated.emit(page.size.currentIndex())
    assert "started again" in page.said.text()
    kept = QSettings(str(tmp_path / "settings.ini"), QSettings.Format.IniFormat)
    assert kept.value("text_size") == "20" and kept.value("size") == "150"
    page.close()
    action(window, "Text of the program smaller").trigger()
    assert window.helping.text_size == 17
    other = MainWindow(kept)
    qtbot.addWidget(other)
    assert other.editor.font().pixelSize() == 17


def test_every_demo_of_the_first_page_has_its_picture(window: MainWindow) -> None:
    page = window.first_page
    assert [name for name, _said in DEMOS] == list(page.demos) and len(page.demos) == 4
    for name, button in page.demos.items():
        assert (data_folder() / "pictures" / f"{name}.png").is_file() and not button.icon().isNull()
        assert button.iconSize() == CARD and button.accessibleName() == button.text()
