"""What stands between a person and the cut, and what is done by hand: guard, work, clamp, drawbar, tool."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from underglass.app.machine.parts import ActionButton
from underglass.app.machine.session import Session
from underglass.app.parts.basic import PanelHead, emptied, label, rule
from underglass.app.style.palette import Palette
from underglass.core.machine.actions import (
    Action,
    Clamp,
    Drawbar,
    EmergencyStop,
    Guard,
    Power,
    PutIn,
    PutTool,
    TakeOut,
)
from underglass.core.machine.instruments import INSTRUMENT_WORDS
from underglass.core.machine.ready import Condition, conditions, next_thing
from underglass.core.machine.stand import Stand

WAYS_IN = (
    ("right", "the right way", PutIn()),
    ("turned", "a quarter turned", PutIn(turned=90)),
    ("round", "back to front", PutIn(turned=180)),
    ("off", "3 mm off the stop", PutIn(off_stop=3.0)),
    ("chip", "a chip under it", PutIn(chip=0.4)),
)
"""How work can be put in: each but the first is noticed later."""


class _Mark(QWidget):
    """Met: a filled round; not yet: a ring."""

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self.palette_, self.done, self.grave, self.crash = palette, False, False, False
        self.setFixedSize(14, 14)

    def sizeHint(self) -> QSize:
        return QSize(14, 14)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        p = self.palette_
        colour = QColor(p.crash if self.crash else p.fault if self.grave else p.active if self.done else p.quiet)
        painter.setPen(QPen(colour, 1.6))
        if self.done or self.grave:
            painter.setBrush(colour)
        painter.drawEllipse(QPointF(7, 7), 4.5, 4.5)
        painter.end()


class BeforePanel(QWidget):
    """Conditions one under the other with what meets each, and the rows of what is done by hand."""

    def __init__(self, session: Session, palette: Palette) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._session, self._palette = session, palette
        self._rows: dict[str, tuple[_Mark, QLabel, QPushButton]] = {}
        self._shown: tuple[str, ...] = ()
        self._actions: dict[str, Action] = {}
        self.next = label(bold=True, pixels=13)
        self.next.setWordWrap(True)
        self.next.setAccessibleName("What to do next")
        self.next.setMinimumHeight(52)
        self.next.setAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        self._list = QGridLayout()
        self._list.setContentsMargins(12, 4, 12, 6)
        self._list.setHorizontalSpacing(8)
        self._list.setVerticalSpacing(3)
        self._list.setColumnStretch(1, 1)
        self.way_in, self.tool = QComboBox(), QComboBox()
        self.way_in.setAccessibleName("How the work is put in")
        self.tool.setAccessibleName("The tool to put in")
        for box in (self.way_in, self.tool):
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(14)
        for name, words, _action in WAYS_IN:
            self.way_in.addItem(words, name)
        s = session
        self.guard_open = ActionButton(s, "Open", lambda: Guard(True))
        self.guard_shut = ActionButton(s, "Shut", lambda: Guard(False))
        self.put_in = ActionButton(s, "Put in", self._way_in, tip="As it is chosen beside it")
        self.take_out = ActionButton(s, "Take out", TakeOut)
        self.fresh = ActionButton(s, "New one", lambda: self._way_in(fresh=True), tip="A fresh piece, uncut")
        self.clamp_shut = ActionButton(s, "Shut", lambda: Clamp(True))
        self.clamp_open = ActionButton(s, "Open", lambda: Clamp(False))
        self.bar_free = ActionButton(s, "Free", lambda: Drawbar(True))
        self.bar_drawn = ActionButton(s, "Draw up", lambda: Drawbar(False))
        self.put_tool = ActionButton(s, "Put in", lambda: PutTool(int(self.tool.currentData() or 0)))
        self.power_off = ActionButton(s, "Power off", lambda: Power(False))
        self.stop = QPushButton("Emergency stop")
        self.stop.setToolTip("Everything stands at once (Shift+Esc)")
        self.stop.clicked.connect(lambda: session.do(EmergencyStop(not (session.stand and session.stand.stopped))))
        self.stop.setMinimumHeight(30)
        self._names: dict[str, QLabel] = {}
        hands = QGridLayout()
        hands.setContentsMargins(12, 6, 12, 6)
        hands.setHorizontalSpacing(6)
        hands.setVerticalSpacing(5)
        for k, (name, word, parts) in enumerate(
            (
                ("guard", "Guard", (self.guard_open, self.guard_shut)),
                ("work", "Work", (self.put_in, self.take_out, self.fresh)),
                ("way", "", (self.way_in,)),
                ("clamp", "Vice", (self.clamp_open, self.clamp_shut)),
                ("bar", "Drawbar", (self.bar_free, self.bar_drawn)),
                ("tool", "Tool", (self.tool, self.put_tool)),
            )
        ):
            self._names[name] = label(word, quiet=True, pixels=12)
            hands.addWidget(self._names[name], k, 0)
            row = QHBoxLayout()
            row.setSpacing(4)
            for part in parts:
                row.addWidget(part, 3 if isinstance(part, QComboBox) else 1)
                if not isinstance(part, QComboBox):
                    part.setProperty("tab", True)
            hands.addLayout(row, k, 1)
        hands.setColumnMinimumWidth(0, 52)
        hands.setColumnStretch(1, 1)
        self._by_row = {
            "clamp": (self.clamp_open, self.clamp_shut),
            "bar": (self.bar_free, self.bar_drawn),
            "tool": (self.tool, self.put_tool),
            "way": (self.way_in,),
        }
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(PanelHead("Before the cut"))
        line = QHBoxLayout()
        line.setContentsMargins(12, 4, 12, 2)
        line.addWidget(self.next)
        box.addLayout(line)
        box.addLayout(self._list)
        box.addWidget(rule())
        box.addWidget(PanelHead("By hand"))
        box.addLayout(hands)
        box.addStretch(1)
        box.addWidget(rule())
        last = QHBoxLayout()
        last.setContentsMargins(12, 8, 12, 10)
        last.addWidget(self.stop, 2)
        last.addWidget(self.power_off, 1)
        box.addLayout(last)
        session.changed.connect(self.refresh)
        session.begun.connect(self._on_begun)
        session.busy_changed.connect(lambda _w, _s: self.refresh())

    def offered(self, name: str) -> QPushButton | None:
        """The button beside a condition that is not met."""
        row = self._rows.get(name)
        return row[2] if row is not None else None

    def _way_in(self, *, fresh: bool = False) -> PutIn:
        chosen = next((a for n, _w, a in WAYS_IN if n == self.way_in.currentData()), PutIn())
        return PutIn(turned=chosen.turned, off_stop=chosen.off_stop, chip=chosen.chip, fresh=fresh)

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        for mark, _text, _button in self._rows.values():
            mark.palette_ = palette
            mark.update()
        self.refresh()

    def _on_begun(self) -> None:
        """The tools of this job, and what this trade does by hand."""
        stand = self._session.stand
        if stand is None:
            return
        h = stand.habits
        self._names["work"].setText(h.work.capitalize())
        self._names["clamp"].setText(h.holder.capitalize())
        for name, there in (
            ("clamp", bool(h.holder)),
            ("bar", h.tools_by_hand),
            ("tool", h.tools_by_hand),
            ("way", h.put_wrong),
        ):
            self._names[name].setVisible(there)
            for part in self._by_row[name]:
                part.setVisible(there)
        self.way_in.setCurrentIndex(0)
        self.tool.clear()
        self.tool.addItem("nothing", 0)
        for number, words in sorted(stand.job.bench.tool_names.items()):
            self.tool.addItem(f"T{number} {words}", number)
        for number, words in INSTRUMENT_WORDS.items():
            self.tool.addItem(words, number)
        self.refresh()

    def refresh(self) -> None:
        stand = self._session.stand
        if stand is None:
            return
        found = conditions(stand)
        names = tuple(c.name for c in found)
        if names != self._shown:
            self._lay_out(found)
        for one in found:
            self._show_row(one)
        said = next_thing(stand)
        if self.next.text() != said:
            self.next.setText(said)
        p = self._palette
        asked = stand.waiting.number if stand.waiting is not None and stand.waiting.kind == "tool-change" else 0
        if asked and asked != self._asked(stand):
            self.tool.setCurrentIndex(max(self.tool.findData(asked), 0))
        self._last_asked = asked
        words = "Turn the stop free" if stand.stopped else "Emergency stop"
        if self.stop.text() != words:
            self.stop.setText(words)
        style = f"background: {p.text}; color: {p.panel}; border-color: {p.text};"
        if self.stop.styleSheet() != style:
            self.stop.setStyleSheet(style)

    _last_asked = 0

    def _asked(self, _stand: Stand) -> int:
        return self._last_asked

    def _lay_out(self, found: tuple[Condition, ...]) -> None:
        emptied(self._list)
        self._rows.clear()
        self._shown = tuple(c.name for c in found)
        for k, one in enumerate(found):
            mark, text, button = _Mark(self._palette), label(pixels=13), QPushButton()
            text.setWordWrap(True)
            button.clicked.connect(lambda _c=False, n=one.name: self._session.do(self._actions[n]))
            self._list.addWidget(mark, k, 0)
            self._list.addWidget(text, k, 1)
            self._list.addWidget(button, k, 2)
            self._list.setRowMinimumHeight(k, 26)
            self._rows[one.name] = (mark, text, button)

    def _show_row(self, one: Condition) -> None:
        mark, text, button = self._rows[one.name]
        grave = one.name == "alarm" and not one.done
        stand = self._session.stand
        crash = grave and stand is not None and stand.alarm is not None and stand.alarm.kind == "contact"
        if (mark.done, mark.grave, mark.crash) != (one.done, grave, crash):
            mark.done, mark.grave, mark.crash = one.done, grave, crash
            mark.update()
        if text.text() != one.said:
            text.setText(one.said)
        offered = not one.done and one.action is not None
        button.setVisible(offered)
        if offered and one.action is not None:
            self._actions[one.name] = one.action
            refused = self._session.why_not(one.action)
            button.setText(one.words)
            button.setEnabled(not refused)
            button.setToolTip(refused)
