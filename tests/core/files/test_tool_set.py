"""Sets of tools go out and come in the same, as TOML and as CSV, in both units."""

from __future__ import annotations

import math
from pathlib import Path

import pytest

from underglass.core.bench.tool import HolderStep, Tool
from underglass.core.errors import BadEntry, UnusableFile
from underglass.core.files.tool_set import read_tools, write_tools

TOOLS = {
    1: Tool(
        number=1,
        kind="face-mill",
        DC=50.0,
        length=92.4,
        APMX=8.0,
        stickout=40.0,
        shank=22.0,
        holder=(HolderStep(50.0, 40.0),),
        NOF=5,
        centre_cutting=False,
    ),
    3: Tool(
        number=3,
        kind="bull-nose",
        DC=12.0,
        length=98.125,
        APMX=26.0,
        stickout=40.0,
        shank=12.0,
        holder=(HolderStep(30.0, 20.0), HolderStep(40.0, 38.0)),
        RE=1.5,
    ),
    4: Tool(
        number=4,
        kind="drill",
        DC=6.35,
        length=110.0,
        APMX=60.0,
        stickout=70.0,
        shank=6.35,
        holder=(),
        SIG=math.radians(135.0),
        NOF=2,
        substrate="hss",
    ),
    7: Tool(
        number=7,
        kind="tap",
        DC=8.0,
        length=105.0,
        APMX=22.0,
        stickout=45.0,
        shank=6.0,
        holder=(HolderStep(36.0, 60.0),),
        TP=1.25,
        hand="left",
    ),
    8: Tool(
        number=8,
        kind="taper-mill",
        DC=4.0,
        length=90.0,
        APMX=20.0,
        stickout=35.0,
        shank=10.0,
        holder=(),
        KAPR=math.radians(75.0),
    ),
}


@pytest.mark.parametrize("unit", ["mm", "inch"])
@pytest.mark.parametrize("name", ["set.toml", "set.csv"])
def test_out_and_in_again(tmp_path: Path, name: str, unit: str) -> None:
    write_tools(tmp_path / name, TOOLS, unit)  # type: ignore[arg-type]
    again = read_tools(tmp_path / name)
    assert list(again) == list(TOOLS)
    for number, tool in TOOLS.items():
        got = again[number]
        for key in ("kind", "NOF", "centre_cutting", "hand", "substrate"):
            assert getattr(got, key) == getattr(tool, key)
        for key in ("DC", "RE", "SIG", "KAPR", "APMX", "TP", "length", "stickout", "shank"):
            assert getattr(got, key) == pytest.approx(getattr(tool, key), abs=2e-5)
        assert [(s.diameter, s.length) for s in got.holder] == [
            pytest.approx((s.diameter, s.length), abs=2e-5) for s in tool.holder
        ]


def test_a_table_from_a_spreadsheet(tmp_path: Path) -> None:
    """Semicolons and decimal commas, columns in any order, empty lines, the job file's own words beside ISO 13399's."""
    path = tmp_path / "s.csv"
    path.write_text("DC;number;kind;LF;holder\n6,5;2;drill;80,25;32 x 50|40 x 10\n;;;;\n")
    tool = read_tools(path)[2]
    assert (tool.DC, tool.length) == (6.5, 80.25) and tool.holder == (HolderStep(32.0, 50.0), HolderStep(40.0, 10.0))


@pytest.mark.parametrize(
    ("name", "text", "why"),
    [
        ("a.csv", "", "must name the columns"),
        ("a.csv", "T,kind\n1,drill\n", "name at least the columns"),
        ("a.csv", "number,kind,DC,LF\n1,dril,5,60\n", "did you mean drill"),
        ("a.csv", "number,kind,DC,LF\n1,drill,five,60\n", "must be a number"),
        ("a.csv", "number,kind,DC,LF,colour\n1,drill,5,60,red\n", "not an entry"),
        ("a.csv", "number,kind,DC,LF\n1,drill,5,60\n1,drill,6,60\n", "two tools"),
        ("a.toml", "format = 2\n", "must be 1"),
        ("a.toml", "format = 1\n[[tool]]\nnumber = 1\n", "kind"),
    ],
)
def test_what_cannot_be_read_says_why(tmp_path: Path, name: str, text: str, why: str) -> None:
    (tmp_path / name).write_text(text)
    with pytest.raises(BadEntry, match=why):
        read_tools(tmp_path / name)
    with pytest.raises(UnusableFile):
        read_tools(tmp_path / "none.csv")
