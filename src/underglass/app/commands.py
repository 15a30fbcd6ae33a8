"""What a person can do, with its words and its keys: every part offers its own, the palette shows them all."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import NamedTuple

from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QWidget

Key = str | QKeySequence.StandardKey


class Command(NamedTuple):
    """``words`` as the palette shows them."""

    words: str
    run: Callable[[], object]
    keys: tuple[Key, ...] = ()


def add_commands(widget: QWidget, commands: Iterable[Command]) -> None:
    """Give a window its commands as actions. Raises ``ValueError`` where two have the same words."""
    known = {action.text() for action in widget.actions()}
    for words, run, keys in commands:
        if words in known:
            raise ValueError(f"two commands are called {words!r}")
        known.add(words)
        action = QAction(words, widget)
        action.triggered.connect(lambda _checked=False, go=run: go())
        action.setShortcuts([QKeySequence(k) for k in keys])
        widget.addAction(action)
