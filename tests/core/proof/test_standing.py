"""What is in force at a block, and what may be written there."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from tests.conftest import PLAIN_JOB, START
from underglass.core.proof.complete import advised, begun, cycle_of, suggestions
from underglass.core.proof.proof import Proof
from underglass.core.proof.standing import standing

TEXT = START + "G1 Z2. F300\nG55 X10. Y10.\nG91 X5. G41 D1\nG90 G40\nM30\nO200 (EDGE)\nX1.\nM99\n"


def rows(proof: Proof, line: int) -> dict[str, tuple[str, str]]:
    found = standing(proof, line)
    assert found is not None
    return {r.what: (r.before, r.after) for r in found.rows()}


def test_before_and_after_a_block(prove_text: Callable[..., Proof]) -> None:
    proof = prove_text(TEXT)
    there = rows(proof, 5)
    assert there["Motion"] == ("G0", "G1") and there["Feed"] == ("none, G94", "F300 G94")
    assert there["X"] == ("-20.000", "-20.000") and there["Z"] == ("25.000", "2.000")
    assert there["Length offset"] == ("G43 H1 = 75.000", "G43 H1 = 75.000")
    assert rows(proof, 2)["Tool"] == ("none", "T1")
    assert rows(proof, 7)["Places"] == ("absolute, G90", "incremental, G91")
    assert rows(proof, 7)["Radius compensation"][1].startswith("G41 D1")
    assert standing(proof, 9) is not None and standing(proof, 11) is None
    assert [r.what for r in standing(proof, 6).rows() if r.changed] == ["X", "Y", "Z", "Work offset"]  # type: ignore[union-attr]


@pytest.mark.parametrize(
    ("text", "found"),
    [("G", (0, "G", "")), ("G1 X", (3, "X", "")), ("G43 H1", (4, "H", "1")), ("(G", None), ("; G", None), ("G1 ", None), ("(A) G", (4, "G", ""))],
)  # fmt: skip
def test_the_word_being_written(text: str, found: object) -> None:
    assert begun(text, len(text)) == found


def test_what_may_stand_there(prove_text: Callable[..., Proof]) -> None:
    proof = prove_text(TEXT, PLAIN_JOB.replace("[stock]", '[stock]\nmaterial = "aluminium"'))
    stand = standing(proof, 6)

    def offered(text: str) -> dict[str, str]:
        lines = TEXT.split("\n")
        return {s.text: s.said for s in suggestions(proof.job, text, len(text), stand, lines)}

    assert offered("T") == {"T1": "end mill 10", "T2": "drill 8"}
    assert list(offered("G43 H")) == ["H1", "H2"] and "75.000 mm" in offered("G43 H")["H1"]
    assert offered("G5")["G54"].startswith("Work offset: X-300")
    assert "not set" in offered("G5")["G56"]
    assert offered("G8")["G83"] == "Peck drills, retracting fully after each peck"
    assert offered("M0") == {} and "M30" in offered("M3")
    assert offered("M98 P") == {"P200": "EDGE"}
    assert list(offered("G83 X1. Y1. ")) == ["Z", "R", "Q"]
    assert offered("(T") == {}
    # 900 m/min of the table, halved, on 10 mm: 14324 rpm, held to the machine's 12000; two teeth of 0.1 mm.
    assert list(offered("S")) == ["S12000"] and list(offered("S4000 F")) == ["F800"]
    now = {s.text for s in suggestions(proof.job, "G", 1, stand) if s.now}
    assert {"G1", "G90", "G54", "G21"} <= now


def test_an_inch_job_and_a_feed_by_the_turn_are_advised_in_their_own_units(prove_text: Callable[..., Proof]) -> None:
    job = PLAIN_JOB.replace("[stock]", '[stock]\nmaterial = "aluminium"')
    by_turn = prove_text("G21 G90 G54 G95\nT1 M6\nS4000 M3\nG0 X0 Y0\nM30\n", job)
    inch = prove_text("G20 G90 G54\nT1 M6\nS4000 M3\nG0 X0 Y0\nM30\n", job)

    def offered(proof: Proof, text: str) -> list[tuple[str, str]]:
        return [(s.text, s.said) for s in suggestions(proof.job, text, len(text), standing(proof, 4))]

    # Two teeth of 0.1 mm: 0.2 mm a turn. 12000 rpm on 10 mm is 377 m/min or 1237 ft/min; 4000 * 0.2 / 25.4 is 31.5.
    assert offered(by_turn, "F") == [("F0.2", "0.100 mm a tooth at S4000 for end mill 10")]
    assert offered(inch, "F") == [("F31.5", "0.0039 inch a tooth at S4000 for end mill 10")]
    assert offered(inch, "S") == [("S12000", "1237 ft/min for end mill 10: half of the table's highest")]


def test_a_cycles_letters(prove_text: Callable[..., Proof]) -> None:
    job = prove_text(TEXT).job
    found = cycle_of(job, "G83 Z-20.", None)
    assert found is not None and [letter for _n, letter, _s in found[1].inputs] == ["Z", "R", "Q"]
    assert cycle_of(job, "G1 X1.", None) is None
    assert advised(job.bench.tools[1], None) is None
