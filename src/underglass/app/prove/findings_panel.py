"""The findings: choose one, and its line, its moment and its place are shown; filter them, mend them, accept them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PySide6.QtCore import QModelIndex, Qt, QTimer, Signal
from PySide6.QtGui import QActionGroup, QImage
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QLineEdit,
    QListView,
    QMenu,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from underglass.app.document import Document
from underglass.app.parts.basic import PanelHead, label
from underglass.app.parts.marks import mark_icon
from underglass.app.prove.findings_list import FINDING, GROUPS, ORDERS, Choice, FindingDelegate, FindingModel, listed
from underglass.app.style.palette import Palette
from underglass.core.errors import UnderGlassError
from underglass.core.finding import FIRST_APPROACH, Finding, Severity
from underglass.core.proof.fixes import Fix, RegisterFix, WordFix, fix_for, register_fix_for, word_fix_for

_FEW = 3
"""So many findings need no filter."""


class FindingsPanel(QWidget):
    """The list with its head, and a sentence when there is nothing in it. ``fix_asked`` brings a change to make.

    ``guess_asked`` brings what is only guessed (stock, zero, machine, T3), to be confirmed where that is done.
    """

    fix_asked = Signal(object)
    guess_asked = Signal(str)

    def __init__(self, document: Document, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._document = document
        self.model = FindingModel(self)
        self._delegate = FindingDelegate(palette, self)
        self.list = QListView()
        self.list.setModel(self.model)
        self.list.setItemDelegate(self._delegate)
        self.list.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setAccessibleName("Findings")
        self.list.setFrameShape(QListView.Shape.NoFrame)
        self.list.clicked.connect(self._on_chosen)
        self.list.activated.connect(self._on_chosen)
        self.list.selectionModel().currentChanged.connect(self._on_current_changed)
        self._empty = label(quiet=True)
        self._empty.setWordWrap(True)
        self._empty.setMargin(14)
        self._empty.setAlignment(Qt.AlignmentFlag.AlignTop)
        self._head = PanelHead("Findings")
        self.choice = Choice()
        self.fix: Fix | RegisterFix | WordFix | None = None
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(self._head)
        box.addWidget(self._filter_row())
        box.addWidget(self._empty)
        box.addWidget(self.list, 1)
        box.addWidget(self._meaning())
        self._following: dict[tuple[str, int, int], tuple[Finding, ...]] = {}
        self._delegate.following = self._after
        document.proof_changed.connect(self._on_proof_changed)
        document.finding_changed.connect(self._on_finding_changed)
        document.units_changed.connect(self._on_units_changed)
        self._on_units_changed()
        self._on_proof_changed()

    def _filter_row(self) -> QWidget:
        """Words to look for, one button a severity, and in which order."""
        self.bar = QWidget()
        row = QHBoxLayout(self.bar)
        row.setContentsMargins(10, 4, 8, 4)
        row.setSpacing(3)
        self.words = QLineEdit()
        self.words.setPlaceholderText("Filter")
        self.words.setClearButtonEnabled(True)
        self.words.setAccessibleName("Words that a finding must have")
        self.words.textChanged.connect(lambda text: self.choose_by(words=text))
        row.addWidget(self.words, 1)
        self.severities: dict[Severity, QPushButton] = {}
        for severity in reversed(Severity):
            button = QPushButton()
            button.setCheckable(True)
            button.setChecked(True)
            button.setProperty("side", True)
            button.setFixedWidth(34)
            button.clicked.connect(self._on_severity)
            self.severities[severity] = button
            row.addWidget(button)
        self.sort = QPushButton("Order")
        self.sort.setProperty("side", True)
        self.sort.setToolTip("Order and groups")
        menu = QMenu(self.sort)
        for field, entries in (("order", ORDERS), ("group", GROUPS)):
            group = QActionGroup(menu)
            for name, words in entries:
                action = menu.addAction(words)
                action.setCheckable(True)
                action.setChecked(getattr(self.choice, field) == name)
                group.addAction(action)
                action.triggered.connect(lambda _on=False, f=field, n=name: self.choose_by(**{f: n}))
            menu.addSeparator()
        self.fold = menu.addAction("Fold what follows from another")
        self.fold.setCheckable(True)
        self.fold.setChecked(True)
        self.fold.toggled.connect(lambda on: self.choose_by(folded=on))
        self.sort.setMenu(menu)
        row.addWidget(self.sort)
        return self.bar

    def choose_by(self, **changes: object) -> None:
        """Change what is listed and in which order: any field of ``Choice``."""
        self.choice = replace(self.choice, **changes)  # type: ignore[arg-type]
        self._list()

    def _after(self, finding: Finding) -> tuple[Finding, ...]:
        """What only follows from a finding, looked up once a proof."""
        proof = self._document.proof
        if proof is None or not self.choice.folded:
            return ()
        key = (finding.code, finding.line, finding.move)
        if key not in self._following:
            self._following[key] = proof.following(finding)
        return self._following[key]

    def _on_severity(self) -> None:
        self.choose_by(hidden=frozenset(s for s, button in self.severities.items() if not button.isChecked()))

    def _meaning(self) -> QWidget:
        """Under the list: the chosen finding is meant so, and why."""
        self.meant = QWidget()
        box = QVBoxLayout(self.meant)
        box.setContentsMargins(12, 6, 12, 6)
        box.setSpacing(5)
        self.make = QPushButton()
        self.make.setProperty("strong", True)
        self.make.setToolTip("It can be undone")
        self.make.clicked.connect(self._on_make)
        box.addWidget(self.make)
        row = QHBoxLayout()
        box.addLayout(row)
        row.setSpacing(6)
        self.reason = QLineEdit()
        self.reason.setPlaceholderText("Intended, because…")
        self.reason.setAccessibleName("Why this finding is meant so")
        self.accept = QPushButton("Accept")
        self.accept.setToolTip("Saved in the job with your reason; counts as a note until the block changes")
        self.accept.setEnabled(False)
        self.reason.textChanged.connect(lambda _text: self._look_meant())
        self.reason.returnPressed.connect(self.accept.click)
        self.accept.clicked.connect(self._on_accept)
        row.addWidget(self.reason, 1)
        row.addWidget(self.accept)
        self.meant.hide()
        return self.meant

    def _on_make(self) -> None:
        finding = self._document.finding
        if self.fix is not None:
            self.fix_asked.emit(self.fix)
        elif finding is not None and finding.evidence.get("guess"):
            self.guess_asked.emit(str(finding.evidence["guess"]))

    def _look_meant(self) -> None:
        finding, proof = self._document.finding, self._document.proof
        self.fix = None
        if finding is not None and proof is not None and self._document.proof_is_current:
            lines = proof.source.lines
            self.fix = fix_for(finding, lines) or register_fix_for(finding, proof.job) or word_fix_for(finding, lines)
        guess = str(finding.evidence.get("guess") or "") if finding is not None else ""
        self.make.setVisible(self.fix is not None or bool(guess))
        self.make.setToolTip(
            "It can be undone" if self.fix is not None else "In Setup, where it is confirmed or changed"
        )
        if self.fix is not None:
            self.make.setText(self.fix.title)
        elif guess:
            self.make.setText(f"Look at the guessed {guess}")
        self.meant.setVisible(finding is not None and finding.code != FIRST_APPROACH)
        already = finding is not None and bool(finding.evidence.get("accepted"))
        self.reason.setVisible(not already)
        self.accept.setText("No longer accept it" if already else "Accept")
        self.accept.setEnabled(already or bool(self.reason.text().strip()))

    def _on_accept(self) -> None:
        finding = self._document.finding
        if finding is None:
            return
        reason = "" if finding.evidence.get("accepted") else self.reason.text()
        try:
            self._document.accept(finding, reason)
        except UnderGlassError as error:
            self.reason.setToolTip(str(error))
            return
        self.reason.clear()

    def set_palette(self, palette: Palette) -> None:
        self._delegate.palette_ = palette
        for severity, button in self.severities.items():
            button.setIcon(mark_icon(severity, palette))
        self.list.viewport().update()

    def resizeEvent(self, event: object) -> None:
        self._delegate.width = max(self.width() - 2, 120)
        self.list.scheduleDelayedItemsLayout()

    def show_chosen(self) -> None:
        """The chosen finding has grown: lay it out anew and keep its sentence in sight."""
        self.list.scheduleDelayedItemsLayout()
        index = self.list.currentIndex()
        if index.isValid():
            QTimer.singleShot(0, lambda: self.list.scrollTo(index, QAbstractItemView.ScrollHint.PositionAtTop))

    def show_places_with(self, picture: Callable[[Finding], QImage | None]) -> None:
        """Where the picture of a finding's place comes from."""
        self._delegate.picture = picture

    def _on_proof_changed(self) -> None:
        self._list()

    def _list(self) -> None:
        proof = self._document.proof
        every: tuple[Finding, ...] = (*proof.troubles, *proof.approaches) if proof is not None else ()
        self.model.put(listed(every, self.choice))
        folded = self.choice.folded
        count = sum(not folded or f.because is None for f in proof.troubles) if proof is not None else 0
        self._following = {}
        shown = sum(f.code != FIRST_APPROACH for f in self.model.findings)
        self._head.detail.setText("" if not count else str(count) if shown == count else f"{shown} of {count}")
        for severity, button in self.severities.items():
            number = sum(f.severity == severity for f in every if f.code != FIRST_APPROACH)
            button.setToolTip(f"{severity.word.capitalize()}: {number}, shown or hidden")
            button.setAccessibleName(f"Show findings: {severity.word}")
        self.bar.setVisible(count > _FEW)
        self._empty.setVisible(not shown)
        if proof is None:
            self._empty.setText("Findings appear here when a program has been proved.")
        elif count:
            self._empty.setText("None of the findings is shown: the filter hides them.")
        else:
            self._empty.setText("No crashes, faults or cautions.")
        self._on_finding_changed()

    def _on_units_changed(self) -> None:
        self._delegate.unit = self._document.units
        self.list.viewport().update()

    def _on_finding_changed(self) -> None:
        finding = self._document.finding
        self._look_meant()
        selection = self.list.selectionModel()
        row = self.model.row_of(finding) if finding is not None else -1
        if row < 0:
            selection.clear()
        else:
            index = self.model.index(row)
            if self.list.currentIndex() != index:
                self.list.setCurrentIndex(index)
            # What is chosen unfolds downwards: its sentence comes first.
            self.list.scrollTo(index, QAbstractItemView.ScrollHint.PositionAtTop)
        self.list.scheduleDelayedItemsLayout()

    def _on_current_changed(self, current: QModelIndex, _old: QModelIndex) -> None:
        if current.isValid() and self.list.hasFocus():
            self._on_chosen(current)

    def _on_chosen(self, index: QModelIndex) -> None:
        finding = index.data(FINDING)
        if isinstance(finding, Finding):
            self._document.select_finding(finding)
