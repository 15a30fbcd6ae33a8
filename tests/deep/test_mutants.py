"""A slip in a clean program is found, or leaves the same part, or makes another that compare tells: a short form of it."""

from __future__ import annotations

import random

import pytest

from tests.core.proof.test_golden import GOLDEN
from tests.deep.mutants import judge, slips


@pytest.mark.parametrize(
    "name", ["clean-plate", "contour", "cycle", "sheet/clean-slots", "punching/clean-two-stations"]
)
def test_slips_have_an_end_each(name: str) -> None:
    found = judge(GOLDEN / f"{name}.nc", 8, random.Random(name))
    assert sum(found.values()) == 8 and found["found"] >= 2
    assert set(found) <= {"found", "noted", "same part", "another part"}


def test_slips_are_of_every_kind() -> None:
    kinds = {what.split(" ")[0] for what, _text in slips("T1 M6\nG0 G54 X1. Y-2. S300 M3\nG43 H1 Z5. F100\n")}
    assert {"without", "sign", "point", "number", "nought"} <= kinds
