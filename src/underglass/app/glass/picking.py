"""What is under a point of the picture: a move of the path, or a surface and the line that cut it. No OpenGL needed."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from underglass.app.glass.camera import Camera
from underglass.app.glass.scene import HIDDEN, PathLines
from underglass.app.glass.skin import SkinHit
from underglass.app.glass.stage import Stage
from underglass.core.control.motions import Kind
from underglass.core.proof.proof import Proof
from underglass.core.removal.pick import CellHit
from underglass.core.units import Unit, from_mm, show_clock, show_length

Places = NDArray[np.float64]
_NEAR_PIXELS = 6.0
_BEHIND_MM = 0.5
_TRIED = 40
KIND_WORDS = {
    Kind.RAPID: "Rapid",
    Kind.FEED: "Feed",
    Kind.ARC_CW: "Arc clockwise",
    Kind.ARC_CCW: "Arc counter-clockwise",
    Kind.DWELL: "Dwell",
    Kind.CYCLE_FEED: "Cycle, feed",
    Kind.CYCLE_RAPID: "Cycle, rapid",
}


class View(NamedTuple):
    """A camera and the picture's size in points."""

    camera: Camera
    width: int
    height: int

    def project(self, place: Places) -> Places:
        """World places ``(n, 3)`` as points of the picture and their depth ``(n, 3)``."""
        matrix = self.camera.view_projection(self.width, self.height)
        clip = place @ matrix[:, :3].T + matrix[:, 3]
        clip = clip[:, :3] / np.maximum(np.abs(clip[:, 3:]), 1e-9)
        return np.stack([(clip[:, 0] + 1) / 2 * self.width, (1 - clip[:, 1]) / 2 * self.height, clip[:, 2]], axis=1)

    def ray(self, x: float, y: float) -> tuple[Places, Places]:
        """(start, unit direction) of the line of sight through a point."""
        return self.camera.ray(x, y, self.width, self.height)


def _near(lines: PathLines, view: View, x: float, y: float) -> tuple[NDArray[np.int64], Places, Places]:
    """Segments within a few points of (x, y), nearest first: their numbers, distances and shares."""
    matrix = view.camera.view_projection(view.width, view.height).astype(np.float32)
    ends = []
    for columns in (slice(0, 3), slice(3, 6)):
        clip = lines.rows[:, columns] @ matrix[[0, 1, 3], :3].T + matrix[[0, 1, 3], 3]
        w = np.maximum(np.abs(clip[:, 2]), np.float32(1e-9))
        ends.append(((clip[:, 0] / w + 1) * (view.width / 2) - x, (1 - clip[:, 1] / w) * (view.height / 2) - y))
    (ax, ay), (bx, by) = ends
    # Most segments lie well aside: only the others are looked at more closely.
    limit = np.float32(_NEAR_PIXELS)
    close = np.flatnonzero(
        (np.minimum(ax, bx) < limit)
        & (np.maximum(ax, bx) > -limit)
        & (np.minimum(ay, by) < limit)
        & (np.maximum(ay, by) > -limit)
        & (lines.rows[:, 8] != HIDDEN)
    )
    a = np.stack([ax[close], ay[close]], axis=1).astype(np.float64)
    step = np.stack([bx[close], by[close]], axis=1).astype(np.float64) - a
    size = np.maximum((step**2).sum(axis=1), 1e-12)
    share = np.clip(-(a * step).sum(axis=1) / size, 0.0, 1.0)
    away = np.linalg.norm(a + step * share[:, None], axis=1)
    order = np.argsort(away, kind="stable")
    order = order[away[order] < _NEAR_PIXELS]
    return close[order], away[order], share[order]


def path_at(stage: Stage, view: View, x: float, y: float) -> int | None:
    """The move whose path runs nearest to a point, within a few pixels, not behind the stock and not cut away."""
    lines = stage.lines
    if lines is None or not len(lines.rows) or not stage.showing.lines:
        return None
    found, _away, shares = _near(lines, view, x, y)
    if not len(found):
        return None
    start, way = view.ray(x, y)
    hit = stage.surface(start, way) if stage.showing.solid else None
    limit = hit[0].distance + _BEHIND_MM if hit is not None else np.inf
    section = stage.showing.section
    for k, share in zip(found[:_TRIED].tolist(), shares.tolist()):
        place = (lines.rows[k, 0:3] + (lines.rows[k, 3:6] - lines.rows[k, 0:3]) * share).astype(np.float64)
        if section is not None and np.dot(section.plane()[:3], place) + section.plane()[3] > 0.0:
            continue
        if (place - start) @ way <= limit:
            return int(np.searchsorted(lines.first, k, side="right")) - 1
    return None


def surface_at(stage: Stage, view: View, x: float, y: float) -> tuple[CellHit | SkinHit, int] | None:
    """The cell under a point and the move that last cut it (below 0: none)."""
    return stage.surface(*view.ray(x, y)) if stage.showing.solid else None


def move_at(stage: Stage, view: View, x: float, y: float) -> int | None:
    """The move whose path, or whose cut surface, is under a point: path first."""
    move = path_at(stage, view, x, y)
    if move is None:
        hit = surface_at(stage, view, x, y)
        move = hit[1] if hit is not None and hit[1] >= 0 else None
    return move


def about_move(proof: Proof, move: int, unit: Unit) -> str:
    """A move in words: kind, from, to, length, feed, time, line, and what is in force."""
    motions = proof.motions
    state = motions.state_of(move)
    places = [state.work(motions.at(move, share)) for share in (0.0, 1.0)]
    machine = proof.job.bench.machine
    factors = {"x": machine.x_factor, "y": 1.0, "z": 1.0}
    begin, end = (
        "  ".join(f"{a.upper()} {show_length(factors[a] * v, unit)}" for a, v in zip("xyz", p) if a in machine.axes)
        for p in places
    )
    feed = float(motions.feed[move])
    rate = "at rapid" if np.isnan(feed) else f"F {from_mm(feed, unit):.4g} {unit}/min"
    length = float(motions.length_of(move))
    spent = float(proof.timing.duration[move])
    seconds = f"{spent:.2f} s" if spent < 60.0 else show_clock(spent)
    length_register = "" if state.h_number is None else f"  H{state.h_number}"
    spindle = f"S {state.speed:g}" if state.spindle != "off" else "spindle stopped"
    tool = f"T{state.tool}" if state.tool else "no tool"
    return (
        f"{KIND_WORDS[Kind(int(motions.kind[move]))]}, line {int(motions.line[move])}\n"
        f"from {begin}\nto   {end}\n"
        f"{show_length(length, unit)} {unit}, {rate}, {seconds}, begun at {show_clock(float(proof.timing.start[move]))}\n"
        f"{tool}{length_register}  {state.offset}  {spindle}"
    )


def about_surface(stage: Stage, proof: Proof, hit: tuple[CellHit | SkinHit, int], unit: Unit) -> str:
    """A surface in words: how high, how deep below what was clamped, and the line and tool that cut it."""
    if isinstance(hit[0], SkinHit):
        return stage.skin.about(hit[0], unit) if stage.skin is not None else ""
    loupe = stage.loupe
    cell = f"\ncells of {show_length(loupe[1].field.grid.cell, unit)} {unit}" if loupe is not None else ""
    place = stage.world.into(np.array([hit[0].place]))[0]
    where = "  ".join(f"{axis} {show_length(float(v), unit)}" for axis, v in zip("XYZ", place))
    if hit[1] < 0:
        return f"Uncut stock\n{where}{cell}"
    deep = ""
    for history in proof.stocks:
        local = history.grid.frame.into(np.array([hit[0].place]))[0]
        was = history.uncut.height_at(float(local[0]), float(local[1]))
        if not np.isnan(was):
            deep = f"\n{show_length(max(float(was - local[2]), 0.0), unit)} {unit} below the stock as clamped"
    state = proof.motions.state_of(hit[1])
    return f"{where}{deep}\ncut by line {int(proof.motions.line[hit[1]])} with tool {state.tool}{cell}"
