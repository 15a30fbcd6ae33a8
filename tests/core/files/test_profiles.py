"""Machine and control profiles: what the shipped ones say, and what is said of a wrong one."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.conftest import PLAIN_JOB, write_job
from underglass.core.data import data_folder
from underglass.core.errors import BadEntry
from underglass.core.files.job import read_job
from underglass.core.files.profiles import read_control, read_machine, shipped

CONTROLS = data_folder() / "profiles" / "control"
MACHINES = data_folder() / "profiles" / "machine"


def test_the_shipped_ones() -> None:
    assert list(shipped("control")) == [
        "older-inch-mill", "small-mill", "strict-mill", "word-address-lathe", "word-address-mill", "word-address-punch",
        "word-address-sheet",
    ]  # fmt: skip
    small, older = (read_control(CONTROLS / f"{name}.toml") for name in ("small-mill", "older-inch-mill"))
    assert (small.length_by, older.length_by) == ("each-tool", "to-part")
    assert older.dwells == {"P": "ms", "X": "s"} and older.d_register == "diameter"
    plain, strict = (read_control(CONTROLS / f"{name}.toml") for name in ("word-address-mill", "strict-mill"))
    assert plain.d_register == "radius" and plain.increment is None and plain.corner == "rolled"
    assert plain.arc_tolerance["mm"] == 0.01
    assert strict.increment == {"mm": 0.001, "inch": 0.0001} and strict.longest_arc == "quadrant"
    mill = read_machine(MACHINES / "mill-3axis.toml")
    assert (mill.travel_min, mill.travel_max) == ((-760.0, -410.0, -460.0), (0.0, 0.0, 0.0))
    assert (mill.table_z, mill.rapid[0], mill.spindle_max, mill.acceleration[2]) == (-560.0, 20000.0, 12000.0, 3000.0)
    assert (mill.tool_change_s, mill.tool_change_lift_z, mill.nose_diameter) == (4.0, 0.0, 80.0)


@pytest.mark.parametrize(
    ("kind", "old", "new", "key", "says"),
    [
        ("control", 'd = "radius"', 'd = "radios"', "registers.d", "did you mean radius"),
        ("control", "tolerance_mm   = 0.01", "tolerance_mm = 0", "arcs.tolerance_mm", "more than 0"),
        ("control", "[limits]", "[limit]", "limits", "missing"),
        ("control", "lookahead             = 2", "lookahed = 2", "compensation.lookahed", "did you mean lookahead"),
        ("control", '"G17", ', '"G18.5", ', "power_on.words", "G18.5"),
        ("control", 'kind   = "mill"', 'kind   = "mil"', "kind", "did you mean mill"),
        ("machine", "x = [-760.0, 0.0]", "x = [0.0, -760.0]", "travel.x", "smaller first"),
        ("machine", "max           = 12000.0", "", "spindle.max", "missing"),
        ("machine", "format = 1", "format = 3", "format", "this must be 1"),
    ],
)
def test_a_wrong_one_says_file_key_and_line(tmp_path: Path, kind: str, old: str, new: str, key: str, says: str) -> None:
    name = "word-address-mill.toml" if kind == "control" else "mill-3axis.toml"
    text = (data_folder() / "profiles" / kind / name).read_text()
    assert old in text
    (tmp_path / "mine.toml").write_text(text.replace(old, new, 1))
    job = PLAIN_JOB.replace("format = 1", f'format = 1\n{kind} = "mine.toml"')
    with pytest.raises(BadEntry) as caught:
        read_job(write_job(tmp_path, "M30\n", job))
    assert caught.value.path.endswith("mine.toml") and caught.value.line >= 1
    assert (caught.value.key, says in str(caught.value)) == (key, True), str(caught.value)


def test_words_that_stand_for_others(tmp_path: Path) -> None:
    """G70 and G71 for inch and metric: older EIA RS-274-D practice, from memory. One word for two: common practice, no source."""
    from tests.core.control.test_interpret import codes, ends, run

    text = (CONTROLS / "word-address-mill.toml").read_text()
    for word in ("G70", "G71", "M13"):
        text = text.replace(f"# {word}", word)
    (tmp_path / "older.toml").write_text(text)
    done = run("G70 G0 X1. Y0 Z0\nG71 X1. M13 S500\nM30", profile=tmp_path / "older.toml")
    assert codes(done) == []
    assert [e[0] for e in ends(done)] == [pytest.approx(25.4), 1.0]
    state = done.motions.state_of(1)
    assert state.spindle == "clockwise" and state.coolant
    # The shipped control does not know them.
    assert codes(run("G70 G0 X1.\nM30")) == ["word-unknown"]


@pytest.mark.parametrize(
    ("line", "says"), [('G70 = "G200"', "G200"), ('X1 = "G20"', "no G- or M-word"), ('M13 = ""', "no word")]
)
def test_words_that_stand_for_nothing(tmp_path: Path, line: str, says: str) -> None:
    text = (CONTROLS / "word-address-mill.toml").read_text().replace("[same_as]", f"[same_as]\n{line}\n#", 1)
    (tmp_path / "wrong.toml").write_text(text)
    with pytest.raises(BadEntry, match=says):
        read_control(tmp_path / "wrong.toml")
