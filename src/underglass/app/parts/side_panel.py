"""What stands beside the text or the glass: a row of pages, of which one is seen."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QWidget

from underglass.app.parts.basic import Pages, column
from underglass.app.parts.later import Later
from underglass.app.parts.page_row import PageRow
from underglass.app.style.palette import Palette


class SidePanel(QWidget):
    """Pages as (name, word, tool tip); the parts are put in by ``hold``. Only the one that is seen is kept up to date."""

    page_changed = Signal(str)

    def __init__(self, pages: Sequence[tuple[str, str, str]], palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._palette = palette
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._row = PageRow(pages, narrow=True)
        self._row.chosen.connect(self.choose)
        self.buttons = self._row.buttons
        self._stack = Pages()
        self._parts: dict[str, Later[QWidget]] = {}
        self.setLayout(column(self._row, self._stack))

    def hold(self, parts: Mapping[str, QWidget | Later[Any]]) -> None:
        """The parts by their pages' names; a name that is no page's is shown in another's place when it is asked for."""
        for name, part in parts.items():
            late = part if isinstance(part, Later) else Later.of(part)
            self._parts[name] = late
            late.when_made(self._stack.addWidget)
            late.when_made(lambda page: page.set_palette(self._palette))  # type: ignore[attr-defined]

    @property
    def page(self) -> str:
        return self._row.page

    def part_of(self, name: str) -> QWidget:
        """What a page shows now."""
        return self._parts[name]()

    def choose(self, name: str) -> None:
        """Show a page."""
        self.buttons[name].setChecked(True)
        self._stack.setCurrentWidget(self.part_of(name))
        self.page_changed.emit(name)

    def set_palette(self, palette: Palette) -> None:
        self._palette = palette
        for part in self._parts.values():
            part.if_made(lambda page: page.set_palette(palette))  # type: ignore[attr-defined]
