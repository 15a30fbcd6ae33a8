"""A line typed and run: MDI, with its history and what it leaves in force."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QListWidget, QVBoxLayout, QWidget

from underglass.app.machine.parts import ActionButton
from underglass.app.machine.session import Session
from underglass.app.parts.basic import label
from underglass.app.style.theme import number_font
from underglass.core.machine.actions import Mdi


class MdiPage(QWidget):
    """Up and Down go through what was typed before."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._at = 0
        self.line = QLineEdit()
        self.line.setFont(number_font(14))
        self.line.setProperty("numbers", True)
        self.line.setPlaceholderText("G0 X0 Y0")
        self.line.setAccessibleName("A line to run")
        self.line.returnPressed.connect(self.run)
        self.line.installEventFilter(self)
        self.start = ActionButton(session, "Run it", lambda: Mdi(self.line.text()), strong=True)
        self.line.textChanged.connect(lambda _t: self.start.refresh())
        self.history = QListWidget()
        self.history.setProperty("numbers", True)
        self.history.setAccessibleName("Lines run before")
        self.history.itemActivated.connect(lambda item: self.line.setText(item.text()))
        self.history.itemClicked.connect(lambda item: self.line.setText(item.text()))
        self.left = label(pixels=12)
        self.left.setWordWrap(True)
        row = QHBoxLayout()
        row.addWidget(self.line, 1)
        row.addWidget(self.start)
        box = QVBoxLayout(self)
        box.setContentsMargins(12, 8, 12, 8)
        box.setSpacing(7)
        box.addWidget(label("A line to run", quiet=True, pixels=12))
        box.addLayout(row)
        box.addWidget(label("In force now", quiet=True, pixels=12))
        box.addWidget(self.left)
        box.addWidget(label("Run before", quiet=True, pixels=12))
        box.addWidget(self.history, 1)
        session.changed.connect(self.refresh)
        session.begun.connect(self.refresh)

    def run(self) -> None:
        """Run what is typed."""
        self._session.do(Mdi(self.line.text()))
        self._at = 0

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            way = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}.get(Qt.Key(event.key()), 0)
            stand = self._session.stand
            if way and stand is not None and stand.mdi:
                self._at = min(max(self._at + way, 0), len(stand.mdi))
                self.line.setText(stand.mdi[-self._at] if self._at else "")
                return True
        return super().eventFilter(watched, event)

    def refresh(self) -> None:
        stand = self._session.stand
        if stand is None:
            return
        words = stand.in_force.words
        extra = stand.in_force.extra
        shift = [f"{a} {v:+.3f}" for a, v in zip("XYZ", extra) if v]
        said = " ".join(words) + (f"\nA shift is left over: {', '.join(shift)}" if shift else "")
        if self.left.text() != said:
            self.left.setText(said)
        if self.history.count() != len(stand.mdi):
            self.history.clear()
            self.history.addItems(list(reversed(stand.mdi)))
