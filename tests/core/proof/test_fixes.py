"""A fix offered for a golden program takes its finding away, and brings no graver one."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

from tests.conftest import START
from tests.core.proof.test_golden import FILES, expected, job_text
from underglass.core.finding import worst
from underglass.core.language.block import read_block
from underglass.core.proof.fixes import _FIXES, Fix, fix_for
from underglass.core.proof.proof import Proof

Prove = Callable[..., Proof]
FIXABLE = [p for p in FILES if {code for code, *_rest in expected(p.read_text())} & set(_FIXES)]
NO_FIX = {
    # Two of its kind are on at once, or the text has no place for it: said in words, not offered.
    "cycle-moves-z",
    "condition-unread",
    "goto-into-another-program",
}


@pytest.mark.parametrize("path", FIXABLE, ids=lambda p: p.stem)
def test_a_fix_takes_its_finding_away(path: Path, prove_text: Prove) -> None:
    text = path.read_text()
    proof = prove_text(text, job_text(text))
    offered = 0
    for finding in proof.troubles:
        fix = fix_for(finding, proof.source.lines)
        if fix is None:
            continue
        offered += 1
        again = prove_text("\n".join(fix.apply(proof.source.lines)) + "\n", job_text(text))
        same = [f for f in again.troubles if f.code == finding.code and f.message == finding.message]
        assert len(same) < len(
            [f for f in proof.troubles if f.code == finding.code and f.message == finding.message]
        ), fix
        # With its length in force the tool of that program would go where the machine cannot: found in turn.
        assert worst(again.troubles) <= worst(proof.troubles) or path.stem == "length-offset-missing"
        assert fix.title and fix.before != fix.after
    assert offered or path.stem in NO_FIX


def one(prove: Prove, text: str, code: str) -> tuple[Fix | None, Proof]:
    proof = prove(text)
    return fix_for(next(f for f in proof.findings if f.code == code), proof.source.lines), proof


def test_what_the_texts_become(prove_text: Prove) -> None:
    fix, _ = one(prove_text, START + "G1 G41 D1 X0 Y-20. F300\nX20.\nN70 T2 M6\nG40\nM30\n", "comp-left-on")
    assert fix == Fix(title="Insert G40 before this block", line=7, before=(), after=("N69 G40",))
    fix, _ = one(prove_text, START + "N69 G1 G41 D1 X0 Y-20. F300\nX20.\nN70 T2 M6\nG40\nM30\n", "comp-left-on")
    assert fix is not None and fix.after == ("G40",)  # N69 is taken
    fix, _ = one(prove_text, "G21 G90 G54\nT1 M6\nG0 X-30. Y-30. S900 M3\nZ50.\nM30\n", "length-offset-missing")
    assert fix is not None and fix.after == ("G43 H1 Z50.",) and fix.line == 4
    fix, _ = one(prove_text, START + "G1 G41 X0 Y-20. F300\nX20.\nG40 Y-40.\nM30\n", "comp-register-missing")
    assert fix is not None and fix.after == ("G1 G41 D1 X0 Y-20. F300",)
    fix, _ = one(prove_text, START + "G0 G1 X-30. F9.\nM30\n", "modal-conflict")
    assert fix is not None and fix.title == "Take G1 away" and fix.after == ("G0 X-30. F9.",)
    fix, proof = one(prove_text, START + "X-30.\n%\n", "end-missing")
    assert fix is not None and fix.apply(proof.source.lines)[-2:] == ("M30", "%")
    fix, proof = one(prove_text, "%\nO100 (part)\nT1 M6\nG0 G54 X-30.\nM30\n", "units-not-stated")
    assert fix is not None and fix.apply(proof.source.lines)[2] == "G21 G90"


def test_no_fix_where_there_is_no_plain_answer(prove_text: Prove) -> None:
    proof = prove_text(START + "X50. Y30. Z-2.\nM30\n")
    assert all(fix_for(f, proof.source.lines) is None for f in proof.troubles if f.code == "rapid-into-stock")
    # The text may have changed since the proof.
    assert all(fix_for(f, ()) is None for f in proof.findings)


@pytest.mark.parametrize(
    ("wrong", "right", "title"),
    [
        ("GO X20.", "G0 X20.", "Write G0 for GO"),
        ("G0 X2O.", "G0 X20.", "Write X20. for X2O."),
        ("G0 X20,5 Y1.", "G0 X20.5 Y1.", "Write X20.5 for X20,5"),
        ("G0 X1O5 Y1.", "G0 X105 Y1.", "Write X105 for X1O5"),
    ],
)
def test_a_slip_of_the_finger_is_put_right(prove_text: Prove, wrong: str, right: str, title: str) -> None:
    """The letter O for the figure 0, a comma for a point: the word is not carried out as it stands, and one finding says why."""
    proof = prove_text(START + wrong + "\nM30\n")
    (finding,) = [f for f in proof.troubles if f.code == "syntax"]
    fix = fix_for(finding, proof.source.lines)
    assert fix is not None and (fix.title, fix.after) == (title, (right,))
    assert "X" not in {w.letter for w in read_block(wrong, 1).words} or wrong.startswith("GO")
