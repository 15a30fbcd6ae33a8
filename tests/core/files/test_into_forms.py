"""What a drawing gives to a form: every hole of a size, a contour, a lathe's profile from whichever half is drawn."""

from __future__ import annotations

import itertools
import math
from pathlib import Path

import ezdxf
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.cli.test_cli import call
from underglass.core.compose.contour import Contour, Seg
from underglass.core.compose.contour_rows import profile_rows
from underglass.core.errors import UnusableFile
from underglass.core.files.contours import contour_entry, places_entry, sizes_in
from underglass.core.trades.turning.operations.common import read_profile


def plate(path: Path, units: int = 4) -> Path:
    """A plate 80 x 60 with six holes of 6, one of 20 drawn twice, and an arc that is no hole."""
    drawing = ezdxf.new()
    drawing.header["$INSUNITS"] = units
    space = drawing.modelspace()
    scale = 1.0 if units == 4 else 1.0 / 25.4
    for y in (10.0, 50.0):
        for x in (10.0, 40.0, 70.0):
            space.add_circle((x * scale, y * scale), 3.0 * scale)
    for _ in range(2):
        space.add_circle((40.0 * scale, 30.0 * scale), 10.0 * scale)
    space.add_arc((0, 0), 6.0 * scale, 0, 90)
    space.add_lwpolyline([(0, 0), (80 * scale, 0), (80 * scale, 60 * scale), (0, 60 * scale)], close=True)
    drawing.saveas(path)
    return path


@pytest.mark.parametrize("units", [4, 1])
def test_all_holes_of_a_size_row_by_row(tmp_path: Path, units: int) -> None:
    path = plate(tmp_path / "plate.dxf", units)
    assert sizes_in(path, "mm") == {"6": 6, "20": 1}
    assert places_entry(f"{path}#6", "mm").split("\n") == ["10 10", "40 10", "70 10", "10 50", "40 50", "70 50"]
    assert places_entry(str(path), "mm").split("\n")[3] == "40 30"
    inch = [tuple(map(float, row.split())) for row in places_entry(f"{path}#0.2362", "inch").split("\n")]
    assert inch[1] == pytest.approx((40 / 25.4, 10 / 25.4), abs=1e-4)
    with pytest.raises(UnusableFile, match="6 of 6, 1 of 20"):
        places_entry(f"{path}#7", "mm")


def test_a_drawing_without_circles_says_so(tmp_path: Path) -> None:
    drawing = ezdxf.new()
    drawing.modelspace().add_line((0, 0), (10, 0))
    drawing.saveas(tmp_path / "line.dxf")
    for ask in (lambda p: places_entry(str(p), "mm"), lambda p: sizes_in(p, "mm")):
        with pytest.raises(UnusableFile, match="no circle"):
            ask(tmp_path / "line.dxf")


def test_the_command_line_drills_them(tmp_path: Path) -> None:
    path = plate(tmp_path / "plate.dxf")
    done = call("fill", "holes", "pattern=list", f"points=@{path}#6", "spot=no")
    assert done.returncode == 0, done.stderr
    lines = done.stdout.splitlines()
    cycle = next(k for k, line in enumerate(lines) if line.startswith("G98 G81 X10. Y10."))
    assert lines[cycle + 1 : cycle + 7] == ["X40. Y10.", "X70. Y10.", "X10. Y50.", "X40. Y50.", "X70. Y50.", "G80"]
    assert call("fill", "holes", "pattern=list", f"points=@{path}#9").returncode == 2


RADII = st.floats(2.0, 30.0)


@given(st.lists(st.tuples(st.floats(0.5, 10.0), RADII), min_size=1, max_size=6), RADII, st.booleans(), st.booleans())
def test_a_profile_is_the_same_whichever_way_and_half_it_is_drawn(
    steps: list[tuple[float, float]], first: float, below: bool, backwards: bool
) -> None:
    """Lines from the face to the chuck; drawn in either half, from either end, the form reads the same profile."""
    places = [(0.0, first)]
    for by, r in steps:
        places.append((places[-1][0] - by, r))
    segs = [Seg(*a, *b) for a, b in itertools.pairwise(places)]
    wanted = read_profile(profile_rows(Contour(tuple(segs), False)), "mm")
    drawn = [s._replace(y0=-s.y0, y1=-s.y1) for s in segs] if below else segs
    drawn = [s.back() for s in reversed(drawn)] if backwards else drawn
    assert profile_rows(Contour(tuple(drawn), False)) == profile_rows(Contour(tuple(segs), False))
    for mine, (z, r) in zip([wanted.start, *((s.x1, s.y1) for s in wanted.segs)], places):
        assert mine == pytest.approx((z, r), abs=2e-4)


@pytest.mark.parametrize("below", [False, True])
def test_an_arc_of_a_profile_keeps_its_middle_and_its_side(tmp_path: Path, below: bool) -> None:
    """A groove's round bottom, radius 5 about (-10, 20): the form's profile has the same arc."""
    drawing = ezdxf.new()
    drawing.header["$INSUNITS"] = 4
    space, up = drawing.modelspace(), -1.0 if below else 1.0
    space.add_line((0, up * 20), (-5, up * 20))
    first, last = (180, 360) if not below else (0, 180)
    space.add_arc((-10, up * 20), 5, first, last)
    space.add_line((-15, up * 20), (-30, up * 20))
    drawing.saveas(tmp_path / "p.dxf")
    profile = read_profile(contour_entry(str(tmp_path / "p.dxf"), "mm", turned=True), "mm")
    assert profile.start == pytest.approx((0.0, 20.0)) and profile.end == pytest.approx((-30.0, 20.0))
    arc = profile.segs[1]
    assert (arc.cx, arc.cy) == pytest.approx((-10.0, 20.0), abs=1e-3)
    deepest = min(y for _x, y in profile.places(0.01).tolist())
    assert deepest == pytest.approx(15.0, abs=0.02) and math.dist((arc.x0, arc.y0), (-10, 20)) == pytest.approx(5.0)
