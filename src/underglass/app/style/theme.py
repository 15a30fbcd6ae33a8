"""Fonts and the window's style sheet, from the palette."""

from __future__ import annotations

from functools import cache

from PySide6.QtGui import QColor, QFont, QFontDatabase, QFontMetrics, QPalette
from PySide6.QtWidgets import QApplication, QWidget

from underglass.app.style.icons import icon_file
from underglass.app.style.palette import Palette
from underglass.core.data import data_folder

WORDS = "B612"
NUMBERS = "JetBrains Mono"


def load_fonts() -> None:
    """Make the shipped typefaces known to the application."""
    for path in sorted((data_folder() / "fonts").glob("*.[ot]tf")):
        QFontDatabase.addApplicationFont(str(path))


def share_of(word: str) -> int:
    """The share of a narrow row that a button takes which is as wide as its word is drawn: none is cut off before another."""
    return QFontMetrics(words_font(12)).horizontalAdvance(word) + 10


def words_font(pixels: int = 13, *, bold: bool = False) -> QFont:
    """For words."""
    return QFont(_font(WORDS, pixels, bold))


def number_font(pixels: int = 13, *, bold: bool = False) -> QFont:
    """For programs and numbers: one width, ligatures off, nought told from O."""
    return QFont(_font(NUMBERS, pixels, bold))


@cache
def _font(family: str, pixels: int, bold: bool) -> QFont:
    """A font by name is looked for among all that the system has; a window asks for hundreds of the same few."""
    font = QFont(family)
    font.setPixelSize(pixels)
    font.setBold(bold)
    if family == NUMBERS:
        font.setStyleHint(QFont.StyleHint.Monospace)
        for feature in ("liga", "calt"):
            font.setFeature(QFont.Tag(feature), 0)
        font.setFeature(QFont.Tag("zero"), 1)
    return font


def apply_theme(app: QApplication, window: QWidget, palette: Palette) -> None:
    """Give the application and a window of it this palette; nothing is done where it has it already.

    The style sheet is the window's: were it the application's, every small part would be polished anew each time it is put
    into a larger one that is still being made (a place of 400 parts: 0.6 s instead of 0.1).
    """
    if window.property("palette_name") == palette.name:
        return
    window.setProperty("palette_name", palette.name)
    if app.property("palette_name") != palette.name:
        app.setProperty("palette_name", palette.name)
        _set_colours(app, palette)
    window.setStyleSheet(_sheet(palette))


def _set_colours(app: QApplication, palette: Palette) -> None:
    """What the style draws by itself, and the usual font."""
    if not app.property("styled"):
        # A style that is set again has every widget polished anew.
        app.setProperty("styled", True)
        app.setStyle("Fusion")
        app.setFont(words_font())
    colours = QPalette()
    for role, name in (
        (QPalette.ColorRole.Window, palette.panel),
        (QPalette.ColorRole.Base, palette.panel),
        (QPalette.ColorRole.AlternateBase, palette.ground),
        (QPalette.ColorRole.Text, palette.text),
        (QPalette.ColorRole.WindowText, palette.text),
        (QPalette.ColorRole.ButtonText, palette.text),
        (QPalette.ColorRole.Button, palette.panel),
        (QPalette.ColorRole.Highlight, palette.active),
        (QPalette.ColorRole.HighlightedText, palette.on_active),
        (QPalette.ColorRole.ToolTipBase, palette.text),
        (QPalette.ColorRole.ToolTipText, palette.panel),
        (QPalette.ColorRole.PlaceholderText, palette.quiet),
        (QPalette.ColorRole.Mid, palette.rule),
    ):
        colours.setColor(role, QColor(name))
    app.setPalette(colours)


def _sheet(p: Palette) -> str:
    arrow, tick = icon_file("caret-down", p.quiet), icon_file("check", p.active)
    return f"""
    QMainWindow, #body {{ background: {p.panel}; }}
    #header {{ background: {p.panel}; border-bottom: 1px solid {p.rule}; }}
    #rail {{ background: {p.rail}; }}
    #panel {{ background: {p.panel}; }}
    #floating {{ background: {p.panel}; border: 1px solid {p.rule}; border-radius: 3px; }}
    #glassBar QPushButton::menu-indicator {{ image: url({arrow}); width: 10px; height: 10px; subcontrol-position: right center; right: 5px; }}
    #sunk {{ background: {p.ground}; }}
    #tape {{ background: {p.panel}; border-top: 1px solid {p.rule}; }}
    #panelHead {{ border-bottom: 1px solid {p.rule}; background: {p.panel}; }}
    #rule {{ background: {p.rule}; }}
    QLabel[quiet="true"] {{ color: {p.quiet}; }}
    QLabel[belief="true"] {{ color: {p.belief}; }}
    QPushButton, QToolButton, QMenu, QLineEdit, QListWidget, QToolTip, QComboBox, QCheckBox, QMessageBox QLabel {{
        font-family: "{WORDS}"; font-size: 13px;
    }}
    QPushButton[numbers="true"], QListWidget[numbers="true"], QLineEdit[numbers="true"] {{ font-family: "{NUMBERS}"; }}
    #glassBar QPushButton {{ padding: 2px 8px; min-width: 0; }}
    #glassBar QPushButton:focus {{ padding: 1px 7px; }}
    QAbstractScrollArea::corner {{ background: transparent; border: none; }}
    QPushButton, QToolButton {{
        background: {p.panel}; border: 1px solid {p.rule}; border-radius: 3px; padding: 3px 9px; min-height: 18px;
    }}
    QPushButton:hover, QToolButton:hover {{ border-color: {p.active}; }}
    QPushButton:focus, QToolButton:focus {{ border: 2px solid {p.active}; padding: 2px 8px; }}
    QPushButton:checked, QToolButton:checked {{ border-color: {p.active}; color: {p.active}; background: {p.active_wash}; }}
    QPushButton:disabled, QToolButton:disabled {{ color: {p.quiet}; }}
    QPushButton[strong="true"]:enabled {{ background: {p.active}; color: {p.on_active}; border-color: {p.active}; }}
    QToolButton::menu-indicator {{ image: none; }}
    QLineEdit, QComboBox {{
        background: {p.field}; border: 1px solid {p.rule}; border-radius: 3px; padding: 3px 6px;
        selection-background-color: {p.active}; selection-color: {p.on_active};
    }}
    QLineEdit:focus, QComboBox:focus {{ border: 2px solid {p.active}; padding: 2px 5px; }}
    QPlainTextEdit, QListView, QListWidget, QTextBrowser {{
        background: {p.panel}; border: none; selection-background-color: {p.active}; selection-color: {p.on_active};
    }}
    QPlainTextEdit#points {{ background: {p.field}; border: 1px solid {p.rule}; border-radius: 3px; }}
    QPlainTextEdit#points:focus {{ border: 2px solid {p.active}; }}
    QPlainTextEdit#sunkText {{ background: {p.ground}; border: none; }}
    QPushButton[page="true"] {{ border-color: transparent; padding: 2px 9px; }}
    QPushButton[page="true"]:checked {{ border-color: {p.active}; }}
    QPushButton[page="true"]:focus {{ border: 2px solid {p.active}; padding: 1px 8px; }}
    QComboBox {{ min-height: 18px; }}
    QPushButton[tab="true"] {{ padding: 2px 6px; }}
    QPushButton[tab="true"]:focus {{ padding: 1px 5px; }}
    QPushButton[side="true"] {{ padding: 2px 3px; min-width: 0; font-size: 12px; }}
    QPushButton[side="true"]:focus {{ padding: 1px 2px; }}
    QPushButton[way="true"] {{ text-align: left; border-color: transparent; padding: 0px 4px; min-height: 17px; font-size: 12px; }}
    QPushButton[way="true"]:hover {{ color: {p.active}; }}
    QPushButton[way="true"]:focus {{ border: 1px solid {p.active}; padding: 0px 4px; }}
    QComboBox[large="true"] {{ font-size: 19px; font-weight: bold; min-height: 28px; }}
    QTableView, QTableWidget {{ background: {p.panel}; border: none; selection-background-color: {p.active_wash}; selection-color: {p.text}; }}
    QTableWidget {{ border: 1px solid {p.rule}; font-family: "{WORDS}"; font-size: 13px; }}
    QHeaderView::section {{ background: {p.panel}; color: {p.quiet}; border: none; border-bottom: 1px solid {p.rule}; padding: 3px 6px; font-family: "{WORDS}"; font-size: 12px; font-weight: normal; }}
    QComboBox QAbstractItemView {{ background: {p.panel}; border: 1px solid {p.rule}; selection-background-color: {p.active_wash}; selection-color: {p.text}; }}
    QComboBox {{ padding-right: 3px; }}
    QComboBox::drop-down {{ border: none; width: 20px; }}
    QComboBox::down-arrow {{ image: url({arrow}); width: 12px; height: 12px; }}
    QComboBox:disabled, QLineEdit:disabled {{ color: {p.quiet}; background: {p.panel}; }}
    QCheckBox {{ spacing: 6px; }}
    QCheckBox::indicator {{ width: 14px; height: 14px; border: 1px solid {p.quiet}; border-radius: 2px; background: {p.field}; }}
    QCheckBox::indicator:checked {{ image: url({tick}); border-color: {p.active}; }}
    QCheckBox:focus {{ color: {p.active}; }}
    QListView::item {{ border: none; }}
    QListView::item:selected {{ background: {p.active_wash}; color: {p.text}; }}
    QMenu {{ background: {p.panel}; border: 1px solid {p.rule}; padding: 4px; }}
    QMenu::item {{ padding: 5px 24px 5px 12px; }}
    QMenu::item:selected {{ background: {p.active_wash}; color: {p.text}; }}
    QToolTip {{ background: {p.text}; color: {p.panel}; border: none; padding: 4px 6px; }}
    QSplitter::handle {{ background: {p.rule}; }}
    QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
    QScrollBar:horizontal {{ background: transparent; height: 10px; margin: 0; }}
    QScrollBar::handle {{ background: {p.rule}; border-radius: 4px; min-height: 24px; min-width: 24px; margin: 1px; }}
    QScrollBar::handle:hover {{ background: {p.quiet}; }}
    QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page {{ background: none; border: none; height: 0; width: 0; }}
    """
