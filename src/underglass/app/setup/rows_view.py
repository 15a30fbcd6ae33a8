"""Truth and belief side by side: registers as rows, the real thing at the left, the control at the right, the difference between."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QObject, QPersistentModelIndex, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFont, QKeyEvent, QPainter, QPen, QResizeEvent
from PySide6.QtWidgets import (
    QAbstractItemDelegate,
    QAbstractItemView,
    QHeaderView,
    QLineEdit,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QWidget,
)

from underglass.app.style.palette import Palette
from underglass.app.style.theme import number_font, words_font
from underglass.core.proof.belief import Row
from underglass.core.reckon.figure import BadFigure, read_figure
from underglass.core.units import Unit, from_mm, show_length, to_mm

WHAT, TRUTH, OFF, BELIEF, WEAR = range(5)
_ROW, _HEAD, _NOTED = 26, 34, 40
_ROLE = Qt.ItemDataRole.UserRole
_Index = QModelIndex | QPersistentModelIndex


def shown(row: Row, value: float | None, unit: Unit, *, sign: bool = False) -> str:
    """A row's figure as one reads it: a length, or degrees for a rotation."""
    if value is None:
        return ""
    if row.key == "rotation":
        return f"{value:+.4f}\u00b0" if sign else f"{value:.4f}\u00b0"
    return show_length(value, unit, sign=sign)


class RowsModel(QAbstractTableModel):
    """Rows under the heads of their groups. ``entered`` brings (row, column, mm) of a figure that was typed."""

    entered = Signal(object, int, float)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.lines: list[Row | str] = []
        self.unit: Unit = "mm"
        self.heads: Mapping[str, tuple[str, str]] = {}
        """Each group's head, and what its figures are."""
        self.bad: dict[tuple[str, str, int], tuple[str, str]] = {}
        """What was typed and is not taken, and why, by (register, axis, column)."""

    def put(self, rows: Sequence[Row], unit: Unit) -> None:
        lines: list[Row | str] = []
        for row in rows:
            if not lines or (last := lines[-1]) == "" or (isinstance(last, Row) and last.group != row.group):
                lines.append(row.group)
            lines.append(row)
        same_shape = [self._name(x) for x in lines] == [self._name(x) for x in self.lines]
        self.unit = unit
        if same_shape:
            self.lines = lines
            if lines:
                self.dataChanged.emit(self.index(0, 0), self.index(len(lines) - 1, WEAR))
            return
        self.beginResetModel()
        self.lines = lines
        self.endResetModel()

    @staticmethod
    def _name(line: Row | str) -> tuple[object, ...]:
        return (line,) if isinstance(line, str) else (line.group, line.key, line.axis, line.tool, bool(line.note))

    def rowCount(self, parent: _Index | None = None) -> int:
        return len(self.lines)

    def columnCount(self, parent: _Index | None = None) -> int:
        return 5

    def row(self, index: _Index) -> Row | None:
        line = self.lines[index.row()] if 0 <= index.row() < len(self.lines) else None
        return line if isinstance(line, Row) else None

    def editable(self, row: Row, column: int) -> bool:
        if column == TRUTH:
            return row.truth is not None and row.group != "left" and (row.group == "work" or bool(row.real))
        if column == WEAR:
            return row.group in ("length", "radius") and row.belief is not None
        return column == BELIEF

    def flags(self, index: _Index) -> Qt.ItemFlag:
        row = self.row(index)
        if row is None:
            return Qt.ItemFlag.NoItemFlags
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        return flags | Qt.ItemFlag.ItemIsEditable if self.editable(row, index.column()) else flags

    def text(self, row: Row, column: int) -> str:
        """What a cell shows."""
        if column == WHAT:
            return row.what
        if column == TRUTH:
            return shown(row, row.truth, self.unit) if row.group != "left" else ""
        if column == OFF:
            off = row.off
            return "" if off is None else "0" if row.verdict == "same" else shown(row, off, self.unit, sign=True)
        if column == WEAR:
            return shown(row, row.wear, self.unit, sign=True) if row.wear else ""
        return shown(row, row.belief, self.unit) if row.belief is not None else "not set"

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        line = self.lines[index.row()]
        if role == _ROLE:
            return line
        if isinstance(line, str):
            return self.heads[line][0] if role == Qt.ItemDataRole.DisplayRole and index.column() == 0 else None
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole):
            bad = self.bad.get((line.key, line.axis, index.column()))
            return bad[0] if bad else self.text(line, index.column())
        if role == Qt.ItemDataRole.AccessibleTextRole:
            words = ("", "on the bench", "control is out by", "in the control", "wear")[index.column()]
            return f"{line.what} {line.key} {words} {self.text(line, index.column())}".replace("  ", " ")
        if role == Qt.ItemDataRole.ToolTipRole:
            bad = self.bad.get((line.key, line.axis, index.column()))
            if bad:
                return bad[1]
            if index.column() == BELIEF and line.follows and line.group != "left":
                return "Not set in this job: assumed to match the bench. Type a value to set it."
            if line.overwritten:
                return f"The program sets it anew at line {line.overwritten} (G10)"
        return None

    def setData(self, index: _Index, value: object, role: int = Qt.ItemDataRole.EditRole) -> bool:
        row = self.row(index)
        if row is None:
            return False
        text = str(value)
        key = (row.key, row.axis, index.column())
        if key not in self.bad and text == self.text(row, index.column()):
            return True
        self.bad.pop(key, None)
        try:
            figure = read_figure(text, None if row.key == "rotation" else self.unit)
        except BadFigure as problem:
            self.bad[key] = (text, str(problem))
            self.dataChanged.emit(index, index)
            return False
        self.entered.emit(row, index.column(), figure if row.key == "rotation" else to_mm(figure, self.unit))
        self.dataChanged.emit(index, index)
        return True

    def refuse(self, row: Row, column: int, value: float, why: str) -> None:
        """A figure is not taken: it stays as it was typed, with the reason."""
        self.bad[(row.key, row.axis, column)] = (f"{from_mm(value, self.unit):g}", why)
        self.layoutChanged.emit()

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return ("", "on the bench", "out by", "in the control", "wear")[section]
        return None


class RowsDelegate(QStyledItemDelegate):
    """Draws truth upright and plain, belief in brass, the difference as what it means."""

    def __init__(self, model: RowsModel, palette: Palette, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.model = model
        self.palette_ = palette

    def sizeHint(self, option: QStyleOptionViewItem, index: _Index) -> QSize:
        row = self.model.row(index)
        return QSize(60, _HEAD if row is None else _NOTED if row.note else _ROW)

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: _Index) -> None:
        p, row = self.palette_, self.model.row(index)
        box = QRectF(option.rect)  # type: ignore[attr-defined]
        painter.save()
        if row is None:
            if index.column() == 0:
                words, quiet = self.model.heads[str(self.model.lines[index.row()])]
                painter.setFont(words_font(13, bold=True))
                painter.setPen(QColor(p.text))
                line = box.adjusted(12, 8, 0, 0)
                painter.drawText(line, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, words)
                wide = painter.fontMetrics().horizontalAdvance(words)
                painter.setFont(words_font(11))
                painter.setPen(QColor(p.quiet))
                painter.drawText(
                    line.adjusted(wide + 10, 1, 400, 1),
                    Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft,
                    quiet,
                )
            painter.restore()
            return
        colour = {"wrong": p.fault, "unset": p.fault, "wear": p.caution}.get(row.verdict, "")
        if row.wrong:
            wash = QColor(p.fault)
            wash.setAlpha(24)
            painter.fillRect(box, wash)
            if index.column() == 0:
                painter.fillRect(QRectF(box.left(), box.top(), 4, box.height()), QColor(p.fault))
        state = option.state  # type: ignore[attr-defined]
        if state & QStyle.StateFlag.State_Selected:
            painter.fillRect(box, QColor(p.active_wash))
            if row.wrong and index.column() == 0:
                painter.fillRect(QRectF(box.left(), box.top(), 4, box.height()), QColor(p.fault))
        line = QRectF(box.left(), box.top(), box.width(), _ROW)
        getattr(self, ("_what", "_truth", "_off", "_belief", "_wear")[index.column()])(painter, row, line, colour)
        if state & QStyle.StateFlag.State_HasFocus:
            painter.setPen(QPen(QColor(p.active), 1.5))
            painter.drawRect(box.adjusted(1, 1, -1, -1))
        painter.restore()

    def _what(self, painter: QPainter, row: Row, line: QRectF, colour: str) -> None:
        p = self.palette_
        left = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft
        at = line.adjusted(16, 0, -4, 0)
        painter.setFont(words_font(13))
        painter.setPen(QColor(p.text if row.line or row.group != "length" or not row.note else p.quiet))
        chip = row.key if row.group in ("length", "radius") else ""
        painter.setFont(words_font(13))
        room = at.width() - (44 if chip else 0)
        words = painter.fontMetrics().elidedText(row.what, Qt.TextElideMode.ElideRight, int(room))
        painter.drawText(at, left, words)
        x = at.left() + painter.fontMetrics().horizontalAdvance(words) + 9
        if chip:
            painter.setFont(number_font(11))
            wide = painter.fontMetrics().horizontalAdvance(chip) + 10
            box = QRectF(x, at.top() + 5, wide, 16)
            painter.setPen(QPen(QColor(p.belief), 1.0, Qt.PenStyle.DashLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(box, 2, 2)
            painter.setPen(QColor(p.belief))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, chip)
            x += wide + 8
        notes = [row.note] if row.note else []
        if row.note:
            painter.setFont(words_font(11))
            painter.setPen(QColor(colour or p.quiet))
            painter.drawText(QRectF(at.left(), line.bottom() - 5, at.width() + 300, 16), left, notes[0])
        if row.overwritten:
            painter.setFont(words_font(11))
            painter.setPen(QColor(p.quiet))
            painter.drawText(QRectF(x, at.top(), 120, at.height()), left, f"G10 at {row.overwritten}")

    def _figure(self, painter: QPainter, line: QRectF, text: str, colour: str, font: QFont) -> None:
        painter.setFont(font)
        painter.setPen(QColor(colour))
        painter.drawText(line.adjusted(2, 0, -8, 0), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, text)

    def _bad(self, row: Row, column: int) -> str | None:
        bad = self.model.bad.get((row.key, row.axis, column))
        return bad[0] if bad else None

    def _truth(self, painter: QPainter, row: Row, line: QRectF, colour: str) -> None:
        p, bad = self.palette_, self._bad(row, TRUTH)
        text = bad if bad is not None else self.model.text(row, TRUTH)
        self._figure(painter, line, text, p.fault if bad is not None else p.text, number_font(13))

    def _belief(self, painter: QPainter, row: Row, line: QRectF, colour: str) -> None:
        p, bad = self.palette_, self._bad(row, BELIEF)
        font = number_font(13)
        font.setItalic(row.follows and row.group != "left")
        text = bad if bad is not None else self.model.text(row, BELIEF)
        quiet = row.group == "left" and not row.belief
        self._figure(painter, line, text, p.fault if bad is not None else p.quiet if quiet else p.belief, font)

    def _wear(self, painter: QPainter, row: Row, line: QRectF, colour: str) -> None:
        bad = self._bad(row, WEAR)
        text = bad if bad is not None else self.model.text(row, WEAR)
        self._figure(
            painter, line, text, self.palette_.fault if bad is not None else self.palette_.belief, number_font(12)
        )

    def _off(self, painter: QPainter, row: Row, line: QRectF, colour: str) -> None:
        p = self.palette_
        text = self.model.text(row, OFF)
        if row.group == "left" and row.verdict == "same":
            return
        if row.verdict == "unset":
            text = "not set"
        if row.wrong:
            painter.setFont(number_font(13, bold=True))
            wide = painter.fontMetrics().horizontalAdvance(text) + 16
            box = QRectF(line.center().x() - wide / 2, line.top() + 3, wide, 20)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(p.fault))
            painter.drawRoundedRect(box, 2, 2)
            painter.setPen(QColor("#FFFFFF" if p.name == "day" else p.on_active))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
            return
        painter.setFont(number_font(13))
        painter.setPen(QColor(colour or p.quiet))
        painter.drawText(line, Qt.AlignmentFlag.AlignCenter, text)

    # -- typing --------------------------------------------------------------------------------------------------------

    def createEditor(self, parent: QWidget, option: QStyleOptionViewItem, index: _Index) -> QWidget:
        editor = QLineEdit(parent)
        editor.setFont(number_font(13))
        editor.setProperty("numbers", True)
        editor.setAlignment(Qt.AlignmentFlag.AlignRight)
        editor.setStyleSheet("padding: 0 3px;")
        return editor

    def updateEditorGeometry(self, editor: QWidget, option: QStyleOptionViewItem, index: _Index) -> None:
        box = option.rect  # type: ignore[attr-defined]
        editor.setGeometry(box.left(), box.top(), box.width(), _ROW)


class RowsView(QTableView):
    """The comparison. ``chosen`` brings the row with the cursor, or None."""

    chosen = Signal(object)

    def __init__(self, palette: Palette, entered: Callable[[Row, int, float], None]) -> None:
        super().__init__()
        self._waiting: tuple[Sequence[Row], Unit] | None = None
        self.rows_model = RowsModel(self)
        self.rows_model.entered.connect(entered)
        self.delegate = RowsDelegate(self.rows_model, palette, self)
        self.setModel(self.rows_model)
        self.setItemDelegate(self.delegate)
        self.setShowGrid(False)
        self.setFrameShape(QTableView.Shape.NoFrame)
        self.verticalHeader().hide()
        self.horizontalHeader().hide()
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setEditTriggers(
            QAbstractItemView.EditTrigger.DoubleClicked
            | QAbstractItemView.EditTrigger.EditKeyPressed
            | QAbstractItemView.EditTrigger.AnyKeyPressed
        )
        self.setAccessibleName("On the bench and in the control, register by register")
        self.setTabKeyNavigation(False)
        header = self.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        header.setSectionResizeMode(WHAT, QHeaderView.ResizeMode.Stretch)
        self.rows_model.modelReset.connect(self._heights)
        self.selectionModel().currentChanged.connect(self._on_current)

    def show_rows(self, rows: Sequence[Row], unit: Unit) -> None:
        """Another state of both sides; the cursor stays on its row. While a figure is typed it waits."""
        if self.state() == QAbstractItemView.State.EditingState:
            self._waiting = (rows, unit)
            return
        now = self.rows_model.row(self.currentIndex())
        column = self.currentIndex().column()
        self.rows_model.put(rows, unit)
        if now is not None and self.rows_model.row(self.currentIndex()) is None:
            self.choose(now.group, now.key, now.axis, max(column, 0))
        self.chosen.emit(self.current())

    def closeEditor(self, editor: QWidget, hint: QAbstractItemDelegate.EndEditHint) -> None:
        super().closeEditor(editor, hint)
        if self._waiting is not None:
            waiting, self._waiting = self._waiting, None
            self.show_rows(*waiting)

    def current(self) -> Row | None:
        return self.rows_model.row(self.currentIndex())

    def choose(self, group: str, key: str, axis: str = "", column: int = BELIEF) -> None:
        """Put the cursor on a register's row."""
        for k, line in enumerate(self.rows_model.lines):
            if isinstance(line, Row) and (line.group, line.key, line.axis) == (group, key, axis):
                self.setCurrentIndex(self.rows_model.index(k, column))
                return

    def picked(self) -> list[Row]:
        """The rows that are selected."""
        found = [self.rows_model.row(i) for i in self.selectionModel().selectedRows()]
        return [r for r in found if r is not None]

    def resizeEvent(self, event: QResizeEvent) -> None:
        narrow = self.viewport().width() < 590
        for column, wide, less in ((TRUTH, 112, 90), (OFF, 118, 82), (BELIEF, 112, 92), (WEAR, 70, 54)):
            self.setColumnWidth(column, less if narrow else wide)
        super().resizeEvent(event)

    def _heights(self) -> None:
        self.clearSpans()
        for k in range(self.rows_model.rowCount()):
            if isinstance(self.rows_model.lines[k], str):
                self.setSpan(k, 0, 1, 5)
            self.setRowHeight(k, self.delegate.sizeHint(QStyleOptionViewItem(), self.rows_model.index(k, 0)).height())

    def _on_current(self, _index: QModelIndex, _old: QModelIndex) -> None:
        self.chosen.emit(self.current())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        # Letters belong to the window's commands; a figure begins with what figures begin with.
        text = event.text()
        if text and text.isprintable() and text not in "0123456789.,+-(":
            event.ignore()
            return
        if (
            event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
            and self.state() != QAbstractItemView.State.EditingState
        ):
            self.edit(self.currentIndex())
            return
        super().keyPressEvent(event)

    def set_palette(self, palette: Palette) -> None:
        self.delegate.palette_ = palette
        self.viewport().update()
