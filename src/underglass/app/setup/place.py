"""Setup: the bench beside the control. Pages and a picture at the left, truth against belief at the right."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QStackedWidget, QVBoxLayout, QWidget

from underglass.app.document import Document
from underglass.app.setup.bench_view import BenchView
from underglass.app.setup.binding import SetupPage
from underglass.app.setup.fixtures_page import FixturesPage, shift_fixture
from underglass.app.setup.machine_page import MachinePage
from underglass.app.setup.rows_view import BELIEF, TRUTH, WEAR, RowsView
from underglass.app.setup.sides import Actions, Heads, Sides
from underglass.app.setup.stock_page import StockPage
from underglass.app.setup.tools_page import ToolsPage
from underglass.app.setup.touch_page import TouchPage
from underglass.app.setup.what_if import WhatIf
from underglass.app.setup.zero_page import ZeroPage
from underglass.app.style.palette import Palette
from underglass.core.errors import BadEntry, UnderGlassError
from underglass.core.files.job_edit import JobEdit, as_figure
from underglass.core.files.setup_edit import (
    SLIPS,
    Slip,
    believe_control,
    move_zero,
    put_belief,
    put_truth,
    put_wear,
    slip,
    tell_control,
)
from underglass.core.proof.belief import Row, group_words, overwritten, rows
from underglass.core.proof.job import Job

PAGES = ("stock", "zero", "fixtures", "tools", "touch", "machine")
PAGE_WORDS = {
    "stock": "Stock", "zero": "Part zero", "fixtures": "Fixtures", "tools": "Tools", "touch": "Touch off",
    "machine": "Machine",
}  # fmt: skip


class SetupPlace(QWidget):
    """``trouble`` brings a sentence; ``line_chosen`` a line to look at."""

    trouble = Signal(str)
    line_chosen = Signal(int)
    page_changed = Signal(str)

    def __init__(self, document: Document, own_set: Path, palette: Palette) -> None:
        super().__init__()
        self.document = document
        self.palette_ = palette
        self._rows: tuple[Row, ...] = ()
        self._g10: tuple[object, dict[str, int]] = (None, {})
        self._drag: tuple[str, Job, int] | None = None
        self.page = "stock"
        self.picture = BenchView(document, palette)
        self.stock = StockPage(document, palette)
        self.zero = ZeroPage(document, palette)
        self.fixtures = FixturesPage(document, palette)
        self.tools = ToolsPage(document, own_set, palette)
        self.touch = TouchPage(document, palette)
        self.machine = MachinePage(document, palette)
        self.pages: dict[str, SetupPage] = {
            "stock": self.stock, "zero": self.zero, "fixtures": self.fixtures, "tools": self.tools, "touch": self.touch,
            "machine": self.machine,
        }  # fmt: skip
        self.table = RowsView(palette, self._on_entered)
        self.heads = Heads(self.table, palette)
        self.what_if = WhatIf(document, palette)
        self._lay_out()
        self.table.chosen.connect(self.what_if.show_row)
        self.table.chosen.connect(self._on_row_chosen)
        self.tools.shown.connect(self._on_tool_shown)
        self.what_if.set_asked.connect(self._on_set_asked)
        self.what_if.line_chosen.connect(self.line_chosen)
        self.picture.taken.connect(self._on_taken)
        self.picture.moved.connect(self._on_moved)
        self.picture.let_go.connect(self._on_let_go)
        self.picture.picked.connect(self._on_picked)
        self.picture.snapped.connect(self.zero.snap_to)
        self.fixtures.chosen_changed.connect(self._on_fixture_chosen)
        for page in self.pages.values():
            page.trouble.connect(self.trouble)
        document.job_changed.connect(self._on_opened)
        document.setup_changed.connect(self.refresh)
        document.proof_changed.connect(self.refresh)
        document.units_changed.connect(self.refresh)
        self.choose("stock")

    def _lay_out(self) -> None:
        self.pictures = QStackedWidget()
        self.pictures.addWidget(self.picture)
        self.pictures.addWidget(self.tools.view)
        self.page_stack = QStackedWidget()
        for page in self.pages.values():
            self.page_stack.addWidget(page)
        self.actions_ = Actions()
        words = [(name, PAGE_WORDS[name]) for name in PAGES]
        self.split = Sides(words, self.pictures, self.page_stack, self.table, self.heads, self.actions_, self.what_if)
        self.left_split = self.split.left_split
        self.split.tabs.chosen.connect(self.choose)
        self.buttons = self.split.tabs.buttons
        self.tell, self.believe, self.slip, self.legend = (
            self.actions_.tell,
            self.actions_.believe,
            self.actions_.slip,
            self.actions_.legend,
        )
        self.actions_.tell_asked.connect(self.tell_control)
        self.actions_.believe_asked.connect(self.believe_control)
        self.actions_.slip_asked.connect(self.make_slip)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self.split)

    # -- pages ---------------------------------------------------------------------------------------------------------

    def choose(self, page: str) -> None:
        """Show a page and what belongs into the picture with it."""
        self.page = page
        self.buttons[page].setChecked(True)
        self.page_stack.setCurrentWidget(self.pages[page])
        self.pictures.setCurrentWidget(self.tools.view if page == "tools" else self.picture)
        modes = {"stock": "stock", "zero": "zero", "fixtures": "fixtures", "touch": "touch", "machine": "travel"}
        if page in modes:
            self.picture.set_mode(modes[page])  # type: ignore[arg-type]
        sizes = {
            "tools": [190, 530],
            "machine": [300, 420],
            "fixtures": [330, 390],
            "touch": [400, 320],
            "zero": [370, 350],
        }
        self.left_split.setSizes(sizes.get(page, [400, 320]))
        self.pages[page].refresh()
        self.page_changed.emit(page)

    def _on_opened(self) -> None:
        self.table.rows_model.bad.clear()
        self.fixtures.chosen = 1
        self.refresh()

    def refresh(self) -> None:
        """Both sides as they stand. What is not seen is shown when one comes to it."""
        job, proof = self.document.table_job, self.document.proof
        if job is None:
            return
        if not self.isVisible():
            return
        # Until the new proof is there, the old one says what the program calls: that seldom changes with the setup.
        self._rows = rows(job, proof, self._set_by_program())
        self.table.rows_model.heads = {r.group: group_words(r.group, job) for r in self._rows}
        self.table.show_rows(self._rows, self.document.units)
        self.legend.setText("italic: as the bench" if any(r.follows and r.group != "left" for r in self._rows) else "")
        self.pages[self.page].refresh()
        self.picture.chosen = self.fixtures.chosen
        self.picture.update()

    def _set_by_program(self) -> dict[str, int]:
        """What the program sets anew by G10; its text is read once, and only where the rows are seen."""
        proof = self.document.proof
        if proof is None:
            return {}
        if self._g10[0] is not proof.source:
            self._g10 = (proof.source, {o.key: o.line for o in overwritten(proof.source.lines)})
        return self._g10[1]

    def showEvent(self, event: object) -> None:
        self.refresh()

    def _on_row_chosen(self, row: Row | None) -> None:
        """The tool of the row with the cursor is the one that Tools and Touch off are about."""
        if row is not None and row.tool and row.tool != self.tools.number_chosen:
            self.tools.number_chosen = row.tool
            if self.page == "tools" and self.isVisible():
                self.tools.refresh()

    def choose_tool(self, number: int) -> None:
        """The page Tools is about this tool now."""
        self.tools.choose(number)

    def _on_tool_shown(self, number: int) -> None:
        row = next((r for r in self._rows if r.group in ("length", "touched") and r.tool == number), None)
        if row is not None and (now := self.table.current()) is not None and now.tool != number:
            self.table.choose(row.group, row.key)

    # -- the two sides -------------------------------------------------------------------------------------------------

    def change(self, work: Callable[[JobEdit], object], what: str, key: str = "") -> str:
        """Change the job; what is wrong with it, or empty."""
        return self.pages[self.page].change(work, what, key)

    def do(self, work: Callable[[JobEdit], object], what: str) -> str:
        """Change the job; what is wrong with it is said in the window."""
        return self.pages[self.page].do(work, what)

    def _on_entered(self, row: Row, column: int, value: float) -> None:
        job = self.document.table_job
        if job is None:
            return
        put = {TRUTH: put_truth, BELIEF: put_belief, WEAR: put_wear}[column]
        side = {TRUTH: "on the bench", BELIEF: "in the control", WEAR: "wear"}[column]
        name = row.key + (f" {row.axis.upper()}" if row.axis else "")
        why = self.change(lambda edit: put(edit, job, row, value), f"set {name} {side}")
        if why:
            self.table.rows_model.refuse(row, column, value, why)
            self.trouble.emit(f"{name}: {why}.")

    def _on_set_asked(self, row: Row, side: str, value: float) -> None:
        self._on_entered(row, BELIEF if side == "belief" else TRUTH, value)

    def _meant(self) -> list[Row]:
        """The rows that an action is for: those selected, where that is more than the cursor's, else all."""
        picked = self.table.picked()
        return picked if len(picked) > 1 else list(self._rows)

    def tell_control(self) -> None:
        """Truth into belief."""
        job = self.document.table_job
        if job is not None:
            meant = [r for r in self._meant() if r.group != "left" or r.wrong]
            self.do(lambda edit: tell_control(edit, job, meant), "told the control what is on the bench")

    def believe_control(self) -> None:
        """Belief into truth."""
        job = self.document.table_job
        if job is not None:
            self.do(lambda edit: believe_control(edit, job, self._meant()), "took the control's word")

    def make_slip(self, kind: Slip) -> None:
        """A deliberate error in the row with the cursor."""
        job, row = self.document.table_job, self.table.current()
        if job is None or row is None or row.belief is None:
            self.trouble.emit("Put the cursor on the row that is to be wrong.")
            return
        same = [r for r in self._rows if (r.group, r.axis) == (row.group, row.axis) and r.belief is not None]
        other = None
        if kind == "swap":
            k = next((k for k, r in enumerate(same) if r.key == row.key), 0)
            others = [r for r in [*same[k + 1 :], *same[:k]] if r.key != row.key]
            other = others[0] if others else None
            if other is None:
                self.trouble.emit(f"There is nothing to swap {row.key} with.")
                return
        self.do(lambda edit: slip(edit, job, row, kind, other), f"slip: {row.key} {SLIPS[kind]}")

    # -- the picture ---------------------------------------------------------------------------------------------------

    def _on_taken(self) -> None:
        if self.document.table_job is not None:
            self._drag = (self.document.job_edit().text, self.document.table_job, self.fixtures.chosen)

    def _on_moved(self, dx: float, dy: float, dz: float) -> None:
        """What is dragged has gone so far from where it was taken up, real mm."""
        if self._drag is None:
            return
        text, job, entry = self._drag
        mode = self.picture.mode
        edit = JobEdit(text)
        zero = job.bench.part_zero
        by = zero.into(np.array([[zero.x + dx, zero.y + dy, zero.z + dz]]))[0]
        local = (round(float(by[0]), 6), round(float(by[1]), 6), round(float(by[2]), 6))
        what = "moved the zero"
        if mode == "zero":
            move_zero(edit, job, local)
        elif mode == "stock":
            what = "moved the block"
            place = edit.get("stock", "place") or [0.0, 0.0, 0.0]
            moved = (dx, dy, dz) if edit.get("stock", "from") == "machine" else local
            edit.put([round(p + as_figure(d, job.units), 6) + 0.0 for p, d in zip(place, moved)], "stock", "place")
        elif mode == "fixtures":
            what = "moved a fixture"
            shift_fixture(edit, self.document, entry, [dx, dy, dz])
        else:
            return
        try:
            self.document.change_job(edit.text, what, "drag")
        except BadEntry as error:
            self.trouble.emit(error.why)
        except UnderGlassError as error:
            self.trouble.emit(str(error))

    def _on_let_go(self) -> None:
        self._drag = None
        self.document.history.close()

    def _on_picked(self, entry: int) -> None:
        if entry:
            self.fixtures.choose(entry)

    def _on_fixture_chosen(self) -> None:
        self.picture.chosen = self.fixtures.chosen
        self.picture.update()

    # -- colours -------------------------------------------------------------------------------------------------------

    def set_palette(self, palette: Palette) -> None:
        self.palette_ = self.heads.palette_ = palette
        self.picture.set_palette(palette)
        self.table.set_palette(palette)
        self.what_if.set_palette(palette)
        for page in self.pages.values():
            page.set_palette(palette)
        self.heads.update()
