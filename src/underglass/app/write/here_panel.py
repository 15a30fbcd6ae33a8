"""At the cursor: what is in force before the block, what the block changes, and a cycle's letters with their drawing."""

from __future__ import annotations

import html

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QScrollArea, QVBoxLayout, QWidget

from underglass.app.document import Document
from underglass.app.parts.basic import rich
from underglass.app.style.palette import Palette
from underglass.app.style.theme import number_font
from underglass.core.control.cycles import Cycle
from underglass.core.control.words import g_name
from underglass.core.language.block import read_block
from underglass.core.proof.complete import cycle_of, inputs_of
from underglass.core.proof.said import CYCLE_SAID
from underglass.core.proof.standing import Standing


class CycleFigure(QWidget):
    """A hole in section: heights from top to bottom with the letters that name them, and the tool's way down and up."""

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self._palette = palette
        self._cycle: Cycle | None = None
        self._words: dict[str, str] = {}
        self.setMinimumHeight(210)
        self.setAccessibleName("The cycle's letters")

    def sizeHint(self) -> QSize:
        return QSize(300, 220)

    def show_cycle(self, cycle: Cycle | None, words: dict[str, str], palette: Palette) -> None:
        """``words`` are those written in the block, by letter."""
        self._cycle, self._words, self._palette = cycle, words, palette
        self.setVisible(cycle is not None)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        p, cycle = self._palette, self._cycle
        painter.fillRect(self.rect(), QColor(p.ground))
        if cycle is None:
            painter.end()
            return
        w, h = float(self.width()), float(self.height())
        top, level, face, floor = 0.10 * h, 0.30 * h, 0.40 * h, 0.86 * h
        x0, hole, x1 = 0.10 * w, 24.0, 0.62 * w
        middle = (x0 + x1) / 2.0
        stock = QColor(p.stock)
        stock.setAlpha(110)
        painter.fillRect(QRectF(x0, face, middle - hole - x0, h - face - 8), stock)
        painter.fillRect(QRectF(middle + hole, face, x1 - middle - hole, h - face - 8), stock)
        painter.fillRect(QRectF(middle - hole, floor, 2 * hole, h - floor - 8), stock)
        painter.setFont(number_font(12))
        names = {name: letter for name, letter, _said in inputs_of(cycle)}

        def height(y: float, name: str, plain: str) -> None:
            painter.setPen(QPen(QColor(p.quiet), 1.0, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(x0, y), QPointF(x1 + 8, y))
            letter = names.get(name, "")
            have = letter in self._words
            painter.setPen(QColor(p.text if have or not letter else p.caution))
            text = self._words.get(letter, f"{letter} is missing" if letter else plain)
            painter.drawText(QRectF(x1 + 14, y - 10, w - x1 - 16, 20), Qt.AlignmentFlag.AlignVCenter, text)

        height(top, "", "start, G98")
        height(level, "level", "R")
        height(floor, "bottom", "Z")
        rapid, feed = QPen(QColor(p.rapid), 1.6), QPen(QColor(p.feed), 2.2)
        rapid.setDashPattern([3.0, 2.0])
        painter.setPen(rapid)
        painter.drawLine(QPointF(middle - 6, top), QPointF(middle - 6, level))
        painter.setPen(feed)
        if cycle.does in ("peck", "chip-break"):
            count, y = 4, level
            step = (floor - level) / count
            for k in range(count):
                x = middle - 6 + 4.0 * k
                painter.setPen(feed)
                painter.drawLine(QPointF(x, y), QPointF(x, y + step))
                painter.setPen(rapid)
                back = level if cycle.does == "peck" else y + step - 7
                painter.drawLine(QPointF(x + 2, y + step), QPointF(x + 2, back))
                y += step
            letter = names["step"]
            painter.setPen(QPen(QColor(p.belief), 1.2))
            painter.drawLine(QPointF(middle - hole - 9, level), QPointF(middle - hole - 9, level + step))
            painter.setPen(QColor(p.text if letter in self._words else p.caution))
            said = self._words.get(letter, f"{letter}?")
            painter.drawText(QRectF(x0 - 4, level + step / 2 - 10, middle - hole - 16 - x0, 20), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, said)  # fmt: skip
        else:
            painter.drawLine(QPointF(middle - 6, level), QPointF(middle - 6, floor))
        slow_out = cycle.does in ("bore", "bore-dwell", "tap", "tap-left")
        painter.setPen(feed if slow_out else rapid)
        painter.drawLine(QPointF(middle + 12, floor), QPointF(middle + 12, level))
        painter.setPen(rapid)
        painter.drawLine(QPointF(middle + 12, level), QPointF(middle + 12, top))
        for name in ("dwell", "aside"):
            if name in names:
                letter = names[name]
                painter.setPen(QColor(p.text if letter in self._words else p.caution))
                said = self._words.get(letter, f"{letter}?") + (" wait" if name == "dwell" else " aside")
                painter.drawText(QRectF(middle - hole, floor + 1, 3 * hole, 18), Qt.AlignmentFlag.AlignLeft, said)
        painter.end()


class HerePanel(QScrollArea):
    """A table of what is in force; what the block changes is heavier, with what it was."""

    def __init__(self, document: Document, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._palette = palette
        self._standing: Standing | None = None
        self.setWidgetResizable(True)
        self.setFrameShape(QScrollArea.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        inner = QWidget()
        inner.setObjectName("panel")
        self.figure = CycleFigure(palette)
        self._cycle_words, self._table = rich(), rich()
        for part in (self._cycle_words, self._table):
            part.setContentsMargins(12, 8, 12, 8)
        self._table.setAccessibleName("In force at the cursor")
        box = QVBoxLayout(inner)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(self.figure)
        box.addWidget(self._cycle_words)
        box.addWidget(self._table)
        box.addStretch(1)
        self.setWidget(inner)
        self.show_standing(None)

    @property
    def text(self) -> str:
        return self._table.text()

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        self.show_standing(self._standing)

    def show_standing(self, standing: Standing | None) -> None:
        """What holds at the document's line; None: nobody knows yet, or the program never comes there."""
        self._standing = standing
        p, job = self._palette, self._document.job
        text = self._document.line_text(self._document.line)
        found = cycle_of(job, text, standing) if job is not None else None
        block = read_block(text, 1)
        if found is not None and not any(w.letter in "XYZRQ" for w in block.words):
            found = None
        self.figure.show_cycle(found[1] if found else None, {w.letter: w.text for w in block.words}, p)
        self._cycle_words.setVisible(found is not None)
        if found is not None:
            letters = "<br>".join(
                f"<span style=\"font-family:'JetBrains Mono'\"><b>{letter}</b></span> {html.escape(said)}"
                for _n, letter, said in inputs_of(found[1])
            )
            self._cycle_words.setText(f"<b>{g_name(found[0])}</b> {CYCLE_SAID[found[1].does].lower()}<br>{letters}")
        if job is None:
            self._table.setText("")
            return
        if standing is None:
            proof = self._document.proof
            said = "The program never comes to this line." if proof is not None else "Not proved yet."
            self._table.setText(f'<span style="color:{p.quiet}">{said}</span>')
            return
        out = ['<table cellspacing="0" cellpadding="2" width="100%">']
        for row in standing.rows():
            after = html.escape(row.after)
            if row.changed:
                was = html.escape(row.before)
                shown = f'<b style="color:{p.active}">{after}</b><br><span style="color:{p.quiet}; font-size:11px">was {was}</span>'
            else:
                shown = after
            out.append(
                f'<tr><td style="color:{p.quiet}">{html.escape(row.what)}&nbsp;&nbsp;</td>'
                f'<td align="right" style="font-family:\'JetBrains Mono\'; font-size:12px">{shown}</td></tr>'
            )
        out.append("</table>")
        self._table.setText("".join(out))
