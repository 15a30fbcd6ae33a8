"""The glass on a software renderer at 1280 x 800: frames while turning and playing, picking, the tape. `make bench`."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPointF, QSettings
from PySide6.QtWidgets import QApplication
from tests.conftest import START, write_job

from underglass.app.glass.picking import View, move_at, path_at
from underglass.app.main_window import MainWindow
from underglass.app.start import make_application
from underglass.core.files.demo import copy_demo

PASSES = 100_000


def wait(until: Callable[[], bool], seconds: float = 120.0) -> None:
    app = QApplication.instance()
    end = time.monotonic() + seconds
    while not until() and time.monotonic() < end:
        app.processEvents()
    assert until()


def opened(tmp_path: Path, job: Path) -> MainWindow:
    make_application()
    window = MainWindow(QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat))
    window.resize(1280, 800)
    window.show()
    assert window.open(job)
    wait(lambda: window.document.proof is not None and not window.prover.busy)
    wait(lambda: window.glass.still)
    return window


def closed(window: MainWindow) -> None:
    window.document.history.mark_saved()
    window.document.set_modified(False)
    window.close()


def many_passes(count: int) -> str:
    """A bumpy surface in short moves over the plate."""
    rng = np.random.default_rng(1)
    lines = []
    x, y = 5.0, 5.0
    for k in range(count):
        x += 0.9 if (k // 100) % 2 == 0 else -0.9
        if k % 100 == 99:
            y = 5.0 + (y - 4.95) % 50.0
        lines.append(f"X{x:.3f} Y{y:.3f} Z{-1.0 - rng.random():.3f}")
    return START + "Z2.\nG1 Z-1. F3000\n" + "\n".join(lines) + "\nG0 Z50.\nM5\nM30\n"


def frames(window: MainWindow, step: Callable[[int], None], count: int = 40) -> list[float]:
    """ms from a change to the finished frame."""
    app = QApplication.instance()
    out = []
    for k in range(count):
        began = time.perf_counter()
        step(k)
        window.glass.repaint()
        app.processEvents()
        out.append((time.perf_counter() - began) * 1000.0)
    return out


@pytest.mark.parametrize("what", ["demo", "100,000 moves"])
def test_frames_while_turning_and_playing(benchmark, tmp_path: Path, what: str) -> None:  # type: ignore[no-untyped-def]
    folder = tmp_path / "job"
    folder.mkdir()
    job = copy_demo("vent-bracket", tmp_path / "demo") if what == "demo" else write_job(folder, many_passes(PASSES))
    window = opened(tmp_path, job)
    glass, total = window.glass, window.tape.total

    def turn(k: int) -> None:
        glass.camera = glass.camera.turned(3.0, 0.0)
        glass.restless()

    def play(k: int) -> None:
        window.document.set_moment(total * 0.3 + 0.4 * k)  # 8 times real time, twenty pictures a second

    def leap(k: int) -> None:
        window.document.set_moment(total * (0.3 + 0.01 * k))

    def saw(k: int) -> None:
        glass.sawing.put(10.0 + 0.5 * k)

    turn(0)
    turning, playing, leaping = frames(window, turn), frames(window, play), frames(window, leap)
    glass.sawing.choose(1)
    sawing = frames(window, saw)
    glass.sawing.choose(None)
    seeks = []
    rng = np.random.default_rng(2)
    for moment in rng.random(30) * total:
        began = time.perf_counter()
        window.document.set_moment(float(moment))
        seeks.append((time.perf_counter() - began) * 1000.0)
    view = View(glass.camera, glass.width(), glass.height())
    places = [(float(x), float(y)) for x, y in rng.random((40, 2)) * (glass.width(), glass.height())]
    path_at(glass.stage, view, *places[0])
    picks = []
    for x, y in places:
        began = time.perf_counter()
        move_at(glass.stage, view, x, y)
        picks.append((time.perf_counter() - began) * 1000.0)
    hover = []
    for x, y in places[:10]:
        began = time.perf_counter()
        glass.about(QPointF(x, y))
        hover.append((time.perf_counter() - began) * 1000.0)
    wait(lambda: glass.still)
    began = time.perf_counter()
    turn(0)
    wait(lambda: glass.still)
    settled = (time.perf_counter() - began) * 1000.0
    print(f"\n{what}: glass {glass.width()} x {glass.height()}, {len(window.document.proof.motions):,} moves")
    for name, figures in (
        ("frame while turning", turning), ("frame while playing, 8 x", playing), ("frame at its fastest", leaping), ("frame while sawing", sawing),
        ("moment to moment, all panels", seeks), ("picking", picks), ("hover words", hover),
    ):  # fmt: skip
        print(f"  {name:30} median {statistics.median(figures):6.1f} ms, worst {max(figures):6.1f} ms")
    print(f"  {'from moving to still':30} {settled:6.0f} ms")
    benchmark(lambda: move_at(glass.stage, view, *places[3]))
    closed(window)
