"""What one shipped control takes and another does not: each profile has programs that are clean under it alone."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

from tests.conftest import PLAIN_JOB, SAFE, codes
from underglass.core.compose.shop import program_number
from underglass.core.errors import UnderGlassError
from underglass.core.files.own_profile import add_machine_word
from underglass.core.files.profiles import read_control
from underglass.core.proof.fixes import word_fix_for
from underglass.core.proof.proof import Proof

Prove = Callable[..., Proof]
HEAD = SAFE + "T1 M6\nG0 G54 X-20. Y-20. S3000 M3\nG43 H1 Z25. M8\n"
END = "G0 Z50. M9\nM5\nM30\n"

APART = [
    # (program, clean under, under another, which finds)
    (HEAD + "G2 X-20. Y-20. I2. J0 F300\n" + END, "word-address-mill", "strict-mill", "arc-past-quadrant"),
    (HEAD + "G1 X-18 F300\nY-15.\n" + END, "word-address-mill", "strict-mill", "number-no-decimal"),
    (SAFE + "T1 M6\nG0 G54 X-20. Y-20. S3000 M3\nZ25. M8\n" + END, "small-mill", "word-address-mill", "length-offset-missing"),
    (HEAD.replace("G43 H1 Z25. M8", "Z25. M8") + "G1 Z5. F300\nG41 X-10. Y-10.\nX20.\nG40 Y-30.\n" + END, "small-mill", "word-address-mill", "comp-register-missing"),
    (HEAD.replace("G43 H1 Z25.", "Z25.") + "G81 X-20. Y-20. Z5. R20. F200\nG80\nX-25.\n" + END, "small-mill", "word-address-mill", "syntax"),
    (HEAD.replace(" M8", "") + "M98 P20007\n" + END.replace(" M9", "") + "O7\nG91 X1.\nG90\nM99\n", "older-inch-mill", "word-address-mill", "subprogram-missing"),
    (HEAD.replace("G21", "G71").replace(" M8", "") + END.replace(" M9", ""), "older-inch-mill", "word-address-mill", "word-unknown"),
    (HEAD + "G9 G1 X-18. F300\n" + END, "word-address-mill", "strict-mill", "word-unknown"),
]  # fmt: skip


def under(control: str) -> str:
    return PLAIN_JOB.replace('program = "plain.nc"', f'control = "{control}"\nprogram = "plain.nc"')


@pytest.mark.parametrize(("text", "clean", "other", "code"), APART, ids=[f"{c}-{o}-{f}" for _t, c, o, f in APART])
def test_clean_under_one_and_named_under_another(
    prove_text: Prove, text: str, clean: str, other: str, code: str
) -> None:
    found = prove_text(text, under(clean))
    assert [c for c in codes(found) if c != "cuts-air"] == [], [f.message for f in found.troubles]
    assert code in codes(prove_text(text, under(other)))


def test_a_word_of_the_machines_own_is_made_known_in_a_copy(prove_text: Prove, tmp_path: Path) -> None:
    proof = prove_text(HEAD + "M31\nG5.1 Q1\n" + END)
    fixes = [word_fix_for(f, proof.source.lines) for f in proof.troubles if f.code == "word-unknown"]
    assert [f.word for f in fixes if f is not None] == ["M31", "G5.1"]
    name = add_machine_word("word-address-mill", tmp_path, "M31")
    assert add_machine_word(name, tmp_path, "G5.1") == name == "own-word-address-mill.toml"
    own = read_control(tmp_path / name)
    assert 31 in own.no_effect and 51 in own.no_effect_g
    text = prove_text(HEAD + "M31\nG5.1 Q1\n" + END, under(name))
    assert "word-unknown" not in codes(text) and "word-unused" not in codes(text)
    with pytest.raises(UnderGlassError):
        add_machine_word("word-address-mill", tmp_path / "none", "M31")


@pytest.mark.parametrize(
    ("lines", "name", "number"),
    [(["%", "O0012 (LID)"], "a.nc", 12), ([], "label7.nc", 7), ([], "a.nc", 1), (["G21"], "part-204.tap", 204)],
)
def test_a_programs_number_is_its_own_or_its_files(lines: list[str], name: str, number: int) -> None:
    assert program_number(lines, name) == number
