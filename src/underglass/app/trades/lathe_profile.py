"""The places of a turned profile as a table: diameter and Z, each to be typed over; rows put in and taken out."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from underglass.app.parts.basic import label
from underglass.app.style.theme import number_font
from underglass.core.errors import UnderGlassError
from underglass.core.reckon.figure import read_figure
from underglass.core.units import Unit, show_length

Place = tuple[float, float]


class ProfileTable(QWidget):
    """``entered`` brings (row, 0 for X or 1 for Z, mm); ``added`` and ``dropped`` a row; ``drawing_asked`` wants a drawing instead."""

    entered = Signal(int, int, float)
    added = Signal(int)
    dropped = Signal(int)
    drawing_asked = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.unit: Unit = "mm"
        self.table = QTableWidget(0, 2)
        self.table.setHorizontalHeaderLabels(["X, a diameter", "Z from the front face"])
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.table.verticalHeader().setDefaultSectionSize(24)
        self.table.setMinimumHeight(150)
        self.table.setAccessibleName("Places of the profile")
        self.table.itemChanged.connect(self._on_changed)
        self._filling = False
        row = QHBoxLayout()
        row.setSpacing(6)
        self.add, self.drop, self.drawing = (
            QPushButton("Add a place"),
            QPushButton("Take it out"),
            QPushButton("From a drawing\u2026"),
        )
        self.add.clicked.connect(lambda: self.added.emit(max(self.table.currentRow(), 0)))
        self.drop.clicked.connect(lambda: self.dropped.emit(self.table.currentRow()))
        self.drawing.clicked.connect(self.drawing_asked)
        for button in (self.add, self.drop, self.drawing):
            row.addWidget(button)
        row.addStretch(1)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(label("Drag a place in the picture, or type it", quiet=True, pixels=12))
        box.addWidget(self.table)
        box.addLayout(row)

    def show_places(self, places: list[Place], unit: Unit) -> None:
        """The profile as it stands, mm."""
        self.unit = unit
        self._filling = True
        self.table.setRowCount(len(places))
        for k, place in enumerate(places):
            for column, value in enumerate(place):
                item = self.table.item(k, column)
                if item is None:
                    item = QTableWidgetItem()
                    self.table.setItem(k, column, item)
                item.setFont(number_font(13))
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                item.setText(show_length(value, unit))
        self._filling = False
        self.drop.setEnabled(len(places) > 3)

    def _on_changed(self, item: QTableWidgetItem) -> None:
        if self._filling:
            return
        try:
            value = read_figure(item.text(), self.unit)
        except (ValueError, UnderGlassError):
            self.entered.emit(-1, 0, 0.0)
            return
        self.entered.emit(item.row(), item.column(), value)
