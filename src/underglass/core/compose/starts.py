"""What a form most likely is about: the tool that fits from the bench, its speeds, the stock's outline, top and middle.

The window and the command line begin a form with the same entries, so that they write the same text.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from underglass.core.bench.tool import Tool
from underglass.core.compose.operation import Around, Operation
from underglass.core.compose.shop import ShopTexts, program_number
from underglass.core.proof.complete import advised
from underglass.core.proof.job import Job
from underglass.core.reckon.form import plain
from underglass.core.units import Unit, from_mm


def fitting_tool(operation: Operation, job: Job, room_mm: float = 1e9) -> Tool | None:
    """The largest of the bench's tools that the operation is for and that has room; else any mill; None without one."""
    tools = [t for t in job.bench.tools.values() if isinstance(t, Tool)]
    fits = [t for t in tools if t.kind in operation.kinds and room_mm >= t.DC]
    mills = [t for t in tools if "mill" in t.kind or t.kind == "slot-drill"]
    return max(fits or mills or tools, key=lambda t: t.DC, default=None)


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


def stock_box(job: Job) -> tuple[tuple[float, float, float], tuple[float, float, float]] | None:
    """The first stock's lowest and highest corner in the part's zero, mm; None without a stock on a table."""
    if not job.bench.stocks:
        return None
    solid = job.bench.stocks[0]
    wide, deep, high = solid.extent
    local = np.array([(x, y, z) for x in (0.0, wide) for y in (0.0, deep) for z in (0.0, high)])
    corners = job.bench.part_zero.into(solid.frame.out(local))
    low, top = corners.min(axis=0).tolist(), corners.max(axis=0).tolist()
    return (low[0], low[1], low[2]), (top[0], top[1], top[2])


def first_entries(operation: Operation, job: Job, unit: Unit, given: Mapping[str, str] | None = None) -> dict[str, str]:
    """What a form begins with on a job's bench; what is ``given`` stays. A given T chooses the tool."""
    given = dict(given or {})
    entered = {f.key: f.first(unit) for f in operation.fields} | from_stock(operation, job, unit) | given
    tool: Tool | None = None
    if given.get("t", "").isdigit():
        found = job.bench.tools.get(int(given["t"]))
        tool = found if isinstance(found, Tool) else None
    else:
        try:
            room = min(float(entered.get(k, "1e9")) for k in ("wide", "long", "dia")) * 0.6
        except ValueError:
            room = 1e9
        tool = fitting_tool(operation, job, room * (25.4 if unit == "inch" else 1.0))
    if tool is not None:
        entered |= from_tool(operation, job, tool, unit, entered)
    return {k: v for k, v in (entered | given).items() if k in {f.key for f in operation.fields}}


def around_in(job: Job, texts: ShopTexts, lines: Sequence[str], name: str, tool_before: int | None, *, bring: bool = True) -> Around:  # fmt: skip
    """What stands around an operation in a job's program."""
    box = stock_box(job)
    return Around(
        texts=texts, bring=bring, tool_before=tool_before,
        names={n: t.name for n, t in job.bench.tools.items()}, title=job.title, program=program_number(lines, name),
        stock=None if box is None else (box[0][0], box[0][1], box[1][0], box[1][1]),
    )  # fmt: skip
