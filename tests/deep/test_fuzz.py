"""Programs that nobody would write: a few here, more in ``make deep``, half a million with ``python -m tests.deep.fuzz``."""

from __future__ import annotations

import os

from tests.deep.fuzz import fuzz

COUNT = 20_000 if os.environ.get("UNDERGLASS_DEEP") else 400


def test_no_program_ends_the_control_or_makes_an_edit_differ_from_the_whole() -> None:
    wrong, kept, ran = fuzz(COUNT, seed=7)
    assert wrong == []
    assert kept > 100 and ran > 1000, "the changes led somewhere"
