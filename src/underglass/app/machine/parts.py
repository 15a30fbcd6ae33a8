"""Small parts of the machine's place: buttons that know why they cannot be pressed, and rows of choices."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QPushButton, QWidget

from underglass.app.machine.session import Session
from underglass.core.machine.actions import Action


class ActionButton(QPushButton):
    """Does one action; where that is refused it says why in its tip, and looks it."""

    def __init__(
        self, session: Session, words: str, action: Callable[[], Action], *, tip: str = "", strong: bool = False
    ) -> None:
        super().__init__(words)
        self._session, self._action, self._tip = session, action, tip
        self.setAccessibleName(words)
        if strong:
            self.setProperty("strong", True)
        self.clicked.connect(lambda: session.do(self._action()))
        session.changed.connect(self.refresh)
        session.busy_changed.connect(lambda _w, _s: self.refresh())

    def refresh(self) -> None:
        """As the machine stands now."""
        refused = self._session.why_not(self._action())
        if self.isEnabled() == bool(refused):
            self.setEnabled(not refused)
        tip = refused or self._tip
        if self.toolTip() != tip:
            self.setToolTip(tip)


class ChoiceRow(QWidget):
    """A few words of which one holds."""

    chosen = Signal(str)

    def __init__(self, choices: Sequence[tuple[str, str, str]]) -> None:
        """``choices``: name, word, tip."""
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        self.buttons: dict[str, QPushButton] = {}
        group = QButtonGroup(self)
        for name, word, tip in choices:
            button = QPushButton(word)
            button.setCheckable(True)
            button.setProperty("side", True)
            button.setToolTip(tip)
            button.clicked.connect(lambda _c=False, n=name: self.chosen.emit(n))
            group.addButton(button)
            row.addWidget(button, 1)
            self.buttons[name] = button
        next(iter(self.buttons.values())).setChecked(True)

    @property
    def name(self) -> str:
        """The one that holds."""
        return next(name for name, button in self.buttons.items() if button.isChecked())

    def choose(self, name: str) -> None:
        self.buttons[name].click()
