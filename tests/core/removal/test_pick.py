"""A ray meets the cell that trimesh's ray meets."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh

from tests.core.removal.shapes import cut_moves
from underglass.core.removal.pick import first_cell


def test_rays_against_a_mesh_of_the_same_field() -> None:
    history = cut_moves([((15, 25, 12), (45, 25, 12)), ((30, 10, 30), (30, 10, 5))], cell=2.0)
    field = history.final
    boxes = []
    for j in range(field.grid.ny):
        for i in range(field.grid.nx):
            height = float(field.h[j, i])
            if height > 0:
                box = trimesh.creation.box((2.0, 2.0, height))
                box.apply_translation((i * 2 + 1, j * 2 + 1, height / 2))
                boxes.append(box)
    mesh = trimesh.util.concatenate(boxes)
    rng = np.random.default_rng(2)
    met = 0
    for _ in range(80):
        start = rng.uniform((-20, -20, 22), (80, 70, 60))
        way = rng.uniform((5, 5, 2), (55, 45, 18)) - start
        way /= np.linalg.norm(way)
        places, _rays, _faces = mesh.ray.intersects_location([start], [way])
        hit = first_cell(field, start, way)
        if len(places) == 0:
            assert hit is None
            continue
        assert hit is not None
        met += 1
        assert hit.distance == pytest.approx(np.linalg.norm(places - start, axis=1).min(), abs=1e-3)
    assert met > 40


def test_a_ray_that_misses() -> None:
    field = cut_moves([], cell=2.0).final
    assert first_cell(field, np.array([0.0, 0.0, 50.0]), np.array([0.0, 0.0, 1.0])) is None
