"""What a nest most likely is about: the sheet that lies there, the cutter's kerf, feed and pierce."""

from __future__ import annotations

from collections.abc import Mapping

from underglass.core.bench.sheet import Sheet
from underglass.core.compose.operation import Operation
from underglass.core.proof.job import Job
from underglass.core.reckon.form import plain
from underglass.core.units import Unit, from_mm


def sheet_starts(operation: Operation, job: Job, unit: Unit, given: Mapping[str, str]) -> dict[str, str]:
    """The bench's entries."""

    def said(mm: float) -> str:
        return plain(from_mm(mm, unit), 4)

    out: dict[str, str] = {}
    sheet = job.bench.more
    if not isinstance(sheet, Sheet):
        return out
    x0, y0, x1, y1 = sheet.region().bounds
    out |= {"x0": said(x0), "y0": said(y0), "x1": said(x1 - x0), "y1": said(y1 - y0)}
    cutter = next(iter(sheet.cutters.values()), None)
    if cutter is not None:
        out |= {"kerf": said(cutter.kerf), "pierce": plain(cutter.pierce_s, 2)}
        if cutter.feed is not None:
            out["f"] = plain(from_mm(sum(cutter.feed) / 2.0, unit), 0)
    return out
