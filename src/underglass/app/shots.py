"""The documentation's pictures, from the demo data."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterator
from dataclasses import replace
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


def _close_up(window: MainWindow) -> None:
    """Into a corner of the pocket, as far as the proof's own cells would show."""
    window.editor.go_to(77)
    window.document.select_line(77)
    glass = window.glass
    glass.camera = replace(glass.camera, target=(102.0, 58.0, -1.0), span=5.0, azimuth_deg=-125.0, elevation_deg=50.0)
    glass.restless()


def _views(window: MainWindow) -> Iterator[tuple[str, Callable[[], object]]]:
    """(file name, what to do before the picture) of each view."""
    yield "first-page", lambda: None
    yield "prove-crash", lambda: window.open(copy_demo("vent-bracket-slip"))
    yield "prove-clean", lambda: window.open(copy_demo("vent-bracket"))
    yield "prove-pocket", lambda: (window.editor.go_to(66), window.document.select_line(66))
    yield "prove-loupe", lambda: _close_up(window)
    yield "write", lambda: (window.glass.view("corner"), window.go_to_place("write"), window.editor.go_to(95))
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
