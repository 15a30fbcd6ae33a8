"""Random hands in Setup: whatever is typed, put, slipped and touched, nothing breaks, and undo leads back to the first letter."""

from __future__ import annotations

import os
import random
from collections.abc import Callable

import pytest

from tests.conftest import PLAIN_JOB, START
from underglass.app.main_window import MainWindow
from underglass.app.setup.rows_view import BELIEF, TRUTH
from underglass.core.files.setup_edit import SLIPS

_TYPED = ("0", "-5", "12.5", "1/3", "3/8in", "1e3", "abc", "", "90", "180", "2", "100000", "-0.001")
_PIECES = ("vise", "clamp", "plate", "parallels", "box", "cylinder")


def hand(window: MainWindow, dice: random.Random) -> None:
    """One thing that a person may do."""
    setup = window.setup
    fixtures, tools, touch, zero = setup.fixtures, setup.tools, setup.touch, setup.zero
    kind = dice.randrange(9)
    if kind == 0:
        setup.choose(dice.choice(list(setup.pages)))
    elif kind in (1, 2, 3):
        fields = setup.pages[setup.page].fields
        if fields:
            fields[dice.choice(list(fields))].enter(dice.choice(_TYPED))
    elif kind == 4:
        window.setting_up.undo(dice.choice((-1, -1, 1)))
    elif kind == 5:
        dice.choice(
            (
                lambda: fixtures.add_piece(dice.choice(_PIECES)),
                fixtures.remove_chosen,
                fixtures.copy_chosen,
                fixtures.put_at_stations,
                lambda: fixtures.put_where(dice.choice(("left", "under", "table", "on"))),
            )
        )()
    elif kind == 6:
        row = dice.choice(setup._rows)
        setup.table.choose(row.group, row.key, row.axis)
        column = TRUTH if setup.table.rows_model.editable(row, TRUTH) and dice.random() < 0.5 else BELIEF
        dice.choice(
            (
                lambda: setup.make_slip(dice.choice(list(SLIPS))),
                setup.tell_control,
                setup.believe_control,
                lambda: setup._on_entered(row, column, dice.uniform(-500.0, 500.0)),
            )
        )()
    elif kind == 7:
        shares = [dice.choice((0.0, 0.5, 1.0, None)) for _ in range(3)]
        dice.choice((zero.add_zero, zero.remove_zero, lambda: zero.snap_to(shares[0], shares[1], shares[2])))()
        tools.choose(dice.randrange(1, 5))
        dice.choice((lambda: tools.add_missing(dice.randrange(1, 6)), lambda: tools.take_off(dice.randrange(1, 6))))()
    else:
        touch.use(dice.choice(("finder", "tool", "block", "setter")))
        face = dice.choice(("left", "right", "front", "back", "top"))
        dice.choice((lambda: touch.touch(face), touch.touch_two, touch.touch_all, touch.measure_tool, touch.apply))()


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_nothing_breaks_and_all_of_it_undoes(plain: Callable[..., MainWindow], seed: int) -> None:
    window = plain(START + "G1 Z-1. F300\nX50.\nG0 Z50.\nM30\n")
    window.go_to_place("setup")
    dice = random.Random(seed)
    for _ in range(70 if os.environ.get("UNDERGLASS_DEEP") else 40):
        hand(window, dice)
    assert window.document.history.steps, "something was done"
    while window.document.undo_setup():
        pass
    assert window.document.job_text == PLAIN_JOB and not window.document.modified
