"""Touching off a lathe's tools: on a turned diameter, on the face, or on the tool setter; the sum stands there before it is taken."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton

from underglass.app.document import Document
from underglass.app.parts.number_field import NumberField
from underglass.app.setup.own_place import OwnPage
from underglass.app.setup.sums import show_sums
from underglass.app.style.palette import Palette
from underglass.core.bench.lathe import LatheTool
from underglass.core.files.job_edit import JobEdit
from underglass.core.proof.bench_rows import as_written
from underglass.core.proof.job import Job
from underglass.core.reckon.touching import Sum
from underglass.core.trades.turning.cut import uncut
from underglass.core.trades.turning.lathe import lathe_of
from underglass.core.trades.turning.touching import from_part, from_setter, reading, setter_reading


class LatheTouchPage(OwnPage):
    """``shown`` says which tool it is about."""

    shown = Signal(int)

    def __init__(self, document: Document, palette: Palette) -> None:
        super().__init__(document, palette)
        self.number_chosen = 0
        self.result: dict[str, Sum] = {}
        self._for: object = None
        grid = self.grid()
        holder, self.list = self.choice(
            "Tool at work", self._stations, lambda: str(self.number_chosen), lambda _e, _v: None
        )
        self.list.activated.disconnect()
        self.list.activated.connect(lambda _k: self.choose(int(self.list.currentData() or 0)))
        self.put(grid, holder, 0, span=3)
        self.diameter, self.face = NumberField("Measured diameter"), NumberField("Z of the face")
        for k, field in enumerate((self.diameter, self.face)):
            field.set_palette(palette)
            self._palette_parts.append(field.set_palette)
            self.put(grid, field, 3 + k)
        row = QHBoxLayout()
        self.by_diameter, self.by_face, self.by_setter = (
            QPushButton("Touch the diameter"),
            QPushButton("Touch the face"),
            QPushButton("Tool setter"),
        )
        self.by_diameter.setToolTip("Turn or touch a diameter, measure it, and read the machine's X")
        self.by_face.setToolTip("Touch the face, and read the machine's Z")
        self.by_setter.setToolTip("Touch the sensor of the tool setter along both axes")
        for button, run in (
            (self.by_diameter, lambda: self.touch("x")),
            (self.by_face, lambda: self.touch("z")),
            (self.by_setter, self.touch_setter),
        ):
            button.clicked.connect(lambda _c=False, r=run: r())
            row.addWidget(button)
        row.addStretch(1)
        self.box.addLayout(row)
        self.said = self.say()
        self.take = QPushButton("")
        self.take.clicked.connect(self.tell)
        last = QHBoxLayout()
        last.addWidget(self.take)
        last.addStretch(1)
        self.box.addLayout(last)
        self.box.addStretch(1)

    def _stations(self) -> list[tuple[str, str]]:
        job = self.job
        names = job.bench.tool_names if job is not None else {}
        return [(f"T{n}  {name}", str(n)) for n, name in sorted(names.items())]

    def _tool(self) -> LatheTool | None:
        job = self.job
        return lathe_of(job.bench).tools.get(self.number_chosen) if job is not None else None

    def choose(self, number: int) -> None:
        """Another tool is at work."""
        self.number_chosen, self.result = number, {}
        self.refresh()
        self.shown.emit(number)

    def refresh(self) -> None:
        job = self.job
        if job is not None and self.number_chosen not in job.bench.tool_names:
            self.number_chosen = min(job.bench.tool_names, default=0)
            self.result = {}
        super().refresh()
        tool = self._tool()
        if job is not None and self._for != (job.file, job.units):
            # What there is to touch at first: the bar's own diameter and face.
            self._for = (job.file, job.units)
            shape = uncut(lathe_of(job.bench))
            if not shape.is_empty:
                self.diameter.show_value(2.0 * float(shape.bounds[2]), self.document.units)
                self.face.show_value(float(shape.bounds[3]), self.document.units)
        for button in (self.by_diameter, self.by_face, self.by_setter):
            button.setEnabled(tool is not None)
        self.by_diameter.setEnabled(tool is not None and not tool.on_axis)
        self._tell()

    def touch(self, axis: str) -> None:
        """The tip touches a known diameter or face of the part; the machine is read."""
        job, tool = self.job, self._tool()
        field = self.diameter if axis == "x" else self.face
        at = field.value
        if job is None or tool is None or at is None:
            return
        self.result[axis] = from_part(job, axis, reading(job, tool, axis, at), at)
        self._tell()

    def touch_setter(self) -> None:
        """The tip touches the tool setter along both axes."""
        job, tool = self.job, self._tool()
        if job is None or tool is None:
            return
        axes = ("z",) if tool.on_axis else ("x", "z")
        self.result = {axis: from_setter(job, axis, setter_reading(tool, axis)) for axis in axes}
        self._tell()

    def tell(self) -> None:
        """The sums go into the tool's offset."""
        job, number, result = self.job, self.number_chosen, dict(self.result)
        if job is None or not result:
            return

        def work(edit: JobEdit) -> None:
            _put_geometry(edit, job, number, {axis: one.value for axis, one in result.items()})

        if not self.do(work, f"touched off tool {number}"):
            self.result = {}
            self._tell()

    def _tell(self) -> None:
        show_sums(
            self.said, self.take, self.result, self.document.units, self.palette_, put=f"Put {{}} into offset {self.number_chosen}", nothing="Nothing touched yet",
            hint="The work offset is taken as the control holds it: a wrong one goes into every tool that is touched off on the part.",
        )  # fmt: skip


def _put_geometry(edit: JobEdit, job: Job, number: int, figures: dict[str, float]) -> None:
    """Into the offset's geometry; the other axis stays as the control has it."""
    held = job.registers.geometry.get(number, (0.0, 0.0, 0.0))
    both = {"x": 2.0 * held[0], "z": held[2]}
    for axis in both:
        # Wear stands apart from what is touched off.
        both[axis] -= (2.0 if axis == "x" else 1.0) * job.wear.get(f"{axis.upper()}{number}", 0.0)
    both |= figures
    edit.put({axis: as_written(job, value) for axis, value in both.items()}, "registers", "geometry", str(number))
