"""What a milling job says of its own: zeros, stock, fixtures, tools, registers, and how it is to be proved."""

from __future__ import annotations

import math
import re
from dataclasses import replace
from typing import cast

from underglass.core.bench.bench import Bench
from underglass.core.bench.frame import Frame
from underglass.core.bench.machine import Machine
from underglass.core.bench.mesh import UP, Mesh, laid
from underglass.core.bench.pieces import FIGURES, PieceKind, parts
from underglass.core.bench.solid import AT_ZERO, Fixture, Solid, SolidShape, part_place
from underglass.core.bench.tool import Tool
from underglass.core.control.profile import ControlProfile
from underglass.core.control.state import LENGTH_WAYS, AtStop, Registers, Start, Vector
from underglass.core.control.words import OFFSETS_IN_ORDER
from underglass.core.entries.at_stop import stop_entry
from underglass.core.entries.checked import Table
from underglass.core.entries.ground import Ground, offset_entry, program_lines, repeated
from underglass.core.entries.materials import find_material
from underglass.core.entries.mesh import read_mesh
from underglass.core.entries.tool import read_tool
from underglass.core.errors import UnusableFile
from underglass.core.proof.job import Job, ProofSettings
from underglass.core.proof.job_entries import start_of, tolerance_of, zero_of
from underglass.core.proof.length_ways import complete, first_called
from underglass.core.removal.field import default_cell, too_fine

_REGISTER = re.compile(r"([HD])([1-9]\d{0,3})")

_MOST_FIXTURES = 400
"""Each costs a look at every move: a table of clamps, not a warehouse."""

_TARGET_MM = 0.05
"""How far the finished stock may be from the target where the job does not say."""


class _Entries:
    """Reads one job, with its scale from file lengths to mm."""

    def __init__(self, ground: Ground) -> None:
        self.top = ground.top
        self.folder = ground.folder
        self.scale = ground.scale
        self._material = ""
        self._d_scale = 1.0
        self._wear: dict[str, float] = {}
        self.z_by = "length-registers"
        self.z_tool: int | None = None
        self.touched: dict[int, float] = {}
        self.base: set[str] = set()

    def read(self, job: Job) -> Job:
        """The job with everything in it that a milling job has."""
        top, control, machine = self.top, job.control, job.bench.machine
        zero = self._zero(control)
        stocks = self._stock(zero)
        entries = top.tables("fixture")
        if len(entries) > _MOST_FIXTURES:
            raise top.bad("fixture", f"there are {len(entries)} fixtures; {_MOST_FIXTURES} are the most that are held")
        fixtures = tuple(f for k, t in enumerate(entries, 1) for f in self._fixture(t, k, zero))
        tools = self._tools()
        self._d_scale = 0.5 if control.d_register == "diameter" else 1.0
        registers, offsets = self._registers(zero, tools)
        loaded = self._loaded(tools)
        settings = self._proof(stocks)
        start = self._start()
        at_stops = tuple(self._at_stop(entry) for entry in top.tables("at_stop"))
        top.done()
        made = replace(
            job,
            bench=Bench(
                machine=machine,
                stocks=stocks,
                fixtures=(_table(machine), *fixtures),
                tools=tools,
                zero=zero,
                loaded=loaded,
                material=self._material,
                cuts_like=find_material(self._material),
            ),
            registers=registers,
            start=start,
            settings=settings,
            set_registers=offsets,
            wear=self._wear,
            at_stops=at_stops,
            z_by=self.z_by,
            z_tool=self.z_tool or 0,
            z_tool_said=self.z_tool is not None,
            touched=self.touched,
            base_registers=frozenset(self.base),
        )
        if made.z_by == "first-tool" and not made.z_tool:
            lines = program_lines(self.folder, job.program)
            made = replace(made, z_tool=first_called(lines, control) or min(tools, default=0))
        return made if made.z_by in ("length-registers", "tool-table") else complete(made)

    def _at_stop(self, entry: Table) -> AtStop:
        """What is corrected by hand at a stop of the program: ``add = { H2 = -0.05, D1 = 0.02, G54 = { z = 0.1 } }``."""
        stop, note, added = stop_entry(entry)
        length: dict[int, float] = {}
        radius: dict[int, float] = {}
        work: dict[str, Vector] = {}
        for name, add in added:
            register = _REGISTER.fullmatch(name)
            if register is not None:
                figure = add.need_number(name) * self.scale
                if register[1] == "H":
                    length[int(register[2])] = figure
                else:
                    radius[int(register[2])] = figure * self._d_scale
            elif name in OFFSETS_IN_ORDER:
                place = add.table(name)
                if place is None:
                    raise add.bad(name, "give the axes, as in { z = 0.1 }")
                x, y, z = ((place.number(axis, 0.0) or 0.0) * self.scale for axis in "xyz")
                place.done()
                work[name] = (x, y, z)
            else:
                raise add.bad(name, "only H and D registers and work offsets are corrected at a stop")
        entry.done()
        return AtStop(stop=stop, length=length, radius=radius, work=work, note=note)

    def _place(self, entry: Table, name: str, also: tuple[str, ...] = ()) -> tuple[Vector, float]:
        x, y, z = (entry.need_number(axis) * self.scale for axis in "xyz")
        turned = math.radians(entry.number("turned", 0.0, least=-360.0, most=360.0)) if "turned" in also else 0.0
        entry.done(also)
        return (x, y, z), turned

    def _zero(self, control: ControlProfile) -> dict[str, Frame]:
        def read(part: Table) -> None:
            self.z_by = part.choice("z_by", LENGTH_WAYS, control.length_by)
            self.z_tool = part.whole("z_tool", None, least=1)

        def frame(entry: Table, name: str) -> Frame:
            (x, y, z), turned = self._place(entry, name, ("turned",))
            return Frame(x=x, y=y, z=z, turn_rad=turned)

        return zero_of(self.top, "G54 = { x = …, y = …, z = … }", frame, read)

    def _solid(self, entry: Table, name: str, frame: Frame) -> Solid:
        """A stock's or fixture's shape and place. ``frame`` is that of the zero it is placed from."""
        shape = cast(SolidShape, entry.choice("shape", ["box", "cylinder", "mesh"]))
        mesh = entry.text("mesh")
        up = entry.choice("up", UP, "+z")
        at = self._corner(entry, frame)
        if shape == "mesh":
            if mesh is None:
                raise entry.bad("mesh", "a mesh needs the name of its STL file")
            if "size" in entry:
                raise entry.bad("size", "a mesh has its own size")
            shape_of = laid(self._mesh(entry, mesh), up)
            high = shape_of.high - shape_of.low
            whole = (float(high[0]), float(high[1]), float(high[2]))
            return Solid(name=name, shape="mesh", size=whole, frame=at, mesh=shape_of.moved(-shape_of.low))
        if up != "+z":
            raise entry.bad("up", "only a mesh is laid on another side")
        size = entry.numbers("size", 3 if shape == "box" else 2, above=0.0)
        if size is None:
            need = "x, y and z" if shape == "box" else "diameter and height"
            raise entry.bad("size", f"a {shape} needs its size: {need}")
        return Solid(name=name, shape=shape, size=tuple(s * self.scale for s in size), frame=at)

    def _corner(self, entry: Table, frame: Frame) -> Frame:
        """Where a solid's corner stands and how it is turned about it; ``frame`` is that of the zero it is placed from."""
        origin = entry.choice("from", ["zero", "machine"], "zero")
        place = entry.numbers("place", 3) or (0.0, 0.0, 0.0)
        turned = math.radians(entry.number("turned", 0.0, least=-360.0, most=360.0))
        base = Frame() if origin == "machine" else frame
        at = base.moved(*(p * self.scale for p in place))
        return Frame(x=at.x, y=at.y, z=at.z, turn_rad=at.turn_rad + turned)

    def _mesh(self, entry: Table, name: str) -> Mesh:
        try:
            return read_mesh(self.folder / name, self.scale)
        except UnusableFile as error:
            raise entry.bad("mesh", f"{name}: {error.why}") from None

    def _stock(self, zero: dict[str, Frame]) -> tuple[Solid, ...]:
        part = self.top.table("stock")
        if part is None:
            raise self.top.bad("stock", "the job must say what is clamped: a [stock] table with shape, size and place")
        self._material = part.text("material", "") or ""
        names = repeated(part, zero)
        first = self._solid(part, "stock", zero[names[0]])
        offset = part_place(first, zero[names[0]])
        part.done(("material", "repeat_at", "outline"))
        if len(names) == 1:
            return (first,)
        turn = first.frame.turn_rad - zero[names[0]].turn_rad

        def at(zero_there: Frame) -> Frame:
            corner = zero_there.moved(*offset)
            return Frame(x=corner.x, y=corner.y, z=corner.z, turn_rad=zero_there.turn_rad + turn)

        return tuple(
            Solid(name=AT_ZERO + n, shape=first.shape, size=first.size, frame=at(zero[n]), mesh=first.mesh)
            for n in names
        )

    def _fixture(self, entry: Table, number: int, zero: dict[str, Frame]) -> tuple[Fixture, ...]:
        name = entry.text("name", f"fixture {number}") or f"fixture {number}"
        frame = zero.get("G54", next(iter(zero.values())))
        shape = entry.peek("shape")
        if isinstance(shape, str) and shape in FIGURES:
            solids = self._piece(entry, name, frame)
        else:
            if "shape" in entry and not (isinstance(shape, str) and shape in ("box", "cylinder", "mesh")):
                entry.choice("shape", ["box", "cylinder", "mesh", *FIGURES])
            solids = (self._solid(entry, name, frame),)
        may_cut = entry.number("may_cut", 0.0, least=0.0) * self.scale
        from_stop, until_stop = entry.whole("from_stop", 0) or 0, entry.whole("until_stop", 0) or 0
        entry.done()
        return tuple(
            Fixture(solid=solid, may_cut=may_cut, from_stop=from_stop, until_stop=until_stop, entry=number)
            for solid in solids
        )

    def _piece(self, entry: Table, name: str, frame: Frame) -> tuple[Solid, ...]:
        """A piece given by its figures, as the solids it is made of."""
        kind = cast(PieceKind, entry.text("shape"))
        at = self._corner(entry, frame)
        figures: dict[str, float] = {}
        for f in FIGURES[kind]:
            if f.least:
                figures[f.key] = float(entry.whole(f.key, int(f.first), least=int(f.least)) or f.least)
            elif f.may_be_none:
                figures[f.key] = entry.number(f.key, f.first / self.scale, least=0.0) * self.scale
            else:
                figures[f.key] = entry.number(f.key, f.first / self.scale, above=0.0) * self.scale
        return tuple(
            Solid(name=f"{name}, {p.name}" if p.name else name, shape=p.shape, size=p.size, frame=at.moved(*p.at))
            for p in parts(kind, figures)
        )

    def _tools(self) -> dict[int, Tool]:
        tools: dict[int, Tool] = {}
        for entry in self.top.tables("tool"):
            tool = read_tool(entry, self.scale)
            if tool.number in tools:
                raise entry.bad("number", f"there are two tools with the number {tool.number}")
            tools[tool.number] = tool
        return tools

    def _loaded(self, tools: dict[int, Tool]) -> dict[int, int]:
        part = self.top.table("loaded")
        out: dict[int, int] = {}
        if part is None:
            return out
        for name in part.names():
            if not re.fullmatch(r"T\d{1,5}", name):
                raise part.bad(name, "write T and the number the program calls, as in T4 = 5")
            really = part.whole(name)
            if really not in tools:
                raise part.bad(name, f"tool {really} is not on the bench")
            out[int(name[1:])] = really
        return out

    def _registers(self, zero: dict[str, Frame], tools: dict[int, Tool]) -> tuple[Registers, frozenset[str]]:
        work: dict[str, Vector] = {name: (f.x, f.y, f.z) for name, f in zero.items()}
        length = {n: t.length for n, t in tools.items()}
        radius = {n: t.radius for n, t in tools.items()}
        part = self.top.table("registers")
        offsets: set[str] = set()
        if part is not None:
            told = part.table("work")
            for name in told.names() if told else []:
                assert told is not None
                entry, called = offset_entry(told, name)
                work[called] = self._place(entry, called)[0]
                offsets.add(called)
            for key, letter, into, add in (
                ("length", "H", length, False),
                ("radius", "D", radius, False),
                ("wear_length", "H", length, True),
                ("wear_radius", "D", radius, True),
            ):
                names = self._numbered(part.table(key), letter, into, add)
                offsets |= names
                if not add:
                    self.base |= names
            touched = part.table("touched")
            for name in touched.names() if touched is not None else []:
                assert touched is not None
                if not re.fullmatch(r"T\d{1,5}", name):
                    raise touched.bad(name, "write T and the tool's number, as in T3 = 0.1")
                self.touched[int(name[1:])] = touched.number(name, 0.0) * self.scale
            part.done()
        wear = {letter: {int(k[1:]): v for k, v in self._wear.items() if k[0] == letter} for letter in "HD"}
        return Registers(
            work=work, length=length, radius=radius, length_wear=wear["H"], radius_wear=wear["D"]
        ), frozenset(offsets)

    def _numbered(self, part: Table | None, letter: str, into: dict[int, float], add: bool) -> set[str]:
        """Read registers into their table; their names."""
        names: set[str] = set()
        for name in part.names() if part else []:
            assert part is not None
            if not re.fullmatch(letter + r"\d{1,5}", name):
                raise part.bad(name, f"write {letter} and the register's number, as in {letter}1 = …")
            number = int(name[1:])
            value = part.number(name, 0.0) * self.scale * (self._d_scale if letter == "D" else 1.0)
            if add:
                self._wear[name] = value
            into[number] = into.get(number, 0.0) + value if add else value
            names.add(f"{letter}{number}")
        return names

    def _start(self) -> Start:
        part = self.top.table("start")
        return Start() if part is None else start_of(part, "xyz", self.scale)

    def _lowest(self, part: Table) -> tuple[float | None, dict[int, float]]:
        """A limit for all tools, or one a tool: ``{ T3 = -12.0 }``."""
        if "lowest_z" not in part:
            return None, {}
        value = part.raw("lowest_z")
        if not isinstance(value, dict):
            return part.checked_number("lowest_z", value) * self.scale, {}
        out: dict[int, float] = {}
        for name, limit in value.items():
            if not re.fullmatch(r"T\d{1,5}", name):
                raise part.bad("lowest_z", f"'{name}' is no tool: write as in {{ T3 = -12.0 }}")
            out[int(name[1:])] = part.checked_number("lowest_z", limit) * self.scale
        return None, out

    def _proof(self, stocks: tuple[Solid, ...]) -> ProofSettings:
        part = self.top.table("proof")
        if part is None:
            return ProofSettings()
        cell = part.number("cell", None, above=0.0)
        cell_mm = cell * self.scale if cell is not None else None
        if cell_mm is not None and any(too_fine(s, cell_mm * len(stocks) ** -0.5) for s in stocks):
            raise part.bad(
                "cell", f"{cell:g} is too fine for this stock; the default is {default_cell(stocks[0]) / self.scale:g}"
            )
        clearance = part.number("clearance", None, least=0.0)
        tolerance = tolerance_of(part)
        lowest, of_tool = self._lowest(part)
        name = part.text("target")
        try:
            target = read_mesh(self.folder / name, self.scale) if name is not None else None
        except UnusableFile as error:
            raise part.bad("target", f"{name}: {error.why}") from None
        within = part.number("target_tolerance", None, above=0.0)
        part.done(("target", "target_tolerance"))
        # The default clearance is 1.0 mm whatever the units, the job's tolerances are mm: both as the format says.
        return ProofSettings(
            cell=cell_mm,
            clearance=clearance * self.scale if clearance is not None else 1.0,
            lowest_z=lowest,
            lowest_z_of=of_tool,
            tolerance=tolerance,
            target=target,
            target_tolerance=within * self.scale if within is not None else _TARGET_MM,
        )


def _table(machine: Machine) -> Fixture:
    """The machine's table: a slab as large as the travel and half a metre more each way."""
    room = 500.0
    x0, y0 = machine.travel_min[0] - room, machine.travel_min[1] - room
    size = (
        machine.travel_max[0] - machine.travel_min[0] + 2 * room,
        machine.travel_max[1] - machine.travel_min[1] + 2 * room,
        100.0,
    )
    return Fixture(
        solid=Solid(name="table", shape="box", size=size, frame=Frame(x=x0, y=y0, z=machine.table_z - size[2]))
    )


def read_milling(ground: Ground, job: Job) -> Job:
    """What is left of a job's file, read into it. Raises ``BadEntry``."""
    return _Entries(ground).read(job)
