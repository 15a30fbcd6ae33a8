"""Every command by name: type a few letters of what is wanted."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QAction, QKeyEvent
from PySide6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

_PLACE = re.compile(r"\s*([nNtToO]?)\s*(\d{1,9})\s*")
_PLACE_NAMES = {"N": "block", "T": "tool", "O": "program"}


ALSO = {
    "Stop at, on or off: Each block": "single block", "Stop at, on or off: Optional stops (M1)": "optional stop",
    "Show millimetres": "units metric", "Show inches": "units imperial", "Day or night colours": "dark light theme", "Keys and marks": "help shortcuts",
    "Settings\u2026": "preferences options units theme size", "Setup: part zero": "work offset G54", "Setup: tools": "length offset H register D",
    "Calculate: Bolt circle": "bolt circle", "Calculate: Hole grid": "grid pattern", "Save the picture\u2026": "export image",
    "Save the stock as STL\u2026": "export mesh", "Save the setup sheet\u2026": "export print pdf", "Send the file to the memory stick": "export usb",
    "Prove again": "simulate run verify", "Start here: what has to be sent first": "restart mid program", "Fill in: Holes": "drill tap ream bore",
    "Prove: radius compensation: programmed path, the control's path and the real edge": "cutter compensation G41 G42", "Undo": "back", "Comment on or off": "block skip",
    "Play forwards, again for faster": "override speed",
}  # fmt: skip
"""Words that are said for a command and do not stand in its name."""


def matches(wanted: str, name: str) -> bool:
    """Whether every word typed begins a word of the name, or stands somewhere in it."""
    low = name.lower()
    return all(part in low for part in wanted.lower().split())


class CommandPalette(QDialog):
    """A field and a list. Return runs the marked command; a number goes to that line."""

    def __init__(
        self, actions: Sequence[QAction], go_to: Callable[[str, int], object], parent: QWidget | None = None
    ) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self._actions = [a for a in actions if a.isEnabled() and a.text()]
        self._go_to = go_to
        self.setFixedWidth(430)
        self.setObjectName("body")
        self.field = QLineEdit()
        self.field.setPlaceholderText("A command, or where to: 120, N830, T4, O200")
        self.field.setAccessibleName("Command")
        self.field.textChanged.connect(self._fill)
        self.field.installEventFilter(self)
        self.list = QListWidget()
        self.list.setAccessibleName("Commands")
        self.list.itemClicked.connect(self._run)
        box = QVBoxLayout(self)
        box.setContentsMargins(10, 10, 10, 10)
        box.addWidget(self.field)
        box.addWidget(self.list)
        self._fill("")
        self.field.setFocus()

    def _fill(self, wanted: str) -> None:
        self.list.clear()
        place = _PLACE.fullmatch(wanted)
        if place is not None:
            letter, number = place[1].upper(), int(place[2])
            item = QListWidgetItem(
                f"Go to {_PLACE_NAMES[letter]} {letter}{number}" if letter else f"Go to line {number}"
            )
            item.setData(Qt.ItemDataRole.UserRole, (letter, number))
            self.list.addItem(item)
        for action in self._actions:
            name = action.text().replace("&", "")
            if matches(wanted, f"{name} {ALSO.get(action.text(), '')}"):
                keys = action.shortcut().toString()
                item = QListWidgetItem(f"{name}    {keys}" if keys else name)
                item.setData(Qt.ItemDataRole.UserRole, action)
                self.list.addItem(item)
        self.list.setCurrentRow(0)
        self.list.setFixedHeight(min(max(self.list.count(), 1), 12) * 26 + 8)
        self.adjustSize()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            row, count = self.list.currentRow(), self.list.count()
            if event.key() == Qt.Key.Key_Down and count:
                self.list.setCurrentRow((row + 1) % count)
                return True
            if event.key() == Qt.Key.Key_Up and count:
                self.list.setCurrentRow((row - 1) % count)
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                item = self.list.currentItem()
                if item is not None:
                    self._run(item)
                return True
        return super().eventFilter(watched, event)

    def _run(self, item: QListWidgetItem) -> None:
        what = item.data(Qt.ItemDataRole.UserRole)
        self.accept()
        if isinstance(what, QAction):
            what.trigger()
        else:
            self._go_to(*what)
