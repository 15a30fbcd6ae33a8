"""Setup's page of the tools: every T that the program calls, what is really in its pocket, and a set of one's own."""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any, get_args

import tomlkit
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QAbstractItemView,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QMenu,
    QTableWidget,
    QTableWidgetItem,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from underglass.app.document import Document
from underglass.app.parts.basic import label
from underglass.app.setup.binding import Path_, SetupPage
from underglass.app.setup.stock_page import confirm
from underglass.app.setup.tool_view import ToolView
from underglass.app.style.palette import Palette
from underglass.app.style.theme import number_font
from underglass.core.bench.tool import FLUTES, KIND_WORDS, HolderStep, Tool, ToolKind
from underglass.core.errors import UnderGlassError
from underglass.core.files.guess import guessed_tool, program_unit
from underglass.core.files.job_edit import JobEdit, as_figure
from underglass.core.files.job_write import tool_lines
from underglass.core.files.setup_edit import tool_place
from underglass.core.files.tool_set import read_tools, write_tools
from underglass.core.language.stated import stated
from underglass.core.reckon.figure import BadFigure, read_figure
from underglass.core.units import MM_PER_INCH, Unit, show_length

_READ = 5000
_CUTTER = ("kind", "DC", "RE", "SIG", "KAPR", "APMX", "NOF", "TP", "shank", "centre_cutting", "hand", "substrate")


def read_holder(text: str, unit: Unit) -> tuple[HolderStep, ...]:
    """``40 x 50, 63 x 20``: diameter and length of each step from the tool upwards. Raises ``BadFigure``."""
    steps = []
    for part in re.split(r"[,;]\s*(?=\S)", text.strip()) if text.strip() else []:
        pair = re.split(r"\s*[xX\u00d7]\s*", part)
        if len(pair) != 2:
            raise BadFigure("write diameter x length, as 40 x 50, 63 x 20 from the tool upwards")
        a, b = (read_figure(p, unit) * (MM_PER_INCH if unit == "inch" else 1.0) for p in pair)
        if a <= 0.0 or b <= 0.0:
            raise BadFigure("a step has a diameter and a length above nought")
        steps.append(HolderStep(a, b))
    return tuple(steps)


def tool_entry(tool: Tool, unit: Unit) -> dict[str, Any]:
    """A tool as an entry of a job file in this unit."""
    return dict(tomlkit.parse("\n".join(tool_lines(tool, unit)[1:])).unwrap())


def put_tool(edit: JobEdit, tool: Tool, unit: Unit) -> None:
    """The tool of this number is this one; a comment or an entry of it that stays true stays."""
    entry = tool_entry(tool, unit)
    place = tool_place(edit, tool.number)
    if place is None:
        edit.add("tool", entry)
        return
    for key in set(edit.get("tool", place) or {}) - set(entry):
        edit.drop("tool", place, key)
    for key, value in entry.items():
        if edit.get("tool", place, key) != value:
            edit.put(value, "tool", place, key)


class ToolsPage(SetupPage):
    """``trouble`` brings a sentence about a file."""

    trouble = Signal(str)
    shown = Signal(int)

    def __init__(self, document: Document, own_set: Path, palette: Palette) -> None:
        super().__init__(document, palette)
        self.own_set = own_set
        self.number_chosen = 0
        self.view = ToolView(palette)
        self._palette_parts.append(self.view.set_palette)
        self.table = QTableWidget(0, 5)
        self.table.setHorizontalHeaderLabels(["T", "in its pocket", "length", "feed moves", "from line"])
        self.table.verticalHeader().hide()
        for column in range(5):
            side = Qt.AlignmentFlag.AlignRight if column >= 2 else Qt.AlignmentFlag.AlignLeft
            self.table.horizontalHeaderItem(column).setTextAlignment(side | Qt.AlignmentFlag.AlignVCenter)
        self.table.setShowGrid(False)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        self.table.horizontalHeader().setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        self.table.verticalHeader().setDefaultSectionSize(24)
        self.table.setFixedHeight(152)
        self.table.setAccessibleName("Tools")
        self.table.currentCellChanged.connect(lambda row, *_: self._on_row(row))
        self.box.addWidget(self.table)
        self.offer = self.say()
        self.offer.linkActivated.connect(self._on_offer)
        self.box.addLayout(self._buttons())
        grid = self.grid()
        self.columns = 3
        slot = 0

        def put(widget: QWidget, span: int = 1) -> None:
            nonlocal slot
            self.put(grid, widget, slot, span)
            slot += span

        kind, self.kind = self.choice(
            "Kind",
            lambda: [(KIND_WORDS[k], k) for k in get_args(ToolKind)],
            lambda: tool.kind if (tool := self.tool()) else "",
            self._put_kind,
        )
        put(kind)
        put(self._figure("DC", "Cutting diameter", lambda t: t.DC))
        put(self._figure("length", "Length to gauge line", lambda t: t.length))
        put(self._figure("stickout", "Stickout", lambda t: t.stickout))
        put(self._figure("APMX", "Cutting length", lambda t: t.APMX))
        put(self._figure("shank", "Shank diameter", lambda t: t.shank))
        put(self._holder())
        put(self._figure("NOF", "Flutes", lambda t: t.NOF or None, "whole"))
        put(self._figure("RE", "Corner radius", lambda t: t.RE))
        put(self._figure("SIG", "Point angle", lambda t: math.degrees(t.SIG), "angle"))
        put(self._figure("KAPR", "Cutting edge angle", lambda t: math.degrees(t.KAPR), "angle"))
        put(self._figure("TP", "Thread pitch", lambda t: t.TP or None))
        for word, key, choices, shown in (
            ("Substrate", "substrate", ("carbide", "hss"), lambda t: t.substrate),
            ("Hand", "hand", ("right", "left"), lambda t: t.hand),
        ):
            holder, _combo = self.choice(
                word,
                lambda choices=choices: [(c, c) for c in choices],  # type: ignore[misc]
                lambda shown=shown: shown(tool) if (tool := self.tool()) else "",  # type: ignore[misc]
                lambda edit, value, key=key: self._put(edit, key, value),  # type: ignore[misc]
            )
            put(holder)
        loaded, self.loaded = self.choice("Really loaded", self._loadable, self._loaded_now, self._put_loaded)
        put(loaded)
        put(
            self.flag(
                "Cuts over its centre",
                lambda: bool(tool.centre_cutting) if (tool := self.tool()) else False,
                lambda edit, on: self._put(edit, "centre_cutting", on),
            )
        )
        self.box.addStretch(1)

    def _buttons(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(6)

        def menu_button(text: str, tip: str, fill: Callable[[QMenu], None]) -> QToolButton:
            button = QToolButton()
            button.setText(text)
            button.setToolTip(tip)
            button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
            menu = QMenu(button)
            menu.aboutToShow.connect(lambda: (menu.clear(), fill(menu)))
            button.setMenu(menu)
            button.setFixedHeight(26)
            row.addWidget(button)
            return button

        self.from_set = menu_button(
            "From my set", "A whole tool, its cutter or its holder from your own set", self._fill_set
        )
        self.more = menu_button("Tool\u2026", "Add, number anew, take away, keep in your set", self._fill_more)
        self.files = menu_button("In and out", "Tools from or to a CSV or TOML file", self._fill_files)
        row.addStretch(1)
        return row

    # -- which one -----------------------------------------------------------------------------------------------------

    def tool(self) -> Tool | None:
        """The tool that is shown."""
        job = self.document.job
        return job.bench.tools.get(self.number_chosen) if job is not None else None

    def choose(self, number: int) -> None:
        """Show a tool by its number."""
        self.number_chosen = number
        self.refresh()

    def _on_row(self, row: int) -> None:
        item = self.table.item(row, 0) if row >= 0 else None
        number = item.data(Qt.ItemDataRole.UserRole) if item is not None else None
        if isinstance(number, int) and number != self.number_chosen:
            self.choose(number)
            self.shown.emit(number)

    def _called(self) -> dict[int, tuple[int, int, float]]:
        """Tool numbers with the line that calls them first, their feed moves and how far they feed, mm."""
        proof = self.document.proof
        if proof is None:
            return {}
        motions = proof.motions
        out: dict[int, tuple[int, int, float]] = {}
        tools, fed, lengths = motions.tool_of(), ~motions.rapid(), motions.lengths()
        for event in motions.events:
            if event.kind == "tool-change" and event.tool and event.tool not in out:
                mine = fed & (tools == event.tool)
                out[event.tool] = (event.line, int(mine.sum()), float(lengths[mine].sum()))
        return out

    # -- its figures ---------------------------------------------------------------------------------------------------

    def _path(self, key: str) -> Path_ | None:
        tools = self.document.job_data.get("tool") or []
        place = next((k for k, t in enumerate(tools) if t.get("number") == self.number_chosen), None)
        return None if place is None else ("tool", place, key)

    def _put(self, edit: JobEdit, key: str, value: Any) -> None:
        place = tool_place(edit, self.number_chosen)
        if place is not None:
            edit.put(value, "tool", place, key)
            confirm(edit, f"T{self.number_chosen}")

    def _put_kind(self, edit: JobEdit, kind: str) -> None:
        """Another kind: what only the old one had goes."""
        place = tool_place(edit, self.number_chosen)
        if place is not None:
            for key in ("SIG", "KAPR", "centre_cutting"):
                edit.drop("tool", place, key)
            edit.put(kind, "tool", place, "kind")
            if kind in FLUTES and edit.get("tool", place, "NOF") is None:
                edit.drop("tool", place, "NOF")
            confirm(edit, f"T{self.number_chosen}")

    def _figure(self, key: str, word: str, shown: Callable[[Tool], float | None], kind: Any = "length") -> QWidget:
        def change(edit: JobEdit, value: float) -> None:
            job = self.document.job
            assert job is not None
            figure: Any = (
                as_figure(value, job.units) if kind == "length" else int(value) if kind == "whole" else round(value, 6)
            )
            tool = self.tool()
            if key == "length" and tool is not None and self._path("stickout") is not None:
                place = tool_place(edit, self.number_chosen)
                # Pulled out of its holder, not another holder: what stands out changes by as much.
                if place is not None and edit.get("tool", place, "stickout") is not None:
                    out = tool.stickout + value - tool.length
                    if out > 0.0:
                        edit.put(as_figure(out, job.units), "tool", place, "stickout")
            self._put(edit, key, figure)

        return self.number(
            key,
            word,
            kind=kind,
            shown=lambda: shown(tool) if (tool := self.tool()) else None,
            change=change,
            what=f"{word.lower()} of a tool",
        )

    def _holder(self) -> QWidget:
        holder = QWidget()
        editor = QLineEdit()
        editor.setFont(number_font(13))
        editor.setAccessibleName("Holder, diameter x length of each step from the tool upwards")
        editor.setPlaceholderText("none")
        editor.setToolTip("Diameter x length of each step, from the tool upwards, as 40 x 50, 63 x 20")
        said = label(pixels=12)
        said.setWordWrap(True)
        said.hide()
        box = QVBoxLayout(holder)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(1)
        name = label("Holder, \u00d8 x length", quiet=True, pixels=12)
        name.setBuddy(editor)
        for part in (name, editor, said):
            box.addWidget(part)
        self.holder_edit, self.holder_said = editor, said

        def refresh() -> None:
            tool = self.tool()
            if editor.hasFocus() and editor.isModified():
                return
            steps = tool.holder if tool is not None else ()
            unit = self.document.units
            editor.setText(", ".join(f"{_short(s.diameter, unit)} x {_short(s.length, unit)}" for s in steps))

        def typed(text: str) -> None:
            said.setStyleSheet(f"color: {self.palette_.fault};")
            try:
                steps = read_holder(text, self.document.units)
            except BadFigure as problem:
                why = str(problem)
            else:
                why = self.change(lambda edit: self._put_holder(edit, steps), "holder of a tool", "holder")
            said.setText(why[:1].upper() + why[1:])
            said.setVisible(bool(why))

        editor.textEdited.connect(typed)
        editor.editingFinished.connect(lambda: (editor.setModified(False), self.document.history.close()))
        self._refreshers.append(refresh)
        return holder

    def _put_holder(self, edit: JobEdit, steps: tuple[HolderStep, ...]) -> None:
        job = self.document.job
        place = tool_place(edit, self.number_chosen)
        if job is None or place is None:
            return
        made = [{"diameter": as_figure(s.diameter, job.units), "length": as_figure(s.length, job.units)} for s in steps]
        if made:
            edit.put(made[0] if len(made) == 1 else made, "tool", place, "holder")
        else:
            edit.drop("tool", place, "holder")

    # -- what is really loaded -----------------------------------------------------------------------------------------

    def _loadable(self) -> list[tuple[str, str]]:
        job = self.document.job
        if job is None:
            return []
        return [
            (f"T{n}, as called" if n == self.number_chosen else f"T{n} {t.name}", str(n))
            for n, t in job.bench.tools.items()
        ]

    def _loaded_now(self) -> str:
        job = self.document.job
        return str(job.bench.loaded.get(self.number_chosen, self.number_chosen)) if job is not None else ""

    def _put_loaded(self, edit: JobEdit, number: str) -> None:
        if int(number) == self.number_chosen:
            edit.drop("loaded", f"T{self.number_chosen}")
        else:
            edit.put(int(number), "loaded", f"T{self.number_chosen}")

    # -- offers --------------------------------------------------------------------------------------------------------

    def _stated(self, number: int) -> Tool | None:
        """The tool that the program's comments state for a number, or one guessed from how it is used."""
        lines = self.document.lines[:_READ]
        said = stated(lines, program_unit(lines)).tool(number)
        proof = self.document.proof
        drill = False
        if proof is not None:
            motions = proof.motions
            mine = ~motions.rapid() & (motions.tool_of() == number)
            moved = (motions.end - motions.start)[mine]
            drill = bool(mine.any()) and float(abs(moved[:, :2]).max(initial=0.0)) < 1e-6
        return guessed_tool(number, drill, said)

    def add_missing(self, number: int) -> None:
        """Put a tool on the bench for a number that the program calls."""
        job = self.document.job
        tool = self._stated(number)
        if job is None or tool is None:
            return

        def put(edit: JobEdit) -> None:
            put_tool(edit, tool, job.units)
            edit.put(sorted({*(edit.get("guessed") or []), f"T{number}"}), "guessed")

        self.number_chosen = number
        self.change(put, f"put T{number} on the bench")

    def _on_offer(self, link: str) -> None:
        verb, _, number = link.partition(":")
        if verb == "add":
            self.add_missing(int(number))
        elif verb == "confirm":
            self.change(lambda edit: confirm(edit, f"T{number}"), f"confirmed T{number}")
        elif verb == "take":
            job, tool, said = self.document.job, self.tool(), self._stated(int(number))
            if job is not None and tool is not None and said is not None:
                made = replace(
                    tool, kind=said.kind, DC=said.DC, RE=said.RE, SIG=said.SIG, TP=said.TP or tool.TP,
                    shank=said.shank, centre_cutting=said.centre_cutting,
                )  # fmt: skip
                self.change(
                    lambda edit: (put_tool(edit, made, job.units), confirm(edit, f"T{number}")), f"T{number} as stated"
                )

    def _fill_more(self, menu: QMenu) -> None:
        job = self.document.job
        if job is None:
            return
        free = next(n for n in range(1, 10_000) if n not in job.bench.tools)
        menu.addAction(f"Add T{free}", lambda: self.add_missing(free))
        for number in self._called():
            if number not in job.bench.tools:
                menu.addAction(
                    f"Put T{number} on the bench, as the program uses it", lambda n=number: self.add_missing(n)
                )
        tool = self.tool()
        if tool is not None:
            menu.addAction(f"Keep T{tool.number} in my set", lambda: self.keep(tool))
            menu.addAction("Keep every tool in my set", lambda: self.keep(*job.bench.tools.values()))
            menu.addAction(f"Take T{tool.number} off the bench", lambda: self.take_off(tool.number))

    def take_off(self, number: int) -> None:
        """A tool goes off the bench."""

        def put(edit: JobEdit) -> None:
            place = tool_place(edit, number)
            if place is not None:
                edit.drop("tool", place)

        why = self.change(put, f"took T{number} off the bench")
        if why:
            self.trouble.emit(why)

    # -- one's own set -------------------------------------------------------------------------------------------------

    def kept(self) -> dict[int, Tool]:
        """The tools of one's own set."""
        if not self.own_set.exists():
            return {}
        try:
            return read_tools(self.own_set)
        except UnderGlassError as error:
            self.trouble.emit(str(error))
            return {}

    def keep(self, *tools: Tool) -> None:
        """Put tools into one's own set; a like one is replaced, another gets the next free number."""
        mine = self.kept()
        for tool in tools:
            same = next((n for n, t in mine.items() if replace(t, number=0) == replace(tool, number=0)), None)
            if same is None:
                number = next(n for n in range(1, 100_000) if n not in mine)
                mine[number] = replace(tool, number=number)
        try:
            self.own_set.parent.mkdir(parents=True, exist_ok=True)
            write_tools(self.own_set, mine, "mm")
        except (UnderGlassError, OSError) as error:
            self.trouble.emit(str(error))

    def _fill_set(self, menu: QMenu) -> None:
        mine = self.kept()
        if not mine:
            menu.addAction("Your set is empty: keep tools in it by Tool\u2026").setEnabled(False)
            return
        unit = self.document.units
        for tool in mine.values():
            words = f"{tool.name}, {show_length(tool.length, unit)} {'in' if unit == 'inch' else 'mm'} long"
            sub = menu.addMenu(words)
            sub.addAction("The whole tool", lambda t=tool: self.use(t, "whole"))
            sub.addAction("Its cutter, in the holder there is", lambda t=tool: self.use(t, "cutter"))
            sub.addAction("Its holder, for the cutter there is", lambda t=tool: self.use(t, "holder"))

    def use(self, kept: Tool, which: str) -> None:
        """Take a tool of the set, its cutter or its holder for the number that is chosen; the length follows."""
        job, tool = self.document.job, self.tool()
        if job is None or not self.number_chosen:
            return
        if tool is None or which == "whole":
            made = replace(kept, number=self.number_chosen)
        elif which == "cutter":
            cutter = {key: getattr(kept, key) for key in _CUTTER}
            made = replace(tool, **cutter, stickout=kept.stickout, length=tool.length - tool.stickout + kept.stickout)
        else:
            made = replace(tool, holder=kept.holder, length=tool.stickout + kept.length - kept.stickout)
        words = {"whole": "tool", "cutter": "cutter", "holder": "holder"}[which]

        def put(edit: JobEdit) -> None:
            put_tool(edit, made, job.units)
            confirm(edit, f"T{made.number}")

        why = self.change(put, f"{words} of T{made.number} from the set")
        if why:
            self.trouble.emit(why)

    # -- files ---------------------------------------------------------------------------------------------------------

    def _fill_files(self, menu: QMenu) -> None:
        menu.addAction("Take tools from a file\u2026", self.ask_in)
        menu.addAction("Write the tools to a file\u2026", self.ask_out)

    def ask_in(self) -> None:
        """Ask for a file of tools."""
        name, _kind = QFileDialog.getOpenFileName(self, "Tools from", "", "Tools (*.csv *.toml)")
        if name:
            self.read_from(Path(name))

    def read_from(self, path: Path) -> None:
        """The file's tools on the bench, each under its number."""
        job = self.document.job
        if job is None:
            return
        try:
            tools = read_tools(path)
        except UnderGlassError as error:
            self.trouble.emit(str(error))
            return

        def put(edit: JobEdit) -> None:
            for tool in tools.values():
                put_tool(edit, tool, job.units)

        why = self.change(put, f"{len(tools)} tools from {path.name}")
        if why:
            self.trouble.emit(why)

    def ask_out(self) -> None:
        """Ask for a file to write the tools to."""
        name, _kind = QFileDialog.getSaveFileName(self, "Tools to", "tools.csv", "Tools (*.csv *.toml)")
        if name:
            self.write_to(Path(name))

    def write_to(self, path: Path) -> None:
        """Write the bench's tools."""
        job = self.document.job
        if job is None:
            return
        try:
            write_tools(path, job.bench.tools, job.units)
        except UnderGlassError as error:
            self.trouble.emit(str(error))

    # -- showing -------------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        job = self.document.job
        if job is None:
            return
        called = self._called()
        numbers = sorted({*called, *job.bench.tools})
        if numbers and self.number_chosen not in numbers:
            self.number_chosen = numbers[0]
        unit, p = self.document.units, self.palette_
        self.table.blockSignals(True)
        self.table.setRowCount(len(numbers))
        for row, number in enumerate(numbers):
            tool = job.bench.really_in_spindle(number)
            line, moves, _far = called.get(number, (0, 0, 0.0))
            words = tool.name if tool is not None else "\u25b3 not on the bench"
            if tool is not None and tool.number != number:
                words = f"\u25b3 T{tool.number} {words}"
            if f"T{number}" in job.unconfirmed:
                words += ", guessed"
            cells = (
                f"T{number}",
                words,
                show_length(tool.length, unit) if tool is not None else "",
                str(moves) if line else "not called" if called else "",
                str(line) if line else "",
            )
            for column, text in enumerate(cells):
                item = QTableWidgetItem(text)
                item.setData(Qt.ItemDataRole.UserRole, number)
                if column >= 2:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                if column in (0, 2, 4) or (column == 3 and line):
                    item.setFont(number_font(12))
                self.table.setItem(row, column, item)
            if number == self.number_chosen:
                self.table.setCurrentCell(row, 0)
        self.table.blockSignals(False)
        self.table.setFixedHeight(min(max(len(numbers), 2), 6) * 24 + 30)
        said = []
        for number in numbers:
            if number in called and number not in job.bench.tools and number not in job.bench.loaded:
                guess = self._stated(number)
                said.append(
                    f'<span style="color:{p.fault}">T{number} is called at line {called[number][0]} and is not on the bench.</span> '
                    f'<a style="color:{p.active}" href="add:{number}">Put a {guess.name if guess else "tool"} there</a>'
                )
        now = self.tool()
        if now is not None and f"T{now.number}" in job.unconfirmed:
            said.append(
                f'<span style="color:{p.caution}">\u25b3 T{now.number} is guessed, not confirmed.</span> '
                f'<a style="color:{p.active}" href="confirm:{now.number}">It is so</a>'
            )
        if now is not None:
            lines = self.document.lines[:_READ]
            found = stated(lines, program_unit(lines)).tool(now.number)
            if found is not None and (
                found.kind != now.kind or (found.diameter and abs(found.diameter - now.DC) > 0.001)
            ):
                figure = f" {_short(found.diameter, unit)}" if found.diameter else ""
                said.append(
                    f"Line {found.line} states a {KIND_WORDS[found.kind]}{figure}. "
                    f'<a style="color:{p.active}" href="take:{now.number}">Take it</a>'
                )
        self.offer.setText("<br>".join(said))
        self.offer.setVisible(bool(said))
        held = job.registers.length.get(self.number_chosen)
        self.view.show_tool(now, job.bench.machine.nose_diameter, unit, held)
        super().refresh()


def _short(value: float, unit: Unit) -> str:
    return f"{as_figure(value, unit):.4f}".rstrip("0").rstrip(".")
