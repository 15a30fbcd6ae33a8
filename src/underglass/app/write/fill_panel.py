"""Fill-in operations beside the text: a form becomes blocks, and blocks made by a form open as it again."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from underglass.app.document import Document
from underglass.app.parts.basic import label
from underglass.app.parts.form_view import FormView
from underglass.app.style.palette import Palette
from underglass.core.bench.tool import Tool
from underglass.core.compose.operation import Found, Operation, find_at
from underglass.core.compose.shop import ShopTexts, filled, program_number, values_for
from underglass.core.proof.complete import advised
from underglass.core.proof.standing import Standing
from underglass.core.reckon.form import CannotBe, plain
from underglass.core.trades.milling.operations.all import OPERATIONS
from underglass.core.units import from_mm


class FillPanel(QWidget):
    """``write_asked`` brings blocks for below the cursor; ``rewrite_asked`` (first, last, blocks) for lines that are there."""

    write_asked = Signal(object)
    rewrite_asked = Signal(int, int, object)
    trouble = Signal(str)

    def __init__(self, document: Document, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._palette = palette
        self._standing: Standing | None = None
        self.found: Found | None = None
        self.opened: Found | None = None
        self.shop = ShopTexts()
        self.choice = QComboBox()
        self.choice.setAccessibleName("Operation")
        for operation in OPERATIONS:
            self.choice.addItem(operation.name, operation.sign)
        self.tool = QComboBox()
        self.tool.setAccessibleName("Tool from the bench")
        self.about = label(quiet=True, pixels=12)
        self.about.setWordWrap(True)
        self.form = FormView(palette)
        self.form.answered.connect(self._on_answered)
        self.open = QPushButton("Open it here")
        self.open.clicked.connect(self.open_found)
        self.there = label(pixels=12)
        self.there.setWordWrap(True)
        self.with_tool = QCheckBox("tool in before, tool out after")
        self._other_tool = False
        self.tool_said = label(pixels=12)
        self.tool_said.setWordWrap(True)
        self.tool_said.setContentsMargins(12, 4, 12, 0)
        self.tool_said.hide()
        self.with_tool.toggled.connect(lambda _on: self._look_at_tool())
        self.with_tool.setToolTip("Put the shop's own texts for a tool around it")
        self.write = QPushButton("Write it")
        self.write.setProperty("strong", True)
        self.write.clicked.connect(self.ask_write)
        top = QHBoxLayout()
        top.setContentsMargins(12, 8, 12, 4)
        top.setSpacing(6)
        top.addWidget(self.choice, 1)
        top.addWidget(self.tool, 1)
        self._found_row = QWidget()
        found = QHBoxLayout(self._found_row)
        found.setContentsMargins(12, 2, 12, 6)
        found.addWidget(self.there, 1)
        found.addWidget(self.open)
        foot = QHBoxLayout()
        foot.setContentsMargins(12, 8, 12, 8)
        foot.addWidget(self.with_tool, 1)
        foot.addWidget(self.write)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addLayout(top)
        box.addWidget(self._found_row)
        box.addWidget(self.form, 1)
        box.addWidget(self.tool_said)
        box.addLayout(foot)
        self._by_sign = {op.sign: op for op in OPERATIONS}
        self.choice.currentIndexChanged.connect(lambda _i: self._on_chosen())
        self.tool.activated.connect(lambda _i: self.take_tool())
        document.job_changed.connect(self._on_job_changed)
        document.proof_changed.connect(self._on_proof_changed)
        self._on_chosen()
        self._look()

    @property
    def operation(self) -> Operation:
        return self._by_sign[str(self.choice.currentData())]

    def choose(self, name: str) -> None:
        """Show an operation by name."""
        self.choice.setCurrentIndex(self.choice.findData(name.upper()))

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        self.form.set_palette(palette)
        self._look()

    def _on_chosen(self) -> None:
        self.opened = None
        self.form.show_form(self.operation, self.form.unit)
        self.choice.setToolTip(self.operation.about)
        self._begin()

    # -- tool and material -------------------------------------------------------------------------------------------

    def _on_job_changed(self) -> None:
        self.opened = self.found = None
        self.tool.clear()
        job = self._document.job
        if job is None:
            return
        for number, tool in sorted(job.bench.tools.items()):
            self.tool.addItem(f"T{number} {tool.name}", number)
        self.form.set_unit(job.units)
        self._begin()

    def _on_proof_changed(self) -> None:
        """A bare program's tools are guessed: another one called is another one here."""
        job = self._document.job
        known = [self.tool.itemData(k) for k in range(self.tool.count())]
        if job is not None and job.guessed and sorted(job.bench.tools) != known:
            chosen = self.tool.currentData()
            self.tool.clear()
            for number, tool in sorted(job.bench.tools.items()):
                self.tool.addItem(f"T{number} {tool.name}", number)
            self.tool.setCurrentIndex(max(self.tool.findData(chosen), 0))

    def _begin(self) -> None:
        """What the form most likely is about: the stock's outline and middle, and a tool that fits."""
        if self._document.job is None or not self.tool.count():
            return
        self._start_from_stock()
        facing = self.operation is OPERATIONS[0]
        tools = [(k, tool) for k in range(self.tool.count()) if (tool := self._tool_at(k)) is not None]
        kinds = ("face-mill",) if facing else ("end-mill", "slot-drill", "bull-nose")
        entered = self.form.entered
        try:
            room = min(float(entered.get(k, "1e9")) for k in ("wide", "long", "dia")) * 0.6
        except ValueError:
            room = 1e9
        fits = [(tool.DC, k) for k, tool in tools if tool.kind in kinds and (facing or room >= tool.DC)]
        mills = [(tool.DC, k) for k, tool in tools if "mill" in tool.kind or tool.kind == "slot-drill"]
        self.tool.setCurrentIndex(max(fits or mills or [(0.0, 0)])[1])
        self.take_tool()

    def _tool_at(self, index: int) -> Tool | None:
        job, number = self._document.job, self.tool.itemData(index)
        return job.bench.tools.get(number) if job is not None and number is not None else None

    def take_tool(self) -> None:
        """T, diameter, speeds and feeds of the tool chosen, for the stock's material."""
        job, tool = self._document.job, self._tool_at(self.tool.currentIndex())
        if job is None or tool is None:
            return
        entered = {"t": str(tool.number), "d": plain(from_mm(tool.DC, self.form.unit), 4)}
        good = advised(tool, job.bench.cuts_like, job.bench.machine.spindle_max)
        if good is not None:
            rpm, feed, _fz = good
            inch = self.form.unit == "inch"
            entered["s"] = f"{rpm:.0f}"
            entered["f"] = plain(from_mm(feed, "inch"), 1) if inch else f"{round(feed, -1):.0f}"
            entered["fdown"] = plain(from_mm(feed, "inch") / 3, 1) if inch else f"{round(feed / 3, -1):.0f}"
        if "corner" in entered or "corner" in self.form.entered:
            least = from_mm(tool.DC, self.form.unit) / 2.0
            try:
                if float(self.form.entered["corner"]) < least:
                    entered["corner"] = plain(least, 4)
            except (KeyError, ValueError):
                pass
        if not tool.centre_cutting and self.form.entered.get("way") == "plunge":
            entered["way"] = "helix"
        self.form.enter(entered)

    def _start_from_stock(self) -> None:
        """What a face or a pocket most likely means on this stock: its outline, its top, its middle."""
        job = self._document.job
        stocks = job.bench.stocks if job is not None else ()
        if not stocks or job is None:
            return
        solid, unit = stocks[0], self.form.unit
        wide, deep, high = solid.extent
        local = np.array([(x, y, high) for x in (0.0, wide) for y in (0.0, deep)])
        corners = job.bench.part_zero.into(solid.frame.out(local))
        (a, b, _z), (c, d, top) = corners.min(axis=0), corners.max(axis=0)

        def said(value: float) -> str:
            return plain(from_mm(float(value), unit), 4)

        starts = {
            "x0": said(a), "y0": said(b), "x1": said(c), "y1": said(d), "cx": said((a + c) / 2), "cy": said((b + d) / 2),
        } | ({"top": said(top), "bottom": "0" if top > 0.0 else said(top - 1.0)} if self.operation.sign == "FACING" else {})  # fmt: skip
        self.form.enter({k: v for k, v in starts.items() if k in {f.key for f in self.operation.fields}})

    # -- the text ----------------------------------------------------------------------------------------------------

    def set_standing(self, standing: Standing | None) -> None:
        """What is in force at the cursor."""
        self._standing = standing
        if standing is not None and self.opened is None:
            self.form.set_unit(standing.unit)
        self._look_at_tool()

    def look(self, line: int) -> None:
        """Whether a line (from 1) is in text that a form made."""
        self.found = find_at(self._document.lines, line - 1, OPERATIONS) if self._document.job is not None else None
        if self.opened is not None and (self.found is None or self.found.operation is not self.opened.operation):
            self.opened = None
        elif self.opened is not None:
            self.opened = self.found
        self._look()

    def _look(self) -> None:
        found = self.found
        self._found_row.setVisible(found is not None)
        if found is not None:
            edited = found.edited
            said = f"Lines {found.first + 1} to {found.last + 1}: {found.operation.name.lower()}, made by form"
            self.there.setText(said + (", changed by hand since" if edited else ""))
            self.there.setStyleSheet(f"color: {self._palette.caution if edited else self._palette.quiet};")
            self.open.setVisible(self.opened is None)
        over = self.opened is not None
        self.write.setText(
            "Write over the hand edits"
            if over and self.opened is not None and self.opened.edited
            else "Write it again"
            if over
            else "Write it"
        )
        self.with_tool.setVisible(not over)

    def open_found(self) -> None:
        """The form as it was when the text under the cursor was made."""
        if self.found is None:
            return
        found = self.found
        self.choice.blockSignals(True)
        self.choice.setCurrentIndex(self.choice.findData(found.operation.sign))
        self.choice.blockSignals(False)
        self.opened = found
        self.form.show_form(found.operation, self.form.unit, found.entered)
        number = found.entered.get("t", "")
        if number.isdigit():
            self.tool.setCurrentIndex(self.tool.findData(int(number)))
        self._look()

    def _look_at_tool(self) -> None:
        """Whether the tool of the form is the one in the spindle where it would be written; said where it is not."""
        stand, wanted = self._standing, self.form.entered.get("t", "")
        other = stand is not None and wanted.isdigit() and stand.after.tool != int(wanted) and self.opened is None
        if stand is not None and other != self._other_tool:
            self.with_tool.setChecked(other)
        self._other_tool = other
        there = (
            f"T{stand.after.tool} is in the spindle here"
            if stand is not None and stand.after.tool
            else "no tool is in the spindle here"
        )
        self.tool_said.setText(
            f"{there}, the form is for T{wanted}"
            + ("" if self.with_tool.isChecked() else ": it would be cut with the wrong one")
            if other
            else ""
        )
        self.tool_said.setVisible(bool(other))
        self.tool_said.setStyleSheet(
            f"color: {self._palette.quiet if self.with_tool.isChecked() else self._palette.fault};"
        )

    def _on_answered(self) -> None:
        self._look_at_tool()
        self.write.setEnabled(self.form.answer is not None and self._document.job is not None)

    def ask_write(self) -> None:
        """Write the blocks below the cursor, or over those that were opened."""
        entered, unit = self.form.entered, self.form.unit
        try:
            blocks = self.operation.text(entered, unit)
            if self.opened is not None:
                self.rewrite_asked.emit(self.opened.first, self.opened.last, blocks)
                return
            if self.with_tool.isChecked():
                tool = self._tool_at(self.tool.currentIndex())
                safe = next((f.read(entered["safe"], unit) for f in self.operation.fields if f.key == "safe"), 25.0)
                number = int(entered["t"]) if entered["t"].isdigit() else 1
                values = values_for(
                    unit, tool=number, tool_name=tool.name if tool is not None and tool.number == number else "",
                    speed=entered["s"], safe=float(safe) if isinstance(safe, float) else 25.0,
                    title=self._document.job.title if self._document.job else "", blocks=blocks[3:],
                    program=program_number(self._document.lines, self._document.source.name),
                )  # fmt: skip
                blocks = (*filled(self.shop.tool_start, values), *blocks, *filled(self.shop.tool_end, values))
        except CannotBe as problem:
            self.trouble.emit(str(problem))
            return
        self.write_asked.emit(blocks)


def shop_file(settings_file: str) -> Path:
    """Where the shop's own texts are kept: beside the settings."""
    return Path(settings_file).parent / "shop.toml"
