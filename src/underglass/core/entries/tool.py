"""A ``[[tool]]`` entry as a tool."""

from __future__ import annotations

import math
import re
from typing import cast, get_args

from underglass.core.bench.tool import DEFAULT_POINT_RAD, FLUTES, HolderStep, Tool, ToolKind
from underglass.core.entries.checked import Table
from underglass.core.reckon.figure import BadFigure, read_figure
from underglass.core.units import MM_PER_INCH, Unit

_STICKOUT_SHARE = 0.6
_ALSO = ("stickout", "substrate", "shank", "TP", "hand")


def _holder(entry: Table, scale: float) -> tuple[HolderStep, ...]:
    """One ``{diameter, length}`` or a list of them, stacked from the tool upwards."""
    if "holder" not in entry:
        return ()
    raw = entry.raw("holder")
    steps = raw if isinstance(raw, list) else [raw]
    out = []
    for step in steps:
        if not isinstance(step, dict) or set(step) != {"diameter", "length"}:
            raise entry.bad(
                "holder", "write { diameter = …, length = … }, or a list of such steps from the tool upwards"
            )
        out.append(
            HolderStep(
                entry.checked_number("holder", step["diameter"], above=0.0) * scale,
                entry.checked_number("holder", step["length"], above=0.0) * scale,
            )
        )
    return tuple(out)


def read_tool(entry: Table, scale: float) -> Tool:
    """Raises ``BadEntry``. ``scale`` turns the file's lengths into mm."""
    number = entry.whole("number", least=1)
    if number is None:
        raise entry.bad("number", "a tool needs its number")
    kind = cast(ToolKind, entry.choice("kind", get_args(ToolKind)))
    diameter = entry.need_number("DC", above=0.0) * scale
    length = entry.need_number("length", above=0.0) * scale
    stickout_raw = entry.number("stickout", None, above=0.0)
    stickout = stickout_raw * scale if stickout_raw is not None else _STICKOUT_SHARE * length
    if stickout > length + 1e-9:
        raise entry.bad("stickout", "the tool cannot stand out of the holder by more than its whole length")
    cutting = entry.number("APMX", None, above=0.0)
    shank = entry.number("shank", None, above=0.0)
    point = entry.number("SIG", None, above=0.0, most=180.0)
    corner = (entry.number("RE", 0.0, least=0.0)) * scale
    if corner > diameter / 2.0 + 1e-9:
        raise entry.bad("RE", "the corner radius is larger than half the cutting diameter")
    lead = entry.number("KAPR", 90.0, above=0.0, most=180.0)
    flutes = entry.whole("NOF", FLUTES.get(kind, 0), least=1)
    tool = Tool(
        number=number,
        kind=kind,
        DC=diameter,
        length=length,
        APMX=cutting * scale if cutting is not None else stickout,
        stickout=stickout,
        shank=shank * scale if shank is not None else diameter,
        holder=_holder(entry, scale),
        RE=corner,
        SIG=math.radians(point) if point is not None else DEFAULT_POINT_RAD.get(kind, math.pi),
        KAPR=math.radians(lead),
        NOF=flutes or 0,
        TP=entry.number("TP", 0.0, least=0.0) * scale,
        centre_cutting=entry.flag("centre_cutting", kind != "face-mill"),
        hand="left" if entry.choice("hand", ["right", "left"], "right") == "left" else "right",
        substrate="hss" if entry.choice("substrate", ["carbide", "hss"], "carbide") == "hss" else "carbide",
    )
    entry.done(_ALSO)
    return tool


def read_holder(text: str, unit: Unit) -> tuple[HolderStep, ...]:
    """``40 x 50, 63 x 20``: diameter and length of each step from the tool upwards. Raises ``BadFigure``."""
    steps = []
    for part in re.split(r"[,;]\s*(?=\S)", text.strip()) if text.strip() else []:
        pair = re.split(r"\s*[xX\u00d7]\s*", part)
        if len(pair) != 2:
            raise BadFigure("write diameter x length, as 40 x 50, 63 x 20 from the tool upwards")
        a, b = (read_figure(p, unit) * (MM_PER_INCH if unit == "inch" else 1.0) for p in pair)
        if a <= 0.0 or b <= 0.0:
            raise BadFigure("a step has a diameter and a length above nought")
        steps.append(HolderStep(a, b))
    return tuple(steps)
