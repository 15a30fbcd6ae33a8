"""What a setter's devices read on the bench as it really is: simulated edge finder, gauge block, tool setter.

Glossary
    finder    a cylinder in the spindle that is brought against a side face: an edge finder, a probe, a pin, a tool
    reading   the machine position at the touch, mm, as the control shows it
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np
from shapely import MultiPoint, Point, Polygon

from underglass.core.bench.solid import Solid
from underglass.core.bench.tool import Tool
from underglass.core.proof.job import Job
from underglass.core.reckon.touching import Sum, height, longer, tool_length
from underglass.core.units import Unit

Face = Literal["left", "right", "front", "back", "top"]
FACES: tuple[Face, ...] = ("left", "right", "front", "back", "top")

SETTER_ABOVE_TABLE_MM = 60.0
"""Height of the simulated tool setter's face above the table."""
_STEPS = 60


def stock_at(job: Job, offset: str) -> Solid:
    """The block that stands at a work offset's true zero; the first where none is named so."""
    return next((s for s in job.bench.stocks if s.name.endswith(f" {offset}")), job.bench.stocks[0])


@lru_cache(maxsize=64)
def plan_of(solid: Solid) -> Polygon:
    """A solid seen from above, in real coordinates; a mesh as the hull around it."""
    x, y, _z = solid.extent
    if solid.shape == "box":
        flat = np.array([[0.0, 0.0], [x, 0.0], [x, y], [0.0, y]])
    elif solid.shape == "cylinder":
        a = np.linspace(0.0, math.tau, 720, endpoint=False)
        flat = np.column_stack([x / 2.0 * (1.0 + np.cos(a)), x / 2.0 * (1.0 + np.sin(a))])
    else:
        assert solid.mesh is not None
        flat = np.array(MultiPoint(solid.mesh.triangles.reshape(-1, 3)[:, :2]).convex_hull.exterior.coords)[:, :2]
    real = solid.frame.out(np.column_stack([flat, np.zeros(len(flat))]))
    return Polygon(real[:, :2])


def side_reading(job: Job, offset: str, face: Face, finder_radius: float, along: float = 0.5) -> float:
    """Machine X or Y when the finder, coming square from outside, just touches a side face.

    ``along`` says where on the face: 0 at its left or front end, 1 at the other. Real radius, mm.
    """
    plan = plan_of(stock_at(job, offset))
    x0, y0, x1, y1 = plan.bounds
    by_x = face in ("left", "right")
    cross = (y0 + along * (y1 - y0)) if by_x else (x0 + along * (x1 - x0))
    out, inside = {"left": (x0, x1), "right": (x1, x0), "front": (y0, y1), "back": (y1, y0)}[face]
    far = out + math.copysign(finder_radius * 2.0 + 1.0, out - inside)

    def gap(at: float) -> float:
        point = Point(at, cross) if by_x else Point(cross, at)
        return float(plan.distance(point)) - finder_radius if not plan.contains(point) else -finder_radius

    free, touching = far, (out + inside) / 2.0
    for _ in range(_STEPS):
        mid = (free + touching) / 2.0
        free, touching = (mid, touching) if gap(mid) > 0.0 else (free, mid)
    return float(round(free, 6))


def top_reading(job: Job, offset: str, tool: Tool, block: float) -> float:
    """Machine Z when the tip just touches a gauge block that stands on the raw top. Real length, mm."""
    return stock_at(job, offset).top + block + tool.length


def setter_top(job: Job) -> float:
    """Machine height of the tool setter's face, mm."""
    return job.bench.machine.table_z + SETTER_ABOVE_TABLE_MM


def setter_reading(job: Job, tool: Tool) -> float:
    """Machine Z when the tip just touches the tool setter."""
    return setter_top(job) + tool.length


def face_to_zero(job: Job, offset: str, face: Face) -> float:
    """How far the true zero is from a face of the raw block, inwards; for the top: how far below it. mm."""
    stock = stock_at(job, offset)
    zero = job.bench.zero.get(offset, job.bench.part_zero)
    if face == "top":
        return stock.top - zero.z
    at = stock.frame.into(np.array([[zero.x, zero.y, zero.z]]))[0]
    size = stock.extent
    found = {"left": at[0], "right": size[0] - at[0], "front": at[1], "back": size[1] - at[1]}
    return float(found[face])


@dataclass(frozen=True, slots=True, kw_only=True)
class Answer:
    """What a touch in Z comes to, and which of the control's figures it sets, by how Z knows the tool."""

    found: Sum
    group: Literal["work", "length", "touched"]
    name: str
    """G54, H2, or T2."""
    value: float
    """mm; for ``touched`` by how much this tool's Z is off."""
    said: str


def touched_top(job: Job, offset: str, number: int, block: float, to_come: float, unit: Unit) -> Answer | str:
    """A gauge block on the raw top under the tool in the spindle; why not, where nothing can be touched."""
    tool = job.bench.really_in_spindle(number)
    if tool is None:
        return "There is no such tool on the bench to touch with."
    reading = top_reading(job, offset, tool, block)
    z = job.registers.work.get(offset, (0.0, 0.0, 0.0))[2]
    if job.z_by == "each-tool":
        found = height(reading, None, block, to_come, unit)
        return Answer(
            found=found,
            group="touched",
            name=f"T{number}",
            value=found.value - z - tool.length,
            said=f"Z of {offset} with T{number}",
        )
    if job.z_by == "to-part":
        if offset != next(iter(job.bench.zero), offset):
            # The registers are measured to the first part; another part's offset holds how much higher it lies.
            found = height(reading, job.registers.length.get(number, 0.0), block, to_come, unit)
            return Answer(
                found=found,
                group="work",
                name=offset,
                value=found.value,
                said=f"Z of {offset}, how much higher than the first part",
            )
        found = height(reading, None, block, to_come, unit)
        return Answer(
            found=found,
            group="length",
            name=f"H{number}",
            value=found.value - z,
            said=f"H{number}, down to the part's zero",
        )
    found = height(reading, job.registers.length.get(number, 0.0), block, to_come, unit)
    return Answer(found=found, group="work", name=offset, value=found.value, said=f"Z of {offset}")


def touched_setter(job: Job, number: int, unit: Unit) -> Answer | str:
    """The tool in the spindle on the tool setter; why not, where that says nothing in this way of setting."""
    tool = job.bench.really_in_spindle(number)
    if tool is None:
        return f"T{number} is not on the bench."
    if job.z_by == "each-tool":
        return "No length is kept here: touch Z anew with each tool, on a gauge block."
    if job.z_by == "to-part":
        return "H is measured down to the part here: touch the part through a gauge block."
    reading = setter_reading(job, tool)
    first = job.bench.really_in_spindle(job.z_tool) if job.z_by == "first-tool" else None
    if first is not None:
        found = longer(reading, setter_reading(job, first), f"T{job.z_tool}", unit)
        return Answer(
            found=found,
            group="length",
            name=f"H{number}",
            value=found.value,
            said=f"how much longer T{number} is than T{job.z_tool}, which Z was touched with",
        )
    found = tool_length(reading, setter_top(job), unit)
    return Answer(found=found, group="length", name=f"H{number}", value=found.value, said=f"length of T{number}")
