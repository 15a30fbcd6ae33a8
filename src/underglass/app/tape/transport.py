"""The buttons beside the tape: block by block, play both ways, speed, what to hold at, what to loop."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QVBoxLayout, QWidget, QWidgetAction

from underglass.app.parts.basic import column, label
from underglass.app.parts.number_field import NumberField
from underglass.app.style.icons import icon
from underglass.app.style.palette import Palette
from underglass.app.tape.player import BLOCK_A_PRESS, FASTEST, SPEEDS, Player
from underglass.core.control.state import Switches
from underglass.core.proof.halts import HALTS
from underglass.core.units import Unit


class Transport(QWidget):
    """One block back, play either way, one block on, the speed; under them what to hold at, what to loop, the panel's switches.

    ``switch_asked`` brings a switch's name in the job file and what it is to be.
    """

    switch_asked = Signal(str, object)

    def __init__(self, player: Player, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._player = player
        self._palette = palette
        self.back = self._button("caret-line-left", "Back one block  (Left)", lambda: player.step_block(-1))
        self.reverse = self._button("play-fill", "Play backwards  (J)", lambda: self._play(-1))
        self.play = self._button("play-fill", "Play or pause  (Space)", player.toggle)
        self.play.setProperty("strong", True)
        self.play.setFixedSize(46, 30)
        self.on = self._button("caret-line-right", "On one block  (Right)", lambda: player.step_block(1))
        self.speed = QPushButton()
        self.speed.setProperty("side", True)
        self.speed.setFixedSize(74, 30)
        self.speed.setToolTip("Playback speed; 1 x is real time with the job's overrides")
        self.speed.setAccessibleName("Speed")
        menu = QMenu(self.speed)
        for value in (BLOCK_A_PRESS, *SPEEDS, FASTEST):
            menu.addAction(self._said(value), partial(player.set_speed, value))
        self.speed.setMenu(menu)
        self.hold = QPushButton("Stop at")
        self.hold.setProperty("side", True)
        self.hold.setToolTip("Where playing stops by itself")
        self.hold.setMenu(self._hold_menu())
        self.loop = QPushButton("Loop")
        self.loop.setProperty("side", True)
        self.loop.setToolTip("Play a stretch over and over: choose it here, or drag along the tape with Ctrl")
        self.loop_menu = QMenu(self.loop)
        self.loop.setMenu(self.loop_menu)
        self.panel = QPushButton()
        self.panel.setProperty("side", True)
        self.panel.setToolTip("The machine's switches: overrides of feed and rapid, optional stop, block skip")
        self.panel.setAccessibleName("Feed override and the machine's other switches")
        self.panel.setMenu(self._panel_menu())
        rows = []
        wide = (self.hold, self.loop, self.panel)
        for parts, space in (((self.back, self.reverse, self.play, self.on, self.speed), 5), (wide, 4)):
            row = QHBoxLayout()
            row.setContentsMargins(14, 0, 6, 0)
            row.setSpacing(space)
            for part in parts:
                row.addWidget(part, 1 if part in wide else 0)
            rows.append(row)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 9, 0, 7)
        box.setSpacing(6)
        for row in rows:
            box.addLayout(row)
        player.changed.connect(self.refresh)
        self.show_switches(Switches())
        self.refresh()

    def _hold_menu(self) -> QMenu:
        menu = QMenu(self)
        self.kinds = {}
        for name, words in HALTS:
            action = menu.addAction(words)
            action.setCheckable(True)
            action.toggled.connect(partial(self._player.set_halt, name))
            self.kinds[name] = action
        holder = QWidget()
        self.depth = NumberField("Z of the tip")
        self.depth.show_value(self._player.depth)
        self.depth.typed.connect(self._on_depth)
        holder.setLayout(column(label("with the depth at", quiet=True, pixels=12), self.depth, margins=(12, 4, 12, 8)))
        action = QWidgetAction(menu)
        action.setDefaultWidget(holder)
        menu.addAction(action)
        return menu

    def _panel_menu(self) -> QMenu:
        menu = QMenu(self)
        self.overrides: dict[str, NumberField] = {}
        holder = QWidget()
        for name, word in (("feed_override", "Feed override, %"), ("rapid_override", "Rapid override, %")):
            field = NumberField(word, "number")
            field.typed.connect(partial(self._on_switch, name))
            self.overrides[name] = field
        holder.setLayout(column(*self.overrides.values(), margins=(12, 8, 12, 4), spacing=6))
        fields = QWidgetAction(menu)
        fields.setDefaultWidget(holder)
        menu.addAction(fields)
        self.flags = {}
        for name, words in (
            ("optional_stop", "Optional stop: M1 stops"),
            ("block_skip", "Block skip: blocks with / are left out"),
        ):
            flag = menu.addAction(words)
            flag.setCheckable(True)
            flag.triggered.connect(lambda on, n=name: self._on_switch(n, on))
            self.flags[name] = flag
        return menu

    def _on_switch(self, name: str, value: object) -> None:
        self.switch_asked.emit(name, value)

    def refuse(self, name: str, why: str) -> None:
        """What was asked cannot be: say so beside it."""
        if name in self.overrides:
            self.overrides[name].say(why)

    def show_switches(self, switches: Switches) -> None:
        """As the job has them."""
        feed, rapid = switches.feed_override * 100.0, switches.rapid_override * 100.0
        self.overrides["feed_override"].show_value(feed)
        self.overrides["rapid_override"].show_value(rapid)
        self.flags["optional_stop"].setChecked(switches.optional_stop)
        self.flags["block_skip"].setChecked(switches.block_skip)
        self.panel.setText(f"{feed:.3g} %")

    def _on_depth(self, value: float) -> None:
        self._player.depth = value
        if not self.kinds["depth"].isChecked():
            self.kinds["depth"].setChecked(True)

    def set_unit(self, unit: Unit) -> None:
        """How the depth is shown."""
        self.depth.show_value(self._player.depth, unit)

    def _play(self, direction: int) -> None:
        if self._player.direction == direction:
            self._player.stop()
        else:
            self._player.play(direction)

    @staticmethod
    def _said(speed: float) -> str:
        if speed == BLOCK_A_PRESS:
            return "by block"
        return "fastest" if speed == FASTEST else f"{speed:g} x"

    def _button(self, name: str, tip: str, run: object) -> QPushButton:
        button = QPushButton()
        button.setIconSize(QSize(18, 18))
        button.setFixedSize(30, 30)
        button.setToolTip(tip)
        button.setAccessibleName(tip.split("  ")[0])
        button.clicked.connect(lambda: run())  # type: ignore[operator]
        button.setProperty("icon_name", name)
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        return button

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        self.depth.set_palette(palette)
        self.refresh()

    def refresh(self) -> None:
        p, player = self._palette, self._player
        for button in (self.back, self.on):
            button.setIcon(icon(str(button.property("icon_name")), p.text))
        self.reverse.setIcon(
            icon("pause-fill" if player.direction < 0 else "play-fill", p.text, mirrored=player.direction >= 0)
        )
        self.play.setIcon(icon("pause-fill" if player.direction > 0 else "play-fill", p.on_active))
        self.speed.setText(self._said(player.speed))
        for name, action in self.kinds.items():
            action.setChecked(name in player.halts)
        count = len(player.halts)
        self.hold.setText("Stop at" if not count else f"Stops: {count}")
        self.loop.setText("Loop" if player.loop is None else "Loop: on")
