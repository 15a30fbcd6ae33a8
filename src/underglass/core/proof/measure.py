"""Measuring the stock like a part: heights at points, at the end or after a line."""

from __future__ import annotations

import math

import numpy as np

from underglass.core.proof.proof import Proof


def moves_done_after(proof: Proof, line: int) -> int:
    """How many moves are made when this line is done (its last run); lines without moves count what is before them."""
    lines = proof.motions.line
    mine = np.flatnonzero(lines == line)
    if len(mine):
        return int(mine[-1]) + 1
    return int(np.count_nonzero(lines < line)) if line > 0 else 0


def heights(proof: Proof, points: list[tuple[float, float]], after_line: int | None = None) -> list[float]:
    """Z of the stock's surface at X Y points, all in coordinates of the true G54 (or first) zero, mm; nan off the stock."""
    zero = proof.job.bench.part_zero
    at = np.array([[x, y, 0.0] for x, y in points], dtype=np.float64).reshape(-1, 3)
    real = zero.out(at)
    out = [math.nan] * len(points)
    for history in proof.stocks:
        field = history.final
        if after_line is not None:
            cursor = history.cursor()
            cursor.go(moves_done_after(proof, after_line), 0.0)
            field = cursor.field
        local = history.grid.frame.into(real)
        for k in range(len(points)):
            height = field.height_at(float(local[k, 0]), float(local[k, 1]))
            if not math.isnan(height):
                surface = history.grid.frame.z + height - zero.z
                out[k] = surface if math.isnan(out[k]) else max(out[k], surface)
    return out
