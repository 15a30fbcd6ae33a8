"""What a punch's job says of its own: the tools of the turret, and what scallop is wanted."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import shapely

from underglass.core.bench.sheet import PUNCH_SHAPES, Punch, Sheet
from underglass.core.entries.checked import Table
from underglass.core.entries.ground import Ground
from underglass.core.proof.flat_entries import SheetEntries
from underglass.core.proof.job import Job

_NEEDS = {"round": 1, "square": 1, "rectangle": 2, "obround": 2, "single-D": 2, "hexagon": 1}


def highest_number(stations: int) -> float:
    """The highest number that a tool of a turret of so many stations may have."""
    return 10.0 * stations if stations else math.inf


def read_punch_tool(entry: Table, scale: float, stations: int = 0) -> Punch:
    """One ``[[tool]]``. Raises ``BadEntry``."""
    number = entry.whole("number", least=1)
    if number is None:
        raise entry.bad("number", "a punch needs the number of its station")
    if number > highest_number(stations):
        raise entry.bad("number", f"this turret has {stations} stations; {number} is none of them")
    entry.choice("kind", ["punch"], "punch")
    drawn = entry.raw("outline")
    size: tuple[float, ...] = ()
    outline: tuple[tuple[float, float], ...] = ()
    if drawn is not None:
        if not isinstance(drawn, list) or len(drawn) < 3 or not all(isinstance(p, list) and len(p) == 2 for p in drawn):
            raise entry.bad("outline", "an outline is a list of [x, y] places, at least three")
        outline = tuple(
            (entry.checked_number("outline", x) * scale, entry.checked_number("outline", y) * scale) for x, y in drawn
        )
        ring = shapely.Polygon(outline)
        if not ring.is_valid or ring.area <= 0.0:
            raise entry.bad("outline", "this outline crosses itself, or encloses nothing")
        shape = "outline"
        if "shape" in entry:
            entry.choice("shape", [*PUNCH_SHAPES, "outline"])
    else:
        shape = entry.choice("shape", list(PUNCH_SHAPES))
        found = entry.numbers("size", _NEEDS[shape], above=0.0)
        if found is None:
            raise entry.bad(
                "size", f"a {shape} punch needs {_NEEDS[shape]} figure{'s' if _NEEDS[shape] > 1 else ''} for its size"
            )
        size = tuple(v * scale for v in found)
        if shape == "obround" and size[1] > size[0]:
            raise entry.bad("size", "an obround is longer than wide: its overall length comes first")
        if shape == "single-D" and not size[0] / 2.0 < size[1] < size[0]:
            raise entry.bad("size", "the height over the flat lies between half the diameter and the diameter")
    angle = math.radians(entry.number("angle", 0.0, least=-360.0, most=360.0))
    index, forming = entry.flag("index", False), entry.flag("forming", False)
    height = entry.number("height", 0.0) * scale
    entry.done()
    return Punch(
        number=number,
        shape=shape,
        size=size,
        outline=outline,
        angle_rad=angle,
        index=index,
        forming=forming,
        height=height,
    )


class _Entries(SheetEntries):
    def tools(self, job: Job) -> dict[str, Any]:
        found: dict[int, Punch] = {}
        for entry in self.top.tables("tool"):
            punch = read_punch_tool(entry, self.scale, int(job.bench.machine.more.get("stations", 0.0)))
            if punch.number in found:
                raise entry.bad("number", f"there are two tools at station {punch.number}")
            found[punch.number] = punch
        return {"punches": found}

    def more(self, part: Table | None, made: Sheet) -> Sheet:
        scallop = part.number("scallop", 0.0, least=0.0) * self.scale if part is not None else 0.0
        return replace(made, scallop=scallop)


def read_punching(ground: Ground, job: Job) -> Job:
    """What is left of a job's file, read into it. Raises ``BadEntry``."""
    return _Entries(ground).read(job)
