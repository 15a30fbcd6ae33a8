"""How fast the text is: opening and typing in a million lines, with and without a proof running. `make bench`."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QApplication
from tests.conftest import START, write_job

from underglass.app.main_window import MainWindow
from underglass.app.start import make_application


@pytest.fixture
def window(tmp_path: Path) -> Iterator[MainWindow]:
    make_application()
    made = MainWindow(QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat))
    made.resize(1280, 800)
    made.show()
    yield made
    made.document.set_modified(False)
    made.prover.cancel()
    made.close()


def settle(rounds: int = 20) -> None:
    for _ in range(rounds):
        QApplication.processEvents()


def keys_ms(window: MainWindow, count: int = 30, pause: float = 0.1) -> list[float]:
    """Milliseconds from a key to its line painted, sorted."""
    out = []
    for k in range(count):
        until = time.perf_counter() + pause
        while time.perf_counter() < until:
            QApplication.processEvents()
        begin = time.perf_counter()
        window.editor.type("X" if k % 2 == 0 else "1")
        QApplication.processEvents()
        out.append(1000.0 * (time.perf_counter() - begin))
    return sorted(out)


@pytest.mark.parametrize("count", [100_000, 1_000_000])
def test_typing(window: MainWindow, tmp_path: Path, count: int, benchmark: object) -> None:
    lines = "\n".join(f"N{10 * k} G1 X{k % 100}.25 Y{k % 57}.5 F800" for k in range(count))
    path = write_job(tmp_path, f"{START}Z1.\n{lines}\nM30\n")
    begin = time.perf_counter()
    window.open(path)
    settle()
    print(f"\n{count} lines: open {time.perf_counter() - begin:.2f} s")
    window.editor.go_to(count // 2)
    settle()
    running = keys_ms(window)
    window.prover.cancel()
    window.prover.ask = lambda *_a, **_k: None  # type: ignore[method-assign]
    settle(200)
    alone = keys_ms(window)
    for name, got in (("with a proof running", running), ("alone", alone)):
        print(f"  a key {name}: median {got[len(got) // 2]:.0f} ms, worst {got[-1]:.0f} ms")
    benchmark.pedantic(settle, rounds=1)  # type: ignore[attr-defined]
