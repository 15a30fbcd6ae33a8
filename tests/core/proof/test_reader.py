"""The block reader: sides and ways of a contour, and why a block that moves nothing moves nothing."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from tests.conftest import PLAIN_JOB, START
from underglass.core.proof.proof import Proof
from underglass.core.proof.reader import read_out

Prove = Callable[..., Proof]


def said(proof: Proof, line: int) -> str:
    return " ".join(read_out(proof, proof.source.lines[line - 1], line).sentences)


@pytest.mark.parametrize(
    ("text", "line", "words"),
    [
        ("X-20. Y-20.", 5, "the tool is already there"),
        ("G41 D1", 5, "compensation takes effect with the next move in the plane"),
        ("G40", 5, "the tool stays beside the path"),
        ("G10 L2 P2 X5.", 5, "the numbers in this block set values"),
        ("G92 X0 Y0", 5, "the numbers in this block set values"),
        ("GOTO 9\nX5.\nN9 M0", 6, "never comes to this block"),
        ("#1=1\nIF [#1 GT 2] THEN X5.", 6, "the condition does not hold"),
        ("G80 X5.", 5, "no G0, G1, G2 or G3 is in force"),
        ("G28", 5, "names no axis"),
        ("M48", 5, "overrides act again"),
        ("M49", 5, "locked out"),
        ("G33 X5. K1.", 5, "Cuts a thread"),
    ],
)
def test_why_nothing_moves(prove_text: Prove, text: str, line: int, words: str) -> None:
    assert words.lower() in said(prove_text(START + text + "\nM30\n"), line).lower()


def test_a_block_left_out_by_its_slash(prove_text: Prove) -> None:
    job = PLAIN_JOB + "\n[switches]\nblock_skip = true\n"
    assert "block skip is on" in said(prove_text(START + "/X5.\nM30\n", job), 5)


@pytest.mark.parametrize(
    ("word", "turn", "where", "way"),
    [
        ("G41", "M3", "outside", "climb"),
        ("G41", "M4", "outside", "conventional"),
        ("G42", "M3", "inside", "conventional"),
    ],
)
def test_which_side_of_the_contour(prove_text: Prove, word: str, turn: str, where: str, way: str) -> None:
    """Clockwise round the square: left of the way is outside; left with the spindle clockwise climbs."""
    begin = "X50. Y-20. Z20." if where == "outside" else "X50. Y30. Z20."
    text = (
        START.replace("M3", turn)
        + f"{begin}\n{word} D1 G1 X50. Y8. F400\nX8.\nY52.\nX92.\nY8.\nX50.\nG40 Y-20.\nG0 Z50.\nM30\n"
    )
    reading = said(prove_text(text), 6)
    assert f"{where} of the contour" in reading and f"{way} milling" in reading


def test_words_of_the_machine_are_read_out(prove_text: Prove, tmp_path) -> None:  # type: ignore[no-untyped-def]
    from tests.core.control.test_habits import TEXT

    (tmp_path / "mine.toml").write_text(TEXT.replace("# M10 =", "M10 ="))
    job = PLAIN_JOB.replace("format = 1", 'format = 1\ncontrol = "mine.toml"')
    assert "Clamps the rotary table" in said(prove_text("M10\nM30\n", job), 1)


def test_cycles_by_what_they_do(prove_text: Prove) -> None:
    proof = prove_text(START + "G87 X5. Y5. R2. Z-20. I-3. J0 K-15. F100\nG80\nM30\n")
    assert "bores upwards from below" in said(proof, 5)
