"""Variables, jumps, loops, subprograms: what is run, in which order, and what stops it."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import MillControl as Control
from tests.core.control.test_interpret import PROFILES, WORK, codes
from underglass.core.control.flow import Library
from underglass.core.control.run import Run
from underglass.core.control.state import Registers
from underglass.core.files.profiles import read_control, read_machine

CONTROL = read_control(PROFILES / "control" / "word-address-mill.toml")
MACHINE = read_machine(PROFILES / "machine" / "mill-3axis.toml")
BEGIN = "G0 X0 Y0 Z0\nG1 F500\n"


def run(text: str, library: Library = lambda _n: None) -> Run:
    return Control(CONTROL, MACHINE, Registers(work=WORK), library=library).run(text.splitlines(), name="main.nc")


def xs(done: Run) -> list[float]:
    """Work X at the end of each move after the first."""
    m = done.motions
    return [round(m.state_of(k).work(m.at(k, 1.0))[0], 6) for k in range(1, len(m))]


def test_variables_in_words() -> None:
    done = run(BEGIN + "#1=5 #2=[#1*2]\nX#1\nX[#1+#3]\nX-#1\nM30")
    # #2 is set from the value #1 had before the block: all values first, then all settings.
    assert xs(done) == [5.0, -5.0] and not done.findings


def test_settings_take_hold_after_the_block() -> None:
    """NISTIR 6556 section 3.3.2.1, from memory: #3=6 and X#3 in one block moves to the old #3."""
    assert xs(run(BEGIN + "#3=15\n#3=6 X#3\nX#3\nM30")) == [15.0, 6.0]


def test_goto_and_if() -> None:
    text = BEGIN + "#1=1\nN10 X[#1*10]\n#1=[#1+1]\nIF [#1 LE 3] GOTO 10\nGOTO 99\nX500.\nN99 X0\nM30"
    assert xs(run(text)) == [10.0, 20.0, 30.0, 0.0]


def test_if_then() -> None:
    assert xs(run(BEGIN + "#1=4\nIF [#1 EQ 4] THEN #2=7\nIF [#1 EQ 5] THEN #2=8\nX#2\nM30")) == [7.0]


def test_while_loops_nest() -> None:
    text = (
        BEGIN
        + "#1=0\nWHILE [#1 LT 2] DO 1\n#2=0\nWHILE [#2 LT 2] DO 2\nX[#1*10+#2+1]\n#2=[#2+1]\nEND 2\n#1=[#1+1]\nEND 1\nX0\nM30"
    )
    assert xs(run(text)) == [1.0, 2.0, 11.0, 12.0, 0.0]


def test_a_while_that_never_holds_is_passed_over() -> None:
    assert xs(run(BEGIN + "WHILE [0] DO 1\nX5.\nEND 1\nX7.\nM30")) == [7.0]


def test_subprograms_repeat_and_return() -> None:
    text = BEGIN + "G91\nM98 P200 L3\nG90 X0\nM30\nO200\nX1.\nX2.\nM99\n"
    assert xs(run(text)) == [1.0, 3.0, 4.0, 6.0, 7.0, 9.0, 0.0]


def test_lines_are_those_of_the_file() -> None:
    done = run(BEGIN + "M98 P200\nM30\nO200\nX5.\nM99\n")
    assert done.motions.line.tolist() == [1, 6] and done.ended


def test_a_subprogram_beside_the_program() -> None:
    done = run(BEGIN + "M98 P7\nX9.\nM30", lambda n: ("O7.nc", ("X4.", "G99.7", "M99")) if n == 7 else None)
    assert xs(done) == [4.0, 9.0]
    # What happens in another file stands at the block that calls it, and says where it is.
    assert done.motions.line.tolist() == [1, 3, 4]
    assert [(f.code, f.line) for f in done.findings] == [("word-unknown", 3)]
    assert "O7.nc, line 2" in done.findings[0].message


def test_g65_gives_arguments_and_own_variables() -> None:
    text = BEGIN + "#1=50\nG65 P300 A3. X8.\nX#1\nM30\nO300\nX[#1+#24]\n#1=99\nM99\n"
    assert xs(run(text)) == [11.0, 50.0]


def test_m98_shares_the_callers_variables() -> None:
    assert xs(run(BEGIN + "#1=5\nM98 P300\nX#1\nM30\nO300\n#1=[#1+1]\nM99\n")) == [6.0]


def test_m99_in_the_main_program_ends_it() -> None:
    done = run(BEGIN + "X1.\nM99\nX2.")
    assert xs(done) == [1.0] and done.ended


def test_m99_p_comes_back_to_a_block() -> None:
    assert xs(run(BEGIN + "M98 P300\nX1.\nN50 X2.\nM30\nO300\nX9.\nM99 P50\n")) == [9.0, 2.0]


@pytest.mark.parametrize(
    ("text", "code", "line", "says"),
    [
        ("N1 GOTO 1\nM30", "loop-runaway", 3, "100000 times"),
        ("WHILE [1] DO 1\nEND 1\nM30", "loop-runaway", 4, "100000 times"),
        ("M98 P5\nM30\nO5\nM98 P5\nM99", "loop-runaway", 6, "10 deep"),
        ("M98 P8\nM30", "subprogram-missing", 3, "subprogram 8"),
        ("G65 P8 A1.\nM30", "subprogram-missing", 3, "subprogram 8"),
        ("GOTO 77\nM30", "syntax", 3, "N77"),
        ("WHILE [0] DO 1\nM30", "syntax", 3, "no END 1"),
        ("END 3\nM30", "syntax", 3, "no WHILE"),
        ("X[1/0]\nM30", "syntax", 3, "divides by zero"),
        ("M98\nM30", "syntax", 3, "needs P"),
        ("IF [1]\nM30", "syntax", 3, "GOTO or THEN"),
    ],
)
def test_what_goes_wrong(text: str, code: str, line: int, says: str) -> None:
    done = run(BEGIN + text)
    assert [(f.code, f.line) for f in done.findings] == [(code, line)]
    assert says in done.findings[0].message and done.ended


def test_the_same_slip_in_a_loop_is_one_finding() -> None:
    done = run(BEGIN + "#1=0\nWHILE [#1 LT 50] DO 1\nG99.8\n#1=[#1+1]\nEND 1\nM30")
    assert codes(done) == ["word-unknown"]


PIECES = st.sampled_from(
    ["#1=1", "#1=[#1+1]", "N1", "N2 X#1", "GOTO 1", "GOTO 2", "IF [#1 LT 5] GOTO 1", "IF [#2 EQ 0] THEN #2=1", "WHILE [#1 LT 9] DO 1",
     "END 1", "DO 1", "M98 P1", "M98 P2 L3", "O1", "O2", "M99", "M99 P2", "G65 P1 A#1", "X[", "#", "X[#1*", "M30", "G1 X1. F9."]
)  # fmt: skip


@settings(max_examples=60, deadline=None)
@given(st.lists(PIECES, max_size=14))
def test_no_program_runs_for_ever_and_no_error_escapes(pieces: list[str]) -> None:
    from dataclasses import replace

    from underglass.core.control.flow import Limits

    short = replace(CONTROL, limits=Limits(jumps=200, nesting=5))
    done = Control(short, MACHINE, Registers(work=WORK)).run(pieces)
    assert len(done.findings) < 200
