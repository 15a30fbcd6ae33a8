"""The job file, format 1. The whole of it is checked before anything runs; every complaint names file, key and line."""

from __future__ import annotations

import math
import re
from dataclasses import replace
from pathlib import Path
from typing import cast

import numpy as np

from underglass.core.bench.bench import Bench
from underglass.core.bench.frame import Frame
from underglass.core.bench.machine import Machine
from underglass.core.bench.mesh import UP, Mesh, laid
from underglass.core.bench.pieces import FIGURES, PieceKind, parts
from underglass.core.bench.solid import Fixture, Solid, SolidShape
from underglass.core.bench.tool import Tool
from underglass.core.control.profile import ControlProfile
from underglass.core.control.state import AtStop, Registers, Start, Switches, Vector
from underglass.core.control.words import OFFSETS_IN_ORDER
from underglass.core.entries.checked import Table, read_toml, read_toml_bytes
from underglass.core.entries.materials import find_material
from underglass.core.entries.mesh import read_mesh
from underglass.core.entries.tool import read_tool
from underglass.core.errors import UnusableFile
from underglass.core.files import profiles
from underglass.core.finding import CODES
from underglass.core.language.source import read_bytes
from underglass.core.proof.job import Accepted, Job, ProofSettings, RegisterTolerance
from underglass.core.proof.length_ways import complete, first_called
from underglass.core.reading import PROGRAM_BYTES, read_regular
from underglass.core.removal.field import default_cell, too_fine
from underglass.core.trade_list import TRADES
from underglass.core.units import MM_PER_INCH, Unit

_REGISTER = re.compile(r"([HD])([1-9]\d{0,3})")

_OFFSET = re.compile(r"G5[4-9](\.1P([1-9]|[1-3]\d|4[0-8]))?|G59\.[123]")


def offset_name(written: str) -> str:
    """A work offset's name without blanks, as the control has it."""
    return written.replace(" ", "").upper()


_MOST_FIXTURES = 400
"""Each costs a look at every move: a table of clamps, not a warehouse."""

_TARGET_MM = 0.05
"""How far the finished stock may be from the target where the job does not say."""


class _Reader:
    """Reads one job, with its scale from file lengths to mm."""

    def __init__(self, top: Table, path: Path) -> None:
        self.top = top
        self.path = path
        self.folder = path.parent
        self.units: Unit = "mm"
        self.scale = 1.0
        self.not_held: list[str] = []
        self._material = ""
        self._d_scale = 1.0
        self._wear: dict[str, float] = {}
        self.z_by = "length-registers"
        self.z_tool: int | None = None
        self.touched: dict[int, float] = {}
        self.base: set[str] = set()

    def read(self) -> Job:
        top = self.top
        if top.whole("format") != 1:
            raise top.bad("format", "the file must say `format = 1`, the format this version reads")
        self.units = "inch" if top.choice("units", ["mm", "inch"], "mm") == "inch" else "mm"
        self.scale = MM_PER_INCH if self.units == "inch" else 1.0
        guessed = self._guessed()
        accepted = tuple(self._accepted(entry) for entry in top.tables("accepted"))
        title = top.text("title", self.path.name.removesuffix(".toml").removesuffix(".job")) or ""
        machine_name = top.text("machine", "mill-3axis") or ""
        machine = profiles.read_machine(profiles.find("machine", machine_name, self.folder, top, "machine"))
        control_name = top.text("control", "word-address-mill") or ""
        control = profiles.read_control(profiles.find("control", control_name, self.folder, top, "control"))
        program = top.need_text("program")
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
        switches = self._switches()
        settings = self._proof(stocks)
        start = self._start()
        at_stops = tuple(self._at_stop(entry) for entry in top.tables("at_stop"))
        top.done()
        bench = Bench(
            machine,
            stocks,
            (_table(machine), *fixtures),
            tools,
            zero,
            loaded,
            self._material,
            find_material(self._material),
        )
        job = Job(
            title=title,
            units=self.units,
            file=str(self.path),
            folder=str(self.folder),
            program=program,
            bench=bench,
            control=control,
            registers=registers,
            trade=TRADES[machine.kind],
            switches=switches,
            start=start,
            settings=settings,
            set_registers=offsets,
            not_held=tuple(self.not_held),
            wear=self._wear,
            unconfirmed=guessed,
            accepted=accepted,
            at_stops=at_stops,
            z_by=self.z_by,
            z_tool=self.z_tool or 0,
            z_tool_said=self.z_tool is not None,
            touched=self.touched,
            base_registers=frozenset(self.base),
        )
        if job.z_by == "first-tool" and not job.z_tool:
            job = replace(job, z_tool=first_called(self._program_lines(program), control) or min(tools, default=0))
        return job if job.z_by in ("length-registers", "tool-table") else complete(job)

    def _program_lines(self, name: str) -> tuple[str, ...]:
        """The program as it lies beside the job; nothing where it does not."""
        try:
            return read_bytes(read_regular(self.folder / name, PROGRAM_BYTES), name).lines
        except UnusableFile:
            return ()

    def _at_stop(self, entry: Table) -> AtStop:
        """What is corrected by hand at a stop of the program: ``add = { H2 = -0.05, D1 = 0.02, G54 = { z = 0.1 } }``."""
        stop = entry.whole("stop", least=1)
        if stop is None:
            raise entry.bad("stop", "say which stop of the run is meant: 1 is the first M0 or M1 that it meets")
        note = entry.text("note", "") or ""
        length: dict[int, float] = {}
        radius: dict[int, float] = {}
        work: dict[str, Vector] = {}
        add = entry.table("add")
        for name in add.names() if add is not None else ():
            assert add is not None
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
        if add is not None:
            add.done()
        entry.done()
        return AtStop(stop, length, radius, work, note)

    def _accepted(self, entry: Table) -> Accepted:
        """A finding that a person means so; without a reason it is none."""
        code = entry.choice("code", list(CODES))
        block, reason = entry.need_text("block"), entry.need_text("reason")
        if not reason.strip():
            raise entry.bad("reason", "say why this is meant")
        entry.done()
        return Accepted(code, block, reason)

    def _guessed(self) -> frozenset[str]:
        """What the file itself says is only guessed yet."""
        raw = self.top.raw("guessed")
        if raw is None:
            return frozenset()
        if not isinstance(raw, list) or not all(isinstance(name, str) for name in raw):
            raise self.top.bad("guessed", 'this must be a list of names in quotes, as in ["stock", "T3"]')
        return frozenset(raw)

    # -- truth -------------------------------------------------------------------------------------------------

    def _place(self, entry: Table, name: str, also: tuple[str, ...] = ()) -> tuple[Vector, float]:
        x, y, z = (entry.need_number(axis) * self.scale for axis in "xyz")
        turned = math.radians(entry.number("turned", 0.0, least=-360.0, most=360.0)) if "turned" in also else 0.0
        entry.done(also)
        return (x, y, z), turned

    def _zero(self, control: ControlProfile) -> dict[str, Frame]:
        part = self.top.table("zero")
        zero: dict[str, Frame] = {}
        if part is None:
            raise self.top.bad(
                "zero", "the job must say where the part's zero really is, as in [zero] G54 = { x = …, y = …, z = … }"
            )
        self.z_by = part.choice("z_by", profiles.LENGTH_WAYS, control.length_by)
        self.z_tool = part.whole("z_tool", None, least=1)
        for written in part.names():
            entry, name = self._offset_entry(part, written)
            (x, y, z), turned = self._place(entry, name, ("turned",))
            zero[name] = Frame(x, y, z, turned)
        if not zero:
            raise self.top.bad("zero", "at least one part zero must be given, as in G54 = { x = …, y = …, z = … }")
        return zero

    def _offset_entry(self, part: Table, name: str) -> tuple[Table, str]:
        """A work offset's table, and its name as the control has it: "G54.1 P3" is G54.1P3."""
        if not _OFFSET.fullmatch(offset_name(name)):
            raise part.bad(name, "work offsets are G54 to G59 and G54.1P1 to G54.1P48")
        entry = part.table(name)
        assert entry is not None
        return entry, offset_name(name)

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
            return Solid(name, "mesh", whole, at, shape_of.moved(-shape_of.low))
        if up != "+z":
            raise entry.bad("up", "only a mesh is laid on another side")
        size = entry.numbers("size", 3 if shape == "box" else 2, above=0.0)
        if size is None:
            need = "x, y and z" if shape == "box" else "diameter and height"
            raise entry.bad("size", f"a {shape} needs its size: {need}")
        return Solid(name, shape, tuple(s * self.scale for s in size), at)

    def _corner(self, entry: Table, frame: Frame) -> Frame:
        """Where a solid's corner stands and how it is turned about it; ``frame`` is that of the zero it is placed from."""
        origin = entry.choice("from", ["zero", "machine"], "zero")
        place = entry.numbers("place", 3) or (0.0, 0.0, 0.0)
        turned = math.radians(entry.number("turned", 0.0, least=-360.0, most=360.0))
        base = Frame() if origin == "machine" else frame
        at = base.moved(*(p * self.scale for p in place))
        return Frame(at.x, at.y, at.z, at.turn_rad + turned)

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
        repeat = part.raw("repeat_at")
        names = ["G54"] if repeat is None else repeat
        if isinstance(names, list) and all(isinstance(n, str) for n in names):
            names = [offset_name(n) for n in names]
        if not isinstance(names, list) or not names or not all(isinstance(n, str) for n in names):
            raise part.bad("repeat_at", 'this must be a list of work offsets in quotes, as in ["G54", "G55"]')
        if repeat is None and "G54" not in zero:
            names = [next(iter(zero))]
        for k, name in enumerate(names):
            if name not in zero:
                raise part.bad("repeat_at", f"{name} has no entry in [zero]")
            if name in names[:k]:
                raise part.bad("repeat_at", f"{name} stands twice: one part stands at each zero")
        first = self._solid(part, "stock", zero[names[0]])
        offset = part_place(first, zero[names[0]])
        part.done(("material", "repeat_at", "outline"))
        if len(names) == 1:
            return (first,)
        turn = first.frame.turn_rad - zero[names[0]].turn_rad

        def at(zero_there: Frame) -> Frame:
            corner = zero_there.moved(*offset)
            return Frame(corner.x, corner.y, corner.z, zero_there.turn_rad + turn)

        return tuple(Solid(f"stock at {n}", first.shape, first.size, at(zero[n]), first.mesh) for n in names)

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
        return tuple(Fixture(solid, may_cut, from_stop, until_stop, number) for solid in solids)

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
            Solid(f"{name}, {p.name}" if p.name else name, p.shape, p.size, at.moved(*p.at))
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

    # -- belief ------------------------------------------------------------------------------------------------

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
                entry, called = self._offset_entry(told, name)
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
        return Registers(work, length, radius, wear["H"], wear["D"]), frozenset(offsets)

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
        if part is None:
            return Start()
        offset = part.text("offset")
        if offset is not None:
            offset = offset_name(offset)
            if not _OFFSET.fullmatch(offset):
                raise part.bad("offset", "work offsets are G54 to G59 and G54.1P1 to G54.1P48")
        units = part.choice("units", ["mm", "inch"]) if "units" in part else None
        distance = part.choice("distance", ["G90", "G91"]) if "distance" in part else None
        shift: Vector = (0.0, 0.0, 0.0)
        table = part.table("shift")
        if table is not None:
            shift = (
                table.number("x", 0.0) * self.scale,
                table.number("y", 0.0) * self.scale,
                table.number("z", 0.0) * self.scale,
            )
            table.done()
        rotation = math.radians(part.number("rotation", 0.0, least=-360.0, most=360.0))
        if "compensation" in part:
            compensation = part.choice("compensation", ["G40", "G41", "G42"])
        else:
            compensation = None
        d, tool = part.whole("d"), part.whole("tool", 0) or 0
        part.done()
        return Start(
            offset, "inch" if units == "inch" else "mm" if units else None, distance, shift, rotation, compensation, d,
            tool,
        )  # fmt: skip

    # -- how to prove ------------------------------------------------------------------------------------------

    def _switches(self) -> Switches:
        part = self.top.table("switches")
        if part is None:
            return Switches()
        skip = part.raw("block_skip") if isinstance(part.peek("block_skip"), list) else part.flag("block_skip", False)
        if isinstance(skip, list) and not all(isinstance(level, int) and 1 <= level <= 9 for level in skip):
            raise part.bad("block_skip", "this must be true, false, or a list of levels from 1 to 9")
        switches = Switches(
            bool(skip),
            part.flag("optional_stop", True),
            frozenset(skip) if isinstance(skip, list) else frozenset(),
            part.number("feed_override", 100.0, least=1.0, most=300.0) / 100.0,
            part.number("rapid_override", 100.0, least=1.0, most=100.0) / 100.0,
        )
        part.done()
        return switches

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
        tolerance = RegisterTolerance()
        table = part.table("tolerance")
        if table is not None:
            tolerance = RegisterTolerance(
                table.number("length", tolerance.length, least=0.0),
                table.number("radius", tolerance.radius, least=0.0),
                table.number("work_offset", tolerance.work_offset, least=0.0),
            )
            table.done()
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
            cell_mm,
            clearance * self.scale if clearance is not None else 1.0,
            lowest,
            of_tool,
            tolerance,
            target,
            within * self.scale if within is not None else _TARGET_MM,
        )


def part_place(solid: Solid, zero: Frame) -> Vector:
    """Where a solid's corner lies, seen from a zero, mm."""
    at = zero.into(np.array([[solid.frame.x, solid.frame.y, solid.frame.z]]))[0]
    return (float(at[0]), float(at[1]), float(at[2]))


def _table(machine: Machine) -> Fixture:
    """The machine's table: a slab as large as the travel and half a metre more each way."""
    room = 500.0
    x0, y0 = machine.travel_min[0] - room, machine.travel_min[1] - room
    size = (
        machine.travel_max[0] - machine.travel_min[0] + 2 * room,
        machine.travel_max[1] - machine.travel_min[1] + 2 * room,
        100.0,
    )
    return Fixture(Solid("table", "box", size, Frame(x0, y0, machine.table_z - size[2])))


def read_job(path: Path) -> Job:
    """A job file as a job. Raises ``UnusableFile`` or ``BadEntry``: one plain sentence with file, key and line."""
    return _Reader(read_toml(path), path).read()


def read_job_text(text: str, path: Path) -> Job:
    """The text of a job file, of which ``path`` says where it lies or is to lie. Raises as ``read_job`` does."""
    return _Reader(read_toml_bytes(text.encode("utf-8", "replace"), str(path)), path).read()
