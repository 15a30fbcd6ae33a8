"""A button for tools kept beside the job: one's own set, another job's tools, a file to write them to."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PySide6.QtWidgets import QFileDialog, QMenu, QToolButton

from underglass.app.setup.binding import SetupPage
from underglass.core.entries.checked import Table
from underglass.core.errors import UnderGlassError
from underglass.core.files.own_tools import KeptTool, Named, read_kept, write_kept


class OwnTools(QToolButton):
    """``taken`` is told the entry that is to be put on the bench."""

    def __init__(
        self, page: SetupPage, own_set: Path, check: Callable[[Table, float], Named], taken: Callable[[dict[str, Any]], None],
        chosen: Callable[[], dict[str, Any] | None],
    ) -> None:  # fmt: skip
        super().__init__()
        self._page, self.own_set, self._check, self._taken, self._chosen = page, own_set, check, taken, chosen
        self.setText("Tools kept\u2026")
        self.setToolTip("Your own set of tools, another job's, a file")
        self.setFixedHeight(27)
        self.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(self)
        menu.aboutToShow.connect(lambda: self.fill(menu))
        self.setMenu(menu)

    def _unit(self) -> Any:
        job = self._page.job
        return job.units if job is not None else "mm"

    def kept(self) -> list[KeptTool]:
        """The tools of one's own set."""
        return self.read(self.own_set) if self.own_set.is_file() else []

    def read(self, path: Path) -> list[KeptTool]:
        """The tools of a file; what is wrong with it is said."""
        try:
            return read_kept(path, self._unit(), self._check)
        except UnderGlassError as problem:
            self._page.trouble.emit(str(problem))
            return []

    def fill(self, menu: QMenu) -> None:
        """What can be done now."""
        menu.clear()
        chosen = self._chosen()
        menu.addAction("Keep this tool in my set", self.keep).setEnabled(chosen is not None)
        mine = menu.addMenu("From library")
        for tool in self.kept():
            mine.addAction(tool.name, lambda t=tool: self._taken(t.entry))
        mine.setEnabled(bool(mine.actions()))
        menu.addSeparator()
        menu.addAction("From another job or file\u2026", self._ask_in)
        menu.addAction("Write the tools to a file\u2026", self._ask_out)

    def keep(self) -> None:
        """The chosen tool goes into one's own set, unless a like one is there."""
        entry = self._chosen()
        if entry is None:
            return
        mine = [t.entry for t in self.kept()]
        if any({**t, "number": 0} == {**entry, "number": 0} for t in mine):
            return
        self.write(self.own_set, [*mine, {**entry, "number": len(mine) + 1}])

    def write(self, path: Path, entries: list[dict[str, Any]]) -> None:
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            write_kept(path, entries, self._unit())
        except (UnderGlassError, OSError) as problem:
            self._page.trouble.emit(str(problem))

    def take_from(self, path: Path) -> None:
        """Every tool of a file whose number is not on the bench yet."""
        there = {e.get("number") for e in self._page.document.job_data.get("tool", [])}
        new = [t for t in self.read(path) if t.number not in there]
        if new:
            self._page.do(
                lambda edit: [edit.add("tool", t.entry) for t in new], f"took {len(new)} tools from {path.name}"
            )

    def _ask_in(self) -> None:
        name, _kind = QFileDialog.getOpenFileName(self, "Tools from", "", "Jobs and tools (*.toml)")
        if name:
            self.take_from(Path(name))

    def _ask_out(self) -> None:
        name, _kind = QFileDialog.getSaveFileName(self, "Tools to", "tools.toml", "Tools (*.toml)")
        if name:
            self.write(Path(name), list(self._page.document.job_data.get("tool", [])))
