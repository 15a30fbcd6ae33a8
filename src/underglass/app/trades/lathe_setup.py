"""Setup of a lathe: bar, chuck and tools at the left, drawn to scale; truth against belief at the right."""

from __future__ import annotations

from pathlib import Path
from typing import ClassVar

from underglass.app.document import Document
from underglass.app.setup.own_place import OwnPlace
from underglass.app.style.palette import Palette
from underglass.app.trades.lathe_pages import ChuckPage, StockPage, ToolsPage
from underglass.app.trades.lathe_touch import LatheTouchPage
from underglass.app.trades.lathe_view import LatheView
from underglass.core.proof.bench_rows import ROWS
from underglass.core.trades.turning.name import TURNING


class LatheSetup(OwnPlace):
    """Pages: bar, chuck, tools, touching off."""

    words: ClassVar = (("stock", "Stock"), ("chuck", "Chuck"), ("tools", "Tools"), ("touch", "Touch off"))
    elsewhere: ClassVar = {"fixtures": "chuck", "zero": "touch"}
    modes: ClassVar = {"tools": "tool", "touch": "touch", "stock": "stock"}

    def __init__(self, document: Document, folder: Path, palette: Palette) -> None:
        view = LatheView(document, palette)
        self.stock, self.chuck, self.tools = (
            StockPage(document, palette),
            ChuckPage(document, palette),
            ToolsPage(document, folder, palette),
        )
        self.touch = LatheTouchPage(document, palette)
        pages = {"stock": self.stock, "chuck": self.chuck, "tools": self.tools, "touch": self.touch}
        super().__init__(document, palette, pages, view, ROWS[TURNING])
        self.view = view
        self.tools.shown.connect(self._on_tool_shown)
        self.touch.shown.connect(self._on_tool_shown)
        self.stock.places_shown.connect(view.show_places)
        view.place_moved.connect(self.stock.move_place)
        view.place_added.connect(self.stock.add_place)
        view.place_removed.connect(self.stock.drop_place)
        view.let_go.connect(document.history.close)
        self.choose("stock")

    def _on_tool_shown(self, number: int) -> None:
        self.tools.number_chosen = self.touch.number_chosen = number
        self._show_picture()

    @property
    def tool_chosen(self) -> int:
        return self.tools.number_chosen

    def choose_tool(self, number: int) -> None:
        self.touch.number_chosen = number
        self.tools.choose(number)
        if self.page == "touch":
            self.touch.refresh()

    @property
    def mine(self) -> bool:
        job = self.job
        return job is not None and job.trade.name == TURNING
