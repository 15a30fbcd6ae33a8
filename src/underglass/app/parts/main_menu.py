"""The menu of the header: what every program has, by the words that its commands have in the palette too."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu

MENU: tuple[tuple[str, ...], ...] = (
    ("New program", "Open a job or a program\u2026", "*recent", "*demos"),
    ("Save the program and its job", "Save the program as\u2026", "Save the job as\u2026"),
    ("Undo", "Redo", "Find and replace in the program"),
    ("Prove again", "Next finding"),
    (
        "Save the setup sheet\u2026",
        "Send the file to the memory stick",
        "Save the picture\u2026",
        "Save the stock as STL\u2026",
    ),
    ("Practice jobs", "A walk through the five places"),
    ("Settings\u2026", "Day or night colours"),
    ("Keys and marks", "Search commands"),
    ("Quit",),
)
"""Groups of commands, parted by a line; what begins with a star is a menu of its own."""


def fill_menu(menu: QMenu, actions: Sequence[QAction], recent: Sequence[Path], open_: Callable[[Path], object]) -> None:
    """Fill it anew from the commands there are. Raises ``KeyError`` where one is called otherwise."""
    known = {a.text(): a for a in actions}
    # Taken out one by one: clearing a menu deletes what was put into it, and the commands are the window's.
    for old in menu.actions():
        menu.removeAction(old)
    for k, group in enumerate(MENU):
        if k:
            menu.addSeparator()
        for words in group:
            if words == "*recent":
                inner = menu.addMenu("Open again")
                for path in recent:
                    inner.addAction(f"{path.parent.name}/{path.name}").triggered.connect(
                        lambda _c=False, p=path: open_(p)
                    )
                inner.setEnabled(bool(recent))
            elif words == "*demos":
                inner = menu.addMenu("Demos")
                inner.addActions([a for a in actions if a.text().startswith("Open the ") and "demo" in a.text()])
            else:
                menu.addAction(known[words])
