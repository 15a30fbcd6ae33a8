"""The program as text: line numbers, marks in the margin, words by role. Fast at any length: only what is seen is coloured."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

import numpy as np
from PySide6.QtCore import QPointF, QRect, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QFont,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QTextBlock,
    QTextCharFormat,
    QTextCursor,
    QTextLayout,
)
from PySide6.QtWidgets import QPlainTextEdit, QWidget

from underglass.app.document import Document
from underglass.app.parts.marks import draw_mark
from underglass.app.style.palette import Palette
from underglass.app.style.theme import number_font
from underglass.core.control.words import OFFSET_NAMES, g_key
from underglass.core.finding import Finding
from underglass.core.language import edits
from underglass.core.language.block import read_block
from underglass.core.proof.fixes import Fix
from underglass.core.proof.proof import Proof

CUT, PLUNGE, RAPID, CHANGE, STOP = "cut", "plunge", "rapid", "change", "stop"
_MARK_WIDTH = 22


def word_roles(text: str) -> list[tuple[int, int, str]]:
    """(start, end, role) of the stretches of a line that are not plain ink.

    Roles: number (N), cut, travel, belief (a word that reads a register), remark, problem.
    """
    block = read_block(text, 1)
    out = [(r.start, r.end, "remark") for r in block.remarks]
    out += [(p.start, p.end, "problem") for p in block.problems]
    for word in block.words:
        key = g_key(word.value) if word.letter == "G" else None
        if word.letter == "N":
            out.append((word.start, word.end, "number"))
        elif word.letter in "HD" or (key is not None and key in OFFSET_NAMES):
            out.append((word.start, word.end, "belief"))
        elif key in (10, 20, 30):
            out.append((word.start, word.end, "cut"))
        elif key == 0:
            out.append((word.start, word.end, "travel"))
    return out


def line_marks(proof: Proof) -> dict[int, str]:
    """What each line's mark in the margin is."""
    motions = proof.motions
    out: dict[int, str] = {}
    if len(motions):
        step = motions.end - motions.start
        down = (np.hypot(step[:, 0], step[:, 1]) < 1e-6) & (step[:, 2] < 0) & (motions.sweep == 0.0)
        mark = np.where(motions.rapid(), 0, np.where(down, 1, 2))
        for line, m in zip(motions.line.tolist(), mark.tolist()):
            out[line] = (RAPID, PLUNGE, CUT)[m]
    for event in motions.events:
        out[event.line] = CHANGE if event.kind == "tool-change" else STOP
    return out


TEXT_EDITS: tuple[tuple[str, Callable[[Sequence[str]], tuple[str, ...]], bool], ...] = (
    ("Number the blocks: N10, N20 …", edits.renumber, True),
    ("Take the block numbers away", edits.strip_numbers, True),
    ("Put spaces between the words", edits.spaced, False),
    ("Take the spaces out", edits.unspaced, False),
    ("Upper case", edits.in_case, False),
)
"""Commands that change the text: name, what they do, and whether always to the whole program."""


class ProgramEditor(QPlainTextEdit):
    """The editor of one document's text. Typing goes to the document; the document's line comes back as the cursor."""

    finding_clicked = Signal(object)

    def __init__(self, document: Document, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._palette = palette
        self._marks: Mapping[int, str] = {}
        self._findings: dict[int, Finding] = {}
        self._taking = False
        self._coloured: dict[int, str] = {}
        self._formats: dict[str, QTextCharFormat] = {}
        self.setFont(number_font(13))
        self.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.setFrameShape(QPlainTextEdit.Shape.NoFrame)
        self.setCursorWidth(2)
        self.setTabChangesFocus(True)
        self.document().setDocumentMargin(4)
        self.setAccessibleName("Program")
        self.setMouseTracking(True)
        self._margin = _Margin(self)
        self._typed = QTimer(self)
        self._typed.setSingleShot(True)
        self._typed.setInterval(0)
        self._typed.timeout.connect(self._send_text)
        self.blockCountChanged.connect(self._place_margin)
        self.updateRequest.connect(self._on_update_request)
        self.textChanged.connect(self._on_typed)
        self.cursorPositionChanged.connect(self._on_cursor_moved)
        document.job_changed.connect(self._take_text)
        document.proof_changed.connect(self._on_proof_changed)
        document.line_changed.connect(self._on_line_changed)
        document.finding_changed.connect(self._on_finding_changed)
        self.set_palette(palette)
        self._place_margin()

    # -- looks -------------------------------------------------------------------------------------------------------

    def set_palette(self, palette: Palette) -> None:
        """Take another theme."""
        self._palette = palette
        plain = QTextCharFormat()
        plain.setForeground(QColor(palette.text))

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
        self._coloured.clear()
        self.viewport().update()
        self._margin.update()

    def _colour(self, block: QTextBlock) -> None:
        text = block.text()
        number = block.blockNumber()
        layout = block.layout()
        if self._coloured.get(number) == text and (layout.formats() or not text):
            return
        ranges = []
        for start, end, role in word_roles(text):
            part = QTextLayout.FormatRange()
            part.start, part.length, part.format = start, end - start, self._formats[role]
            ranges.append(part)
        layout.setFormats(ranges)
        if len(self._coloured) > 20_000:
            self._coloured.clear()
        self._coloured[number] = text

    def paintEvent(self, event: QPaintEvent) -> None:
        first = self.firstVisibleBlock()
        block = first
        bottom = self.viewport().height()
        while block.isValid():
            if self.blockBoundingGeometry(block).translated(self.contentOffset()).top() > bottom:
                break
            self._colour(block)
            block = block.next()
        painter = QPainter(self.viewport())
        here = self.textCursor().block()
        if here.isValid():
            rect = self.blockBoundingGeometry(here).translated(self.contentOffset())
            painter.fillRect(
                QRectF(0, rect.top(), self.viewport().width(), rect.height()), QColor(self._palette.active_wash)
            )
        painter.end()
        super().paintEvent(event)

    # -- margin ------------------------------------------------------------------------------------------------------

    @property
    def margin_width(self) -> int:
        digits = max(3, len(str(max(1, self.blockCount()))))
        return self.fontMetrics().horizontalAdvance("0") * digits + 14 + _MARK_WIDTH

    def _place_margin(self, _count: int = 0) -> None:
        self.setViewportMargins(self.margin_width, 0, 0, 0)
        inside = self.contentsRect()
        self._margin.setGeometry(QRect(inside.left(), inside.top(), self.margin_width, inside.height()))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._place_margin()

    def _on_update_request(self, rect: QRect, dy: int) -> None:
        if dy:
            self._margin.scroll(0, dy)
        self._margin.update(0, rect.y(), self._margin.width(), rect.height())

    def paint_margin(self, event: QPaintEvent) -> None:
        """Line numbers and marks beside the lines that are seen."""
        p = self._palette
        painter = QPainter(self._margin)
        painter.fillRect(event.rect(), QColor(p.panel))
        painter.setFont(number_font(12))
        width = self._margin.width()
        block = self.firstVisibleBlock()
        while block.isValid():
            rect = self.blockBoundingGeometry(block).translated(self.contentOffset())
            if rect.top() > event.rect().bottom():
                break
            line = block.blockNumber() + 1
            here = line == self.textCursor().blockNumber() + 1
            if here:
                painter.fillRect(QRectF(0, rect.top(), width, rect.height()), QColor(p.active_wash))
                painter.fillRect(QRectF(0, rect.top(), 3, rect.height()), QColor(p.active))
            painter.setPen(QColor(p.text if here else p.quiet))
            place = QRectF(0, rect.top(), width - _MARK_WIDTH - 4, rect.height())
            painter.drawText(place, int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter), str(line))
            self._paint_mark(painter, line, width - _MARK_WIDTH / 2.0 - 2.0, rect)
            block = block.next()
        painter.end()

    def _paint_mark(self, painter: QPainter, line: int, x: float, rect: QRectF) -> None:
        p = self._palette
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
        finding = self._findings.get(line)
        if finding is not None:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(p.panel))
            painter.drawEllipse(QPointF(x, middle), 8.0, 8.0)
            draw_mark(painter, finding.severity, QPointF(x, middle), 5.5, p)

    def line_at_y(self, y: float) -> int:
        """The line (from 1) at a height of the viewport."""
        return self.cursorForPosition(self.viewport().rect().topLeft() + QPointF(0, y).toPoint()).blockNumber() + 1

    def margin_clicked(self, y: float) -> None:
        line = self.line_at_y(y)
        finding = self._findings.get(line)
        if finding is not None:
            self.finding_clicked.emit(finding)
        else:
            self._document.select_line(line)

    # -- text --------------------------------------------------------------------------------------------------------

    def _take_text(self) -> None:
        """A new document: its text, with a fresh undo history."""
        self._taking = True
        self._coloured.clear()
        self._marks, self._findings = {}, {}
        self.setPlainText(self._document.text)
        self.setReadOnly(not self._document.source.is_text)
        self._taking = False
        self._place_margin()

    def _on_typed(self) -> None:
        if not self._taking:
            self._typed.start()

    def _send_text(self) -> None:
        self._document.set_text(self.toPlainText())

    def _on_cursor_moved(self) -> None:
        self._margin.update()
        self.viewport().update()
        if not self._taking:
            line = self.textCursor().blockNumber() + 1
            # While typing, the moment waits for the proof; looking around moves it at once.
            self._document.select_line(line, move_moment=not self._typed.isActive() and not self._document.proving[0])

    def _on_line_changed(self, line: int) -> None:
        if self.textCursor().blockNumber() + 1 == line:
            return
        block = self.document().findBlockByNumber(line - 1)
        if not block.isValid():
            return
        self._taking = True
        cursor = QTextCursor(block)
        self.setTextCursor(cursor)
        self._taking = False
        self._show_line(block)

    def _show_line(self, block: QTextBlock) -> None:
        """Bring a line into view with some lines around it."""
        rect = self.blockBoundingGeometry(block).translated(self.contentOffset())
        height = self.viewport().height()
        if rect.top() < rect.height() * 2 or rect.bottom() > height - rect.height() * 2:
            self.verticalScrollBar().setValue(max(0, block.blockNumber() - int(height / max(rect.height(), 1) / 2)))

    def go_to(self, line: int) -> None:
        """Put the cursor on a line."""
        block = self.document().findBlockByNumber(min(max(line, 1), self.blockCount()) - 1)
        self.setTextCursor(QTextCursor(block))
        self._show_line(block)
        self.setFocus()

    def make_fix(self, fix: Fix) -> None:
        """Change the text as a fix says, as one step that can be undone, and stand on what was changed."""
        first = self.document().findBlockByNumber(fix.line - 1)
        cursor = QTextCursor(self.document())
        cursor.beginEditBlock()
        if not first.isValid():
            cursor.movePosition(QTextCursor.MoveOperation.End)
            cursor.insertText("".join(f"\n{text}" for text in fix.after))
        elif not fix.before:
            cursor.setPosition(first.position())
            cursor.insertText("".join(f"{text}\n" for text in fix.after))
        else:
            last = self.document().findBlockByNumber(fix.line - 2 + len(fix.before))
            cursor.setPosition(first.position())
            cursor.setPosition(last.position() + last.length() - 1, QTextCursor.MoveMode.KeepAnchor)
            cursor.insertText("\n".join(fix.after))
        cursor.endEditBlock()
        self.go_to(fix.line)

    def change_lines(self, edit: Callable[[Sequence[str]], tuple[str, ...]], whole: bool = False) -> bool:
        """Change the selected lines (or all, without a selection or with ``whole``) as one step. False: nothing changed."""
        cursor = self.textCursor()
        first, last = 0, self.blockCount() - 1
        if cursor.hasSelection() and not whole:
            document = self.document()
            first = document.findBlock(cursor.selectionStart()).blockNumber()
            last = document.findBlock(max(cursor.selectionEnd() - 1, cursor.selectionStart())).blockNumber()
        lines = tuple(self.toPlainText().split("\n")[first : last + 1])
        changed = edit(lines)
        if changed == lines or self.isReadOnly():
            return False
        at = cursor.blockNumber() + 1
        self.make_fix(Fix("", first + 1, lines, changed))
        self.go_to(at)
        return True

    def change_line_here(self, edit: Callable[[Sequence[str]], tuple[str, ...]]) -> bool:
        """Change the selected lines, or the one with the cursor."""
        cursor = self.textCursor()
        if not cursor.hasSelection():
            cursor.select(QTextCursor.SelectionType.LineUnderCursor)
            at = cursor.blockNumber() + 1
            line = (self.document().findBlockByNumber(at - 1).text(),)
            if edit(line) == line or self.isReadOnly():
                return False
            self.make_fix(Fix("", at, line, edit(line)))
            return True
        return self.change_lines(edit)

    # -- proof -------------------------------------------------------------------------------------------------------

    def _on_proof_changed(self) -> None:
        proof = self._document.proof
        if proof is None:
            self._marks, self._findings = {}, {}
        else:
            self._marks = line_marks(proof)
            self._findings = {}
            for finding in sorted(proof.troubles, key=lambda f: f.severity):
                self._findings[finding.line] = finding
        self._margin.update()

    def _on_finding_changed(self) -> None:
        finding = self._document.finding
        if finding is not None:
            block = self.document().findBlockByNumber(finding.line - 1)
            if block.isValid():
                self._show_line(block)
        self._margin.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        # Escape leaves the text for the glass, so that single keys act there.
        if event.key() == Qt.Key.Key_Escape:
            self.clearFocus()
            event.ignore()
            return
        super().keyPressEvent(event)


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
        self._editor.margin_clicked(event.position().y())
