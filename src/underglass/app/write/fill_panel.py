"""Fill-in operations beside the text: a form becomes blocks, and blocks made by a form open as it again."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtGui import QHideEvent, QShowEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QInputDialog,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from underglass.app.document import Document
from underglass.app.parts.basic import label
from underglass.app.parts.choice_box import ChoiceBox
from underglass.app.parts.form_view import FormView
from underglass.app.style.palette import Palette
from underglass.app.write.bench_said import BenchSaid
from underglass.app.write.other_ways import OtherWays
from underglass.app.write.trying import Tried, Trying
from underglass.core.compose.contour import Contour
from underglass.core.compose.contour_rows import profile_rows, rows_of
from underglass.core.compose.operation import Around, Found, Operation, Way, find_at
from underglass.core.compose.registry import operations_of
from underglass.core.compose.sequence import around_of, hand_edits
from underglass.core.compose.shop import ShopTexts
from underglass.core.compose.starts import around_in, first_entries, tool_entries
from underglass.core.errors import UnderGlassError
from underglass.core.files.contours import contour_entry, places_entry, places_rows, sizes_in
from underglass.core.files.cuts import SPEED_KEYS, Cut, keep_cut, kept_for, read_cuts, today
from underglass.core.proof.job import Job
from underglass.core.proof.print_ways import print_ways
from underglass.core.proof.standing import Standing
from underglass.core.reckon.form import CannotBe
from underglass.core.units import MM_PER_INCH

_SHOWN = 3
"""Hand edits that are told one by one."""
_FEW_LINES = 20_000
"""In longer programs they are not looked for at every move of the cursor."""


def _less(one: str, other: str) -> bool:
    """Whether one entry is a smaller figure than another."""
    try:
        return float(one) < float(other)
    except ValueError:
        return False


class FillPanel(QWidget):
    """``write_asked`` brings blocks for below the cursor; ``rewrite_asked`` (first, last, blocks) for lines that are there."""

    write_asked = Signal(object)
    rewrite_asked = Signal(int, int, object)
    tried_changed = Signal(object)
    trouble = Signal(str)

    def __init__(self, document: Document, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._palette = palette
        self._standing: Standing | None = None
        self.found: Found | None = None
        self.opened: Found | None = None
        self.shop = ShopTexts()
        self.cuts_file: Path | None = None
        self._advised: dict[str, str] = {}
        self.trying = Trying(document, self)
        self.trying.tried.connect(self._on_tried)
        self.kept_said = label(quiet=True, pixels=12)
        self.kept_said.setContentsMargins(12, 0, 12, 0)
        self.kept_said.setWordWrap(True)
        self.kept_said.hide()
        self.tried_said = label(pixels=12)
        self.tried_said.setContentsMargins(12, 4, 12, 0)
        self.tried_said.setWordWrap(True)
        self.tried_said.hide()
        self.ways = OtherWays()
        self.ways.taken.connect(lambda key, value: self.form.enter({key: value}))
        self.choice = ChoiceBox()
        self.choice.setAccessibleName("Operation")
        self.kind = ""
        self.operations: tuple[Operation, ...] = ()
        self.tool = ChoiceBox()
        self.tool.setPlaceholderText("no such tool")
        self.tool.setAccessibleName("Tool from the bench")
        for box in (self.choice, self.tool):
            # A long name must not make the panel wider than its share.
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(8)
        self.form = FormView(palette)
        self.form.answered.connect(self._on_answered)
        self.form.went_on.connect(lambda: self.tried_said.setText(self.form.working_said))
        self.form.drawing_asked.connect(self.ask_drawing)
        self.open = QPushButton("Open it here")
        self.open.clicked.connect(self.open_found)
        self.there = label(pixels=12)
        self.there.setWordWrap(True)
        self.with_tool = QCheckBox("add the tool change")
        self._other_tool = False
        self.tool_said = label(pixels=12)
        self.tool_said.setWordWrap(True)
        self.tool_said.setContentsMargins(12, 4, 12, 0)
        self.tool_said.hide()
        self.bench_said = BenchSaid(document, self.form)
        self.with_tool.toggled.connect(lambda _on: (self._look_at_tool(), self._try()))
        self.with_tool.setToolTip("Put the shop's own texts for a tool around it")
        self.write = QPushButton("Insert")
        self.write.setProperty("strong", True)
        self.write.clicked.connect(self.ask_write)
        top = QHBoxLayout()
        top.setContentsMargins(12, 8, 12, 4)
        top.setSpacing(6)
        top.addWidget(self.choice, 7)
        top.addWidget(self.tool, 6)
        self._found_row = QWidget()
        found = QHBoxLayout(self._found_row)
        found.setContentsMargins(12, 2, 12, 6)
        found.addWidget(self.there, 1)
        found.addWidget(self.open)
        foot = QHBoxLayout()
        foot.setContentsMargins(12, 8, 12, 8)
        foot.addWidget(self.with_tool, 1)
        foot.addWidget(self.write)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addLayout(top)
        box.addWidget(self._found_row)
        box.addWidget(self.form, 1)
        box.addWidget(self.kept_said)
        box.addWidget(self.tried_said)
        box.addWidget(self.ways)
        box.addWidget(self.tool_said)
        box.addWidget(self.bench_said)
        box.addLayout(foot)
        self._by_sign: dict[str, Operation] = {}
        self._offer("mill")
        self.choice.currentIndexChanged.connect(lambda _i: self._on_chosen())
        self.tool.activated.connect(lambda _i: self.take_tool())
        document.job_changed.connect(self._on_job_changed)
        document.proof_changed.connect(self._on_proof_changed)
        self._on_chosen()
        self._on_job_changed()
        self._look()

    @property
    def operation(self) -> Operation:
        return self._by_sign[str(self.choice.currentData())]

    @property
    def offered(self) -> bool:
        """Whether there is anything to fill in for the job's machine."""
        return bool(self.operations)

    def choose(self, name: str) -> None:
        """Show an operation by name."""
        self.choice.setCurrentIndex(self.choice.findData(name.upper()))

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        self.form.set_palette(palette)
        self._look()

    def _on_chosen(self) -> None:
        self.opened = None
        self.form.show_form(self.operation, self.form.unit)
        self.choice.setToolTip(self.operation.about)
        self.tool.setVisible(not self.operation.shared)
        self.with_tool.setVisible(self._calls)
        self._begin()

    @property
    def _calls(self) -> bool:
        """Whether the operation calls a tool at all: a cutter that is always there is not called."""
        return any(f.key == "t" for f in self.operation.fields)

    # -- tool and material -------------------------------------------------------------------------------------------

    def _offer(self, kind: str) -> None:
        """The operations of one kind of machine."""
        if kind == self.kind:
            return
        self.kind, self.operations = kind, operations_of(kind)
        self._by_sign = {op.sign: op for op in self.operations}
        self.choice.blockSignals(True)
        self.choice.clear()
        for operation in self.operations:
            self.choice.addItem(operation.name, operation.sign)
        self.choice.blockSignals(False)

    def _on_job_changed(self) -> None:
        self.opened = self.found = None
        self.tool.clear()
        job = self._document.job
        if job is None:
            return
        if job.trade.kind != self.kind:
            self._offer(job.trade.kind)
            self._on_chosen()
        self._offer_tools(job)
        self.form.set_unit(job.units)
        self._begin()

    def _on_proof_changed(self) -> None:
        """A bare program's tools are guessed: another one called is another one here."""
        job = self._document.job
        known = [self.tool.itemData(k) for k in range(self.tool.count())]
        if job is not None and job.guessed and sorted(job.bench.tool_names) != known:
            chosen = self.tool.currentData()
            self._offer_tools(job)
            self.tool.setCurrentIndex(max(self.tool.findData(chosen), 0))
        self._try()

    def _offer_tools(self, job: Job) -> None:
        self.tool.clear()
        for number, name in sorted(job.bench.tool_names.items()):
            self.tool.addItem(f"T{number} {name}", number)

    def _begin(self) -> None:
        """What the form most likely is about: the stock's outline and middle, and a tool that fits."""
        job = self._document.job
        if job is None or not self.operations:
            return
        entered = first_entries(self.operation, job, self.form.unit, lines=self._document.lines)
        if entered.get("t", "").isdigit():
            self.tool.setCurrentIndex(self.tool.findData(int(entered["t"])))
        elif not self._calls:
            self.tool.setCurrentIndex(0)
        self._enter(entered)

    def take_tool(self) -> None:
        """T, sizes, speeds and feeds of the tool chosen, for the stock's material."""
        job, number = self._document.job, self.tool.currentData()
        if job is None or number is None or "t" not in {f.key for f in self.operation.fields}:
            return
        entered = tool_entries(self.operation, job, self.form.unit, number)
        if "corner" in {f.key for f in self.operation.fields}:
            mine = first_entries(self.operation, job, self.form.unit, {"t": str(number)})
            if _less(self.form.entered.get("corner", ""), mine.get("corner", "")):
                entered["corner"] = mine["corner"]
        self._enter(entered)

    def _enter(self, entered: dict[str, str]) -> None:
        """Entries of the bench, and over them the speeds and feeds that were chosen for that tool before."""
        kept = self._kept()
        self._advised = {k: v for k, v in entered.items() if k in SPEED_KEYS}
        if kept is not None:
            entered = entered | {k: v for k, v in kept.entered.items() if k in {f.key for f in self.operation.fields}}
        self.form.enter(entered)
        self.kept_said.setText(f"Speed and feed as last time: {kept.when}, {kept.job}" if kept is not None else "")
        self.kept_said.setVisible(kept is not None)

    def _tool_name(self) -> str:
        return self.tool.currentText().partition(" ")[2]

    def _kept(self) -> Cut | None:
        job = self._document.job
        if job is None or self.cuts_file is None:
            return None
        try:
            cuts = read_cuts(self.cuts_file)
        except UnderGlassError as problem:
            self.trouble.emit(str(problem))
            return None
        return kept_for(cuts, job.bench.material, self._tool_name(), self.operation.key, self.form.unit)

    def _keep(self) -> None:
        """Speeds and feeds that differ from those worked out are kept for this tool, material and operation."""
        job = self._document.job
        chosen = {k: v for k, v in self.form.entered.items() if k in SPEED_KEYS and k in self._advised}
        if job is None or self.cuts_file is None or not chosen or chosen == self._advised:
            return
        cut = Cut(
            material=job.bench.material, tool=self._tool_name(), operation=self.operation.key, unit=self.form.unit,
            entered=chosen, when=today(), job=job.title,
        )  # fmt: skip
        try:
            keep_cut(self.cuts_file, cut)
        except UnderGlassError as problem:
            self.trouble.emit(str(problem))

    def around(self) -> Around:
        """What stands around the operation where it would be written."""
        job, stand = self._document.job, self._standing
        assert job is not None
        before = stand.after.tool if stand is not None and stand.after.tool else None
        if str(before) == self.form.entered.get("t"):
            # Ticked by hand: the tool comes in once more, though it is in.
            before = None
        return around_in(
            job, self.shop, self._document.lines, self._document.source.name, before, bring=self.with_tool.isChecked()
        )

    # -- the text ----------------------------------------------------------------------------------------------------

    def set_standing(self, standing: Standing | None) -> None:
        """What is in force at the cursor."""
        self._standing = standing
        if standing is not None and self.opened is None:
            self.form.set_unit(standing.unit)
        self._look_at_tool()

    def look(self, line: int) -> None:
        """Whether a line (from 1) is in text that a form made."""
        self.found = (
            find_at(self._document.lines, line - 1, self.operations) if self._document.job is not None else None
        )
        if self.opened is not None and (self.found is None or self.found.operation is not self.opened.operation):
            self.opened = None
        elif self.opened is not None:
            self.opened = self.found
        self._look()

    def _look(self) -> None:
        found = self.found
        self._found_row.setVisible(found is not None)
        if found is not None:
            edited = found.edited
            said = f"Lines {found.first + 1} to {found.last + 1}: {found.operation.name.lower()}, made by form"
            self.there.setText(said + (f", changed by hand since.{self._edits(found)}" if edited else ""))
            self.there.setStyleSheet(f"color: {self._palette.caution if edited else self._palette.quiet};")
            self.open.setVisible(self.opened is None)
        over = self.opened is not None
        self.write.setText(
            "Overwrite hand edits"
            if over and self.opened is not None and self.opened.edited
            else "Update"
            if over
            else "Insert"
        )
        self.with_tool.setVisible(not over and self._calls)

    def _edits(self, found: Found) -> str:
        """What was changed by hand, the first few blocks of it."""
        if len(self._document.lines) > _FEW_LINES or self._document.job is None:
            return ""
        edits = hand_edits(self._document.lines, found, self.form.unit, self.around())
        said = [f" Line {e.line}: {e.here or 'nothing'} (form: {e.form or 'nothing'})." for e in edits[:_SHOWN]]
        return "".join(said) + (f" And {len(edits) - _SHOWN} more." if len(edits) > _SHOWN else "")

    def open_found(self) -> None:
        """The form as it was when the text under the cursor was made."""
        if self.found is None:
            return
        found = self.found
        self.choice.blockSignals(True)
        self.choice.setCurrentIndex(self.choice.findData(found.operation.sign))
        self.choice.blockSignals(False)
        self.opened = found
        self.form.show_form(found.operation, self.form.unit, found.entered)
        number = found.entered.get("t", "")
        if number.isdigit():
            self.tool.setCurrentIndex(self.tool.findData(int(number)))
        self._look()

    def _look_at_tool(self) -> None:
        """Whether the tool of the form is the one in the spindle where it would be written; said where it is not."""
        stand, wanted = self._standing, self.form.entered.get("t", "")
        other = stand is not None and wanted.isdigit() and stand.after.tool != int(wanted) and self.opened is None
        if stand is not None and other != self._other_tool:
            self.with_tool.setChecked(other)
        self._other_tool = other
        there = (
            f"T{stand.after.tool} is active here"
            if stand is not None and stand.after.tool
            else "No tool is active here"
        )
        self.tool_said.setText(
            f"{there}, the form is for T{wanted}"
            + ("" if self.with_tool.isChecked() else ": it would be cut with the wrong one")
            if other
            else ""
        )
        self.tool_said.setVisible(bool(other))
        self.tool_said.setStyleSheet(
            f"color: {self._palette.quiet if self.with_tool.isChecked() else self._palette.fault};"
        )

    def _on_answered(self) -> None:
        self._look_at_tool()
        self.bench_said.look(self.operation, self._palette)
        self.write.setEnabled(self.form.answer is not None and self._document.job is not None)
        self._try()

    # -- tried before it is written ----------------------------------------------------------------------------------

    def _try(self) -> None:
        """Prove what would be written, where it would be written."""
        if (
            not self.isVisible()
            or self.form.answer is None
            or not self.form.answer.blocks
            or self._document.job is None
        ):
            self.trying.stop()
            return
        operation, entered, unit, around = (
            self.operation,
            self.operation.only_asked(self.form.entered),
            self.form.unit,
            self._around_written(),
        )

        def blocks() -> tuple[str, ...]:
            return operation.text(entered, unit, around)

        def others() -> tuple[Way, ...]:
            return operation.other_ways(entered, unit, around)

        if self.opened is not None:
            self.trying.ask(blocks, self.opened.first, self.opened.last + 1, others)
        else:
            self.trying.ask(blocks, self._document.line, self._document.line, others)

    def _on_tried(self, tried: Tried | None) -> None:
        p = self._palette
        self.ways.show_ways(self.form.answer, tried.others if tried is not None else ())
        if tried is None:
            # Nothing to try: why not is said here, where it is seen however far the form is scrolled.
            why = self.form.why_not.rstrip(".")
            said, colour = (
                (self.form.working_said, p.quiet)
                if self.form.working
                else (why and f"{why[0].upper()}{why[1:]}.", p.fault)
            )
        else:
            said, colour = tried.sentence(p, inserted=self.opened is None)
        self.tried_said.setText(said)
        self.tried_said.setStyleSheet(f"color: {colour};")
        self.tried_said.setVisible(bool(said))
        self.tried_changed.emit(tried.proof if tried is not None else None)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._try()

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        # Hidden because the window goes there is no glass any more to draw on.
        if self.window().isVisible():
            self.trying.stop()

    def ask_drawing(self, key: str) -> None:
        """A contour, or places, from a DXF drawing."""
        name, _kind = QFileDialog.getOpenFileName(self, "From a drawing", "", "Drawings (*.dxf)")
        if not name:
            return
        if self._kind_of(key) != "points":
            self.take_drawing(key, name)
            return
        try:
            sizes = sizes_in(Path(name), self.form.unit)
        except UnderGlassError as problem:
            self.trouble.emit(str(problem))
            return
        words = {f"{n} of diameter {size}": f"#{size}" for size, n in sizes.items()}
        every = {f"all {sum(sizes.values())} circles": ""} | words
        if len(words) > 1:
            chosen, good = QInputDialog.getItem(
                self, "From a drawing", "Holes where the drawing has", list(every), 0, False
            )
            if not good:
                return
            name += every[chosen]
        self.take_drawing(key, name)

    def _kind_of(self, key: str) -> str:
        return next((f.kind for f in self.operation.fields if f.key == key), "")

    def take_drawing(self, key: str, name: str) -> None:
        """The contours of a drawing, or the middles of its circles (``#8``: of that diameter), as the rows of an entry."""
        job, unit = self._document.job, self.form.unit
        try:
            if self._kind_of(key) == "points":
                self.form.enter({key: places_entry(name, unit)})
            else:
                turned = job is not None and print_ways(job).plane(job.control).up_first
                self.form.enter({key: contour_entry(name, unit, turned=turned)})
        except UnderGlassError as problem:
            self.trouble.emit(str(problem))

    def take_places(self, places: Sequence[tuple[float, float]]) -> bool:
        """Places from the drawing page, mm, into the form; where it asks for none, into a pattern of holes. False where there is no such form."""
        key = self._key_for("points", {"pattern": "list"}, "HOLES")
        if key is None:
            return False
        self.form.enter(
            {**({"pattern": "list"} if "pattern" in self._keys() else {}), key: places_rows(places, self.form.unit)}
        )
        return True

    def take_contour(self, contour: Contour, *, turned: bool) -> bool:
        """A contour from the drawing page, mm, into the form; where it asks for none, into the first one that does. False where there is no such form."""
        key = self._key_for("contour", {}, "OUTLINE")
        if key is None:
            return False
        scaled = contour.scaled(1.0 / MM_PER_INCH) if self.form.unit == "inch" else contour
        self.form.enter({key: profile_rows(scaled) if turned else rows_of([scaled])})
        return True

    def _keys(self) -> set[str]:
        return {f.key for f in self.operation.fields}

    def _key_for(self, kind: str, choices: dict[str, str], usual: str) -> str | None:
        """The entry that takes such a thing, of the form that is shown or, where that has none, of the usual or the first one that has."""

        def key_of(operation: Operation) -> str | None:
            # Shifts of several parts are places too, but none of the part's.
            return next((f.key for f in operation.fields if f.kind == kind and f.key != "shifts"), None)

        if key_of(self.operation) is None:
            fitting = [o for o in self.operations if key_of(o) is not None]
            if not fitting:
                return None
            self.choose(next((o.name for o in fitting if o.sign == usual), fitting[0].name))
        return key_of(self.operation)

    def _around_written(self) -> Around:
        """What stands around the text where it would be written; a tool that an opened text brought in is brought in again."""
        around = self.around()
        return around if self.opened is None else around_of(self._document.lines, self.opened, around)

    def _blocks(self) -> tuple[str, ...]:
        """The text that would be written. Raises ``CannotBe``."""
        return self.operation.text(self.operation.only_asked(self.form.entered), self.form.unit, self._around_written())

    def ask_write(self) -> None:
        """Write the blocks below the cursor, or over those that were opened."""
        try:
            blocks = self._blocks()
        except CannotBe as problem:
            self.trouble.emit(str(problem))
            return
        self._keep()
        self.trying.stop()
        if self.opened is not None:
            self.rewrite_asked.emit(self.opened.first, self.opened.last, blocks)
        else:
            self.write_asked.emit(blocks)


def shop_file(settings_file: str) -> Path:
    """Where the shop's own texts are kept: beside the settings."""
    return Path(settings_file).parent / "shop.toml"
