"""A field for one figure: its word and unit above, arithmetic and both units in it, what is wrong with it below.

What was typed stays as it was typed until it is good; Escape brings the last good figure back.
"""

from __future__ import annotations

from typing import Literal

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import QLineEdit, QSizePolicy, QVBoxLayout, QWidget

from underglass.app.parts.basic import Elided, label
from underglass.app.style.palette import Palette
from underglass.app.style.theme import number_font
from underglass.core.reckon.figure import BadFigure, read_figure
from underglass.core.units import MM_PER_INCH, Unit, show_length

FigureKind = Literal["length", "angle", "whole", "number"]
_SAME = 5e-7


class NumberField(QWidget):
    """``typed`` brings each good figure as it is typed: mm, degrees or a plain number. ``done`` when it is left."""

    typed = Signal(float)
    done = Signal()

    def __init__(
        self, word: str, kind: FigureKind = "length", *, belief: bool = False, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.word, self.kind = word, kind
        self.unit: Unit = "mm"
        self.value: float | None = None
        self._typing = False
        self._name = Elided(word, quiet=True, pixels=12)
        self._name.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.edit = QLineEdit()
        self.edit.setFont(number_font(13))
        self.edit.setProperty("numbers", True)
        self.edit.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.edit.setAccessibleName(word)
        if belief:
            self.edit.setProperty("belief", True)
        self._name.setBuddy(self.edit)
        self.said = label(pixels=12)
        self.said.setWordWrap(True)
        self.said.setProperty("fault", True)
        self.said.hide()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(1)
        for part in (self._name, self.edit, self.said):
            box.addWidget(part)
        self.edit.textEdited.connect(self._on_typed)
        self.edit.editingFinished.connect(self._on_done)
        self.edit.installEventFilter(self)
        self.setFocusProxy(self.edit)

    # -- what it shows -------------------------------------------------------------------------------------------------

    def set_word(self, word: str) -> None:
        """What the figure is called."""
        self.word = word
        self._name.setText(word)
        self.edit.setAccessibleName(word)

    def show_value(self, value: float | None, unit: Unit = "mm", *, hint: str = "") -> None:
        """The figure that holds; what is being typed stays where it says the same, or is wrong."""
        unit_changed, self.unit = unit != self.unit, unit
        suffix = {"length": {"mm": "mm", "inch": "in"}[unit], "angle": "\u00b0"}.get(self.kind, "")
        self._name.setText(f"{self.word}, {suffix}" if suffix else self.word)
        self.edit.setToolTip(self._name.text())
        self.edit.setPlaceholderText(hint)
        if not unit_changed and self._typing and (self.bad or self._read() == value or self._close(value)):
            self.value = value
            return
        self.value = value
        self.say("")
        self.edit.setText(self._shown(value))

    def _close(self, value: float | None) -> bool:
        now = self._read()
        return now is not None and value is not None and abs(now - value) < _SAME * 10.0

    def _shown(self, value: float | None) -> str:
        if value is None:
            return ""
        if self.kind == "length":
            return show_length(value, self.unit)
        if self.kind == "whole":
            return f"{round(value)}"
        return f"{round(value, 4) + 0.0:g}"

    def say(self, why: str) -> None:
        """What is wrong with the figure; empty: nothing."""
        self.said.setText(why[:1].upper() + why[1:])
        self.said.setVisible(bool(why))

    @property
    def bad(self) -> bool:
        """Whether what stands there is not taken."""
        return bool(self.said.text())

    @property
    def text(self) -> str:
        return self.edit.text()

    # -- typing --------------------------------------------------------------------------------------------------------

    def _read(self) -> float | None:
        try:
            value = read_figure(self.edit.text(), self.unit if self.kind == "length" else None)
        except BadFigure:
            return None
        return value * MM_PER_INCH if self.kind == "length" and self.unit == "inch" else value

    def _on_typed(self, text: str) -> None:
        self._typing = True
        try:
            value = read_figure(text, self.unit if self.kind == "length" else None)
        except BadFigure as problem:
            self.say(str(problem))
            return
        if self.kind == "whole" and value != int(value):
            self.say("this must be a whole number")
            return
        if self.kind == "length" and self.unit == "inch":
            value *= MM_PER_INCH
        self.say("")
        self.value = value
        self.typed.emit(value)

    def enter(self, text: str) -> None:
        """Type a text, as a person would."""
        self.edit.setText(text)
        self._on_typed(text)

    def _on_done(self) -> None:
        if not self.bad:
            self._typing = False
            self.edit.setText(self._shown(self.value))
        self.done.emit()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if (
            isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.ShortcutOverride
            and (event.matches(QKeySequence.StandardKey.Undo) or event.matches(QKeySequence.StandardKey.Redo))
        ):
            # Undo belongs to the setup, of which this figure is a part.
            event.ignore()
            return True
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            if event.key() == Qt.Key.Key_Escape and (self.bad or self.edit.isModified()):
                self._typing = False
                self.say("")
                self.edit.setText(self._shown(self.value))
                return True
            if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down) and self.value is not None:
                step = 1.0 if self.kind == "whole" else MM_PER_INCH / 10.0 if self.unit == "inch" else 1.0
                if event.modifiers() & Qt.KeyboardModifier.ShiftModifier and self.kind != "whole":
                    step /= 10.0
                value = self.value + (step if event.key() == Qt.Key.Key_Up else -step)
                self.enter(self._shown(value))
                return True
        return super().eventFilter(watched, event)

    def set_palette(self, palette: Palette) -> None:
        self.said.setStyleSheet(f"color: {palette.fault};")
        self.edit.setStyleSheet(f"color: {palette.belief};" if self.edit.property("belief") else "")
