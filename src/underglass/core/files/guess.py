"""A bare program as a job: sensible guesses, each of them said.

What the program's comments state of stock, zero and tools is taken; where they say nothing, the stock is a block around everything that is fed below Z0, its top at Z0; a tool that is only ever fed straight down
is taken for a drill, any other for an end mill; every register is taken to be right.
"""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from pathlib import Path
from typing import cast

import numpy as np

from underglass.core.bench.bench import Bench
from underglass.core.bench.frame import Frame
from underglass.core.bench.solid import Solid, SolidShape
from underglass.core.bench.tool import DEFAULT_POINT_RAD, FLUTES, HolderStep, Tool, ToolKind
from underglass.core.control.interpret import Control
from underglass.core.control.state import Registers, Vector
from underglass.core.files import profiles
from underglass.core.language.source import Source
from underglass.core.language.stated import Stated, StatedTool, stated
from underglass.core.proof.job import Job
from underglass.core.units import Unit, show_length

_DIAMETER = 10.0
_LENGTH = 100.0
_ROOM = 10.0
_READ = 5000
"""Comments are read in so many lines: what is stated of stock and tools stands in front or at the tools."""
_ZERO = (-400.0, -220.0, -420.0)


def guessed_tool(number: int, drill: bool, said: StatedTool | None) -> Tool:
    """A tool as a comment states it; where none does, a drill or an end mill of 10 mm."""
    kind = said.kind if said is not None else "drill" if drill else "end-mill"
    diameter = said.diameter if said is not None and said.diameter else _DIAMETER
    pitch = said.pitch if said is not None else 0.0
    if kind == "tap" and not pitch:
        pitch = 1.0
    corner = diameter / 4.0 if kind == "bull-nose" else 0.0
    stickout = min(max(50.0, 3.0 * diameter), 0.6 * _LENGTH)
    return Tool(
        number,
        cast(ToolKind, kind),
        diameter,
        _LENGTH,
        stickout,
        stickout,
        min(diameter, 32.0),
        (HolderStep(max(40.0, min(diameter, 32.0) + 10.0), _LENGTH - stickout),),
        RE=(said.corner if said is not None and said.corner else corner),
        SIG=DEFAULT_POINT_RAD.get(kind, math.pi),
        TP=pitch,
        NOF=FLUTES.get(kind, 0),
        centre_cutting=kind != "face-mill",
    )


def program_unit(lines: Sequence[str]) -> Unit:
    """What the program's figures are in: by its first G20 or G21; mm where it says neither."""
    for text in lines[:400]:
        found = re.search(r"G\s*0*(20|21)(?![\d.])", re.sub(r"\([^)]*\)", "", text).upper())
        if found is not None:
            return "inch" if found[1] == "20" else "mm"
    return "mm"


def _beside(side: str | None, names: tuple[str, str, str], low: float, high: float, size: float) -> float:
    """Where the stock's lower side is on an axis: by the side that the zero is said to be on, or around what is cut."""
    if side == names[0]:
        return 0.0
    if side == names[1]:
        return -size / 2.0
    if side == names[2]:
        return -size
    return (low + high - size) / 2.0


def stated_stock(said: Stated, low: Vector, high: Vector) -> tuple[tuple[float, ...], Vector] | None:
    """(size, minimum corner from the zero) of the stock that a program states; None where it states none.

    ``low`` and ``high`` bound what is cut: the stock goes around that on an axis of which nothing is said. mm.
    """
    if said.stock is None:
        return None
    size = said.stock.size
    x, y, z = (size[0], size[0], size[1]) if len(size) == 2 else (size[0], size[1], size[2])
    zero = said.zero
    corner = (
        _beside(zero.x if zero else None, ("left", "middle", "right"), low[0], high[0], x),
        _beside(zero.y if zero else None, ("front", "middle", "back"), low[1], high[1], y),
        _beside((zero.z if zero else None) or "top", ("bottom", "middle", "top"), low[2], high[2], z),
    )
    return size, corner


def guess_job(source: Source, path: Path) -> Job:
    """The program's own words, and nothing else, as a job."""
    data = profiles.data_folder() / "profiles"
    machine = profiles.read_machine(data / "machine" / "mill-3axis.toml")
    control = profiles.read_control(data / "control" / "word-address-mill.toml")
    zeros = {f"G{n}": _ZERO for n in range(54, 60)}
    unit = program_unit(source.lines)
    said_in = stated(source.lines[:_READ], unit)
    trial = Control(control, machine, Registers(dict(zeros), dict.fromkeys(range(1000), _LENGTH))).run(source.lines)
    motions = trial.motions
    called = motions.tool_of()
    numbers = sorted({e.tool for e in motions.events if e.kind == "tool-change"} | set(called.tolist()) - {0})
    fed = ~motions.rapid()
    sideways = np.hypot(*(motions.end - motions.start)[:, :2].T) > 1e-6 if len(motions) else np.zeros(0, dtype=bool)
    sideways |= motions.sweep != 0.0
    tools = {
        n: guessed_tool(n, not bool((fed & sideways & (called == n)).any()), said_in.tool(n)) for n in numbers if n > 0
    }
    low, high = np.zeros(3), np.array([100.0, 100.0, 0.0])
    if fed.any():
        shift = motions.shifts()[fed]
        lows, highs = motions.boxes()
        places = np.concatenate([lows[fed] - shift, highs[fed] - shift])
        below = places[places[:, 2] <= 0.0]
        if len(below):
            low, high = below.min(axis=0), below.max(axis=0)
    frame = Frame(*_ZERO)
    told = stated_stock(said_in, (low[0], low[1], low[2]), (high[0], high[1], high[2]))
    if told is not None:
        shape: SolidShape = "box" if len(told[0]) == 3 else "cylinder"
        stock = Solid("stock", shape, tuple(float(v) for v in told[0]), frame.moved(*map(float, told[1])))
        sizes = " x ".join(show_length(v, unit) for v in told[0])
        about = f"stock: {'round, ' if shape == 'cylinder' else ''}{sizes}, as line {said_in.stock.line if said_in.stock else 0} states"
    else:
        size = np.clip(high - low + _ROOM, 1.0, 5000.0)
        depth = float(np.clip(-low[2] + _ROOM / 2.0, 1.0, 500.0))
        corner = frame.moved(float(low[0]) - _ROOM / 2.0, float(low[1]) - _ROOM / 2.0, -depth)
        stock = Solid("stock", "box", (float(size[0]), float(size[1]), depth), corner)
        about = f"stock: a block {size[0]:.1f} x {size[1]:.1f} x {depth:.1f} mm around the cut, its top at Z0"
    used = sorted({u.name for u in motions.offsets_used} | {"G54"})
    bench = Bench(machine, (stock,), (), tools, dict.fromkeys(used, frame))
    registers = Registers(
        dict.fromkeys(used, _ZERO), {n: t.length for n, t in tools.items()}, {n: t.radius for n, t in tools.items()}
    )
    said = [
        about,
        "fixtures: none",
        "registers: all right",
    ]
    said += [f"tool {n}: {t.name}, {show_length(t.length, unit)} {unit} long" for n, t in tools.items()]
    open_points = frozenset({"stock", "zero", *(f"T{n}" for n in tools)})
    return Job(
        path.name, unit, str(path), str(path.parent), path.name, bench, control, registers, guessed=tuple(said),
        unconfirmed=open_points,
    )  # fmt: skip
