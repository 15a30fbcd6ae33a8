"""Bare programs look right to whose they are: stock, zero, tools and the length way, and findings that rest on a guess.

The programs are invented; that people write so is common practice, no source.
"""

from __future__ import annotations

from pathlib import Path

import pytest

from underglass.core.errors import Cancelled
from underglass.core.files.guess import guess_job
from underglass.core.files.job import read_job_text
from underglass.core.files.job_write import written
from underglass.core.finding import CODES, Severity
from underglass.core.language.source import read_text
from underglass.core.language.stated import stated
from underglass.core.proof.guesses import SURVIVES
from underglass.core.proof.job import Job
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import prove

HEAD = "G21 G17 G40 G49 G80 G90 G94\nT1 M6\nG0 G54 X-20. Y-20. S3000 M3\nG43 H1 Z25. M8\n"
FACE = "X-40. Y10.\nZ0.\nG1 X140. F500\nG0 Y30.\nG1 X-40.\nG0 Y50.\nG1 X140.\nG0 Z25.\n"
ROUND = "G0 X-15. Y-15.\nZ2.\nG1 Z-8. F300\nG41 D1 X0.\nY60.\nX100.\nY0.\nX-15.\nG40 Y-15.\nG0 Z25.\n"
CENTRE = "G0 X-15. Y-15.\nZ2.\nG1 Z-8. F300\nX-5. Y-5.\nY65.\nX105.\nY-5.\nX-5.\nG0 Z25.\n"
HOLES = "G81 X10. Y10. Z-6. R2. F120\nX90.\nY50.\nX10.\nG80\nG0 Z25.\n"
END = "M5 M9\nM30\n"


def guess(text: str) -> Job:
    return guess_job(read_text(text, "bare.nc"), Path("bare.nc"))


def proof_of(text: str) -> Proof:
    source = read_text(text, "bare.nc")
    return prove(guess_job(source, Path("bare.nc")), source)


def block(job: Job) -> tuple[tuple[float, ...], tuple[float, ...]]:
    """Minimum corner from the zero, and size."""
    stock, zero = job.bench.stocks[0], job.bench.part_zero
    at = (stock.frame.x - zero.x, stock.frame.y - zero.y, stock.frame.z - zero.z)
    return tuple(round(v, 3) for v in at), tuple(round(v, 3) for v in stock.extent)


@pytest.mark.parametrize("body", [ROUND, CENTRE, FACE + ROUND, FACE + CENTRE + HOLES])
def test_the_stock_goes_round_the_contour_and_not_out_to_the_face_mill(body: str) -> None:
    corner, size = block(guess(HEAD + body + END))
    assert corner[:2] == (-1.0, -1.0) and size[:2] == (102.0, 62.0) and corner[2] + size[2] == 0.0


def test_a_pocket_is_no_outline_and_a_zero_in_the_middle_stays_there() -> None:
    pocket = "G0 X0 Y0\nG1 Z-3. F200\nX20.\nY15.\nX-20.\nY-15.\nX20.\nY0.\nG0 Z25.\n"
    corner, size = block(guess(HEAD + pocket + END))
    assert corner[0] == pytest.approx(-size[0] / 2.0) and corner[1] == pytest.approx(-size[1] / 2.0)
    assert size[0] > 50.0


def test_holes_from_a_corner_stand_as_far_from_the_far_side() -> None:
    corner, size = block(guess(HEAD + HOLES + END))
    tool = guess(HEAD + HOLES + END).bench.tools[1]
    assert tool.kind == "drill" and corner[:2] == (0.0, 0.0)
    assert size[:2] == pytest.approx((100.0, 60.0))


def test_cut_upwards_from_nothing_the_zero_is_the_underside() -> None:
    text = HEAD + "G0 X-20. Y10.\nG1 Z20. F300\nX120.\nG0 Z40.\nX-20. Y50.\nG1 Z12.\nX120.\nG0 Z40.\n" + END
    corner, size = block(guess(text))
    assert corner[2] == 0.0 and size[2] == 20.0


@pytest.mark.parametrize(
    ("said", "kind", "diameter"),
    [
        ("(1/2 END MILL)", "end-mill", 12.7), ("; half inch end mill", "end-mill", 12.7), ("(DRILL #7)", "drill", 5.1054),
        ("(D=10. R0 EM)", "end-mill", 10.0), ("(M6 TAP)", "tap", 6.0), ("(16MM SLOT DRILL)", "slot-drill", 16.0),
        ("(THREE QUARTER END MILL)", "end-mill", 19.05), ("(LETTER F DRILL)", "drill", 6.5278), ("(1/4-20 TAP)", "tap", 6.35),
        ("(10-32 TAP)", "tap", 4.826), ("(0.500 DIA 4 FLUTE END MILL)", "end-mill", 12.7), ("(.25 EM)", "end-mill", 6.35),
        ("(2 IN FACE MILL)", "face-mill", 50.8), ("(3/8 BALL)", "ball-end", 9.525), ("(REAM 12H7)", "reamer", 12.0),
        ("(90 DEG CHAMFER TOOL 12MM)", "chamfer-mill", 12.0),
    ],
)  # fmt: skip
def test_tools_as_people_name_them(said: str, kind: str, diameter: float) -> None:
    """Sizes of number and letter drills: ASME B94.11M; of threads: ASME B1.1, ISO 261 (from memory)."""
    unit = "inch" if "0.500" in said else "mm"
    (tool,) = stated([f"{said}", "T4 M6"], unit).tools
    assert (tool.number, tool.kind) == (4, kind) and tool.diameter == pytest.approx(diameter, abs=1e-3)


def test_an_inch_program_is_guessed_and_told_in_inches() -> None:
    text = "G20 G90 G17 G40 G80\nT1 M6 (1/2 END MILL)\nG0 G54 X-1. Y-1. S2500 M3\nG43 H1 Z1.\nG1 Z-.25 F10.\nX2.\nG0 Z1.\nM30\n"
    proof = proof_of(text)
    assert proof.job.units == "inch" and proof.job.bench.tools[1].DC == 12.7
    assert "tool 1: end mill 0.5" in " ".join(proof.job.guessed) and "inch" in proof.job.guessed[0]
    assert not any(" mm" in f.message for f in proof.findings)


@pytest.mark.parametrize(
    ("first", "second", "way"),
    [
        ("G43 H1 Z25.", "G43 H2 Z25.", "length-registers"),
        ("Z25.", "Z25.", "each-tool"),
        ("Z25.", "G43 H2 Z25.", "first-tool"),
        ("G43 H1 Z25.", "G49 Z25.", "length-registers"),
    ],
)
def test_the_words_tell_how_z_knows_the_tool(first: str, second: str, way: str) -> None:
    """A tool without G43 among others that have it is always said."""
    text = f"G21 G17 G40 G49 G80 G90\nT1 M6\nG0 G54 X10. Y10. S900 M3\n{first}\nG0 Z30.\nT2 M6\nG0 X20. S900 M3\n{second}\nM30\n"
    proof = proof_of(text)
    assert proof.job.z_by == way
    missing = [f for f in proof.findings if f.code == "length-offset-missing"]
    assert len(missing) == (second == "G49 Z25.")


def test_a_program_that_calls_no_tool_runs_with_the_one_in_the_spindle() -> None:
    proof = proof_of(
        "; half inch end mill\nG20 G90\nM3 S3000\nG0 X0 Y0 Z.5\nG1 Z-.1 F10\nX2.5\nY1.5\nX0\nY0\nG0 Z.5\nM30\n"
    )
    assert proof.job.bench.tools[1].DC == 12.7 and proof.tool_uses()[0].removed_mm3 > 0.0
    assert proof.outcome == "clean"


def test_taps_get_their_drills_and_pitches() -> None:
    text = (
        "G21 G90 G17 G40 G80\nT1 M6\nG0 G54 X10. Y10. S1500 M3\nG43 H1 Z25.\nG81 Z-15. R2. F150\nX30.\nG80\nG0 Z25.\n"
        "T2 M6\nG0 X10. Y10. S500 M3\nG43 H2 Z25.\nG84 Z-12. R5. F625\nX30.\nG80\nG0 Z25.\nM30\n"
    )
    proof = proof_of(text)
    drill, tap = proof.job.bench.tools[1], proof.job.bench.tools[2]
    assert (drill.kind, drill.DC, tap.kind, tap.DC, tap.TP) == ("drill", 6.75, "tap", 8.0, 1.25)
    assert proof.outcome == "clean"


CLEAN = [HEAD + ROUND + END, HEAD + CENTRE + HOLES + END, HEAD + FACE + ROUND + END]


@pytest.mark.parametrize("text", CLEAN)
@pytest.mark.parametrize("without", [False, True])
def test_bare_clean_programs_are_clean_with_and_without_length_offsets(text: str, without: bool) -> None:
    assert proof_of(text.replace("G43 H1 ", "") if without else text).outcome == "clean"


FAULTS = [
    ("G43 H1 Z25. M8", "G43 Z25. M8", "length-number-missing"),
    ("Z25. M8", "Z25. M8\nG2 X5. Y5. F100", "arc-centre-missing"),
    ("S3000 M3", "S3000", "stopped-tool-into-stock"),
    ("F300", "", "feed-missing"),
    ("G40 Y-15.", "Y-15.", "comp-left-on"),
    ("M5 M9", "G777", "word-unknown"),
    ("M5 M9", "X1. X2.", "modal-conflict"),
    ("M5 M9", "M98 P77", "subprogram-missing"),
    ("M5 M9", "M6 T99.5", "syntax"),
]


@pytest.mark.parametrize(("old", "new", "code"), FAULTS, ids=[code for *_rest, code in FAULTS])
def test_what_no_guess_would_change_stays_what_it_is(old: str, new: str, code: str) -> None:
    assert code in SURVIVES
    found = [f for f in proof_of((HEAD + ROUND + END).replace(old, new)).findings if f.code == code]
    assert found and found[0].severity >= CODES[code] and "guess" not in found[0].evidence


def test_what_rests_on_a_guess_says_so_and_is_a_caution_at_most() -> None:
    proof = proof_of(HEAD + "G0 X50. Y30.\nZ-3.\nG0 Z25.\n" + ROUND + END)
    hit = next(f for f in proof.findings if f.code == "rapid-into-stock")
    assert hit.severity == Severity.CAUTION and hit.evidence["guess"] == "stock" and "guessed" in hit.message
    said = (
        "(STOCK 102 X 62 X 13, X0 Y0 LEFT FRONT TOP)\n(T1 10 END MILL)\n"
        + HEAD
        + "G0 X50. Y30.\nZ-3.\nG0 Z25.\n"
        + ROUND
        + END
    )
    told = next(f for f in proof_of(said).findings if f.code == "rapid-into-stock")
    assert told.severity == Severity.CRASH and "guess" not in told.evidence


def test_every_code_that_survives_is_one_of_the_programs_own() -> None:
    assert set(CODES) >= SURVIVES
    assert not SURVIVES & {
        "rapid-into-stock",
        "travel-limit",
        "holder-into-stock",
        "length-register-wrong",
        "over-feed",
    }


def test_a_guess_can_be_cancelled_and_follows_loops_only_so_far() -> None:
    endless = "#1=0\nWHILE [#1 LT 1] DO 1\nG0 X1.\nEND 1\nM30\n"
    job = guess(endless)
    assert job.bench.stocks
    with pytest.raises(Cancelled):
        guess_job(read_text("G91 G81 X.1 Z-1. R0 F10 L40000\n"), Path("x.nc"), lambda: True)


@pytest.mark.parametrize(
    ("speed", "feed", "severity"), [(24000, 12000, Severity.NOTE), (240000, 120000, Severity.CAUTION)]
)
def test_what_many_a_machine_does_is_no_more_than_a_note_on_a_guessed_one(
    speed: int, feed: int, severity: Severity
) -> None:
    """The machine is guessed so that the program can be right; what hardly any machine does is a slip all the same."""
    proof = proof_of(
        f"G21 G17 G90 G40 G80 G0\nT1 M6\nG43 H1 Z20. S{speed} M3\nX0 Y0\nZ2.\nG1 Z-1. F800\nX50. F{feed}\nG0 Z20.\nM30\n"
    )
    told = [(f.code, f.severity, f.evidence["guess"]) for f in proof.findings if f.code.startswith("over-")]
    assert told == [("over-speed", severity, "machine"), ("over-feed", severity, "machine")]


TWO_PARTS = (
    "G21 G17 G90 G40 G49 G80\nT1 M6\nG54 G0 X-10. Y-10. S3000 M3\nG43 H1 Z25.\nM98 P7\nG55 X-10. Y-10.\nM98 P7\nM5\nM30\n"
    "O7\nG0 Z2.\nG1 Z-3. F300\nG41 D1 X0. F600\nY40.\nX60.\nY0.\nX-10.\nG40 Y-10.\nG0 Z25.\nM99\n"
)


def test_a_second_offset_is_another_part_beside_the_first(tmp_path: Path) -> None:
    proof = proof_of(TWO_PARTS)
    one, two = proof.job.bench.zero["G54"], proof.job.bench.zero["G55"]
    # Clear of the cutter's way round the first one, and within travel.
    assert two.x - one.x > 60.0 + 2.0 * 10.0 and (two.y, two.z) == (one.y, one.z)
    assert [s.name for s in proof.job.bench.stocks] == ["stock at G54", "stock at G55"]
    removed = [float(h.removed.sum()) for h in proof.histories]
    assert removed[0] == pytest.approx(removed[1], rel=0.02) and removed[0] > 100.0
    told = [f for f in proof.findings if f.code not in ("first-approach",)]
    assert [(f.code, f.severity, f.line) for f in told] == [("zero-not-given", Severity.NOTE, 6)]
    assert "another part" in told[0].message and any("another part at G55" in said for said in proof.job.guessed)
    again = read_job_text(written(proof.job), tmp_path / "two.job.toml")
    assert again.bench.stocks == proof.job.bench.stocks and again.bench.zero == proof.job.bench.zero


def test_offsets_under_which_not_the_same_is_cut_are_one_parts() -> None:
    """A spot drilled under an offset that is used nowhere else."""
    text = TWO_PARTS.replace("G55 X-10. Y-10.\nM98 P7\n", "G55 X20. Y20.\nG1 Z-1. F100\nG0 Z25.\n")
    proof = proof_of(text)
    assert len(proof.job.bench.stocks) == 1 and proof.job.bench.zero["G54"] == proof.job.bench.zero["G55"]
    assert ["where G54 is" in f.message for f in proof.findings if f.code == "zero-not-given"] == [True]


def test_more_parts_than_the_table_holds_are_taken_to_be_one() -> None:
    text = TWO_PARTS.replace("X60.", "X400.").replace("Y40.", "Y300.")
    proof = proof_of(text)
    assert len(proof.job.bench.stocks) == 1 and proof.job.bench.zero["G54"] == proof.job.bench.zero["G55"]
    assert ["where G54 is" in f.message for f in proof.findings if f.code == "zero-not-given"] == [True]


@pytest.mark.parametrize(("deep", "said"), [(75, []), (95, ["holder-into-stock"])])
def test_a_tool_stands_out_as_far_as_its_work_goes_down_where_one_of_its_size_does(deep: int, said: list[str]) -> None:
    """Five times its diameter is what a cutter stands out at the most (common practice, no source)."""
    proof = proof_of(
        "(STOCK 120 X 100 X 100)\nG21 G17 G90 G40 G80 G54\nT1 M6 (18 END MILL)\nG0 X60. Y50. S2000 M3\nG43 H1 Z20.\nZ2.\n"
        f"G1 Z-{deep}. F100\nX80. F300\nY60.\nG0 Z20.\nM30\n"
    )
    assert [f.code for f in proof.troubles if f.code == "holder-into-stock"] == said
    assert proof.job.bench.tools[1].stickout == (deep + 5.0 if not said else 54.0)


def test_a_program_that_sets_its_offsets_says_where_the_parts_are() -> None:
    head = "G10 L2 P1 X-500. Y-200. Z-350.\nG10 L2 P2 X-300. Y-200. Z-350.\n"
    proof = proof_of(TWO_PARTS.replace("T1 M6\n", head + "T1 M6\n"))
    zero = proof.job.bench.zero
    assert [(z.x, z.y, z.z) for z in (zero["G54"], zero["G55"])] == [(-500.0, -200.0, -350.0), (-300.0, -200.0, -350.0)]
    assert len(proof.job.bench.stocks) == 2
    assert [f.code for f in proof.findings if f.code != "first-approach"] == []
    # Nearer than the part is long: it cannot be two of them.
    near = proof_of(TWO_PARTS.replace("T1 M6\n", head.replace("X-300.", "X-490.") + "T1 M6\n"))
    assert len(near.job.bench.stocks) == 1


def test_extended_offsets_are_parts_too() -> None:
    proof = proof_of(TWO_PARTS.replace("G54", "G54.1 P1").replace("G55", "G54.1 P7"))
    assert [s.name for s in proof.job.bench.stocks] == ["stock at G54.1P1", "stock at G54.1P7"]
    assert [f.code for f in proof.troubles] == ["zero-not-given"]


@pytest.mark.parametrize(
    ("said", "found"),
    [
        ("(T8 T-SLOT CUTTER 20 X 8)\n", "T-SLOT CUTTER 20 X 8"),
        ("(T8 DOVETAIL SLOT, 6 END MILL)\n", ""),
        ("(T9 SLITTING SAW 60)\n", ""),
        ("(STOCK SAW CUT 100 LONG)\n", ""),
        ("(T8 KEY SEAT 8 WIDE)\n", ""),
        ("(T8 SAW)\n(T8 IS NOT FED)\n", None),
    ],
)
def test_what_cuts_under_is_said_not_to_be_held(said: str, found: str | None) -> None:
    """An undercut is no height field's: said, never passed over; a tool that is only rough ahead of one is none."""
    feed = "G1 X60. F100\n" if found is not None else ""
    proof = proof_of(
        f"{said}G21 G17 G90 G40 G80 G54\nT8 M6\nG0 X-15. Y30. S800 M3\nG43 H8 Z20.\nZ-8.\n{feed}G0 Z20.\nM30\n"
    )
    told = [(f.line, f.evidence["said"]) for f in proof.findings if f.code == "not-proved"]
    assert told == ([(3, found)] if found else [])
