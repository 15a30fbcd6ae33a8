"""Setup's page for touching off, as a setter does it, with simulated devices on the bench as it really is."""

from __future__ import annotations

import html
from typing import Literal

from PySide6.QtWidgets import QButtonGroup, QComboBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from underglass.app.document import Document
from underglass.app.parts.basic import label
from underglass.app.parts.number_field import NumberField
from underglass.app.setup.binding import SetupPage
from underglass.app.style.palette import Palette
from underglass.core.control.words import OFFSETS_IN_ORDER
from underglass.core.files.job_edit import JobEdit, as_figure, put_register
from underglass.core.proof.touch_off import (
    FACES,
    Answer,
    Face,
    face_to_zero,
    plan_of,
    setter_top,
    side_reading,
    stock_at,
    touched_setter,
    touched_top,
)
from underglass.core.reckon.touching import Sum, edge, middle, turn
from underglass.core.units import show_length

Device = Literal["finder", "tool", "block", "setter"]
_DEVICES: dict[Device, str] = {
    "finder": "edge finder, probe", "tool": "known tool", "block": "gauge block", "setter": "tool setter",
}  # fmt: skip
_FINDER_MM = 10.0
_BLOCK_MM = 25.0


class TouchPage(SetupPage):
    """Which offset and which tool are active is shown first."""

    def __init__(self, document: Document, palette: Palette) -> None:
        super().__init__(document, palette)
        self.result: Sum | None = None
        self._apply: tuple[str, str, float] | None = None
        self._first: tuple[float, float] | None = None
        self._both: tuple[str, float] | None = None
        head = QHBoxLayout()
        head.setSpacing(14)
        self.offset, self.tool = QComboBox(), QComboBox()
        for word, combo in (("Active work offset", self.offset), ("Tool in the spindle", self.tool)):
            holder = QWidget()
            box = QVBoxLayout(holder)
            box.setContentsMargins(0, 0, 0, 0)
            box.setSpacing(1)
            box.addWidget(label(word, quiet=True, pixels=12))
            box.addWidget(combo)
            combo.setAccessibleName(word)
            combo.setProperty("large", True)
            combo.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            combo.setMinimumContentsLength(6 if combo is self.offset else 14)
            combo.activated.connect(lambda _k: self._begin_anew())
            head.addWidget(holder, 1 if combo is self.offset else 2)
        self.box.addLayout(head)
        self.device_buttons: dict[str, QPushButton] = {}
        row = QHBoxLayout()
        row.setSpacing(3)
        group = QButtonGroup(self)
        for key, word in _DEVICES.items():
            button = QPushButton(word)
            button.setCheckable(True)
            button.setProperty("page", True)
            button.clicked.connect(lambda _c=False, k=key: self.use(k))
            group.addButton(button)
            self.device_buttons[key] = button
            row.addWidget(button)
        row.addStretch(1)
        self.box.addLayout(row)
        self.device: Device = "finder"
        self.device_buttons["finder"].setChecked(True)
        grid = self.grid()
        self.size = NumberField("Diameter typed in")
        self.inside = NumberField("Face to zero")
        self.block = NumberField("Gauge block")
        self.to_come = NumberField("Still to be faced off")
        for k, field in enumerate((self.size, self.inside, self.block, self.to_come)):
            field.set_palette(palette)
            self._palette_parts.append(field.set_palette)
            self.put(grid, field, k % 2 if k < 2 else k - 2)
        self.size.show_value(_FINDER_MM)
        self.block.show_value(_BLOCK_MM)
        faces = self.grid()
        self.face_buttons: dict[str, QPushButton] = {}
        for face in FACES:
            button = QPushButton(f"Touch {face}")
            button.clicked.connect(lambda _c=False, f=face: self.touch(f))
            self.face_buttons[face] = button
            self.put(faces, button, {"left": 0, "right": 1, "front": 3, "back": 4, "top": 6}[face])
        self.measure = QPushButton("Measure the tool")
        self.measure.clicked.connect(self.measure_tool)
        self.both_x = QPushButton("Centre in X")
        self.both_y = QPushButton("Centre in Y")
        self.two = QPushButton("Skew, two points")
        self.all = QPushButton("All three axes")
        self.both_x.setToolTip("Touch left and right: zero midway; the finder's diameter cancels out")
        self.both_y.setToolTip("Touch front and back: zero midway; the finder's diameter cancels out")
        self.two.setToolTip("Touch the front face at two places: how the part lies turned about Z")
        self.all.setToolTip("Left, front and top, each set at once")
        for button, run, slot in (
            (self.both_x, lambda: self.touch_both("x"), 2),
            (self.both_y, lambda: self.touch_both("y"), 5),
            (self.two, self.touch_two, 7),
            (self.all, self.touch_all, 8),
        ):
            button.clicked.connect(lambda _c=False, r=run: r())
            self.put(faces, button, slot)
        self.put(faces, self.measure, 9)
        self.said = self.say()
        self.take = QPushButton("")
        self.take.setProperty("strong", True)
        self.take.clicked.connect(self.apply)
        self.take.hide()
        line = QHBoxLayout()
        line.addWidget(self.take)
        line.addStretch(1)
        self.box.addLayout(line)
        self.hint = self.say()
        self.box.addStretch(1)

    # -- what is active ------------------------------------------------------------------------------------------------

    @property
    def active(self) -> str:
        return str(self.offset.currentData() or "G54")

    @property
    def number(self) -> int:  # type: ignore[override]
        return int(self.tool.currentData() or 0)

    def use(self, device: Device) -> None:
        """Take another device."""
        self.device = device
        self.device_buttons[device].setChecked(True)
        self._begin_anew()

    def _begin_anew(self) -> None:
        self._say_result(None, "", None)
        self.refresh()

    # -- touching ------------------------------------------------------------------------------------------------------

    def _radii(self) -> tuple[float, float]:
        """Real radius of what touches a side, and the one that the person tells."""
        job = self.document.table_job
        told = (self.size.value or 0.0) / 2.0
        if self.device == "finder" or job is None:
            return _FINDER_MM / 2.0, told
        tool = job.bench.really_in_spindle(self.number)
        return (tool.radius if tool is not None else told), told

    def _default_inside(self, face: Face) -> float:
        job = self.document.table_job
        return face_to_zero(job, self.active, face) if job is not None else 0.0

    def touch(self, face: Face) -> None:
        """Bring the device against a face of the real block and do the sum."""
        job = self.document.table_job
        if job is None:
            return
        unit = self.document.units
        if face == "top":
            block, to_come = self.block.value or 0.0, self.to_come.value or 0.0
            self._say_answer(touched_top(job, self.active, self.number, block, to_come, unit))
            return
        real, told = self._radii()
        inside = self.inside.value if self.inside.value is not None else 0.0
        if self.inside.value is None or self.inside.text == "":
            inside = self._default_inside(face)
        reading = side_reading(job, self.active, face, real)
        found = edge(reading, "low" if face in ("left", "front") else "high", told, inside, unit)
        axis = "x" if face in ("left", "right") else "y"
        self._say_result(
            found,
            f"{axis.upper()} of {self.active}; shift {show_length(found.shift, unit)}",
            (self.active, axis, found.value),
        )

    def touch_both(self, axis: str) -> None:
        """Opposite faces, and the middle between them: the finder's size falls out."""
        job = self.document.table_job
        if job is None:
            return
        real, _told = self._radii()
        faces: tuple[Face, Face] = ("left", "right") if axis == "x" else ("front", "back")
        low, high = (side_reading(job, self.active, f, real) for f in faces)
        found = middle(low, high, self.document.units)
        self._say_result(
            found, f"{axis.upper()} of {self.active} in the middle of the block", (self.active, axis, found.value)
        )

    def touch_two(self) -> None:
        """Two points along the front face: how the part lies turned about Z."""
        job = self.document.table_job
        if job is None:
            return
        real, _told = self._radii()
        x0, _y0, x1, _y1 = plan_of(stock_at(job, self.active)).bounds
        ends = []
        for share in (0.2, 0.8):
            ends.append((x0 + share * (x1 - x0), side_reading(job, self.active, "front", real, share)))
        angle = turn(ends[0], ends[1])
        unit = self.document.units
        said = "; ".join(f"X {show_length(x, unit)} Y {show_length(y, unit)}" for x, y in ends)
        self.said.setText(
            f"Touched at {said}.<br>The part lies turned by <b>{angle:.4f}\u00b0</b>: the angle whose tangent is "
            f"{show_length(ends[1][1] - ends[0][1], unit, sign=True)} over {show_length(ends[1][0] - ends[0][0], unit)}."
        )
        self._apply = ("rotation", "", round(angle, 6))
        self.take.setText(f"Turn the program by {angle:.4f}\u00b0 in the control")
        self.take.show()

    def touch_all(self) -> None:
        """Left, front and top in one go, with the figures as they stand; each is set."""
        for face in ("left", "front", "top"):
            job = self.document.table_job
            if face == "top" and (job is None or job.bench.really_in_spindle(self.number) is None):
                continue
            self.inside.show_value(
                self._default_inside(face) if face != "top" else self.inside.value, self.document.units
            )
            self.touch(face)  # type: ignore[arg-type]
            self.apply()

    def measure_tool(self) -> None:
        """The tool in the spindle on the tool setter."""
        job = self.document.table_job
        if job is None:
            return
        self._say_answer(touched_setter(job, self.number, self.document.units))

    # -- the answer ----------------------------------------------------------------------------------------------------

    def _say_answer(self, answer: Answer | str) -> None:
        if isinstance(answer, str):
            self._say_result(None, answer, None)
            return
        self._say_result(answer.found, answer.said, (answer.name, "z" if answer.group == "work" else "", answer.value))
        if answer.group == "touched":
            shown = show_length(answer.found.value, self.document.units)
            self.take.setText(f"Touch Z off with {answer.name}: {shown}")

    def _say_result(self, found: Sum | None, what: str, apply: tuple[str, str, float] | None) -> None:
        self.result, self._apply = found, apply
        if found is None:
            self.said.setText(html.escape(what))
            self.take.hide()
            return
        self.said.setText(
            f"{html.escape(what[:1].upper() + what[1:])}<br>"
            f"<span style=\"font-family:'JetBrains Mono'\">{html.escape(found.said)}</span>"
        )
        assert apply is not None
        name = apply[0] + (f" {apply[1].upper()}" if apply[1] else "")
        self.take.setText(f"Set {name} to {show_length(apply[2], self.document.units)} in the control")
        self.take.show()

    def apply(self) -> None:
        """Set the register to what came out."""
        job = self.document.table_job
        if job is None or self._apply is None:
            return
        name, axis, value = self._apply

        def put(edit: JobEdit) -> None:
            if name == "rotation":
                edit.put(value, "start", "rotation")
            elif name[0] == "H":
                put_register(edit, job, "length", name, value)
            elif name[0] == "T":
                edit.put(as_figure(value, job.units), "registers", "touched", name)
            else:
                held = job.registers.work.get(name) or (0.0, 0.0, 0.0)
                at = [value if a == axis else v for a, v in zip("xyz", held)]
                edit.put({a: as_figure(v, job.units) for a, v in zip("xyz", at)}, "registers", "work", name)

        why = self.change(put, f"touched off {name}" + (f" {axis.upper()}" if axis else ""))
        if why:
            self.said.setText(html.escape(why))
        else:
            done = f"{name}{' ' + axis.upper() if axis else ''} is set"
            self.take.setText(f"Z is touched off with {name}" if name[0] == "T" else done)
            self._apply = None

    # -- showing -------------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        job = self.document.table_job
        if job is None:
            return
        super().refresh()
        unit, p = self.document.units, self.palette_
        names = [n for n in OFFSETS_IN_ORDER if n in job.bench.zero or n in job.registers.work] or ["G54"]
        now = self.offset.currentData() or job.start.offset or "G54"
        self.offset.clear()
        for name in names:
            self.offset.addItem(name, name)
        self.offset.setCurrentIndex(max(self.offset.findData(now), 0))
        chosen = self.tool.currentData()
        self.tool.clear()
        for number, tool in job.bench.tools.items():
            self.tool.addItem(f"T{number} {tool.name}", number)
        self.tool.setCurrentIndex(max(self.tool.findData(chosen), 0))
        side, top, setter = self.device in ("finder", "tool"), self.device == "block", self.device == "setter"
        self.size.setVisible(side)
        self.inside.setVisible(side)
        self.block.setVisible(top)
        self.to_come.setVisible(top)
        for face, button in self.face_buttons.items():
            button.setVisible(top if face == "top" else side)
        for button in (self.both_x, self.both_y, self.two):
            button.setVisible(side)
        self.all.setVisible(side)
        self.measure.setVisible(setter)
        if self.device == "tool" and not self.size.edit.hasFocus():
            self.size.show_value(2.0 * job.registers.radius.get(self.number, 0.0), unit)
        elif self.device == "finder" and not self.size.edit.hasFocus() and not self.size.edit.isModified():
            self.size.show_value(_FINDER_MM, unit)
        self.inside.show_value(self.inside.value, unit, hint="as the drawing says")
        self.block.show_value(self.block.value, unit)
        if self.to_come.value is None:
            self.to_come.show_value(self._default_inside("top"), unit)
        self.to_come.show_value(self.to_come.value, unit)
        held = job.registers.length.get(self.number)
        z_by = job.z_by
        off = f"The control takes off H{self.number} = {show_length(held, unit) if held is not None else 'nothing, it is not set'}."
        if z_by == "each-tool":
            off = "Nothing is taken off: Z is touched anew with each tool, and holds for that tool alone."
        elif z_by == "to-part":
            off = "Nothing is taken off: H is how far down it is to the part's zero with this tool."
        hints = {
            "finder": f"The simulated finder is {show_length(_FINDER_MM, unit)} in diameter; the control uses the diameter you type.",
            "tool": "The real tool touches; the control reckons with the diameter that is typed.",
            "block": off,
            "setter": f"The setter's face is at machine Z {show_length(setter_top(job), unit)}, {show_length(60.0, unit)} above the table.",
        }
        self.hint.setText(f'<span style="color:{p.quiet}">{hints[self.device]}</span>')
