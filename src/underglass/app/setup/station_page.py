"""A page about one tool of a turret at a time, whatever the turret carries."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QWidget

from underglass.app.setup.binding import at
from underglass.app.setup.own_place import OwnPage
from underglass.core.files.job_edit import JobEdit

MOST_STATIONS = 400


class StationPage(OwnPage):
    """``shown`` says which station the page is about now."""

    shown = Signal(int)
    number_chosen = 0

    def station_list(self) -> tuple[QWidget, QComboBox]:
        """The stations to choose from, and the box that holds them."""
        holder, found = self.choice("Station", self._stations, lambda: str(self.number_chosen), lambda _e, _v: None)
        found.activated.disconnect()
        found.activated.connect(lambda _k: self.choose(int(found.currentData() or 0)))
        return holder, found

    def _entries(self) -> list[dict[str, Any]]:
        found = at(self.document.job_data, ("tool",))
        return found if isinstance(found, list) else []

    def _stations(self) -> list[tuple[str, str]]:
        job = self.job
        names = job.bench.tool_names if job is not None else {}
        return [(f"T{n}  {name}", str(n)) for n, name in sorted(names.items())]

    def _free(self) -> int | None:
        """The next free station; None where nothing is open."""
        job = self.job
        return next(n for n in range(1, MOST_STATIONS) if n not in job.bench.tool_names) if job is not None else None

    def _entry(self) -> int | None:
        return next((k for k, e in enumerate(self._entries()) if e.get("number") == self.number_chosen), None)

    def _get(self, key: str) -> Any:
        k = self._entry()
        return self._entries()[k].get(key) if k is not None else None

    def _path(self, *path: str) -> tuple[str | int, ...] | None:
        k = self._entry()
        return ("tool", k, *path) if k is not None else None

    def _chosen(self) -> dict[str, Any] | None:
        k = self._entry()
        return dict(self._entries()[k]) if k is not None else None

    def choose(self, number: int) -> None:
        """Show a station's tool."""
        self.number_chosen = number
        self.refresh()
        self.shown.emit(number)

    def add_entry(self, entry: dict[str, Any], what: str) -> None:
        """Put a tool at its station, and show it."""
        if not self.do(lambda edit: edit.add("tool", entry), what):
            self.choose(int(entry["number"]))

    def take(self, entry: dict[str, Any]) -> None:
        """A kept tool comes to the station that is chosen, or to a free one."""
        k = self._entry()
        number = self.number_chosen if k is not None else self._free()
        if number is None:
            return
        made = {**entry, "number": number}

        def put(edit: JobEdit) -> None:
            if k is None:
                edit.add("tool", made)
            else:
                edit.put(made, "tool", k)

        if not self.do(put, f"put a kept tool at station {number}"):
            self.choose(number)
