"""Random hands in Prove: whatever is dragged, held, tried, measured and edited, nothing breaks and the cut stays true."""

from __future__ import annotations

import math
import os
import random
from collections.abc import Callable

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from tests.app.test_tape import STOPS
from tests.core.proof.test_lens import pocket
from underglass.app.glass.colouring import COLOURINGS
from underglass.app.glass.measuring import MODES
from underglass.app.main_window import MainWindow
from underglass.core.proof.halts import HALTS

_TYPED = ("X10. Y5.", "G1 Z-2.", "G41 D1 X3.", "garbage", "M0", "T2 M6", "G2 X0 Y0 R5", "G55", "")


def hand(w: MainWindow, dice: random.Random, qtbot: QtBot) -> None:
    """One thing that a person may do."""
    glass, player, stop, lens = w.glass, w.player, w.beside.stop, w.beside.lens
    kind = dice.randrange(12)
    if kind == 0:
        w.beside.choose(dice.choice(list(w.beside.buttons)))
    elif kind == 1:
        w.document.set_moment(dice.random() * w.tape.total)
        glass.about(QPoint(dice.randrange(500), dice.randrange(500)).toPointF())
    elif kind == 2:
        player.set_halt(dice.choice(HALTS)[0], dice.random() < 0.5)
        player.advance(dice.choice((-1, 1)) * dice.random() * 20.0)
    elif kind == 3:
        steps = (player.step_block, player.step_event, player.step_halt, w.looking.step_operation)
        dice.choice(steps)(dice.choice((-1, 1)))
    elif kind == 4:
        dice.choice((lambda: w.looking.cut_alone(w.looking.operation_now()), lambda: w.looking.cut_alone(None), w.looking.loop_operation))()  # fmt: skip
    elif kind == 5:
        player.set_speed(dice.choice((0.25, 64.0, math.inf, 0.0)))
        player.play(dice.choice((-1, 1)))
        player.stop()
    elif kind == 6:
        glass.sawing.choose(dice.choice((None, 0, 1, 2)))
        glass.sawing.put(dice.random() * 200.0 - 50.0)
        glass.show_with(
            colouring=dice.choice(COLOURINGS)[0], ghost=dice.random() < 0.5, hidden_tools=frozenset({dice.randrange(4)})
        )
    elif kind == 7:
        glass.measuring.choose(dice.choice(MODES)[0])
        for _ in range(2):
            at = QPoint(dice.randrange(glass.width()), dice.randrange(glass.height()))
            qtbot.mouseClick(glass, Qt.MouseButton.LeftButton, pos=at)
        glass.measuring.choose("")
    elif kind == 8:
        dice.choice((w.looking.hold_run, w.beside.runs.let_go.click, w.beside.runs.colour.click))()
        dice.choice((lens.told, lens.real, lens.over))._on_slid(dice.randrange(401))
    elif kind == 9:
        if stop.found:
            w.document.set_moment(dice.choice(stop.found).time_s)
        stop.measured.enter(dice.choice(("10", "nonsense", "1/0", "39.9")))
        stop.wanted.enter(dice.choice(("10.1", "", "40")))
        stop.by.enter("0.1")
        dice.choice((stop.correct, stop.shift, stop.back)).click()
    elif kind == 10:
        w.findings.choose_by(
            order=dice.choice(("time", "gravity", "line")), group=dice.choice(("none", "tool", "kind"))
        )
        w.next_finding(dice.choice((-1, 1)))
    else:
        first = dice.randrange(8)
        w.editor.replace_lines(first, first + dice.randrange(4), [dice.choice(_TYPED)])
        w.setting_up.undo(dice.choice((-1, -1, 1)))


@pytest.mark.parametrize("seed", [1, 2])
def test_nothing_breaks_and_the_cut_stays_true(plain: Callable[..., MainWindow], qtbot: QtBot, seed: int) -> None:
    window = plain(STOPS if seed == 1 else pocket(40.0, 30.0))
    dice = random.Random(seed)
    for _ in range(90 if os.environ.get("UNDERGLASS_DEEP") else 45):
        hand(window, dice, qtbot)
        QApplication.processEvents()
    qtbot.waitUntil(lambda: not window.prover.busy, timeout=60_000)
    window.looking.cut_alone(None)
    proof = window.document.proof
    assert proof is not None
    for share in (0.2, 0.9, 0.5):
        window.document.set_moment(share * proof.timing.total)
        fresh = proof.stocks[0].cursor()
        fresh.go(*proof.timing.locate(window.document.moment))
        assert np.array_equal(window.glass.stage.cursors[0].field.h, fresh.field.h)
