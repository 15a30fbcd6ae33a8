"""The field's surface as closed triangles: floors, walls and underside, every edge shared by exactly two of them.

A floor is a cell's square at its height, a wall the step between two cells. Where four cells meet at three or four heights
a wall's upright side is split at the others', so that neighbours share whole edges. Two cells that would touch only along an
upright edge are joined: the lower of the two others is raised to the lower of the pair, which adds less than a cell.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from underglass.core.removal.field import Field

Ints = NDArray[np.int64]
_TICK = 1e-4
"""Heights count in tenths of a micrometre, so that equal ones are equal."""

_MOST_CELLS = 400_000


def skin(field: Field, most_cells: int = _MOST_CELLS) -> tuple[NDArray[np.float64], Ints]:
    """Vertices ``(n, 3)`` real coordinates, mm, and faces ``(m, 3)``, counter-clockwise from outside; empty without stock.

    Fields of more than ``most_cells`` cells are read at every second, third, … cell's middle.
    """
    grid = field.grid
    stride = 1
    while (grid.nx // stride) * (grid.ny // stride) > most_cells:
        stride += 1
    heights = np.round(field.h[stride // 2 :: stride, stride // 2 :: stride].astype(np.float64) / _TICK).astype(
        np.int64
    )
    padded = np.zeros((heights.shape[0] + 2, heights.shape[1] + 2), dtype=np.int64)
    padded[1:-1, 1:-1] = heights
    _join_corners(padded)
    keys, faces = _faces(padded)
    if not len(faces):
        return np.empty((0, 3)), np.empty((0, 3), dtype=np.int64)
    unique, index = np.unique(keys, return_inverse=True)
    across = padded.shape[1] + 1
    lattice, z = unique >> 26, unique & ((1 << 26) - 1)
    cell = grid.cell * stride
    # The padding's ring of empty cells lies outside: its lattice begins one cell before the field.
    places = np.column_stack([(lattice % across - 1) * cell, (lattice // across - 1) * cell, z * _TICK])
    return grid.frame.out(places.astype(np.float64)), index.reshape(-1)[faces]


def _join_corners(h: Ints) -> None:
    """No two cells may meet in an upright edge alone."""
    for _ in range(64):
        a, b, c, d = h[:-1, :-1], h[:-1, 1:], h[1:, :-1], h[1:, 1:]
        one = np.minimum(a, d) > np.maximum(b, c)
        two = np.minimum(b, c) > np.maximum(a, d)
        if not (one | two).any():
            return
        j, i = np.nonzero(one)
        inner = (i + 1 < h.shape[1] - 1) & (j > 0)
        h[j[inner], i[inner] + 1] = np.minimum(h[j, i], h[j + 1, i + 1])[inner]
        h[j[~inner] + 1, i[~inner]] = np.minimum(h[j, i], h[j + 1, i + 1])[~inner]
        if one.any():
            continue
        j, i = np.nonzero(two)
        inner = (i > 0) & (j > 0)
        h[j[inner], i[inner]] = np.minimum(h[j, i + 1], h[j + 1, i])[inner]
        h[j[~inner] + 1, i[~inner] + 1] = np.minimum(h[j, i + 1], h[j + 1, i])[~inner]


def _faces(h: Ints) -> tuple[Ints, Ints]:
    """(a key a corner: lattice point and height, faces as indices of the keys)."""
    ny, nx = h.shape
    across = nx + 1
    point = np.arange((ny + 1) * across, dtype=np.int64).reshape(ny + 1, across)
    keys: list[Ints] = []

    def triangles(one: Ints, two: Ints, three: Ints) -> None:
        real = (one != two) & (two != three) & (one != three)
        keys.append(np.column_stack([one[real], two[real], three[real]]).reshape(-1))

    j, i = np.nonzero(h > 0)
    p00, p10, p11, p01 = point[j, i], point[j, i + 1], point[j + 1, i + 1], point[j + 1, i]
    for top in (True, False):
        z = h[j, i] if top else np.zeros_like(j)
        q = [(p << 26) | z for p in (p00, p10, p11, p01)]
        if not top:
            q = q[::-1]
        triangles(q[0], q[1], q[2])
        triangles(q[0], q[2], q[3])
    # Heights of the four cells about every lattice point.
    wide = np.zeros((ny + 2, nx + 2), dtype=np.int64)
    wide[1:-1, 1:-1] = h
    about = np.stack([wide[:-1, :-1], wide[:-1, 1:], wide[1:, :-1], wide[1:, 1:]], axis=-1).reshape(-1, 4)
    walls = []
    # Between columns i and i + 1 runs the lattice line x = i + 1; between rows j and j + 1 the line y = j + 1.
    j, i = np.nonzero(h[:, :-1] != h[:, 1:])
    left = h[j, i] > h[j, i + 1]
    a, b = point[j, i + 1], point[j + 1, i + 1]
    walls.append((np.where(left, a, b), np.where(left, b, a), h[j, i], h[j, i + 1]))
    j, i = np.nonzero(h[:-1, :] != h[1:, :])
    front = h[j, i] > h[j + 1, i]
    a, b = point[j + 1, i + 1], point[j + 1, i]
    walls.append((np.where(front, a, b), np.where(front, b, a), h[j, i], h[j + 1, i]))
    for begin, end, one, two in walls:
        low, high = np.minimum(one, two), np.maximum(one, two)
        chains = []
        for p in (begin, end):
            heights = np.sort(np.clip(about[p], low[:, None], high[:, None]), axis=1)
            heights = np.column_stack([low, heights, high])
            chains.append((p[:, None] << 26) | heights)
        p, q = chains
        for k in range(p.shape[1] - 1):
            triangles(p[:, k], q[:, k], q[:, k + 1])
            triangles(p[:, k], q[:, k + 1], p[:, k + 1])
    flat = np.concatenate(keys) if keys else np.empty(0, dtype=np.int64)
    return flat, np.arange(len(flat), dtype=np.int64).reshape(-1, 3)
