"""What a setter does to a job file: the block stays when the zero moves, both sides can be copied, comments live on."""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import PLAIN_JOB, START, write_job
from underglass.core.errors import BadEntry, UnusableFile
from underglass.core.files.guess import guess_job
from underglass.core.files.job import read_job, read_job_text
from underglass.core.files.job_edit import JobEdit
from underglass.core.files.job_files import companions, rename_companion
from underglass.core.files.job_write import written
from underglass.core.files.load import load
from underglass.core.files.setup_edit import (
    believe_control,
    move_zero,
    put_belief,
    put_stations,
    put_truth,
    put_wear,
    slip,
    tell_control,
    turn_zero,
    zero_move_to,
    zero_on_stock,
)
from underglass.core.language.source import read_text
from underglass.core.proof.belief import Row, group_words, offsets_apart, overwritten, rows
from underglass.core.proof.job import Job
from underglass.core.proof.margins import SideOf, with_value
from underglass.core.proof.prove import prove

PROGRAM = (
    START
    + "G1 Z-1. F300\nG41 D1 X0. Y-20.\nY30.\nG40 X-20.\nG0 Z50.\nT2 M6\nG0 X10. Y10. S900 M3\nG43 H2 Z20.\nG1 Z-5. F90\nG0 Z50.\nM30\n"
)
SET = "\n[registers.length]  # as touched off\nH1 = 75.02\nH2 = 75.0\nH9 = 12.0\n[registers.radius]\nD1 = 10.0\n"
PATH = Path("/nowhere/plain.job.toml")


def job_of(text: str) -> Job:
    return read_job_text(text, PATH)


def row(job: Job, key: str, axis: str = "", proof: object = None) -> Row:
    return next(r for r in rows(job, proof) if (r.key, r.axis) == (key, axis))  # type: ignore[arg-type]


def test_a_file_is_changed_key_by_key_and_nothing_else() -> None:
    edit = JobEdit(PLAIN_JOB + "# the end\n")
    edit.put(110.0, "stock", "size", 0)
    edit.put(0.02, "registers", "wear_length", "H1")
    edit.put(1.5, "start", "shift", "z")
    assert edit.add("fixture", {"name": "pin", "shape": "cylinder", "size": [8.0, 20.0], "place": [1.0, 2.0, 3.0]}) == 1
    assert edit.get("fixture", 1, "size") == [8.0, 20.0] and edit.get("fixture", 7, "size") is None
    job = job_of(edit.text)
    assert job.bench.stocks[0].size == (110.0, 60.0, 20.0) and job.start.shift == (0.0, 0.0, 1.5)
    assert [f.name for f in job.bench.fixtures] == ["table", "left clamp", "pin"] and "# the end" in edit.text
    edit.drop("registers", "wear_length", "H1")
    edit.drop("start", "shift", "z")
    edit.drop("fixture", 1)
    edit.drop("nothing", "there")
    edit.put(100.0, "stock", "size", 0)
    assert job_of(edit.text).bench == job_of(PLAIN_JOB).bench
    assert "registers" not in edit.text and "start" not in edit.text
    with pytest.raises(UnusableFile, match="cannot be read any more"):
        JobEdit("[broken")


figures = st.floats(-400.0, 400.0).map(lambda v: round(v, 3))


@given(by=st.tuples(figures, figures, figures), turned=st.sampled_from([0.0, 30.0, -90.0]), twice=st.booleans())
def test_moving_the_zero_moves_nothing_else(by: tuple[float, float, float], turned: float, twice: bool) -> None:
    text = PLAIN_JOB.replace("z = -200.0 }", f"z = -200.0, turned = {turned} }}")
    if twice:
        text = text.replace(
            "[stock]", "G55 = { x = -100.0, y = -150.0, z = -200.0 }\n[stock]\nrepeat_at = ['G54', 'G55']", 1
        )
    before = job_of(text)
    edit = JobEdit(text)
    move_zero(edit, before, by)
    after = job_of(edit.text)
    for was, now in zip(
        [*before.bench.stocks, *(f.solid for f in before.bench.fixtures)],
        [*after.bench.stocks, *(f.solid for f in after.bench.fixtures)],
        strict=True,
    ):
        assert (now.name, now.size) == (was.name, was.size)
        assert np.allclose((now.frame.x, now.frame.y, now.frame.z), (was.frame.x, was.frame.y, was.frame.z), atol=1e-5)
    moved = before.bench.part_zero.moved(*by)
    zero = after.bench.part_zero
    assert np.allclose((zero.x, zero.y, zero.z), (moved.x, moved.y, moved.z), atol=1e-5)


@pytest.mark.parametrize("share", [(0.0, 0.0, 1.0), (0.5, 0.5, 1.0), (1.0, 1.0, 0.0), (0.5, 0.0, 0.5)])
def test_the_zero_is_put_at_corners_middles_and_centres(share: tuple[float, float, float]) -> None:
    job = job_of(PLAIN_JOB)
    size = job.bench.stocks[0].extent
    want = (share[0] * size[0], share[1] * size[1], share[2] * size[2] - size[2])
    edit = JobEdit(PLAIN_JOB)
    move_zero(edit, job, zero_move_to(job, want))
    assert zero_on_stock(job_of(edit.text)) == pytest.approx(want)
    turn_zero(edit, job_of(edit.text), 12.5)
    after = job_of(edit.text)
    assert math.degrees(after.bench.part_zero.turn_rad) == pytest.approx(12.5)
    assert zero_on_stock(after) == pytest.approx(want)


def proved(text: str, tmp_path: Path) -> tuple[Job, tuple[Row, ...]]:
    job, source, _program = load(write_job(tmp_path, PROGRAM, text))
    return job, rows(job, prove(job, source))


def test_rows_say_what_is_set_what_is_called_and_what_it_is_out_by(tmp_path: Path) -> None:
    job, found = proved(PLAIN_JOB + SET, tmp_path)
    by = {(r.key, r.axis): r for r in found}
    assert (by["H1", ""].verdict, round(by["H1", ""].off or 0, 3)) == ("wear", 0.02)
    assert (by["H2", ""].verdict, by["H2", ""].off) == ("wrong", -35.0) and by["H2", ""].tool == 2
    assert by["H9", ""].truth is None and "nothing calls it" in by["H9", ""].what
    assert (by["D1", ""].verdict, by["D1", ""].truth) == ("wrong", 5.0) and by["D1", ""].line == 6
    assert by["G54", "x"].follows and by["G54", "x"].verdict == "same" and by["G54", "x"].line == 3
    assert by["shift", "z"].verdict == "same" and by["rotation", ""].off == 0.0
    diameter = (PLAIN_JOB + SET).replace('title = "Plain plate"', 'title = "Plain plate"\ncontrol = "own.toml"')
    shipped = Path("src/underglass/data/profiles/control/word-address-mill.toml").read_text()
    (tmp_path / "own.toml").write_text(shipped.replace('d = "radius"', 'd = "diameter"'))
    job, found = proved(diameter, tmp_path)
    assert job.control.d_register == "diameter"
    d1 = next(r for r in found if r.key == "D1")
    assert (d1.truth, d1.belief, d1.verdict) == (10.0, 10.0, "same")


def test_a_tool_that_is_called_and_not_there_and_an_offset_never_set_are_rows(tmp_path: Path) -> None:
    text = PROGRAM.replace("T2 M6", "T7 M6").replace("G0 X10.", "G0 G57 X10.").replace("H2", "H7")
    job, source, _program = load(write_job(tmp_path, text))
    by = {(r.key, r.axis): r for r in rows(job, prove(job, source))}
    assert by["H7", ""].truth is None and "not on the bench" in by["H7", ""].note
    assert by["G57", "x"].verdict == "unset" and by["G57", "x"].wrong and "never set" in by["G57", "x"].note


def test_both_sides_are_set_and_copied(tmp_path: Path) -> None:
    job, found = proved(PLAIN_JOB + SET, tmp_path)
    edit = JobEdit(PLAIN_JOB + SET)
    tell_control(edit, job, found)
    told = job_of(edit.text)
    assert told.registers.length[2] == 110.0 and told.registers.radius[1] == 5.0 and "# as touched off" in edit.text
    assert not any(r.wrong for r in rows(told, None))
    edit = JobEdit(PLAIN_JOB + SET)
    believe_control(edit, job, found)
    believed = job_of(edit.text)
    assert believed.bench.tools[2].length == 75.0 and believed.bench.tools[1].DC == 20.0
    assert all(r.verdict in ("same", "unknown") for r in rows(believed, None))
    # What the control took from the bench stays when the bench changes: nobody has told it.
    edit = JobEdit(PLAIN_JOB)
    put_truth(edit, job_of(PLAIN_JOB), row(job_of(PLAIN_JOB), "H1"), 80.0)
    put_truth(edit, job_of(PLAIN_JOB), row(job_of(PLAIN_JOB), "G54", "z"), -190.0)
    after = job_of(edit.text)
    assert after.bench.tools[1].length == 80.0 and after.registers.length[1] == 75.0
    assert after.bench.part_zero.z == -190.0 and after.registers.work["G54"][2] == -200.0
    assert row(after, "H1").off == -5.0 and row(after, "G54", "z").off == -10.0


def test_wear_stands_beside_its_register_and_counts() -> None:
    job = job_of(PLAIN_JOB)
    edit = JobEdit(PLAIN_JOB)
    put_wear(edit, job, row(job, "H1"), -0.03)
    after = job_of(edit.text)
    found = row(after, "H1")
    assert (found.belief, found.wear, found.verdict) == (75.0, -0.03, "wear") and after.registers.length[1] == 74.97
    put_belief(edit, after, found, 74.9)
    assert row(job_of(edit.text), "H1").off == pytest.approx(-0.13)
    put_wear(edit, after, found, 0.0)
    assert "wear" not in edit.text


@pytest.mark.parametrize(
    ("kind", "value"), [("shift", 85.0), ("halve", 37.5), ("double", 150.0), ("sign", -75.0), ("swap", 110.0)]
)
def test_slips_on_purpose(kind: str, value: float) -> None:
    job = job_of(PLAIN_JOB)
    edit = JobEdit(PLAIN_JOB)
    slip(edit, job, row(job, "H1"), kind, row(job, "H2"))  # type: ignore[arg-type]
    after = job_of(edit.text)
    assert after.registers.length[1] == value and row(after, "H1").wrong
    assert after.registers.length[2] == (75.0 if kind == "swap" else 110.0)


def test_inch_files_hold_inches() -> None:
    text = PLAIN_JOB.replace('title = "Plain plate"', 'title = "Plain plate"\nunits = "inch"')
    job = job_of(text)
    edit = JobEdit(text)
    put_belief(edit, job, row(job, "H1"), 25.4)
    put_truth(edit, job, row(job, "H2"), 50.8)
    assert edit.get("registers", "length", "H1") == 1.0 and edit.get("tool", 1, "length") == 2.0


def test_what_the_program_sets_by_g10_is_known() -> None:
    lines = ["G10 L2 P2 X1. (P1)", "G10 L10 P3 R1.", "G10L13P4R0.1", "G10 L2 P0 X1.", "G100", "(G10 L2 P1)"]
    assert [tuple(o) for o in overwritten(lines)] == [("G55", 1), ("H3", 2), ("D4", 3)]


def test_offsets_of_parts_side_by_side() -> None:
    """Common practice, no source: the same Y, the same Z, the plate's pitch in X."""
    offsets = [("G54", (-300.0, -150.0, -200.0)), ("G55", (-174.98, -150.0, -200.0)), ("G56", (-50.0, -149.7, -200.0))]
    one, two = offsets_apart(offsets, 125.0)
    assert one.apart[0] == pytest.approx(125.02) and one.off == pytest.approx((0.02, 0.0, 0.0))
    assert two.off == pytest.approx((-0.02, 0.3, 0.0))
    assert offsets_apart(offsets, None)[0].off[0] == 0.0


def test_a_guessed_job_written_out_and_read_again_is_the_same(tmp_path: Path) -> None:
    source = read_text(PROGRAM + "(T2 3 CENTRE DRILL)\n(T1 D=12. R=1. END MILL)\n")
    job = guess_job(source, tmp_path / "bare.nc")
    assert job.unconfirmed == {"stock", "zero", "machine", "T1", "T2"} and job.bench.tools[1].RE == 1.0
    again = read_job_text(written(job), tmp_path / "bare.job.toml")
    assert again.bench.tools == job.bench.tools and again.bench.stocks == job.bench.stocks
    assert again.registers == job.registers and again.unconfirmed == job.unconfirmed and not again.guessed
    assert prove(again, source).stocks[0].final.volume() == prove(job, source).stocks[0].final.volume()


def test_a_plate_gives_its_stations_part_zeros(tmp_path: Path) -> None:
    plate = '\n[[fixture]]\nname = "plate"\nshape = "plate"\nstations = 2\nrows = 2\npitch_x = 120.0\npitch_y = 80.0\nplace = [-20.0, -20.0, -45.0]\n'
    text = PLAIN_JOB + plate
    edit = JobEdit(text)
    assert put_stations(edit, job_of(text), 1) == ["G54", "G55", "G56", "G57"]
    job = job_of(edit.text)
    z = job.bench.zero
    assert [(z[n].x - z["G54"].x, z[n].y - z["G54"].y, z[n].z - z["G54"].z) for n in z] == [
        (0, 0, 0), (120.0, 0, 0), (0, 80.0, 0), (120.0, 80.0, 0),
    ]  # fmt: skip
    assert len(job.bench.stocks) == 4


def test_the_files_that_a_job_needs_are_known() -> None:
    text = PLAIN_JOB.replace('title = "Plain plate"', 'machine = "own/mill.toml"') + 'target = "shapes/part.stl"\n'
    edit = JobEdit(text)
    assert companions(edit) == ["shapes/part.stl", "own/mill.toml"]
    rename_companion(edit, "shapes/part.stl")
    assert edit.get("proof", "target") == "part.stl"


BAD = [
    ('shape = "vise"\nopening = 0.0', "more than 0"),
    ('shape = "plate"\nstations = 1.5', "whole number"),
    ('shape = "vice"', "did you mean vise"),
    ('shape = "clamp"\njaw_width = 3.0', "not an entry"),
    ('shape = "box"\nsize = [1.0, 1.0, 1.0]\nup = "-z"', "only a mesh"),
]


@pytest.mark.parametrize(("entry", "why"), BAD)
def test_a_piece_with_a_wrong_figure_is_refused_by_key(tmp_path: Path, entry: str, why: str) -> None:
    with pytest.raises(BadEntry, match=why):
        read_job(write_job(tmp_path, "M30\n", PLAIN_JOB + f'\n[[fixture]]\nname = "x"\n{entry}\n'))


EACH = PLAIN_JOB.replace("[zero]", '[zero]\nz_by = "each-tool"') + "[registers.touched]\nT2 = 0.4\n"


def test_where_each_tool_is_touched_the_touch_is_what_both_sides_show() -> None:
    """No length is kept: the rows are where Z was touched off, and each change leaves the other side alone."""
    job = job_of(EACH)
    two = job.bench.tools[2]
    assert not [r for r in rows(job, None) if r.group == "length"]
    touched = row(job, "T2")
    assert (touched.truth, touched.verdict, row(job, "T1").verdict) == (-200.0 + two.length, "wrong", "same")
    assert touched.off == pytest.approx(0.4)
    assert group_words("length", job)[1].startswith("nothing") and "gauge line" in group_words("touched", job)[1]

    def after(change: Callable[[JobEdit], None]) -> Row:
        edit = JobEdit(EACH)
        change(edit)
        return row(job_of(edit.text), "T2")

    told = after(lambda e: put_belief(e, job, touched, -200.0 + two.length - 1.0))
    assert (told.truth, told.off) == (touched.truth, pytest.approx(-1.0))
    real = after(lambda e: put_truth(e, job, touched, touched.truth + 0.25))  # type: ignore[operator]
    assert (real.belief, real.off) == (pytest.approx(touched.belief), pytest.approx(0.15))
    right = after(lambda e: tell_control(e, job, rows(job, None)))
    assert (right.truth, right.verdict, right.follows) == (touched.truth, "same", True)
    believed = after(lambda e: believe_control(e, job, [touched]))
    assert (believed.truth, believed.verdict) == (pytest.approx(touched.belief), "same")


@pytest.mark.parametrize("side", ["belief", "truth"])
def test_another_touch_is_tried_as_it_would_be_set(side: SideOf) -> None:
    """What is tried is what the job then holds: the same findings from both."""
    source = read_text(PROGRAM.replace("G43 H2 ", "").replace("G43 H1 ", ""))
    job = job_of(EACH)
    touched = row(job, "T2")
    value = (touched.truth or 0.0) - 6.0
    edit = JobEdit(EACH)
    (put_belief if side == "belief" else put_truth)(edit, job, touched, value)
    tried, done = with_value(job, touched, value, side), job_of(edit.text)
    assert tried.touched == pytest.approx(done.touched)
    assert tried.bench.tools[2].length == pytest.approx(done.bench.tools[2].length)
    said = [[(f.code, f.line, f.message) for f in prove(j, source).findings] for j in (tried, done)]
    assert said[0] == said[1] and any(code == "work-offset-wrong" for code, _l, _m in said[0])
