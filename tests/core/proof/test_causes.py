"""One cause, one finding: what follows is folded under it; and what goes back into a program does not make it worse."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from tests.conftest import PLAIN_JOB, SAFE, START
from underglass.core.files.report import finding_as_dict, proof_as_text
from underglass.core.finding import Finding
from underglass.core.language import writing
from underglass.core.proof.fixes import fix_for, register_fix_for
from underglass.core.proof.proof import Proof

Prove = Callable[..., Proof]
AT = SAFE + "T1 M6\nG0 G54 X10. Y10. S3000 M3\n"
PASSES = "".join(f"G0 X{x}. Y30.\nG0 Z2.\nG1 Z-1. F300\nX{x + 5}.\nG0 Z5.\n" for x in range(30, 90, 10))
END = "G0 Z25.\nM30\n"


def roots(proof: Proof) -> list[str]:
    return [f.code for f in proof.to_mend if f.severity.word in ("crash", "fault")]


@pytest.mark.parametrize(
    ("text", "job", "root"),
    [
        (AT + "G43 H1 Z25.\n" + PASSES + END, "[registers.length]\nH1 = 70.0", "length-register-wrong"),
        (AT + "Z25.\n" + PASSES + END, "", "length-offset-missing"),
        (AT + "G43 H1 Z25.\n" + PASSES + END, "[registers.work]\nG54 = { x = -300.0, y = -150.0, z = -206.0 }", "work-offset-wrong"),
        (AT + "G43 H1 Z25.\n" + PASSES + END, "[start]\nshift = { z = -6.0 }", "shift-left-over"),
        (AT + "G43 H1 Z25.\nM5\n" + PASSES + END, "", "stopped-tool-into-stock"),
        (AT + "G43 H1 Z25.\n" + PASSES.replace("G0 Z5.", "G0 Z-1.") + END, "", "rapid-into-stock"),
        (AT + "G43 H1 Z25.\n" + "G0 X50. Y30.\nM98 P7 L4\n" + END + "O7\nG0 Z-1.\nG91 X3.\nG90 Z3.\nM99\n", "", "rapid-into-stock"),
    ],
)  # fmt: skip
def test_one_wrong_figure_is_one_finding(prove_text: Prove, text: str, job: str, root: str) -> None:
    proof = prove_text(text, PLAIN_JOB + "\n" + job + "\n")
    assert roots(proof) == [root]
    (cause,) = [f for f in proof.to_mend if f.code == root]
    after = proof.following(cause)
    assert len(after) >= 2 and all(f.because is not None for f in after)
    assert finding_as_dict(after[0])["because"] == {"code": root, "line": cause.line}
    assert "what follows from it" in proof_as_text(proof)
    assert proof.outcome == "crash"


def test_a_forgotten_g40_is_told_as_that(prove_text: Prove) -> None:
    text = (
        START
        + "G0 X50. Y-20.\nZ2.\nG1 Z-2. F300\nG41 D1 X50. Y-10.\nY10. X50.\nX80.\nG0 Z20.\nX20. Y-20.\nZ2.\nG1 Z-2.\nX20. Y-8.\nX2.\nG0 Z50.\nT2 M6\nM30\n"
    )
    assert roots(prove_text(text)) == ["comp-left-on"]


def test_two_causes_stay_two(prove_text: Prove) -> None:
    text = AT + "G43 H1 Z25.\nG0 Z-1.\nG0 Z25.\nG0 X10. Y30.\nX-15.\nZ3.\nG0 Z25.\n" + END
    assert roots(prove_text(text)) == ["rapid-into-stock", "tool-into-fixture"]


def fixes(proof: Proof) -> dict[str, tuple[str, ...] | None]:
    out: dict[str, tuple[str, ...] | None] = {}
    for f in proof.troubles:
        fix = fix_for(f, proof.source.lines)
        out[f.code] = fix.after if fix is not None else None
    return out


INCH = PLAIN_JOB.replace("program =", 'units = "inch"\nprogram =')
for mm in (
    "-300.0",
    "-150.0",
    "-200.0",
    "100.0, 60.0, 20.0",
    "0.0, 0.0, -20.0",
    "20.0, 20.0, 15.0",
    "-25.0, 20.0, -5.0",
):
    INCH = INCH.replace(mm, ", ".join(f"{float(v) / 25.4:.4f}" for v in mm.split(", ")), 1)
for key, mm in (("DC", "10.0"), ("APMX", "22.0"), ("length", "75.0"), ("stickout", "40.0"), ("DC", "8.0"), ("APMX", "60.0"), ("length", "110.0"), ("stickout", "70.0"), ("cell", "0.25")):  # fmt: skip
    INCH = INCH.replace(f"{key} = {mm}", f"{key} = {float(mm) / 25.4:.4f}", 1)
INCH = INCH.replace("diameter = 40.0, length = 30.0", "diameter = 1.5748, length = 1.1811")
INCH_HEAD = "G20 G17 G40 G49 G80 G90 G94\nT1 M6\nG0 G54 X-1. Y-1. S3000 M3\nG43 H1 Z1.\n"


def test_what_goes_back_is_in_the_programs_own_units_and_mode(prove_text: Prove) -> None:
    """3/8-16 UNC at 300 rpm: 300 / 16 = 18.75 inch a minute, 0.0625 inch a turn (any machinist's handbook)."""
    assert fixes(prove_text(INCH_HEAD + "G1 X-1.5 F500.\nM30\n", INCH))["over-feed"] == ("G1 X-1.5 F393.7",)
    by_turn = fixes(prove_text(INCH_HEAD + "G95 G1 X-1.5 F1.\nM30\n", INCH))["over-feed"]
    assert by_turn == ("G95 G1 X-1.5 F0.13123",)
    tap = INCH + '\n[[tool]]\nnumber = 3\nkind = "tap"\nDC = 0.375\nTP = 0.0625\nlength = 3.0\n'
    head = INCH_HEAD.replace("T1", "T3").replace("H1", "H3").replace("S3000", "S300")
    assert fixes(prove_text(head + "G84 X1. Y1. Z-.2 R.1 F30.\nG80\nM30\n", tap))["tap-feed"] == (
        "G84 X1. Y1. Z-.2 R.1 F18.75",
    )
    turn = fixes(prove_text(head + "G95\nG84 X1. Y1. Z-.2 R.1 F.05\nG80\nM30\n", tap))
    assert turn["tap-feed"] == ("G84 X1. Y1. Z-.2 R.1 F0.0625",)


@pytest.mark.parametrize("text", ["G1 X-1.5 F500.\n", "G41 D1 G1 X-1.1 F10.\nY2.\nG40 X-3.\n", "G0 Z-.2\nX3. Y1.\n", "G1 X4.5 F20. Z-1.5\n"])  # fmt: skip
def test_sentences_of_an_inch_job_hold_no_millimetres(prove_text: Prove, text: str) -> None:
    proof = prove_text(INCH_HEAD + text + "M30\n", INCH)
    assert proof.troubles
    for f in proof.findings:
        assert " mm" not in f.message + f.remedy and "m/min" not in f.message, f.message


def test_an_inherited_unit_is_written_down_as_it_is(prove_text: Prove) -> None:
    text = "T1 M6\nG0 X-1. Y-1. S3000 M3\nG43 H1 Z1.\nM30\n"
    assert fixes(prove_text(text, INCH + '\n[start]\nunits = "inch"\n'))["units-not-stated"] == ("G20 G90 G54",)
    assert fixes(prove_text(text.replace("-1.", "-20.")))["units-not-stated"] == ("G21 G90 G54",)


def test_a_change_is_written_in_the_programs_hand(prove_text: Prove) -> None:
    close = "g21g17g40g49g80g90g94\nt1m6\ng0g54x-20y-20s3000m3\nz25\nm30\n"
    assert fixes(prove_text(close))["length-offset-missing"] == ("g43h1z25",)
    assert writing.in_the_hand_of("G43 H1", ["G0 X1.", "M30"]) == "G43 H1"


def test_t_and_h_that_differ_are_both_named_and_the_odd_one_is_changed(prove_text: Prove) -> None:
    wrong_t = SAFE + "(T2 DRILL 8)\nT1 M6\nG0 G54 X20. Y20. S1000 M3\nG43 H2 Z25.\nM30\n"
    proof = prove_text(wrong_t)
    assert fixes(proof)["length-offset-other"] == ("T2 M6",)
    wrong = next(f for f in proof.findings if f.code == "length-register-wrong")
    assert register_fix_for(wrong, proof.job) is None and "not the figure" in wrong.remedy
    wrong_h = wrong_t.replace("(T2 DRILL 8)", "(T1 END MILL 10)")
    assert fixes(prove_text(wrong_h))["length-offset-other"] == ("G43 H1 Z25.",)
    nobody_knows: Finding = next(
        f for f in prove_text(wrong_t.replace("(T2 DRILL 8)\n", "")).findings if f.code == "length-offset-other"
    )
    assert "T1" in nobody_knows.remedy and "H2" in nobody_knows.remedy


def test_an_accepted_finding_no_longer_counts_and_says_why(prove_text: Prove) -> None:
    job = (
        PLAIN_JOB
        + '\n[[accepted]]\ncode = "length-register-wrong"\nblock = "G43 H1 Z25."\nreason = "a worn setter"\n[registers.length]\nH1 = 75.5\n'
    )
    proof = prove_text(AT + "G43 H1 Z25.\nM30\n", job)
    assert proof.to_mend == () and proof.outcome == "clean"
    text = proof_as_text(proof)
    assert "accepted: a worn setter" in text and "1 accepted" in text


def test_a_tip_below_the_stock_is_no_deeper_in_it(prove_text: Prove) -> None:
    deep = prove_text(SAFE + "T2 M6\nG0 G54 X20. Y20. S1000 M3\nZ25.\nG1 Z-100. F100\nG0 Z150.\nM30\n")
    for f in deep.findings:
        if f.code == "too-deep":
            assert float(f.evidence["depth_mm"] or 0.0) <= 20.0
