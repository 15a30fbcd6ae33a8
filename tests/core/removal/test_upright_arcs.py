"""Arcs that stand upright are cut as chords; each belongs to its move, and any moment inside it can be shown."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest

from tests.conftest import START
from underglass.core.proof.measure import heights
from underglass.core.proof.proof import Proof

TROUGH = START + "X50. Y-10.\nX50. Y10.\nG0 Z0\nG1 F300\nG19 G3 Y50. Z0 R25.\nG17 G0 Z50.\nM5\nM30\n"


def test_a_trough_follows_its_arc(prove_text: Callable[..., Proof]) -> None:
    """A flat end of radius 5 that dips along a circle: over a point the lowest is the arc's at the nearer edge, or its foot."""
    proof = prove_text(TROUGH)
    assert [f.code for f in proof.troubles] == []
    centre_z, r = 15.0, 25.0  # ends 40 apart at Z0: the centre stands sqrt(25^2 - 20^2) = 15 above
    for y in (15.0, 20.0, 30.0, 37.0, 45.0):
        under = np.clip(30.0, y - 5.0, y + 5.0)
        exact = centre_z - np.sqrt(r * r - (under - 30.0) ** 2)
        assert heights(proof, [(50.0, y)])[0] == pytest.approx(exact, abs=0.12), y


def test_its_cells_know_their_line_and_its_moments_their_share(prove_text: Callable[..., Proof]) -> None:
    proof = prove_text(TROUGH)
    history = proof.stocks[0]
    assert len(history.path) > len(proof.motions)
    move = (proof.moves_of_line(9) or (0, 0))[0]
    field = history.final
    j, i = field.grid.cell_at(50.0, 30.0) or (0, 0)
    assert int(field.owner[j, i]) == move
    cursor = history.cursor()
    cursor.go(move, 0.5)
    assert cursor.field.height_at(50.0, 45.0) == pytest.approx(20.0)
    assert cursor.field.height_at(50.0, 20.0) == pytest.approx(field.height_at(50.0, 20.0))
    cursor.go(len(proof.motions), 0.0)
    assert np.array_equal(cursor.field.h, field.h)
    assert history.removed.sum() == pytest.approx(history.uncut.volume() - field.volume(), rel=1e-6)
