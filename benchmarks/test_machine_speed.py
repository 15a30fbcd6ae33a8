"""How fast the stand-in machine is: a jog button, a look at its clock, pictures while it cuts. Figures are printed, none is asserted."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path
from statistics import median
from typing import Any

import pytest
from PySide6.QtCore import QEventLoop, QSettings, QTimer

from underglass.app.main_window import MainWindow
from underglass.app.start import make_application
from underglass.core.files.demo import copy_demo
from underglass.core.files.load import load
from underglass.core.machine import actions as act
from underglass.core.machine.stand import Stand
from underglass.core.machine.step import after, begin

MORNING = (act.Power(), act.Home(), 1e4, act.Guard(True), act.PutIn(), act.Clamp(True))
FIRST_TOOL = (act.Drawbar(True), act.PutTool(1), act.Drawbar(False), act.Guard(False))


def ready(tmp_path: Path, name: str = "vent-bracket") -> Stand:
    job, source, _ = load(copy_demo(name, tmp_path))
    stand = begin(job, source)
    for what in (*MORNING, *FIRST_TOOL):
        stand, _told = after(stand, what)
    return stand


def test_a_jog_button_and_a_look_at_the_clock(tmp_path: Path, benchmark: Callable[..., Any]) -> None:
    stand = ready(tmp_path)
    for what in (act.CycleStart(), act.CycleStart(), 5000.0, act.StopProgram()):
        stand, _ = after(stand, what)
    spent = []
    for k in range(12):
        began = time.perf_counter()
        stand, _ = after(stand, act.Jog("x", 1 if k % 2 else -1, "fast"))
        spent.append(time.perf_counter() - began)
        for what in (0.3, act.LetGo(), 0.5):
            stand, _ = after(stand, what)
    stand, _ = after(stand, act.CycleStart(line=1, knowing=True))
    stand, _ = after(stand, act.CycleStart())
    ticks = []
    for _ in range(400):
        began = time.perf_counter()
        stand, _told = after(stand, 0.05)
        ticks.append(time.perf_counter() - began)
    print(f"\na jog after a cut: {median(spent) * 1e3:.0f} ms; a look at the clock: {median(ticks) * 1e3:.2f} ms")
    benchmark(lambda: after(stand, 0.05))


@pytest.mark.parametrize("size", [(1280, 800)])
def test_pictures_while_it_cuts(tmp_path: Path, benchmark: Callable[..., Any], size: tuple[int, int]) -> None:
    make_application()
    window = MainWindow(QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat))
    window.resize(*size)
    window.show()
    window.open(copy_demo("vent-bracket", tmp_path / "demo"))

    def settle() -> None:
        loop = QEventLoop()
        window.when_still(loop.quit)
        loop.exec()

    settle()
    window.go_to_place("machine")
    session = window.machine.session
    session.stop()
    for what in (*MORNING, *FIRST_TOOL, act.CycleStart(), act.CycleStart()):
        if isinstance(what, float):
            session.advance(what)
            continue
        session.do(what)
        while session.busy:
            loop = QEventLoop()
            QTimer.singleShot(10, loop.quit)
            loop.exec()
    pictures = 0

    def count() -> None:
        nonlocal pictures
        pictures += 1

    window.machine.glass.frameSwapped.connect(count)
    session.advance(7.0)
    begun, clock = time.perf_counter(), session.stand.clock_s  # type: ignore[union-attr]
    session.resume()
    loop = QEventLoop()
    QTimer.singleShot(6000, loop.quit)
    loop.exec()
    spent = time.perf_counter() - begun
    drift = (session.stand.clock_s - clock) / spent - 1.0  # type: ignore[union-attr]
    session.do(act.Hold())
    session.advance(1.0)
    waits: dict[str, list[float]] = {"shows": [], "moves": []}
    for k in range(16):
        stood = window.machine.glass.stage.stands
        begun_at = time.perf_counter()
        window.machine.jog("z", 1 if k % 2 else -1)
        seen = False
        while window.machine.glass.stage.stands == stood or not seen:
            loop = QEventLoop()
            window.machine.glass.frameSwapped.connect(loop.quit)
            QTimer.singleShot(500, loop.quit)
            loop.exec()
            if not seen:
                seen = True
                waits["shows"].append(time.perf_counter() - begun_at)
            if time.perf_counter() - begun_at > 3.0:
                break
        waits["moves"].append(time.perf_counter() - begun_at)
        window.machine.let_go()
        loop = QEventLoop()
        QTimer.singleShot(600, loop.quit)
        loop.exec()
    for what, spent_s in waits.items():
        every = ", ".join(f"{1e3 * w:.0f}" for w in spent_s)
        print(f"\na jog button till its picture {what}: median {median(spent_s) * 1e3:.0f} ms ({every})")
    session.stop()
    print(f"\n{pictures / spent:.1f} pictures a second while it cuts; its clock is off by {drift:+.2%}")
    window.close()
    benchmark(lambda: None)
