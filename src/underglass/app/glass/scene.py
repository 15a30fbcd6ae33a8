"""From a proof to what is drawn: path lines, bodies, colours. Arrays only; no Qt, no OpenGL.

World coordinates of the glass are those of the true G54 zero (or the first there is), mm: the part's own axes.
"""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from underglass.core.bench.tool import Tool
from underglass.core.proof.proof import Proof
from underglass.core.removal.toolpath import tip_path

Floats = NDArray[np.float32]

RAPID, FEED, PLUNGE, CENTRE, HIDDEN = 0, 1, 2, 3, -1
"""Line styles: long-dashed, solid, double weight, dotted, not drawn."""

_CHORD_MM = 0.02
_FINE_CHORD_MM, _FEW_ARCS = 0.002, 5_000
"""Where there are only so many arcs, their chords are not seen even under the loupe."""


@dataclass(frozen=True, slots=True, kw_only=True)
class PathLines:
    """Segments (m, 9) float32: from x y z, to x y z, length before, length after, style; ``first`` (n + 1,) of each move."""

    rows: Floats
    first: NDArray[np.int64]
    low: NDArray[np.float64]
    high: NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Body:
    """Triangles (k, 6) float32: place and normal, in the body's own coordinates."""

    triangles: Floats


def path_lines(proof: Proof) -> PathLines:
    """The real tip's way as segments, arcs in chords no farther off than a hair."""
    motions = proof.motions
    path = tip_path(motions, proof.tool_row, proof.tool_table.tools, proof.job.bench.part_zero)
    n = len(path)
    rapid = motions.rapid()[path.move]
    if not n:
        empty = np.zeros(3)
        return PathLines(rows=np.zeros((0, 9), np.float32), first=np.zeros(1, np.int64), low=empty, high=empty)
    radius = motions.radius()[path.move]
    pieces = np.ones(n, dtype=np.int64)
    arc = path.sweep != 0.0
    few = int(arc.sum()) <= _FEW_ARCS
    chord, least = (_FINE_CHORD_MM, 0.006) if few else (_CHORD_MM, 0.02)
    step = 2.0 * np.arccos(np.clip(1.0 - chord / np.maximum(radius[arc], chord), -1.0, 1.0))
    pieces[arc] = np.maximum(np.ceil(np.abs(path.sweep[arc]) / np.maximum(step, least)), 1).astype(np.int64)
    first = np.concatenate([[0], np.cumsum(pieces)])
    move = np.repeat(np.arange(n), pieces)
    k = np.arange(first[-1]) - first[move]
    places = []
    for share in (k / pieces[move], (k + 1) / pieces[move]):
        at = path.start[move] + (path.end[move] - path.start[move]) * share[:, None]
        bent = np.flatnonzero(arc[move])
        m = move[bent]
        away = path.start[m, :2] - path.centre[m]
        angle = np.arctan2(away[:, 1], away[:, 0]) + path.sweep[m] * share[bent]
        r = np.hypot(away[:, 0], away[:, 1])
        at[bent, 0] = path.centre[m, 0] + r * np.cos(angle)
        at[bent, 1] = path.centre[m, 1] + r * np.sin(angle)
        places.append(at)
    start, end = places
    size = np.linalg.norm(end - start, axis=1)
    along = np.concatenate([[0.0], np.cumsum(size)])
    flat = np.hypot(*(path.end - path.start)[:, :2].T)
    plunge = (flat < 1e-6) & (path.end[:, 2] < path.start[:, 2]) & ~arc
    style = np.where(rapid, RAPID, np.where(plunge, PLUNGE, FEED))
    rows = np.empty((len(move), 9), dtype=np.float32)
    rows[:, 0:3], rows[:, 3:6] = start, end
    rows[:, 6], rows[:, 7] = along[:-1] % 1000.0, along[:-1] % 1000.0 + size
    rows[:, 8] = style[move]
    fed = style != RAPID
    where = np.concatenate([path.start[fed], path.end[fed]]) if fed.any() else path.end
    return PathLines(rows=rows, first=first[path.first], low=where.min(axis=0), high=where.max(axis=0))


def box_body(size: tuple[float, float, float]) -> Body:
    """A box from the origin."""
    x, y, z = size
    quads = []
    for axis in range(3):
        for side in (0, 1):
            normal = [0.0, 0.0, 0.0]
            normal[axis] = 1.0 if side else -1.0
            u, v = (axis + 1) % 3, (axis + 2) % 3
            corners = []
            for a, b in ((0, 0), (1, 0), (1, 1), (0, 1)):
                at = [0.0, 0.0, 0.0]
                at[axis], at[u], at[v] = float(side), float(a), float(b)
                corners.append([at[0] * x, at[1] * y, at[2] * z, *normal])
            quads.extend([corners[k] for k in ((0, 1, 2, 0, 2, 3) if side else (0, 2, 1, 0, 3, 2))])
    return Body(np.array(quads, dtype=np.float32))


def mesh_body(triangles: NDArray[np.float64]) -> Body:
    """Triangles ``(n, 3, 3)`` with a normal a face."""
    normal = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
    size = np.linalg.norm(normal, axis=1, keepdims=True)
    normal = np.divide(normal, size, out=np.zeros_like(normal), where=size > 0.0)
    rows = np.concatenate([triangles, np.repeat(normal[:, None, :], 3, axis=1)], axis=2)
    return Body(rows.reshape(-1, 6).astype(np.float32))


def turned_body(outline: list[tuple[float, float]], sides: int = 40) -> Body:
    """A solid of revolution about Z from (radius, height) points upwards, closed below and above."""
    angle = np.linspace(0.0, 2.0 * math.pi, sides + 1)
    cos, sin = np.cos(angle), np.sin(angle)
    points = [(0.0, outline[0][1]), *outline, (0.0, outline[-1][1])]
    rows = []
    for (r0, z0), (r1, z1) in itertools.pairwise(points):
        if r0 == r1 == 0.0:
            continue
        out, up = z1 - z0, r0 - r1
        size = math.hypot(out, up) or 1.0
        for k in range(sides):
            quad = []
            for r, z, a in ((r0, z0, k), (r0, z0, k + 1), (r1, z1, k + 1), (r1, z1, k)):
                quad.append([r * cos[a], r * sin[a], z, out / size * cos[a], out / size * sin[a], up / size])
            rows.extend([quad[0], quad[1], quad[2], quad[0], quad[2], quad[3]])
    return Body(np.array(rows, dtype=np.float32))


def tool_bodies(tool: Tool, nose_diameter: float) -> dict[str, Body]:
    """Cutter, shank, holder and spindle nose of a tool, tip at the origin."""
    out: dict[str, list[Body]] = {}
    profile = tool.profile
    for part in tool.solids(nose_diameter):
        top = part.top if part.part != "spindle" else part.bottom + 35.0
        if part.part == "cutter" and (profile.slope or profile.corner):
            steps = np.linspace(profile.flat, profile.radius, 17 if profile.corner else 2)
            lower = [(float(rho), profile.height(float(rho))) for rho in steps]
            shape = turned_body([*((r, z) for r, z in lower if z <= top), (part.radius, top)])
        else:
            shape = turned_body([(part.radius, part.bottom), (part.radius, top)])
        out.setdefault(part.part, []).append(shape)
    return {name: Body(np.concatenate([b.triangles for b in bodies])) for name, bodies in out.items()}


def hide(lines: PathLines, moves: NDArray[np.bool_]) -> PathLines:
    """The path with some moves, ``(n,)``, not drawn."""
    if not moves.any():
        return lines
    rows = lines.rows.copy()
    rows[np.repeat(moves, np.diff(lines.first)), 8] = HIDDEN
    return PathLines(rows=rows, first=lines.first, low=lines.low, high=lines.high)
