"""Where a run is to be held while it is played: blocks, passes, levels, stops, tool changes, findings, a line, a depth.

Glossary
    pass    a cut without a rapid in it: it is over where the next rapid begins
    level   the height at which the tool cuts sideways; a new one begins where that height changes
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from underglass.core.control.motions import Kind
from underglass.core.proof.proof import Proof
from underglass.core.removal.toolpath import tip_path
from underglass.core.units import Unit, show_length

HALTS = (
    ("block", "Each block"),
    ("pass", "The end of each pass"),
    ("level", "Each new level of Z"),
    ("stop", "Stops (M0)"),
    ("optional", "Optional stops (M1)"),
    ("tool", "Tool changes"),
    ("finding", "Findings"),
    ("line", "The line with the cursor"),
    ("depth", "A depth of the tip"),
)
_KINDS = [name for name, _words in HALTS]
_LEVEL_MM = 1e-4
_INSTANT_S = 1e-6


@dataclass(frozen=True, slots=True)
class Halts:
    """``times`` (n,) s, rising; ``kinds`` (n,) numbers in ``HALTS``."""

    times: NDArray[np.float64]
    kinds: NDArray[np.int8]

    def between(self, here: float, there: float) -> tuple[float, str] | None:
        """The first halt after ``here`` on the way to ``there``, either way round: its moment and its kind."""
        if there >= here:
            k = int(np.searchsorted(self.times, here + _INSTANT_S, side="right"))
            found = k < len(self.times) and self.times[k] <= there
        else:
            k = int(np.searchsorted(self.times, here - _INSTANT_S, side="left")) - 1
            found = k >= 0 and self.times[k] >= there
        return (float(self.times[k]), _KINDS[int(self.kinds[k])]) if found else None


def halts(proof: Proof, kinds: Collection[str], line: int = 0, depth: float | None = None) -> Halts:
    """All halts of these kinds; ``line`` and ``depth`` (mm, part zero) for those that need one."""
    motions, timing = proof.motions, proof.timing
    start, end = timing.start, timing.start + timing.duration
    found: list[tuple[NDArray[np.float64], int]] = []

    def put(kind: str, times: NDArray[np.float64] | list[float]) -> None:
        if kind in kinds:
            found.append((np.asarray(times, dtype=np.float64), _KINDS.index(kind)))

    if len(motions):
        rapid = motions.rapid()
        last = np.append(np.diff(motions.line) != 0, True)
        put("block", end[last])
        put("pass", end[:-1][~rapid[:-1] & rapid[1:] & (motions.dwell[:-1] == 0.0)])
        put("level", _levels(proof))
        put("line", start[(motions.line == line) & np.append(True, np.diff(motions.line) != 0)])
        if depth is not None:
            put("depth", _crossings(proof, depth))
    for event, moment in zip(motions.events, timing.events.tolist()):
        kind = {"stop": "stop", "optional-stop": "optional", "tool-change": "tool"}.get(event.kind)
        if kind is not None:
            put(kind, [moment])
    put("finding", [f.time_s for f in proof.troubles])
    if not found:
        return Halts(np.zeros(0), np.zeros(0, dtype=np.int8))
    times = np.concatenate([t for t, _k in found])
    which = np.concatenate([np.full(len(t), k, dtype=np.int8) for t, k in found])
    order = np.lexsort((-which, times))
    return Halts(times[order], which[order])


def _levels(proof: Proof) -> NDArray[np.float64]:
    motions = proof.motions
    step = np.abs(motions.end - motions.start)
    flat = ((step[:, 0] > _LEVEL_MM) | (step[:, 1] > _LEVEL_MM) | (motions.sweep != 0.0)) & (step[:, 2] < _LEVEL_MM)
    cuts = np.flatnonzero(flat & np.isin(motions.kind, (Kind.FEED, Kind.ARC_CW, Kind.ARC_CCW)))
    if not len(cuts):
        return np.zeros(0)
    height, tool = motions.start[cuts, 2], motions.tool_of()[cuts]
    new = np.append(True, (np.abs(np.diff(height)) > _LEVEL_MM) | (np.diff(tool) != 0))
    return np.asarray(proof.timing.start[cuts[new]])


def _crossings(proof: Proof, depth: float) -> NDArray[np.float64]:
    """When the real tip comes down through a height."""
    path = tip_path(proof.motions, proof.tool_row, proof.tool_table.tools, proof.job.bench.part_zero)
    before, after = path.start[:, 2], path.end[:, 2]
    through = np.flatnonzero((before > depth + _LEVEL_MM) & (after <= depth))
    share = (before[through] - depth) / (before[through] - after[through])
    # A move's steps share its time alike.
    move = path.move[through]
    nth = through - path.first[move]
    pieces = path.first[move + 1] - path.first[move]
    return np.asarray(proof.timing.start[move] + proof.timing.duration[move] * (nth + share) / pieces)


def said(proof: Proof, moment: float, kind: str, unit: Unit, depth: float | None = None) -> str:
    """Why the tape stands here, in words."""
    # What holds before a move is told of that move, not of the one that has just been made.
    move, _share = proof.timing.locate(moment + (_INSTANT_S if kind in ("line", "level") else 0.0))
    line = int(proof.motions.line[move]) if len(proof.motions) else 0
    if kind in ("stop", "optional", "tool"):
        at = [e for e, m in zip(proof.motions.events, proof.timing.events.tolist()) if abs(m - moment) < _INSTANT_S]
        line = at[0].line if at else line
    if kind == "finding":
        found = next((f for f in proof.troubles if abs(f.time_s - moment) < _INSTANT_S), None)
        if found is not None:
            return f"Held at line {found.line}: {found.message}"
    words = {
        "block": f"Held after line {line}",
        "pass": f"Held at the end of a pass, line {line}",
        "level": f"Held at a new level, line {line}",
        "stop": f"Held at the stop in line {line}",
        "optional": f"Held at the optional stop in line {line}",
        "tool": f"Held at the tool change in line {line}",
        "line": f"Held before line {line}",
        "depth": f"Held where the tip comes to Z {show_length(depth or 0.0, unit)}, line {line}",
    }
    return words.get(kind, "Held")
