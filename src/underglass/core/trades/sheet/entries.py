"""What a sheet cutter's job says of its own: the cutter, bridges, the dry trace."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, Literal, cast

from underglass.core.bench.sheet import CUTTER_WORDS, Cutter, Sheet
from underglass.core.entries.checked import Table
from underglass.core.entries.ground import Ground
from underglass.core.proof.flat_entries import SheetEntries
from underglass.core.proof.job import Job


def read_cutter(entry: Table, scale: float) -> Cutter:
    """One ``[[tool]]``. Raises ``BadEntry``."""
    number = entry.whole("number", 1, least=1) or 1
    kind = cast(Literal["torch", "beam", "jet"], entry.choice("kind", list(CUTTER_WORDS)))
    kerf = entry.need_number("kerf", above=0.0) * scale
    pierce = entry.number("pierce_s", 0.0, least=0.0)
    disc = entry.number("pierce_diameter", kerf / scale, least=0.0) * scale
    pair = entry.numbers("feed", 2, above=0.0)
    if pair is not None and pair[0] > pair[1]:
        raise entry.bad("feed", "this must be the slowest and the fastest feed for this sheet")
    entry.done()
    feed = (pair[0] * scale, pair[1] * scale) if pair is not None else None
    return Cutter(number=number, kind=kind, kerf=kerf, pierce_s=pierce, pierce_diameter=disc, feed=feed)


class _Entries(SheetEntries):
    def __init__(self, ground: Ground, job: Job) -> None:
        super().__init__(ground)
        self.dry_trace = job.switches.dry_trace

    def tools(self, job: Job) -> dict[str, Any]:
        found: dict[int, Cutter] = {}
        for entry in self.top.tables("tool"):
            cutter = read_cutter(entry, self.scale)
            if cutter.number in found:
                raise entry.bad("number", f"there are two tools with the number {cutter.number}")
            found[cutter.number] = cutter
        return {"cutters": found}

    def radii(self, made: Sheet) -> dict[int, float]:
        return {n: c.kerf / 2.0 for n, c in made.cutters.items()}

    def start_tool(self, made: Sheet) -> int:
        return min(made.cutters, default=0)

    def more(self, part: Table | None, made: Sheet) -> Sheet:
        bridges = part.flag("bridges", False) if part is not None else False
        return replace(made, bridges=bridges, dry_trace=self.dry_trace)


def read_sheet(ground: Ground, job: Job) -> Job:
    """What is left of a job's file, read into it. Raises ``BadEntry``."""
    return _Entries(ground, job).read(job)
