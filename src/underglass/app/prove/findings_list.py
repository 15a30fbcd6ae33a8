"""The list of findings: in which order, grouped how, and how each is drawn."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PySide6.QtCore import QAbstractListModel, QModelIndex, QPersistentModelIndex, QPointF, QRect, QSize, Qt
from PySide6.QtGui import QColor, QFontMetrics, QImage, QPainter
from PySide6.QtWidgets import QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from underglass.app.parts.marks import draw_mark
from underglass.app.style.palette import Palette
from underglass.app.style.theme import words_font
from underglass.core.finding import FIRST_APPROACH, Finding, Severity
from underglass.core.units import Unit, from_mm, show_clock, show_length

FINDING = Qt.ItemDataRole.UserRole + 1
_Index = QModelIndex | QPersistentModelIndex
_WRAP = int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop) | int(Qt.TextFlag.TextWordWrap)
PICTURE = (250, 112)
"""Width and height of a place's picture."""

ORDERS = (("time", "In the order they happen"), ("gravity", "Worst first"), ("line", "By line"))
GROUPS = (("none", "Not grouped"), ("severity", "By severity"), ("tool", "By tool"), ("kind", "By kind"))


@dataclass(frozen=True, slots=True, kw_only=True)
class Choice:
    """Which findings are listed and how: ``words`` must stand in the sentence, the code, or as ``line 12`` or ``T3``."""

    words: str = ""
    hidden: frozenset[Severity] = frozenset()
    order: str = "time"
    group: str = "none"
    folded: bool = True

    def takes(self, f: Finding) -> bool:
        """Whether a finding is listed: with ``folded``, not where it only follows from another."""
        if f.severity in self.hidden or (self.folded and f.because is not None):
            return False
        text = f"{f.message} {f.code} line {f.line} t{f.tool or ''} {f.severity.word}".lower()
        return all(word in text for word in self.words.lower().split())


def listed(findings: Sequence[Finding], choice: Choice) -> list[Finding | str]:
    """The findings in their order, with the headings of their groups between them."""
    keys: dict[str, Callable[[Finding], tuple[float, ...]]] = {
        "time": lambda f: (f.time_s, f.line),
        "gravity": lambda f: (-float(f.severity), f.time_s),
        "line": lambda f: (f.line, f.column),
    }
    taken = [f for f in findings if choice.takes(f)]
    # First approaches come last: they are for the machine, not for mending.
    taken.sort(key=lambda f: (f.code == FIRST_APPROACH, *keys[choice.order](f)))
    if choice.group == "none":
        return list(taken)
    names: dict[str, Callable[[Finding], tuple[float, str]]] = {
        "severity": lambda f: (-float(f.severity), f.severity.word.capitalize()),
        "tool": lambda f: (float(f.tool or 0), f"T{f.tool}" if f.tool else "No tool"),
        "kind": lambda f: (0.0, f.code.replace("-", " ").capitalize()),
    }
    group = names[choice.group]
    out: list[Finding | str] = []
    for key in sorted({group(f) for f in taken}):
        mine = [f for f in taken if group(f) == key]
        out += [f"{key[1]} · {len(mine)}", *mine]
    return out


def _figure(value: float) -> str:
    """Four figures, and never a power of ten."""
    return f"{value:.0f}" if abs(value) >= 1000.0 else f"{value:.4g}"


def figures_of(f: Finding, unit: Unit) -> str:
    """The lengths, areas and volumes behind a finding, in words."""
    out = []
    for name, value in f.evidence.items():
        if isinstance(value, bool) or not isinstance(value, int | float):
            continue
        if name.endswith("_mm") and not name.startswith(("at_", "from_", "to_", "x_", "y_", "z_")):
            out.append(f"{name[:-3].replace('_', ' ')} {show_length(value, unit)} {unit}")
        elif name.endswith("_mm2"):
            out.append(f"{name[:-4].replace('_', ' ')} {_figure(from_mm(from_mm(value, unit), unit))} {unit}²")
    return " · ".join(out[:4])


class FindingModel(QAbstractListModel):
    """The proof's findings, and the headings between them, as a list."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.rows: list[Finding | str] = []

    @property
    def findings(self) -> tuple[Finding, ...]:
        """Those that are listed, in order."""
        return tuple(row for row in self.rows if isinstance(row, Finding))

    def put(self, rows: Sequence[Finding | str]) -> None:
        self.beginResetModel()
        self.rows = list(rows)
        self.endResetModel()

    def row_of(self, finding: Finding) -> int:
        """Where a finding stands; -1 where it is not listed."""
        return next((k for k, row in enumerate(self.rows) if row == finding), -1)

    def rowCount(self, parent: _Index = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self.rows)

    def flags(self, index: _Index) -> Qt.ItemFlag:
        if index.isValid() and index.row() < len(self.rows) and isinstance(self.rows[index.row()], str):
            return Qt.ItemFlag.ItemIsEnabled
        return super().flags(index)

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if not index.isValid() or index.row() >= len(self.rows):
            return None
        row = self.rows[index.row()]
        if role == FINDING:
            return row
        if isinstance(row, str):
            return row if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole) else None
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return f"{row.severity.word}: {row.message}"
        if role == Qt.ItemDataRole.ToolTipRole:
            return f"{row.message}.\n{row.remedy[:1].upper()}{row.remedy[1:]}."
        return None


class FindingDelegate(QStyledItemDelegate):
    """A finding: its mark, its sentence, where it stands, and for the chosen one what to look at."""

    def __init__(self, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.palette_ = palette
        self.width = 260
        self.picture: Callable[[Finding], QImage | None] = lambda _finding: None
        """The place of a finding, for the chosen one."""
        self.unit: Unit = "mm"
        self.following: Callable[[Finding], Sequence[Finding]] = lambda _finding: ()
        """What only follows from a finding."""

    def _parts(self, finding: Finding, chosen: bool) -> list[tuple[str, str, int]]:
        tool = f" · T{finding.tool}" if finding.tool else ""
        if finding.code == FIRST_APPROACH and not chosen:
            # One quiet line a tool: nothing to mend, something to compare at the machine.
            height = float(finding.evidence["height_mm"] or 0.0)
            side = "above" if height >= 0.0 else "below"
            said = f"T{finding.tool}: first move down stops {show_length(abs(height), self.unit)} {self.unit} {side} the stock"
            if "side_mm" in finding.evidence:
                off = show_length(float(finding.evidence["side_mm"] or 0.0), self.unit)
                said += f"\nthen moves in along {finding.evidence['side_axis']} from the {finding.evidence['side']}, {off} clear"
            return [(said, self.palette_.quiet, 12)]
        where = f"{finding.severity.word} · line {finding.line} · {show_clock(finding.time_s)}{tool}"
        reason = finding.evidence.get("accepted")
        if reason:
            where = f"accepted · line {finding.line}{tool} · {reason}"
        parts = [
            (finding.message, self.palette_.quiet if reason else self.palette_.text, 13),
            (where, self.palette_.quiet, 12),
        ]
        after = self.following(finding)
        if after:
            lines = sorted({f.line for f in after})
            said = f"line {lines[0]}" if len(lines) == 1 else f"lines {lines[0]} to {lines[-1]}"
            gravest = max(f.severity for f in after)
            count = sum(f.severity == gravest for f in after)
            word = gravest.word + ("" if count == 1 else "es" if gravest == Severity.CRASH else "s")
            rest = f" and {len(after) - count} more" if len(after) > count else ""
            verb = "follows" if len(after) == 1 else "follow"
            parts.append((f"{count} {word}{rest} {verb} from it, {said}", self.palette_.severity(gravest), 12))
        if finding.because is not None:
            parts.append(
                (
                    f"follows from {finding.because[0].replace('-', ' ')} in line {finding.because[1]}",
                    self.palette_.quiet,
                    12,
                )
            )
        if chosen:
            figures = figures_of(finding, self.unit)
            if figures:
                parts.append((figures, self.palette_.belief, 12))
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
        row = index.data(FINDING)
        if isinstance(row, str):
            return QSize(self.width, 26)
        view = option.widget
        chosen = isinstance(view, QListView) and view.currentIndex() == index
        last = self._layout(row, chosen)[-1]
        picture = self.picture(row) if chosen else None
        return QSize(self.width, last[3] + last[4] + 10 + (PICTURE[1] + 10 if picture is not None else 0))

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: _Index) -> None:
        row: Finding | str = index.data(FINDING)
        p = self.palette_
        rect = option.rect
        painter.save()
        if isinstance(row, str):
            painter.fillRect(rect, QColor(p.ground))
            painter.setFont(words_font(12, bold=True))
            painter.setPen(QColor(p.quiet))
            painter.drawText(rect.adjusted(12, 0, -8, 0), int(Qt.AlignmentFlag.AlignVCenter), row)
            painter.restore()
            return
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        if chosen:
            painter.fillRect(rect, QColor(p.active_wash))
            painter.fillRect(QRect(rect.left(), rect.top(), 3, rect.height()), QColor(p.active))
        draw_mark(painter, row.severity, QPointF(rect.left() + 20, rect.top() + 18), 6.0, p)
        under = 0
        for text, colour, pixels, top, height in self._layout(row, chosen):
            painter.setFont(words_font(pixels))
            painter.setPen(QColor(colour))
            painter.drawText(QRect(rect.left() + 34, rect.top() + top, self.width - 46, height + 2), _WRAP, text)
            under = top + height
        picture = self.picture(row) if chosen else None
        if picture is not None:
            wide = min(PICTURE[0], self.width - 46)
            at = QRect(rect.left() + 34, rect.top() + under + 8, wide, PICTURE[1])
            aside = (picture.width() - wide) // 2
            painter.drawImage(at, picture, QRect(max(aside, 0), 0, min(wide, picture.width()), picture.height()))
            painter.setPen(QColor(p.rule))
            painter.drawRect(at)
            draw_mark(painter, row.severity, QPointF(at.center()), 7.0, p)
        painter.fillRect(QRect(rect.left(), rect.bottom(), rect.width(), 1), QColor(p.rule))
        painter.restore()
