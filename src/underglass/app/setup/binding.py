"""Fields that show and change entries of the job file; shared by the pages of Setup."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QGridLayout,
    QLabel,
    QLineEdit,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from underglass.app.document import Document
from underglass.app.parts.basic import label, rich, scrolled
from underglass.app.parts.number_field import FigureKind, NumberField
from underglass.app.style.palette import Palette
from underglass.core.errors import BadEntry, UnderGlassError
from underglass.core.files.job_edit import JobEdit, as_figure
from underglass.core.proof.job import Job
from underglass.core.units import to_mm

Path_ = tuple[str | int, ...]
Change = Callable[[JobEdit, float], None]


def at(data: Any, path: Path_) -> Any:
    """The entry of a job's data at a path, None where there is none."""
    for step in path:
        try:
            data = data[step]
        except (KeyError, IndexError, TypeError):
            return None
    return data


class SetupPage(QWidget):
    """One page: a title sentence, fields in a grid, whatever else. Refreshed when the job or the units change.

    ``trouble`` brings a sentence where a change cannot be made and no field is there to say it beside.
    """

    trouble = Signal(str)
    columns = 3

    def __init__(self, document: Document, palette: Palette) -> None:
        super().__init__()
        self.document = document
        self.palette_ = palette
        self.setObjectName("sunk")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.fields: dict[str, NumberField] = {}
        self._refreshers: list[Callable[[], None]] = []
        self._palette_parts: list[Callable[[Palette], None]] = []
        inner = QWidget()
        inner.setObjectName("sunk")
        self.box = QVBoxLayout(inner)
        self.box.setContentsMargins(16, 8, 16, 10)
        self.box.setSpacing(8)
        self.area = scrolled(inner)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(self.area)

    @property
    def job(self) -> Job | None:
        """The job that the page is about; None where it is for another trade."""
        return self.document.table_job

    # -- building ------------------------------------------------------------------------------------------------------

    def say(self, text: str = "") -> QLabel:
        """A sentence on the page."""
        out = rich()
        out.setText(text)
        self.box.addWidget(out)
        return out

    def grid(self) -> QGridLayout:
        """Another grid for fields."""
        out = QGridLayout()
        out.setHorizontalSpacing(10)
        out.setVerticalSpacing(6)
        for k in range(self.columns):
            out.setColumnStretch(k, 1)
        self.box.addLayout(out)
        return out

    def put(self, grid: QGridLayout, widget: QWidget, slot: int, span: int = 1) -> None:
        grid.addWidget(widget, slot // self.columns, slot % self.columns, 1, span, Qt.AlignmentFlag.AlignTop)

    def number(
        self,
        key: str,
        word: str,
        path: Callable[[], Path_ | None] | Path_ | None = None,
        *,
        kind: FigureKind = "length",
        shown: Callable[[], float | None] | None = None,
        change: Change | None = None,
        what: str = "",
        belief: bool = False,
    ) -> NumberField:
        """A field of an entry at ``path``, or one whose figure is ``shown`` and is set by ``change``."""
        field = NumberField(word, kind, belief=belief)
        field.set_palette(self.palette_)
        self.fields[key] = field
        find = path if callable(path) else lambda: path

        def refresh() -> None:
            place = find()
            value = shown() if shown is not None else None
            if place is not None:
                raw = at(self.document.job_data, place)
                if isinstance(raw, int | float) and not isinstance(raw, bool):
                    job = self.job
                    value = to_mm(float(raw), job.units) if kind == "length" and job is not None else float(raw)
            field.show_value(value, self.document.units)

        def typed(value: float) -> None:
            def put(edit: JobEdit) -> None:
                place = find()
                if change is not None:
                    change(edit, value)
                elif place is not None and self.job is not None:
                    figure: Any = as_figure(value, self.job.units) if kind == "length" else value
                    edit.put(int(figure) if kind == "whole" else round(figure, 6), *place)

            field.say(self.change(put, what or word, f"{key}:{find()}"))

        field.typed.connect(typed)
        field.done.connect(self.document.history.close)
        self._refreshers.append(refresh)
        self._palette_parts.append(field.set_palette)
        return field

    def words(self, word: str, path: Callable[[], Path_ | None], shown: Callable[[], str] = lambda: "") -> QWidget:
        """A field for text."""
        holder, editor = QWidget(), QLineEdit()
        box = QVBoxLayout(holder)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(1)
        name = label(word, quiet=True, pixels=12)
        name.setBuddy(editor)
        name.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        editor.setAccessibleName(word)
        box.addWidget(name)
        box.addWidget(editor)

        def refresh() -> None:
            place = find()
            text = at(self.document.job_data, place) if place is not None else None
            text = text if isinstance(text, str) else shown()
            if editor.text() != text and not editor.hasFocus():
                editor.setText(text)

        def typed(text: str) -> None:
            place = find()
            if place is not None:
                self.do(lambda edit: edit.put(text, *place), word, f"{place}")

        find = path
        editor.textEdited.connect(typed)
        editor.editingFinished.connect(self.document.history.close)
        self._refreshers.append(refresh)
        holder.setFocusProxy(editor)
        return holder

    def choice(
        self,
        word: str,
        choices: Callable[[], list[tuple[str, str]]],
        shown: Callable[[], str],
        change: Callable[[JobEdit, str], None],
    ) -> tuple[QWidget, QComboBox]:
        """A choice of (words, value); ``change`` writes the value into the job."""
        holder, combo = QWidget(), QComboBox()
        box = QVBoxLayout(holder)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(1)
        name = label(word, quiet=True, pixels=12)
        name.setBuddy(combo)
        combo.setAccessibleName(word)
        combo.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        combo.setMinimumContentsLength(6)
        box.addWidget(name)
        box.addWidget(combo)

        def refresh() -> None:
            combo.blockSignals(True)
            combo.clear()
            for text, value in choices():
                combo.addItem(text, value)
            combo.setCurrentIndex(combo.findData(shown()))
            combo.blockSignals(False)

        combo.activated.connect(
            lambda _k: self.do(lambda edit: change(edit, str(combo.currentData())), f"{word}: {combo.currentText()}")
        )
        self._refreshers.append(refresh)
        return holder, combo

    def flag(self, word: str, shown: Callable[[], bool], change: Callable[[JobEdit, bool], None]) -> QCheckBox:
        """A tick."""
        box = QCheckBox(word)
        box.clicked.connect(lambda on: self.do(lambda edit: change(edit, bool(on)), word))
        self._refreshers.append(lambda: box.setChecked(shown()))
        return box

    # -- working -------------------------------------------------------------------------------------------------------

    def change(self, work: Callable[[JobEdit], object], what: str, key: str = "") -> str:
        """Change the job; what is wrong with the change, or empty."""
        if self.job is None:
            return "nothing is open"
        try:
            edit = self.document.job_edit()
            work(edit)
            try:
                self.document.change_job(edit.text, what, key)
            except BadEntry as error:
                if error.key != "proof.cell":
                    raise
                # Cells chosen for a smaller stock are too fine for this one: they are chosen anew.
                edit.drop("proof", "cell")
                self.document.change_job(edit.text, what, key)
        except BadEntry as error:
            return error.why
        except UnderGlassError as error:
            return str(error)
        return ""

    def do(self, work: Callable[[JobEdit], object], what: str, key: str = "") -> str:
        """Change the job by a button, a choice or a drag; why it cannot be is said in the window, and what holds is shown."""
        why = self.change(work, what, key)
        if why:
            self.trouble.emit(f"{why[:1].upper()}{why[1:]}.")
            self.refresh()
        return why

    def refresh(self) -> None:
        """Show the job as it stands."""
        if self.job is not None:
            for one in self._refreshers:
                one()

    def set_palette(self, palette: Palette) -> None:
        self.palette_ = palette
        for one in self._palette_parts:
            one(palette)
        # What is not seen may be about a bench of another kind; it is shown anew when one comes to it.
        if self.isVisible():
            self.refresh()
