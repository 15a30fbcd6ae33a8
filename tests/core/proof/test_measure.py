"""The stock measured like a part: a slot, a hole, a boss and a step of known size."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest

from tests.conftest import START
from underglass.core.proof.measure import Surface, across, across_at, diameter, round_at, section, step
from underglass.core.proof.proof import Proof

Prove = Callable[..., Proof]
PROGRAM = (
    START
    + "X20. Y-10.\nG1 Z-4. F300\nY70.\nG0 Z5.\n"  # a slot 10 wide, 4 deep
    + "X70. Y22.\nG1 Z-6.\nG2 J8.\nG0 Z50.\n"  # a ring: boss of 6 in a hole of 26 about X70 Y30
    + "M5\nM30\n"
)


@pytest.fixture
def surface(prove_text: Prove) -> Surface:
    return Surface(prove_text(PROGRAM))


def test_a_slots_width_and_depth(surface: Surface) -> None:
    assert across(surface, (20.0, 30.0), 0.0, -2.0) == pytest.approx(10.0, abs=0.13)
    assert across(surface, (20.0, 30.0), 30.0, -2.0) == pytest.approx(10.0 / np.cos(np.radians(30.0)), abs=0.2)
    assert step(surface, (20.0, 30.0), (40.0, 30.0)) == pytest.approx(4.0)
    assert step(surface, (40.0, 30.0), (20.0, 30.0)) == pytest.approx(-4.0)


def test_a_holes_and_a_bosss_diameter(surface: Surface) -> None:
    """Fitted to 720 places of a wall known to half a cell of 0.25, to a few hundredths."""
    boss = diameter(surface, (70.0, 30.0), -3.0)
    assert boss is not None and not boss.hole
    assert (boss.diameter, boss.x, boss.y) == (
        pytest.approx(6.0, abs=0.06),
        pytest.approx(70.0, abs=0.03),
        pytest.approx(30.0, abs=0.03),
    )
    hole = diameter(Surface_without_boss(surface), (70.0, 30.0), -3.0)
    assert hole is not None and hole.hole and hole.diameter == pytest.approx(26.0, abs=0.06) and hole.rough < 0.25


def Surface_without_boss(surface: Surface) -> Surface:
    """The same stock with the boss taken off by hand."""
    from dataclasses import replace

    field = surface.fields[0]
    h = field.h.copy()
    y, x = np.mgrid[0 : h.shape[0], 0 : h.shape[1]]
    h[np.hypot((x + 0.5) * 0.25 - 70.0, (y + 0.5) * 0.25 - 30.0) < 6.0] = 14.0
    surface.fields[0] = replace(field, h=h)
    return surface


def test_no_wall_no_diameter(surface: Surface) -> None:
    assert diameter(surface, (20.0, 30.0), -2.0) is None  # a slot is open at its ends
    assert np.isnan(across(surface, (20.0, 30.0), 90.0, -2.0, most=20.0))


def test_a_section_is_the_profile(surface: Surface) -> None:
    rows = section(surface, (0.5, 30.0), (40.0, 30.0))
    assert rows[0, 0] == 0.0 and rows[-1, 0] == pytest.approx(39.5)
    assert (np.diff(rows[:, 0]) <= 0.25 + 1e-9).all()
    inside = (rows[:, 0] > 14.8) & (rows[:, 0] < 24.2)
    assert (rows[inside, 1] == -4.0).all() and (rows[rows[:, 0] < 14.0, 1] == 0.0).all()
    beside = section(surface, (-5.0, 30.0), (5.0, 30.0))
    assert np.isnan(beside[0, 1]) and beside[-1, 1] == 0.0


def test_after_a_line(prove_text: Prove) -> None:
    proof = prove_text(PROGRAM)
    assert Surface(proof, 4).heights(np.array([[20.0, 30.0]]))[0] == 0.0
    assert Surface(proof, 7).heights(np.array([[20.0, 30.0]]))[0] == -4.0


def test_round_and_across_find_their_own_height(prove_text: Callable[..., Proof]) -> None:
    text = (
        START
        + "X50. Y-8.\nZ2.\nG1 Z-4. F300\nY68.\nG0 Z25.\nX20. Y30.\nG1 Z-3. F300\nX25.\nG3 X25. Y30. I-5. J0.\nG0 Z50.\nM5\nM30\n"
    )
    proof = prove_text(text)
    surface = Surface.of(proof, [history.final for history in proof.stocks])
    found = round_at(surface, (21.0, 31.0))
    assert found is not None
    circle, level = found
    assert (
        circle.hole
        and circle.diameter == pytest.approx(20.0, abs=0.1)
        and (circle.x, circle.y) == pytest.approx((20.0, 30.0), abs=0.1)
    )
    assert -3.0 < level < 0.0
    wide = across_at(surface, (51.0, 30.0))
    assert wide is not None and wide.slot and wide.width == pytest.approx(10.0, abs=0.25)
    rib = across_at(surface, (38.0, 30.0))
    assert rib is not None and not rib.slot and rib.width == pytest.approx(15.0, abs=0.3)
    assert round_at(surface, (51.0, 30.0)) is None  # a slot is not round
    # Nearest are the outer walls. Towards their corner a slanting way would be shorter; the plate is 60 wide all the same.
    plate = across_at(surface, (80.0, 50.0))
    assert plate is not None and not plate.slot and plate.width == pytest.approx(60.0, abs=0.3)
    at = np.array([[50.0, 30.0], [20.0, 30.0], [-5.0, 30.0], [100.0, 60.0]])
    assert np.allclose(surface.heights(at), [-4.0, -3.0, np.nan, 0.0], equal_nan=True, atol=1e-6)
