"""What a milling form most likely is about: the tool that fits from the bench, its speeds, the stock's outline, top and middle."""

from __future__ import annotations

import math
from collections.abc import Mapping

from underglass.core.bench.tool import Tool
from underglass.core.compose.operation import Block, Operation
from underglass.core.compose.starts import highest_clamped, stock_box
from underglass.core.proof.complete import advised
from underglass.core.proof.job import Job
from underglass.core.reckon.form import plain
from underglass.core.trades.milling.operations.head import head_starts
from underglass.core.units import MM_PER_INCH, Unit, from_mm

_MARGIN_MM = 10.0
"""How far over the highest clamp the clearance plane lies (common practice, no source)."""
_PLENTY = 0.6
"""Share of a pocket's width that its tool is chosen for (common practice, no source)."""


def fitting_tool(operation: Operation, job: Job, room_mm: float = 1e9) -> Tool | None:
    """The bench's tool that the operation is for: the largest with plenty of room, else with any; else the smallest."""
    tools = [t for t in job.bench.tools.values() if isinstance(t, Tool)]
    # Where the form asks what the tool's end is like, the first kind is what it is best cut with.
    ends = any(f.key == "tool" for f in operation.fields)
    fits = (
        [t for t in tools if ends and t.kind == operation.kinds[0]]
        or [t for t in tools if t.kind in operation.kinds]
        or [t for t in tools if "mill" in t.kind or t.kind == "slot-drill"]
    )
    for room in (room_mm * _PLENTY, room_mm):
        with_room = [t for t in fits if room >= t.DC]
        if with_room:
            return max(with_room, key=lambda t: t.DC)
    return min(fits or tools, key=lambda t: t.DC, default=None)


def from_tool(operation: Operation, job: Job, tool: Tool, unit: Unit, entered: Mapping[str, str]) -> dict[str, str]:
    """T, diameter, speeds and feeds of a tool for the stock's material, where the operation asks for them."""
    out = {"t": str(tool.number), "d": plain(from_mm(tool.DC, unit), 4)}
    good = advised(tool, job.bench.cuts_like, job.bench.machine.spindle_max)
    if good is not None:
        rpm, feed, _fz = good
        inch = unit == "inch"
        out["s"] = f"{rpm:.0f}"
        out["f"] = plain(from_mm(feed, "inch"), 1) if inch else f"{round(feed, -1):.0f}"
        out["fdown"] = plain(from_mm(feed, "inch") / 3, 1) if inch else f"{round(feed / 3, -1):.0f}"
    keys = {f.key for f in operation.fields}
    corner = tool.profile.corner
    out["re"] = plain(from_mm(corner, unit), 4)
    out["tool"] = "ball" if corner >= tool.radius - 1e-6 else "bull" if corner > 0.0 else "flat"
    if "corner" in keys:
        least = from_mm(tool.DC, unit) / 2.0
        try:
            if operation.sign.startswith("POCKET") and float(entered.get("corner", "0")) < least:
                out["corner"] = plain(least, 4)
        except ValueError:
            pass
    if not tool.centre_cutting and entered.get("way") == "plunge":
        out["way"] = "helix"
    return {k: v for k, v in out.items() if k in keys}


def from_stock(operation: Operation, job: Job, unit: Unit) -> dict[str, str]:
    """What a face or a pocket most likely means on this stock: its outline, its top, its middle."""
    box = stock_box(job)
    if box is None:
        return {}
    (a, b, _low), (c, d, top) = box

    def said(value: float) -> str:
        return plain(from_mm(float(value), unit), 4)

    starts = {
        "x0": said(a), "y0": said(b), "x1": said(c), "y1": said(d), "cx": said((a + c) / 2), "cy": said((b + d) / 2),
    }  # fmt: skip
    if operation.sign == "FACING":
        starts |= {"top": said(top), "bottom": "0" if top > 0.0 else said(top - 1.0)}
    fields = {f.key: f for f in operation.fields}
    return {k: v for k, v in starts.items() if k in fields and k not in operation.own_places}


def milling_starts(operation: Operation, job: Job, unit: Unit, given: Mapping[str, str]) -> dict[str, str]:
    """The bench's entries; a given T chooses the tool."""
    found = from_stock(operation, job, unit)
    entered = {f.key: f.first(unit) for f in operation.fields} | found | dict(given)
    box = stock_box(job)
    if operation.shared and box is not None:
        found |= head_starts(Block(low=box[0], high=box[1], material=job.bench.material), unit)
    clamped = highest_clamped(job)
    if clamped is not None and "safe" in entered and "safe" not in given:
        # The clearance plane: over the highest clamp by a margin, in whole millimetres (or tenths of an inch).
        over = clamped[0] + _MARGIN_MM
        if over > float(next(f for f in operation.fields if f.key == "safe").first("mm")):
            found["safe"] = f"{math.ceil(over)}" if unit == "mm" else plain(math.ceil(over / 2.54) / 10.0, 1)
    tool: Tool | None = None
    if given.get("t", "").isdigit():
        called = job.bench.tools.get(int(given["t"]))
        tool = called if isinstance(called, Tool) else None
    else:
        try:
            room = min(float(entered.get(k, "1e9")) for k in ("wide", "long", "dia"))
        except ValueError:
            room = 1e9
        tool = fitting_tool(operation, job, room * (MM_PER_INCH if unit == "inch" else 1.0))
    if tool is not None:
        found |= from_tool(operation, job, tool, unit, entered)
    return found
