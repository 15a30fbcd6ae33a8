"""The practice jobs, to choose one from."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QListWidget, QListWidgetItem, QPushButton, QVBoxLayout, QWidget

from underglass.app.parts.basic import label, rule
from underglass.app.practice.practising import Practising
from underglass.app.style.theme import words_font
from underglass.core.files.practice import KINDS, Practice

_TRADES = {"vent-bracket": "Milling", "winder-cover": "Milling", "winder-bush": "Turning", "ridge-gusset": "Sheet cutting", "louvre-panel": "Punching"}  # fmt: skip
_ROLE = Qt.ItemDataRole.UserRole


class PracticePage(QWidget):
    """``start_asked`` brings a practice job."""

    start_asked = Signal(object)

    def __init__(self, practising: Practising) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._practising = practising
        self.list = QListWidget()
        self.list.setAccessibleName("Practice jobs")
        self.list.setMinimumWidth(380)
        self.list.setStyleSheet("QListWidget::item { padding: 2px 10px; }")
        self.list.currentItemChanged.connect(lambda _a, _b: self._show())
        self.list.itemActivated.connect(lambda _i: self._start())
        self.title = label(bold=True, pixels=20)
        self.kind = label(quiet=True)
        self.task = label(pixels=15)
        self.task.setWordWrap(True)
        self.state = label(quiet=True)
        self.state.setWordWrap(True)
        self.start = QPushButton("Start")
        self.start.setProperty("strong", True)
        self.start.setMinimumHeight(34)
        self.start.clicked.connect(self._start)
        self.own = QPushButton("Jobs of your own…")
        self.own.setToolTip("A folder with practice jobs: one folder each, with practice.toml, job and program")
        self.own.clicked.connect(self._ask_folder)
        self.wrong = label(pixels=12)
        self.wrong.setWordWrap(True)
        right = QVBoxLayout()
        right.setContentsMargins(28, 24, 28, 20)
        right.setSpacing(10)
        for part in (self.kind, self.title, self.task, self.state):
            right.addWidget(part)
        row = QHBoxLayout()
        row.addWidget(self.start)
        row.addWidget(self.own)
        row.addStretch(1)
        right.addSpacing(8)
        right.addLayout(row)
        right.addWidget(rule())
        about = label(
            "Each job has one thing wrong with it, or a piece to be written. Mend the program in Write or the setup in Setup, then check it: "
            "the proof and the finished part decide, not the way there. Hints come one by one. What was begun is kept until you start over.",
            quiet=True,
        )
        about.setWordWrap(True)
        right.addWidget(about)
        right.addWidget(self.wrong)
        right.addStretch(1)
        left = QVBoxLayout()
        left.setContentsMargins(0, 0, 0, 0)
        left.setSpacing(0)
        head = label("Practice", bold=True, pixels=15)
        head.setContentsMargins(14, 10, 14, 8)
        left.addWidget(head)
        left.addWidget(rule())
        left.addWidget(self.list, 1)
        box = QHBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addLayout(left, 2)
        box.addLayout(right, 3)
        practising.changed.connect(lambda: self.refresh() if self.isVisible() else None)

    def refresh(self) -> None:
        """The jobs there are now; the one that was chosen stays so."""
        chosen = self._chosen()
        found, wrong = self._practising.all()
        done = self._practising.done
        self.list.blockSignals(True)
        self.list.clear()
        for kind, words in KINDS.items():
            mine = sorted(
                (p for p in found if p.kind == kind), key=lambda p: list(_TRADES).index(p.base) if p.base else -1
            )
            if not mine:
                continue
            head = QListWidgetItem(f"{words}, {sum(p.name in done for p in mine)} of {len(mine)} solved")
            head.setFlags(Qt.ItemFlag.NoItemFlags)
            head.setFont(words_font(13, bold=True))
            head.setForeground(self.palette().windowText())
            self.list.addItem(head)
            for practice in mine:
                trade = _TRADES.get(practice.base, "")
                item = QListWidgetItem(
                    f"   {'●' if practice.name in done else '○'}  {practice.title}{f'  ·  {trade}' if trade else ''}"
                )
                item.setData(_ROLE, practice)
                self.list.addItem(item)
                if chosen is not None and practice.name == chosen.name:
                    self.list.setCurrentItem(item)
        self.list.blockSignals(False)
        if self._chosen() is None:
            first = next(
                (
                    k
                    for k in range(self.list.count())
                    if self.list.item(k).data(_ROLE) is not None and self.list.item(k).data(_ROLE).name not in done
                ),
                1,
            )
            self.list.setCurrentRow(first)
        self.wrong.setText("\n".join(wrong[:5]))
        self._show()

    def _chosen(self) -> Practice | None:
        item = self.list.currentItem()
        found = item.data(_ROLE) if item is not None else None
        return found if isinstance(found, Practice) else None

    def choose(self, name: str) -> None:
        """The job of this name."""
        for k in range(self.list.count()):
            found = self.list.item(k).data(_ROLE)
            if isinstance(found, Practice) and found.name == name:
                self.list.setCurrentRow(k)

    def _show(self) -> None:
        practice = self._chosen()
        self.start.setEnabled(practice is not None)
        if practice is None:
            return
        self.kind.setText(KINDS[practice.kind])
        self.title.setText(practice.title)
        self.task.setText(practice.task)
        solved = practice.name in self._practising.done
        self.state.setText(f"Solved. {practice.learned}" if solved else "Not solved yet.")

    def _start(self) -> None:
        practice = self._chosen()
        if practice is not None:
            self.start_asked.emit(practice)

    def _ask_folder(self) -> None:
        start = str(self._practising.own_folder or Path.home())
        name = QFileDialog.getExistingDirectory(self, "Folder with practice jobs", start)
        if name:
            self._practising.set_own_folder(Path(name))
            self.refresh()
