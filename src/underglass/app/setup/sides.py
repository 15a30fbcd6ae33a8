"""Setup's two sides, whatever the trade: picture and pages at the left, truth against belief with its actions at the right."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QSizePolicy, QSplitter, QToolButton, QVBoxLayout, QWidget

from underglass.app.parts.basic import label
from underglass.app.setup.page_tabs import PageTabs
from underglass.app.setup.rows_view import BELIEF, OFF, TRUTH, WEAR, RowsView
from underglass.app.setup.what_if import WhatIf
from underglass.app.style.palette import Palette
from underglass.app.style.theme import words_font
from underglass.core.files.setup_edit import SLIPS


class Heads(QWidget):
    """What the columns are: truth under a solid line, belief under a dashed one."""

    def __init__(self, view: RowsView, palette: Palette) -> None:
        super().__init__()
        self.view = view
        self.palette_ = palette
        self.setFixedHeight(36)
        self.setObjectName("panel")

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        p = self.palette_
        painter.fillRect(self.rect(), QColor(p.panel))
        for column, words, bold, colour in (
            (TRUTH, "on the bench", True, p.text),
            (OFF, "control is out by" if self.view.columnWidth(OFF) > 110 else "out by", False, p.quiet),
            (BELIEF, "in the control", True, p.belief),
            (WEAR, "wear", False, p.belief),
        ):
            x, wide = self.view.columnViewportPosition(column), self.view.columnWidth(column)
            painter.setFont(words_font(13 if bold else 12, bold=bold))
            painter.setPen(QColor(colour))
            box = self.rect()
            box.setLeft(x + 2)
            box.setWidth(wide - (10 if column != OFF else 2))
            flag = Qt.AlignmentFlag.AlignHCenter if column == OFF else Qt.AlignmentFlag.AlignRight
            painter.drawText(
                box.adjusted(0 if column == OFF else -20, 0, 0, -6), flag | Qt.AlignmentFlag.AlignBottom, words
            )
            if bold:
                style = Qt.PenStyle.SolidLine if column == TRUTH else Qt.PenStyle.DashLine
                painter.setPen(QPen(QColor(colour), 2.0, style))
                painter.drawLine(x + 6, self.height() - 2, x + wide - 8, self.height() - 2)
        painter.end()


class Actions(QWidget):
    """What is done to the rows: one side into the other, or an error on purpose. ``slip_asked`` brings its kind."""

    tell_asked = Signal()
    believe_asked = Signal()
    slip_asked = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("panel")
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 6, 12, 6)
        row.setSpacing(6)
        self.tell = QPushButton("Copy bench to control")
        self.tell.setToolTip("Truth into belief: the registers hold what is on the bench. All rows, or those selected")
        self.tell.clicked.connect(self.tell_asked)
        self.believe = QPushButton("Copy control to bench")
        self.believe.setToolTip("Belief into truth: the bench is as the control has it. All rows, or those selected")
        self.believe.clicked.connect(self.believe_asked)
        self.slip = QToolButton()
        self.slip.setText("Practice error\u2026")
        self.slip.setToolTip("A deliberate error in the row with the cursor, for practice")
        self.slip.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(self.slip)
        for kind, words in SLIPS.items():
            menu.addAction(words[:1].upper() + words[1:], lambda k=kind: self.slip_asked.emit(k))
        self.slip.setMenu(menu)
        self.legend = label("", quiet=True, pixels=12)
        self.legend.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.legend.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        for button in (self.tell, self.believe, self.slip):
            button.setFixedHeight(27)
            row.addWidget(button)
        row.addWidget(self.legend, 1)


class Sides(QSplitter):
    """Both sides; ``tabs`` choose the page, ``left_split`` parts picture and page."""

    def __init__(
        self, pages: Sequence[tuple[str, str]], picture: QWidget, stack: QWidget, table: RowsView, heads: Heads, actions: Actions, what_if: WhatIf,
    ) -> None:  # fmt: skip
        super().__init__(Qt.Orientation.Horizontal)
        left, right = QWidget(), QWidget()
        left_box, right_box = QVBoxLayout(left), QVBoxLayout(right)
        self.tabs = PageTabs(pages)
        self.left_split = QSplitter(Qt.Orientation.Vertical)
        for part in (picture, stack):
            self.left_split.addWidget(part)
        self.left_split.setSizes([360, 360])
        left_box.addWidget(self.tabs)
        left_box.addWidget(self.left_split, 1)
        right.setObjectName("panel")
        right.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        right_box.addWidget(heads)
        right_box.addWidget(table, 1)
        right_box.addWidget(actions)
        right_box.addWidget(what_if)
        for box in (left_box, right_box):
            box.setContentsMargins(0, 0, 0, 0)
            box.setSpacing(0)
        for part in (left, right):
            self.addWidget(part)
        self.setSizes([560, 656])
        self.setStretchFactor(1, 1)
        for split in (self, self.left_split):
            split.setHandleWidth(1)
            split.setCollapsible(0, False)
            split.setCollapsible(1, False)
