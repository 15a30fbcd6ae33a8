"""Truth against belief of a punch: the zeros. What a pattern says of its punch and sheet stands in the program."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial

from underglass.core.proof.belief import Group, Row
from underglass.core.proof.bench_rows import ROWS, BenchRows
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
from underglass.core.trades.punching.name import PUNCHING

HEADS: Mapping[Group, tuple[str, str]] = {"work": ("Part zero", "machine coordinates")}


def _rows(job: Job, _proof: Proof | None) -> tuple[Row, ...]:
    return tuple(zero_rows(job))


def _no_wear(_edit: object, _job: Job, _row: Row, _value: float) -> None:
    """A zero has no wear."""


ROWS[PUNCHING] = BenchRows(
    heads=HEADS, rows=_rows, put_truth=put_zero_truth, put_belief=put_zero_belief, put_wear=_no_wear,
    tell_control=partial(tell_rows, put=put_zero_belief), believe_control=partial(believe_rows, put=put_zero_truth), vary=vary_zero,
)  # fmt: skip
