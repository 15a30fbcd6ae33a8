"""Entries of a job that every trade has alike."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Literal

from underglass.core.bench.frame import Frame
from underglass.core.control.state import Start, Vector
from underglass.core.entries.checked import Table
from underglass.core.entries.ground import OFFSET, offset_entry, offset_name
from underglass.core.proof.job import RegisterTolerance


def zero_of(top: Table, example: str, frame: Callable[[Table, str], Frame], more: Callable[[Table], None] = lambda _part: None) -> dict[str, Frame]:  # fmt: skip
    """``[zero]``: where each part's zero really is. ``frame``: an entry under a work offset's name; ``more``: what else stands there.

    ``example`` is an entry as it is to be written. Raises ``BadEntry``.
    """
    part = top.table("zero")
    if part is None:
        raise top.bad("zero", f"the job must say where the part's zero really is, as in [zero] {example}")
    more(part)
    out: dict[str, Frame] = {}
    for written in part.names():
        entry, name = offset_entry(part, written)
        out[name] = frame(entry, name)
    if not out:
        raise top.bad("zero", f"at least one part zero must be given, as in {example}")
    return out


def start_of(part: Table, axes: str, scale: float, tool: int | None = 0) -> Start:
    """``[start]``: what the last job left in the control. ``axes``: those of its shift; ``scale`` mm a unit. Raises ``BadEntry``."""
    offset, units = started(part)
    distance: Literal["G90", "G91"] | None = part.choice("distance", ["G90", "G91"]) if "distance" in part else None  # type: ignore[assignment]
    shift: Vector = (0.0, 0.0, 0.0)
    table = part.table("shift")
    if table is not None:
        x, y, z = (table.number(axis, 0.0) * scale if axis in axes else 0.0 for axis in "xyz")
        shift = (x, y, z)
        table.done()
    compensation = part.choice("compensation", ["G40", "G41", "G42"]) if "compensation" in part else None
    rotation = math.radians(part.number("rotation", 0.0, least=-360.0, most=360.0))
    d, called = part.whole("d"), part.whole("tool", tool) or 0
    part.done()
    return Start(
        offset=offset, units=units, distance=distance, shift=shift, rotation=rotation, compensation=compensation, d=d, tool=called
    )  # fmt: skip


def started(part: Table) -> tuple[str | None, Literal["mm", "inch"] | None]:
    """The work offset and the units of ``[start]``."""
    offset = part.text("offset")
    if offset is not None:
        offset = offset_name(offset)
        if not OFFSET.fullmatch(offset):
            raise part.bad("offset", "work offsets are G54 to G59 and G54.1P1 to G54.1P48")
    units = part.choice("units", ["mm", "inch"]) if "units" in part else None
    return offset, "inch" if units == "inch" else "mm" if units else None


def tolerance_of(proof: Table) -> RegisterTolerance:
    """``tolerance`` under ``[proof]``, or the usual one. Raises ``BadEntry``."""
    out = RegisterTolerance()
    table = proof.table("tolerance")
    if table is not None:
        out = RegisterTolerance(
            table.number("length", out.length, least=0.0),
            table.number("radius", out.radius, least=0.0),
            table.number("work_offset", out.work_offset, least=0.0),
        )
        table.done()
    return out
