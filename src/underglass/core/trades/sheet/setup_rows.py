"""Truth against belief of a sheet cutter: the zeros, and half the kerf."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from functools import partial

from underglass.core.proof.belief import Group, Row
from underglass.core.proof.bench_rows import ROWS, BenchRows, Edit, SideOf, as_written, bench_row, entry_of, verdict
from underglass.core.proof.flat_rows import (
    believe_rows,
    put_zero_belief,
    put_zero_truth,
    tell_rows,
    vary_zero,
    zero_rows,
)
from underglass.core.proof.job import Job
from underglass.core.proof.proof import Proof
from underglass.core.trades.sheet.cut import sheet_of
from underglass.core.trades.sheet.name import SHEET

HEADS: Mapping[Group, tuple[str, str]] = {
    "work": ("Part zero", "machine coordinates"),
    "radius": ("Half the kerf", "as the control compensates"),
}


def _rows(job: Job, _proof: Proof | None) -> tuple[Row, ...]:
    out = zero_rows(job)
    for number, cutter in sorted(sheet_of(job.bench).cutters.items()):
        wear = job.wear.get(f"D{number}", 0.0)
        belief = job.registers.radius.get(number, 0.0) - wear
        off = belief + wear - cutter.kerf / 2.0
        judged = verdict(off, job.settings.tolerance.radius)
        follows = f"D{number}" not in job.set_registers
        out.append(
            bench_row("radius", f"D{number}", "", cutter.name, number, cutter.kerf / 2.0, belief, wear, judged, follows)
        )
    return tuple(out)


def _put_truth(edit: Edit, job: Job, row: Row, value: float) -> None:
    if row.group == "work":
        put_zero_truth(edit, job, row, value)
        return
    entry = entry_of(edit, row.tool)
    if entry is not None:
        edit.put(as_written(job, 2.0 * value), "tool", entry, "kerf")


def _put_belief(edit: Edit, job: Job, row: Row, value: float) -> None:
    if row.group == "work":
        put_zero_belief(edit, job, row, value)
    else:
        edit.put(as_written(job, value), "registers", "radius", row.key)


def _put_wear(edit: Edit, job: Job, row: Row, value: float) -> None:
    if row.group == "radius":
        edit.put(as_written(job, value), "registers", "wear_radius", row.key)


def _vary(job: Job, row: Row, value: float, side: SideOf) -> Job:
    if row.group == "work":
        return vary_zero(job, row, value, side)
    if side == "belief":
        return replace(
            job, registers=replace(job.registers, radius={**job.registers.radius, row.tool: value + row.wear})
        )
    sheet = sheet_of(job.bench)
    cutters = {**sheet.cutters, row.tool: replace(sheet.cutters[row.tool], kerf=max(2.0 * value, 0.01))}
    return replace(job, bench=replace(job.bench, more=replace(sheet, cutters=cutters)))


ROWS[SHEET] = BenchRows(
    heads=HEADS, rows=_rows, put_truth=_put_truth, put_belief=_put_belief, put_wear=_put_wear, tell_control=partial(tell_rows, put=_put_belief),
    believe_control=partial(believe_rows, put=_put_truth), vary=_vary,
)  # fmt: skip
