"""A form of fields beside what comes of it: the drawing, the figures, the formulas. Recomputed as one types.

A bad entry is said under its field and stays as it was typed.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping, Sequence
from typing import Protocol

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import (
    QApplication,
    QComboBox,
    QGridLayout,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from underglass.app.background import Background
from underglass.app.parts.basic import Elided, emptied, label, rich, scrolled
from underglass.app.parts.figure_view import FigureView
from underglass.app.style.palette import Palette
from underglass.app.style.theme import number_font
from underglass.core.errors import Cancelled
from underglass.core.reckon.form import Answer, CannotBe, Field, until
from underglass.core.units import Unit


class Worked(Protocol):
    """What a form can be made of: a reckoner or an operation."""

    @property
    def name(self) -> str: ...
    @property
    def fields(self) -> tuple[Field, ...]: ...
    def asked(self, entered: Mapping[str, str]) -> tuple[Field, ...]: ...
    def answer(self, entered: Mapping[str, str], unit: Unit) -> Answer: ...


_UNITS = {
    "length": {"mm": "mm", "inch": "in"}, "angle": {"mm": "\u00b0", "inch": "\u00b0"},
    "feed": {"mm": "mm/min", "inch": "in/min"}, "speed": {"mm": "m/min", "inch": "ft/min"},
    "tooth": {"mm": "mm", "inch": "in"},
}  # fmt: skip
_COLUMNS = 2
_SLOW_S = 0.15
"""A form that takes longer than this to answer is answered beside the window from then on."""
_AT_ONCE_S = 0.4
"""No longer than this is the window held up for an answer; then it is begun again beside it."""
_LOOK_MS = 200
_MANY = 5_000
"""From so many blocks on they are counted aloud."""


def _answer_of(worked: Worked, entered: Mapping[str, str], unit: Unit) -> tuple[Answer | CannotBe, float]:
    """The answer, or why there is none, and how long that took, s."""
    began = time.perf_counter()
    try:
        answer: Answer | CannotBe = worked.answer(entered, unit)
    except CannotBe as problem:
        answer = problem
    return answer, time.perf_counter() - began


class FormView(QWidget):
    """``answered`` is sent when another answer is there, or none any more."""

    answered = Signal()
    went_on = Signal()
    """An answer on its way has come further: ``working_said`` says how far."""
    drawing_asked = Signal(str)
    """A contour's key, when it is wanted from a drawing."""

    def __init__(self, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._palette = palette
        self.unit: Unit = "mm"
        self.worked: Worked | None = None
        self.answer: Answer | None = None
        self.why_not = ""
        self._slow = False
        self._later = Background("working out a form", self)
        self._later.done.connect(self._on_worked)
        self._later.failed.connect(lambda why: self._show(CannotBe(why)))
        self._blocks = 0
        self._look = QTimer(self)
        self._look.setInterval(_LOOK_MS)
        self._look.timeout.connect(self._on_look)
        self._editors: dict[str, QWidget] = {}
        self._labels: dict[str, QLabel] = {}
        self._said: dict[str, QLabel] = {}
        self._entered: dict[str, str] = {}
        self._filling = False
        self.figure = FigureView(palette)
        self._fields = QWidget()
        self._fields.setObjectName("panel")
        self._grid = QGridLayout(self._fields)
        self._grid.setContentsMargins(12, 8, 12, 8)
        self._grid.setHorizontalSpacing(10)
        self._grid.setVerticalSpacing(1)
        self._rows = rich()
        self._rows.setAccessibleName("Result")
        self._rows.setContentsMargins(12, 4, 12, 8)
        inner = QWidget()
        inner.setObjectName("panel")
        box = QVBoxLayout(inner)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(self._fields)
        box.addWidget(self._rows)
        box.addStretch(1)
        self.area = scrolled(inner)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        outer.addWidget(self.figure, 2)
        outer.addWidget(self.area, 5)

    # -- filling in --------------------------------------------------------------------------------------------------

    @property
    def entered(self) -> dict[str, str]:
        """What stands in the fields, as typed."""
        return dict(self._entered)

    def show_form(self, worked: Worked, unit: Unit, entered: Mapping[str, str] | None = None) -> None:
        """Another form, or the same with other entries; without any, what a form starts with."""
        if worked is not self.worked:
            self._slow = False
        self.worked, self.unit = worked, unit
        self._entered = {f.key: f.first(unit) for f in worked.fields} | dict(entered or {})
        self._make_fields()
        self._work()

    def enter(self, entered: Mapping[str, str]) -> None:
        """Put figures into fields."""
        before = self.worked.asked(self._entered) if self.worked is not None else ()
        self._entered |= entered
        if self.worked is not None and self.worked.asked(self._entered) != before:
            self._make_fields()
        self._filling = True
        for key, text in entered.items():
            editor = self._editors.get(key)
            if isinstance(editor, QLineEdit):
                editor.setText(text)
            elif isinstance(editor, QPlainTextEdit):
                editor.setPlainText(text)
            elif isinstance(editor, QComboBox):
                editor.setCurrentIndex(editor.findData(text))
        self._filling = False
        self._work()

    def set_unit(self, unit: Unit) -> None:
        """Another unit; what was not touched starts anew in it."""
        if unit == self.unit or self.worked is None:
            self.unit = unit
            return
        old = self.unit
        fresh = {f.key: f.first(unit) for f in self.worked.fields if self._entered.get(f.key) == f.first(old)}
        self.show_form(self.worked, unit, {**self._entered, **fresh})

    def _make_fields(self) -> None:
        had = QApplication.focusWidget()
        focus = next((k for k, w in self._editors.items() if w is had), "")
        emptied(self._grid)
        self._editors, self._labels, self._said = {}, {}, {}
        assert self.worked is not None
        slot = 0
        for field in self.worked.asked(self._entered):
            wide = field.kind in ("choice", "points", "text", "contour")
            if wide and slot % _COLUMNS:
                slot += 1
            row, column = 3 * (slot // _COLUMNS), slot % _COLUMNS
            span = _COLUMNS if wide else 1
            unit = _UNITS.get(field.kind, {}).get(self.unit, "")
            name = Elided(field.word + (f", {unit}" if unit else ""), quiet=True, pixels=12)
            editor = self._make_editor(field)
            name.setBuddy(editor)
            said = label(pixels=12)
            said.setWordWrap(True)
            said.hide()
            if field.kind in ("contour", "points"):
                # Its name has a button beside it.
                drawing = QPushButton("From a drawing\u2026")
                drawing.setToolTip(
                    "Its lines and arcs from a DXF file"
                    if field.kind == "contour"
                    else "The middles of a DXF file's circles"
                )
                drawing.clicked.connect(lambda _c=False, k=field.key: self.drawing_asked.emit(k))
                self._grid.addWidget(name, row, 0)
                self._grid.addWidget(drawing, row, 1, Qt.AlignmentFlag.AlignRight)
            else:
                self._grid.addWidget(name, row, column, 1, span)
            for widget, down in ((editor, 1), (said, 2)):
                self._grid.addWidget(widget, row + down, column, 1, span)
            self._editors[field.key], self._labels[field.key], self._said[field.key] = editor, name, said
            slot += span
        for column in range(_COLUMNS):
            self._grid.setColumnStretch(column, 1)
        if focus in self._editors:
            self._editors[focus].setFocus()

    def _make_editor(self, field: Field) -> QWidget:
        text = self._entered.get(field.key, "")
        editor: QWidget
        if field.kind == "choice":
            editor = QComboBox()
            for value, word in field.choices:
                editor.addItem(word, value)
            editor.setCurrentIndex(max(editor.findData(text), 0))
            editor.currentIndexChanged.connect(lambda _i, f=field, e=editor: self._on_typed(f, str(e.currentData())))
        elif field.kind in ("points", "contour"):
            editor = QPlainTextEdit(text)
            editor.setObjectName("points")
            editor.setFont(number_font(13))
            editor.setFixedHeight(92 if field.kind == "points" else 122)
            editor.setTabChangesFocus(True)
            editor.textChanged.connect(lambda f=field, e=editor: self._on_typed(f, e.toPlainText()))
        else:
            editor = QLineEdit(text)
            editor.setFont(number_font(13))
            if field.kind != "text":
                editor.setAlignment(Qt.AlignmentFlag.AlignRight)
            editor.textChanged.connect(lambda value, f=field: self._on_typed(f, value))
        editor.setAccessibleName(field.word)
        editor.setToolTip(field.tip)
        editor.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        return editor

    def editor(self, key: str) -> QWidget:
        """The field's own widget."""
        return self._editors[key]

    def said_at(self, key: str) -> str:
        """What is said under a field; empty where nothing is."""
        return self._said[key].text()

    def _on_typed(self, field: Field, text: str) -> None:
        if self._filling:
            return
        before = self.worked.asked(self._entered) if self.worked is not None else ()
        self._entered[field.key] = text
        if self.worked is not None and self.worked.asked(self._entered) != before:
            self._make_fields()
        self._work()

    # -- the answer --------------------------------------------------------------------------------------------------

    def _work(self) -> None:
        """Answer at once, or beside the window where this form took long the last time."""
        if self.worked is None:
            return
        worked, entered, unit = self.worked, dict(self._entered), self.unit
        if not self._slow and not any(f.slow and entered.get(f.key, "").strip() for f in worked.asked(entered)):
            self._later.cancel()
            latest = time.perf_counter() + _AT_ONCE_S
            try:
                self._on_worked(until(lambda: time.perf_counter() > latest, lambda: _answer_of(worked, entered, unit)))
            except Cancelled:
                self._slow = True
            else:
                return
        self.answer, self.why_not, self._blocks = None, "", 0
        self.figure.outdate()
        self._later.ask(lambda cancel: until(cancel, lambda: _answer_of(worked, entered, unit), self._count))
        self._on_look()
        self._look.start()
        self.answered.emit()

    def _count(self, blocks: int) -> None:
        """Called beside the window."""
        self._blocks = blocks

    def _on_look(self) -> None:
        if not self.working:
            self._look.stop()
            return
        self._rows.setText(f'<span style="color:{self._palette.quiet}">{self.working_said}</span>')
        self.went_on.emit()

    @property
    def working_said(self) -> str:
        """How far an answer on its way has come."""
        return f"Working it out… {self._blocks:,} blocks" if self._blocks >= _MANY else "Working it out…"

    @property
    def working(self) -> bool:
        """Whether an answer is on its way."""
        return self._later.busy

    def _on_worked(self, worked: tuple[Answer | CannotBe, float]) -> None:
        answer, seconds = worked
        self._slow = seconds > _SLOW_S
        self._show(answer)

    def _show(self, answer: Answer | CannotBe) -> None:
        blame = ""
        if isinstance(answer, CannotBe):
            self.answer, blame, self.why_not = None, answer.key, str(answer)
        else:
            self.answer, self.why_not = answer, ""
        for key, said in self._said.items():
            said.setText(self.why_not if key == blame else "")
            said.setStyleSheet(f"color: {self._palette.fault};")
            said.setVisible(key == blame)
        self.figure.show_strokes(self.answer.strokes if self.answer is not None else ())
        if self.answer is not None:
            self.figure.setVisible(bool(self.answer.strokes))
        self._rows.setText(self._told(blame in self._said))
        self.answered.emit()

    def _told(self, beside_field: bool) -> str:
        p = self._palette
        if self.answer is None:
            return "" if beside_field else f'<span style="color:{p.fault}">{self.why_not}</span>'
        out = ['<table cellspacing="0" cellpadding="1" width="100%">']
        for row in self.answer.rows:
            note = f'<br><span style="color:{p.quiet}; font-size:11px">{row.note}</span>' if row.note else ""
            out.append(
                f'<tr><td style="color:{p.quiet}">{row.word}&nbsp;&nbsp;</td>'
                f'<td align="right" style="font-family:\'JetBrains Mono\'">{row.shown}{note}</td></tr>'
            )
        out.append("</table>")
        if self.answer.note:
            out.append(
                f'<p style="color:{p.fault if not self.answer.blocks and not self.answer.points else p.belief}">{self.answer.note}</p>'
            )
        steps: Sequence[str] = self.answer.steps
        source = getattr(self.worked, "source", "")
        if steps or source:
            lines = "<br>".join(steps)
            out.append(f"<p style=\"font-family:'JetBrains Mono'; font-size:11px; color:{p.text}\">{lines}</p>")
            if source:
                out.append(f'<p style="color:{p.quiet}; font-size:11px">Source: {source}</p>')
        return "".join(out)

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        self.figure.set_palette(palette)
        self._work()

    def when_answered(self, call: Callable[[], None]) -> None:
        """Call something at each new answer."""
        self.answered.connect(call)
