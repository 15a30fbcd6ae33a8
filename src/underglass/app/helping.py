"""The menu, the settings and the page of keys: what belongs to the whole window."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QWidget

from underglass.app.commands import Command
from underglass.app.document import Document
from underglass.app.keeping import KEEP_AFTER_S
from underglass.app.parts.header import Header
from underglass.app.parts.keys_page import KeysPage
from underglass.app.parts.main_menu import fill_menu
from underglass.app.parts.settings_page import GRIDS, KEPT_S, TEXT_SIZES, SettingsPage
from underglass.app.style.palette import NIGHT, Palette


class Helping:
    """``text`` sets the size of the program's text; ``colours`` tells what they are, ``other_colours`` changes them."""

    def __init__(
        self, window: QWidget, document: Document, settings: QSettings, header: Header, *, recent: Callable[[], list[Path]],
        open_: Callable[[Path], object], colours: Callable[[], Palette], other_colours: Callable[[], object], text: Callable[[int], object],
        kept: Callable[[float], object], grid: Callable[[str], object],
    ) -> None:  # fmt: skip
        self._window, self._document, self._settings, self._header = window, document, settings, header
        self._recent, self._open, self._colours, self._other, self._text = recent, open_, colours, other_colours, text
        self._kept, self._grid = kept, grid
        self.page: KeysPage | SettingsPage | None = None
        header.menu.aboutToShow.connect(self.fill)

    def begin(self) -> None:
        """What was set the last time."""
        size = self.text_size
        if size != 13:
            self._text(size)
        self._kept(self.kept_s)
        if self.grid is not None:
            self._show_grid(self.grid)

    @property
    def kept_s(self) -> float:
        """How soon what was typed is kept."""
        kept = str(self._settings.value("kept_after") or "")
        return next((n for n in KEPT_S if f"{n:g}" == kept), KEEP_AFTER_S)

    @property
    def grid(self) -> str | None:
        """The step that was set for the unit that is shown; empty: no grid; None where nothing was."""
        kept = self._settings.value(f"grid_{self._document.units}")
        return None if kept is None else str(kept)

    @property
    def text_size(self) -> int:
        kept = str(self._settings.value("text_size") or "")
        return int(kept) if kept.isdigit() and int(kept) in TEXT_SIZES else 13

    def fill(self) -> None:
        """The menu as it stands now."""
        fill_menu(self._header.menu, self._window.actions(), self._recent(), self._open)

    def show_keys(self) -> None:
        self.page = KeysPage(self._window.actions(), self._colours(), self._window)
        self.page.show()

    def show_settings(self) -> None:
        night = self._colours() is NIGHT
        page = SettingsPage(
            self._settings,
            units=self._document.units,
            night=night,
            text=self.text_size,
            kept_s=self.kept_s,
            grid=self.grid if self.grid is not None else GRIDS[self._document.units][3],
            parent=self._window,
        )
        page.units_chosen.connect(self._document.set_units)
        page.colours_chosen.connect(
            lambda name: self._other() if (name == "night") != (self._colours() is NIGHT) else None
        )
        page.text_chosen.connect(self.set_text)
        page.kept_chosen.connect(self.set_kept)
        page.grid_chosen.connect(self.set_grid)
        self.page = page
        page.show()

    def set_kept(self, seconds: float) -> None:
        """How soon what is typed is kept, from now on."""
        self._settings.setValue("kept_after", f"{seconds:g}")
        self._kept(seconds)

    def set_grid(self, step: str) -> None:
        """The grid of the drawing, for the unit that is shown."""
        self._settings.setValue(f"grid_{self._document.units}", step)
        self._show_grid(step)

    def _show_grid(self, step: str) -> None:
        # The drawing counts in the program's unit, which need not be the one that is shown.
        self._grid(step and f"{step} {'in' if self._document.units == 'inch' else 'mm'}")

    def set_text(self, pixels: int) -> None:
        """The size of the program's text, kept for the next time."""
        self._settings.setValue("text_size", str(pixels))
        self._text(pixels)

    def step_text(self, by: int) -> None:
        """One size larger or smaller."""
        k = TEXT_SIZES.index(self.text_size) + by
        self.set_text(TEXT_SIZES[max(0, min(k, len(TEXT_SIZES) - 1))])

    def commands(self) -> list[Command]:
        return [
            Command("Settings\u2026", self.show_settings, ("Ctrl+,",)),
            Command("Keys and marks", self.show_keys, ("F1",)),
            Command("Text of the program larger", lambda: self.step_text(1), ("Ctrl++", "Ctrl+=")),
            Command("Text of the program smaller", lambda: self.step_text(-1), ("Ctrl+-",)),
        ]
