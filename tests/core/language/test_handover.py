"""Files as controls want them. Doubled extensions, long lines and lower case: common practice, no source."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import START
from underglass.core.data import data_folder
from underglass.core.errors import BadEntry
from underglass.core.files.profiles import read_control
from underglass.core.files.stick import listing, plug_in, send
from underglass.core.language.align import meaning
from underglass.core.language.handover import FileHabits, fitted_name, make_file

STRICT = FileHabits(letters="upper", longest_line=40, longest_name=8)


@pytest.mark.parametrize(
    ("name", "out", "said"),
    [
        ("part.nc", "part.nc", 0),
        ("part.NC.TXT", "part.nc", 1),
        ("part.txt", "part.nc", 1),
        ("part.rev.2.nc", "part-rev-2.nc", 1),
        ("B\u00fcgel \u00d88.nc", "Bugel-D8.nc", 1),
        ("part", "part.nc", 0),
        (".nc", "-nc.nc", 1),
    ],
)
def test_names(name: str, out: str, said: int) -> None:
    made, troubles = fitted_name(name, FileHabits())
    assert made == out and len(troubles) == said


def test_what_is_put_right_and_what_is_left_open() -> None:
    made = make_file(
        ["g0 x1. (h\u00f6he \u00d8)", "G1 X1.0 Y2.0 Z3.0 I4.0 J5.0 K6.0 F100.0 S1000 M3", "G0 X\u00e42"], "a.nc", STRICT
    )
    assert made.lines[0] == "%" and made.lines[1] == "G0 X1. (HOHE D)"
    assert made.lines[2] == "G1X1.0Y2.0Z3.0I4.0J5.0K6.0F100.0S1000M3"
    assert [(t.line, t.mended) for t in made.open_troubles] == [(3, False)] and "'\u00e4'" in made.open_troubles[
        0
    ].message
    long = make_file(["(" + "A" * 60 + ")"], "a.nc", STRICT)
    assert len(long.open_troubles) == 1 and "40 characters" in long.open_troubles[0].message


def test_numbers_and_ends() -> None:
    lines = [*START.split("\n")[:-1], "M30", ""]
    every = make_file(lines, "a.nc", FileHabits(numbers="all", line_ends="lf", percent=False, extension=".tap"))
    assert every.name == "a.tap" and every.lines[0].startswith("N10 ") and every.data.endswith(b"M30\n")
    none = make_file(every.lines, "a.nc", FileHabits(numbers="none", line_ends="cr"))
    assert none.lines[1:-1] == tuple(lines[:-1]) and none.data.count(b"\r") == len(none.lines)
    plain = make_file(["%", "M30", "%"], "a.nc", FileHabits())
    assert plain.troubles == () and plain.data == b"%\r\nM30\r\n%\r\n"


@given(
    st.lists(st.sampled_from(["G0 X1.", "g1 z-1. f100", "(\u00d8 20)", "N10 M3 S900", "", "G1 X\u22125."]), max_size=10)
)
def test_no_line_changes_its_meaning(lines: list[str]) -> None:
    made = make_file(lines, "a.nc", STRICT)
    assert made.data.isascii()
    before = [m for m in (meaning(t.replace("\u2212", "-")) for t in lines) if m]
    assert [m for m in map(meaning, made.lines) if m and m != "%"] == before


def test_a_stick_shows_what_a_control_would_see(tmp_path: Path) -> None:
    folder = plug_in(tmp_path / "stick")
    seen = {item.name: item.why for item in listing(folder, STRICT)}
    assert seen["GUSSET.NC.TXT"] == "two extensions" and seen["LABEL7.NC"] == ""
    (folder / "much-too-long.nc").write_bytes(b"")
    (folder / "notes.doc").write_bytes(b"")
    seen = {item.name: item.why for item in listing(folder, STRICT)}
    assert seen["much-too-long.nc"] == "name over 8 letters" and seen["notes.doc"] == "not .nc"
    back = send(folder, make_file(["M30"], "x.nc.txt", STRICT), STRICT)
    assert back.same and back.seen and back.lines == 3 and back.path.name == "X.NC"


@pytest.mark.parametrize(
    ("entry", "key"),
    [
        ('extension = "nc"', "extension"),
        ('line_ends = "xx"', "line_ends"),
        ('numbers = "some"', "numbers"),
        ("percent = 1", "percent"),
    ],
)
def test_a_profiles_file_habits_are_checked(tmp_path: Path, entry: str, key: str) -> None:
    text = (data_folder() / "profiles" / "control" / "word-address-mill.toml").read_text().split("[file]")[0]
    path = tmp_path / "own.toml"
    path.write_text(text + f"[file]\n{entry}\n")
    with pytest.raises(BadEntry, match=key):
        read_control(path)
    path.write_text(text + "[file]\nlongest_line = 72\n")
    assert read_control(path).file == FileHabits(longest_line=72)
