"""Running a program: start, hold, the switches, the overrides, the block under way and the time left."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from underglass.app.machine.parts import ActionButton, ChoiceRow
from underglass.app.machine.session import SPEEDS, Session
from underglass.app.parts.basic import Elided, figure, label, rule
from underglass.app.style.palette import Palette
from underglass.core.machine.actions import CycleStart, Hold, Overrides, StopProgram, Switch
from underglass.core.units import show_clock

SWITCHES = (
    ("single-block", "Single block", "Wait after each block"),
    ("hold-first-z", "First Z held", "Wait after each tool's first way down, to look at the gap"),
    ("optional-stop", "Optional stop", "Wait at M1"),
    ("block-skip", "Block skip", "Leave out blocks that begin with /"),
    ("dry-run", "Dry run", "All feeds at 2500: lift Z clear of the work first"),
)


class _Override(QWidget):
    """A slider and its figure."""

    moved = Signal()

    def __init__(self, word: str, most: int) -> None:
        super().__init__()
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, most)
        self.slider.setValue(100)
        self.slider.setSingleStep(5)
        self.slider.setPageStep(10)
        self.slider.setAccessibleName(f"{word} override, per cent")
        self.shown = figure("100 %", pixels=13)
        self.shown.setMinimumWidth(48)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        name = label(word, quiet=True, pixels=12)
        name.setMinimumWidth(48)
        row.addWidget(name)
        row.addWidget(self.slider, 1)
        row.addWidget(self.shown)
        self.slider.valueChanged.connect(self._on_moved)

    def _on_moved(self, value: int) -> None:
        self.shown.setText(f"{value} %")
        self.moved.emit()

    @property
    def share(self) -> float:
        return self.slider.value() / 100.0


class RunBar(QWidget):
    """``from_line_asked``: start in the middle, at the line with the cursor."""

    from_line_asked = Signal()
    new_morning_asked = Signal()

    def __init__(self, session: Session, palette: Palette) -> None:
        super().__init__()
        self.setObjectName("tape")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._session, self._palette = session, palette
        s = session
        self.start = ActionButton(s, "Start", CycleStart, tip="Start the program, or go on (F9)", strong=True)
        self.hold = ActionButton(s, "Hold", Hold, tip="Stop the axes; the spindle goes on (Space)")
        self.give_up = ActionButton(s, "Stop the program", StopProgram, tip="Give it up: the control begins anew")
        self.from_line = QPushButton("From cursor")
        self.from_line.setToolTip(
            "Start in the middle, at the line with the cursor; what that leaves out is told first"
        )
        self.from_line.clicked.connect(self.from_line_asked)
        self.program = QPushButton("Program")
        self.program.setToolTip(
            "Which program runs: what is open, one from the memory stick, or one from the drop folder"
        )
        self.menu = QMenu(self.program)
        self.program.setMenu(self.menu)
        for button in (self.start, self.hold):
            button.setMinimumHeight(40)
            button.setMinimumWidth(86)
        self.said = label(bold=True, pixels=13)
        self.said.setWordWrap(True)
        self.said.setAccessibleName("What the machine says")
        self.blocks = [Elided(pixels=15 if k == 1 else 13, quiet=k != 1, figures=True) for k in range(3)]
        self.time = label(quiet=True, pixels=12)
        self.switches: dict[str, QCheckBox] = {}
        switches = QVBoxLayout()
        switches.setSpacing(1)
        for name, word, tip in SWITCHES:
            box = QCheckBox(word)
            box.setToolTip(tip)
            box.setChecked(name == "optional-stop")
            box.toggled.connect(lambda on, n=name: session.do(Switch(n, on)))
            self.switches[name] = box
            switches.addWidget(box)
        self.feed, self.rapid, self.spindle = _Override("Feed", 150), _Override("Rapid", 100), _Override("Spindle", 120)
        self.spindle.slider.setMinimum(50)
        for one in (self.feed, self.rapid, self.spindle):
            one.moved.connect(self._on_override)
        self.speed = ChoiceRow([(f"{v:g}", f"{v:g}x", f"{v:g} times real time") for v in SPEEDS])
        self.speed.chosen.connect(self._on_speed)
        left = QVBoxLayout()
        left.setSpacing(5)
        row = QHBoxLayout()
        row.setSpacing(6)
        row.addWidget(self.start)
        row.addWidget(self.hold)
        left.addLayout(row)
        left.addWidget(self.give_up)
        below = QHBoxLayout()
        below.setSpacing(6)
        below.addWidget(self.from_line, 2)
        below.addWidget(self.program, 1)
        left.addLayout(below)
        left.addStretch(1)
        middle = QVBoxLayout()
        middle.setSpacing(2)
        middle.addWidget(self.said)
        for block in self.blocks:
            middle.addWidget(block)
        middle.addStretch(1)
        middle.addWidget(self.time)
        right = QVBoxLayout()
        right.setSpacing(4)
        for one in (self.feed, self.rapid, self.spindle):
            right.addWidget(one)
        right.addWidget(self.speed)
        right.addStretch(1)
        grid = QGridLayout()
        grid.setContentsMargins(12, 8, 12, 8)
        grid.setHorizontalSpacing(16)
        grid.addLayout(left, 0, 0)
        grid.addLayout(middle, 0, 1)
        grid.addLayout(switches, 0, 2)
        grid.addLayout(right, 0, 3)
        grid.setColumnStretch(1, 3)
        grid.setColumnStretch(3, 1)
        grid.setColumnMinimumWidth(3, 190)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(rule())
        outer.addLayout(grid)
        session.changed.connect(self.refresh)
        session.begun.connect(self._on_begun)
        session.busy_changed.connect(self._on_busy)

    def _on_speed(self, name: str) -> None:
        self._session.speed = float(name)

    def _on_override(self) -> None:
        self._session.do(Overrides(self.feed.share, self.rapid.share, self.spindle.share))

    def _on_begun(self) -> None:
        for name, box in self.switches.items():
            box.blockSignals(True)
            box.setChecked(name == "optional-stop")
            box.blockSignals(False)
        for one in (self.feed, self.rapid, self.spindle):
            one.slider.blockSignals(True)
            one.slider.setValue(100)
            one.shown.setText("100 %")
            one.slider.blockSignals(False)
        stand = self._session.stand
        self.spindle.setVisible(stand is not None and stand.habits.turns)
        self.refresh()

    def _on_busy(self, what: str, share: float) -> None:
        if what:
            self.said.setText(f"{what[:1].upper()}{what[1:]} {share:.0%}" if share else f"{what[:1].upper()}{what[1:]}")
        else:
            self.refresh()

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        self.refresh()

    def refresh(self) -> None:
        session, stand = self._session, self._session.stand
        if stand is None or session.busy:
            return
        last = session.last
        text = last.said if last is not None else ""
        if stand.alarm is not None:
            text = stand.alarm.said
        grave = stand.alarm is not None
        self.said.setText(text)
        self.said.setStyleSheet(
            f"color: {self._palette.crash};" if grave and stand.alarm and stand.alarm.kind == "contact" else ""
        )
        goes_on = stand.mode != "hand"
        self.start.setText("Go on" if goes_on and not stand.moving else "Start")
        self._show_blocks(stand.line)
        self.time.setText(self._times())
        name = stand.source.name
        self.program.setEnabled(stand.mode == "hand" and not stand.moving)
        self.program.setText(f"{name[:10]}…" if len(name) > 11 else name or "Program")
        self.from_line.setEnabled(stand.mode == "hand")

    def _show_blocks(self, line: int) -> None:
        """The block under way, the one before and the one after."""
        stand = self._session.stand
        assert stand is not None
        lines: tuple[QLabel, ...] = tuple(self.blocks)
        texts = stand.source.lines
        for k, shown in enumerate(lines):
            number = line - 1 + k
            text = f"{number:>5}  {texts[number - 1].strip()}" if 1 <= number <= len(texts) else ""
            if line == 0:
                text = f"{k:>5}  {texts[k - 1].strip()}" if 1 <= k <= len(texts) else ""
            if len(text) > 46:
                text = f"{text[:45]}…"
            if shown.text() != text:
                shown.setText(text)

    def _times(self) -> str:
        stand = self._session.stand
        assert stand is not None
        made = f"{stand.parts} made · " if stand.parts else ""
        if stand.mode == "program" and stand.rest is None:
            left = max(stand.course.ends_s - stand.at_s, 0.0)
            return f"{made}run {show_clock(stand.cutting_s)} · left {show_clock(left)}"
        return f"{made}this morning {show_clock(stand.clock_s)}"
