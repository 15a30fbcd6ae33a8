"""Tools of a bare program, guessed from what it does with them, where it does not say what they are.

Glossary
    row       parallel passes of one tool at one height, side by side: how far apart they are tells its width
    step      a feed straight down: a tool that is fed only so makes holes
All of it is common practice, no source.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import cast

import numpy as np
from numpy.typing import NDArray

from underglass.core.bench.tool import DEFAULT_POINT_RAD, FLUTES, HolderStep, Tool, ToolKind
from underglass.core.control.profile import ControlProfile
from underglass.core.control.run import Run
from underglass.core.language.stated import StatedTool
from underglass.core.language.stated_tool import COARSE_PITCH_MM
from underglass.core.units import MM_PER_INCH, Unit

LENGTH_MM = 100.0
THIN_MM = 0.001
"""The radius with which compensation is followed for a guess: hardly any, so that what is programmed is the contour itself."""

_STANDARD_MM = (1.0, 2.0, 3.0, 4.0, 5.0, 6.0, 8.0, 10.0, 12.0, 16.0, 20.0, 25.0, 32.0, 40.0, 50.0, 63.0, 80.0, 100.0)
_STANDARD_INCH = (1 / 16, 1 / 8, 3 / 16, 1 / 4, 5 / 16, 3 / 8, 1 / 2, 5 / 8, 3 / 4, 1.0, 1.25, 1.5, 2.0, 2.5, 3.0, 4.0)
_USUAL = {"mm": 10.0, "inch": 0.5 * MM_PER_INCH}
_USUAL_DRILL = {"mm": 6.0, "inch": 0.25 * MM_PER_INCH}
_STEPOVER = 0.7
"""Passes side by side are usually some seven tenths of the cutter apart."""
_FACE_MILL_MM = 32.0
"""Above this a cutter is a face mill rather than an end mill."""
_SPOT_MM = 4.0
"""A hole no deeper than this, drilled before a deeper one at its place, is a spot."""

_HOLE_MAKERS: tuple[ToolKind, ...] = ("tap", "reamer", "boring-bar")
"""Tools that a cycle alone gives away, the surest first."""


def make_tool(
    number: int, kind: str, diameter: float, *, corner: float = 0.0, pitch: float = 0.0, angle: float = 0.0
) -> Tool:
    """A tool of a usual reach in a usual holder. mm; the angle of its whole point in rad, 0 for the kind's usual one."""
    if kind == "bull-nose" and not corner:
        corner = diameter / 4.0
    stickout = min(max(50.0, 3.0 * diameter), 0.6 * LENGTH_MM)
    return Tool(
        number=number,
        kind=cast(ToolKind, kind),
        DC=diameter,
        length=LENGTH_MM,
        APMX=stickout,
        stickout=stickout,
        shank=min(diameter, 32.0),
        holder=(HolderStep(max(40.0, min(diameter, 32.0) + 10.0), LENGTH_MM - stickout),),
        RE=corner,
        SIG=angle or DEFAULT_POINT_RAD.get(kind, math.pi),
        TP=pitch or (1.0 if kind == "tap" else 0.0),
        NOF=FLUTES.get(kind, 0),
        centre_cutting=kind != "face-mill",
    )


_REACH = {"drill": 12.0, "reamer": 12.0, "tap": 8.0, "boring-bar": 8.0}
_MILLS_REACH = 5.0
"""How many times its diameter a tool stands out at the most (common practice, no source)."""
_ABOVE_MM = 5.0


def reaching(tool: Tool, deep: float) -> Tool:
    """The tool, standing out of its holder far enough to go ``deep`` mm below the stock's top, where one of its size does."""
    need = deep + _ABOVE_MM
    if need <= tool.stickout or need > _REACH.get(tool.kind, _MILLS_REACH) * tool.DC:
        return tool
    held = tool.length - tool.stickout
    return replace(tool, stickout=need, APMX=need, length=need + held)


def guessed_tool(number: int, drill: bool, said: StatedTool | None) -> Tool:
    """A tool as a comment states it; where none does, a drill or an end mill of 10 mm."""
    kind = (said.kind if said is not None else "") or ("drill" if drill else "end-mill")
    diameter = said.diameter if said is not None and said.diameter else _USUAL["mm"]
    return make_tool(
        number,
        kind,
        diameter,
        corner=said.corner if said is not None else 0.0,
        pitch=said.pitch if said is not None else 0.0,
        angle=said.angle if said is not None else 0.0,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class _Work:
    """What one tool does: its feeds as rows, in the coordinates of the offset in force, mm."""

    start: NDArray[np.float64]
    end: NDArray[np.float64]
    sweep: NDArray[np.float64]
    radius: NDArray[np.float64]
    made_with: frozenset[str]
    speed: float
    feed: float

    @property
    def sideways(self) -> NDArray[np.bool_]:
        flat = (self.end - self.start)[:, :2]
        out: NDArray[np.bool_] = (np.hypot(flat[:, 0], flat[:, 1]) > 1e-6) | (self.sweep != 0.0)
        return out

    @property
    def holes(self) -> NDArray[np.float64]:
        """Where it goes straight down, and how deep: (k, 3)."""
        down = ~self.sideways & (self.end[:, 2] < self.start[:, 2])
        return self.end[down]


def _work_of(run: Run, profile: ControlProfile, tool: int) -> _Work:
    motions = run.motions
    mine = (motions.tool_of() == tool) & ~motions.rapid() & (motions.dwell == 0.0)
    shift = motions.shifts()[mine]
    states = [motions.in_force[k] for k in np.unique(motions.state[mine]).tolist()]
    names = {s.motion for s in states}
    made_with = frozenset(c.cycle.made_with for name, c in profile.cycle_by_name.items() if name in names)
    return _Work(
        start=motions.start[mine] - shift, end=motions.end[mine] - shift, sweep=motions.sweep[mine], radius=motions.radius()[mine], made_with=made_with,
        speed=max((s.speed for s in states), default=0.0), feed=float(np.nanmax(motions.feed[mine])) if mine.any() else 0.0,
    )  # fmt: skip


def _standard(wanted: float, unit: Unit) -> float:
    """The largest usual size not above a width, mm; the smallest there is where all are above."""
    sizes = [s * MM_PER_INCH for s in _STANDARD_INCH] if unit == "inch" else list(_STANDARD_MM)
    return max((s for s in sizes if s <= wanted * 1.001), default=sizes[0])


def row_step(start: NDArray[np.float64], end: NDArray[np.float64]) -> float:
    """How far apart long parallel straight passes at one height lie, mm; 0 where there are no three side by side."""
    steps: list[float] = []
    level = np.abs(end[:, 2] - start[:, 2]) < 1e-6
    for axis in (0, 1):
        along, across = np.abs(end - start)[:, axis], np.abs(end - start)[:, 1 - axis]
        long = level & (across < 1e-6) & (along > 20.0)
        places = start[long][:, [1 - axis, 2]]
        for height in np.unique(np.round(places[:, 1], 3)):
            at = np.unique(np.round(places[np.abs(places[:, 1] - height) < 1e-3, 0], 3))
            gaps = np.diff(at)
            if len(gaps) >= 2 and float(np.ptp(gaps)) < 0.2 * float(gaps.max()):
                steps.append(float(np.median(gaps)))
    return min(steps, default=0.0)


def _beside_the_zero(work: _Work, unit: Unit) -> float:
    """A cutter's centre that runs as far left of X0 as in front of Y0 runs a radius off a part whose corner is the zero. mm."""
    deep = work.sideways & (np.maximum(work.start[:, 2], work.end[:, 2]) < -1e-6) & (work.sweep == 0.0)
    ways = np.abs(work.end - work.start)
    off = []
    for axis in (0, 1):
        # Sides that run square to the axis.
        rows = deep & (ways[:, axis] < 1e-6) & (ways[:, 1 - axis] > 1e-6)
        off.append(-float(work.start[rows, axis].min()) if rows.any() else 0.0)
    sizes = [s * MM_PER_INCH for s in _STANDARD_INCH] if unit == "inch" else list(_STANDARD_MM)
    if off[0] <= 0.0 or abs(off[0] - off[1]) > 1e-3:
        return 0.0
    return next((s for s in sizes if abs(s - 2.0 * off[0]) < 0.01), 0.0)


def _mill(number: int, run: Run, work: _Work, unit: Unit) -> Tool:
    set_by_program = next((u.value for u in run.motions.radii_used if u.tool == number and u.value > THIN_MM), 0.0)
    if set_by_program:
        return make_tool(number, "end-mill", 2.0 * set_by_program)
    beside = _beside_the_zero(work, unit)
    if beside:
        return make_tool(number, "end-mill", beside)
    flat = work.sweep == 0.0
    step = row_step(work.start[flat], work.end[flat])
    if step * 1.0 / _STEPOVER >= _FACE_MILL_MM:
        return make_tool(number, "face-mill", _standard(max(step / _STEPOVER, step), unit))
    usual = _USUAL[unit]
    if step > 0.5:
        usual = _standard(step / _STEPOVER, unit)
    # Compensated, it has to fit into every inside arc; the control's own radius is not known yet.
    inside = [
        float(r)
        for s in run.stretches
        if s.tool == number
        for r, turn in zip(np.hypot(*(s.start - np.nan_to_num(s.centre)).T), s.sweep)
        if turn * s.side > 0.0 and r > 0.1
    ]
    if inside:
        usual = min(usual, _standard(2.0 * min(inside), unit))
    return make_tool(number, "end-mill", usual)


def _hole_maker(number: int, work: _Work, unit: Unit, taps: Mapping[tuple[float, float], float], deeper: float) -> Tool:
    """A tool that only makes holes. ``taps`` are drill sizes by place, for holes that are tapped later."""
    for tool in _HOLE_MAKERS:
        if tool in work.made_with:
            if tool != "tap":
                return make_tool(number, tool, 10.0 if unit == "mm" else 0.375 * MM_PER_INCH)
            pitch = round(work.feed / work.speed, 4) if work.speed > 0.0 and work.feed > 0.0 else 1.0
            diameter = min(COARSE_PITCH_MM, key=lambda d: abs(COARSE_PITCH_MM[d] - pitch))
            return make_tool(number, "tap", diameter, pitch=pitch)
    holes = work.holes
    depth = float(-holes[:, 2].min()) if len(holes) else 0.0
    if 0.0 < depth <= _SPOT_MM and deeper > depth + 1.0:
        return make_tool(number, "spot-drill", 10.0 if unit == "mm" else 0.375 * MM_PER_INCH)
    sizes = [taps[key] for x, y, _z in holes.tolist() if (key := (round(x, 3), round(y, 3))) in taps]
    return make_tool(number, "drill", min(sizes, default=_USUAL_DRILL[unit]))


def guess_tools(
    run: Run, profile: ControlProfile, numbers: list[int], stated: Mapping[int, StatedTool], unit: Unit
) -> dict[int, Tool]:
    """Every tool that is called: as the program states it, else as what is done with it suggests."""
    works = {n: _work_of(run, profile, n) for n in numbers}
    tools: dict[int, Tool] = {}
    taps: dict[tuple[float, float], float] = {}
    for n in numbers:
        said, work = stated.get(n), works[n]
        if "tap" in work.made_with or (said is not None and said.kind == "tap"):
            tap = (
                make_tool(n, "tap", said.diameter, pitch=said.pitch)
                if said is not None and said.diameter
                else _hole_maker(n, work, unit, {}, 0.0)
            )
            taps |= {(round(x, 3), round(y, 3)): round(tap.DC - tap.TP, 2) for x, y, _z in work.holes.tolist()}
    deepest = {n: float(-w.holes[:, 2].min()) if len(w.holes) else 0.0 for n, w in works.items()}
    for k, n in enumerate(numbers):
        said, work = stated.get(n), works[n]
        mills = bool(work.sideways.any())
        later = max((deepest[m] for m in numbers[k + 1 :]), default=0.0)
        guess = _mill(n, run, work, unit) if mills else _hole_maker(n, work, unit, taps, later)
        if said is None:
            tools[n] = guess
        else:
            kind = said.kind if said.kind else guess.kind
            # Only a cutter is spoken of: what it does tells which, and how wide it is tells a face mill.
            kind = "end-mill" if not said.kind and kind == "face-mill" and said.diameter < _FACE_MILL_MM else kind
            diameter = said.diameter or (guess.DC if guess.kind == kind else _USUAL[unit])
            pitch = said.pitch or (guess.TP if guess.kind == kind else 0.0)
            tools[n] = make_tool(n, kind, diameter, corner=said.corner, pitch=pitch, angle=said.angle)
    return tools
