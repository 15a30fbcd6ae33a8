"""What a turning form most likely is about: the tool at a station that does such work, the bar, its face."""

from __future__ import annotations

import math
from collections.abc import Mapping

from underglass.core.bench.lathe import INSERT_ANGLES, Lathe, LatheTool
from underglass.core.compose.operation import Operation
from underglass.core.entries.materials import find_material
from underglass.core.proof.job import Job
from underglass.core.reckon.form import plain
from underglass.core.units import Unit, from_mm

_FOOT = 0.3048
_SPEED_SHARE = {"parting": 0.3, "grooving": 0.35, "threading": 0.3}
"""Shares of the material's highest surface speed, by the kind of tool; others half (common practice, no source)."""


def _tool(operation: Operation, job: Job, given: Mapping[str, str]) -> LatheTool | None:
    tools = list(job.bench.more.tools.values()) if isinstance(job.bench.more, Lathe) else []
    if given.get("t", "").isdigit():
        return next((t for t in tools if t.number == int(given["t"])), None)
    return next((t for t in sorted(tools, key=lambda t: t.number) if t.kind in operation.kinds), None)


def turning_starts(operation: Operation, job: Job, unit: Unit, given: Mapping[str, str]) -> dict[str, str]:
    """The bench's entries; a given T chooses the tool."""
    out: dict[str, str] = {}
    tool = _tool(operation, job, given)

    def said(mm: float) -> str:
        return plain(from_mm(mm, unit), 4)

    if tool is not None:
        out |= {"t": str(tool.number), "re": said(tool.RE)}
        if tool.DC:
            out["d"] = said(tool.DC)
        if tool.insert in INSERT_ANGLES and tool.KAPR:
            # What the insert's back edge leaves, less two degrees so that it does not rub (common practice, no source).
            leaves = 180.0 - math.degrees(tool.KAPR) - INSERT_ANGLES[tool.insert] - 2.0
            out["fall"] = plain(leaves, 1) if leaves > 0.0 else plain(0.5, 1)
        if tool.width:
            out["width"] = said(tool.width)
        material = find_material(job.bench.material or "")
        if material is not None:
            vc = material.vc[tool.substrate] * _SPEED_SHARE.get(tool.kind, 0.5)
            out["vc"] = plain(vc / _FOOT if unit == "inch" else vc, 0)
            if tool.DC:
                rpm = min(1000.0 * vc / (math.pi * tool.DC), job.bench.machine.spindle_max)
                out["s"] = plain(round(rpm, -1), 0)
    lathe = job.bench.more
    if isinstance(lathe, Lathe) and lathe.stock and "boring" not in operation.kinds:
        places = lathe.stock[0]
        key = "outer" if "outer" in {f.key for f in operation.fields} else "stock"
        out |= {key: said(2.0 * max(x for x, _z in places)), "face": said(max(z for _x, z in places))}
    return {k: v for k, v in out.items() if k in {f.key for f in operation.fields}}
