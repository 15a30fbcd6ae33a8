"""Alt and a number: that page of the place one is in, as they stand from left to right."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from PySide6.QtWidgets import QAbstractButton

from underglass.app.commands import Command
from underglass.app.shell import Fittings, Shell

MOST = 7


class Paging:
    """Clicks the button that a person would click: what a page brings with it comes too."""

    def __init__(self, shell: Shell, parts: Fittings) -> None:
        self._shell, self._parts = shell, parts

    def _buttons(self) -> Mapping[str, QAbstractButton]:
        parts = self._parts
        rows: dict[str, Callable[[], Mapping[str, QAbstractButton]]] = {
            "write": lambda: parts.side.buttons, "prove": lambda: parts.beside.buttons, "machine": lambda: parts.machine().row.buttons,
            "hand-over": lambda: parts.handing().buttons, "setup": lambda: (parts.setup() if parts.own_setup.isHidden() else parts.own_setup.now).buttons,
        }  # fmt: skip
        made = rows.get(self._shell.place)
        return made() if made is not None else {}

    def to(self, number: int) -> None:
        """The page with this number, from 1; nothing where there are not so many."""
        offered = [b for b in self._buttons().values() if not b.isHidden()]
        if 1 <= number <= len(offered):
            offered[number - 1].click()

    def commands(self) -> list[Command]:
        return [
            Command(f"Page {k} of this place", lambda n=k: self.to(n), (f"Alt+{k}",))  # type: ignore[misc]
            for k in range(1, MOST + 1)
        ]
