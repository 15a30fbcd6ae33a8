"""Setup of a sheet cutter and of a turret punch: sheet, cutter or turret, and clamps at the left, drawn in plan; truth against belief at the right."""

from __future__ import annotations

from pathlib import Path
from typing import Any, ClassVar

from underglass.app.document import Document
from underglass.app.setup.binding import SetupPage
from underglass.app.setup.own_place import OwnPlace
from underglass.app.style.palette import Palette
from underglass.app.trades.flat_pages import ClampsPage, CutterPage, SheetPage, TurretPage, move_zero
from underglass.app.trades.flat_touch import FlatTouchPage
from underglass.app.trades.flat_view import FlatView
from underglass.core.errors import UnderGlassError
from underglass.core.files.job_edit import JobEdit
from underglass.core.proof.bench_rows import ROWS
from underglass.core.trades.punching.name import PUNCHING
from underglass.core.trades.sheet.name import SHEET
from underglass.core.units import MM_PER_INCH


class FlatSetup(OwnPlace):
    """What both have: the picture in which zero and sheet are dragged."""

    modes: ClassVar = {"tools": "tool"}
    elsewhere: ClassVar = {"zero": "touch"}
    trade: ClassVar = ""

    def __init__(self, document: Document, palette: Palette, pages: dict[str, SetupPage]) -> None:
        self.view = FlatView(document, palette)
        super().__init__(document, palette, pages, self.view, ROWS[self.trade])
        self._start: tuple[str, dict[str, Any]] | None = None
        self.view.taken.connect(self._on_taken)
        self.view.zero_moved.connect(self._on_zero_moved)
        self.view.sheet_moved.connect(self._on_sheet_moved)
        self.view.let_go.connect(document.history.close)
        self.choose("stock")

    @property
    def mine(self) -> bool:
        job = self.job
        return job is not None and job.trade.name == self.trade

    def _on_taken(self) -> None:
        if self.job is not None:
            self._start = (self.document.job_edit().text, self.document.job_data)

    def _drag(self, what: str, change: Any) -> None:
        if self._start is None:
            return
        edit = JobEdit(self._start[0])
        change(edit, self._start[1])
        try:
            self.document.change_job(edit.text, what, "drag")
        except UnderGlassError as problem:
            self.trouble.emit(str(problem))

    def _on_zero_moved(self, dx: float, dy: float) -> None:
        page = self.pages["stock"]
        assert isinstance(page, SheetPage)
        self._drag("moved the zero", lambda edit, data: move_zero(edit, page, dx, dy, data))

    def _on_sheet_moved(self, dx: float, dy: float) -> None:
        job = self.job
        scale = MM_PER_INCH if job is not None and job.units == "inch" else 1.0

        def change(edit: JobEdit, data: dict[str, Any]) -> None:
            place = (data.get("stock") or {}).get("place") or [0.0, 0.0]
            edit.put([round(float(place[0]) + dx / scale, 6), round(float(place[1]) + dy / scale, 6)], "stock", "place")

        self._drag("moved the sheet", change)


class SheetSetup(FlatSetup):
    """Pages: sheet, cutter, what lies on the table."""

    words: ClassVar = (("stock", "Sheet"), ("touch", "Zero"), ("tools", "Cutter"), ("fixtures", "On the table"))
    modes: ClassVar = {}
    trade: ClassVar = SHEET

    def __init__(self, document: Document, _folder: Path, palette: Palette) -> None:
        self.stock, self.cutter = SheetPage(document, palette), CutterPage(document, palette)
        self.clamps, self.touch = ClampsPage(document, palette, "box"), FlatTouchPage(document, palette)
        pages = {"stock": self.stock, "touch": self.touch, "tools": self.cutter, "fixtures": self.clamps}
        super().__init__(document, palette, pages)


class PunchSetup(FlatSetup):
    """Pages: sheet, turret, clamps."""

    words: ClassVar = (("stock", "Sheet"), ("touch", "Zero"), ("tools", "Turret"), ("fixtures", "Clamps"))
    trade: ClassVar = PUNCHING

    def __init__(self, document: Document, folder: Path, palette: Palette) -> None:
        self.stock, self.tools = SheetPage(document, palette), TurretPage(document, folder, palette)
        self.clamps, self.touch = ClampsPage(document, palette, "clamp-zone"), FlatTouchPage(document, palette)
        pages = {"stock": self.stock, "touch": self.touch, "tools": self.tools, "fixtures": self.clamps}
        super().__init__(document, palette, pages)
        self.tools.shown.connect(lambda _n: self._show_picture())

    @property
    def tool_chosen(self) -> int:
        return self.tools.number_chosen

    def choose_tool(self, number: int) -> None:
        self.tools.choose(number)
