"""One operation alone, and what it finds when everything before it is done."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from tests.conftest import START
from underglass.core.proof.alone import cut_alone, cut_up_to, moves_of
from underglass.core.proof.proof import Proof

PROGRAM = (
    START
    + "X50. Y-8.\nG1 Z-4. F300\nY68.\nG0 Z50.\nT2 M6\nG0 X50. Y30. S900 M3\nG43 H2 Z5.\nG1 Z-10. F100\nG0 Z50.\nM5\nM30\n"
)


def test_an_operation_alone_and_after_all_before_it(prove_text: Callable[..., Proof]) -> None:
    proof = prove_text(PROGRAM)
    slot, hole = [s for s in proof.segments if s.tool]
    history = proof.stocks[0]
    (a, b), (c, d) = moves_of(proof, slot), moves_of(proof, hole)
    assert 0 <= a < b <= c < d == len(proof.motions)
    alone = cut_alone(history, c, d)
    # The hole by itself: no slot, and its drill cuts from the top.
    assert alone.height_at(50.0, 10.0) == 20.0 and alone.height_at(50.0, 30.0) < 10.2
    found = cut_up_to(history, c)
    assert found.height_at(50.0, 10.0) == 16.0 and found.height_at(50.0, 30.0) == 16.0
    both = np.minimum(alone.h, cut_alone(history, a, b).h)
    np.testing.assert_array_equal(both, history.final.h)
    assert cut_alone(history, 0, 0).volume() == history.uncut.volume()
