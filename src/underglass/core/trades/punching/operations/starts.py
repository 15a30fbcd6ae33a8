"""What a punched shape most likely is about: a punch of the turret whose shape does it."""

from __future__ import annotations

import math
from collections.abc import Mapping

from underglass.core.bench.sheet import Sheet
from underglass.core.compose.operation import Operation
from underglass.core.proof.job import Job
from underglass.core.reckon.form import plain
from underglass.core.units import Unit, from_mm

_SHAPES = {"own": ("obround",), "a": ("rectangle", "square"), "d": ("round",)}
"""By a key of the form: the shapes of punches that it is made by."""


def punching_starts(operation: Operation, job: Job, unit: Unit, given: Mapping[str, str]) -> dict[str, str]:
    """The bench's entries; a given T chooses the punch."""

    def said(mm: float) -> str:
        return plain(from_mm(mm, unit), 4)

    keys = {f.key for f in operation.fields}
    shapes = next((s for k, s in _SHAPES.items() if k in keys), ("round",))
    sheet = job.bench.more
    punches = [t for t in sheet.punches.values() if not t.forming] if isinstance(sheet, Sheet) else []
    if given.get("t", "").isdigit():
        chosen = [t for t in punches if t.number == int(given["t"])]
    else:
        chosen = sorted((t for t in punches if t.shape in shapes), key=lambda t: -t.size[0] if t.size else 0.0)
    if not chosen:
        return {}
    punch = chosen[0]
    out = {"t": str(punch.number), "angle": plain(math.degrees(punch.angle_rad), 3)}
    if punch.shape == "round":
        out["d"] = said(punch.size[0])
    elif punch.shape == "obround":
        out |= {"own": said(punch.size[0]), "wide": said(punch.size[1])}
    elif punch.shape in ("rectangle", "square"):
        out |= {"a": said(punch.size[0]), "b": said(punch.size[-1])}
    return {k: v for k, v in out.items() if k in keys}
