"""Truth against belief of a punch: the zeros. What a pattern says of its punch and sheet stands in the program."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from functools import partial

from underglass.core.proof.belief import Group, Row
from underglass.core.proof.bench_rows import ROWS, BenchRows, RealSize
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
from underglass.core.trades.punching.cut import sheet_of
from underglass.core.trades.punching.name import PUNCHING

HEADS: Mapping[Group, tuple[str, str]] = {"work": ("Part zero", "machine coordinates")}


def _rows(job: Job, _proof: Proof | None) -> tuple[Row, ...]:
    return tuple(zero_rows(job))


def _no_wear(_edit: object, _job: Job, _row: Row, _value: float) -> None:
    """A zero has no wear."""


def _sizes(job: Job) -> tuple[RealSize, ...]:
    """The first figure of each punch: how far across it is."""

    def other(job: Job, number: int, by: float) -> Job:
        sheet = sheet_of(job.bench)
        there = sheet.punches[number]
        # A square punch grows both ways, a long one along.
        made = replace(there, size=(max(there.size[0] + by, 0.05), *there.size[1:]))
        return replace(job, bench=replace(job.bench, more=replace(sheet, punches={**sheet.punches, number: made})))

    punches = sheet_of(job.bench).punches
    return tuple(
        RealSize(tool=number, stands=punch.size[0], vary=lambda job, by, n=number: other(job, n, by))  # type: ignore[misc]
        for number, punch in sorted(punches.items())
        if punch.size and not punch.forming
    )


ROWS[PUNCHING] = BenchRows(
    heads=HEADS, rows=_rows, put_truth=put_zero_truth, put_belief=put_zero_belief, put_wear=_no_wear,
    tell_control=partial(tell_rows, put=put_zero_belief), believe_control=partial(believe_rows, put=put_zero_truth), vary=vary_zero, sizes=_sizes,
)  # fmt: skip
