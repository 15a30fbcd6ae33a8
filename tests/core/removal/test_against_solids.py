"""Whole paths against solids that another library computes: manifold3d (hulls of discs, subtracted from a block).

The reference is itself an approximation: discs of 96 corners, arcs in chords. Both errors are small against a cell.
"""

from __future__ import annotations

import itertools
import math

import manifold3d as m3
import numpy as np
import pytest

from tests.core.removal.shapes import BLOCK, Move, cut_moves, removed

SIDES = 96


def flat_at(place: np.ndarray, radius: float) -> m3.Manifold:
    return m3.Manifold.cylinder(60.0, radius, radius, SIDES).translate(place.tolist())


def drill_at(place: np.ndarray, radius: float, point: float) -> m3.Manifold:
    cone = m3.Manifold.cylinder(point, 1e-3, radius, SIDES)
    return (cone + m3.Manifold.cylinder(60.0, radius, radius, SIDES).translate([0, 0, point])).translate(place.tolist())


def swept(tool: int, a: np.ndarray, b: np.ndarray) -> m3.Manifold:
    """A convex tool's straight sweep is the hull of its two ends."""
    make = (lambda p: flat_at(p, 5.0)) if tool == 0 else (lambda p: drill_at(p, 4.0, 4.0 / math.tan(math.radians(59))))
    return m3.Manifold.batch_hull([make(a), make(b)])


def chords(move: Move, round_steps: int = 64) -> np.ndarray:
    """Places along a move: as many on an arc as its share of ``round_steps`` to the whole turn, so that each chord is off by as little."""
    a, b = np.array(move[0], float), np.array(move[1], float)
    if len(move) == 2:
        return np.stack([a, b])
    centre, turn = np.array(move[2], float), float(move[3])
    t = np.linspace(0, 1, max(8, math.ceil(round_steps * abs(turn) / math.tau)) + 1)
    start = math.atan2(a[1] - centre[1], a[0] - centre[0])
    r = math.dist(a[:2], centre)
    return np.stack(
        [centre[0] + r * np.cos(start + turn * t), centre[1] + r * np.sin(start + turn * t), a[2] + (b[2] - a[2]) * t],
        axis=1,
    )


def reference(moves: list[Move], tool: int) -> m3.Manifold:
    solid = m3.Manifold.cube(list(BLOCK.size))
    cuts = []
    for move in moves:
        places = chords(move)
        cuts.extend(swept(tool, a, b) for a, b in itertools.pairwise(places))
    return solid - m3.Manifold.batch_boolean(cuts, m3.OpType.Add)


PATHS: dict[str, list[Move]] = {
    "straight": [((15, 12, 15), (44, 33, 15))],
    "sloped": [((12, 12, 20), (44, 33, 11)), ((44, 33, 11), (44, 15, 16))],
    "plunge": [((30, 25, 30), (30, 25, 7))],
    "arc": [((42, 25, 14), (30, 37, 14), (30, 25), math.pi / 2)],
    "clockwise": [((42, 25, 14), (30, 13, 14), (30, 25), -math.pi / 2)],
    "helix": [((42, 25, 20), (42, 25, 12), (30, 25), math.tau)],
    "over the edge": [((-3, 10, 12), (65, 45, 17))],
}


@pytest.mark.parametrize("tool", [0, 1], ids=["flat", "drill"])
@pytest.mark.parametrize("name", list(PATHS))
def test_volume_is_the_reference_solids(name: str, tool: int) -> None:
    moves = PATHS[name]
    solid = reference(moves, tool)
    taken = float(np.prod(BLOCK.size)) - solid.volume()
    value = removed(cut_moves(moves, tool=tool, cell=0.1))
    edge = sum(np.linalg.norm(np.diff(chords(m), axis=0), axis=1).sum() * 2 + 32 for m in moves)
    # A fifth of a cell along every edge, and the corners of the 96-sided discs (0.07 % of a disc's area).
    assert abs(value - taken) < 0.2 * 0.1 * edge * 8 + 0.0012 * taken


@pytest.mark.parametrize("seed", range(6))
def test_random_paths(seed: int) -> None:
    rng = np.random.default_rng(seed)
    tool = int(rng.integers(0, 2))
    places = rng.uniform([5, 5, 8], [55, 45, 22], size=(9, 3))
    moves: list[Move] = list(zip(places[:-1].tolist(), places[1:].tolist()))
    solid = reference(moves, tool)
    taken = float(np.prod(BLOCK.size)) - solid.volume()
    errors = [abs(removed(cut_moves(moves, tool=tool, cell=cell)) - taken) / taken for cell in (0.4, 0.1)]
    assert errors[1] < 0.006
    assert errors[1] < errors[0] + 0.002


@pytest.mark.parametrize("name", ["sloped", "helix", "over the edge"])
def test_heights_are_where_a_ray_meets_the_reference(name: str) -> None:
    """Heights at cell middles against slices of the reference: inside below the surface, outside above it."""
    history = cut_moves(PATHS[name], cell=0.5)
    solid = reference(PATHS[name], 0)
    rng = np.random.default_rng(1)
    field = history.final
    wrong = 0
    for _ in range(60):
        j, i = int(rng.integers(0, field.grid.ny)), int(rng.integers(0, field.grid.nx))
        x, y, z = (i + 0.5) * 0.5, (j + 0.5) * 0.5, float(field.h[j, i])
        probe = m3.Manifold.cube([0.02, 0.02, 19.0 + 1e-3]).translate([x - 0.01, y - 0.01, 0.0])
        column = (solid ^ probe).volume() / 0.0004
        # Next to a wall the thin column may straddle it.
        wrong += abs(column - min(z, 19.001)) > 0.05
    assert wrong <= 2
