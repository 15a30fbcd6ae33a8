"""The block reader: the chosen block in words, and what was found there."""

from __future__ import annotations

import html

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from underglass.app.document import Document
from underglass.app.parts.basic import label
from underglass.app.style.palette import Palette
from underglass.app.style.theme import number_font, words_font
from underglass.core.control.state import Vector
from underglass.core.proof.fixes import Fix, RegisterFix, fix_for, register_fix_for
from underglass.core.proof.proof import Proof
from underglass.core.proof.reader import read_out
from underglass.core.units import show_length


class ReaderPanel(QWidget):
    """Sentences for the document's line, and what can be put right there by one change, shown before it is made."""

    fix_asked = Signal(object)

    def __init__(self, document: Document, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("sunk")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._document = document
        self._palette = palette
        self._name = label(quiet=True, pixels=12)
        self._words = QLabel()
        self._words.setFont(words_font(13))
        self._words.setWordWrap(True)
        self._words.setTextFormat(Qt.TextFormat.RichText)
        self._words.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft)
        self._words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._words.setAccessibleName("The block in words")
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFrameShape(QScrollArea.Shape.NoFrame)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setObjectName("sunk")
        area.viewport().setObjectName("sunk")
        area.setWidget(self._words)
        self._words.setObjectName("sunk")
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 9, 10, 8)
        box.setSpacing(5)
        box.addWidget(self._name)
        box.addWidget(area, 1)
        self.fix: Fix | RegisterFix | None = None
        self._preview = QLabel()
        self._preview.setFont(number_font(12))
        self._preview.setTextFormat(Qt.TextFormat.RichText)
        self._preview.setAccessibleName("The change that is offered")
        self.fix_button = QPushButton()
        self.fix_button.setToolTip("Make this change in the program (Alt+Return); it can be undone")
        self.fix_button.clicked.connect(self.make_fix)
        row = QHBoxLayout()
        row.setSpacing(10)
        row.addWidget(self.fix_button)
        row.addStretch(1)
        box.addWidget(self._preview)
        box.addLayout(row)
        document.line_changed.connect(self._on_line_changed)
        for signal in (document.proof_changed, document.text_changed, document.units_changed, document.finding_changed):
            signal.connect(self.refresh)

    @property
    def text(self) -> str:
        """What it says, with its markup."""
        return self._words.text()

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        self.refresh()

    def _fix_here(self, proof: Proof | None, line: int) -> Fix | RegisterFix | None:
        """For the chosen finding if it stands here, else for the gravest one that does; none while the text is ahead of the proof."""
        if proof is None or not self._document.proof_is_current:
            return None
        here = [f for f in proof.to_mend if f.line == line]
        here.sort(key=lambda f: (f != self._document.finding, -f.severity))
        for finding in here:
            fix = fix_for(finding, proof.source.lines) or register_fix_for(finding, proof.job)
            if fix is not None:
                return fix
        return None

    def _offer(self, fix: Fix | RegisterFix | None) -> None:
        self.fix = fix
        self.fix_button.setVisible(fix is not None)
        self._preview.setVisible(fix is not None)
        if fix is None:
            return
        p = self._palette
        if isinstance(fix, RegisterFix):
            was, now = (self._said(fix, value) for value in (fix.before, fix.after))
            self._preview.setText(
                f'<span style="color:{p.belief}">{fix.key}</span> '
                f'<span style="color:{p.quiet}"><s>{was}</s></span> <span style="color:{p.active}">{now}</span>'
            )
            self.fix_button.setText(fix.title)
            return
        rows = [f'<span style="color:{p.quiet}">\u2212 <s>{html.escape(text)}</s></span>' for text in fix.before]
        rows += [f'<span style="color:{p.active}">+ {html.escape(text)}</span>' for text in fix.after]
        self._preview.setText("<br>".join(rows))
        self.fix_button.setText(fix.title)

    def _said(self, fix: RegisterFix, value: float | Vector | None) -> str:
        """A register's value as it stands in the control."""
        job = self._document.job
        if value is None or job is None:
            return "not set"
        if isinstance(value, tuple):
            return " ".join(f"{axis}{show_length(v, job.units)}" for axis, v in zip("XYZ", value))
        doubled = fix.group == "radius" and job.control.d_register == "diameter"
        return show_length(value * (2.0 if doubled else 1.0), job.units)

    def make_fix(self) -> None:
        """Make the change that is offered."""
        if self.fix is not None:
            if isinstance(self.fix, RegisterFix):
                self._document.set_register(self.fix)
            else:
                self.fix_asked.emit(self.fix)

    def _on_line_changed(self, _line: int) -> None:
        self.refresh()

    def refresh(self) -> None:
        document = self._document
        line = document.line
        text = document.line_text(line)
        proof = document.proof
        if document.job is None:
            self._name.setText("")
            self._words.setText("")
            self._offer(None)
            return
        self._offer(self._fix_here(proof, line))
        reading = read_out(proof, text, line, document.units)
        self._name.setText(f"What {reading.name if reading.name.startswith('N') else reading.name.lower()} does")
        said = " ".join(html.escape(s) for s in reading.sentences)
        for finding in proof.troubles if proof is not None else ():
            if finding.line == line and finding.accepted:
                said += f' <span style="color:{self._palette.quiet}">{html.escape(finding.message)}: accepted, {html.escape(finding.accepted)}.</span>'
            elif finding.line == line:
                colour = self._palette.severity(finding.severity)
                said += f' <b style="color:{colour}">{html.escape(finding.message)}.</b> {html.escape(finding.remedy[:1].upper() + finding.remedy[1:])}.'
        if reading.leaves:
            said += f'<p style="margin-top:5px; color:{self._palette.quiet}">Active after this block: {html.escape(reading.leaves)}</p>'
        self._words.setText(said)
