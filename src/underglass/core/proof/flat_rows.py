"""Truth against belief of a sheet machine's zeros: X and Y, machine coordinates."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from underglass.core.bench.frame import Frame
from underglass.core.bench.sheet import Sheet
from underglass.core.proof.belief import Row
from underglass.core.proof.bench_rows import Edit, SideOf, as_written, bench_row, verdict
from underglass.core.proof.job import Job


def zero_rows(job: Job) -> list[Row]:
    """Each true zero's X and Y beside what the control holds."""
    out = []
    for name, frame in job.bench.zero.items():
        belief = job.registers.work.get(name)
        for k, (axis, truth) in enumerate((("x", frame.x), ("y", frame.y))):
            told = belief[k] if belief is not None else None
            off = None if told is None else told - truth
            what = f"{axis.upper()} of the part's zero" if len(job.bench.zero) == 1 else f"{axis.upper()} of {name}"
            judged = verdict(off, job.settings.tolerance.work_offset)
            out.append(bench_row("work", name, axis, what, 0, truth, told, 0.0, judged, name not in job.set_registers))
    return out


def put_zero_truth(edit: Edit, job: Job, row: Row, value: float) -> None:
    edit.put(as_written(job, value), "zero", row.key, row.axis)


def put_zero_belief(edit: Edit, job: Job, row: Row, value: float) -> None:
    held = job.registers.work.get(row.key, (0.0, 0.0, 0.0))
    both = {axis: as_written(job, held[k]) for k, axis in enumerate("xy")}
    edit.put({**both, row.axis: as_written(job, value)}, "registers", "work", row.key)


def vary_zero(job: Job, row: Row, value: float, side: SideOf) -> Job:
    """A zero elsewhere: what is placed from the true one goes along."""
    k = "xy".index(row.axis)
    if side == "belief":
        held = list(job.registers.work.get(row.key, (0.0, 0.0, 0.0)))
        held[k] = value
        work = {**job.registers.work, row.key: (held[0], held[1], held[2])}
        return replace(job, registers=replace(job.registers, work=work))
    bench = job.bench
    zero = bench.zero[row.key]
    moved = Frame(x=value if k == 0 else zero.x, y=value if k == 1 else zero.y, z=zero.z)
    more = bench.more
    if zero == bench.part_zero and isinstance(more, Sheet):
        more = replace(more, zero_x=moved.x, zero_y=moved.y)
    return replace(job, bench=replace(bench, zero={**bench.zero, row.key: moved}, more=more))


def tell_rows(edit: Edit, job: Job, rows: Sequence[Row], put: object) -> None:
    """Truth into belief, by the trade's own way of putting it."""
    for row in rows:
        if row.truth is not None and not row.follows:
            put(edit, job, row, row.truth)  # type: ignore[operator]


def believe_rows(edit: Edit, job: Job, rows: Sequence[Row], put: object) -> None:
    """Belief into truth."""
    for row in rows:
        if row.belief is not None and not row.follows:
            put(edit, job, row, row.belief + row.wear)  # type: ignore[operator]
