"""A bare program as a job: sensible guesses, each of them said.

The stock is a block around everything that is fed below Z0, its top at Z0; a tool that is only ever fed straight down
is taken for a drill, any other for an end mill; every register is taken to be right.
"""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np

from underglass.core.bench.bench import Bench
from underglass.core.bench.frame import Frame
from underglass.core.bench.solid import Solid
from underglass.core.bench.tool import HolderStep, Tool
from underglass.core.control.interpret import Control
from underglass.core.control.state import Registers
from underglass.core.files import profiles
from underglass.core.language.source import Source
from underglass.core.proof.job import Job

_DIAMETER = 10.0
_LENGTH = 100.0
_ROOM = 10.0
_ZERO = (-400.0, -220.0, -420.0)


def _tool(number: int, drill: bool) -> Tool:
    return Tool(
        number, "drill" if drill else "end-mill", _DIAMETER, _LENGTH, 50.0, 60.0, _DIAMETER, (HolderStep(40.0, 40.0),),
        SIG=math.radians(118.0) if drill else math.pi,
    )  # fmt: skip


def guess_job(source: Source, path: Path) -> Job:
    """The program's own words, and nothing else, as a job."""
    data = profiles.data_folder() / "profiles"
    machine = profiles.read_machine(data / "machine" / "mill-3axis.toml")
    control = profiles.read_control(data / "control" / "word-address-mill.toml")
    zeros = {f"G{n}": _ZERO for n in range(54, 60)}
    trial = Control(control, machine, Registers(dict(zeros), dict.fromkeys(range(1000), _LENGTH))).run(source.lines)
    motions = trial.motions
    called = motions.tool_of()
    numbers = sorted({e.tool for e in motions.events if e.kind == "tool-change"} | set(called.tolist()) - {0})
    fed = ~motions.rapid()
    sideways = np.hypot(*(motions.end - motions.start)[:, :2].T) > 1e-6 if len(motions) else np.zeros(0, dtype=bool)
    sideways |= motions.sweep != 0.0
    tools = {n: _tool(n, not bool((fed & sideways & (called == n)).any())) for n in numbers if n > 0}
    low, high = np.zeros(3), np.array([100.0, 100.0, 0.0])
    if fed.any():
        shift = motions.shifts()[fed]
        places = np.concatenate([motions.start[fed] - shift, motions.end[fed] - shift])
        below = places[places[:, 2] <= 0.0]
        if len(below):
            low, high = below.min(axis=0), below.max(axis=0)
    size = np.clip(high - low + _ROOM, 1.0, 5000.0)
    depth = float(np.clip(-low[2] + _ROOM / 2.0, 1.0, 500.0))
    frame = Frame(*_ZERO)
    corner = frame.moved(float(low[0]) - _ROOM / 2.0, float(low[1]) - _ROOM / 2.0, -depth)
    stock = Solid("stock", "box", (float(size[0]), float(size[1]), depth), corner)
    used = sorted({u.name for u in motions.offsets_used} | {"G54"})
    bench = Bench(machine, (stock,), (), tools, dict.fromkeys(used, frame))
    registers = Registers(
        dict.fromkeys(used, _ZERO), {n: t.length for n, t in tools.items()}, {n: t.radius for n, t in tools.items()}
    )
    said = [
        f"stock: a block {size[0]:.1f} x {size[1]:.1f} x {depth:.1f} mm around the cut, its top at Z0",
        "fixtures: none",
        "registers: all right",
    ]
    said += [f"tool {n}: {t.name}, {t.length:g} mm long" for n, t in tools.items()]
    return Job(path.name, "mm", str(path), str(path.parent), path.name, bench, control, registers, guessed=tuple(said))
