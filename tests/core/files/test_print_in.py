"""DXF drawings read; places on them; against ezdxf as the writer and shapely for crossings."""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path
from typing import Any

import ezdxf
import pytest
import shapely
from hypothesis import assume, given
from hypothesis import strategies as st

from underglass.core.errors import Cancelled, UnusableFile
from underglass.core.files.dxf_in import read_dxf
from underglass.core.files.print_in import Arc, Line, Print, chain, crossings, distance, placed, spots

numbers = st.floats(-50, 50)


def drawn(path: Path, unit: int = 4) -> Path:
    doc = ezdxf.new()
    doc.header["$INSUNITS"] = unit
    space = doc.modelspace()
    space.add_line((0, 0), (40, 0))
    space.add_arc((40, 10), 10, 270, 0)
    space.add_line((50, 30), (50, 10))
    space.add_circle((20, 15), 5)
    space.add_lwpolyline([(0, 0), (0, 30, 0, 0, 0), (50, 30)])
    space.add_text("WINDER")
    block = doc.blocks.new("HOLE")
    block.add_circle((0, 0), 2)
    space.add_blockref("HOLE", (5, 5))
    space.add_spline([(0, 40), (10, 45), (20, 40)])
    doc.saveas(path)
    return path


def test_a_drawing_is_read_in_mm(tmp_path: Path) -> None:
    mm, inch = read_dxf(drawn(tmp_path / "a.dxf")), read_dxf(drawn(tmp_path / "b.dxf", 1))
    assert Line(0, 0, 40, 0) in mm.pieces and Arc(40, 10, 10, 270, 360) in mm.pieces
    assert Arc(20, 15, 5, 0, 360) in mm.pieces and Arc(5, 5, 2, 0, 360) in mm.pieces
    assert mm.left_out == 1 and mm.unit_said
    assert inch.pieces[0] == pytest.approx((0, 0, 40 * 25.4, 0))
    assert not read_dxf(drawn(tmp_path / "c.dxf", 0)).unit_said
    curve = [p for p in mm.pieces if isinstance(p, Line) and p.y0 > 35]
    assert len(curve) > 4 and max(p.y1 for p in curve) == pytest.approx(45, abs=0.1)


@pytest.mark.parametrize("data", [b"", b"no drawing", b"\0\1\2"])
def test_what_is_no_drawing_says_so(tmp_path: Path, data: bytes) -> None:
    (tmp_path / "x.dxf").write_bytes(data)
    with pytest.raises(UnusableFile):
        read_dxf(tmp_path / "x.dxf")
    with pytest.raises(UnusableFile):
        read_dxf(tmp_path / "none.dxf")


def test_places_on_it(tmp_path: Path) -> None:
    found = {(round(s.x, 3), round(s.y, 3)): s.meaning for s in spots(read_dxf(drawn(tmp_path / "a.dxf")).pieces)}
    assert found[0, 0] == "end" and found[50, 10] == "end" and found[40, 10] == "centre"
    assert found[20, 0] == "middle" and found[25, 15] == "middle"


def test_a_chain_goes_round_and_back_to_its_start(tmp_path: Path) -> None:
    pieces = read_dxf(drawn(tmp_path / "a.dxf")).pieces
    found = chain(pieces, 0)
    assert len(found) == 5
    assert [type(p).__name__ for p, _b in found].count("Arc") == 1
    assert found[2] == (Line(50, 30, 50, 10), True)
    assert chain(pieces, [isinstance(p, Arc) and p.r == 5 for p in pieces].index(True)) == [
        (Arc(20, 15, 5, 0, 360), False)
    ]


@given(st.lists(numbers, min_size=8, max_size=8))
def test_lines_cross_where_shapely_says(at: list[float]) -> None:
    one, other = Line(*at[:4]), Line(*at[4:])
    a, b = shapely.LineString([at[0:2], at[2:4]]), shapely.LineString([at[4:6], at[6:8]])
    assume(a.length > 1 and b.length > 1)
    where = a.intersection(b)
    found = crossings(one, other)
    if found and where.geom_type == "Point" and not where.is_empty:
        assert math.dist(found[0], (where.x, where.y)) < 1e-6
    else:
        assert not found or a.distance(shapely.Point(found[0])) < 1e-6


@given(numbers, numbers, st.floats(1, 40), numbers, numbers, st.floats(1, 40))
def test_circles_cross_on_both(x0: float, y0: float, r0: float, x1: float, y1: float, r1: float) -> None:
    for p in crossings(Arc(x0, y0, r0, 0, 360), Arc(x1, y1, r1, 0, 360)):
        assert math.isclose(math.dist(p, (x0, y0)), r0, abs_tol=1e-5) and math.isclose(
            math.dist(p, (x1, y1)), r1, abs_tol=1e-5
        )
    for p in crossings(Line(x0, y0, x1, y1), Arc(0, 0, r1, 0, 360)):
        assert math.isclose(math.hypot(*p), r1, abs_tol=1e-5)


@given(
    st.tuples(numbers, numbers), st.tuples(numbers, numbers), st.floats(0.1, 20), st.floats(-179, 179), numbers, numbers
)
def test_two_places_lay_a_picture_down(
    p1: tuple[float, float], p2: tuple[float, float], scale: float, turn: float, dx: float, dy: float
) -> None:
    assume(math.dist(p1, p2) > 0.5)
    ends = Print((Line(*p1, *p2),)).moved(scale, turn, dx, dy).pieces[0]
    assert isinstance(ends, Line)
    found = placed(p1, (ends.x0, ends.y0), p2, (ends.x1, ends.y1))
    assert found == pytest.approx((scale, turn, dx, dy), rel=1e-6, abs=1e-5)
    with pytest.raises(ValueError, match="apart"):
        placed(p1, (0, 0), p1, (1, 1))


def test_distances() -> None:
    assert distance(Line(0, 0, 10, 0), 5, 3) == 3 and distance(Line(0, 0, 10, 0), 13, 4) == 5
    assert distance(Arc(0, 0, 5, 0, 90), 7, 0) == pytest.approx(2) and distance(
        Arc(0, 0, 5, 0, 90), -5, 0
    ) == pytest.approx(math.hypot(5, 5))


def hostile(tmp_path: Path, make: Callable[[Any], None]) -> Path:
    drawing = ezdxf.new()
    drawing.header["$INSUNITS"] = 4
    make(drawing)
    path = tmp_path / "hostile.dxf"
    drawing.saveas(path)
    return path


def test_an_array_of_a_block_is_drawn_whole(tmp_path: Path) -> None:
    def make(drawing: Any) -> None:
        drawing.blocks.new("HOLE").add_circle((0, 0), 2)
        drawing.modelspace().add_blockref(
            "HOLE", (0, 0), dxfattribs={"row_count": 3, "column_count": 4, "row_spacing": 10, "column_spacing": 10}
        )

    found = read_dxf(hostile(tmp_path, make))
    assert len(found.pieces) == 12 and found.left_out == 0
    assert {(p.cx, p.cy) for p in found.pieces if isinstance(p, Arc)} == {
        (10.0 * c, 10.0 * r) for c in range(4) for r in range(3)
    }


def test_a_fan_of_inserts_and_a_block_in_itself_have_an_end(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("underglass.core.files.dxf_in._MOST_ENTITIES", 5000)

    def fan(drawing: Any) -> None:
        last = drawing.blocks.new("B0")
        last.add_line((0, 0), (1, 0))
        for k in range(1, 8):
            block = drawing.blocks.new(f"B{k}")
            for n in range(14):
                block.add_blockref(f"B{k - 1}", (n, 0))
        drawing.modelspace().add_blockref("B7", (0, 0))

    with pytest.raises(UnusableFile, match="more than"):
        read_dxf(hostile(tmp_path, fan))


def test_places_that_are_no_numbers_and_endless_curves_are_left_out(tmp_path: Path) -> None:
    def make(drawing: Any) -> None:
        space = drawing.modelspace()
        space.add_line((0, 0), (10, 0))
        space.add_line((0, 0), (float("nan"), 1))
        space.add_line((0, 0), (1e300, 1))
        space.add_ellipse((0, 0), (1e9, 0), 0.5)

    found = read_dxf(hostile(tmp_path, make))
    assert len(found.pieces) == 1 and found.left_out == 3


def test_a_drawing_can_be_let_go_while_it_is_read(tmp_path: Path) -> None:
    path = hostile(tmp_path, lambda drawing: drawing.modelspace().add_line((0, 0), (1, 0)))
    with pytest.raises(Cancelled):
        read_dxf(path, lambda: True)
