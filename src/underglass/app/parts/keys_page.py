"""Every key and every mark, explained and searched: F1."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QColor
from PySide6.QtWidgets import (
    QDialog,
    QHeaderView,
    QLineEdit,
    QTabWidget,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from underglass.app.parts.command_palette import matches
from underglass.app.style.palette import Palette
from underglass.app.style.theme import number_font

KEYS = (
    ("Play or pause", "Space"), ("Back, stop, forwards; again for faster", "J K L"), ("One block back or on", "Left, Right"),
    ("To the tool change or stop before or behind", "Shift+Left, Shift+Right"), ("Leave the tape or the glass for the program", "Esc"),
)  # fmt: skip
"""Single keys of the tape and the glass, while one of them has the keys."""

MARKS = (
    ("\u25c6", "crash", "Crash: metal touches what it must not"), ("\u25a0", "fault", "Fault: the control would alarm, or the part is wrong"),
    ("\u25b3", "caution", "Caution: a careful person would look"), ("\u25cb", "note", "Note"),
    ("\u2015", "text", "In the margin: a tool change"), ("\u2503", "active", "In the margin: a cut; wide where it plunges"),
    ("\u2506", "quiet", "In the margin: a rapid"), ("solid", "text", "Solid line, upright figure: what is really there"),
    ("dashed", "belief", "Dashed line, brass figure: what the control believes"), ("\u270e", "text", "In the list of operations: changed by hand since its form wrote it"),
    ("\u25cf", "text", "Behind a file's name: not saved yet"),
)  # fmt: skip
"""(sign, colour's name, what it means)."""


class KeysPage(QDialog):
    """Type what is looked for; both lists show what has it."""

    def __init__(self, actions: Sequence[QAction], palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keys and marks")
        self.setObjectName("body")
        self.resize(620, 560)
        self.field = QLineEdit()
        self.field.setPlaceholderText("What is looked for: undo, section, rapid")
        self.field.setAccessibleName("Search")
        self.field.setClearButtonEnabled(True)
        self.field.textChanged.connect(self._look)
        self.keys, self.marks = QTreeWidget(), QTreeWidget()
        rows = [(words, keys) for words, keys in KEYS]
        rows += [(a.text(), ", ".join(s.toString() for s in a.shortcuts())) for a in actions if a.shortcuts()]
        rows += [(a.text(), "") for a in actions if not a.shortcuts()]
        for view, name, heads in (
            (self.keys, "Keys", ["What", "Keys"]),
            (self.marks, "Marks", ["Sign", "What it means"]),
        ):
            view.setRootIsDecorated(False)
            view.setHeaderLabels(heads)
            view.setAccessibleName(name)
            view.setSelectionMode(QTreeWidget.SelectionMode.NoSelection)
        self.keys.header().setStretchLastSection(False)
        self.keys.header().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        self.keys.header().setSectionResizeMode(1, QHeaderView.ResizeMode.ResizeToContents)
        for words, keys in rows:
            item = QTreeWidgetItem([words, keys])
            item.setFont(1, number_font(12))
            self.keys.addTopLevelItem(item)
        for sign, colour, words in MARKS:
            item = QTreeWidgetItem([sign, words])
            item.setForeground(0, QColor(getattr(palette, colour)))
            item.setTextAlignment(0, Qt.AlignmentFlag.AlignCenter)
            self.marks.addTopLevelItem(item)
        tabs = QTabWidget()
        tabs.addTab(self.keys, "Keys and commands")
        tabs.addTab(self.marks, "Marks")
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 14, 14, 14)
        box.addWidget(self.field)
        box.addWidget(tabs, 1)
        self.field.setFocus()

    def _look(self, wanted: str) -> None:
        for view in (self.keys, self.marks):
            for k in range(view.topLevelItemCount()):
                item = view.topLevelItem(k)
                if item is not None:
                    item.setHidden(not matches(wanted, f"{item.text(0)} {item.text(1)}"))

    def shown(self) -> list[str]:
        """What of the keys is seen now."""
        items = [self.keys.topLevelItem(k) for k in range(self.keys.topLevelItemCount())]
        return [i.text(0) for i in items if i is not None and not i.isHidden()]
