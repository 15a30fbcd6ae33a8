"""Truth against belief on a lathe: the zero, each tool's gauge, each nose; and how a figure is put into the job.

X stands as a diameter in these rows, as in the job file.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from underglass.core.bench.frame import Frame
from underglass.core.bench.lathe import LatheTool
from underglass.core.control.state import Vector
from underglass.core.proof.belief import Group, Row
from underglass.core.proof.bench_rows import ROWS, BenchRows, Edit, SideOf, as_written, bench_row, entry_of, verdict
from underglass.core.proof.job import Job
from underglass.core.proof.proof import Proof
from underglass.core.trades.turning.lathe import lathe_of, really_there, tips, tool_rows
from underglass.core.trades.turning.name import TURNING

HEADS: Mapping[Group, tuple[str, str]] = {
    "work": ("Part zero", "machine coordinates, X a diameter"),
    "length": ("Tool offset", "from the turret's reference to the tip, X a diameter"),
    "radius": ("Tip radius", "as the control compensates"),
}


def lathe_rows(job: Job, proof: Proof | None) -> tuple[Row, ...]:
    """Every row, in the order in which a setter reads it."""
    out: list[Row] = []
    tolerance = job.settings.tolerance
    for name, frame in job.bench.zero.items():
        belief = job.registers.work.get(name)
        for axis, truth, told in (
            ("x", 2.0 * frame.x, None if belief is None else 2.0 * belief[0]),
            ("z", frame.z, None if belief is None else belief[2]),
        ):
            off = None if told is None else told - truth
            what = "X, spindle axis" if axis == "x" else "Z, face of the part"
            out.append(
                bench_row(
                    "work",
                    name,
                    axis,
                    what,
                    0,
                    truth,
                    told,
                    0.0,
                    verdict(off, tolerance.work_offset),
                    name not in job.set_registers,
                )
            )
    called = proof.tool_order if proof is not None else []
    offsets: dict[int, int] = {}
    if proof is not None:
        for use in proof.motions.lengths_used:
            if use.number:
                offsets.setdefault(use.number, use.tool)
    numbers = sorted({*lathe_of(job.bench).tools, *called, *offsets})
    for number in numbers:
        tool = really_there(job.bench, offsets.get(number, number))
        out += _tool_rows(job, number, tool, tolerance.length)
    for number in numbers:
        tool = really_there(job.bench, offsets.get(number, number))
        if tool is None or tool.on_axis:
            continue
        radius, side = job.registers.noses.get(number, (0.0, 0))
        off = radius - tool.RE
        judged = verdict(off, tolerance.radius)
        note = "" if side == tool.orientation else f"orientation {side}, the insert stands in {tool.orientation}"
        if note:
            judged = "wrong"
        out.append(
            bench_row(
                "radius",
                f"T{number}",
                "",
                tool.name,
                number,
                tool.RE,
                radius,
                0.0,
                judged,
                f"T{number}" not in job.set_registers,
                note,
            )
        )
    return tuple(out)


def _tool_rows(job: Job, number: int, tool: LatheTool | None, within: float) -> list[Row]:
    held = job.registers.geometry.get(number)
    out = []
    for axis, k, factor in (("x", 0, 2.0), ("z", 2, 1.0)):
        wear = factor * job.wear.get(f"{axis.upper()}{number}", 0.0)
        truth = None if tool is None else factor * tool.gauge[0 if axis == "x" else 1]
        belief = None if held is None else factor * held[k] - wear
        off = None if truth is None or belief is None else belief + wear - truth
        what = f"{axis.upper()}  {tool.name if tool is not None else 'not on the turret'}" if axis == "x" else "Z"
        follows = f"T{number}" not in job.set_registers
        out.append(
            bench_row(
                "length",
                f"T{number}",
                axis,
                what,
                number,
                truth,
                belief,
                wear,
                verdict(off, within) if tool else "unknown",
                follows,
            )
        )
    return out


def put_truth(edit: Edit, job: Job, row: Row, value: float) -> None:
    """A figure on the bench: what the control has follows only where the job does not set it."""
    figure = as_written(job, value)
    if row.group == "work":
        edit.put(figure, "zero", row.key, row.axis)
        return
    entry = entry_of(edit, row.tool)
    if entry is None:
        return
    if row.group == "length":
        edit.put(figure, "tool", entry, "gauge", row.axis)
    else:
        edit.put(figure, "tool", entry, "RE")


def put_belief(edit: Edit, job: Job, row: Row, value: float) -> None:
    """A figure in the control."""
    figure = as_written(job, value)
    if row.group == "work":
        other = "z" if row.axis == "x" else "x"
        held = job.registers.work.get(row.key, (0.0, 0.0, 0.0))
        both = {row.axis: figure, other: as_written(job, held[2] if other == "z" else 2.0 * held[0])}
        edit.put({"x": both["x"], "z": both["z"]}, "registers", "work", row.key)
        return
    if row.group == "length":
        edit.put(figure, "registers", "geometry", str(row.tool), row.axis)
    else:
        edit.put(figure, "registers", "nose", str(row.tool), "radius")


def put_wear(edit: Edit, job: Job, row: Row, value: float) -> None:
    """Wear of an offset."""
    if row.group == "length":
        edit.put(as_written(job, value), "registers", "wear", str(row.tool), row.axis)


def tell_control(edit: Edit, job: Job, rows: Sequence[Row]) -> None:
    """Truth into belief: geometry holds the gauge, wear is nothing, noses and zeros are what is there."""
    for row in rows:
        if row.truth is None or row.follows:
            continue
        put_belief(edit, job, row, row.truth)
        if row.wear:
            put_wear(edit, job, row, 0.0)
        tool = lathe_of(job.bench).tools.get(row.tool)
        if row.group == "radius" and tool is not None and row.note:
            edit.put(tool.orientation, "registers", "nose", str(row.tool), "orientation")


def believe_control(edit: Edit, job: Job, rows: Sequence[Row]) -> None:
    """Belief into truth: gauges, noses and zeros are what the control has been told."""
    for row in rows:
        if row.belief is None or row.follows:
            continue
        put_truth(edit, job, row, row.belief + row.wear)


def vary(job: Job, row: Row, value: float, side: SideOf) -> Job:
    """The job with one figure changed, as the row shows it: X a diameter, mm."""
    half = value / 2.0 if row.axis == "x" else value
    k = 0 if row.axis == "x" else 2
    bench, registers, lathe = job.bench, job.registers, lathe_of(job.bench)
    if side == "belief":
        if row.group == "radius":
            noses = {**registers.noses, row.tool: (value, registers.noses.get(row.tool, (0.0, 0))[1])}
            return replace(job, registers=replace(registers, noses=noses))
        with_wear = half + (row.wear / 2.0 if row.axis == "x" else row.wear)

        def put(held: Vector) -> Vector:
            return (with_wear, held[1], held[2]) if k == 0 else (held[0], held[1], with_wear)

        nothing = (0.0, 0.0, 0.0)
        if row.group == "work":
            work = {**registers.work, row.key: put(registers.work.get(row.key, nothing))}
            return replace(job, registers=replace(registers, work=work))
        geometry = {**registers.geometry, row.tool: put(registers.geometry.get(row.tool, nothing))}
        return replace(job, registers=replace(registers, geometry=geometry))
    if row.group == "work":
        zero = bench.zero[row.key]
        moved = Frame(x=half, y=zero.y, z=zero.z) if row.axis == "x" else Frame(x=zero.x, y=zero.y, z=half)
        more = lathe
        if zero == bench.part_zero:
            # Everything that is placed from the zero goes along; the headstock does not.
            more = replace(lathe, zero_x=moved.x, zero_z=moved.z, nose_z=lathe.nose_z + lathe.zero_z - moved.z)
        return replace(job, bench=replace(bench, zero={**bench.zero, row.key: moved}, more=more))
    number = bench.loaded.get(row.tool, row.tool)
    tool = lathe.tools.get(number)
    if tool is None:
        return job
    if row.group == "radius":
        made = replace(tool, RE=max(value, 0.0))
    else:
        made = replace(tool, gauge=(half, tool.gauge[1]) if row.axis == "x" else (tool.gauge[0], half))
    return replace(job, bench=replace(bench, more=replace(lathe, tools={**lathe.tools, number: made})))


def pushed(proof: Proof, number: int) -> NDArray[np.float64] | None:
    """A tool gives way along X: off the bar outside, off the wall inside. The push grows with the depth of cut (common practice, no source).

    The depth is that of the ring which was taken: pi ((r + d)^2 - r^2) along the way.
    """
    motions = proof.motions
    removed = sum((h.removed for h in proof.histories), np.zeros(len(motions)))
    length = motions.lengths()
    cuts = (motions.tool_of() == number) & ~motions.rapid() & (length > 0.0) & (removed > 1e-9)
    tool = lathe_of(proof.job.bench).tools.get(proof.job.bench.loaded.get(number, number))
    if tool is None or tool.on_axis or not cuts.any():
        return None
    tools, rows = tool_rows(proof.job.bench, motions)
    radius = np.abs(tips(proof.job.bench, motions, tools, rows)[1][:, 0])
    inside = tool.kind == "boring"
    ring = np.where(cuts, removed / np.maximum(np.pi * length, 1e-9), 0.0)
    depth = np.abs(np.sqrt(np.maximum(radius**2 + (-ring if inside else ring), 0.0)) - radius)
    out = np.zeros((len(motions), 3))
    out[:, 0] = np.where(cuts, depth / depth.max(), 0.0) * (-1.0 if inside else 1.0)
    return out


ROWS[TURNING] = BenchRows(
    heads=HEADS, rows=lathe_rows, put_truth=put_truth, put_belief=put_belief, put_wear=put_wear, tell_control=tell_control,
    believe_control=believe_control, vary=vary, pushed=pushed,
)  # fmt: skip
