"""At the cursor: what is in force before the block, what the block changes, and a cycle's letters with their drawing."""

from __future__ import annotations

import html

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QScrollArea, QVBoxLayout, QWidget

from underglass.app.document import Document
from underglass.app.parts.basic import rich
from underglass.app.parts.figure_view import FigureView
from underglass.app.style.palette import Palette
from underglass.core.control.words import g_name
from underglass.core.language.block import read_block
from underglass.core.proof.complete import cycle_of
from underglass.core.proof.cycle_picture import cycle_picture
from underglass.core.proof.standing import Standing


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
        self.figure = FigureView(palette)
        self.figure.setMinimumHeight(210)
        self.figure.setAccessibleName("The cycle's letters")
        self._cycle_words, self._table = rich(), rich()
        for part in (self._cycle_words, self._table):
            part.setContentsMargins(12, 8, 12, 8)
        self._table.setAccessibleName("Active at the cursor")
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
        self.figure.set_palette(p)
        self.figure.setVisible(found is not None)
        to_level = standing is not None and standing.after.cycle_return == "G99"
        words = {w.letter: w.text for w in block.words}
        self.figure.show_strokes(cycle_picture(found[1], words, to_level=to_level) if found else ())
        self._cycle_words.setVisible(found is not None)
        if found is not None:
            letters = "<br>".join(
                f"<span style=\"font-family:'JetBrains Mono'\"><b>{letter}</b></span> {html.escape(said)}"
                for _n, letter, said in found[1].inputs
            )
            self._cycle_words.setText(
                f"<b>{g_name(found[0])}</b> {html.escape(found[1].cycle.said.lower())}<br>{letters}"
            )
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
