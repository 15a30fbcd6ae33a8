"""The findings, in the order in which they happen. Choosing one goes to its line, its moment and its place."""

from __future__ import annotations

from PySide6.QtCore import QAbstractListModel, QModelIndex, QPersistentModelIndex, QPointF, QRect, QSize, Qt
from PySide6.QtGui import QColor, QFontMetrics, QPainter
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QLineEdit,
    QListView,
    QPushButton,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from underglass.app.document import Document
from underglass.app.parts.basic import PanelHead, label
from underglass.app.parts.marks import draw_mark
from underglass.app.style.palette import Palette
from underglass.app.style.theme import words_font
from underglass.core.errors import UnderGlassError
from underglass.core.finding import FIRST_APPROACH, Finding
from underglass.core.units import Unit, show_clock, show_length

_FINDING = Qt.ItemDataRole.UserRole + 1
_Index = QModelIndex | QPersistentModelIndex
_WRAP = int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop) | int(Qt.TextFlag.TextWordWrap)


class FindingModel(QAbstractListModel):
    """The proof's findings as a list."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.findings: tuple[Finding, ...] = ()

    def put(self, findings: tuple[Finding, ...]) -> None:
        self.beginResetModel()
        self.findings = findings
        self.endResetModel()

    def rowCount(self, parent: _Index = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self.findings)

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if not index.isValid() or index.row() >= len(self.findings):
            return None
        finding = self.findings[index.row()]
        if role == _FINDING:
            return finding
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return f"{finding.severity.word}: {finding.message}"
        if role == Qt.ItemDataRole.ToolTipRole:
            return f"{finding.message}.\n{finding.remedy[:1].upper()}{finding.remedy[1:]}."
        return None


class FindingDelegate(QStyledItemDelegate):
    """A finding: its mark, its sentence, where it stands, and for the chosen one what to look at."""

    def __init__(self, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.palette_ = palette
        self.width = 260
        self.unit: Unit = "mm"

    def _parts(self, finding: Finding, chosen: bool) -> list[tuple[str, str, int]]:
        tool = f" · T{finding.tool}" if finding.tool else ""
        if finding.code == FIRST_APPROACH and not chosen:
            # One quiet line a tool: nothing to mend, something to compare at the machine.
            height = float(finding.evidence["height_mm"] or 0.0)
            side = "above" if height >= 0.0 else "below"
            said = f"T{finding.tool} comes in {show_length(abs(height), self.unit)} {self.unit} {side} stock"
            return [(said, self.palette_.quiet, 12)]
        where = f"{finding.severity.word} · line {finding.line} · {show_clock(finding.time_s)}{tool}"
        reason = finding.evidence.get("accepted")
        if reason:
            where = f"accepted · line {finding.line}{tool} · {reason}"
        parts = [
            (finding.message, self.palette_.quiet if reason else self.palette_.text, 13),
            (where, self.palette_.quiet, 12),
        ]
        if chosen:
            parts.append((finding.remedy[:1].upper() + finding.remedy[1:], self.palette_.text, 12))
        return parts

    def _layout(self, finding: Finding, chosen: bool) -> list[tuple[str, str, int, int, int]]:
        """(text, colour, pixels, top, height) of each part."""
        out, top = [], 9
        for text, colour, pixels in self._parts(finding, chosen):
            metrics = QFontMetrics(words_font(pixels))
            need = metrics.boundingRect(QRect(0, 0, self.width - 46, 4000), _WRAP, text).height()
            out.append((text, colour, pixels, top, need))
            top += need + 4
        return out

    def sizeHint(self, option: QStyleOptionViewItem, index: _Index) -> QSize:
        view = option.widget
        chosen = isinstance(view, QListView) and view.currentIndex() == index
        last = self._layout(index.data(_FINDING), chosen)[-1]
        return QSize(self.width, last[3] + last[4] + 10)

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: _Index) -> None:
        finding: Finding = index.data(_FINDING)
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        p = self.palette_
        rect = option.rect
        painter.save()
        if chosen:
            painter.fillRect(rect, QColor(p.active_wash))
            painter.fillRect(QRect(rect.left(), rect.top(), 3, rect.height()), QColor(p.active))
        draw_mark(painter, finding.severity, QPointF(rect.left() + 20, rect.top() + 18), 6.0, p)
        for text, colour, pixels, top, height in self._layout(finding, chosen):
            painter.setFont(words_font(pixels))
            painter.setPen(QColor(colour))
            painter.drawText(QRect(rect.left() + 34, rect.top() + top, self.width - 46, height + 2), _WRAP, text)
        painter.fillRect(QRect(rect.left(), rect.bottom(), rect.width(), 1), QColor(p.rule))
        painter.restore()


class FindingsPanel(QWidget):
    """The list with its head, and a sentence when there is nothing in it."""

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
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(self._head)
        box.addWidget(self._empty)
        box.addWidget(self.list, 1)
        box.addWidget(self._meaning())
        document.proof_changed.connect(self._on_proof_changed)
        document.finding_changed.connect(self._on_finding_changed)
        document.units_changed.connect(self._on_units_changed)
        self._on_units_changed()
        self._on_proof_changed()

    def _meaning(self) -> QWidget:
        """Under the list: the chosen finding is meant so, and why."""
        self.meant = QWidget()
        row = QHBoxLayout(self.meant)
        row.setContentsMargins(12, 6, 12, 6)
        row.setSpacing(6)
        self.reason = QLineEdit()
        self.reason.setPlaceholderText("It is meant so, because…")
        self.reason.setAccessibleName("Why this finding is meant so")
        self.accept = QPushButton("Accept")
        self.accept.setToolTip("Kept in the job with its reason; it counts as a note until the block is changed")
        self.accept.setEnabled(False)
        self.reason.textChanged.connect(lambda _text: self._look_meant())
        self.reason.returnPressed.connect(self.accept.click)
        self.accept.clicked.connect(self._on_accept)
        row.addWidget(self.reason, 1)
        row.addWidget(self.accept)
        self.meant.hide()
        return self.meant

    def _look_meant(self) -> None:
        finding = self._document.finding
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
        self.list.viewport().update()

    def resizeEvent(self, event: object) -> None:
        self._delegate.width = max(self.width() - 2, 120)
        self.list.scheduleDelayedItemsLayout()

    def _on_proof_changed(self) -> None:
        proof = self._document.proof
        # First approaches come last: they are for the machine, not for mending.
        self.model.put((*proof.troubles, *proof.approaches) if proof is not None else ())
        count = len(proof.troubles) if proof is not None else 0
        self._head.detail.setText(str(count) if count else "")
        self._empty.setVisible(not count)
        if proof is None:
            self._empty.setText("Findings appear here when a program has been proved.")
        else:
            self._empty.setText("Nothing found: no crash, no fault, nothing to look at twice.")
        self._on_finding_changed()

    def _on_units_changed(self) -> None:
        self._delegate.unit = self._document.units
        self.list.viewport().update()

    def _on_finding_changed(self) -> None:
        finding = self._document.finding
        self._look_meant()
        selection = self.list.selectionModel()
        if finding is None or finding not in self.model.findings:
            selection.clear()
        else:
            index = self.model.index(self.model.findings.index(finding))
            if self.list.currentIndex() != index:
                self.list.setCurrentIndex(index)
        self.list.scheduleDelayedItemsLayout()

    def _on_current_changed(self, current: QModelIndex, _old: QModelIndex) -> None:
        if current.isValid() and self.list.hasFocus():
            self._on_chosen(current)

    def _on_chosen(self, index: QModelIndex) -> None:
        finding = index.data(_FINDING)
        if isinstance(finding, Finding):
            self._document.select_finding(finding)
