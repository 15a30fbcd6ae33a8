"""Starting the window: on the display there is, or on none with a picture instead."""

from __future__ import annotations

import os
import sys
from pathlib import Path

from PySide6.QtCore import QSettings, QTimer
from PySide6.QtGui import QSurfaceFormat
from PySide6.QtWidgets import QApplication

from underglass.app.main_window import MainWindow
from underglass.app.style.theme import load_fonts


def make_application() -> QApplication:
    """The application with its OpenGL wish and its fonts; the running one if there is one."""
    running = QApplication.instance()
    if isinstance(running, QApplication):
        return running
    # A proof runs in a thread beside the window. With Python's usual 5 ms between turns each of the thirty or so calls
    # that a key stroke makes would wait so long for its turn.
    sys.setswitchinterval(0.0002)
    wish = QSurfaceFormat()
    wish.setVersion(3, 3)
    wish.setProfile(QSurfaceFormat.OpenGLContextProfile.CoreProfile)
    wish.setDepthBufferSize(24)
    QSurfaceFormat.setDefaultFormat(wish)
    app = QApplication(sys.argv[:1])
    app.setApplicationName("Under Glass")
    app.setDesktopFileName("underglass")
    load_fonts()
    return app


def run_window(path: Path | None, picture: Path | None = None) -> int:
    """Open the window with a job, a program or nothing. With ``picture``: write one of the window, and close."""
    size = str(QSettings("underglass", "underglass").value("size") or "100")
    if size.isdigit() and size != "100" and "QT_SCALE_FACTOR" not in os.environ:
        # Qt takes it only before there is an application.
        os.environ["QT_SCALE_FACTOR"] = f"{int(size) / 100.0:g}"
    app = make_application()
    window = MainWindow()
    window.show()
    if path is not None:
        window.open(path)
    if picture is not None:
        target = picture

        def take() -> None:
            target.parent.mkdir(parents=True, exist_ok=True)
            window.grab().save(str(target))
            print(f"picture of the window: {target}", flush=True)
            window.close()

        window.when_still(take)
        QTimer.singleShot(120_000, window.close)
    return int(app.exec())
