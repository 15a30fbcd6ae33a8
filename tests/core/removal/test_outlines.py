"""Round, bull-nosed and tapered tools: against volumes on paper, brute force, and hulls that another library makes."""

from __future__ import annotations

import itertools
import math
import os

import manifold3d as m3
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.removal.shapes import BLOCK, TOOLS, Move, cut_moves, removed
from underglass.core.bench.tool import Tool
from underglass.core.removal.sweep import _line_low, _over
from underglass.core.tolerances import TOLERANCES

BALL, BULL, TAPER, TAPER_BALL = 3, 4, 5, 6
NAMES = {BALL: "ball", BULL: "bull nose", TAPER: "taper", TAPER_BALL: "taper ball"}


def outline(tool: int) -> tuple[float, float, float, float]:
    p = TOOLS[tool].profile
    return p.radius, p.flat, p.corner, p.slope


@pytest.mark.parametrize("tool", range(len(TOOLS)))
def test_the_kernels_outline_is_the_tools_own(tool: int) -> None:
    radius, flat, corner, slope = outline(tool)
    for rho in np.linspace(0.0, radius, 101):
        assert _over(rho, flat, corner, slope) == pytest.approx(TOOLS[tool].profile.height(float(rho)), abs=1e-12)


@pytest.mark.parametrize("tool", range(len(TOOLS)))
def test_every_outline_is_convex_and_never_falls(tool: int) -> None:
    """What the closed forms and the search rest on."""
    z = np.array([TOOLS[tool].profile.height(float(r)) for r in np.linspace(0.0, TOOLS[tool].profile.radius, 400)])
    assert (np.diff(z) >= -1e-12).all() and (np.diff(z, 2) >= -1e-9).all()


def test_shapes_of_the_kinds() -> None:
    def at(kind: str, rho: float, **more: float) -> float:
        return Tool(
            number=1, kind=kind, DC=10.0, length=80.0, APMX=25.0, stickout=45.0, shank=10.0, **more
        ).profile.height(rho)  # type: ignore[arg-type]

    assert at("ball-end", 3.0) == pytest.approx(1.0)  # 5 - sqrt(25 - 9)
    assert at("bull-nose", 4.2, RE=2.0) == pytest.approx(2.0 - math.sqrt(4.0 - 1.44))
    assert at("end-mill", 5.0) == at("face-mill", 5.0) == at("tap", 5.0) == at("boring-bar", 5.0) == 0.0
    assert at("taper-mill", 6.0, KAPR=math.radians(45.0)) == pytest.approx(1.0)
    assert at("chamfer-mill", 2.0, SIG=math.radians(90.0)) == pytest.approx(2.0)
    assert at("drill", 3.0, SIG=math.radians(118.0)) == pytest.approx(3.0 / math.tan(math.radians(59.0)))
    assert at("drill", 5.0, SIG=math.pi) == 0.0
    # A 90-degree point rounded by 1: tangent at 45 degrees, 1 / sqrt(2) from the axis.
    rounded = Tool(
        number=1,
        kind="engraver",
        DC=10.0,
        length=80.0,
        APMX=25.0,
        stickout=45.0,
        shank=10.0,
        RE=1.0,
        SIG=math.radians(90.0),
    ).profile
    assert rounded.height(math.sqrt(0.5)) == pytest.approx(1.0 - math.sqrt(0.5))
    assert rounded.height(2.0) == pytest.approx(1.0 - math.sqrt(0.5) + 2.0 - math.sqrt(0.5))


# -- against paper ------------------------------------------------------------------------------------------------------------


def test_a_ball_plunged_to_its_middle() -> None:
    """Half a sphere: 2 pi r^3 / 3."""
    assert removed(cut_moves([((30, 25, 30), (30, 25, 15))], tool=BALL)) == pytest.approx(
        2 * math.pi * 125 / 3, rel=0.003
    )


def test_a_ball_along_a_groove() -> None:
    """A segment of a circle 2 mm high times the length, and a spherical cap pi h^2 (3 r - h) / 3 at the two ends together."""
    r, h = 5.0, 2.0
    segment = r * r * math.acos((r - h) / r) - (r - h) * math.sqrt(2 * r * h - h * h)
    exact = 30 * segment + math.pi * h * h * (3 * r - h) / 3
    assert removed(cut_moves([((15, 25, 18), (45, 25, 18))], tool=BALL)) == pytest.approx(exact, rel=0.004)


def test_a_bull_nose_groove_keeps_its_corners_radius() -> None:
    """5 mm deep: 10 x 5 less the two corners' (1 - pi / 4) r^2, times the length, and a turned body at the ends."""
    history = cut_moves([((15, 25, 15), (45, 25, 15))], tool=BULL)
    section = 10 * 5 - 2 * (1 - math.pi / 4) * 4
    h = history.final.h
    assert float((20.0 - h[:, 300].astype(float)).sum() * 0.1) == pytest.approx(section, rel=0.004)


def test_a_tapered_groove() -> None:
    """Floor 4 wide, sides 15 degrees from upright, 5 deep: top 4 + 2 x 5 tan 15."""
    history = cut_moves([((15, 25, 15), (45, 25, 15))], tool=TAPER)
    top = 4 + 10 * math.tan(math.radians(15.0))
    assert float((20.0 - history.final.h[:, 300].astype(float)).sum() * 0.1) == pytest.approx(
        (4 + top) / 2 * 5, rel=0.01
    )


@pytest.mark.parametrize("step", [0.5, 1.0, 2.0])
def test_scallops_of_a_ball(step: float) -> None:
    """h = R - sqrt(R^2 - (s/2)^2) (any machinist's handbook), seen in the simulated surface."""
    moves: list[Move] = [((5, 20 + k * step, 15), (55, 20 + k * step, 15)) for k in range(9)]
    h = cut_moves(moves, tool=BALL, cell=0.02).final.h
    rows = slice(round((20 + 2 * step) / 0.02), round((20 + 6 * step) / 0.02))
    ridge = float(h[rows, 1500].max()) - 15.0
    assert ridge == pytest.approx(5.0 - math.sqrt(25.0 - step * step / 4.0), abs=5e-4 + 0.02 * step / 10)


# -- against brute force -------------------------------------------------------------------------------------------------------


@settings(deadline=None, max_examples=150)
@given(st.sampled_from([BALL, BULL, TAPER, TAPER_BALL]), st.floats(-12, 12), st.floats(-6, 6), st.floats(-2.0, 2.0))
def test_the_lowest_place_on_a_slope(tool: int, px: float, py: float, rise: float) -> None:
    """The envelope over any point, against 4000 places along the way."""
    radius, flat, corner, slope = outline(tool)
    z, _s, _s0, _s1 = _line_low(px, py, 1.0, 0.0, 10.0, 3.0, rise, radius, flat, corner, slope)
    s = np.linspace(0.0, 10.0, 4001)
    rho = np.hypot(px - s, py)
    under = rho <= radius
    if not (rho <= radius - 1e-9).any():
        # Beside the tool, or a place that its edge alone passes over.
        assert z == np.inf or np.abs(rho - radius).min() < 0.01
        return
    heights = [3.0 + rise * a + TOOLS[tool].profile.height(float(b)) for a, b in zip(s[under], rho[under])]
    assert z <= min(heights) + 1e-9
    # Between two of the 4000 places the outline may be lower; near its steep edge by more.
    assert z >= min(heights) - 0.12


@pytest.mark.parametrize("tool", [BALL, BULL, TAPER_BALL])
def test_a_helix_is_what_many_small_steps_leave(tool: int) -> None:
    from underglass.core.control.motions import MotionBuilder
    from underglass.core.control.state import InForce
    from underglass.core.removal.toolpath import tip_path

    made = MotionBuilder()
    state = InForce(1, "G54", (0.0, 0.0, 0.0), None, 0.0, "clockwise", 1.0, False, "G2", "G90", "mm", "G98")
    made.add(
        1, 3, made.state_index(state), (43.0, 25.0, 99.0), (43.0, 25.0, 94.0), 100.0, (30.0, 25.0, math.nan), math.tau
    )  # type: ignore[arg-type]
    path = tip_path(made.build([], [], []), np.zeros(1, dtype=np.int32), [TOOLS[tool]], BLOCK.frame)
    assert path.moves == 1 and len(path) > 100 and (path.sweep == 0.0).all()
    assert path.start[0].tolist() == [43.0, 25.0, 19.0] and path.end[-1] == pytest.approx([43.0, 25.0, 14.0])
    on_circle = np.hypot(path.start[:, 0] - 30.0, path.start[:, 1] - 25.0)
    assert on_circle == pytest.approx(13.0)
    middle = (path.start + path.end) / 2
    assert (13.0 - np.hypot(middle[:, 0] - 30.0, middle[:, 1] - 25.0)).max() <= TOLERANCES.chord_mm * 1.001


# -- against solids ------------------------------------------------------------------------------------------------------------


def solid_at(tool: int, place: np.ndarray) -> m3.Manifold:
    """The tool as a turned body: its outline in fine steps, and its side up and out of the block."""
    p = TOOLS[tool].profile
    rho = np.linspace(0.0, p.radius, 49)
    points = [(float(r), p.height(float(r))) for r in rho] + [(p.radius, 60.0), (0.0, 60.0)]
    return m3.Manifold.revolve(m3.CrossSection([points]), 96).translate(place.tolist())


PATHS: dict[str, list[Move]] = {
    "level": [((15, 12, 15), (44, 33, 15))],
    "sloped": [((12, 12, 19), (44, 33, 13)), ((44, 33, 13), (44, 15, 16))],
    "plunge": [((30, 25, 30), (30, 25, 12))],
    "arc": [((42, 25, 15), (30, 37, 15), (30, 25), math.pi / 2)],
}


@pytest.mark.parametrize("tool", list(NAMES), ids=list(NAMES.values()))
@pytest.mark.parametrize("name", list(PATHS))
def test_volume_is_the_reference_solids(name: str, tool: int) -> None:
    """A convex tool's straight sweep is the hull of its two ends; its error falls with the cell."""
    cuts = []
    for move in PATHS[name]:
        a, b = np.array(move[0], float), np.array(move[1], float)
        places = np.array([a, b])
        if len(move) == 4:
            # Chords 0.0036 mm from the arc, in the long runs 0.0009.
            t = np.linspace(0.0, math.pi / 2, 65 if os.environ.get("UNDERGLASS_DEEP") else 33)
            places = np.column_stack([30 + 12 * np.cos(t), 25 + 12 * np.sin(t), np.full(len(t), 15.0)])
        bodies = [solid_at(tool, place) for place in places]
        cuts += [m3.Manifold.batch_hull(pair) for pair in itertools.pairwise(bodies)]
    solid = m3.Manifold.cube(list(BLOCK.size)) - m3.Manifold.batch_boolean(cuts, m3.OpType.Add)
    taken = float(np.prod(BLOCK.size)) - solid.volume()
    errors = [abs(removed(cut_moves(PATHS[name], tool=tool, cell=cell)) - taken) / taken for cell in (0.4, 0.1)]
    assert errors[1] < 0.004 and errors[1] <= errors[0] + 0.002
