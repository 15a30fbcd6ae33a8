"""What must hold whatever the program: the same part said in other words makes the same moves. And closed forms of the trade."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.control.test_interpret import codes, ends, run
from underglass.core.control.motions import Kind

length = st.integers(-500, 500).map(lambda n: n / 10)
place = st.tuples(length, length, length)
ways = st.lists(place, min_size=1, max_size=12)
BEGIN = "G21 G17 G90 G94 F500\nG0 X0 Y0 Z0\n"


def said(points: list[tuple[float, float, float]], scale: float = 1.0) -> str:
    return "\n".join(f"G1 X{x / scale:.9f} Y{y / scale:.9f} Z{z / scale:.9f}" for x, y, z in points)


def distinct(points: list[tuple[float, float, float]]) -> np.ndarray:
    """The path's places without repeats, as a move of no length has no row."""
    out = [(0.0, 0.0, 0.0)]
    out += [p for k, p in enumerate(points) if p != ([(0.0, 0.0, 0.0), *points])[k]]
    return np.array(out)


@settings(deadline=None)
@given(ways)
def test_absolute_and_incremental_say_the_same(points: list[tuple[float, float, float]]) -> None:
    steps = np.diff(np.array([(0.0, 0.0, 0.0), *points]), axis=0)
    one = run(BEGIN + said(points))
    two = run(BEGIN + "G91\n" + "\n".join(f"G1 X{a:.9f} Y{b:.9f} Z{c:.9f}" for a, b, c in steps))
    np.testing.assert_allclose(np.array(ends(one)), np.array(ends(two)), atol=1e-5)


@settings(deadline=None)
@given(ways)
def test_inch_and_metric_say_the_same(points: list[tuple[float, float, float]]) -> None:
    inch = run(BEGIN + "G20 F20\n" + said(points, 25.4))
    np.testing.assert_allclose(np.array(ends(inch)), np.array(ends(run(BEGIN + said(points)))), atol=1e-5)


@settings(deadline=None)
@given(ways, place)
def test_a_local_shift_moves_everything_by_it(
    points: list[tuple[float, float, float]], by: tuple[float, float, float]
) -> None:
    x, y, z = by
    shifted = run(BEGIN + f"G52 X{x} Y{y} Z{z}\n" + said(points) + "\nG52 X0 Y0 Z0")
    moved = run(BEGIN + said([(a + x, b + y, c + z) for a, b, c in points]))
    assert ends(shifted)[-1] == pytest.approx(ends(moved)[-1], abs=1e-6)


@settings(deadline=None)
@given(ways, st.integers(-359, 359))
def test_rotation_turns_every_place(points: list[tuple[float, float, float]], degrees: int) -> None:
    done = run(BEGIN + f"G68 X0 Y0 R{degrees}\n" + said(points))
    turn = math.radians(degrees)
    x, y, z = points[-1]
    wanted = (x * math.cos(turn) - y * math.sin(turn), x * math.sin(turn) + y * math.cos(turn), z)
    assert ends(done)[-1] == pytest.approx(wanted, abs=1e-5)


@settings(deadline=None)
@given(ways)
def test_a_mirror_and_its_mirror_are_nothing(points: list[tuple[float, float, float]]) -> None:
    there_and_back = run(BEGIN + "G51.1 X0\nG50.1\n" + said(points))
    assert ends(there_and_back) == ends(run(BEGIN + said(points)))


@settings(deadline=None)
@given(ways, st.sampled_from(["G54", "G55", "G56"]))
def test_machine_coordinates_are_the_offsets_sum(points: list[tuple[float, float, float]], offset: str) -> None:
    done = run(f"G21 G90 F500 {offset}\n" + said(points))
    state = done.motions.in_force[-1] if len(done.motions) else None
    assert state is None or np.allclose(done.motions.end[-1], np.array(points[-1]) + state.shift, atol=1e-6)


@settings(deadline=None)
@given(st.lists(st.sampled_from(["G0", "G1", "X1.", "G91", "G90", "G20", "G21", "M3", "S100", "F9.", "G55", "G17", "G19"]), max_size=30))  # fmt: skip
def test_moves_join_whatever_the_words(words: list[str]) -> None:
    """Every move begins where the last ended; feed and kind go together."""
    done = run("\n".join(words))
    m = done.motions
    assert (m.start[1:] == m.end[:-1]).all()
    assert (np.isnan(m.feed) == m.rapid()).all()
    assert (m.lengths() > 0.0).all()


# -- closed forms ------------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("holes", [3, 5, 6, 8])
@pytest.mark.parametrize("way", ["by rotation", "by a loop", "by a subprogram"])
def test_bolt_circles(holes: int, way: str) -> None:
    """Hole k of n on radius r lies at r cos(a + 360 k / n), r sin(...) (any machinist's handbook)."""
    r, first = 40.0, 15.0
    at = [
        (r * math.cos(math.radians(first + 360 * k / holes)), r * math.sin(math.radians(first + 360 * k / holes)))
        for k in range(holes)
    ]
    drill = "G98 G81 R2. Z-5. F100"
    if way == "by rotation":
        text = "\n".join(f"G68 X0 Y0 R{first + 360 * k / holes:.9f}\n{drill} X{r} Y0\nG80 G69" for k in range(holes))
    elif way == "by a loop":
        text = f"#1=0\nWHILE [#1 LT {holes}] DO 1\n#2=[{first}+360*#1/{holes}]\n{drill} X[{r}*COS[#2]] Y[{r}*SIN[#2]]\n#1=#1+1\nEND 1\nG80"
    else:
        text = f"#1={first}\nM98 P50 L{holes}\nG80\nM30\nO50\n{drill} X[{r}*COS[#1]] Y[{r}*SIN[#1]]\n#1=#1+360/{holes}\nM99"
    done = run("G21 G90 G17\nG0 X0 Y0 Z10. S900 M3\n" + text)
    assert codes(done) == []
    m = done.motions
    drilled = [m.state_of(k).work(m.at(k, 1.0))[:2] for k in range(len(m)) if m.kind[k] == Kind.CYCLE_FEED]
    assert drilled == [pytest.approx(p, abs=1e-4) for p in at]


@pytest.mark.parametrize(("chord", "height"), [(60.0, 10.0), (40.0, 20.0), (10.0, 0.5), (80.0, 39.0)])
def test_an_arc_rises_by_its_chord_height(chord: float, height: float) -> None:
    """r = c^2 / (8 h) + h / 2 (any machinist's handbook)."""
    r = chord * chord / (8.0 * height) + height / 2.0
    done = run(f"G21 G90 G17 F500\nG0 X0 Y0 Z0\nG2 X{chord} Y0 R{r:.9f}")
    assert codes(done) == []
    top = done.motions.state_of(0).work(done.motions.at(len(done.motions) - 1, 0.5))
    assert top[:2] == pytest.approx((chord / 2.0, height), abs=1e-5)


@pytest.mark.parametrize("turns", [1, 3])
def test_a_helix_is_as_long_as_its_unrolled_slope(turns: int) -> None:
    """sqrt((2 pi r)^2 + pitch^2) a turn."""
    text = "G21 G90 G17 F500\nG0 X20. Y0 Z0\nG91\n" + "G3 I-20. J0 Z-2.\n" * turns
    done = run(text)
    bent = done.motions.sweep != 0.0
    assert done.motions.lengths()[bent].sum() == pytest.approx(turns * math.hypot(2 * math.pi * 20.0, 2.0))
    assert ends(done)[-1] == pytest.approx((20.0, 0.0, -2.0 * turns))


def test_three_points_give_the_same_arc_by_centre_and_by_radius() -> None:
    """From (0, 0) over (3, 1) to (6, 0): centre (3, -4), r 5 (a 3-4-5 triangle)."""
    one = run("G21 G90 G17 F500\nG0 X0 Y0 Z0\nG2 X6. Y0 I3. J-4.")
    two = run("G21 G90 G17 F500\nG0 X0 Y0 Z0\nG2 X6. Y0 R5.")
    assert codes(one) == codes(two) == []
    assert one.motions.sweep[-1] == pytest.approx(-2 * math.asin(0.6)) and two.motions.sweep[-1] == pytest.approx(
        one.motions.sweep[-1]
    )
    assert one.motions.centre[-1, :2] == pytest.approx(two.motions.centre[-1, :2])
