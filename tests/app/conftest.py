"""A real window, opened on a job; waiting is for signals, never for the clock."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from tests.conftest import PLAIN_JOB, write_job
from underglass.app.main_window import MainWindow
from underglass.app.parts import form_view
from underglass.app.start import make_application
from underglass.core.files.demo import copy_demo


@pytest.fixture(scope="session")
def qapp():  # type: ignore[no-untyped-def]
    return make_application()


@pytest.fixture(autouse=True)
def _patience(monkeypatch: pytest.MonkeyPatch) -> None:
    """No form is given up for the machine's slowness: what a test fills in is answered at once."""
    monkeypatch.setattr(form_view, "_AT_ONCE_S", 60.0)
    monkeypatch.setattr(form_view, "_SLOW_S", 60.0)


@pytest.fixture
def window(qtbot: QtBot, qapp: QApplication, tmp_path: Path) -> Iterator[MainWindow]:
    """An empty window of 1280 x 800, with settings of its own."""
    made = MainWindow(QSettings(str(tmp_path / "settings.ini"), QSettings.Format.IniFormat))
    made.resize(1280, 800)
    qtbot.addWidget(made, before_close_func=lambda w: w.document.set_modified(False))
    with qtbot.waitExposed(made):
        made.show()
    yield made
    made.document.set_modified(False)
    made.close()


@pytest.fixture
def opened(window: MainWindow, qtbot: QtBot) -> Callable[[Path], MainWindow]:
    """Open a path and wait until it is proved."""

    def run(path: Path) -> MainWindow:
        with qtbot.waitSignal(window.prover.proved, timeout=60_000):
            assert window.open(path)
        return window

    return run


@pytest.fixture
def slip(opened: Callable[[Path], MainWindow], tmp_path: Path) -> MainWindow:
    """The demo with one slip, proved."""
    return opened(copy_demo("vent-bracket-slip", tmp_path / "demo"))


@pytest.fixture
def plain(opened: Callable[[Path], MainWindow], tmp_path: Path) -> Callable[..., MainWindow]:
    """The plain job with a program's text, proved."""

    def run(text: str | bytes, job: str = PLAIN_JOB) -> MainWindow:
        folder = tmp_path / "plain"
        folder.mkdir(exist_ok=True)
        return opened(write_job(folder, text, job))

    return run
