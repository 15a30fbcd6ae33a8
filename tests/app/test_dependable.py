"""What would bring the window down only after hours of work."""

from __future__ import annotations

import sys

from underglass.app.main_window import MainWindow


def test_calls_into_qt_leave_the_count_of_references_alone(window: MainWindow) -> None:
    # A binding that gives away a reference too many at each call ends the program when None has none left.
    window.repaint()
    before = sys.getrefcount(None)
    for _ in range(500):
        window.update()
        window.editor.viewport().setObjectName("")
    assert sys.getrefcount(None) > before - 250
