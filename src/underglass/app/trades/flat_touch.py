"""The zero of a sheet, taken step by step: from a corner, an edge or a mark, with the pointer's spot or with the cutter itself."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QPushButton

from underglass.app.document import Document
from underglass.app.parts.number_field import NumberField
from underglass.app.setup.sums import show_sums
from underglass.app.style.palette import Palette
from underglass.app.trades.flat_pages import FlatPage
from underglass.core.files.job_edit import JobEdit
from underglass.core.machine.habits import HABITS
from underglass.core.proof.bench_rows import as_written
from underglass.core.proof.flat_touch import SPOTS, Spot, reading, spot, sums
from underglass.core.reckon.touching import Sum


class FlatTouchPage(FlatPage):
    """Where to go, what that place is in the part, the reading with its sum, and what the control is told."""

    def __init__(self, document: Document, palette: Palette) -> None:
        super().__init__(document, palette)
        self.where, self.tip = SPOTS[0][0], "pointer"
        self.result: dict[str, Sum] = {}
        self._for: object = None
        grid = self.grid()
        holder, self.list = self.choice(
            "1  Go to", lambda: [(w, n) for n, w in SPOTS], lambda: self.where, lambda _e, _v: None
        )
        self.list.activated.disconnect()
        self.list.activated.connect(lambda _k: self.choose(str(self.list.currentData())))
        self.put(grid, holder, 0)
        holder, self.by = self.choice("With", self._tips, lambda: self.tip, lambda _e, _v: None)
        self.by.activated.disconnect()
        self.by.activated.connect(lambda _k: self.take_tip(str(self.by.currentData())))
        self.put(grid, holder, 1)
        self.x, self.y = NumberField("2  It is X in the part"), NumberField("and Y in the part")
        for k, field in enumerate((self.x, self.y), 2):
            field.set_palette(palette)
            self._palette_parts.append(field.set_palette)
            self.put(grid, field, k)
        self.read, self.take = QPushButton("3  Read the machine there"), QPushButton("")
        self.read.clicked.connect(self.read_there)
        self.take.clicked.connect(self.tell)
        row = QHBoxLayout()
        row.addWidget(self.read)
        row.addStretch(1)
        self.box.addLayout(row)
        self.said = self.say()
        last = QHBoxLayout()
        last.addWidget(self.take)
        last.addStretch(1)
        self.box.addLayout(last)
        self.box.addStretch(1)

    def _tips(self) -> list[tuple[str, str]]:
        tool = "The punch" if self.sheet is not None and self.sheet.punches else "The cutter itself"
        return [*([("The pointer's spot", "pointer")] if self._pointer_of() else []), (tool, "cutter")]

    def _pointer_of(self) -> tuple[float, float] | None:
        job = self.job
        found = HABITS[job.trade.name].pointer if job is not None and job.trade.name in HABITS else None
        return (found[0], found[1]) if found is not None else None

    @property
    def pointer(self) -> tuple[float, float]:
        """From the cutter to what is held over the place, mm."""
        return (self._pointer_of() or (0.0, 0.0)) if self.tip == "pointer" else (0.0, 0.0)

    def choose(self, where: str) -> None:
        """Another place to go to: its figures are what it really is, until somebody says otherwise."""
        self.where, self.result = where, {}
        self._begin()
        self.refresh()

    def take_tip(self, tip: str) -> None:
        """With the pointer's spot, or with the cutter."""
        self.tip, self.result = tip, {}
        self.refresh()

    def _begin(self) -> None:
        if self.sheet is None:
            return
        for field, value in zip((self.x, self.y), spot(self.sheet, self.where)):
            field.show_value(value, self.document.units)
            field.setEnabled(value is not None)

    def refresh(self) -> None:
        job = self.job
        if job is not None and self._for != (job.file, job.units):
            self._for, self.result = (job.file, job.units), {}
            if self._pointer_of() is None:
                self.tip = "cutter"
            self._begin()
        super().refresh()
        self._tell()

    def _told(self) -> Spot:
        at = None if self.sheet is None else spot(self.sheet, self.where)
        x = self.x.value if at is not None and at.x is not None else None
        y = self.y.value if at is not None and at.y is not None else None
        return Spot(x, y)

    def read_there(self) -> None:
        """What is held over the place; the machine is read and the sum made."""
        job, sheet = self.job, self.sheet
        if job is None or sheet is None:
            return
        told = self._told()
        self.result = sums(job, reading(sheet, self.where, told, self.pointer), told, self.pointer)
        self._tell()

    def tell(self) -> None:
        """The sums go into the control's work offset; the axis that was not read stays as it is."""
        job, result = self.job, dict(self.result)
        if job is None or not result:
            return
        name = self._offset()

        def work(edit: JobEdit) -> None:
            held = job.registers.work.get(name, (0.0, 0.0, 0.0))
            figures = {axis: result[axis].value if axis in result else held[k] for k, axis in enumerate("xy")}
            edit.put({axis: as_written(job, value) for axis, value in figures.items()}, "registers", "work", name)

        if not self.do(work, f"took {name} from the {self.where}"):
            self.result = {}
            self._tell()

    def _offset(self) -> str:
        job = self.job
        return next(iter(job.bench.zero), "G54") if job is not None else "G54"

    def _tell(self) -> None:
        show_sums(
            self.said, self.take, self.result, self.document.units, self.palette_, put=f"4  Put {{}} into {self._offset()}", nothing="Nothing read yet",
            hint="Until something is read here, the control holds what its side of the table shows.",
        )  # fmt: skip
