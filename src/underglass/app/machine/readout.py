"""Where the machine stands, to be read at arm's length: the offset in force, and each axis between its two jog buttons."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from underglass.app.parts.basic import figure, label
from underglass.app.style.palette import Palette
from underglass.core.machine.stand import Stand
from underglass.core.units import Unit, show_length


class HeldButton(QPushButton):
    """A button that acts as long as it is held down."""

    taken = Signal()
    left = Signal()

    def __init__(self, text: str, name: str) -> None:
        super().__init__(text)
        self.setAccessibleName(name)
        self.setToolTip(name)
        self.setAutoRepeat(False)
        self.pressed.connect(self.taken)
        self.released.connect(self.left)


class Readout(QWidget):
    """``jog`` brings an axis and a way as a button goes down, ``let_go`` as it comes up, ``axis_chosen`` the wheel's axis."""

    jog = Signal(str, int)
    let_go = Signal()
    axis_chosen = Signal(str)

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._palette = palette
        self.axis = "x"
        self.offset = figure(belief=True, pixels=34)
        self.offset.setAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        self.offset.setAccessibleName("Work offset in force")
        self.words = label(quiet=True, pixels=12)
        self.words.setWordWrap(True)
        self.cut = label(pixels=12)
        self.cut.setWordWrap(True)
        top = QHBoxLayout()
        top.setContentsMargins(12, 6, 12, 2)
        top.setSpacing(12)
        top.addWidget(self.offset)
        beside = QVBoxLayout()
        beside.setSpacing(1)
        beside.addWidget(self.words)
        beside.addWidget(self.cut)
        top.addLayout(beside, 1)
        grid = QGridLayout()
        grid.setContentsMargins(12, 0, 10, 6)
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(3)
        self.rows: dict[str, tuple[QPushButton, HeldButton, QLabel, HeldButton, QLabel, QLabel]] = {}
        for nth, text in ((2, "work"), (4, "machine"), (5, "to go")):
            head = label(text, quiet=True, pixels=12)
            head.setAlignment(Qt.AlignmentFlag.AlignRight)
            grid.addWidget(head, 0, nth)
        for k, axis in enumerate("xyz", 1):
            name = QPushButton(axis.upper())
            name.setCheckable(True)
            name.setAutoExclusive(True)
            name.setChecked(axis == "x")
            name.setProperty("tab", True)
            name.setFixedWidth(32)
            name.setToolTip(f"Hand wheel and touching off act on {axis.upper()}")
            name.clicked.connect(lambda _c=False, a=axis: self._choose(a))
            less, more = HeldButton("−", f"Jog {axis.upper()}−"), HeldButton("+", f"Jog {axis.upper()}+")
            for button, way in ((less, -1), (more, 1)):
                button.setFixedSize(30, 32)
                button.taken.connect(lambda a=axis, w=way: self.jog.emit(a, w))
                button.left.connect(self.let_go)
            work, machine, to_go = figure(pixels=23), figure(quiet=True, pixels=12), figure(quiet=True, pixels=12)
            for nth, part in enumerate((name, less, work, more, machine, to_go)):
                grid.addWidget(part, k, nth)
            self.rows[axis] = (name, less, work, more, machine, to_go)
        grid.setColumnMinimumWidth(2, 110)
        grid.setColumnMinimumWidth(4, 58)
        grid.setColumnMinimumWidth(5, 56)
        grid.setColumnStretch(2, 1)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addLayout(top)
        box.addLayout(grid)

    def _choose(self, axis: str) -> None:
        self.axis = axis
        self.axis_chosen.emit(axis)

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette

    def show_stand(self, stand: Stand | None, unit: Unit, why_not: Callable[[str, int], str]) -> None:
        """The stand as it is now; ``why_not`` says of an axis and a way why they cannot be jogged."""
        if stand is None:
            return
        now, machine = stand.in_force, stand.job.bench.machine
        self.offset.setText(now.offset)
        self.words.setText(" ".join(w for w in now.words if w != now.offset))
        self.cut.setText(_turning(stand))
        place, to_go = stand.work_place, stand.to_go
        for k, axis in enumerate("xyz"):
            parts = self.rows[axis]
            there = axis in machine.axes
            for part in parts:
                part.setVisible(there)
            if not there:
                continue
            factor = machine.x_factor if k == 0 else 1.0
            name, less, work, more, real, rest = parts
            name.setText(f"{axis.upper()}⌀" if factor != 1.0 else axis.upper())
            work.setText(show_length(place[k] * factor, unit) if stand.power and stand.homed else "?")
            real.setText(show_length(stand.place[k] * factor, unit) if stand.power and stand.homed else "?")
            rest.setText(show_length(to_go[k] * factor, unit) if stand.moving else "–")
            for button, way in ((less, -1), (more, 1)):
                if button.isDown():
                    continue
                refused = why_not(axis, way)
                button.setEnabled(not refused)
                button.setToolTip(refused or button.accessibleName())


def _turning(stand: Stand) -> str:
    """Spindle and feed as they really are."""
    now = stand.in_force
    parts = []
    if stand.habits.turns:
        if stand.spindle_on:
            unit = "m/min" if now.station is not None and now.station.surface else "rpm"
            way = "cw" if now.spindle == "clockwise" else "ccw"
            parts.append(f"Spindle {now.speed * stand.turning:g} {unit} {way}")
        else:
            parts.append("Spindle stands")
    if stand.moving and stand.on_course and len(stand.course.motions):
        feed = float(stand.course.motions.feed[stand.located()[0]])
        if stand.rapid_now:
            parts.append(f"rapid {stand.rapid:.0%}")
        elif feed > 0.0:
            parts.append(f"feed {feed * stand.feed:g}")
    if now.coolant and stand.on_course:
        parts.append("coolant")
    return " · ".join(parts)
