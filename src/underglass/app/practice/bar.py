"""The line of a practice job under the header: its task, its hints, what the checker says, and what was learned."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from underglass.app.parts.basic import label
from underglass.app.practice.practising import Practising
from underglass.app.style.palette import Palette
from underglass.core.files.practice import KINDS


class PracticeBar(QWidget):
    """Seen as long as a practice job is under way."""

    show_me_asked = Signal()
    hand_in_asked = Signal()
    list_asked = Signal()

    def __init__(self, practising: Practising, palette: Palette) -> None:
        super().__init__()
        self.setObjectName("practice")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._practising, self._palette = practising, palette
        self.title = label(bold=True)
        self.task = label()
        self.task.setWordWrap(True)
        self.more = label(pixels=12)
        self.more.setWordWrap(True)
        self.more.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.hint, self.check, self.me = QPushButton("Hint"), QPushButton("Check it"), QPushButton("Show me")
        self.hand_in, self.over, self.leave = QPushButton("Hand in…"), QPushButton("Start over"), QPushButton("Leave")
        self.next = QPushButton("Other jobs")
        self.check.setProperty("strong", True)
        self.check.setToolTip("Hold the program, the setup and the finished part against what was asked")
        self.me.setToolTip("Point at what to use next, one step at a time")
        self.hand_in.setToolTip("A report of what was done, as a page to print or as PDF")
        row = QHBoxLayout()
        row.setSpacing(6)
        row.addWidget(self.title)
        row.addSpacing(6)
        row.addWidget(self.task, 1)
        for button in (self.hint, self.me, self.check, self.hand_in, self.over, self.next, self.leave):
            button.setProperty("tab", True)
            row.addWidget(button)
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 5, 8, 5)
        box.setSpacing(3)
        box.addLayout(row)
        box.addWidget(self.more)
        self.hint.clicked.connect(practising.hint)
        self.check.clicked.connect(practising.check)
        self.over.clicked.connect(practising.over)
        self.leave.clicked.connect(practising.leave)
        self.me.clicked.connect(self.show_me_asked)
        self.hand_in.clicked.connect(self.hand_in_asked)
        self.next.clicked.connect(self.list_asked)
        practising.changed.connect(self.refresh)
        self.refresh()

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        self.refresh()

    def refresh(self) -> None:
        one, p = self._practising, self._palette
        practice = one.practice
        self.setVisible(practice is not None)
        if practice is None:
            return
        self.title.setText(f"{KINDS[practice.kind]}: {practice.title}")
        self.task.setText(practice.task)
        lines = [f"Hint {k}: {practice.hints[k - 1]}" for k in range(1, one.hints + 1)]
        if one.solved:
            lines = [f"Solved. {practice.learned} One sees it in: {practice.where}."]
        elif one.verdicts:
            lines += [f"{'●' if v.holds else '○'}  {v.said}" for v in one.verdicts]
        self.more.setText("\n".join(lines))
        self.more.setVisible(bool(lines))
        self.check.setText("Checking…" if one.checking else "Check it")
        self.check.setEnabled(not one.checking)
        left = len(practice.hints) - one.hints
        self.hint.setText(f"Hint, {left} left" if left else "No more hints")
        self.hint.setEnabled(left > 0 and not one.solved)
        edge = p.note if one.solved else p.active
        self.setStyleSheet(f"#practice {{ background: {p.active_wash}; border-bottom: 2px solid {edge}; }}")
