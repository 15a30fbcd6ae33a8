"""The job file: what it means, and what it says of what is wrong, with file, key and line."""

from __future__ import annotations

import math
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import PLAIN_JOB, write_job
from underglass.core.entries.checked import key_lines, read_toml_bytes
from underglass.core.errors import BadEntry, UnderGlassError, UnusableFile
from underglass.core.files.demo import copy_demo, demo_names
from underglass.core.files.job import read_job


def job_with(tmp_path: Path, text: str):  # type: ignore[no-untyped-def]
    return read_job(write_job(tmp_path, "M30\n", text))


def test_what_it_means(tmp_path: Path) -> None:
    job = job_with(tmp_path, PLAIN_JOB)
    assert job.title == "Plain plate" and job.units == "mm"
    assert job.bench.stocks[0].size == (100.0, 60.0, 20.0)
    frame = job.bench.stocks[0].frame
    assert (frame.x, frame.y, frame.z) == (-300.0, -150.0, -220.0)
    assert [f.name for f in job.bench.fixtures] == ["table", "left clamp"]
    assert pytest.approx(math.radians(118)) == job.bench.tools[2].SIG
    # Whatever is left out equals the truth.
    assert job.registers.length == {1: 75.0, 2: 110.0}
    assert job.registers.radius == {1: 5.0, 2: 4.0}
    assert job.registers.work == {"G54": (-300.0, -150.0, -200.0)}
    assert job.settings.cell == 0.25 and job.settings.clearance == 1.0


def test_the_defaults_of_a_tool(tmp_path: Path) -> None:
    text = PLAIN_JOB.replace("stickout = 70.0\n", "").replace("SIG = 118.0\n", "")
    tool = job_with(tmp_path, text).bench.tools[2]
    assert tool.stickout == pytest.approx(0.6 * 110.0)
    assert tool.shank == 8.0
    assert tool.centre_cutting
    assert not job_with(tmp_path, PLAIN_JOB.replace('"end-mill"', '"face-mill"')).bench.tools[1].centre_cutting


def test_inch_lengths_become_mm_but_the_clearance_default_does_not(tmp_path: Path) -> None:
    text = PLAIN_JOB.replace("format = 1", 'format = 1\nunits = "inch"').replace(
        "[100.0, 60.0, 20.0]", "[4.0, 2.0, 1.0]"
    )
    job = job_with(tmp_path, text)
    assert job.bench.stocks[0].size == pytest.approx((101.6, 50.8, 25.4))
    assert job.bench.zero["G54"].x == pytest.approx(-7620.0)
    assert job.settings.clearance == 1.0
    assert job.settings.tolerance.length == 0.05


def test_registers_and_wear(tmp_path: Path) -> None:
    text = PLAIN_JOB + "\n[registers.length]\nH1 = 80.0\nH7 = 12.5\n[registers.wear_length]\nH1 = -0.02\n"
    job = job_with(tmp_path, text)
    assert job.registers.length == {1: pytest.approx(79.98), 2: 110.0, 7: 12.5}


def test_a_turned_zero_turns_stock_and_fixtures(tmp_path: Path) -> None:
    text = PLAIN_JOB.replace("z = -200.0 }", "z = -200.0, turned = 90.0 }")
    job = job_with(tmp_path, text)
    stock, clamp = job.bench.stocks[0].frame, job.bench.fixtures[1].solid.frame
    assert stock.turn_rad == pytest.approx(math.pi / 2)
    assert (clamp.x, clamp.y) == (pytest.approx(-300 - 20), pytest.approx(-150 - 25))


def test_the_stock_again_at_other_zeros(tmp_path: Path) -> None:
    text = PLAIN_JOB.replace(
        "[stock]", "G55 = { x = -150.0, y = -150.0, z = -200.0 }\n\n[stock]\nrepeat_at = ['G54', 'G55']"
    )
    stocks = job_with(tmp_path, text).bench.stocks
    assert [s.frame.x for s in stocks] == [-300.0, -150.0]


@pytest.mark.parametrize(
    ("old", "new", "key", "line", "says"),
    [
        ("format = 1", "format = 2", "format", 1, "format = 1"),
        ("DC = 10.0", "DC = -1", "tool[1].DC", 22, "more than 0"),
        ("DC = 10.0", 'DC = "ten"', "tool[1].DC", 22, "must be a number"),
        ("DC = 10.0", "Dc = 10.0", "tool[1]", 19, "missing"),
        ("APMX = 22.0", "APMAX = 22.0", "tool[1].APMAX", 23, "did you mean APMX"),
        ('kind = "drill"', 'kind = "dril"', "tool[2].kind", 30, "did you mean drill"),
        ("number = 2", "number = 1", "tool[2].number", 29, "two tools"),
        ("stickout = 70.0", "stickout = 170.0", "tool[2].stickout", 35, "whole length"),
        ('shape = "box"\nsize = [100.0', 'shape = "box"\nsize = [0.0', "stock.size", 10, "more than 0"),
        ("size = [100.0, 60.0, 20.0]", "size = [100.0, 60.0]", "stock.size", 10, "3 numbers"),
        ("cell = 0.25", "cell = 0.00001", "proof.cell", 38, "too fine"),
        ("cell = 0.25", "cel = 0.25", "proof.cel", 38, "did you mean cell"),
        ("G54 = {", "G60 = {", "zero.G60", 6, "G54 to G59"),
        ("y = -150.0, ", "", "zero.G54.y", 6, "missing"),
        ("x = -300.0", "x = inf", "zero.G54.x", 6, "not a usable number"),
        ('program = "plain.nc"', "", "program", 1, "missing"),
        (
            'program = "plain.nc"',
            'program = "plain.nc"\nmachine = "mill-3axes"',
            "machine",
            4,
            "did you mean mill-3axis",
        ),
        ("[proof]", "[prof]", "prof", 37, "did you mean proof"),
        ("[proof]", "[loaded]\nT1 = 9\n\n[proof]", "loaded.T1", 38, "not on the bench"),
        ("[proof]", "[registers.length]\nX1 = 9\n\n[proof]", "registers.length.X1", 38, "H1"),
        (
            "holder = { diameter = 40.0, length = 30.0 }",
            "holder = { diameter = 40.0 }",
            "tool[1].holder",
            26,
            "diameter",
        ),
    ],
)
def test_complaints_name_file_key_and_line(tmp_path: Path, old: str, new: str, key: str, line: int, says: str) -> None:
    assert old in PLAIN_JOB
    with pytest.raises(BadEntry) as caught:
        job_with(tmp_path, PLAIN_JOB.replace(old, new, 1))
    error = caught.value
    assert says in error.why
    assert error.path.endswith("plain.job.toml")
    assert (error.key.startswith(key), error.line) == (True, line), (error.key, error.line)
    assert "\n" not in str(error)


@pytest.mark.parametrize(
    ("raw", "line"),
    [(b"format = 1\nthis is no toml\n", 2), (b"a = 1\nb = [\n", 2), (b"a = 1\n\xff\xfe\n", 2), (b"[" * 5000, 1)],
)
def test_what_is_no_toml_says_where(raw: bytes, line: int) -> None:
    with pytest.raises(BadEntry) as caught:
        read_toml_bytes(raw, "x.toml")
    assert abs(caught.value.line - line) <= 1


def test_a_file_that_is_not_there(tmp_path: Path) -> None:
    with pytest.raises(UnusableFile, match="no such file"):
        read_job(tmp_path / "nowhere.job.toml")


def test_key_lines() -> None:
    text = '# a\nx = 1\n[t]\ny = { a = 1, b = [1,\n2] }\nz.w = """\n\n"""\n[[u]]\nk = 1\n[[u]]\nk = "# = ["\n[u.v]\nq = 2\n'
    lines = key_lines(text)
    expected = {
        "x": 2,
        "t": 3,
        "t.y": 4,
        "t.y.a": 4,
        "t.y.b": 4,
        "t.z.w": 6,
        "u[1]": 9,
        "u[1].k": 10,
        "u[2].k": 12,
        "u[2].v.q": 14,
    }
    assert {k: lines.get(k) for k in expected} == expected


@settings(max_examples=150, deadline=None)
@given(st.binary(max_size=300))
def test_any_bytes_as_a_job_end_in_one_sentence(raw: bytes) -> None:
    _one_sentence(raw)


_LINES = PLAIN_JOB.splitlines()


@settings(max_examples=150, deadline=None)
@given(
    st.lists(
        st.tuples(
            st.integers(0, len(_LINES) - 1),
            st.sampled_from(
                [
                    "",
                    "x = 1",
                    "size = 5",
                    "place = 'a'",
                    "G54 = 3",
                    "[stock]",
                    "[[tool]]",
                    "number = true",
                    "DC = nan",
                    "holder = [1]",
                ]
            ),
        ),
        min_size=1,
        max_size=4,
    )
)
def test_any_damaged_job_ends_in_one_sentence_or_is_read(changes: list[tuple[int, str]]) -> None:
    lines = list(_LINES)
    for k, text in changes:
        lines[k] = text
    _one_sentence("\n".join(lines).encode())


def _one_sentence(raw: bytes) -> None:
    import tempfile

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "x.job.toml"
        path.write_bytes(raw)
        try:
            read_job(path)
        except UnderGlassError as error:
            assert str(error) and "\n" not in str(error)


def test_the_demo_jobs_are_copied_whole(tmp_path: Path) -> None:
    for name in demo_names():
        job = read_job(copy_demo(name, tmp_path))
        assert (Path(job.folder) / job.program).is_file()
    with pytest.raises(UnusableFile, match="vent-bracket"):
        copy_demo("no-such-part")
