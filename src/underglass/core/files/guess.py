"""A bare program as a job: sensible guesses, each of them said.

What the program says of stock, zero and tools is taken for true; what it does not say is guessed so that the program can be
right (``guess_stock``, ``guess_tools``). How Z knows the tool is told by its words; every register is taken to be right.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np

from underglass.core.bench.bench import Bench
from underglass.core.bench.frame import Frame
from underglass.core.bench.machine import Machine
from underglass.core.bench.solid import AT_ZERO, Solid, SolidShape, part_place
from underglass.core.bench.tool import Tool
from underglass.core.control.flow import Limits
from underglass.core.control.interpret import Control
from underglass.core.control.profile import ControlProfile
from underglass.core.control.run import Run
from underglass.core.control.state import LengthWay, Registers, Start, Vector
from underglass.core.control.words import OFFSETS_IN_ORDER
from underglass.core.data import data_folder
from underglass.core.errors import BadEntry
from underglass.core.files import profiles
from underglass.core.files.guess_stock import guess_block
from underglass.core.files.guess_tools import LENGTH_MM, THIN_MM, guess_tools, guessed_tool, reaching
from underglass.core.files.job import read_job_text
from underglass.core.language.source import Source
from underglass.core.language.stated import Stated, stated
from underglass.core.proof.job import BareAsk, Job, Trade
from underglass.core.proof.length_ways import complete
from underglass.core.trade_list import TRADES, USUAL
from underglass.core.units import Unit, show_length

__all__ = ["guess_job", "guessed_tool", "pending_job", "program_unit", "stated_stock"]

_READ = 5000
"""Comments are read in so many lines: what is stated of stock and tools stands in front or at the tools."""
_ZERO = (-400.0, -220.0, -420.0)
_BETWEEN_MM = 20.0
"""What is left between the cutters' ways round one part and round the next."""
_ALIKE_MM = 2.0
"""What two parts that are cut alike may differ by."""
_THROUGH_MM = 10.0
"""What goes further through the stock than this is no reason for a longer tool."""
_LIMITS = Limits(jumps=20_000, work=50_000, pecks=2_000)
"""How far loops, calls and pecks are followed for a guess."""

PENDING = "the program is being read"
"""What a job says while its guesses are still to be made."""

_WAY_SAID = {
    "length-registers": "lengths: in H registers",
    "first-tool": "lengths: Z touched with the first tool, the others' H against it",
    "each-tool": "lengths: Z touched off anew with each tool, for no length offset is called",
}

_UNITS = re.compile(r"G\s?0*(20|21)(?![\d.])", re.ASCII)


def program_unit(lines: Sequence[str]) -> Unit:
    """What the program's figures are in: by its first G20 or G21; mm where it says neither."""
    for text in lines[:400]:
        found = _UNITS.search(re.sub(r"\([^()]*\)|;.*", "", text).upper())
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


def _shipped(trade: Trade) -> tuple[Machine, ControlProfile]:
    data = data_folder() / "profiles"
    machine = profiles.read_machine(data / "machine" / f"{trade.usual_machine}.toml")
    return machine, profiles.read_control(data / "control" / f"{trade.usual_control}.toml")


def _of_another_trade(source: Source, path: Path, lines: Sequence[str], cancelled: Callable[[], bool]) -> Job | None:
    """The job of a trade that knows the program as its own; None where it is a mill's. ``lines``: what the guesses rest on."""
    for trade in TRADES.values():
        if trade.bare is None or not trade.bare.recognises(source.lines):
            continue
        machine, control = _shipped(trade)
        ask = BareAsk(name=path.name, machine=machine, control=control)
        bare = trade.bare.guess(ask, lines, program_unit(source.lines), cancelled)
        try:
            job = read_job_text(bare.text, path)
        except BadEntry:
            # Figures that no bench has: a usual one, and the proof says the rest. Nobody is told of a job that nobody wrote.
            bare = trade.bare.guess(ask, (), program_unit(source.lines), cancelled)
            job = read_job_text(bare.text, path)
        return replace(job, guessed=bare.said, unconfirmed=bare.unconfirmed, stated=bare.stated, text=bare.text)
    return None


def pending_job(source: Source, path: Path) -> Job:
    """A job to show while the guesses are being made: a block at the zero, no tools."""
    other = _of_another_trade(source, path, (), lambda: False)
    if other is not None:
        return replace(other, guessed=(PENDING,))
    machine, control = _shipped(USUAL)
    frame = Frame.at(_ZERO)
    stock = Solid(name="stock", shape="box", size=(100.0, 100.0, 20.0), frame=frame.moved(-50.0, -50.0, -20.0))
    bench = Bench(machine=machine, stocks=(stock,), fixtures=(), tools={}, zero={"G54": frame})
    return Job(
        title=path.name,
        units=program_unit(source.lines),
        file=str(path),
        folder=str(path.parent),
        program=path.name,
        bench=bench,
        control=control,
        registers=Registers(work={"G54": _ZERO}),
        trade=TRADES[bench.machine.kind],
        guessed=(PENDING,),
        unconfirmed=frozenset({"stock", "zero"}),
    )


def _length_way(run: Run) -> str:
    """How the program takes it that Z knows the tool: by which tools move Z with a length offset and which without."""
    calls = [e.tool for e in run.motions.events if e.kind == "tool-change"]
    order = list(dict.fromkeys(calls)) or [1]
    withs = {use.tool for use in run.motions.lengths_used}
    without = {int(f.evidence["tool"] or 0) for f in run.findings if f.code == "length-offset-missing"}
    if not withs:
        return "each-tool" if without else "length-registers"
    if order[0] not in withs and order[0] in without and not without - {order[0]}:
        return "first-tool"
    return "length-registers"


def guess_job(source: Source, path: Path, cancelled: Callable[[], bool] = lambda: False) -> Job:
    """The program's own words, and nothing else, as a job. Raises ``Cancelled`` when told to stop."""
    other = _of_another_trade(source, path, source.lines, cancelled)
    if other is not None:
        return other
    machine, control = _shipped(USUAL)
    zeros = dict.fromkeys((*OFFSETS_IN_ORDER, *(f"G54.1P{n}" for n in range(1, 49))), _ZERO)
    unit = program_unit(source.lines)
    said_in = stated(source.lines[:_READ], unit)
    quick = replace(control, limits=_LIMITS, d_default="tool")
    # Compensation is followed with a cutter of hardly any radius: what is programmed is the contour itself.
    registers = Registers(
        work=dict(zeros), length=dict.fromkeys(range(1000), LENGTH_MM), radius=dict.fromkeys(range(1, 1000), THIN_MM)
    )
    run = _trial(quick, machine, registers, source, 0, cancelled)
    called = sorted(
        {e.tool for e in run.motions.events if e.kind == "tool-change"} | set(run.motions.tool_of().tolist())
    )
    start = Start()
    if not [n for n in called if n > 0] and len(run.motions):
        # A program that calls no tool is run with the one that stands in the spindle.
        start = Start(tool=1)
        run = _trial(quick, machine, registers, source, 1, cancelled)
        called = [1]
        said_in = replace(said_in, tools=said_in.tools or ((said_in.loose,) if said_in.loose is not None else ()))
    numbers = list(dict.fromkeys(e.tool for e in run.motions.events if e.kind == "tool-change" and e.tool > 0))
    numbers += [n for n in called if n > 0 and n not in numbers]
    tools = guess_tools(run, quick, numbers, {t.number: t for t in said_in.tools}, unit)
    way = _length_way(run)
    stock, about, known = _stock(run, tools, said_in, unit)
    tools = _reaching(run, tools, stock)
    frame = Frame.at(_ZERO)
    used = sorted({u.name for u in run.motions.offsets_used} | {"G54"})
    set_by_program = _set_by_program(run, way)
    parts = _where_set(run, stock, set_by_program) if set_by_program else _side_by_side(run, stock, tools, machine)
    origin = next(iter(parts.values()), frame)
    zero = {name: parts.get(name) or set_by_program.get(name, origin) for name in used}
    place = part_place(stock, frame)
    stocks = tuple(
        replace(stock, name=AT_ZERO + name if len(parts) > 1 else stock.name, frame=there.moved(*place))
        for name, there in parts.items()
    ) or (stock,)
    bench = Bench(machine=machine, stocks=stocks, fixtures=(), tools=tools, zero=zero)
    held = Registers(
        work={name: (there.x, there.y, there.z) for name, there in zero.items()},
        length={n: t.length for n, t in tools.items()},
        radius={n: t.radius for n, t in tools.items()},
    )
    said = [about, "fixtures: none", "registers: all right", _WAY_SAID[way]]
    said[1:1] = [
        f"zero: another part at {name}, {_away(origin, there, unit)}"
        for name, there in parts.items()
        if there != origin
    ]
    said += [f"tool {n}: {_named(t, unit)}, {show_length(t.length, unit)} {unit} long" for n, t in tools.items()]
    open_points = frozenset({"stock", "zero", "machine", *(f"T{n}" for n in tools)})
    sizes = {f"T{t.number}" for t in said_in.tools if t.diameter}
    job = Job(
        title=path.name,
        units=unit,
        file=str(path),
        folder=str(path.parent),
        program=path.name,
        bench=bench,
        control=control,
        registers=held,
        trade=TRADES[bench.machine.kind],
        start=start,
        guessed=tuple(said),
        unconfirmed=open_points,
        z_by=way,
        z_tool=numbers[0] if numbers else 1,
        stated=frozenset(known | sizes),
    )
    return complete(job)


def _reaching(run: Run, tools: dict[int, Tool], stock: Solid) -> dict[int, Tool]:
    """The tools, long enough for how far down into the stock each of them goes."""
    motions = run.motions
    if not len(motions):
        return tools
    low, called = motions.boxes()[0][:, 2] - motions.shifts()[:, 2], motions.tool_of()
    fed = ~motions.rapid() & (motions.dwell == 0.0)
    height = stock.extent[2]
    top = part_place(stock, Frame.at(_ZERO))[2] + height
    deep = {n: top - float(low[fed & (called == n)].min(initial=top)) for n in tools}
    return {n: reaching(t, min(deep[n], height + _THROUGH_MM)) for n, t in tools.items()}


def _cut_under(run: Run) -> list[str]:
    """The work offsets that something is cut under, in the order in which they come."""
    motions = run.motions
    offsets = np.array([s.offset for s in motions.in_force] or [""])[motions.state]
    return list(dict.fromkeys(offsets[~motions.rapid() & (motions.dwell == 0.0)].tolist()))


def _set_by_program(run: Run, way: str) -> dict[str, Frame]:
    """True zeros of the offsets that the program sets itself, before it first uses them."""
    out: dict[str, Frame] = {}
    for use in run.motions.offsets_used:
        x, y, z = use.shift
        if use.name not in out and use.shift != _ZERO:
            # Touched with a tool, the figure has that tool's length in it.
            out[use.name] = Frame.at((x, y, z if way == "length-registers" else z - LENGTH_MM))
    return out


def _where_set(run: Run, stock: Solid, zeros: dict[str, Frame]) -> dict[str, Frame]:
    """A part at each zero that the program sets; one, where they would lie in one another."""
    out: dict[str, Frame] = {}
    wide, deep, _high = stock.extent
    for name in _cut_under(run):
        there = zeros.get(name, Frame.at(_ZERO))
        if all(abs(there.x - o.x) >= wide or abs(there.y - o.y) >= deep for o in out.values()):
            out[name] = there
    return out


def _side_by_side(run: Run, stock: Solid, tools: dict[int, Tool], machine: Machine) -> dict[str, Frame]:
    """A zero for each work offset that something is cut under: parts in a row along X or Y, as far apart as cutters go round them.

    One zero for all where the machine has no room for so many, or where not the same is cut under each.
    """
    motions, names = run.motions, _cut_under(run)
    fed = ~motions.rapid() & (motions.dwell == 0.0)
    first = Frame.at(_ZERO)
    if len(names) < 2 or not _alike(run, names):
        return {}
    lows, highs = motions.boxes()
    shift = motions.shifts()
    reach = max((t.radius for t in tools.values()), default=0.0) + _BETWEEN_MM / 2.0
    corner = part_place(stock, first)
    for axis in (0, 1):
        low, high = float((lows - shift)[fed, axis].min()), float((highs - shift)[fed, axis].max())
        apart = max(high + reach, corner[axis] + stock.extent[axis]) - min(low - reach, corner[axis])
        apart = math.ceil(apart / _BETWEEN_MM) * _BETWEEN_MM
        least = machine.travel_min[axis] - low + reach
        most = machine.travel_max[axis] - high - reach - apart * (len(names) - 1)
        if least <= most:
            at = min(max(_ZERO[axis] - apart * (len(names) - 1) / 2.0, least), most) - _ZERO[axis]
            places = [at + apart * k for k in range(len(names))]
            return {n: first.moved(*((v, 0.0, 0.0) if axis == 0 else (0.0, v, 0.0))) for n, v in zip(names, places)}
    return {}


def _alike(run: Run, names: list[str]) -> bool:
    """Whether as much is cut under each of the offsets: where it is not, they are more likely one part's."""
    motions = run.motions
    fed = ~motions.rapid() & (motions.dwell == 0.0)
    offsets = np.array([s.offset for s in motions.in_force])[motions.state]
    lows, highs = motions.boxes()
    shift = motions.shifts()
    mine = [fed & (offsets == name) for name in names]
    spans = [np.concatenate([(lows - shift)[m].min(axis=0), (highs - shift)[m].max(axis=0)]) for m in mine]
    return all(bool((np.abs(span - spans[0]) <= _ALIKE_MM).all()) for span in spans[1:])


def _away(one: Frame, other: Frame, unit: Unit) -> str:
    """How far the zero of another part of the row is from the first one's, in words."""
    x, y = other.x - one.x, other.y - one.y
    return f"{show_length(x or y, unit)} {unit} {'to the right' if x else 'behind'}"


def _trial(
    control: ControlProfile,
    machine: Machine,
    registers: Registers,
    source: Source,
    tool: int,
    cancelled: Callable[[], bool],
) -> Run:
    start = Start(tool=tool)
    # Nothing is asked of length offsets: whether there are any is what is to be found out.
    return Control(control, machine, registers, start=start, way=LengthWay(), dialect=TRADES[machine.kind].dialect).run(
        source.lines, cancelled
    )


def _named(tool: Tool, unit: Unit) -> str:
    kind = tool.name.rsplit(" ", 1)[0]
    return f"{kind} {show_length(tool.DC, unit).rstrip('0').rstrip('.')}"


def _stock(run: Run, tools: dict[int, Tool], said_in: Stated, unit: Unit) -> tuple[Solid, str, set[str]]:
    """The stock, what is said of it, and which of stock and zero the program itself states."""
    frame = Frame.at(_ZERO)
    block = guess_block(run, tools, _ZERO, unit)
    low = block.corner
    high = (low[0] + block.size[0], low[1] + block.size[1], low[2] + block.size[2])
    told = stated_stock(said_in, low, high)
    if told is None:
        solid = Solid(name="stock", shape="box", size=block.size, frame=frame.moved(*block.corner))
        sizes = " x ".join(show_length(v, unit) for v in block.size)
        return solid, f"stock: a block {sizes} {unit} {block.why}", set()
    shape: SolidShape = "box" if len(told[0]) == 3 else "cylinder"
    solid = Solid(
        name="stock", shape=shape, size=tuple(float(v) for v in told[0]), frame=frame.moved(*map(float, told[1]))
    )
    sizes = " x ".join(show_length(v, unit) for v in told[0])
    line = said_in.stock.line if said_in.stock else 0
    zero = said_in.zero
    known = {"stock"} | ({"zero"} if zero is not None and zero.x and zero.y and zero.z else set())
    return solid, f"stock: {'round, ' if shape == 'cylinder' else ''}{sizes} {unit}, as line {line} states", known
