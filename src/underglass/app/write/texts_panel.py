"""The shop's own texts: seen as they are kept and as they come out, changed, put into the program."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QPlainTextEdit, QPushButton, QVBoxLayout, QWidget

from underglass.app.document import Document
from underglass.app.parts.basic import foot, label, pair
from underglass.app.style.palette import Palette
from underglass.app.style.theme import number_font
from underglass.core.compose.shop import FIRST, KNOWN, NAMES, ShopTexts, filled, program_number, values_for
from underglass.core.errors import UnderGlassError
from underglass.core.files.shop import read_shops, write_shop
from underglass.core.proof.standing import Standing
from underglass.core.reckon.form import CannotBe


class TextsPanel(QWidget):
    """``write_asked`` brings lines for below the cursor; ``kept`` the texts when they were changed."""

    write_asked = Signal(object)
    kept = Signal(object)
    trouble = Signal(str)

    def __init__(self, document: Document, path: Path, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._path = path
        self._palette = palette
        self._standing: Standing | None = None
        self._unreadable = ""
        self.kind = "mill"
        self.shops: dict[str, ShopTexts] = dict(FIRST)
        if path.exists():
            try:
                self.shops = read_shops(path)
            except UnderGlassError as problem:
                self._unreadable = str(problem)
        self.choice = QComboBox()
        self.choice.setAccessibleName("Which text")
        for key, name in NAMES.items():
            self.choice.addItem(name, key)
        self.choice.currentIndexChanged.connect(lambda _i: self._on_chosen())
        self.tool = QComboBox()
        self.tool.setAccessibleName("For which tool")
        self.tool.currentIndexChanged.connect(lambda _i: self._look())
        self.edit = QPlainTextEdit()
        self.edit.setObjectName("points")
        self.edit.setFont(number_font(13))
        self.edit.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.edit.setTabChangesFocus(True)
        self.edit.setAccessibleName("The text as it is kept")
        self.edit.textChanged.connect(self._look)
        self.shown = QPlainTextEdit()
        self.shown.setObjectName("sunkText")
        self.shown.setFont(number_font(13))
        self.shown.setReadOnly(True)
        self.shown.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.shown.setAccessibleName("The text as it comes out")
        self.shown.setTabChangesFocus(True)
        known = label("Filled in: " + " ".join("{" + k + "}" for k in KNOWN), quiet=True, pixels=12)
        known.setWordWrap(True)
        self.said = label(pixels=12)
        self.said.setWordWrap(True)
        self.keep = QPushButton("Save")
        self.keep.setToolTip("Keep this text for every program from now on")
        self.keep.clicked.connect(self.keep_text)
        self.first = QPushButton("Restore default")
        self.first.clicked.connect(lambda: self.edit.setPlainText(getattr(FIRST[self.kind], self.key)))
        self.write = QPushButton("Insert")
        self.write.setProperty("strong", True)
        self.write.clicked.connect(self.ask_write)
        box = QVBoxLayout(self)
        box.setContentsMargins(12, 8, 12, 8)
        box.setSpacing(6)
        box.addLayout(pair(self.choice, self.tool))
        box.addWidget(label("Template", quiet=True, pixels=12))
        box.addWidget(self.edit, 1)
        box.addWidget(known)
        box.addWidget(label("Result", quiet=True, pixels=12))
        box.addWidget(self.shown, 1)
        box.addWidget(self.said)
        box.addLayout(foot(self.keep, self.first, right=self.write))
        document.job_changed.connect(self._on_job_changed)
        self._on_chosen()

    @property
    def texts(self) -> ShopTexts:
        """Those for the kind of machine of the job."""
        return self.shops[self.kind]

    @property
    def key(self) -> str:
        return str(self.choice.currentData())

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        self._look()

    def set_standing(self, standing: Standing | None) -> None:
        """What is in force at the cursor."""
        self._standing = standing
        self._look()

    def _on_job_changed(self) -> None:
        self.tool.clear()
        job = self._document.job
        kind = job.trade.kind if job is not None else "mill"
        if kind != self.kind:
            self.kind = kind
            self._on_chosen()
            self.kept.emit(self.texts)
        for number, tool in sorted(job.bench.tools.items()) if job is not None else ():
            self.tool.addItem(f"T{number} {tool.name}", number)
        self._look()

    def _on_chosen(self) -> None:
        self.edit.setPlainText(getattr(self.texts, self.key))
        self.tool.setEnabled(self.key.startswith("tool") or self.key == "end")
        self._look()

    def lines(self) -> tuple[str, ...]:
        """The text filled in for the place of the cursor. Raises ``CannotBe``."""
        job = self._document.job
        unit = self._standing.unit if self._standing is not None and self.key != "start" else job.units if job else "mm"
        number = self.tool.currentData() or 1
        tool = job.bench.tools.get(number) if job is not None else None
        below = self._document.lines[self._document.line : self._document.line + 60]
        speed = f"{self._standing.after.speed:g}" if self._standing is not None and self._standing.after.speed else ""
        values = values_for(
            unit, tool=number, tool_name=tool.name if tool else "", speed=speed, safe=1.0 if unit == "inch" else 25.0,
            title=job.title if job else "", blocks=below,
            program=program_number(self._document.lines, self._document.source.name),
        )  # fmt: skip
        return filled(self.edit.toPlainText(), values)

    def _look(self) -> None:
        p = self._palette
        try:
            lines, why = self.lines(), self._unreadable
            self.shown.setPlainText("\n".join(lines))
        except CannotBe as problem:
            why = str(problem)
        self.said.setText(why)
        self.said.setStyleSheet(f"color: {p.fault};")
        self.said.setVisible(bool(why))
        self.keep.setEnabled(self.edit.toPlainText() != getattr(self.texts, self.key))
        self.write.setEnabled(self._document.job is not None and (not why or why == self._unreadable))

    def keep_text(self) -> None:
        """Keep the text as it stands for every program from now on."""
        texts = replace(self.texts, **{self.key: self.edit.toPlainText()})
        self.shops[self.kind] = texts
        try:
            write_shop(self._path, texts, self.kind)
        except UnderGlassError as problem:
            self.trouble.emit(str(problem))
            return
        self._unreadable = ""
        self._look()
        self.kept.emit(self.texts)

    def ask_write(self) -> None:
        try:
            self.write_asked.emit(self.lines())
        except CannotBe as problem:
            self.trouble.emit(str(problem))
