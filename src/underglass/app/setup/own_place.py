"""The place Setup of a trade that has a bench of its own: its pages and picture at the left, its rows at the right."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import ClassVar, Protocol

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QLabel, QStackedWidget, QVBoxLayout, QWidget

from underglass.app.document import Document
from underglass.app.parts.basic import rich
from underglass.app.setup.binding import SetupPage, at
from underglass.app.setup.rows_view import BELIEF, TRUTH, WEAR, RowsView
from underglass.app.setup.sides import Actions, Heads, Sides
from underglass.app.setup.stock_page import confirm
from underglass.app.setup.what_if import WhatIf
from underglass.app.style.palette import Palette
from underglass.core.files.job_edit import JobEdit
from underglass.core.files.setup_edit import SLIPS, Slip, slip
from underglass.core.proof.belief import Row
from underglass.core.proof.bench_rows import BenchRows, as_written
from underglass.core.proof.job import Job
from underglass.core.units import MM_PER_INCH


class OwnPage(SetupPage):
    """A page about a job of a trade that has a bench of its own."""

    @property
    def job(self) -> Job | None:
        job = self.document.job
        return job if job is not None and job.bench.more is not None else None

    def guesses(self, names: Callable[[], tuple[str, ...]], what: str) -> QLabel:
        """A line that says that what the page is about (``what``, as a person says it) is only guessed, and takes it for true on a click."""
        line = rich()
        self.box.addWidget(line)

        def refresh() -> None:
            job = self.job
            left = job is not None and bool(job.unconfirmed & set(names()))
            p = self.palette_
            line.setText(
                f'<span style="color:{p.caution}">\u25b3 {what[:1].upper()}{what[1:]}: guessed, not confirmed.</span> '
                f'<a style="color:{p.active}" href="confirm">Confirm</a>'
                if left
                else ""
            )
            line.setVisible(left)

        line.linkActivated.connect(lambda _link: self.do(lambda edit: confirm(edit, *names()), f"confirmed {what}"))
        self._refreshers.append(refresh)
        return line

    def figure(self, value: float) -> float:
        """mm as the job file writes it."""
        job = self.job
        return as_written(job, value) if job is not None else value

    def pair(self, path: tuple[str | int, ...], k: int) -> float | None:
        """One of the figures of a list, mm."""
        raw, job = at(self.document.job_data, path), self.job
        if not isinstance(raw, list) or job is None or k >= len(raw):
            return None
        return float(raw[k]) * (MM_PER_INCH if job.units == "inch" else 1.0)

    def put_pair(self, edit: JobEdit, path: tuple[str | int, ...], k: int, value: float, usual: list[float]) -> None:
        row = [float(v) for v in edit.get(*path) or usual]
        row[k] = self.figure(value)
        edit.put(row, *path)


class Picture(Protocol):
    """What is drawn of the bench."""

    def show_page(self, mode: str, number: int = 0) -> None: ...

    def set_palette(self, palette: Palette) -> None: ...


class OwnPlace(QWidget):
    """``trouble`` brings a sentence, ``line_chosen`` a line to look at.

    The trade says ``words`` of its pages and its ``bench_rows``, and makes ``pages`` and ``picture``.
    """

    trouble = Signal(str)
    line_chosen = Signal(int)

    words: ClassVar[tuple[tuple[str, str], ...]] = ()
    elsewhere: ClassVar[Mapping[str, str]] = {}
    """Pages of other benches, by the page here that is about the same."""
    modes: ClassVar[Mapping[str, str]] = {}
    """What the picture shows with a page; ``bench`` where nothing is said."""

    def __init__(
        self, document: Document, palette: Palette, pages: Mapping[str, SetupPage], picture: QWidget, bench_rows: BenchRows
    ) -> None:  # fmt: skip
        super().__init__()
        self.document = document
        self.palette_ = palette
        self.bench_rows = bench_rows
        self._rows: tuple[Row, ...] = ()
        self.page = next(iter(pages))
        self.pages, self.picture = dict(pages), picture
        self.table = RowsView(palette, self._on_entered)
        self.heads = Heads(self.table, palette)
        self.what_if = WhatIf(document, palette)
        self.actions_ = Actions()
        self.stack = QStackedWidget()
        for page in self.pages.values():
            self.stack.addWidget(page)
        self.sides = Sides(self.words, picture, self.stack, self.table, self.heads, self.actions_, self.what_if)
        self.sides.tabs.chosen.connect(self.choose)
        self.buttons = self.sides.tabs.buttons
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self.sides)
        self.actions_.tell_asked.connect(self.tell_control)
        self.actions_.believe_asked.connect(self.believe_control)
        self.actions_.slip_asked.connect(self.make_slip)
        self.table.chosen.connect(self._on_row_chosen)
        self.table.chosen.connect(self.what_if.show_row)
        self.what_if.set_asked.connect(
            lambda row, side, value: self._on_entered(row, BELIEF if side == "belief" else TRUTH, value)
        )
        self.what_if.line_chosen.connect(self.line_chosen)
        for page in self.pages.values():
            page.trouble.connect(self.trouble)
        for signal in (document.job_changed, document.setup_changed, document.proof_changed, document.units_changed):
            signal.connect(self.refresh)

    # -- what the trade says besides -------------------------------------------------------------------------------------

    @property
    def tool_chosen(self) -> int:
        """The tool that the pages are about; 0: none."""
        return 0

    def choose_tool(self, number: int) -> None:
        """The pages are about this tool now."""

    @property
    def mine(self) -> bool:
        """Whether the job is of this trade."""
        return self.job is not None

    # -- pages -------------------------------------------------------------------------------------------------------------

    @property
    def job(self) -> Job | None:
        return self.pages[self.page].job

    def choose(self, page: str) -> None:
        """Show a page and what belongs into the picture with it."""
        page = self.elsewhere.get(page, page)
        if page not in self.pages:
            page = next(iter(self.pages))
        self.page = page
        self.buttons[page].setChecked(True)
        self.stack.setCurrentWidget(self.pages[page])
        self.pages[page].refresh()
        self._show_picture()

    def _show_picture(self) -> None:
        self.picture.show_page(self.modes.get(self.page, "bench"), self.tool_chosen)  # type: ignore[attr-defined]

    def refresh(self) -> None:
        """Both sides as they stand. What is not seen is shown when one comes to it."""
        job = self.job
        if job is None or not self.mine or not self.isVisible():
            return
        self._rows = self.bench_rows.rows(job, self.document.proof)
        self.table.rows_model.heads = self.bench_rows.heads  # type: ignore[assignment]
        self.table.show_rows(self._rows, self.document.units)
        notes = [f"{r.key}: {r.note}" for r in self._rows if r.note]
        usual = "italic: as the bench" if any(r.follows for r in self._rows) else ""
        self.actions_.legend.setText(notes[0] if notes else usual)
        self.pages[self.page].refresh()
        self._show_picture()

    def showEvent(self, event: object) -> None:
        self.refresh()

    # -- the two sides -----------------------------------------------------------------------------------------------------

    def _on_row_chosen(self, row: Row | None) -> None:
        if row is not None and row.tool and row.tool != self.tool_chosen:
            self.choose_tool(row.tool)

    def _on_entered(self, row: Row, column: int, value: float) -> None:
        job, own = self.job, self.bench_rows
        if job is None:
            return
        put = {TRUTH: own.put_truth, BELIEF: own.put_belief, WEAR: own.put_wear}[column]
        side = {TRUTH: "on the bench", BELIEF: "in the control", WEAR: "wear"}[column]
        name = row.key + (f" {row.axis.upper()}" if row.axis else "")
        why = self.pages[self.page].change(lambda edit: put(edit, job, row, value), f"set {name} {side}")
        if why:
            self.table.rows_model.refuse(row, column, value, why)
            self.trouble.emit(f"{name}: {why}.")

    def _meant(self) -> tuple[Row, ...]:
        """The rows that an action is for: those selected, where that is more than the cursor's, else all."""
        picked = self.table.picked()
        return tuple(picked) if len(picked) > 1 else self._rows

    def tell_control(self) -> None:
        """Truth into belief."""
        job = self.job
        if job is not None:
            meant = self._meant()
            self.pages[self.page].do(
                lambda edit: self.bench_rows.tell_control(edit, job, meant), "told the control what is on the bench"
            )

    def believe_control(self) -> None:
        """Belief into truth."""
        job = self.job
        if job is not None:
            meant = self._meant()
            self.pages[self.page].do(
                lambda edit: self.bench_rows.believe_control(edit, job, meant), "took the control's word"
            )

    def make_slip(self, kind: Slip) -> None:
        """A deliberate error in the row with the cursor."""
        job, row = self.job, self.table.current()
        if job is None or row is None or row.belief is None:
            self.trouble.emit("Put the cursor on the row that is to be wrong.")
            return
        same = [r for r in self._rows if (r.group, r.axis) == (row.group, row.axis) and r.belief is not None]
        other = next((r for r in same if r.key != row.key), None)
        if kind == "swap" and other is None:
            self.trouble.emit(f"There is nothing to swap {row.key} with.")
            return
        put = self.bench_rows.put_belief
        self.pages[self.page].do(lambda edit: slip(edit, job, row, kind, other, put), f"slip: {row.key} {SLIPS[kind]}")

    def set_palette(self, palette: Palette) -> None:
        self.palette_ = self.heads.palette_ = palette
        self.picture.set_palette(palette)  # type: ignore[attr-defined]
        self.table.set_palette(palette)
        self.what_if.set_palette(palette)
        for page in self.pages.values():
            page.set_palette(palette)
        self.heads.update()
