"""Compensation in the upright planes, left on by the job before, and what the control knows of a contour."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
import shapely

from tests.conftest import MillControl as Control
from tests.core.control.test_compensate import CONTROL, MACHINE, SHAPES, codes
from tests.core.control.test_interpret import WORK
from underglass.core.control.motions import PLANE_AXES, Motions
from underglass.core.control.run import Run
from underglass.core.control.state import Registers, Start


def run(text: str, start: Start | None = None) -> Run:
    return Control(CONTROL, MACHINE, Registers(work=WORK, length={}, radius={1: 5.0}), start=start).run(
        text.splitlines()
    )


def in_plane(points: list[tuple[float, float]], plane: int, word: str) -> str:
    """A contour in a plane's own axes, begun and ended in the middle of its last side, with its way in and out."""
    letters = ["XYZ"[k] for k in PLANE_AXES[plane]]
    a, b = np.array(points[-1]), np.array(points[0])
    middle, way = (a + b) / 2, (b - a) / np.linalg.norm(b - a)
    outside = middle + np.array([-way[1], way[0]]) * (25.0 if word == "G41" else -25.0)

    def place(p: np.ndarray | tuple[float, float]) -> str:
        return f"{letters[0]}{p[0]:.6f} {letters[1]}{p[1]:.6f}"

    lines = [f"G{plane} F500 G0 {letters[2]}0", f"G0 {place(outside)}", f"G1 {word} D1 {place(middle)}"]
    lines += [f"G1 {place(p)}" for p in points] + [f"G1 {place(middle)}", f"G1 G40 {place(outside)}", "M30"]
    return "\n".join(lines)


def contour(motions: Motions, plane: int, first: int, last: int) -> shapely.LineString:
    u, v, _w = PLANE_AXES[plane]
    mine = np.flatnonzero((motions.line >= first) & (motions.line <= last))
    places = [motions.state_of(int(mine[0])).work(motions.at(int(mine[0]), 0.0))]
    for k in mine.tolist():
        steps = 1 if motions.sweep[k] == 0.0 else max(2, int(abs(motions.sweep[k]) / 0.01))
        places += [motions.state_of(k).work(motions.at(k, (s + 1) / steps)) for s in range(steps)]
    return shapely.LineString([(p[u], p[v]) for p in places])


@pytest.mark.parametrize("plane", [17, 18, 19])
@pytest.mark.parametrize("word", ["G41", "G42"])
@pytest.mark.parametrize("name", ["ell", "arrow"])
def test_the_same_contour_in_every_plane_against_shapely(plane: int, word: str, name: str) -> None:
    points = SHAPES[name]  # counter-clockwise, seen against the third axis: left is inside
    done = run(in_plane(points, plane, word))
    assert codes(done) == []
    expected = shapely.Polygon(points).buffer(-5.0 if word == "G41" else 5.0, quad_segs=400).exterior
    path = contour(done.motions, plane, 4, 4 + len(points))
    assert path.hausdorff_distance(expected) < 2e-3
    assert set(done.motions.plane[done.motions.sweep != 0.0].tolist()) <= {plane}


def test_an_upright_plane_under_rotation_is_said_not_to_be_held() -> None:
    assert "not-proved" in codes(run("G68 X0 Y0 R30.\nG18 F500 G0 Y0\nG1 G41 D1 X10.\nG69\nM30"))


def test_compensation_that_the_last_job_left_on() -> None:
    left = run("G21 G90\nG0 X0 Y0\nG1 X30. F500\nX60.\nG40 Y30.\nM30", Start(compensation="G41", d=1))
    assert codes(left) == ["shift-left-over"]
    assert left.findings[0].evidence["compensation"] == "left"
    ends = [left.motions.state_of(k).work(tuple(left.motions.end[k]))[:2] for k in range(len(left.motions))]
    assert ends[1:3] == [pytest.approx((30.0, 5.0)), pytest.approx((60.0, 5.0))]
    cancelled = run("G21 G90 G40\nG0 X0 Y0\nG1 X30. F500\nM30", Start(compensation="G41", d=1))
    assert codes(cancelled) == []


@pytest.mark.parametrize(("word", "where"), [("G41", "inside"), ("G42", "outside")])
def test_the_control_knows_where_a_contour_is_cut(word: str, where: str) -> None:
    done = run(in_plane(SHAPES["square"], 17, word))
    assert [(s.where, s.closed, s.side) for s in done.stretches] == [(where, True, 1.0 if word == "G41" else -1.0)]
    open_one = run("F500 G0 X0 Y-20.\nG1 G41 D1 X0 Y0\nX40.\nY40.\nG40 X0\nM30")
    assert [(s.where, s.closed) for s in open_one.stretches] == [("", False)]


@pytest.mark.parametrize(("word", "turn"), [("G41", "G3"), ("G42", "G2")])
def test_arcs_onto_and_off_a_contour_belong_to_neither_side_of_it(word: str, turn: str) -> None:
    """A circle of 20 about X0 Y0 from inside, on arcs of 12: inside, whichever way round."""
    y = -12 if turn == "G3" else 12
    text = f"F500 G0 X0 Y0\nG1 {word} D1 X8. Y{y}.\n{turn} X20. Y0 R12.\n{turn} I-20. J0\n{turn} X8. Y{-y}. R12.\nG1 G40 X0 Y0\nM30"
    done = run(text)
    assert codes(done) == [] and [(s.where, s.closed) for s in done.stretches] == [("inside", True)]


def test_a_circle_is_inside_by_its_arc() -> None:
    done = run("F500 G0 X0 Y0\nG1 G41 D1 X20.\nG3 I-20. J0\nG1 G40 X0\nM30")
    stretch = done.stretches[0]
    assert stretch.where == "inside" and codes(done) == []
    assert stretch.sweep.tolist() == [0.0, pytest.approx(math.tau)]


def test_alarms_carry_the_geometry() -> None:
    done = run("F500 G0 X0 Y-20.\nG1 G41 D1 X20. Y0\nX40.\nG3 X44. Y0 I2. J0\nG1 X60.\nG40 Y30.\nM30")
    (finding,) = done.findings
    wanted = {
        "arc_radius_mm": 2.0, "too_large_mm": 3.0, "radius_mm": 5.0, "from_x_mm": 40.0, "to_x_mm": 44.0, "at_x_mm": 42.0,
        "at_y_mm": 0.0,
    }  # fmt: skip
    assert {k: finding.evidence[k] for k in wanted} == {k: pytest.approx(v, abs=1e-9) for k, v in wanted.items()}


def test_a_stretch_keeps_what_was_programmed_and_which_moves_came_of_it() -> None:
    done = run(in_plane(SHAPES["ell"], 17, "G42"))
    stretch = done.stretches[0]
    assert stretch.line.tolist() == list(range(3, 11)) and stretch.entry.tolist() == [True] + [False] * 7
    assert (stretch.first[1:] >= stretch.last[:-1]).all() and stretch.end_move == len(done.motions) - 1
    for row in range(len(stretch)):
        moves = range(int(stretch.first[row]), int(stretch.last[row]))
        assert {int(done.motions.line[m]) for m in moves} == {int(stretch.line[row])}
    with pytest.raises(AttributeError):
        replace(stretch).side = 2.0  # type: ignore[misc]
