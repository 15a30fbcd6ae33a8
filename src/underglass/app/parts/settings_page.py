"""One place for what is set once: units, colours, size of text. Each takes effect at once, or says when."""

from __future__ import annotations

from PySide6.QtCore import QSettings, Signal
from PySide6.QtWidgets import QComboBox, QDialog, QFormLayout, QPushButton, QVBoxLayout, QWidget

from underglass.app.parts.basic import label

SIZES = (90, 100, 110, 125, 150, 175, 200)
"""Sizes of everything in the window, per cent."""
TEXT_SIZES = (11, 12, 13, 15, 17, 20)
"""Sizes of the program's text, pixels."""
KEPT_S = (0.5, 1.5, 5.0, 15.0)
"""How soon what was typed is kept against a kill, seconds."""
GRIDS = {"mm": ("1", "2", "5", "10", "20", "50"), "inch": ("0.05", "0.1", "0.25", "0.5", "1", "2")}
"""Steps of the drawing's grid."""


class SettingsPage(QDialog):
    """``units_chosen`` mm or inch; ``colours_chosen`` day or night; ``text_chosen`` pixels; ``kept_chosen`` seconds;
    ``grid_chosen`` a step in the unit that is shown, empty for none."""

    units_chosen = Signal(str)
    colours_chosen = Signal(str)
    text_chosen = Signal(int)
    kept_chosen = Signal(float)
    grid_chosen = Signal(str)

    def __init__(
        self,
        settings: QSettings,
        *,
        units: str,
        night: bool,
        text: int,
        kept_s: float,
        grid: str,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("Settings")
        self.setObjectName("body")
        self._settings = settings
        self.units = self._choice((("mm", "mm"), ("inch", "inch")), units)
        self.units.activated.connect(lambda _i: self.units_chosen.emit(str(self.units.currentData())))
        self.colours = self._choice((("day", "day"), ("night", "night")), "night" if night else "day")
        self.colours.activated.connect(lambda _i: self.colours_chosen.emit(str(self.colours.currentData())))
        self.text = self._choice(tuple((str(n), f"{n} px") for n in TEXT_SIZES), str(text))
        self.text.activated.connect(lambda _i: self.text_chosen.emit(int(str(self.text.currentData()))))
        self.size = self._choice(tuple((str(n), f"{n} %") for n in SIZES), str(settings.value("size") or 100))
        self.size.activated.connect(lambda _i: self._on_size())
        self.kept = self._choice(tuple((f"{n:g}", f"{n:g} s") for n in KEPT_S), f"{kept_s:g}")
        self.kept.activated.connect(lambda _i: self.kept_chosen.emit(float(str(self.kept.currentData()))))
        steps = tuple((step, f"{step} {'in' if units == 'inch' else 'mm'}") for step in GRIDS[units])
        self.grid = self._choice((("", "none"), *steps), grid)
        self.grid.activated.connect(lambda _i: self.grid_chosen.emit(str(self.grid.currentData())))
        self.said = label(quiet=True, pixels=12)
        self.said.setWordWrap(True)
        form = QFormLayout()
        form.setHorizontalSpacing(18)
        form.setVerticalSpacing(10)
        for words, box in (
            ("Lengths are shown in", self.units), ("Colours", self.colours), ("Text of the program", self.text), ("Size of everything", self.size),
            ("Grid of the drawing", self.grid), ("What is typed is kept after", self.kept),
        ):  # fmt: skip
            box.setAccessibleName(words)
            form.addRow(words, box)
        done = QPushButton("Close")
        done.clicked.connect(self.accept)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(20, 18, 20, 16)
        whole.setSpacing(14)
        whole.addLayout(form)
        whole.addWidget(self.said)
        whole.addWidget(done)
        self.setMinimumWidth(380)

    def _choice(self, choices: tuple[tuple[str, str], ...], now: str) -> QComboBox:
        box = QComboBox()
        for value, words in choices:
            box.addItem(words, value)
        box.setCurrentIndex(max(box.findData(now), 0))
        return box

    def _on_size(self) -> None:
        self._settings.setValue("size", str(self.size.currentData()))
        self._settings.sync()
        self.said.setText("The size changes when Under Glass is started again.")
