"""Setup's page of the tools: every T that the program calls, what is really in its pocket, and a set of one's own."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QAbstractItemView,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QMenu,
    QTableWidget,
    QTableWidgetItem,
    QToolButton,
)

from underglass.app.document import Document
from underglass.app.setup.stock_page import confirm
from underglass.app.setup.tool_fields import ToolFields, short
from underglass.app.setup.tool_view import ToolView
from underglass.app.style.palette import Palette
from underglass.app.style.theme import number_font
from underglass.core.bench.tool import KIND_WORDS, Tool
from underglass.core.errors import UnderGlassError
from underglass.core.files.guess import guessed_tool
from underglass.core.files.job_edit import JobEdit
from underglass.core.files.setup_edit import put_tool, tool_place
from underglass.core.files.tool_set import read_tools, write_tools
from underglass.core.units import show_length

_CUTTER = ("kind", "DC", "RE", "SIG", "KAPR", "APMX", "NOF", "TP", "shank", "centre_cutting", "hand", "substrate")


class ToolsPage(ToolFields):
    """The list of tools, and one's own set."""

    shown = Signal(int)

    def __init__(self, document: Document, own_set: Path, palette: Palette) -> None:
        super().__init__(document, palette)
        self.own_set = own_set
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
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        for column, wide in ((0, 48), (2, 88), (3, 92), (4, 80)):
            self.table.setColumnWidth(column, wide)
        self.table.horizontalHeader().setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        self.table.verticalHeader().setDefaultSectionSize(24)
        self.table.setFixedHeight(152)
        self.table.setAccessibleName("Tools")
        self.table.currentCellChanged.connect(lambda row, *_: self._on_row(row))
        self.box.addWidget(self.table)
        self.offer = self.say()
        self.offer.linkActivated.connect(self._on_offer)
        self.box.addLayout(self._buttons())
        self.fields_of_tool()
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
            "From library", "A whole tool, its cutter or its holder from your own set", self._fill_set
        )
        self.more = menu_button("Tool\u2026", "Add, number anew, take away, keep in your set", self._fill_more)
        self.files = menu_button("In and out", "Tools from or to a CSV or TOML file", self._fill_files)
        row.addStretch(1)
        return row

    # -- which one -----------------------------------------------------------------------------------------------------

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

    # -- offers --------------------------------------------------------------------------------------------------------

    def _stated(self, number: int) -> Tool | None:
        """The tool that the program's comments state for a number, or one guessed from how it is used."""
        said = self.document.stated.tool(number)
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
        job = self.document.table_job
        tool = self._stated(number)
        if job is None or tool is None:
            return

        def put(edit: JobEdit) -> None:
            put_tool(edit, tool, job.units)
            edit.put(sorted({*(edit.get("guessed") or []), f"T{number}"}), "guessed")

        self.number_chosen = number
        self.do(put, f"put T{number} on the bench")

    def _on_offer(self, link: str) -> None:
        verb, _, number = link.partition(":")
        if verb == "add":
            self.add_missing(int(number))
        elif verb == "confirm":
            self.do(lambda edit: confirm(edit, f"T{number}"), f"confirmed T{number}")
        elif verb == "take":
            job, tool, said = self.document.table_job, self.tool(), self._stated(int(number))
            if job is not None and tool is not None and said is not None:
                named = self.document.stated.tool(int(number))
                kind = said.kind if named is None or named.kind else tool.kind
                made = replace(
                    tool, kind=kind, DC=said.DC, RE=said.RE, SIG=said.SIG, TP=said.TP or tool.TP,
                    shank=said.shank, centre_cutting=said.centre_cutting,
                )  # fmt: skip
                self.do(
                    lambda edit: (put_tool(edit, made, job.units), confirm(edit, f"T{number}")), f"T{number} as stated"
                )

    def _fill_more(self, menu: QMenu) -> None:
        job = self.document.table_job
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

        self.do(put, f"took T{number} off the bench")

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
        job, tool = self.document.table_job, self.tool()
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

        self.do(put, f"{words} of T{made.number} from the set")

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
        job = self.document.table_job
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

        self.do(put, f"{len(tools)} tools from {path.name}")

    def ask_out(self) -> None:
        """Ask for a file to write the tools to."""
        name, _kind = QFileDialog.getSaveFileName(self, "Tools to", "tools.csv", "Tools (*.csv *.toml)")
        if name:
            self.write_to(Path(name))

    def write_to(self, path: Path) -> None:
        """Write the bench's tools."""
        job = self.document.table_job
        if job is None:
            return
        try:
            write_tools(path, job.bench.tools, job.units)
        except UnderGlassError as error:
            self.trouble.emit(str(error))

    # -- showing -------------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        job = self.document.table_job
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
                item = self.table.item(row, column)
                if item is None:
                    item = QTableWidgetItem()
                    if column >= 2:
                        item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                    if column != 1:
                        item.setFont(number_font(12))
                    self.table.setItem(row, column, item)
                item.setData(Qt.ItemDataRole.UserRole, number)
                item.setText(text)
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
                f'<a style="color:{p.active}" href="confirm:{now.number}">Confirm</a>'
            )
        if now is not None:
            found = self.document.stated.tool(now.number)
            if found is not None and (
                (found.kind and found.kind != now.kind) or (found.diameter and abs(found.diameter - now.DC) > 0.001)
            ):
                figure = f" {short(found.diameter, unit)}" if found.diameter else ""
                kind = KIND_WORDS.get(found.kind, "cutter")
                said.append(
                    f"Line {found.line} states {'an' if kind[0] in 'aeiou' else 'a'} {kind}{figure}. "
                    f'<a style="color:{p.active}" href="take:{now.number}">Take it</a>'
                )
        self.offer.setText("<br>".join(said))
        self.offer.setVisible(bool(said))
        held = job.registers.length.get(self.number_chosen)
        self.view.show_tool(now, job.bench.machine.nose_diameter, unit, held)
        super().refresh()
