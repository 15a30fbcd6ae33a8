"""At a stop of a turned job: measure a diameter as the cut stands, say what is wanted, correct the wear, and go on."""

from __future__ import annotations

import html

import numpy as np
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from underglass.app.document import Document
from underglass.app.parts.basic import label
from underglass.app.parts.number_field import NumberField
from underglass.app.prove.page import ProvePage
from underglass.app.style.palette import Palette
from underglass.core.errors import UnderGlassError
from underglass.core.files.job_edit import add_at_stop, drop_at_stop
from underglass.core.proof.stops import Stop, stops
from underglass.core.trades.turning.trial import Measured, correction, measured
from underglass.core.units import show_clock, show_length

_AT_S = 1e-6


class LatheStopPage(ProvePage):
    """About the stop at this moment, or the next one."""

    def __init__(self, document: Document, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(document, palette, parent)
        self.found: tuple[Stop, ...] = ()
        self.there: tuple[Measured, ...] = ()
        self.said.linkActivated.connect(lambda link: document.set_moment(float(link)))
        self.form = QWidget()
        box = QVBoxLayout(self.form)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(6)
        self.at = NumberField("Measure at Z")
        self.wanted = NumberField("Wanted diameter")
        self.choice = QComboBox()
        self.choice.setAccessibleName("The diameter that was measured")
        self.choice.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.choice.setMinimumContentsLength(12)
        self.choice.activated.connect(lambda _k: self._sum())
        for field in (self.at, self.wanted):
            field.set_palette(palette)
            field.typed.connect(lambda _v: self._look())
        self.why = label(quiet=True, pixels=12)
        self.why.setWordWrap(True)
        self.correct = QPushButton("Correct the wear")
        self.correct.clicked.connect(self._on_correct)
        self.back = QPushButton("Take it back")
        self.back.clicked.connect(self._on_back)
        row = QHBoxLayout()
        row.addWidget(self.correct, 1)
        row.addWidget(self.back, 1)
        for widget in (self.at, self.choice, self.wanted, self.why):
            box.addWidget(widget)
        box.addLayout(row)
        self.box.addWidget(self.said)
        self.box.addWidget(self.form)
        self.box.addStretch(1)
        self.at.show_value(-5.0, document.units)
        document.moment_changed.connect(self.later)

    @property
    def stop(self) -> Stop | None:
        """The stop at this moment, or the next one, or the last."""
        moment = self.document.moment
        return next((s for s in self.found if s.time_s >= moment - _AT_S), self.found[-1] if self.found else None)

    def refresh(self) -> None:
        proof = self.document.proof
        self.found = stops(proof) if proof is not None else ()
        stop = self.stop
        self.form.setVisible(stop is not None)
        if proof is None or stop is None:
            self.said.setText(self.quiet("The program has no stop. Write M0, or M1, where the cut is to be measured."))
            return
        rows: list[tuple[str, ...]] = []
        for s in self.found:
            link = f'<a href="{s.time_s}" style="color:{self.palette_.active}">line {s.line}</a>'
            told = "; ".join(
                f"T{n} X {show_length(2.0 * w[0], self.document.units, sign=True)} Z {show_length(w[2], self.document.units, sign=True)}"
                for a in s.told for n, w in a.wear.items()
            )  # fmt: skip
            here = "<b>here</b>" if s is stop else ""
            rows.append((f"{'M1' if s.optional else 'M0'} {link} {here}", html.escape(told) or show_clock(s.time_s)))
        self.said.setText(self.head("Stops") + self.table(rows))
        self._look()

    def _before(self) -> int:
        proof, stop = self.document.proof, self.stop
        if proof is None or stop is None:
            return 0
        return next((e.before for e in proof.motions.events if e.number == stop.number and "stop" in e.kind), 0)

    def _look(self) -> None:
        """What stands at that Z."""
        proof, z = self.document.proof, self.at.value
        self.there = measured(proof, self._before(), z) if proof is not None and z is not None else ()
        unit = self.document.units
        chosen = self.choice.currentIndex()
        self.choice.clear()
        for m in self.there:
            by = f"offset {m.offset}, line {m.line}" if m.offset else "uncut"
            self.choice.addItem(f"\u00d8 {show_length(m.diameter, unit)} {'bore' if m.bore else 'outside'}, {by}")
        if self.there:
            self.choice.setCurrentIndex(int(np.clip(chosen, 0, len(self.there) - 1)))
        self._sum()

    @property
    def taken(self) -> Measured | None:
        k = self.choice.currentIndex()
        return self.there[k] if 0 <= k < len(self.there) else None

    def _sum(self) -> None:
        found, wanted = self.taken, self.wanted.value
        if found is None:
            self.why.setText("Nothing stands at this Z.")
        elif not found.offset:
            self.why.setText("No tool has cut here yet.")
        elif wanted is None:
            self.why.setText("Say which diameter is wanted.")
        else:
            self.why.setText(correction(found, wanted, self.document.units).said)
        self.correct.setEnabled(found is not None and bool(found.offset) and wanted is not None)
        stop = self.stop
        self.back.setEnabled(stop is not None and bool(stop.told))

    def _on_correct(self) -> None:
        job, stop, found, wanted = self.document.job, self.stop, self.taken, self.wanted.value
        if job is None or stop is None or found is None or wanted is None:
            return
        total = correction(found, wanted, self.document.units)
        try:
            edit = self.document.job_edit()
            add_at_stop(edit, job, stop.number, f"T{found.offset}", total.value, "x", total.said)
            self.document.change_job(edit.text, f"corrected offset {found.offset} at stop {stop.number}")
        except UnderGlassError as error:
            self.why.setText(str(error))

    def _on_back(self) -> None:
        stop = self.stop
        if stop is None:
            return
        try:
            edit = self.document.job_edit()
            drop_at_stop(edit, stop.number)
            self.document.change_job(edit.text, f"took back what was corrected at stop {stop.number}")
        except UnderGlassError as error:
            self.why.setText(str(error))

    def set_palette(self, palette: Palette) -> None:
        super().set_palette(palette)
        for field in (self.at, self.wanted):
            field.set_palette(palette)
