"""The documentation's pictures, from the demo data."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path

from PySide6.QtCore import QEventLoop, QSettings

from underglass.app.main_window import MainWindow
from underglass.app.start import make_application
from underglass.app.style.palette import DAY, NIGHT
from underglass.core.files.demo import copy_demo


def _settle(window: MainWindow) -> None:
    loop = QEventLoop()
    window.when_still(loop.quit)
    loop.exec()


def _views(window: MainWindow) -> Iterator[tuple[str, Callable[[], object]]]:
    """(file name, what to do before the picture) of each view."""
    yield "first-page", lambda: None
    yield "prove-crash", lambda: window.open(copy_demo("vent-bracket-slip"))
    yield "prove-clean", lambda: window.open(copy_demo("vent-bracket"))
    yield "prove-pocket", lambda: (window.editor.go_to(66), window.document.select_line(66))
    yield "write", lambda: (window.go_to_place("write"), window.editor.go_to(95))
    yield (
        "prove-night",
        lambda: (
            window.go_to_place("prove"),
            window.set_colours(NIGHT),
            window.open(copy_demo("vent-bracket-slip")),
        ),
    )


def take_shots(folder: Path) -> list[Path]:
    """Write every picture at 1280 x 800; the paths written."""
    make_application()
    folder.mkdir(parents=True, exist_ok=True)
    out = []
    with tempfile.TemporaryDirectory() as scratch:
        settings = QSettings(str(Path(scratch) / "settings.ini"), QSettings.Format.IniFormat)
        window = MainWindow(settings)
        window.resize(1280, 800)
        window.show()
        for name, prepare in _views(window):
            prepare()
            _settle(window)
            path = folder / f"{name}.png"
            window.grab().save(str(path))
            out.append(path)
        window.set_colours(DAY)
        window.close()
    return out
