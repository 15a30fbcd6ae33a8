"""The whole road: text to proof."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.conftest import PLAIN_JOB, START, codes
from underglass.core.finding import CODES, Severity, outcome
from underglass.core.language.source import read_bytes
from underglass.core.proof.job import Job
from underglass.core.proof.measure import heights, moves_done_after
from underglass.core.proof.now import now_at
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import prove
from underglass.core.proof.reader import read_out

SLOT = START + "X50. Y-8.\nZ2.\nG1 Z-4. F300\nY68.\nG0 Z50.\nM5\nM30\n"


def test_a_clean_program_is_clean(prove_text: Callable[..., Proof]) -> None:
    proof = prove_text(SLOT)
    assert proof.troubles == () and proof.outcome == "clean"
    assert proof.stocks[0].uncut.volume() == pytest.approx(120000.0)
    assert proof.tool_uses()[0].removed_mm3 == pytest.approx(10 * 60 * 4)


def test_the_same_job_gives_the_same_proof(prove_text: Callable[..., Proof]) -> None:
    one, two = prove_text(SLOT + "G"), prove_text(SLOT + "G")
    assert one.troubles == two.troubles
    assert one.timing.total == two.timing.total
    assert (one.stocks[0].final.h == two.stocks[0].final.h).all()


def test_the_real_tip_follows_from_offset_register_and_length(prove_text: Callable[..., Proof]) -> None:
    """tip = commanded Z + work offset Z + H - real length, all against the true zero."""
    proof = prove_text(SLOT, PLAIN_JOB + "[registers.length]\nH1 = 76.5\n")
    commanded, real = proof.tip_heights(proof.timing.end_of(4))
    assert commanded == pytest.approx(-4.0)
    assert real == pytest.approx(-2.5)
    assert heights(proof, [(50.0, 30.0)]) == [pytest.approx(-2.5)]


def test_a_wrong_work_offset_shifts_the_cut(prove_text: Callable[..., Proof]) -> None:
    job = PLAIN_JOB + "[registers.work]\nG54 = { x = -303.0, y = -150.0, z = -200.0 }\n"
    proof = prove_text(SLOT, job)
    assert codes(proof) == ["work-offset-wrong"]
    assert heights(proof, [(43.0, 30.0), (54.0, 30.0)]) == [pytest.approx(-4.0), 0.0]


def test_a_turned_part_is_cut_along_the_machine(prove_text: Callable[..., Proof]) -> None:
    """The true zero is turned by 90 degrees, the control knows nothing of it: the slot runs across the part."""
    job = PLAIN_JOB.replace("z = -200.0 }", "z = -200.0, turned = 90.0 }")
    proof = prove_text(START + "X-30. Y50.\nZ2.\nG1 Z-4. F300\nX-10.\nG0 Z50.\nM5\nM30\n", job)
    # Machine (-30, 50) seen from the part turned by 90 degrees: x = 50, y = 30.
    assert heights(proof, [(50.0, 30.0), (50.0, 10.0), (50.0, 40.0)]) == [pytest.approx(-4.0), pytest.approx(-4.0), 0.0]


def test_measuring_after_a_line(prove_text: Callable[..., Proof]) -> None:
    proof = prove_text(SLOT)
    assert heights(proof, [(50.0, 30.0)], after_line=7) == [0.0]
    assert heights(proof, [(50.0, 30.0)], after_line=10) == [pytest.approx(-4.0)]
    off = heights(proof, [(101.0, 30.0), (100.0, 60.0)])
    assert off[0] != off[0] and off[1] == 0.0
    assert moves_done_after(proof, 1) == 0
    assert moves_done_after(proof, 99) == len(proof.motions)


def test_lines_and_moments(prove_text: Callable[..., Proof]) -> None:
    proof = prove_text(SLOT)
    first, last = proof.moves_of_line(9) or (0, 0)
    assert first == last and proof.motions.line[first] == 9
    assert proof.moves_of_line(2) is None
    assert proof.moment_of_line(2) == pytest.approx(4.0)
    assert proof.segments[0].tool == 1


def test_what_holds_at_a_moment(prove_text: Callable[..., Proof]) -> None:
    proof = prove_text(SLOT, PLAIN_JOB.replace("APMX = 22.0", "APMX = 22.0\nNOF = 2", 1))
    now = now_at(proof, proof.timing.end_of((proof.moves_of_line(8) or (0, 0))[0]) - 1.0)
    assert now is not None
    assert now.line == 8 and now.work[2] == pytest.approx(-4.0)
    assert now.to_go[1] > 0 and now.feed == 300.0
    # Surface speed pi D S / 1000 and chip load F / (S z), as in any machinist's handbook.
    assert now.surface_speed == pytest.approx(94.248, abs=1e-3)
    assert now.chip_load == pytest.approx(0.05)


def test_a_program_without_moves(prove_text: Callable[..., Proof]) -> None:
    proof = prove_text("%\nO1\nM30\n%\n")
    assert proof.troubles == () and len(proof.motions) == 0
    assert now_at(proof, 0.0) is None
    assert proof.stocks[0].final.volume() == pytest.approx(120000.0)


def test_a_file_that_is_no_text_is_one_finding(prove_text: Callable[..., Proof]) -> None:
    proof = prove_text(b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR\0\0")
    assert codes(proof) == ["not-text"] and proof.outcome == "fault"


def test_a_clash_over_many_blocks_is_one_finding(prove_text: Callable[..., Proof]) -> None:
    text = START + "Y50.\nZ-2.\nG91\n" + "X1.\n" * 60 + "G90 G0 Z50.\nM30\n"
    proof = prove_text(text)
    assert codes(proof) == ["rapid-into-stock"]
    found = proof.troubles[0]
    assert found.evidence["blocks"] > 40  # type: ignore[operator]
    assert found.evidence["depth_mm"] == pytest.approx(2.0)


def test_two_slips_far_apart_are_two_findings(prove_text: Callable[..., Proof]) -> None:
    slip = "G0 Z-2.\nG1 X{}. F300\nG0 Z5.\n"
    text = START + "X30. Y50.\n" + slip.format(40) + "X70.\n" + slip.format(80) + "Z50.\nM30\n"
    assert codes(prove_text(text)) == ["rapid-into-stock", "rapid-into-stock"]


def test_several_stocks_are_all_cut(prove_text: Callable[..., Proof]) -> None:
    job = PLAIN_JOB.replace(
        "[stock]", "G55 = { x = -150.0, y = -150.0, z = -200.0 }\n\n[stock]\nrepeat_at = ['G54', 'G55']"
    )
    proof = prove_text(SLOT.replace("G0 Z50.", "G0 Z50.\nG55 X50. Y-8.\nZ2.\nG1 Z-4.\nY68.\nG0 Z50."), job)
    assert proof.troubles == ()
    volumes = [s.uncut.volume() - s.final.volume() for s in proof.stocks]
    assert volumes == pytest.approx([2400.0, 2400.0])


@pytest.mark.parametrize(
    ("line", "words"),
    [
        (2, ["changes to tool 1 (end mill 10)", "Retracts Z"]),
        (3, ["Starts the spindle clockwise at 3000 rpm", "work offset G54", "Rapids 362.353 mm to X-20.000 Y-20.000"]),
        (4, ["length offset with register H1", "Rapids down 100.000 mm to Z25.000"]),
        (7, ["Feeds straight down 6.000 mm to Z-4.000 at 300 mm/min"]),
        (10, ["Stops the spindle"]),
        (11, ["Ends the program"]),
    ],
)
def test_blocks_in_words(prove_text: Callable[..., Proof], line: int, words: list[str]) -> None:
    proof = prove_text(SLOT)
    reading = read_out(proof, SLOT.splitlines()[line - 1], line)
    said = " ".join(reading.sentences)
    assert all(w in said for w in words), said


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("(hello)", "A comment"),
        ("", "An empty line"),
        ("%", "tape"),
        ("O12", "Names the program: O12"),
        ("G1 X--", "Column 4 cannot be read"),
        ("G20", "inches"),
        ("G41 D3 X5.", "Puts the cutter left of its way by register D3"),
        ("G83 X5. Z-9. R1. Q2.", "Peck drills, retracting"),
        ("M98 P200 L3", "Runs subprogram 200, 3 times"),
        ("WHILE [#1 LT 3] DO 2", "down to END 2"),
        ("IF [#1 EQ 1] GOTO 5", "if the condition holds"),
        ("#1=5", "Sets a variable"),
        ("G68 X0 Y0 R45.", "Turns what follows"),
        ("G1 X5.", "not proved yet"),
    ],
)
def test_words_without_a_proof(text: str, words: str) -> None:
    assert words in " ".join(read_out(None, text, 1).sentences)


def test_arcs_in_words(prove_text: Callable[..., Proof]) -> None:
    text = START + "X50. Y50.\nZ2.\nG1 Z0 F300\nG2 X50. Y50. I-5. J0\nG3 X40. Y40. I0 J-10. F250\nG0 Z50.\nM30\n"
    proof = prove_text(text)
    lines = text.splitlines()
    assert "full circle clockwise" in " ".join(read_out(proof, lines[7], 8).sentences)
    said = " ".join(read_out(proof, lines[8], 9).sentences)
    assert "quarter circle counter-clockwise" in said and "radius 10.000" in said


@pytest.mark.parametrize(
    ("word", "spindle", "way"), [("G41", "M3", "climb"), ("G42", "M3", "conventional"), ("G41", "M4", "conventional")]
)
def test_which_way_the_cutter_cuts(prove_text: Callable[..., Proof], word: str, spindle: str, way: str) -> None:
    """Common practice, no source: left of its way with the spindle clockwise is climb milling."""
    text = (
        START.replace("M3", spindle)
        + f"G0 X50. Y-20.\nG1 {word} D1 X50. Y-10. F300\nX8.\nG40 Y-30.\nG0 Z50.\nM5\nM30\n"
    )
    proof = prove_text(text)
    assert f"{way} milling" in " ".join(read_out(proof, text.splitlines()[5], 6).sentences)


def test_outcomes() -> None:
    assert outcome(()) == "clean"
    assert max(Severity) == Severity.CRASH
    assert all(isinstance(s, Severity) for s in CODES.values())


WORDS = st.sampled_from(
    ["G0", "G1", "G2", "G3", "G43", "G49", "G54", "G55", "G53", "G20", "G21", "G90", "G91", "M3", "M5", "M6", "T1", "T2", "T9", "H1",
     "H2", "F100", "F0", "S500", "X10.", "X-30.5", "Y20.", "Y5", "Z-3.", "Z5.", "Z1", "I5.", "J-2.", "R8.", "R-3.", "M0", "M1",
     "M30", "G17", "G80", "X", "(", ")", "%", "/", "K1", "P2", "G99.9", "E4"]
)  # fmt: skip


@settings(max_examples=80, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(st.lists(WORDS, max_size=6), max_size=25))
def test_any_words_are_proved_without_an_error(plain_job: Job, blocks: list[list[str]]) -> None:
    text = "\n".join(" ".join(block) for block in blocks)
    proof = prove(plain_job, read_bytes(text.encode()))
    count = text.count("\n") + 1
    for finding in proof.troubles:
        assert finding.code in CODES
        assert 1 <= finding.line <= count
        assert 1 <= finding.column < finding.end_column
    volume = proof.stocks[0].final.volume()
    assert 0.0 <= volume <= 120000.0 + 1e-6
    assert sum(u.removed_mm3 for u in proof.tool_uses()) == pytest.approx(120000.0 - volume, abs=0.5)


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.binary(max_size=300))
def test_any_bytes_are_proved_without_an_error(plain_job: Job, raw: bytes) -> None:
    proof = prove(plain_job, read_bytes(raw))
    assert all(f.message and f.remedy for f in proof.troubles)


@pytest.mark.parametrize(("height", "expected"), [(5.0, ["low-tool-change"]), (12.0, [])])
def test_a_low_tool_change_where_the_machine_does_not_lift(
    prove_text: Callable[..., Proof], tmp_path, height: float, expected: list[str]
) -> None:  # type: ignore[no-untyped-def]
    """The left clamp's top is at 10: a change below it is a fault on a machine that changes where it stands."""
    from underglass.core.data import data_folder

    text = (data_folder() / "profiles" / "machine" / "mill-3axis.toml").read_text()
    (tmp_path / "low.toml").write_text(
        "".join(line + "\n" for line in text.splitlines() if not line.startswith("lift_z"))
    )
    job = PLAIN_JOB.replace("format = 1", 'format = 1\nmachine = "low.toml"')
    program = START + f"G0 X120.\nZ{height}\nT2 M6\nG53 G0 Z0\nM30\n"
    assert codes(prove_text(program, job)) == expected


def test_the_position_is_shown_as_the_control_shows_it(prove_text: Callable[..., Proof]) -> None:
    """Under G52 and G92 the control counts from the shifted zero; the tip's height stays above the part's own."""
    proof = prove_text(START + "G52 X10. Y0 Z5.\nG0 X1. Y1. Z30.\nM5\nG52 X0 Y0 Z0\nM30\n")
    now = now_at(proof, proof.timing.total)
    assert now is not None
    assert now.work == pytest.approx((1.0, 1.0, 30.0))
    assert now.tip_commanded == now.tip_real == pytest.approx(35.0)


@pytest.mark.parametrize(
    ("text", "side", "axis", "gap"),
    [
        ("X50. Y-18.\nZ2.\nG1 Z-3. F300\nY30.\n", "front", "Y", 13.0),
        ("X120. Y30.\nZ-3.\nG1 X50. F300\n", "right", "X", 15.0),
        ("X-20. Y30.\nG1 Z-3. F300\nX-12.\nX20.\n", "left", "X", 15.0),
    ],
)
def test_a_tool_that_comes_in_from_the_side_says_from_where(
    prove_text: Callable[..., Proof], text: str, side: str, axis: str, gap: float
) -> None:
    """The plate is 100 x 60 from the zero, the cutter's radius 5: the gap is what is left between them."""
    (approach,) = prove_text(START + text + "G0 Z50.\nM5\nM30\n").approaches
    said = approach.evidence
    assert (said["side"], said["side_axis"], said["side_mm"]) == (side, axis, pytest.approx(gap))
    assert f"along {axis} from the {side}" in approach.message


def test_a_tool_that_comes_down_over_the_stock_has_no_side(prove_text: Callable[..., Proof]) -> None:
    (approach,) = prove_text(START + "X50. Y30.\nG1 Z-3. F300\nG0 Z50.\nM5\nM30\n").approaches
    assert "side_mm" not in approach.evidence


@pytest.mark.parametrize("cell", ["0.5", "0.25", "0.1", "0.06"])
@pytest.mark.parametrize(("over", "touches"), [(0.015, False), (0.03, True), (0.1, True)])
@pytest.mark.parametrize("way", ["X{x} Y30.\nZ-3.", "X120. Y30.\nZ-3.\nX{x}", "X{x} Y-20.\nZ-3.\nY80."])
def test_a_touch_does_not_depend_on_the_cell(
    prove_text: Callable[..., Proof], cell: str, over: float, touches: bool, way: str
) -> None:
    """A rapid beside the stock's side, into it by ``over``: told from 0.02 mm on, whatever the cells."""
    text = START + f"G0 {way.format(x=f'{105.0 - over:.3f}')}\nG0 Z50.\nM30\n"
    found = codes(prove_text(text, PLAIN_JOB.replace("cell = 0.25", f"cell = {cell}")))
    assert ("rapid-into-stock" in found) == touches
