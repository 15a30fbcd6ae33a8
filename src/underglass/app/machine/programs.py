"""Which program runs at the machine: what is open, one from the memory stick, or one from the drop folder."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QUrl
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import QMenu

from underglass.app.document import Document
from underglass.app.machine.session import Session
from underglass.core.errors import UnderGlassError
from underglass.core.files.stick import listing

_MOST = 30
FOLDERS = (("Memory stick", "stick"), ("Drop folder", "drop"))
"""Beside the settings: the simulated stick of Hand over, and a folder into which anything can be dropped."""


def programs_in(folder: Path, document: Document) -> list[Path]:
    """What this machine's control sees in a folder. Raises ``UnusableFile``."""
    job = document.job
    if job is None or not folder.is_dir():
        return []
    return [folder / one.name for one in listing(folder, job.control.file) if one.seen]


def fill_menu(
    menu: QMenu, session: Session, document: Document, folder: Path, trouble: Callable[[str], object]
) -> None:
    """Fill the menu anew with what there is now."""
    menu.clear()
    menu.addAction("What is open in Write").triggered.connect(lambda: session.load_open())
    for title, name in FOLDERS:
        menu.addSection(title)
        try:
            found = programs_in(folder / name, document)
        except UnderGlassError as error:
            trouble(str(error))
            found = []
        for path in found[:_MOST]:
            menu.addAction(path.name).triggered.connect(lambda _c=False, p=path: session.load_file(p))
        if not found:
            menu.addAction("nothing that this control sees").setEnabled(False)
    menu.addSeparator()
    menu.addAction("Show the drop folder").triggered.connect(lambda: _show(folder / "drop", trouble))


def _show(folder: Path, trouble: Callable[[str], object]) -> None:
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        trouble(f"{folder}: {(error.strerror or 'cannot be made').lower()}")
        return
    QDesktopServices.openUrl(QUrl.fromLocalFile(str(folder)))
