"""Touching off on a lathe: what the machine reads with a tool at a known place, and the offset that comes of it, as a sum in words.

Geometry = machine place - known place - work offset (common practice, no source). X is a diameter here.
"""

from __future__ import annotations

from underglass.core.bench.lathe import LatheTool
from underglass.core.proof.job import Job
from underglass.core.reckon.touching import Sum
from underglass.core.trades.turning.lathe import lathe_of
from underglass.core.units import show_length

SETTER = (200.0, -150.0)
"""Where the stand-in's tool setter has its sensor: machine X as a diameter, machine Z, mm."""


def reading(job: Job, tool: LatheTool, axis: str, at: float) -> float:
    """What the machine shows where the real tip stands at a diameter (axis x) or a Z of the part, mm."""
    lathe = lathe_of(job.bench)
    if axis == "x":
        return at + 2.0 * (tool.gauge[0] + lathe.zero_x)
    return at + tool.gauge[1] + lathe.zero_z


def setter_reading(tool: LatheTool, axis: str) -> float:
    """What the machine shows where the tip touches the tool setter's sensor, mm."""
    return SETTER[0] + 2.0 * tool.gauge[0] if axis == "x" else SETTER[1] + tool.gauge[1]


def from_part(job: Job, axis: str, read: float, at: float) -> Sum:
    """The offset of a tool that touches a known diameter or face."""
    held = job.registers.work.get("G54", (0.0, 0.0, 0.0))
    work = 2.0 * held[0] if axis == "x" else held[2]
    value = read - at - work
    name, what = ("X", "diameter") if axis == "x" else ("Z", "face")
    return Sum(
        value,
        value,
        f"{_said(job, read)} machine {name} \u2212 {_said(job, at)} {what} \u2212 {_said(job, work)} G54 {name} = {_said(job, value)}",
    )


def from_setter(job: Job, axis: str, read: float) -> Sum:
    """The offset of a tool that touches the setter."""
    at = SETTER[0] if axis == "x" else SETTER[1]
    name = axis.upper()
    return Sum(
        read - at,
        read - at,
        f"{_said(job, read)} machine {name} \u2212 {_said(job, at)} tool setter = {_said(job, read - at)}",
    )


def _said(job: Job, value: float) -> str:
    said = show_length(value, job.units)
    return f"({said})" if value < 0.0 else said
