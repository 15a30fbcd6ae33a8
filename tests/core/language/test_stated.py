"""What comments state of stock, zero and tools."""

from __future__ import annotations

import math

import pytest

from underglass.core.data import data_folder
from underglass.core.files.load import load
from underglass.core.language.stated import stated
from underglass.core.units import Unit


@pytest.mark.parametrize(
    ("text", "unit", "size"),
    [
        ("(STOCK 164 X 84 X 21)", "mm", (164.0, 84.0, 21.0)),
        ("(STOCK: 4.0 X 3.5 X 1.0 IN)", "mm", (101.6, 88.9, 25.4)),
        ("; blank 4 x 3 1/2 x .75", "inch", (101.6, 88.9, 19.05)),
        ("(BILLET X100. Y60. Z20.)", "mm", (100.0, 60.0, 20.0)),
        ("(STOCK SIZE: X4.0 Y3.0 Z1.0)", "inch", (101.6, 76.2, 25.4)),
        ("(STOCK ORIGIN X0 Y0 Z0)", "mm", None),
        ("(BLOCK CORNER AT X10. Y10. Z5.)", "mm", None),
        ("(RAW PART X=100. * Y=60. * Z=20.)", "mm", (100.0, 60.0, 20.0)),
        ("(BAR DIA 50 X 30)", "mm", (50.0, 30.0)),
        ("(STOCK IS ON THE SHELF)", "mm", None),
        ("(OUTLINE 120 X 80 X 3)", "mm", None),
    ],
)
def test_stock(text: str, unit: Unit, size: tuple[float, ...] | None) -> None:
    found = stated(["G21", text], unit).stock
    assert (None if found is None else found.size) == (None if size is None else pytest.approx(size))
    assert found is None or found.line == 2


@pytest.mark.parametrize(
    ("text", "sides"),
    [
        ("(ZERO LEFT FRONT CORNER, FINISHED TOP)", ("left", "front", "top", True)),
        ("(X0 Y0 = CENTER OF PART, Z0 = TOP)", ("middle", "middle", "top", False)),
        ("(G54 ORIGIN REAR RIGHT, Z AT TABLE)", ("right", "back", "bottom", False)),
        ("(ZERO THE CLOCK)", None),
    ],
)
def test_zero(text: str, sides: tuple[str, str, str, bool] | None) -> None:
    found = stated([text], "mm").zero
    assert (None if found is None else (found.x, found.y, found.z, found.finished)) == sides


@pytest.mark.parametrize(
    ("lines", "number", "kind", "diameter"),
    [
        (["(T1 D=10. CR=0. - FLAT END MILL)"], 1, "end-mill", 10.0),
        (["(TOOL 3 - 8MM DRILL)"], 3, "drill", 8.0),
        (["(T5 3/8 END MILL)"], 5, "end-mill", 9.525),
        (['(T2 1/2" 4FL EM)'], 2, "end-mill", 12.7),
        (["(FACE TOP, 50 FACE MILL)", "N20 T4 M6"], 4, "face-mill", 50.0),
        (["T9 M6 (6MM BALL NOSE)"], 9, "ball-end", 6.0),
        (["(T7 M8X1.25 TAP)"], 7, "tap", 8.0),
        (["(T8 90 DEG SPOT DRILL DIA 12)"], 8, "spot-drill", 12.0),
        (["(T6 DRILL)"], 6, "drill", 0.0),
        (["(T1 THREAD MILL M20 D12 P1.5)"], 1, "end-mill", 12.0),
        (["(T4 1/2-13 THREAD MILL .375)"], 4, "end-mill", 9.525),
        (["(T1 ROUGHER 20MM)"], 1, "end-mill", 20.0),
        (["(T2 16MM 2 FLUTE CARBIDE)"], 2, "", 16.0),
        (["(T2 12 X 26 EM)"], 2, "end-mill", 12.0),
        (["(T2 EM 16R0.8)"], 2, "end-mill", 16.0),
        (["(T3 D33 END MILL)"], 3, "end-mill", 0.0),
        (["(T3 6.8 DRILL FOR M8 TAP)"], 3, "drill", 6.8),
        (["(T3 TAP DRILL 6.8)"], 3, "drill", 6.8),
        (["(T3 13/64 DRILL (10-24))"], 3, "drill", 5.159375),
        (["(T5 #3 CENTER DRILL)"], 5, "centre-drill", 6.35),
        (["(T6 1-1/2 FACE MILL)"], 6, "face-mill", 38.1),
        (["(T6 50MM INDEXABLE MILL)"], 6, "face-mill", 50.0),
        (["(T7 .75 X .06 BULL)"], 7, "bull-nose", 19.05),
        (["(T8 10H7 REAMER)"], 8, "reamer", 10.0),
        (["(T9 CHAMFER TOOL 12 X 90)"], 9, "chamfer-mill", 12.0),
    ],
)
def test_tools(lines: list[str], number: int, kind: str, diameter: float) -> None:
    found = stated(lines, "mm").tool(number)
    assert found is not None and (found.kind, found.diameter) == (kind, pytest.approx(diameter))


@pytest.mark.parametrize(
    ("said", "degrees"),
    [
        ("82 DEG CSK .5", 82.0),
        ("45 DEG CHAMFER MILL 12", 90.0),
        ("SPOT DRILL 10 X 120", 120.0),
        ("8 DRILL 140\u00b0", 140.0),
        ("8 DRILL X 100", 0.0),
    ],
)
def test_points(said: str, degrees: float) -> None:
    (found,) = stated([f"(T1 {said})"], "mm").tools
    assert math.degrees(found.angle) == pytest.approx(degrees)


@pytest.mark.parametrize("said", ["KEYSEAT CUTTER 20 X 3", "MILL 3 POCKETS", "CUT THE LEFT SIDE", "SLITTING SAW 60"])
def test_what_is_no_tool_that_is_held_is_not_stated(said: str) -> None:
    assert stated([f"(T1 {said})"], "mm").tools == ()


def test_what_is_no_tool_is_none() -> None:
    assert stated(["(SLOT)", "", "", "", "", "", "T1 M6", "(POCKET R4)"], "mm").tools == ()
    found = stated(["(T1 20 BULLNOSE R3)", "(T1 10 END MILL)"], "mm")
    assert len(found.tools) == 1 and found.tools[0].corner == 3.0


@pytest.mark.parametrize("job", ["vent-bracket", "winder-cover"])
def test_the_demos_state_the_tools_that_they_have(job: str) -> None:
    made, source, _path = load(data_folder() / "demo" / f"{job}.job.toml")
    found = {t.number: (t.kind, t.diameter) for t in stated(source.lines, "mm").tools}
    assert len(found) >= 2
    assert found == {n: (made.bench.tools[n].kind, made.bench.tools[n].DC) for n in found}
