"""The line on top: what is open, how the proof stands, units, and the way to every command."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QWidget

from underglass.app.document import Document
from underglass.app.parts.basic import label
from underglass.app.style.icons import icon
from underglass.app.style.palette import Palette
from underglass.core.finding import Severity, worst
from underglass.core.proof.proof import Proof

_WORDS = {Severity.CRASH: "crash", Severity.FAULT: "fault", Severity.CAUTION: "caution", Severity.NOTE: "note"}
_SIGNS = {Severity.CRASH: "◆", Severity.FAULT: "■", Severity.CAUTION: "△", Severity.NOTE: "○"}


def outcome_words(proof: Proof) -> str:
    """``1 crash, 2 cautions``, the worst two kinds; or that there is nothing."""
    parts = []
    for severity in (Severity.CRASH, Severity.FAULT, Severity.CAUTION, Severity.NOTE):
        count = sum(f.severity == severity for f in proof.to_mend)
        if count:
            plural = "" if count == 1 else "es" if severity == Severity.CRASH else "s"
            parts.append(f"{count} {_WORDS[severity]}{plural}")
    said = ", ".join(parts[:2]) or "clean"
    after = [f for f in proof.troubles if f.because is not None and not f.accepted]
    gravest = worst(tuple(after))
    if after and gravest > worst(proof.to_mend):
        count = sum(f.severity == gravest for f in after)
        plural = "" if count == 1 else "es" if gravest == Severity.CRASH else "s"
        said += f", {count} {_WORDS[gravest]}{plural} from it"
    return said


class Header(QWidget):
    """Title, file, outcome, search, units."""

    search_asked = Signal()
    outcome_clicked = Signal()

    def __init__(self, document: Document, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("header")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(40)
        self._document = document
        self._palette = palette
        self._title = label(bold=True, pixels=14)
        self._file = label(quiet=True)
        self.outcome = QPushButton()
        self.outcome.setAccessibleName("How the proof stands")
        self.outcome.clicked.connect(self.outcome_clicked)
        self.menu = QMenu(self)
        self.menu_button = QPushButton("Menu")
        self.menu_button.setAccessibleName("Menu")
        self.menu_button.setToolTip("Open, save, undo, export, settings, help")
        self.menu_button.setMenu(self.menu)
        self.search = QPushButton("Find a command    Ctrl+K")
        self.search.setAccessibleName("Search commands")
        self.search.clicked.connect(self.search_asked)
        self.mm = self._unit_button("mm")
        self.inch = self._unit_button("inch")
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 0, 14, 0)
        row.setSpacing(12)
        row.addWidget(self._title)
        row.addWidget(self._file)
        row.addWidget(self.outcome)
        row.addStretch(1)
        row.addWidget(self.menu_button)
        row.addWidget(self.search)
        pair = QHBoxLayout()
        pair.setSpacing(0)
        pair.addWidget(self.mm)
        pair.addWidget(self.inch)
        row.addLayout(pair)
        for signal in (document.job_changed, document.proof_changed, document.units_changed):
            signal.connect(self.refresh)
        document.modified_changed.connect(self._on_modified_changed)
        document.proving_changed.connect(self._on_proving_changed)
        self.refresh()

    def _unit_button(self, unit: str) -> QPushButton:
        button = QPushButton(unit)
        button.setCheckable(True)
        button.setToolTip(f"Show lengths in {unit}")
        button.clicked.connect(lambda: self._document.set_units("inch" if unit == "inch" else "mm"))
        return button

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        self.refresh()

    def _on_modified_changed(self, _modified: bool) -> None:
        self.refresh()

    def _on_proving_changed(self, _what: str, _share: float) -> None:
        self.refresh()

    def refresh(self) -> None:
        document, p = self._document, self._palette
        job = document.job
        self._title.setText(job.title if job else "Under Glass")
        name = document.source.name if job else ""
        if job is not None and job.title == name:
            # A bare program is called by its file: once is enough.
            name = ""
        self._file.setText(f"{name} ●".strip() if document.modified else name)
        self._file.setToolTip("Not saved yet" if document.modified else "")
        self.mm.setChecked(document.units == "mm")
        self.inch.setChecked(document.units == "inch")
        self.search.setIcon(icon("magnifying-glass", p.quiet))
        self.outcome.setVisible(job is not None)
        what, share = document.proving
        if what:
            colour, text = p.active, f"{what} {share:.0%}" if share else what
        elif document.proof is None:
            colour, text = p.quiet, "no proof yet"
        else:
            proof = document.proof
            gravest = worst(proof.findings)
            colour = p.severity(gravest)
            sign = _SIGNS[gravest] + " " if proof.to_mend else ""
            text = f"{sign}proof: {outcome_words(proof)}"
        self.outcome.setText(text)
        self.outcome.setStyleSheet(f"color: {colour}; border-color: {colour};")
