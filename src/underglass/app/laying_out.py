"""Where the window's parts lie."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QSplitter, QVBoxLayout, QWidget

from underglass.app.shell import Fittings


def lay_out(w: Fittings, compare_page: QWidget, practice_page: QWidget, practice_bar: QWidget) -> QWidget:
    """The window's body: rail, header, notice, and under them the places: program, glass and side panels over the tape, or a page alone."""
    middle = QWidget()
    middle_box = QVBoxLayout(middle)
    middle_box.setContentsMargins(0, 0, 0, 0)
    middle_box.setSpacing(0)
    w.middle.addWidget(w.glass)
    w.side.late_print.when_made(lambda panel: w.middle.addWidget(panel.view))
    w.beside.late_lens.when_made(lambda page: w.middle.addWidget(page.view))
    middle_box.addWidget(w.middle)
    right = QSplitter(Qt.Orientation.Vertical)
    right.setHandleWidth(1)
    right.addWidget(w.beside)
    right.addWidget(w.findings)
    right.setStretchFactor(1, 1)
    right.setCollapsible(0, False)
    right.setCollapsible(1, False)
    right.setSizes([392, 284])
    w.right.addWidget(right)
    w.right.addWidget(w.side)
    w.split.setHandleWidth(1)
    for part in (w.program, middle, w.right):
        w.split.addWidget(part)
    w.split.setStretchFactor(1, 1)
    w.split.setCollapsible(1, False)
    strip = QWidget()
    strip.setObjectName("tape")
    strip.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
    strip.setFixedHeight(84)
    strip_row = QHBoxLayout(strip)
    strip_row.setContentsMargins(0, 1, 0, 0)
    strip_row.setSpacing(0)
    strip_row.addWidget(w.transport)
    strip_row.addWidget(w.tape, 1)
    work_box = QVBoxLayout(w.work)
    work_box.setContentsMargins(0, 0, 0, 0)
    work_box.setSpacing(0)
    work_box.addWidget(w.split, 1)
    work_box.addWidget(strip)
    w.stack.addWidget(w.work)
    w.stack.addWidget(w.first_page)
    w.stack.addWidget(compare_page)
    w.stack.addWidget(practice_page)
    body = QWidget()
    body.setObjectName("body")
    row = QHBoxLayout(body)
    row.setContentsMargins(0, 0, 0, 0)
    row.setSpacing(0)
    row.addWidget(w.rail)
    main = QVBoxLayout()
    main.setSpacing(0)
    main.addWidget(w.header)
    main.addWidget(practice_bar)
    main.addWidget(w.notice)
    main.addWidget(w.stack, 1)
    row.addLayout(main, 1)
    return body
