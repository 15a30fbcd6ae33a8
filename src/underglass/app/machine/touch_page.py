"""Touching off at the machine: what the axis is to read where the tool stands, and which figure of the control that sets."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QPushButton, QVBoxLayout, QWidget

from underglass.app.machine.parts import ChoiceRow
from underglass.app.machine.session import Session
from underglass.app.parts.basic import label, rule
from underglass.app.parts.number_field import NumberField
from underglass.app.style.palette import Palette
from underglass.core.control.words import OFFSETS_IN_ORDER
from underglass.core.machine.actions import SetFigure
from underglass.core.machine.gaps import FEELS_MM, Gap
from underglass.core.machine.instruments import PAPER_MM
from underglass.core.machine.setting import Setting, at_stops, changed_registers, on_setter, set_to
from underglass.core.units import Unit, show_length


class TouchPage(QWidget):
    """``wheel_axis`` is the axis that is set; ``trouble`` a sentence."""

    trouble = Signal(str)
    keep_asked = Signal()

    def __init__(self, session: Session, palette: Palette) -> None:
        super().__init__()
        self._session = session
        self.unit: Unit = "mm"
        self.axis = "x"
        self._gaps: tuple[Gap, ...] = ()
        self.setting: Setting | None = None
        self._filled = -1
        self.into = QComboBox()
        self.into.setAccessibleName("The figure to set")
        self.face = NumberField("The face stands at")
        self.between = ChoiceRow(
            (
                ("none", "nothing", "The tool itself touches"),
                ("paper", "paper", f"A strip of paper, {PAPER_MM} mm, drawn between"),
                ("block", "gauge block", "A block of known height stands between"),
            )
        )
        self.between_head = label("Between tool and face", quiet=True, pixels=12)
        self.block = NumberField("The block is")
        self.block.show_value(20.0)
        self.said = label(pixels=13)
        self.said.setWordWrap(True)
        self.sum = label(quiet=True, pixels=12)
        self.sum.setWordWrap(True)
        self.set = QPushButton("Set")
        self.set.setProperty("strong", True)
        self.set.clicked.connect(self._on_set)
        self.pointer = ChoiceRow(
            (
                ("torch", "torch", "The torch itself stands over the mark"),
                ("pointer", "pointer", "The pointer's spot lies on the mark"),
            )
        )
        self.pointer.chosen.connect(lambda _n: self.refresh())
        self.setter, self.stops = QPushButton("Measure the tool on the setter"), QPushButton("Zero at the stops")
        self.setter.setToolTip("The tool is brought to the machine's own setter, and the control is told what it finds")
        self.setter.clicked.connect(self._on_setter)
        self.stops.clicked.connect(self._on_stops)
        self.both = QPushButton("Set X and Y here")
        self.both.setToolTip(
            "Both axes at once: what is under the tool, or under the pointer's spot, is to be that place"
        )
        self.both.clicked.connect(self._on_both)
        self.keep = QPushButton("Keep these figures in the job")
        self.keep.setToolTip("Setup then has what the control has been told here")
        self.keep.clicked.connect(self.keep_asked)
        self.held = label(quiet=True, pixels=12)
        self.held.setWordWrap(True)
        box = QVBoxLayout(self)
        box.setContentsMargins(12, 8, 12, 8)
        box.setSpacing(7)
        for part in (
            label("Sets", quiet=True, pixels=12), self.into, self.face, self.between_head,
            self.between, self.pointer, self.block, self.said, self.sum, self.set, self.both, self.setter, self.stops, rule(), self.held, self.keep,
        ):  # fmt: skip
            box.addWidget(part)
        box.addStretch(1)
        self.face.show_value(0.0)
        for field in (self.face, self.block):
            field.typed.connect(lambda _v: self.refresh())
        self.between.chosen.connect(lambda _n: self.refresh())
        self.into.currentIndexChanged.connect(lambda _i: self.refresh())
        session.begun.connect(self._fill)
        session.changed.connect(self.refresh)

    def set_unit(self, unit: Unit) -> None:
        self.unit = unit
        for field in (self.face, self.block):
            field.show_value(field.value, unit)
        self.refresh()

    def set_palette(self, palette: Palette) -> None:
        for field in (self.face, self.block):
            field.set_palette(palette)

    def choose_axis(self, axis: str) -> None:
        self.axis = axis
        self._fill()

    def show_gaps(self, found: tuple[Gap, ...]) -> None:
        self._gaps = found
        self.refresh()

    def _fill(self) -> None:
        """What this axis of this machine can be set by."""
        stand = self._session.stand
        if stand is None:
            return
        before = self.into.currentData() if self._filled == stand.tool else None
        self._filled = stand.tool
        self.into.blockSignals(True)
        self.into.clear()
        axis = self.axis.upper()
        turret = stand.in_force.station is not None and not stand.in_force.station.flat
        if turret and stand.tool:
            self.into.addItem(f"{axis} of T{stand.tool:02d}, the tool's offset", ("geometry", f"T{stand.tool}"))
        offsets = [
            name for name in OFFSETS_IN_ORDER if name in stand.truth.bench.zero or name in stand.job.registers.work
        ]
        for name in dict.fromkeys([stand.in_force.offset, *offsets, "G54"]):
            self.into.addItem(f"{axis} of {name}", ("work", name))
        if self.axis == "z" and stand.habits.tools_by_hand:
            for number in sorted(stand.job.bench.tools):
                if number == stand.tool:
                    self.into.addItem(f"Length H{number}", ("length", f"H{number}"))
        for k in range(self.into.count()):
            if self.into.itemData(k) == before:
                self.into.setCurrentIndex(k)
        self.into.blockSignals(False)
        self.refresh()

    def _side(self) -> Gap | None:
        """The face beside the tool, on this axis."""
        return next((g for g in self._gaps if g.way[0] == self.axis), None)

    def refresh(self) -> None:
        stand = self._session.stand
        data = self.into.currentData()
        if stand is None or not data:
            return
        group, key = data
        if stand.tool != self._filled:
            self._fill()
            return
        on_x = self.axis == "x" and stand.job.bench.machine.x_factor != 1.0
        self.face.set_word("Diameter measured" if on_x else "The face stands at")
        self.face.show_value(self.face.value, self.unit)
        self.block.setVisible(self.between.name == "block" and not on_x)
        own = stand.habits.pointer is not None or stand.habits.stops
        self.pointer.setVisible(stand.habits.pointer is not None)
        self.setter.setVisible(stand.habits.tools_by_hand or stand.habits.setter is not None)
        self.stops.setVisible(stand.habits.stops)
        work = group == "work" and "y" in stand.job.bench.machine.axes and self.axis != "z"
        self.both.setVisible(work)
        self.both.setEnabled(
            stand.homed and not self._session.why_not(SetFigure(group="work", key=key, value=0.0, axis="x"))
        )
        self.keep.setEnabled(bool(changed_registers(stand)))
        self.between.setVisible(not on_x and not own)
        self.between_head.setVisible(not on_x and not own)
        thick = {"none": 0.0, "paper": PAPER_MM}.get(self.between.name, self.block.value or 0.0)
        gap, tool = self._side(), stand.tool_there
        reads, parts = (self.face.value or 0.0) / (2.0 if on_x else 1.0), []
        if self.axis == "z" or stand.job.bench.more is not None:
            reads += thick
        elif gap is not None and tool is not None:
            sign = -1.0 if gap.way.endswith("+") else 1.0
            reads += sign * (tool.radius + thick)
            parts.append(f"{gap.face} face, half the tool {show_length(tool.radius, self.unit)}")
        if gap is not None and abs(gap.mm - thick) > max(FEELS_MM, 0.02):
            parts.append(f"it does not touch yet: {show_length(gap.mm, self.unit)} {self.unit} to go")
        where = f"{self.axis.upper()} is to read {show_length(reads * (2.0 if on_x else 1.0), self.unit)}"
        self.said.setText(f"{where} ({', '.join(parts)})" if parts else where)
        flat = stand.habits.pointer
        if flat is not None and self.pointer.name == "pointer":
            beside = flat["xyz".index(self.axis)]
            reads -= beside
            said = f"the spot lies {show_length(beside, self.unit)} beside the torch"
            self.said.setText(f"{self.axis.upper()} is to read {show_length(reads, self.unit)} ({said})")
        self.setting = set_to(stand, self.axis, reads, group, key, self.unit)
        self.sum.setText(self.setting.said)
        self.set.setText(f"Set {self.into.currentText()}")
        refused = self._session.why_not(self.setting.told) or (
            "" if stand.homed else "The axes have not been home yet."
        )
        self.set.setEnabled(not refused)
        self.set.setToolTip(refused)
        self.held.setText(self._now_held())

    def _now_held(self) -> str:
        """The offsets as the control holds them."""
        stand = self._session.stand
        assert stand is not None
        factor = stand.job.bench.machine.x_factor
        rows = []
        for name, at in sorted(stand.job.registers.work.items()):
            figures = "  ".join(
                f"{a.upper()} {show_length(v * (factor if a == 'x' else 1.0), self.unit)}"
                for a, v in zip("xyz", at)
                if a in stand.job.bench.machine.axes
            )
            rows.append(f"{name}   {figures}")
        if stand.tool in stand.job.registers.length:
            rows.append(f"H{stand.tool}   {show_length(stand.job.registers.length[stand.tool], self.unit)}")
        return "\n".join(rows)

    def _on_setter(self) -> None:
        stand = self._session.stand
        found = on_setter(stand, self.unit) if stand is not None else ""
        if isinstance(found, str):
            self.trouble.emit(found)
            return
        for one in found:
            self._session.do(one.told)
        self.sum.setText(found[0].said)

    def _on_both(self) -> None:
        """X and Y to the figure that is typed, where the tool or the spot stands."""
        stand, data = self._session.stand, self.into.currentData()
        if stand is None or not data or data[0] != "work":
            return
        beside = stand.habits.pointer if self.pointer.name == "pointer" else None
        for k, axis in enumerate("xy"):
            reads = (self.face.value or 0.0) - (beside[k] if beside is not None else 0.0)
            self._session.do(set_to(stand, axis, reads, "work", data[1], self.unit).told)

    def _on_stops(self) -> None:
        stand = self._session.stand
        for one in at_stops(stand) if stand is not None else ():
            self._session.do(one.told)

    def _on_set(self) -> None:
        if self.setting is not None:
            self._session.do(self.setting.told)
