"""The operations of the program as a list, found in its text: gone to, moved, copied, switched off, taken out."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QColor, QDropEvent, QKeyEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QGridLayout,
    QHeaderView,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from underglass.app.document import Document
from underglass.app.parts.basic import label
from underglass.app.style.palette import Palette
from underglass.app.style.theme import number_font
from underglass.core.compose import sequence
from underglass.core.compose.registry import operations_of
from underglass.core.compose.shop import ShopTexts
from underglass.core.compose.starts import around_in
from underglass.core.proof.job import Job
from underglass.core.proof.standing import Standing
from underglass.core.reckon.form import CannotBe
from underglass.core.units import Unit, show_clock

_WORDS = ("crash", "fault", "caution", "note")


class _Rows(QTreeWidget):
    """``dropped`` brings (from, to) when a row was dragged."""

    dropped = Signal(int, int)

    def dropEvent(self, event: QDropEvent) -> None:
        item = self.currentItem()
        if item is None:
            return
        here = self.indexOfTopLevelItem(item)
        under = self.itemAt(event.position().toPoint())
        to = self.topLevelItemCount() - 1 if under is None else self.indexOfTopLevelItem(under)
        event.setDropAction(Qt.DropAction.IgnoreAction)
        event.accept()
        if to != here:
            self.dropped.emit(here, to)


class ListPanel(QWidget):
    """``lines_asked`` brings the program's lines as they are to be; ``open_asked`` a line whose form is wanted."""

    lines_asked = Signal(object)
    open_asked = Signal(int)
    trouble = Signal(str)

    def __init__(self, document: Document, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._palette = palette
        self.shop = ShopTexts()
        self.rows: tuple[sequence.Listed, ...] = ()
        self._standing: Standing | None = None
        self._filling = False
        self.view = _Rows()
        self.view.setAccessibleName("Operations of the program")
        self.view.setRootIsDecorated(False)
        self.view.setHeaderLabels(["", "Operation", "Tool", "Time"])
        self.view.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.view.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        head = self.view.header()
        head.setStretchLastSection(False)
        head.setMinimumSectionSize(24)
        for column, mode in enumerate((QHeaderView.ResizeMode.ResizeToContents, QHeaderView.ResizeMode.Stretch)):
            head.setSectionResizeMode(column, mode)
        for column in (2, 3):
            head.setSectionResizeMode(column, QHeaderView.ResizeMode.ResizeToContents)
        self.view.currentItemChanged.connect(lambda _now, _before: self._on_chosen())
        self.view.itemActivated.connect(lambda _item, _column: self.open_here())
        self.view.dropped.connect(self.move)
        self.said = label(quiet=True, pixels=12)
        self.said.setWordWrap(True)
        self.warned = label(pixels=12)
        self.warned.setWordWrap(True)
        self.buttons: dict[str, QPushButton] = {}
        grid = QGridLayout()
        grid.setSpacing(6)
        for k, (name, words, tip, call) in enumerate((
            ("open", "Open its form", "Its entries, to change them (Return)", self.open_here),
            ("off", "Switch off", "Keep the entries, leave the blocks out (Space)", self.switch),
            ("copy", "Copy", "Once more behind itself: a rough pass becomes the finishing one (Ctrl+D)", self.copy),
            ("up", "Up", "Cut it earlier (Alt+Up)", lambda: self.move_by(-1)),
            ("down", "Down", "Cut it later (Alt+Down)", lambda: self.move_by(1)),
            ("out", "Take out", "Out of the program (Delete)", self.take_out),
            ("parts", "Part by part", "Finish each part with all its tools before the next one", self.turn_parts),
        )):  # fmt: skip
            button = QPushButton(words)
            button.setToolTip(tip)
            button.clicked.connect(lambda _c=False, c=call: c())
            grid.addWidget(button, k // 3, k % 3)
            self.buttons[name] = button
        box = QVBoxLayout(self)
        box.setContentsMargins(12, 8, 12, 8)
        box.setSpacing(8)
        box.addWidget(self.said)
        box.addWidget(self.view, 1)
        box.addWidget(self.warned)
        box.addLayout(grid)
        document.line_changed.connect(lambda _line: self._follow())

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        self.refresh()

    def set_standing(self, standing: Standing | None) -> None:
        """The text or the proof changed: the list is read anew."""
        self._standing = standing
        self.refresh()

    # -- what is shown -----------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Read the list from the text."""
        job = self._document.job
        operations = operations_of(job.trade.kind) if job is not None else ()
        proof = self._document.proof if self._document.proof_is_current else None
        self.rows = sequence.listed(self._document.lines, operations, proof) if job is not None else ()
        self._filling = True
        keep = self.index
        self.view.clear()
        for k, row in enumerate(self.rows, 1):
            time = "off" if row.off else show_clock(row.seconds) if row.seconds is not None else ""
            item = QTreeWidgetItem([str(k), row.name + (" \u270e" if row.found.edited else ""), row.tool, time])
            item.setSizeHint(0, QSize(0, 30))
            item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsDropEnabled)
            item.setTextAlignment(3, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            for column in (0, 2, 3):
                item.setFont(column, number_font(12))
            said = [f"{row.offset}, lines {row.found.first + 1} to {row.found.last + 1}"]
            if row.found.edited:
                said.append("changed by hand since its form wrote it")
            if row.worst:
                item.setForeground(1, QColor(getattr(self._palette, row.worst)))
                said.append(f"{row.worst} in its lines")
            if row.off:
                for column in range(4):
                    item.setForeground(column, QColor(self._palette.quiet))
            item.setToolTip(1, "; ".join(said))
            self.view.addTopLevelItem(item)
        if self.rows:
            self.view.setCurrentItem(self.view.topLevelItem(max(0, min(keep, len(self.rows) - 1))))
        self._filling = False
        self.view.setVisible(bool(self.rows))
        self.said.setText(
            f"{len(self.rows)} operations made by form, in the order of the text. Drag a row to move it."
            if self.rows
            else "No operation in this program was made by a form yet. Choose one in Fill in, or write the program by hand."
        )
        warned = sequence.differing_parts([row.found for row in self.rows])
        self.warned.setText(warned)
        self.warned.setStyleSheet(f"color: {self._palette.caution};")
        self.warned.setVisible(bool(warned))
        self._follow()

    @property
    def index(self) -> int:
        """Which row is chosen, from 0; -1 for none."""
        item = self.view.currentItem()
        return self.view.indexOfTopLevelItem(item) if item is not None else -1

    def _follow(self) -> None:
        """The row in whose lines the cursor stands."""
        line = self._document.line - 1
        for k, row in enumerate(self.rows):
            if row.found.first <= line <= row.found.last:
                self._filling = True
                self.view.setCurrentItem(self.view.topLevelItem(k))
                self._filling = False
        self._offer()

    def _offer(self) -> None:
        k, count = self.index, len(self.rows)
        for name, button in self.buttons.items():
            button.setEnabled(
                0 <= k < count and not (name == "up" and k == 0) and not (name == "down" and k == count - 1)
            )
        by_parts = sequence.goes_by_parts([row.found for row in self.rows])
        self.buttons["parts"].setVisible(by_parts is not None)
        self.buttons["parts"].setText("Tool by tool" if by_parts else "Part by part")
        self.buttons["parts"].setToolTip(
            "Each tool at all parts before the next one: the fewest changes"
            if by_parts
            else "Finish each part with all its tools before the next one"
        )
        self.buttons["off"].setText("Switch on" if 0 <= k < count and self.rows[k].off else "Switch off")

    def _on_chosen(self) -> None:
        self._offer()
        if not self._filling and 0 <= self.index < len(self.rows):
            self._document.select_line(self.rows[self.index].found.first + 1)

    # -- what is done ------------------------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent) -> None:
        alt = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        calls: dict[tuple[int, bool], Callable[[], object]] = {
            (Qt.Key.Key_Up.value, True): lambda: self.move_by(-1), (Qt.Key.Key_Down.value, True): lambda: self.move_by(1),
            (Qt.Key.Key_Delete.value, False): self.take_out, (Qt.Key.Key_Space.value, False): self.switch,
            (Qt.Key.Key_Return.value, False): self.open_here,
        }  # fmt: skip
        call = calls.get((event.key(), alt))
        if call is None and event.key() == Qt.Key.Key_D and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            call = self.copy
        if call is None:
            super().keyPressEvent(event)
        else:
            call()

    def _put(self, lines: Sequence[str]) -> None:
        """Other lines, every tool brought in where another one is in."""
        job = self._document.job
        assert job is not None
        around = around_in(job, self.shop, lines, self._document.source.name, None)
        self.lines_asked.emit(sequence.retooled(lines, operations_of(job.trade.kind), self._unit(job), around))

    def _unit(self, job: Job) -> Unit:
        """The unit that the program is read in at the cursor; the job's own before it was read."""
        return self._standing.unit if self._standing is not None else job.units

    def open_here(self) -> None:
        """The form of the row chosen."""
        if 0 <= self.index < len(self.rows):
            self.open_asked.emit(self.rows[self.index].found.first + 1)

    def move_by(self, steps: int) -> None:
        self.move(self.index, self.index + steps)

    def move(self, which: int, to: int) -> None:
        """A row to another place."""
        if not (0 <= which < len(self.rows) and 0 <= to < len(self.rows)) or which == to:
            return
        found = [row.found for row in self.rows]
        self._put(sequence.moved(self._document.lines, found, which, to))
        self.refresh()
        self.view.setCurrentItem(self.view.topLevelItem(to))

    def copy(self) -> None:
        if 0 <= self.index < len(self.rows):
            self._put(sequence.copied(self._document.lines, [row.found for row in self.rows], self.index))

    def take_out(self) -> None:
        if 0 <= self.index < len(self.rows):
            self._put(sequence.taken_out(self._document.lines, [row.found for row in self.rows], self.index))

    def turn_parts(self) -> None:
        """Part after part, or tool after tool."""
        job = self._document.job
        found = [row.found for row in self.rows]
        by_parts = sequence.goes_by_parts(found)
        if job is None or by_parts is None:
            return
        turned = sequence.tool_by_tool if by_parts else sequence.part_by_part
        try:
            self._put(turned(self._document.lines, found, self._unit(job)))
        except CannotBe as problem:
            self.trouble.emit(str(problem))

    def switch(self) -> None:
        """Off, or on again."""
        job = self._document.job
        if job is None or not 0 <= self.index < len(self.rows):
            return
        around = around_in(job, self.shop, self._document.lines, self._document.source.name, None)
        try:
            self._put(
                sequence.switched(
                    self._document.lines, [r.found for r in self.rows], self.index, self._unit(job), around
                )
            )
        except CannotBe as problem:
            self.trouble.emit(str(problem))
