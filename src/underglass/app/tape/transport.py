"""The buttons beside the tape: back, play, forward, speed."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QVBoxLayout, QWidget

from underglass.app.style.icons import icon
from underglass.app.style.palette import Palette
from underglass.app.tape.player import SPEEDS, Player


class Transport(QWidget):
    """One block back, play or pause, one block on, and the speed."""

    def __init__(self, player: Player, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._player = player
        self._palette = palette
        self.back = self._button("caret-line-left", "Back one block  (Left)", lambda: player.step_block(-1))
        self.play = self._button("play-fill", "Play or pause  (Space)", player.toggle)
        self.play.setProperty("strong", True)
        self.play.setFixedSize(46, 32)
        self.on = self._button("caret-line-right", "On one block  (Right)", lambda: player.step_block(1))
        self.speed = QPushButton()
        self.speed.setProperty("numbers", True)
        self.speed.setFixedSize(62, 32)
        self.speed.setToolTip("Speed, times real time")
        self.speed.setAccessibleName("Speed")
        menu = QMenu(self.speed)
        for value in SPEEDS:
            action = QAction(self._said(value), menu)
            action.triggered.connect(lambda _checked=False, v=value: player.set_speed(v))
            menu.addAction(action)
        self.speed.setMenu(menu)
        row = QHBoxLayout()
        row.setContentsMargins(14, 0, 6, 0)
        row.setSpacing(6)
        for button in (self.back, self.play, self.on, self.speed):
            row.addWidget(button)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 25, 0, 6)
        box.addLayout(row)
        box.addStretch(1)
        player.changed.connect(self.refresh)
        self.refresh()

    @staticmethod
    def _said(speed: float) -> str:
        return f"{speed:g} x"

    def _button(self, name: str, tip: str, run: object) -> QPushButton:
        button = QPushButton()
        button.setIconSize(QSize(18, 18))
        button.setFixedSize(34, 32)
        button.setToolTip(tip)
        button.setAccessibleName(tip.split("  ")[0])
        button.clicked.connect(lambda: run())  # type: ignore[operator]
        button.setProperty("icon_name", name)
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        return button

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        self.refresh()

    def refresh(self) -> None:
        p = self._palette
        for button in (self.back, self.on):
            button.setIcon(icon(str(button.property("icon_name")), p.text))
        self.play.setIcon(icon("pause-fill" if self._player.playing else "play-fill", p.on_active))
        self.speed.setText(self._said(self._player.speed))
