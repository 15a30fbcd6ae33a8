"""The program as text: line numbers, marks in the margin, words by role. Fast at any length: only what is seen is coloured."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

from PySide6.QtCore import QMimeData, QPointF, QRect, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QFocusEvent,
    QFont,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QResizeEvent,
    QTextCharFormat,
    QTextLayout,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from underglass.app.document import Document
from underglass.app.parts.marks import draw_mark
from underglass.app.style.palette import Palette
from underglass.app.style.theme import number_font
from underglass.app.write.completion import CompletionList
from underglass.app.write.line_looks import CHANGE, CUT, PLUNGE, RAPID, STOP, LineMarks, word_roles
from underglass.app.write.text_places import to_utf16
from underglass.app.write.text_view import TextView
from underglass.core.finding import Finding
from underglass.core.language import edits
from underglass.core.language.buffer import Change, Place, line_after
from underglass.core.language.outline import sections
from underglass.core.language.pasted import cleaned
from underglass.core.proof.complete import begun, suggestions
from underglass.core.proof.fixes import Fix
from underglass.core.proof.standing import Standing

_MARK_WIDTH = 22
_FOLD_WIDTH = 12

TEXT_EDITS: tuple[tuple[str, Callable[[Sequence[str]], tuple[str, ...]], bool], ...] = (
    ("Number the blocks: N10, N20 …", edits.renumber, True),
    ("Take the block numbers away", edits.strip_numbers, True),
    ("Put spaces between the words", edits.spaced, False),
    ("Take the spaces out", edits.unspaced, False),
    ("Upper case", edits.in_case, False),
    ("Lower case", partial(edits.in_case, upper=False), False),
    ("Clean up word-processor characters", lambda lines: cleaned(lines).lines, False),
)
"""Commands that change the text: name, what they do, and whether always to the whole program."""


class ProgramEditor(TextView):
    """The editor of one document's text. Typing goes to the document; the document's line comes back as the caret."""

    finding_clicked = Signal(object)
    focused = Signal(object)
    pasted_badly = Signal(int, int, object)
    """First and last line (from 0) of what was pasted, and what is wrong with it in words."""

    def __init__(self, document: Document, palette: Palette, parent: QWidget | None = None) -> None:
        self._margin: _Margin | None = None
        self._formats: dict[str, QTextCharFormat] = {}
        super().__init__(document.buffer, palette, parent)
        self._document = document
        self._marks = LineMarks()
        self._findings: dict[int, Finding] = {}
        self._following = False
        self.stays = False
        """Whether it keeps its place when the document's line changes, as the other half of a split view does."""
        self.setAccessibleName("Program")
        self._margin = _Margin(self)
        self.completion = CompletionList(palette, self)
        self.stand: Callable[[], Standing | None] = lambda: None
        """Asked for what is in force at the document's line, when words are offered."""
        self.caret_moved.connect(self._on_caret_moved)
        document.job_changed.connect(self._take_text)
        document.proof_changed.connect(self._on_proof_changed)
        document.line_changed.connect(self._on_line_changed)
        document.finding_changed.connect(self._on_finding_changed)
        document.bookmarks_changed.connect(self._margin.update)
        self.set_palette(palette)
        self._place_margin()

    # -- looks -------------------------------------------------------------------------------------------------------

    def set_palette(self, palette: Palette) -> None:
        """Take another theme."""
        self.colours = palette
        if self._margin is not None:
            self.completion.colours = palette

        def made(colour: str, *, bold: bool = False, light: bool = False, italic: bool = False) -> QTextCharFormat:
            out = QTextCharFormat()
            out.setForeground(QColor(colour))
            if bold:
                out.setFontWeight(QFont.Weight.Bold)
            if light:
                out.setFontWeight(QFont.Weight.Light)
            out.setFontItalic(italic)
            return out

        belief = made(palette.belief)
        belief.setUnderlineStyle(QTextCharFormat.UnderlineStyle.DashUnderline)
        belief.setUnderlineColor(QColor(palette.belief))
        problem = made(palette.fault)
        problem.setUnderlineStyle(QTextCharFormat.UnderlineStyle.SpellCheckUnderline)
        problem.setUnderlineColor(QColor(palette.fault))
        self._formats = {
            "number": made(palette.quiet),
            "cut": made(palette.text, bold=True),
            "travel": made(palette.quiet, light=True),
            "belief": belief,
            "remark": made(palette.quiet, italic=True),
            "problem": problem,
        }
        self.forget_layouts()
        if self._margin is not None:
            self._margin.update()

    def line_formats(self, text: str) -> list[QTextLayout.FormatRange]:
        out = []
        for start, end, role in word_roles(text):
            part = QTextLayout.FormatRange()
            part.start, part.format = to_utf16(text, start), self._formats[role]
            part.length = to_utf16(text, end) - part.start
            out.append(part)
        return out

    # -- margin ------------------------------------------------------------------------------------------------------

    @property
    def margin_width(self) -> int:
        digits = max(3, len(str(max(1, len(self.buffer.lines)))))
        return self.fontMetrics().horizontalAdvance("0") * digits + 14 + _MARK_WIDTH + _FOLD_WIDTH

    def _place_margin(self) -> None:
        if self._margin is None:
            return
        if self.viewportMargins().left() != self.margin_width:
            self.setViewportMargins(self.margin_width, 0, 0, 0)
        inside = self.contentsRect()
        self._margin.setGeometry(QRect(inside.left(), inside.top(), self.margin_width, inside.height()))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._place_margin()

    def _on_scrolled(self, value: int) -> None:
        super()._on_scrolled(value)
        if self._margin is not None:
            self._margin.update()

    def paint_margin(self, event: QPaintEvent) -> None:
        """Line numbers, bookmarks, folds and marks beside the lines that are seen."""
        p = self.colours
        painter = QPainter(self._margin)
        painter.fillRect(event.rect(), QColor(p.panel))
        painter.setFont(number_font(12))
        width = self.margin_width
        for k, top in self.lines_seen():
            if top > event.rect().bottom() or top + self.row_height < event.rect().top():
                continue
            line = k + 1
            rect = QRectF(0, top, width, self.row_height)
            here = k == self.caret.line
            if here:
                painter.fillRect(rect, QColor(p.active_wash))
                painter.fillRect(QRectF(0, top, 3, self.row_height), QColor(p.active))
            if line in self._document.bookmarks:
                tab = QPolygonF(
                    [QPointF(0, top + 2), QPointF(9, top + 2), QPointF(13, rect.center().y()),
                     QPointF(9, rect.bottom() - 2), QPointF(0, rect.bottom() - 2)]
                )  # fmt: skip
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(QColor(p.active))
                painter.drawPolygon(tab)
            painter.setPen(QColor(p.text if here else p.quiet))
            place = QRectF(0, top, width - _MARK_WIDTH - _FOLD_WIDTH - 4, self.row_height)
            painter.drawText(place, int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter), str(line))
            if self.folds.under(k) is not None:
                painter.setPen(QPen(QColor(p.active), 1.8))
                x, y = width - _MARK_WIDTH - _FOLD_WIDTH / 2.0, rect.center().y()
                painter.drawLine(QPointF(x - 4, y), QPointF(x + 4, y))
                painter.drawLine(QPointF(x, y - 4), QPointF(x, y + 4))
            self._paint_mark(painter, line, width - _MARK_WIDTH / 2.0 - 2.0, rect)
        painter.end()

    def _paint_mark(self, painter: QPainter, line: int, x: float, rect: QRectF) -> None:
        p = self.colours
        mark = self._marks.get(line)
        top, bottom, middle = rect.top(), rect.bottom(), rect.center().y()
        if mark in (CUT, PLUNGE):
            wide = 3.0 if mark == CUT else 8.0
            painter.fillRect(QRectF(x - wide / 2, top, wide, rect.height()), QColor(p.feed))
        elif mark == RAPID:
            pen = QPen(QColor(p.rapid), 1.6)
            pen.setDashPattern([3.0, 2.0])
            painter.setPen(pen)
            painter.drawLine(QPointF(x, top), QPointF(x, bottom))
        elif mark == CHANGE:
            painter.fillRect(QRectF(x - 6, middle - 1.2, 12, 2.4), QColor(p.text))
        elif mark == STOP:
            painter.setPen(QPen(QColor(p.text), 1.6))
            painter.drawLine(QPointF(x - 4, middle - 4), QPointF(x - 4, middle + 4))
            painter.drawLine(QPointF(x, middle - 4), QPointF(x, middle + 4))
        finding = self._finding_of_row(line)
        if finding is not None:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(p.panel))
            painter.drawEllipse(QPointF(x, middle), 8.0, 8.0)
            draw_mark(painter, finding.severity, QPointF(x, middle), 5.5, p)

    def _finding_of_row(self, line: int) -> Finding | None:
        """The line's finding, or the gravest of those folded away under it."""
        under = self.folds.under(line - 1)
        if under is None:
            return self._findings.get(line)
        there = [f for k, f in self._findings.items() if line <= k <= under[1] + 1]
        return max(there, key=lambda f: f.severity, default=None)

    def line_at_y(self, y: float) -> int:
        """The line (from 1) at a height of the viewport."""
        return self.place_at(QPointF(0.0, y)).line + 1

    def margin_clicked(self, at: QPointF) -> None:
        line = self.line_at_y(at.y())
        finding = self._finding_of_row(line)
        if self.folds.under(line - 1) is not None and at.x() < self.margin_width - _MARK_WIDTH:
            self.toggle_fold(line)
        elif finding is not None:
            self.finding_clicked.emit(finding)
        else:
            self._document.select_line(line)

    # -- folding -----------------------------------------------------------------------------------------------------

    def _after_folding(self) -> None:
        self._place_bars()
        self.show_caret()
        self.viewport().update()
        if self._margin is not None:
            self._margin.update()

    def toggle_fold(self, line: int | None = None) -> bool:
        """Fold the tool's stretch (or else the subprogram) that a line is in, or open what is folded there."""
        at = (line if line is not None else self.caret.line + 1) - 1
        if self.folds.unfold(at):
            self._after_folding()
            return True
        inside = [s for s in sections(self.buffer.lines) if s.first <= at <= s.last and s.last > s.first]
        if not inside:
            return False
        section = min(inside, key=lambda s: s.last - s.first)
        self._put_caret_on(section.first)
        self.folds.fold(section.first + 1, section.last)
        self._after_folding()
        return True

    def _put_caret_on(self, line: int) -> None:
        """A fold must not open at once because the caret is in it."""
        if self.caret.line != line:
            self.put_caret(Place(line, 0))

    def fold_all(self, kind: str) -> bool:
        """Fold every tool's stretch ("tool") or every subprogram ("program"). False: there is none."""
        found = [s for s in sections(self.buffer.lines) if s.kind == kind and s.last > s.first]
        if kind == "program":
            found = [s for s in found if s.first > 0]
        for section in found:
            if section.first < self.caret.line <= section.last:
                self._put_caret_on(section.first)
            self.folds.fold(section.first + 1, section.last)
        self._after_folding()
        return bool(found)

    def unfold_all(self) -> None:
        self.folds.clear()
        self._after_folding()

    # -- bookmarks ---------------------------------------------------------------------------------------------------

    def toggle_bookmark(self) -> None:
        """Mark the line with the caret to come back to, or take its mark away."""
        self._document.toggle_bookmark(self.caret.line + 1)

    def next_bookmark(self, way: int = 1) -> bool:
        """To the next marked line, or the one before; round at the ends. False: none is marked."""
        marked, here = sorted(self._document.bookmarks), self.caret.line + 1
        if not marked:
            return False
        beyond = [k for k in marked if (k > here if way > 0 else k < here)]
        self.go_to((beyond or marked)[0 if way > 0 else -1])
        return True

    # -- text --------------------------------------------------------------------------------------------------------

    def _take_text(self) -> None:
        """A new document: its text, with a fresh undo history."""
        self._marks, self._findings = LineMarks(), {}
        self.read_only = not self._document.source.is_text
        self._place_margin()
        self.show_anew()

    def _on_buffer_changed(self, change: Change) -> None:
        super()._on_buffer_changed(change)
        self._marks.follow(change)
        if change.growth and self._findings:
            self._findings = {line_after(k - 1, change) + 1: f for k, f in self._findings.items()}

    def paint_lines(self, first: int, last: int) -> None:
        super().paint_lines(first, last)
        if self._margin is not None:
            top, bottom = max(self.top_of(first), 0.0), self.top_of(last) + self.row_height
            if bottom > top:
                self._margin.update(0, int(top), self.margin_width, int(min(bottom - top, 1e5)) + 1)

    def _on_buffer_finished(self) -> None:
        super()._on_buffer_finished()
        self._place_margin()

    def _on_caret_moved(self) -> None:
        # While typing, the moment waits for the proof; looking around moves it at once.
        if not self._following:
            self._document.select_line(self.caret.line + 1, move_moment=self._document.proof_is_current)

    def _on_line_changed(self, line: int) -> None:
        if self.caret.line + 1 == line or line > len(self.buffer.lines):
            return
        if self.stays:
            return
        self._following = True
        self.put_caret(Place(line - 1, 0))
        self._following = False
        self.show_line(line - 1)

    def go_to(self, line: int) -> None:
        """Put the caret on a line (from 1)."""
        self.put_caret(Place(line - 1, 0))
        self.show_line(self.caret.line)
        self.setFocus()

    def make_fix(self, fix: Fix) -> None:
        """Change the text as a fix says, as one step that can be undone, and stand on what was changed."""
        first = min(fix.line - 1, len(self.buffer.lines))
        self.buffer.change_lines(first, len(fix.before), fix.after)
        self.go_to(fix.line)

    def change_lines(self, edit: Callable[[Sequence[str]], Sequence[str]], whole: bool = False) -> bool:
        """Change the selected lines (or all, without a selection or with ``whole``) as one step. False: nothing changed."""
        first, last = 0, len(self.buffer.lines) - 1
        if self.anchor != self.caret and not whole:
            first, last = self.selected_lines()
        return self._change(first, last, edit)

    def change_line_here(self, edit: Callable[[Sequence[str]], Sequence[str]]) -> bool:
        """Change the selected lines, or the one with the caret."""
        return self._change(*self.selected_lines(), edit)

    def _change(self, first: int, last: int, edit: Callable[[Sequence[str]], Sequence[str]]) -> bool:
        return self.replace_lines(first, last, edit(tuple(self.buffer.lines[first : last + 1])))

    def take_in(self, data: QMimeData | None) -> None:
        first = self.selection[0].line
        super().take_in(data)
        if data is not None and data.hasText() and not self.read_only:
            last = self.caret.line
            said = cleaned(self.buffer.lines[first : last + 1]).said
            if said:
                self.pasted_badly.emit(first, last, said)

    def insert_below(self, lines: Sequence[str]) -> None:
        """Lines under the one with the caret (in its place where it is empty), as one step; they are selected then."""
        if self.read_only or not lines:
            return
        at = self.caret.line
        empty = not self.buffer.lines[at].strip()
        first = at if empty else at + 1
        count = 1 if empty and at < len(self.buffer.lines) - 1 else 0
        self.buffer.change_lines(first, count, list(lines))
        last = first + len(lines) - 1
        self.select(Place(last, len(self.buffer.lines[last])), Place(first, 0))
        self.show_line(first)

    def replace_lines(self, first: int, last: int, new: Sequence[str]) -> bool:
        """Others in the place of these lines (from 0, both within), as one step. False: nothing changed."""
        if self.read_only:
            return False
        at, chosen = self.caret, self.anchor != self.caret
        old = self.buffer.lines[first : last + 1]
        if not self.buffer.change_lines(first, len(old), new, at):
            return False
        if chosen:
            end = first + len(new) - 1
            self.select(Place(first, 0), Place(end, len(self.buffer.lines[end])))
        else:
            self.put_caret(at)
        return True

    # -- proof -------------------------------------------------------------------------------------------------------

    def show_proof(self) -> None:
        """Marks and findings of the document's proof."""
        self._on_proof_changed()

    def _on_proof_changed(self) -> None:
        proof = self._document.proof
        self._findings = {}
        self._marks = LineMarks(proof)
        if proof is not None:
            for finding in sorted(proof.troubles, key=lambda f: f.severity):
                self._findings[finding.line] = finding
        if self._margin is not None:
            self._margin.update()

    def _on_finding_changed(self) -> None:
        finding = self._document.finding
        if finding is not None and finding.line <= len(self.buffer.lines):
            self.show_line(finding.line - 1)
        if self._margin is not None:
            self._margin.update()

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self.focused.emit(self)

    # -- what may stand here -----------------------------------------------------------------------------------------

    def type(self, text: str) -> None:
        super().type(text)
        if text.isalpha() or self.completion.isVisible():
            self.offer_words(asked=False)

    def offer_words(self, *, asked: bool = True) -> None:
        """Offer what may stand at the caret; without being asked only where a word has just begun."""
        job = self._document.job
        text = self.buffer.lines[self.caret.line]
        if job is None or self.read_only or self.anchor != self.caret:
            self.completion.hide()
            return
        if not asked and begun(text, self.caret.column) is None:
            self.completion.hide()
            return
        found = suggestions(job, text, self.caret.column, self.stand(), self.buffer.lines)
        self.completion.offer(found)
        if found:
            rect = self.caret_rect().translated(self.viewport().pos())
            size = self.completion.sizeHint()
            x = min(rect.left() - 8, max(self.width() - size.width() - 12, self.margin_width))
            below = rect.bottom() + 2
            y = below if below + size.height() < self.height() else rect.top() - size.height() - 2
            self.completion.move(max(x, 0), max(y, 0))
            self.completion.raise_()

    def take_word(self) -> None:
        """Put the word that is marked in the place of what was begun."""
        choice = self.completion.choice
        if choice is None:
            return
        line, column = self.caret
        at = begun(self.buffer.lines[line], column)
        start = Place(line, at[0]) if at is not None else self.caret
        self.completion.hide()
        self.put_caret(self.buffer.replace(start, self.caret, choice.text))

    def focusNextPrevChild(self, forwards: bool) -> bool:
        if self.completion.isVisible():
            self.take_word()
            return True
        return super().focusNextPrevChild(forwards)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self.completion.hide()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.completion.hide()
        self.focused.emit(self)
        super().mousePressEvent(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        if self.completion.isVisible() and not event.modifiers():
            if key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
                self.completion.move_choice(1 if key == Qt.Key.Key_Down else -1)
                return
            if key == Qt.Key.Key_Escape:
                self.completion.hide()
                return
        # Escape leaves the text for the glass, so that single keys act there.
        if key == Qt.Key.Key_Escape:
            self.clearFocus()
            event.ignore()
            return
        before = self.caret
        super().keyPressEvent(event)
        if self.completion.isVisible() and key == Qt.Key.Key_Backspace:
            self.offer_words(asked=False)
        elif (self.completion.isVisible() and not event.text() and self.caret != before) or key in (
            Qt.Key.Key_Return,
            Qt.Key.Key_Enter,
        ):
            self.completion.hide()


class _Margin(QWidget):
    """The strip beside the text; the editor paints it."""

    def __init__(self, editor: ProgramEditor) -> None:
        super().__init__(editor)
        self._editor = editor
        self.setAccessibleName("Line numbers and marks")

    def sizeHint(self) -> QSize:
        return QSize(self._editor.margin_width, 0)

    def paintEvent(self, event: QPaintEvent) -> None:
        self._editor.paint_margin(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._editor.margin_clicked(event.position())

    def wheelEvent(self, event: QWheelEvent) -> None:
        self._editor.wheelEvent(event)
