"""Starting in the middle: what a fresh control lacks, and that sending it first leads to the same moves."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import PLAIN_JOB
from tests.core.proof.test_golden import FILES, job_text
from underglass.core.data import data_folder
from underglass.core.files.demo import demo_names
from underglass.core.files.load import load
from underglass.core.language.source import read_text
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import control_for, prove
from underglass.core.proof.restart import restart

Prove = Callable[..., Proof]
DEEP = bool(os.environ.get("UNDERGLASS_DEEP"))
"""All golden programs, not every second: `make deep`."""

HEAD = "G21 G17 G40 G49 G80 G90 G94\nT1 M6\nG0 G54 X-20. Y-20. S3000 M3\nG43 H1 Z25. M8\n"


def rest_of(proof: Proof, line: int) -> np.ndarray:
    """Where the run's moves from a line on end, machine coordinates, the line's own first."""
    return proof.motions.end[proof.motions.line >= line]


def after_sending(proof: Proof, line: int) -> tuple[np.ndarray, list[object]]:
    """The same from a control that is fresh but for the blocks to be sent first; and the states."""
    found = restart(proof, line)
    first = list(found.blocks)
    text = [*first, *proof.source.lines[line - 1 :]]
    run = control_for(proof.job).run(text)
    mine = run.motions.line > len(first)
    return run.motions.end[mine], [run.motions.in_force[k] for k in run.motions.state[mine]]


@pytest.fixture(scope="module")
def bracket() -> Proof:
    assert "vent-bracket" in demo_names()
    return prove(*load(data_folder() / "demo" / "vent-bracket.job.toml")[:2])


def test_sent_first_the_rest_runs_as_it_did(bracket: Proof) -> None:
    lines = [int(k) for k in np.unique(bracket.motions.line)][::4]
    for line in lines:
        found = restart(bracket, line)
        if found.instead is not None:
            continue
        ends, states = after_sending(bracket, line)
        np.testing.assert_allclose(ends, rest_of(bracket, line), atol=1e-6, err_msg=f"line {line}")
        was = [bracket.motions.in_force[k] for k in bracket.motions.state[bracket.motions.line >= line]]
        assert states == was, line


def test_what_a_bare_start_would_leave_out(prove_text: Prove) -> None:
    proof = prove_text(HEAD + "G1 Z5. F300\nX10. Y10.\nG91\nX5.\nM30\n")
    found = restart(proof, 8)
    said = [need.what for need in found.missing]
    assert said == [
        "G91", "tool 1 in the spindle", "spindle on, S3000 M3", "coolant", "length offset H1", "feed F300", "G1 in force",
        "the tool at X10. Y10. Z5.",
    ]  # fmt: skip
    assert found.place == pytest.approx((10.0, 10.0, 5.0)) and found.feed == 300.0
    note = found.finding()
    assert note is not None and note.code == "restart-unsafe" and note.severity.word == "note" and note.line == 8
    assert "T1 M6" in note.remedy and "G43 H1" in note.remedy


def test_the_top_of_the_program_leaves_nothing_out(prove_text: Prove) -> None:
    found = restart(prove_text(HEAD + "M30\n"), 1)
    assert found.reached and found.finding() is None and not found.missing


def test_what_the_program_states_itself_is_not_missing(prove_text: Prove) -> None:
    proof = prove_text(HEAD + "G1 Z5. F300\nT2 M6\nG90 G0 G54 X0 Y0 S1000 M3\nG43 H2 Z20.\nG0 Z50.\nM30\n")
    found = restart(proof, 6)
    assert {need.group for need in found.needs if need.given} >= {"tool", "spindle", "motion"}
    assert [need.group for need in found.missing] == ["coolant", "length compensation", "feed", "place"]


def test_shifts_rotation_and_variables_are_sent_too(prove_text: Prove) -> None:
    text = HEAD + "#1=12.5\nG52 X5. Y0 Z0\nG68 X10. Y10. R30.\nG1 X20. Y20. Z5. F200\nX#1\nM30\n"
    proof = prove_text(text)
    found = restart(proof, 9)
    assert "#1=12.5" in found.blocks and "G52 X5. Y0. Z0." in found.blocks
    ends, _states = after_sending(proof, 9)
    np.testing.assert_allclose(ends, rest_of(proof, 9), atol=1e-3)


def test_a_line_the_program_never_comes_to(prove_text: Prove) -> None:
    proof = prove_text("G21\nGOTO 10\nG0 X5.\nN10 M30\n")
    assert not restart(proof, 3).reached and restart(proof, 3).finding() is None


def test_inside_a_contour_the_way_in_is_named(prove_text: Prove) -> None:
    proof = prove_text(HEAD + "G1 G41 D1 X20. Y-10. F300\nX40.\nX60.\nG40 Y-40.\nM30\n")
    found = restart(proof, 7)
    assert found.instead == 5 and "compensation" in found.why


def test_inside_a_loop_or_a_subprogram(prove_text: Prove) -> None:
    loop = prove_text(HEAD + "#1=0\nWHILE [#1 LT 3] DO 1\n#1=#1+1\nG0 X[#1]\nEND 1\nM30\n")
    assert restart(loop, 8).instead == 6
    called = prove_text(HEAD + "M98 P100\nM30\nO100\nG0 X9.\nM99\n")
    assert restart(called, 8).instead == 5


def test_the_way_down_to_a_place_inside_the_stock_is_a_feed(prove_text: Prove) -> None:
    proof = prove_text(HEAD + "X50. Y30.\nG1 Z-3. F200\nX60.\nG0 Z50.\nM30\n")
    blocks = restart(proof, 7).blocks
    assert blocks[-4:] == ("G0 G43 H1 Z2.", "G1 Z-3. F200", "M8", "G1")


def test_inch_programs_are_told_in_inch(prove_text: Prove) -> None:
    job = PLAIN_JOB
    proof = prove_text(
        "G20 G17 G40 G49 G80 G90 G94\nT1 M6\nG0 G54 X-1. Y-1. S3000 M3\nG43 H1 Z1.\nG1 X1.5 F10.\nX2.\nM30\n", job
    )
    found = restart(proof, 6)
    assert "F10" in [need.words for need in found.missing] and "X1.5 Y-1. Z1." in [need.words for need in found.missing]
    assert found.blocks[0].startswith("G20")


def test_long_programs_are_not_run_again_from_the_top() -> None:
    """The state before a late line comes from the last checkpoint before it."""
    lines = ["G21 G90 G0 X0 Y0 Z0", "F100"] + [f"G1 X{k % 50}." for k in range(4000)] + ["M30"]
    job, _source, _file = load(data_folder() / "demo" / "vent-bracket.job.toml")
    run = control_for(job).run(lines)
    control = control_for(job)
    done = []
    real = control.do
    control.do = lambda block: (done.append(1), real(block))[1]  # type: ignore[method-assign]
    assert control.stand_before(lines, 3990, "x.nc", run)
    assert 0 < len(done) <= 300
    fresh = control_for(job)
    assert fresh.stand_before(lines, 3990) and fresh.at == control.at and fresh.modal.freeze() == control.modal.freeze()
    assert read_text("M30").lines == ("M30",)


@pytest.mark.parametrize("path", FILES[::2] if not DEEP else FILES, ids=lambda p: p.stem)
def test_what_is_sent_leads_to_the_same_state_for_any_line_of_any_program(path: Path, prove_text: Prove) -> None:
    """Or an earlier line is named, from which it does. Judged by the moves of the rest, and by the states they are made under."""
    text = path.read_text()
    proof = prove_text(text, job_text(text))
    straight = proof.run.memory is not None and proof.run.memory.jumps == 0
    for line in (k for k in range(1, len(proof.source.lines) + 1) if proof.run.ran(k)):
        found = restart(proof, line)
        if found.why:
            assert not found.blocks and found.instead is not None and found.instead < line
            assert not restart(proof, found.instead).why
        elif straight:
            ends, states = after_sending(proof, line)
            np.testing.assert_allclose(ends, rest_of(proof, line), atol=0.006, err_msg=f"line {line}: {found.blocks}")
            was = [proof.motions.in_force[k] for k in proof.motions.state[proof.motions.line >= line]]
            for one, two in zip(states, was):
                assert one.words == two.words and (one.tool, one.spindle, one.coolant) == (
                    two.tool,
                    two.spindle,
                    two.coolant,
                )


@pytest.mark.parametrize(
    "body",
    [
        "G44 H1 Z200.\nX5.\nX9.",
        "G95 F0.1\nG1 X5.\nG1 X9.",
        "G1 X5. F333.3\nG93 X6. F2.\nX9. F3.",
        "G90.1 G1 X5. F100\nX9.",
        "T2\nX5.\nX9.",
        "#1=0.123456789\nX5.\nX#1",
        "G92 X0 Y0\nX5.\nX9.",
        "G10 L10 P1 R80.\nG10 L11 P1 R0.1\nG10 L2 P2 X-1. Y-2. Z-3.\nX5.\nX9.",
        "G51 X1. Y1. Z1. I2. J3. K1.\nX5.\nX9.",
        "M49 G61\nX5.\nX9.",
        "D2 G1 F100 X5.\nX9.",
    ],
)
def test_what_is_seldom_in_force_is_sent_too(body: str, prove_text: Prove) -> None:
    proof = prove_text(HEAD + body + "\nM30\n")
    line = len(HEAD.splitlines()) + len(body.splitlines())
    found = restart(proof, line)
    assert found.blocks and not found.why
    ends, states = after_sending(proof, line)
    np.testing.assert_allclose(ends, rest_of(proof, line), atol=1e-3)
    was = [proof.motions.in_force[k] for k in proof.motions.state[proof.motions.line >= line]]
    assert [(s.words, s.overrides, s.exact) for s in states] == [(s.words, s.overrides, s.exact) for s in was]


def test_inside_a_cycle_its_first_block_is_named(prove_text: Prove) -> None:
    proof = prove_text(HEAD + "G81 X5. Y5. Z-2. R2. F100\nX9.\nX12.\nG80\nM30\n")
    found = restart(proof, 7)
    assert found.instead == 5 and not found.blocks and "cycle" in found.why
