"""What a punched shape most likely is about: a punch of the turret whose shape does it."""

from __future__ import annotations

import math
from collections.abc import Mapping

from underglass.core.bench.sheet import Punch, Sheet
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
    # A straight side along X or Y is made by no punch that stands askew.
    fits = [t for t in punches if t.shape in shapes and ("a" not in keys or _square_on(t))]
    if given.get("t", "").isdigit():
        chosen = [t for t in punches if t.number == int(given["t"])]
    elif "tr" in keys or "ty" in keys:
        # Slender ones leave least gap.
        chosen = sorted(fits, key=lambda t: t.size[-1])
    else:
        chosen = sorted(fits, key=lambda t: -t.size[0] if t.size else 0.0)
    out: dict[str, str] = {}
    if chosen:
        punch = chosen[0]
        out = {"t": str(punch.number), "angle": plain(math.degrees(punch.angle_rad), 3)}
        if punch.shape == "round":
            out["d"] = said(punch.size[0])
        elif punch.shape == "obround":
            out |= {"own": said(punch.size[0]), "wide": said(punch.size[1])}
        elif punch.shape in ("rectangle", "square"):
            out |= {"a": said(punch.size[0]), "b": said(punch.size[-1])}
            if "ty" in keys:
                turned = next((t for t in fits if t.size == punch.size and _square_on(t) != _square_on(punch)), punch)
                along = turned if _square_on(punch) == 2 else punch
                out |= {"t": str(along.number), "ty": str((punch if along is turned else turned).number)}
    rounds = sorted(
        (t for t in punches if t.shape == "round" and t.number != int(given.get("t") or 0)), key=lambda t: -t.size[0]
    )
    if "tr" in keys and rounds:
        out |= {"tr": str(rounds[0].number), "d": said(rounds[0].size[0])}
    return {k: v for k, v in out.items() if k in keys}


def _square_on(punch: Punch) -> int:
    """1 where a punch lies along X, 2 where it is turned a quarter, 0 where it stands askew."""
    quarters = math.degrees(punch.angle_rad) / 90.0
    return 0 if abs(quarters - round(quarters)) > 1e-6 else 1 + round(quarters) % 2
