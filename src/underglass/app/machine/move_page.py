"""Moving by hand: how fast, how far, the hand wheel, and the gaps to what is near."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QGridLayout, QLabel, QVBoxLayout, QWidget

from underglass.app.machine.parts import ActionButton, ChoiceRow
from underglass.app.machine.session import Session
from underglass.app.machine.wheel import WheelStrip
from underglass.app.parts.basic import figure, label
from underglass.app.style.palette import Palette
from underglass.core.machine.actions import BackToHeld, Home, Spindle
from underglass.core.machine.course import Course
from underglass.core.machine.gaps import Gap, felt
from underglass.core.machine.load_now import load_now
from underglass.core.machine.stand import Stand
from underglass.core.proof.load import Loads
from underglass.core.proof.outputs import NowRow, outputs_of
from underglass.core.units import MM_PER_INCH, Unit, show_length

RATES = (("slow", "slow"), ("fast", "fast"), ("rapid", "rapid"))
STEPS = {"mm": ("1", "0.1", "0.01", "0.001"), "inch": ("0.1", "0.01", "0.001", "0.0001")}


class MovePage(QWidget):
    """``near_asked``: look close to the tool, or at the whole again."""

    near_asked = Signal(bool)

    def __init__(self, session: Session, palette: Palette) -> None:
        super().__init__()
        self._session, self._palette = session, palette
        self.unit: Unit = "mm"
        self.how = ChoiceRow(
            [
                *((name, word, f"The jog buttons move as long as they are held: {word}") for name, word in RATES),
                *(
                    (f"step{k}", text, "The jog buttons and the wheel move by so much")
                    for k, text in enumerate(STEPS["mm"])
                ),
            ]
        )
        self.how.chosen.connect(lambda _n: self.refresh())
        self.wheel = WheelStrip(palette)
        self.wheel.turned.connect(self._on_turned)
        self.axis = "x"
        self.near = label(pixels=13)
        self.near.setWordWrap(True)
        self.near.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.near.setAccessibleName("The gaps to what is near")
        self.own = QGridLayout()
        self.own.setHorizontalSpacing(12)
        self.own.setVerticalSpacing(3)
        self.own.setColumnStretch(1, 1)
        self._loads: tuple[Course, Loads] | None = None
        self._own: list[tuple[QLabel, QLabel]] = []
        self.home = ActionButton(session, "Home all axes", Home)
        self.back = ActionButton(session, "Back to where it was held", BackToHeld)
        self.spindle = ActionButton(session, "Spindle stop", lambda: Spindle("off"))
        self.turn = ActionButton(
            session, "Spindle 500", lambda: Spindle("clockwise", 500.0), tip="500 rpm clockwise, for an edge finder"
        )
        box = QVBoxLayout(self)
        box.setContentsMargins(12, 8, 12, 8)
        box.setSpacing(7)
        box.addWidget(label("Jog and wheel", quiet=True, pixels=12))
        box.addWidget(self.how)
        box.addWidget(self.wheel)
        self.near_head = label("How near", quiet=True, pixels=12)
        box.addWidget(self.near_head)
        box.addWidget(self.near)
        box.addLayout(self.own)
        box.addStretch(1)
        for button in (self.back, self.home, self.turn, self.spindle):
            box.addWidget(button)
        session.changed.connect(self.refresh)
        session.begun.connect(self.refresh)

    @property
    def step(self) -> float:
        """The step chosen, mm; 0 where a rate is chosen."""
        name = self.how.name
        if not name.startswith("step"):
            return 0.0
        text = STEPS[self.unit][int(name[4:])]
        return float(text) * (MM_PER_INCH if self.unit == "inch" else 1.0)

    @property
    def click(self) -> float:
        """What a click of the wheel is, mm: the step chosen, or a hundredth."""
        return self.step or (0.01 if self.unit == "mm" else 0.001 * MM_PER_INCH)

    def set_unit(self, unit: Unit) -> None:
        self.unit = unit
        for k, text in enumerate(STEPS[unit]):
            self.how.buttons[f"step{k}"].setText(text)
        self.refresh()

    def choose_axis(self, axis: str) -> None:
        self.axis = axis
        self.refresh()

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        self.wheel.palette_ = palette
        self.wheel.update()

    def _on_turned(self, clicks: int) -> None:
        self._session.step_by(self.axis, clicks * self.click)

    def refresh(self) -> None:
        stand = self._session.stand
        if stand is None:
            return
        shown = self.click if self.unit == "mm" else self.click / MM_PER_INCH
        self.wheel.say(f"{self.axis.upper()}, a line is {shown:g} {self.unit}")
        self.back.setVisible(stand.rest is not None)
        turns = stand.habits.turns
        self.turn.setVisible(turns)
        self.spindle.setVisible(turns)

    def _show_own(self, stand: Stand) -> None:
        """What a trade tells of the moment in rows of its own, while it runs."""
        outputs = outputs_of(stand.course.proof)
        now = outputs.now(stand.course.proof, stand.at_s) if outputs is not None and stand.on_course else None
        rows = (*now.held, *now.cut) if now is not None else self._load(stand)
        while len(self._own) < len(rows):
            pair = (label(quiet=True, pixels=12), figure(pixels=13))
            for k, part in enumerate(pair):
                self.own.addWidget(part, len(self._own), k)
            self._own.append(pair)
        for k, (name, shown) in enumerate(self._own):
            there = k < len(rows)
            name.setVisible(there)
            shown.setVisible(there)
            if there:
                name.setText(rows[k].name)
                shown.setText(rows[k].figure)

    def _load(self, stand: Stand) -> tuple[NowRow, ...]:
        """How hard a mill cuts at this moment, the overrides with it."""
        if stand.job.bench.more is not None or not stand.moving:
            return ()
        if self._loads is None or self._loads[0] is not stand.course:
            self._loads = (stand.course, stand.course.proof.loads())
        found = load_now(stand, self._loads[1])
        if found is None:
            return ()
        share = f", {found.share:.0%} of the spindle's" if found.share is not None else ""
        rows = []
        if found.chip:
            chip = found.chip if self.unit == "mm" else found.chip / MM_PER_INCH
            rows.append(NowRow("Chip a tooth", f"{chip:.4f} {self.unit}"))
        if found.power:
            rows.append(NowRow("Power", f"{found.power:.2f} kW{share}"))
        return tuple(rows)

    def show_gaps(self, found: tuple[Gap, ...]) -> None:
        """What is nearest, each way that something is in reach."""
        stand = self._session.stand
        if stand is None:
            return
        self._show_own(stand)
        measured = stand.measured() if stand.job.bench.more is not None else None
        own = stand.job.bench.more is not None
        self.near_head.setVisible(not own or measured is not None)
        self.near.setVisible(not own or measured is not None)
        self.near_head.setText("Micrometer" if own else "How near")
        if own:
            if measured is not None:
                self.near.setText(
                    f"{measured.words.capitalize()} beside the tip: {show_length(measured.mm, self.unit)} {self.unit}"
                )
            return
        if not found:
            self.near.setText(
                "No tool in: nothing to touch with."
                if stand.tool_there is None and stand.habits.tools_by_hand
                else "Nothing is within 200 mm along an axis."
            )
            return
        lines = [
            f"{g.way[0].upper()}{'+' if g.way.endswith('+') else '−'}   {felt(stand, g, self.unit)}" for g in found[:4]
        ]
        self.near.setText("\n".join(lines))
