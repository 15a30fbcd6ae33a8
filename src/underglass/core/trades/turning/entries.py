"""What a turning job says of its own: zero, bar, chuck, tailstock, tools, registers, and what is done by hand.

X stands as a diameter in the file and as a radius from here on; lengths in mm.
"""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any, cast

import shapely

from underglass.core.bench.bench import Bench
from underglass.core.bench.frame import Frame
from underglass.core.bench.lathe import Chuck, Lathe, LatheTool, Tailstock
from underglass.core.control.state import AtStop, Registers, Start, Vector
from underglass.core.entries.at_stop import stop_entry
from underglass.core.entries.checked import Table
from underglass.core.entries.ground import OFFSET, Ground, offset_entry
from underglass.core.entries.materials import find_material
from underglass.core.proof.job import Job, ProofSettings
from underglass.core.proof.job_entries import started, tolerance_of, zero_of
from underglass.core.removal.section.history import SectionHistory
from underglass.core.trades.turning.profile_in import closed_ring, rings_of_drawing
from underglass.core.trades.turning.tool_entry import read_lathe_tool

Ring = tuple[tuple[float, float], ...]

_REGISTER = re.compile(r"T?([1-9]\d{0,2})")


TURNED_WITHIN_MM = 0.02
"""How far the finished part may be from the target where the job does not say, on the radius."""


class _Entries:
    """Reads one job, with its scale from file lengths to mm."""

    def __init__(self, ground: Ground) -> None:
        self.ground = ground
        self.top, self.folder, self.scale = ground.top, ground.folder, ground.scale
        self.material = ""

    def read(self, job: Job) -> Job:
        """The job with everything in it that a turning job has."""
        top, machine = self.top, job.bench.machine
        zero = self._zero()
        part_zero = zero.get("G54") or next(iter(zero.values()))
        stock = self._stock()
        chuck = self._chuck()
        tailstock = self._tailstock()
        tools: dict[int, LatheTool] = {}
        for entry in top.tables("tool"):
            tool = read_lathe_tool(entry, self.scale, machine.more)
            if tool.number in tools:
                raise entry.bad("number", f"there are two tools with the number {tool.number}")
            tools[tool.number] = tool
        registers, named, wear = self._registers(zero, tools)
        loaded = self._loaded(tools)
        settings = self._proof()
        start = self._start()
        at_stops = tuple(self._at_stop(entry) for entry in top.tables("at_stop"))
        pulls, by_hand, loads = self._hand(tools)
        top.done()
        if not self.material and isinstance(stock[1], str):
            self.material = stock[1]
        lathe = Lathe(
            tools=tools,
            stock=stock[0],
            chuck=chuck,
            tailstock=tailstock,
            zero_z=part_zero.z,
            zero_x=part_zero.x,
            nose_z=machine.more.get("nose_z", -500.0) - part_zero.z,
            turret=(machine.more.get("turret_axis", 120.0), machine.more.get("turret_swing", 180.0)),
            stations=int(machine.more.get("stations", 8.0)),
            pulls=pulls,
            by_hand=by_hand,
            loads=loads,
        )
        return replace(
            job,
            bench=Bench(
                machine=machine, stocks=(), zero=zero, loaded=loaded, material=self.material, cuts_like=find_material(self.material),
                more=lathe,
            ),
            registers=registers,
            start=start,
            settings=settings,
            set_registers=named,
            wear=wear,
            at_stops=at_stops,
            z_by="tool-table",
        )  # fmt: skip

    # -- truth -----------------------------------------------------------------------------------------------------------

    def _place(self, entry: Table) -> Vector:
        x, z = entry.number("x", 0.0) * self.scale / 2.0, entry.need_number("z") * self.scale
        entry.done()
        return (x, 0.0, z)

    def _zero(self) -> dict[str, Frame]:
        return zero_of(self.top, "G54 = { z = … }", lambda entry, _name: Frame.at(self._place(entry)))

    def _stock(self) -> tuple[tuple[Ring, ...], str]:
        part = self.top.table("stock")
        if part is None:
            raise self.top.bad("stock", "the job must say what is clamped: a [stock] table with shape and size")
        self.material = part.text("material", "") or ""
        earlier = part.text("from")
        if earlier is not None:
            return self._taken_over(part, earlier)
        shape = part.choice("shape", ["bar", "tube", "profile"])
        place = part.number("place", 0.0) * self.scale
        if shape == "profile":
            rings = self._profile(part, place)
            part.done()
            return rings, ""
        size = part.numbers("size", 2 if shape == "bar" else 3, above=0.0)
        if size is None:
            need = "diameter and length" if shape == "bar" else "outer diameter, inner diameter and length"
            raise part.bad("size", f"a {shape} needs its size: {need}")
        part.done()
        outer, length = size[0] * self.scale / 2.0, size[-1] * self.scale
        inner = size[1] * self.scale / 2.0 if shape == "tube" else 0.0
        if inner >= outer:
            raise part.bad("size", f"a tube of {size[0]:g} outside cannot be {size[1]:g} inside: there is no wall left")
        low = place - length
        return (((inner, low), (outer, low), (outer, place), (inner, place)),), ""

    def _profile(self, part: Table, place: float, key: str = "profile") -> tuple[Ring, ...]:
        """Typed or drawn, as closed rings: X a radius, Z, mm."""
        raw = part.raw(key)
        if isinstance(raw, str):
            rings = rings_of_drawing(self.folder / raw, self.scale, part, key)
        elif isinstance(raw, list) and all(isinstance(p, list) and len(p) == 2 for p in raw):
            rings = (
                closed_ring(
                    [
                        (
                            part.checked_number(key, p[0]) * self.scale,
                            part.checked_number(key, p[1]) * self.scale,
                        )
                        for p in raw
                    ],
                    part,
                    key,
                ),
            )
        else:
            raise part.bad(key, "this must be a list of [diameter, Z] places, or the name of a drawing in quotes")
        return tuple(tuple((x / 2.0, z + place) for x, z in ring) for ring in rings)

    def _taken_over(self, part: Table, name: str) -> tuple[tuple[Ring, ...], str]:
        """What another job left in the chuck, or the piece that it parted off; turned round where that is said."""
        piece = part.whole("piece", None, least=1)
        turned = part.flag("turned_round", False)
        place = part.number("place", None)
        part.done()
        path = (self.folder / name).resolve()
        shape, material = _result_of(path, piece, part, self.ground)
        if turned:
            shape = shapely.transform(shape, lambda p: p * (1.0, -1.0))
        if place is not None:
            up = place * self.scale - shape.bounds[3]
            shape = shapely.transform(shape, lambda p: p + (0.0, up))
        rings: list[Ring] = []
        for one in shapely.get_parts(shape):
            for ring in shapely.get_rings(one):
                rings.append(tuple((float(x), float(z)) for x, z in shapely.get_coordinates(ring)[:-1]))
        return tuple(rings), material

    def _chuck(self) -> Chuck:
        part = self.top.table("chuck")
        if part is None:
            return Chuck(kind="none")
        kind = part.choice("kind", ["jaws", "collet", "inside", "none"])
        face = part.number("face", 0.0) * self.scale
        diameter = part.number("diameter", 0.0, least=0.0) * self.scale
        grip = part.number("grip_limit", None, above=0.0)
        table = part.table("jaws")
        jaws, may_cut = None, 0.0
        if table is not None:
            jaws = (
                table.need_number("length", above=0.0) * self.scale,
                table.need_number("height", above=0.0) * self.scale,
            )
            may_cut = table.number("may_cut", 0.0, least=0.0) * self.scale
            table.done()
        elif kind in ("jaws", "inside"):
            raise part.bad("jaws", "jaws need their size, as in jaws = { length = 30.0, height = 25.0 }")
        part.done()
        return Chuck(
            kind=cast(Any, kind), face=face, diameter=diameter, jaws=jaws,
            grip_limit=None if grip is None else grip * self.scale, may_cut=may_cut,
        )  # fmt: skip

    def _tailstock(self) -> Tailstock | None:
        part = self.top.table("tailstock")
        if part is None:
            return None
        out = Tailstock(
            z=part.need_number("z") * self.scale,
            SIG=math.radians(part.number("SIG", 60.0, above=0.0, most=179.0)),
            diameter=part.number("diameter", 20.0 / self.scale, above=0.0) * self.scale,
            body=part.number("body", 60.0 / self.scale, above=0.0) * self.scale,
            length=part.number("length", 60.0 / self.scale, least=0.0) * self.scale,
        )
        part.done()
        return out

    def _loaded(self, tools: Mapping[int, LatheTool]) -> dict[int, int]:
        part = self.top.table("loaded")
        out: dict[int, int] = {}
        for name in part.names() if part is not None else []:
            assert part is not None
            found = re.fullmatch(r"T(\d{1,3})", name)
            if found is None:
                raise part.bad(name, "write T and the station that the program calls, as in T4 = 5")
            really = part.whole(name)
            if really is None or really not in tools:
                raise part.bad(name, f"tool {really} is not on the turret")
            out[int(found[1])] = really
        return out

    # -- belief ----------------------------------------------------------------------------------------------------------

    def _registers(
        self, zero: Mapping[str, Frame], tools: Mapping[int, LatheTool]
    ) -> tuple[Registers, frozenset[str], dict[str, float]]:
        work: dict[str, Vector] = {name: (f.x, f.y, f.z) for name, f in zero.items()}
        geometry: dict[int, Vector] = {n: (t.gauge[0], 0.0, t.gauge[1]) for n, t in tools.items()}
        noses = {n: (t.RE, t.orientation) for n, t in tools.items() if not t.on_axis}
        named: set[str] = set()
        wear: dict[str, float] = {}
        part = self.top.table("registers")
        if part is None:
            return Registers(work=work, geometry=geometry, noses=noses), frozenset(), wear
        told = part.table("work")
        for name in told.names() if told is not None else []:
            assert told is not None
            entry, called = offset_entry(told, name)
            work[called] = self._place(entry)
            named.add(called)
        for number, entry, _key in self._numbered(part.table("geometry")):
            old = geometry.get(number, (0.0, 0.0, 0.0))
            geometry[number] = self._figures(entry, old)
            named.add(f"T{number}")
        for number, entry, _key in self._numbered(part.table("wear")):
            x, _y, z = self._figures(entry, (0.0, 0.0, 0.0))
            old = geometry.get(number, (0.0, 0.0, 0.0))
            geometry[number] = (old[0] + x, 0.0, old[2] + z)
            wear[f"X{number}"], wear[f"Z{number}"] = x, z
            named.add(f"T{number}")
        for number, entry, _key in self._numbered(part.table("nose")):
            noses[number] = self._nose(entry, noses.get(number, (0.0, 0)))
        part.done()
        return Registers(work=work, geometry=geometry, noses=noses), frozenset(named), wear

    def _nose(self, entry: Table, usual: tuple[float, int]) -> tuple[float, int]:
        radius = entry.number("radius", usual[0] / self.scale, least=0.0) * self.scale
        side = entry.whole("orientation", usual[1], least=0) or 0
        if side > 9:
            raise entry.bad("orientation", "orientations are 1 to 9, and 0 for none")
        entry.done()
        return (radius, side)

    def _figures(self, entry: Table, usual: Vector) -> Vector:
        x = entry.number("x", 2.0 * usual[0] / self.scale) * self.scale / 2.0
        z = entry.number("z", usual[2] / self.scale) * self.scale
        entry.done()
        return (x, 0.0, z)

    def _numbered(self, part: Table | None) -> list[tuple[int, Table, str]]:
        out = []
        for name in part.names() if part is not None else []:
            assert part is not None
            found = _REGISTER.fullmatch(name)
            if found is None:
                raise part.bad(name, "write the offset's number, as in 2 = { \u2026 }")
            entry = part.table(name)
            assert entry is not None
            out.append((int(found[1]), entry, name))
        return out

    def _start(self) -> Start:
        part = self.top.table("start")
        if part is None:
            return Start()
        (offset, units), tool = started(part), part.whole("tool", 0) or 0
        part.done()
        return Start(offset=offset, units=units, tool=tool)

    def _at_stop(self, entry: Table) -> AtStop:
        """``add = { T2 = { x = -0.04, z = 0.0 }, G54 = { z = 0.1 } }``: X of a tool's wear is a diameter."""
        stop, note, added = stop_entry(entry)
        work: dict[str, Vector] = {}
        wear: dict[int, Vector] = {}
        for name, add in added:
            found = re.fullmatch(r"T([1-9]\d{0,2})", name)
            table = add.table(name)
            assert table is not None
            if found is not None:
                wear[int(found[1])] = self._figures(table, (0.0, 0.0, 0.0))
            elif OFFSET.fullmatch(name):
                work[name] = self._figures(table, (0.0, 0.0, 0.0))
            else:
                raise add.bad(name, "only tool offsets (as T2) and work offsets are corrected at a stop")
        entry.done()
        return AtStop(stop=stop, length={}, radius={}, work=work, note=note, wear=wear)

    def _hand(
        self, tools: Mapping[int, LatheTool]
    ) -> tuple[dict[int, float], dict[int, tuple[LatheTool, float]], dict[int, dict[int, int]]]:
        """``[hand] at_stop_1 = [ { drill = 6.0, SIG = 118.0, to_z = -12.0 } ]``, or load and station, or pull."""
        part = self.top.table("hand")
        pulls: dict[int, float] = {}
        drilled: dict[int, tuple[LatheTool, float]] = {}
        loads: dict[int, dict[int, int]] = {}
        for name in part.names() if part is not None else []:
            assert part is not None
            found = re.fullmatch(r"at_stop_([1-9]\d{0,3})", name)
            if found is None:
                raise part.bad(name, "write at_stop_ and the stop's number, as in at_stop_1 = [ { pull = 60.0 } ]")
            stop = int(found[1])
            for one in part.tables(name):
                if "pull" in one:
                    pulls[stop] = pulls.get(stop, 0.0) + one.need_number("pull") * self.scale
                elif "load" in one:
                    load = one.whole("load", least=1) or 0
                    if load not in tools:
                        raise one.bad("load", f"tool {load} is not among the job's tools")
                    loads.setdefault(stop, {})[one.whole("station", load, least=1) or load] = load
                else:
                    drill = LatheTool(
                        number=0, kind="drill", gauge=(0.0, 0.0), DC=one.need_number("drill", above=0.0) * self.scale,
                        SIG=math.radians(one.number("SIG", 118.0, above=0.0, most=180.0)), APMX=1000.0, stickout=1000.0,
                        orientation=7, turns="either",
                    )  # fmt: skip
                    drilled[stop] = (drill, one.need_number("to_z") * self.scale)
                one.done()
        return pulls, drilled, loads

    # -- how to prove ----------------------------------------------------------------------------------------------------

    def _proof(self) -> ProofSettings:
        part = self.top.table("proof")
        if part is None:
            return ProofSettings()
        clearance = part.number("clearance", None, least=0.0)
        tolerance = tolerance_of(part)
        target = self._profile(part, 0.0, "target") if "target" in part else ()
        within = part.number("target_tolerance", None, above=0.0)
        part.done()
        return ProofSettings(
            clearance=clearance * self.scale if clearance is not None else 1.0, tolerance=tolerance, profile=target,
            target_tolerance=within * self.scale if within is not None else TURNED_WITHIN_MM,
        )  # fmt: skip


def _result_of(path: Path, piece: int | None, part: Table, ground: Ground) -> tuple[Any, str]:
    """What another job left: the section that its proof ends with, or a piece that it parted off, and its material."""
    taken = ground.result_of(path)
    if taken is None:
        raise part.bad("from", f"{path.name} is no turning job whose end can be taken over")
    histories, material = taken
    if not histories:
        raise part.bad("from", f"{path.name} has no stock that could be taken over")
    found = histories[0]
    assert isinstance(found, SectionHistory)
    pieces = found.pieces
    if piece is not None:
        if piece > len(pieces):
            raise part.bad("piece", f"{path.name} parts off {len(pieces)} pieces")
        return pieces[piece - 1].shape, material
    return found.final.shape, material


def read_turning(ground: Ground, job: Job) -> Job:
    """What is left of a job's file, read into it. Raises ``BadEntry``."""
    return _Entries(ground).read(job)
