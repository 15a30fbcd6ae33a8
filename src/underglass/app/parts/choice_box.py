"""A box to choose from whose text ends in dots where it is too long."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QPaintEvent
from PySide6.QtWidgets import QComboBox, QStyle, QStyleOptionComboBox, QStylePainter


class ChoiceBox(QComboBox):
    """As a combo box; Qt's own cuts a long text off in the middle of a letter."""

    def paintEvent(self, event: QPaintEvent) -> None:
        painter, option = QStylePainter(self), QStyleOptionComboBox()
        self.initStyleOption(option)
        painter.drawComplexControl(QStyle.ComplexControl.CC_ComboBox, option)
        room = self.style().subControlRect(
            QStyle.ComplexControl.CC_ComboBox, option, QStyle.SubControl.SC_ComboBoxEditField, self
        )
        option.currentText = self.fontMetrics().elidedText(
            option.currentText or self.placeholderText(), Qt.TextElideMode.ElideRight, room.width() - 4
        )
        painter.drawControl(QStyle.ControlElement.CE_ComboBoxLabel, option)
