"""At a program stop: measure the cut, correct a register from measured and wanted, shift an axis, and go on."""

from __future__ import annotations

import html

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from underglass.app.document import Document
from underglass.app.parts.basic import label, rule
from underglass.app.parts.number_field import NumberField
from underglass.app.prove.page import ProvePage
from underglass.app.style.palette import Palette
from underglass.core.errors import UnderGlassError
from underglass.core.files.job_edit import add_at_stop, drop_at_stop
from underglass.core.proof.stops import Stop, stops
from underglass.core.reckon.correcting import SIZES, Size, length_change, radius_change
from underglass.core.reckon.touching import Sum
from underglass.core.units import show_clock, show_length

_AT_S = 1e-6
_NOT_STOPPED = "The program has no stop. Write M0, or M1, where the cut is to be measured; the tape then holds there."


class StopPage(ProvePage):
    """About the stop at this moment, or the next one."""

    measure_asked = Signal(str)
    go_on_asked = Signal()

    def __init__(self, document: Document, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(document, palette, parent)
        self.found: tuple[Stop, ...] = ()
        self.taken: float | None = None
        """What was measured last in the glass, mm."""
        self.sum: Sum | None = None
        self.said.linkActivated.connect(lambda link: document.set_moment(float(link)))
        self.form = QWidget()
        form = self._rows()
        self.form.setLayout(form)
        self.box.addWidget(self.said)
        self.box.addWidget(self.form)
        self.box.addStretch(1)
        document.moment_changed.connect(self.later)

    def _rows(self) -> QVBoxLayout:
        box = QVBoxLayout()
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(6)
        self.size = QComboBox()
        self.size.setAccessibleName("What was measured")
        self.size.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.size.setMinimumContentsLength(12)
        for name, words in SIZES:
            self.size.addItem(words, name)
        self.measured, self.wanted = NumberField("Measured"), NumberField("Wanted")
        self.take = QPushButton("Measure it")
        self.take.setToolTip("Measure in the glass, as the cut stands; the figure comes here")
        self.take.clicked.connect(self._on_take)
        figures = QHBoxLayout()
        figures.addWidget(self.measured, 1)
        figures.addWidget(self.wanted, 1)
        self.register = QComboBox()
        self.register.setAccessibleName("The register to correct")
        self.why = label(quiet=True, pixels=12)
        self.why.setWordWrap(True)
        self.correct = QPushButton("Correct it here")
        self.correct.clicked.connect(self._on_correct)
        buttons = QHBoxLayout()
        buttons.addWidget(self.register, 1)
        buttons.addWidget(self.correct, 1)
        self.axis = QComboBox()
        for name in "XYZ":
            self.axis.addItem(name)
        self.axis.setAccessibleName("The axis to shift")
        self.by = NumberField("Shift the axis by")
        self.by.typed.connect(lambda _v: self._look())
        self.shift = QPushButton("Shift")
        self.shift.clicked.connect(self._on_shift)
        hand = QHBoxLayout()
        hand.addWidget(self.axis)
        hand.addWidget(self.by, 1)
        hand.addWidget(self.shift)
        self.back = QPushButton("Take it back")
        self.back.setToolTip("Drop all that is corrected at this stop")
        self.back.clicked.connect(self._on_back)
        self.go_on = QPushButton("Go on")
        self.go_on.setProperty("strong", True)
        self.go_on.clicked.connect(self.go_on_asked.emit)
        last = QHBoxLayout()
        last.addWidget(self.back, 1)
        last.addWidget(self.go_on, 1)
        self.trouble = label(pixels=12)
        self.trouble.setProperty("fault", True)
        self.trouble.setWordWrap(True)
        for part in (self.size, self.take):
            box.addWidget(part)
        box.addLayout(figures)
        box.addLayout(buttons)
        box.addWidget(self.why)
        box.addWidget(rule())
        box.addLayout(hand)
        box.addWidget(self.trouble)
        box.addLayout(last)
        self.size.activated.connect(lambda _k: self._look())
        self.register.activated.connect(lambda _k: self._look())
        for one in (self.measured, self.wanted):
            one.typed.connect(lambda _v: self._look())
        return box

    def set_palette(self, palette: Palette) -> None:
        super().set_palette(palette)
        for field in (self.measured, self.wanted, self.by):
            field.set_palette(palette)

    # -- which stop --------------------------------------------------------------------------------------------------

    @property
    def stop(self) -> Stop | None:
        """The stop at which the tape stands; None where it stands at none."""
        return next((s for s in self.found if abs(s.time_s - self.document.moment) < _AT_S), None)

    def refresh(self) -> None:
        proof, p = self.document.proof, self.palette_
        self.found = stops(proof) if proof is not None else ()
        stop = self.stop
        out = []
        if proof is None:
            out.append("Stops stand here when a program has been proved.")
        elif not self.found:
            out.append(_NOT_STOPPED)
        else:
            rows = []
            for s in self.found:
                name = f"{'M1' if s.optional else 'M0'} in line {s.line}, T{s.tool}"
                told = f' <span style="color:{p.belief}">corrected</span>' if s.told else ""
                link = f'<a href="{s.time_s!r}" style="color:{p.active}">{name}</a>{told}'
                rows.append((f"<b>{link}</b>" if s is stop else link, show_clock(s.time_s)))
            out.append(self.table(rows))
            if stop is None:
                out.append(
                    f"<p>{self.quiet('Choose a stop: the tape goes there, and the cut stands as it is then.')}</p>"
                )
            else:
                out += [self.head("Corrected here")] if stop.told else []
                out += [f"<p>{html.escape(line)}</p>" for line in self._told(stop)]
        self.said.setText("".join(out))
        self.form.setVisible(stop is not None)
        if stop is not None:
            self._offer_registers(stop)
            self._look()

    def _told(self, stop: Stop) -> list[str]:
        unit = self.document.units
        out = []
        for told in stop.told:
            out += [f"H{n} {show_length(v, unit, sign=True)}" for n, v in told.length.items()]
            out += [f"D{n} {show_length(v, unit, sign=True)} on the radius" for n, v in told.radius.items()]
            for name, by in told.work.items():
                axes = " ".join(f"{a} {show_length(v, unit, sign=True)}" for a, v in zip("XYZ", by) if v)
                out.append(f"{name} {axes}")
        return out

    def _offer_registers(self, stop: Stop) -> None:
        """Those that the program calls, the likeliest first."""
        proof = self.document.proof
        assert proof is not None
        height = self.size.currentData() == "height"
        uses = proof.motions.lengths_used if height else proof.motions.radii_used
        move, _share = proof.timing.locate(stop.time_s)
        # What is called after the stop comes first, and of that what this tool is called with: only that can still help.
        ranked = sorted(uses, key=lambda use: (use.before <= move, use.tool != stop.tool))
        offered = list(dict.fromkeys(f"{'H' if height else 'D'}{use.number}" for use in ranked if use.number))
        if offered != [self.register.itemText(k) for k in range(self.register.count())]:
            self.register.clear()
            self.register.addItems(offered)

    # -- sums --------------------------------------------------------------------------------------------------------

    def take_figure(self, value: float) -> None:
        """What was measured in the glass."""
        self.taken = value
        self.measured.show_value(value, self.document.units)
        self._look()

    def _on_take(self) -> None:
        size = self.size.currentData()
        self.measure_asked.emit(
            {"height": "point", "wall": "distance"}.get(size, "across" if size == "outside" else "round")
        )

    def _look(self) -> None:
        """The sum as it stands, and what can be done with it."""
        unit, stop = self.document.units, self.stop
        size: Size = self.size.currentData()
        if stop is not None:
            self._offer_registers(stop)
        for field in (self.measured, self.wanted, self.by):
            field.show_value(field.value, unit)
        m, w = self.measured.value, self.wanted.value
        self.sum = None
        if m is not None and w is not None:
            self.sum = length_change(m, w, unit) if size == "height" else radius_change(size, m, w, unit)
        none = (
            "No radius register is called by the program."
            if size != "height"
            else "No length register is called by the program."
        )
        said = self.sum.said if self.sum is not None else "Enter the measured and the wanted size."
        self.why.setText(said if self.register.count() else none)
        self.correct.setEnabled(self.sum is not None and self.register.count() > 0 and stop is not None)
        self.shift.setEnabled(bool(self.by.value) and stop is not None)
        self.back.setEnabled(stop is not None and bool(stop.told))

    # -- corrections -------------------------------------------------------------------------------------------------

    def _change(self, what: str, key: str, by: float, axis: str = "", note: str = "") -> None:
        job, stop = self.document.job, self.stop
        if job is None or stop is None:
            return
        edit = self.document.job_edit()
        try:
            add_at_stop(edit, job, stop.number, key, by, axis, note)
            self.document.change_job(edit.text, what)
        except UnderGlassError as error:
            self.trouble.setText(str(error))
            return
        self.trouble.setText("")

    def _on_correct(self) -> None:
        if self.sum is not None:
            register = self.register.currentText()
            self._change(f"corrected {register}", register, self.sum.value, note=self.sum.said)
            self.measured.show_value(None, self.document.units)

    def _on_shift(self) -> None:
        proof = self.document.proof
        if proof is None or not self.by.value:
            return
        offset = next(iter(proof.job.bench.zero), "G54")
        if len(proof.motions):
            offset = proof.motions.state_of(proof.timing.locate(self.document.moment)[0]).offset
        axis = self.axis.currentText().lower()
        self._change(f"shifted {offset} {axis.upper()}", offset, self.by.value, axis)
        self.by.show_value(None, self.document.units)

    def _on_back(self) -> None:
        stop = self.stop
        if stop is None:
            return
        edit = self.document.job_edit()
        drop_at_stop(edit, stop.number)
        try:
            self.document.change_job(edit.text, "took corrections back")
        except UnderGlassError as error:
            self.trouble.setText(str(error))
