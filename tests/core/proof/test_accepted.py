"""A finding that is meant is a note with its reason, as long as its block stands as it stood."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from tests.conftest import PLAIN_JOB, START
from underglass.core.errors import BadEntry
from underglass.core.finding import Severity
from underglass.core.proof.proof import Proof

INTO = START + "G0 X50. Y30.\nG0 Z-2.\nG0 Z50.\nM30\n"
MEANT = PLAIN_JOB + '\n[[accepted]]\ncode = "rapid-into-stock"\nblock = "G0 Z-2."\nreason = "soft foam, a dry run"\n'


def severities(proof: Proof) -> dict[str, Severity]:
    return {f.code: f.severity for f in proof.troubles}


def test_it_counts_no_more_and_says_why(prove_text: Callable[..., Proof]) -> None:
    assert severities(prove_text(INTO))["rapid-into-stock"] == Severity.CRASH
    proof = prove_text(INTO, MEANT)
    found = next(f for f in proof.troubles if f.code == "rapid-into-stock")
    assert found.severity == Severity.NOTE and found.evidence["accepted"] == "soft foam, a dry run"
    assert [f for f in proof.troubles if f.severity >= Severity.FAULT] == [], "nothing else is hidden, nothing else was"


def test_it_moves_with_its_line_and_lapses_with_its_text(prove_text: Callable[..., Proof]) -> None:
    moved = prove_text("(ONE LINE MORE)\n" + INTO.replace("G0 Z-2.", "  G0 Z-2. "), MEANT)
    assert severities(moved)["rapid-into-stock"] == Severity.NOTE
    changed = prove_text(INTO.replace("G0 Z-2.", "G0 Z-2.1"), MEANT)
    assert severities(changed)["rapid-into-stock"] == Severity.CRASH


@pytest.mark.parametrize(
    ("old", "new", "why"),
    [
        ("rapid-into-stock", "rapid-into-stok", "did you mean rapid-into-stock"),
        ('reason = "soft foam, a dry run"', 'reason = " "', "say why"),
        ('block = "G0 Z-2."\n', "", "missing"),
    ],
)
def test_what_is_no_acceptance_is_refused(prove_text: Callable[..., Proof], old: str, new: str, why: str) -> None:
    with pytest.raises(BadEntry, match=why):
        prove_text(INTO, MEANT.replace(old, new))
