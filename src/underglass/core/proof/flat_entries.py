"""What a sheet machine's job says, whatever cuts the sheet: zero, outline, what holds it, registers, switches."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import Any

import shapely

from underglass.core.bench.bench import Bench
from underglass.core.bench.frame import Frame
from underglass.core.bench.sheet import Held, Ring, Sheet
from underglass.core.control.state import AtStop, Registers, Start, Vector
from underglass.core.entries.at_stop import stop_entry
from underglass.core.entries.checked import Table
from underglass.core.entries.ground import OFFSET, Ground, offset_entry, repeated
from underglass.core.entries.materials import find_material
from underglass.core.proof.job import Job, ProofSettings
from underglass.core.proof.job_entries import start_of, tolerance_of, zero_of

_MOST_PLACES = 400_000
_REGISTER = re.compile(r"D([1-9]\d{0,3})")


class SheetEntries:
    """Reads one job; a trade adds its tools and what else it has."""

    def __init__(self, ground: Ground) -> None:
        self.top, self.folder, self.scale = ground.top, ground.folder, ground.scale
        self.wear: dict[str, float] = {}

    # -- what a trade says ---------------------------------------------------------------------------------------------------

    def tools(self, job: Job) -> dict[str, Any]:
        """The tools as ``Sheet`` has them: cutters or punches by number."""
        raise NotImplementedError

    def radii(self, made: Sheet) -> dict[int, float]:
        """What the D registers hold where nobody says, mm."""
        return {}

    def start_tool(self, made: Sheet) -> int:
        """The tool that is at work before the program says one."""
        return 0

    def more(self, part: Table | None, made: Sheet) -> Sheet:
        """What [proof] and [switches] say besides."""
        return made

    def switches(self, job: Job) -> None:
        """Entries of [switches] that are the trade's."""

    # -- the job -------------------------------------------------------------------------------------------------------------

    def read(self, job: Job) -> Job:
        """The job with everything in it."""
        top = self.top
        zero = self._zero()
        part_zero = zero.get("G54") or next(iter(zero.values()))
        stock = top.table("stock")
        if stock is None:
            raise top.bad(
                "stock", "the job must say what lies on the table: a [stock] table with shape, size and place"
            )
        names = repeated(stock, zero)
        outline, thickness, material = self._sheet(stock)
        outline = _at_each(stock, outline, [zero[n] for n in names], part_zero)
        held = tuple(self._held(entry, k) for k, entry in enumerate(top.tables("fixture"), 1))
        made = Sheet(
            outline=outline, thickness=thickness, held=held, zero_x=part_zero.x, zero_y=part_zero.y, **self.tools(job)
        )
        registers, named = self._registers(zero, made)
        settings, made = self._proof(made)
        start = self._start(made)
        at_stops = tuple(self._at_stop(entry) for entry in top.tables("at_stop"))
        loaded = self._loaded(made)
        top.done()
        bench = Bench(
            machine=job.bench.machine, stocks=(), zero=zero, loaded=loaded, material=material, cuts_like=find_material(material), more=made
        )  # fmt: skip
        return replace(
            job, bench=bench, registers=registers, start=start, settings=settings, set_registers=named, wear=self.wear,
            at_stops=at_stops, z_by="tool-table", base_registers=named,
        )  # fmt: skip

    def _place(self, entry: Table) -> Vector:
        x, y = entry.need_number("x") * self.scale, entry.need_number("y") * self.scale
        entry.done()
        return (x, y, 0.0)

    def _zero(self) -> dict[str, Frame]:
        return zero_of(self.top, "G54 = { x = …, y = … }", lambda entry, _name: Frame.at(self._place(entry)))

    def _sheet(self, part: Table) -> tuple[tuple[Ring, ...], float, str]:
        """(outline from the true zero, thickness, material)."""
        material = part.text("material", "") or ""
        place = part.numbers("place", 2) or (0.0, 0.0)
        dx, dy = place[0] * self.scale, place[1] * self.scale
        drawn = part.text("outline")
        if drawn is not None:
            thickness = part.need_number("thickness", above=0.0) * self.scale
            if "shape" in part:
                part.choice("shape", ["sheet"])
            part.raw("size")  # the drawing has it
            part.done()
            from underglass.core.entries.drawing import closed_loops  # slow to take in

            loops = closed_loops(self.folder / drawn, self.scale, part, "outline", _MOST_PLACES)
            loops.sort(key=lambda ring: -abs(shapely.Polygon(ring).area))
            outer = shapely.make_valid(shapely.Polygon(loops[0]))
            inside = [ring for ring in loops[1:] if shapely.contains(outer, shapely.Polygon(ring))]
            x0, y0, _x1, _y1 = outer.bounds
            return (
                tuple(tuple((x - x0 + dx, y - y0 + dy) for x, y in ring) for ring in (loops[0], *inside)),
                thickness,
                material,
            )
        part.choice("shape", ["sheet"])
        size = part.numbers("size", 3, above=0.0)
        if size is None:
            raise part.bad("size", "a sheet needs its size: along X, along Y and its thickness")
        part.done()
        x, y, thickness = (v * self.scale for v in size)
        return (((dx, dy), (dx + x, dy), (dx + x, dy + y), (dx, dy + y)),), thickness, material

    def _held(self, entry: Table, number: int) -> Held:
        """A clamp, or a thing on the table: two figures for size and place; a third is read and not used."""
        name = entry.text("name", f"fixture {number}") or f"fixture {number}"
        kind = entry.choice("shape", ["box", "clamp-zone"])

        def pair(key: str, usual: tuple[float, float] | None) -> tuple[float, float]:
            raw = entry.raw(key)
            if raw is None and usual is not None:
                return usual
            if not isinstance(raw, list) or len(raw) not in (2, 3):
                raise entry.bad(key, "this must be two figures, along X and along Y")
            x, y = (entry.checked_number(key, v) * self.scale for v in raw[:2])
            return x, y

        size, at = pair("size", None), pair("place", (0.0, 0.0))
        if size[0] <= 0.0 or size[1] <= 0.0:
            raise entry.bad("size", "sizes are above 0")
        entry.done()
        return Held(name=name, box=(at[0], at[1], at[0] + size[0], at[1] + size[1]), kind=kind)

    def _registers(self, zero: dict[str, Frame], made: Sheet) -> tuple[Registers, frozenset[str]]:
        work: dict[str, Vector] = {name: (f.x, f.y, 0.0) for name, f in zero.items()}
        radius = self.radii(made)
        named: set[str] = set()
        part = self.top.table("registers")
        if part is None:
            return Registers(work=work, radius=radius), frozenset()
        told = part.table("work")
        for name in told.names() if told is not None else []:
            assert told is not None
            entry, called = offset_entry(told, name)
            work[called] = self._place(entry)
            named.add(called)
        for key in ("radius", "wear_radius"):
            table = part.table(key)
            for name in table.names() if table is not None else []:
                assert table is not None
                found = _REGISTER.fullmatch(name)
                if found is None:
                    raise table.bad(name, "write D and the register's number, as in D1 = \u2026")
                value, number = table.number(name, 0.0) * self.scale, int(found[1])
                if key == "radius":
                    radius[number] = value
                else:
                    self.wear[name] = value
                    radius[number] = radius.get(number, 0.0) + value
                named.add(name)
        part.done()
        wear = {int(k[1:]): v for k, v in self.wear.items()}
        return Registers(work=work, radius=radius, radius_wear=wear), frozenset(named)

    def _loaded(self, made: Sheet) -> dict[int, int]:
        part = self.top.table("loaded")
        out: dict[int, int] = {}
        for name in part.names() if part is not None else []:
            assert part is not None
            if not re.fullmatch(r"T\d{1,5}", name):
                raise part.bad(name, "write T and the number the program calls, as in T4 = 5")
            really = part.whole(name)
            if really is None or really not in made.tool_names:
                raise part.bad(name, f"tool {really} is not on the bench")
            out[int(name[1:])] = really
        return out

    def _start(self, made: Sheet) -> Start:
        part, usual = self.top.table("start"), self.start_tool(made)
        return Start(tool=usual) if part is None else start_of(part, "xy", self.scale, usual)

    def _at_stop(self, entry: Table) -> AtStop:
        stop, note, added = stop_entry(entry)
        radius: dict[int, float] = {}
        work: dict[str, Vector] = {}
        for name, add in added:
            found = _REGISTER.fullmatch(name)
            if found is not None:
                radius[int(found[1])] = add.need_number(name) * self.scale
                continue
            table = add.table(name)
            if table is None or not OFFSET.fullmatch(name):
                raise add.bad(
                    name, "only D registers and work offsets are corrected at a stop, as in { G54 = { x = 0.1 } }"
                )
            work[name] = (table.number("x", 0.0) * self.scale, table.number("y", 0.0) * self.scale, 0.0)
            table.done()
        entry.done()
        return AtStop(stop=stop, length={}, radius=radius, work=work, note=note)

    def _proof(self, made: Sheet) -> tuple[ProofSettings, Sheet]:
        part = self.top.table("proof")
        if part is None:
            return ProofSettings(), self.more(None, made)
        clearance = part.number("clearance", None, least=0.0)
        tolerance = tolerance_of(part)
        made = self.more(part, made)
        part.done()
        return ProofSettings(
            clearance=clearance * self.scale if clearance is not None else 1.0, tolerance=tolerance
        ), made


def _at_each(part: Table, outline: tuple[Ring, ...], zeros: list[Frame], first: Frame) -> tuple[Ring, ...]:
    """The same sheet at each of these zeros, all seen from the first one. Raises ``BadEntry`` where they lie on one another."""
    out: list[Ring] = []
    taken = shapely.Polygon()
    for zero in zeros:
        dx, dy = zero.x - first.x, zero.y - first.y
        rings = [tuple((x + dx, y + dy) for x, y in ring) for ring in outline]
        sheet = shapely.make_valid(shapely.Polygon(rings[0]))
        if shapely.intersection(taken, sheet).area > 1e-6:
            raise part.bad("repeat_at", "two of these sheets lie on one another: their zeros are too close")
        taken = shapely.union(taken, sheet)
        out += rings
    return tuple(out)
