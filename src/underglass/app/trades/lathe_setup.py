"""Setup of a lathe: bar, chuck and tools at the left, drawn to scale; truth against belief at the right."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from underglass.app.document import Document
from underglass.app.parts.basic import label
from underglass.app.setup.page_tabs import PageTabs
from underglass.app.setup.place import Heads
from underglass.app.setup.rows_view import BELIEF, TRUTH, WEAR, RowsView
from underglass.app.style.palette import Palette
from underglass.app.trades.lathe_pages import ChuckPage, LathePage, StockPage, ToolsPage
from underglass.app.trades.lathe_view import LatheView
from underglass.core.files.job_edit import JobEdit
from underglass.core.proof.belief import Row
from underglass.core.proof.job import Job
from underglass.core.trades.turning.setup_rows import (
    HEADS,
    lathe_rows,
    put_belief,
    put_truth,
    put_wear,
    tell_control,
)

PAGES = (("stock", "Stock"), ("chuck", "Chuck"), ("tools", "Tools"))


class LatheSetup(QWidget):
    """``trouble`` brings a sentence; ``looked`` how many rows are wrong."""

    trouble = Signal(str)
    looked = Signal(int)

    def __init__(self, document: Document, palette: Palette) -> None:
        super().__init__()
        self.document = document
        self.palette_ = palette
        self._rows: tuple[Row, ...] = ()
        self.page = "stock"
        self.picture = LatheView(document, palette)
        self.stock, self.chuck, self.tools = (
            StockPage(document, palette),
            ChuckPage(document, palette),
            ToolsPage(document, palette),
        )
        self.pages: dict[str, LathePage] = {"stock": self.stock, "chuck": self.chuck, "tools": self.tools}
        self.table = RowsView(palette, self._on_entered)
        self.heads = Heads(self.table, palette)
        self._lay_out()
        self.tools.shown.connect(lambda number: self.picture.show_page("tool", number))
        self.table.chosen.connect(self._on_row_chosen)
        for page in self.pages.values():
            page.trouble.connect(self.trouble)
        for signal in (document.job_changed, document.setup_changed, document.proof_changed, document.units_changed):
            signal.connect(self.refresh)
        self.choose("stock")

    def _lay_out(self) -> None:
        left, right = QWidget(), QWidget()
        left_box, right_box = QVBoxLayout(left), QVBoxLayout(right)
        tabs = PageTabs(PAGES)
        tabs.chosen.connect(self.choose)
        self.buttons = tabs.buttons
        self.stack = QStackedWidget()
        for page in self.pages.values():
            self.stack.addWidget(page)
        split = QSplitter(Qt.Orientation.Vertical)
        split.setHandleWidth(1)
        split.addWidget(self.picture)
        split.addWidget(self.stack)
        split.setSizes([350, 330])
        left_box.addWidget(tabs)
        left_box.addWidget(split, 1)
        right.setObjectName("panel")
        right.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        right_box.addWidget(self.heads)
        right_box.addWidget(self.table, 1)
        right_box.addWidget(self._actions())
        both = QSplitter(Qt.Orientation.Horizontal)
        both.setHandleWidth(1)
        both.addWidget(left)
        both.addWidget(right)
        both.setSizes([560, 656])
        both.setStretchFactor(1, 1)
        box = QVBoxLayout(self)
        box.addWidget(both)
        for one in (box, left_box, right_box):
            one.setContentsMargins(0, 0, 0, 0)
            one.setSpacing(0)

    def _actions(self) -> QWidget:
        strip = QWidget()
        strip.setObjectName("panel")
        row = QHBoxLayout(strip)
        row.setContentsMargins(12, 6, 12, 6)
        self.tell = QPushButton("Tell the control")
        self.tell.setToolTip("Truth into belief: offsets, noses and zeros hold what is on the bench")
        self.tell.setFixedHeight(27)
        self.tell.clicked.connect(self.tell_control)
        self.note: QLabel = label("", quiet=True, pixels=12)
        row.addWidget(self.tell)
        row.addWidget(self.note, 1, Qt.AlignmentFlag.AlignRight)
        return strip

    @property
    def job(self) -> Job | None:
        return self.stock.job

    def choose(self, page: str) -> None:
        """Show a page and what belongs into the picture with it."""
        if page not in self.pages:
            page = "stock"
        self.page = page
        self.buttons[page].setChecked(True)
        self.stack.setCurrentWidget(self.pages[page])
        self.pages[page].refresh()
        self.picture.show_page("tool" if page == "tools" else "bench", self.tools.number_chosen)

    def refresh(self) -> None:
        job = self.job
        if job is None:
            return
        self._rows = lathe_rows(job, self.document.proof)
        self.looked.emit(len({(r.group, r.key) for r in self._rows if r.wrong}))
        if not self.isVisible():
            return
        self.table.rows_model.heads = HEADS  # type: ignore[assignment]
        self.table.show_rows(self._rows, self.document.units)
        notes = [f"{r.key}: {r.note}" for r in self._rows if r.note]
        self.note.setText(notes[0] if notes else "slanted: as the bench" if any(r.follows for r in self._rows) else "")
        self.pages[self.page].refresh()
        self.picture.show_page("tool" if self.page == "tools" else "bench", self.tools.number_chosen)

    def showEvent(self, event: object) -> None:
        self.refresh()

    def _on_row_chosen(self, row: Row | None) -> None:
        if row is not None and row.tool and row.tool != self.tools.number_chosen:
            self.tools.choose(row.tool)

    def _on_entered(self, row: Row, column: int, value: float) -> None:
        job = self.job
        if job is None:
            return
        put: Callable[[JobEdit, Job, Row, float], None] = {TRUTH: put_truth, BELIEF: put_belief, WEAR: put_wear}[column]
        side = {TRUTH: "on the bench", BELIEF: "in the control", WEAR: "wear"}[column]
        name = row.key + (f" {row.axis.upper()}" if row.axis else "")
        why = self.pages[self.page].change(lambda edit: put(edit, job, row, value), f"set {name} {side}")
        if why:
            self.table.rows_model.refuse(row, column, value, why)
            self.trouble.emit(f"{name}: {why}.")

    def tell_control(self) -> None:
        """Truth into belief."""
        job = self.job
        if job is not None:
            picked = self.table.picked()
            meant = tuple(picked) if len(picked) > 1 else self._rows
            self.pages[self.page].do(
                lambda edit: tell_control(edit, job, meant), "told the control what is on the bench"
            )

    def set_palette(self, palette: Palette) -> None:
        self.palette_ = self.heads.palette_ = palette
        self.picture.set_palette(palette)
        self.table.set_palette(palette)
        for page in self.pages.values():
            page.set_palette(palette)
        self.heads.update()
