"""Two programs side by side: by their text, and by what they do."""

from __future__ import annotations

import html
from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import (
    QAbstractScrollArea,
    QCheckBox,
    QFrame,
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from underglass.app.background import Background
from underglass.app.parts.basic import label, rich
from underglass.app.style.palette import Palette
from underglass.app.style.theme import number_font
from underglass.core.language.align import Row, aligned, differing, groups
from underglass.core.language.source import Source
from underglass.core.proof.compare import Comparison
from underglass.core.proof.job import Job
from underglass.core.proof.two_runs import compare_jobs
from underglass.core.units import Unit, show_clock, show_length

_NUMBERS = 46


@dataclass(frozen=True, slots=True)
class Side:
    """One of the two: its name, its job and its program."""

    name: str
    job: Job
    source: Source


class DiffView(QAbstractScrollArea):
    """Both texts with their line numbers; what differs is washed, and within a line underlined. One bar scrolls both."""

    line_chosen = Signal(int)

    def __init__(self, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.colours = palette
        self.a: Sequence[str] = ()
        self.b: Sequence[str] = ()
        self.rows: list[Row] = []
        self.groups: list[tuple[int, int]] = []
        self.row = 0
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setFont(number_font(13))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("The two programs side by side")
        self.verticalScrollBar().valueChanged.connect(lambda _v: self.viewport().update())

    @property
    def row_height(self) -> int:
        return max(1, self.fontMetrics().height() + 3)

    @property
    def rows_seen(self) -> int:
        return max(1, self.viewport().height() // self.row_height)

    def show_texts(self, a: Sequence[str], b: Sequence[str], by_meaning: bool) -> None:
        self.a, self.b = a, b
        self.rows = aligned(a, b, by_meaning)
        self.groups = groups(self.rows)
        self.row = min(self.row, max(len(self.rows) - 1, 0))
        self._place_bar()
        self.viewport().update()

    def _place_bar(self) -> None:
        self.verticalScrollBar().setPageStep(self.rows_seen)
        self.verticalScrollBar().setRange(0, max(0, len(self.rows) - self.rows_seen))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._place_bar()

    def next_difference(self, way: int = 1) -> None:
        """To the next run of differing lines, or the one before; round at the ends."""
        if not self.groups:
            return
        starts = [first for first, _last in self.groups]
        beyond = [s for s in starts if (s > self.row if way > 0 else s < self.row)]
        self.go_to((beyond or starts)[0 if way > 0 else -1])

    def go_to(self, row: int) -> None:
        self.row = row
        bar = self.verticalScrollBar()
        if not bar.value() + 2 <= row < bar.value() + self.rows_seen - 2:
            bar.setValue(row - self.rows_seen // 3)
        self.viewport().update()
        at = self.rows[row].a
        if at is not None:
            self.line_chosen.emit(at + 1)

    def row_of(self, line_a: int | None, line_b: int | None) -> int | None:
        """The row of a line (from 1) of either."""
        return next(
            (k for k, r in enumerate(self.rows) if (line_a and r.a == line_a - 1) or (line_b and r.b == line_b - 1)),
            None,
        )

    def paintEvent(self, event: QPaintEvent) -> None:
        p = self.colours
        painter = QPainter(self.viewport())
        painter.fillRect(event.rect(), QColor(p.panel))
        painter.setFont(self.font())
        high, wide = self.row_height, self.viewport().width()
        half = wide / 2.0
        first = self.verticalScrollBar().value()
        for k in range(first, min(len(self.rows), first + self.rows_seen + 2)):
            row, top = self.rows[k], float((k - first) * high)
            marks: tuple[list[tuple[int, int]], list[tuple[int, int]]] = ([], [])
            if row.kind == "changed" and row.a is not None and row.b is not None:
                marks = differing(self.a[row.a], self.b[row.b])
            for x, line, text, spans in (
                (0.0, row.a, self.a[row.a] if row.a is not None else "", marks[0]),
                (half, row.b, self.b[row.b] if row.b is not None else "", marks[1]),
            ):
                rect = QRectF(x, top, half - 1, high)
                if line is None:
                    painter.fillRect(rect, QColor(p.ground))
                    continue
                if row.kind != "same":
                    painter.fillRect(rect, QColor(p.active_wash))
                painter.setPen(QColor(p.quiet))
                painter.drawText(
                    QRectF(x, top, _NUMBERS - 8, high),
                    int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter),
                    str(line + 1),
                )
                painter.save()
                painter.setClipRect(rect)
                painter.setPen(QColor(p.text))
                painter.drawText(QRectF(x + _NUMBERS, top, 4000, high), Qt.AlignmentFlag.AlignVCenter, text)
                step = painter.fontMetrics().horizontalAdvance("0")
                for a, b in spans:
                    painter.fillRect(
                        QRectF(x + _NUMBERS + a * step, top + high - 3, (b - a) * step, 2.0), QColor(p.active)
                    )
                painter.restore()
            if k == self.row:
                painter.fillRect(QRectF(0, top, 3, high), QColor(p.active))
        painter.setPen(QColor(p.rule))
        painter.drawLine(QPointF(half - 1, 0), QPointF(half - 1, self.viewport().height()))
        painter.end()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        k = self.verticalScrollBar().value() + int(event.position().y() // self.row_height)
        if k < len(self.rows):
            self.go_to(k)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {
            Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1, Qt.Key.Key_PageDown: self.rows_seen - 2, Qt.Key.Key_PageUp: 2 - self.rows_seen,
            Qt.Key.Key_Home: -len(self.rows), Qt.Key.Key_End: len(self.rows),
        }  # fmt: skip
        if event.key() in steps and self.rows:
            self.go_to(min(max(self.row + steps[Qt.Key(event.key())], 0), len(self.rows) - 1))
        else:
            super().keyPressEvent(event)


class ComparePage(QWidget):
    """Fills the work's room until it is closed. What the two do is worked out off the GUI thread."""

    closed = Signal()
    line_chosen = Signal(int)
    other_asked = Signal()
    compared = Signal(object)

    def __init__(self, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._palette = palette
        self.unit: Unit = "mm"
        self.a: Side | None = None
        self.b: Side | None = None
        self.found: Comparison | None = None
        self._work = Background("compare", self)
        self._work.done.connect(self._on_done)
        self._work.failed.connect(self._on_failed)
        self.view = DiffView(palette)
        self.view.line_chosen.connect(self.line_chosen)
        self.by_meaning = QCheckBox("only what a control cares for")
        self.by_meaning.setToolTip(
            "Block numbers, comments, spaces, case and noughts at a number's end are left out of account"
        )
        self.by_meaning.toggled.connect(lambda _on: self._show_texts())
        self.other = QPushButton("Another program\u2026")
        self.other.clicked.connect(self.other_asked)
        self.before, self.after = QPushButton("Previous difference"), QPushButton("Next difference")
        self.before.setToolTip("Shift+F7")
        self.after.setToolTip("F7")
        self.before.clicked.connect(lambda: self.view.next_difference(-1))
        self.after.clicked.connect(lambda: self.view.next_difference(1))
        self.close_button = QPushButton("Close")
        self.close_button.setToolTip("Esc")
        self.close_button.clicked.connect(self.closed)
        self.counted = label(quiet=True)
        head = QWidget()
        head.setObjectName("panelHead")
        head.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(head)
        row.setContentsMargins(12, 5, 12, 5)
        row.setSpacing(8)
        row.addWidget(label("Two programs", bold=True))
        row.addWidget(self.counted)
        row.addWidget(self.by_meaning)
        row.addStretch(1)
        for part in (self.before, self.after, self.other, self.close_button):
            row.addWidget(part)
        self._names = rich()
        self._names.setContentsMargins(0, 4, 0, 4)
        self.verdict = rich()
        self.verdict.setAccessibleName("What the two do")
        self.verdict.setContentsMargins(14, 10, 14, 12)
        self.verdict.setObjectName("sunk")
        self.verdict.linkActivated.connect(self._on_link)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(head)
        box.addWidget(self._names)
        box.addWidget(self.view, 1)
        box.addWidget(self.verdict)

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        self.view.colours = palette
        self.view.viewport().update()
        self._tell()

    def compare(self, a: Side, b: Side, unit: Unit) -> None:
        """Show two programs; what they do follows when it is worked out."""
        self.a, self.b, self.unit, self.found = a, b, unit, None
        self._names.setText(
            f'<table width="100%"><tr><td width="50%">&nbsp;&nbsp;<b>A</b>&nbsp; {html.escape(a.name)}</td>'
            f"<td>&nbsp;&nbsp;<b>B</b>&nbsp; {html.escape(b.name)}</td></tr></table>"
        )
        self.view.row = 0
        self._show_texts()
        self._tell("Working out what the two do\u2026")
        self._work.ask(lambda cancelled: compare_jobs(a.job, a.source, b.job, b.source, cancelled))

    def stop(self) -> None:
        """Let go of what is being worked out."""
        self._work.cancel()

    def _on_done(self, answer: object) -> None:
        assert isinstance(answer, Comparison)
        self.found = answer
        self._tell()
        self.compared.emit(self.found)

    def _on_failed(self, why: str) -> None:
        self._tell(f"{why[:1].upper()}{why[1:]}.")
        self.compared.emit(None)

    def _show_texts(self) -> None:
        if self.a is None or self.b is None:
            return
        self.view.show_texts(self.a.source.lines, self.b.source.lines, self.by_meaning.isChecked())
        count = len(self.view.groups)
        self.counted.setText("same text" if not count else f"{count} difference{'s' if count > 1 else ''}")
        if count:
            self.view.go_to(self.view.groups[0][0])

    def _tell(self, instead: str = "") -> None:
        p, found = self._palette, self.found
        if found is None:
            self.verdict.setText(f'<span style="color:{p.quiet}">{html.escape(instead)}</span>')
            return
        unit = self.unit

        def length(value: float) -> str:
            return f"{show_length(value, unit)} {unit}"

        if found.same_part:
            part = f'<b style="color:{p.note}">The same part</b>, within the cell of {length(found.cell_mm)}.'
        else:
            part = f'<b style="color:{p.fault}">Not the same part</b>: {found.apart_mm3:.1f} mm\u00b3 differ.'
            for worst, word in ((found.a_left, "A leaves {} more than B"), (found.a_lacks, "A takes {} more than B")):
                if worst is not None:
                    x, y, _z = worst.place
                    part += f" {word.format(length(worst.depth_mm))}, most at X{show_length(x, unit)} Y{show_length(y, unit)}."
        if found.same_path or found.first_difference is None:
            path = "The same path, move by move."
        else:
            a, b = found.first_difference
            path = f'The paths first differ at <a href="{a},{b}" style="color:{p.active}">line {a} of A and line {b} of B</a>.'
        more = found.time_b_s - found.time_a_s
        time = f"A {show_clock(found.time_a_s)}, B {show_clock(found.time_b_s)}"
        time += f" ({more:+.1f} s)" if abs(more) >= 0.05 else ", equal"
        moves = f"A {found.moves_a} moves, {length(found.feed_a_mm)} fed; B {found.moves_b} moves, {length(found.feed_b_mm)} fed"
        self.verdict.setText(f'{part}<br>{path}<br><span style="color:{p.quiet}">Time: {time}. {moves}.</span>')

    def _on_link(self, link: str) -> None:
        a, b = (int(part) for part in link.split(","))
        row = self.view.row_of(a, b)
        if row is not None:
            self.view.go_to(row)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.closed.emit()
        elif event.key() == Qt.Key.Key_F7:
            self.view.next_difference(-1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1)
        else:
            super().keyPressEvent(event)
