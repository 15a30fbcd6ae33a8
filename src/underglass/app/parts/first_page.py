"""What is seen when nothing is open: what can be done, in three sentences, and the doors to it."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QToolButton, QVBoxLayout, QWidget

from underglass.app.parts.basic import label
from underglass.core.data import data_folder
from underglass.core.files.recovery import Kept

DEMOS = (
    ("vent-bracket-slip", "Milled bracket"), ("winder-bush-slip", "Turned bush"), ("ridge-gusset-slip", "Gussets cut from sheet"),
    ("louvre-panel-slip", "Punched panel"),
)  # fmt: skip
"""One of each trade, each with one mistake in it."""
CARD = QSize(196, 124)
"""A demo's picture, pixels."""


class FirstPage(QWidget):
    """Offers the demo and a file from disk."""

    demo_asked = Signal(str)
    open_asked = Signal()
    new_asked = Signal()
    kept_asked = Signal(object)
    practice_asked = Signal()
    walk_asked = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("sunk")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        title = label("Prove it under glass first", bold=True, pixels=22)
        words = label(
            "Open a program or a job, and see it cut in the stock you really have, with the tools you really have. "
            "Where the control has been told something wrong, you see the crash here, at the line that causes it. "
            "Drag the tape to any moment, change the text, and the proof follows as you type.",
            pixels=14,
        )
        words.setWordWrap(True)
        words.setFixedWidth(640)
        words.setMinimumHeight(words.heightForWidth(640))
        self.slip = QPushButton("Demo with one mistake")
        self.slip.setProperty("strong", True)
        self.new = QPushButton("New program")
        self.open = QPushButton("Open a job or a program…")
        self.new.clicked.connect(self.new_asked)
        self.slip.clicked.connect(lambda: self.demo_asked.emit("vent-bracket-slip"))
        self.open.clicked.connect(self.open_asked)
        row = QHBoxLayout()
        row.setSpacing(10)
        self.practice = QPushButton("Practice jobs")
        self.practice.setToolTip("Find the fault, write it, measure and correct: with hints and a checker")
        self.practice.clicked.connect(self.practice_asked)
        self.walk = QPushButton("Two-minute walk")
        self.walk.setToolTip("Shows the five places, one step at a time; it can be left at any point")
        self.walk.clicked.connect(self.walk_asked)
        for button in (self.slip, self.new, self.open, self.practice, self.walk):
            button.setMinimumHeight(32)
            row.addWidget(button)
        row.addStretch(1)
        more = QHBoxLayout()
        more.setSpacing(12)
        self.demos: dict[str, QToolButton] = {}
        for name, said in DEMOS:
            button = self.demos[name] = QToolButton()
            button.setText(said)
            button.setIcon(QIcon(str(data_folder() / "pictures" / f"{name}.png")))
            button.setIconSize(CARD)
            button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
            button.setAccessibleName(said)
            button.setToolTip(f"{said}: a demo with one mistake in it. Find it.")
            button.clicked.connect(lambda _checked=False, name=name: self.demo_asked.emit(name))
            more.addWidget(button)
        more.addStretch(1)
        inner = QVBoxLayout()
        inner.setSpacing(18)
        inner.addWidget(title)
        inner.addWidget(words)
        inner.addLayout(row)
        inner.addWidget(label("Four trades, each demo with one mistake in it", quiet=True))
        inner.addLayout(more)
        self.again = QVBoxLayout()
        self.again.setSpacing(4)
        inner.addLayout(self.again)
        self.kept = QPushButton()
        self.kept.hide()
        inner.addWidget(self.kept, 0, Qt.AlignmentFlag.AlignLeft)
        self.trouble = label(pixels=13)
        self.trouble.setWordWrap(True)
        self.trouble.setMaximumWidth(560)
        inner.addWidget(self.trouble)
        outer = QHBoxLayout()
        outer.addStretch(1)
        outer.addLayout(inner)
        outer.addStretch(1)
        box = QVBoxLayout(self)
        box.addStretch(2)
        box.addLayout(outer)
        box.addStretch(3)
        words.setAlignment(Qt.AlignmentFlag.AlignLeft)

    def offer_kept(self, found: Sequence[Kept]) -> None:
        """Offer the newest program whose changes were not saved when Under Glass last ended."""
        there = [kept for kept in found if kept.opened.exists() or not kept.program.exists()]
        self.kept.setVisible(bool(there))
        if there:
            newest = there[0]
            self.kept.setText(f"Open {newest.program.name}, whose last changes were not saved")
            # A program that never was saved has no file: it is begun anew, and its text offered there.
            self.kept.clicked.connect(
                lambda: self.kept_asked.emit(newest.opened) if newest.opened.exists() else self.new_asked.emit()
            )

    def offer_recent(self, paths: Sequence[Path]) -> None:
        """What was open before, a line each."""
        if paths:
            self.again.addWidget(label("Open again", quiet=True))
        for path in paths[:5]:
            button = QPushButton(f"{path.name}   {path.parent}")
            button.setProperty("page", True)
            button.setToolTip(str(path))
            button.setMaximumWidth(560)
            button.clicked.connect(lambda _checked=False, p=path: self.kept_asked.emit(p))
            self.again.addWidget(button, 0, Qt.AlignmentFlag.AlignLeft)
