"""Truth against belief in a trade that has a bench of its own: which rows there are, and how a figure goes into the job.

A trade registers its ``BenchRows`` under its name. The mill's stand in ``belief`` and beside the job's files.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal, Protocol

import numpy as np
from numpy.typing import NDArray

from underglass.core.proof.belief import Group, Row, Verdict
from underglass.core.proof.job import Job
from underglass.core.proof.proof import Proof
from underglass.core.tolerances import TOLERANCES
from underglass.core.units import MM_PER_INCH

SideOf = Literal["belief", "truth"]


class Edit(Protocol):
    """What a job's text is changed by."""

    def put(self, value: Any, *path: str | int) -> None: ...

    def get(self, *path: str | int) -> Any: ...

    def drop(self, *path: str | int) -> None: ...


Put = Callable[[Any, Job, Row, float], None]


@dataclass(frozen=True, slots=True, kw_only=True)
class RealSize:
    """A size of a tool that no register knows, mm; ``vary``: the job with one that is so much larger."""

    tool: int
    stands: float
    vary: Callable[[Job, float], Job]


@dataclass(frozen=True, slots=True, kw_only=True)
class BenchRows:
    """``heads``: what each group of rows is called, and what its figures are. ``rows`` in the order in which a setter reads them;
    ``vary``: the job with one figure changed on one side, for a trial."""

    heads: Mapping[Group, tuple[str, str]]
    rows: Callable[[Job, Proof | None], tuple[Row, ...]]
    put_truth: Put
    put_belief: Put
    put_wear: Put
    tell_control: Callable[[Any, Job, Sequence[Row]], None]
    believe_control: Callable[[Any, Job, Sequence[Row]], None]
    vary: Callable[[Job, Row, float, SideOf], Job]
    sizes: Callable[[Job], tuple[RealSize, ...]] = lambda _job: ()
    pushed: Callable[[Proof, int], NDArray[np.float64] | None] | None = None
    """Which way a tool is pushed by what it cuts, on each move ``(n, 3)``, 1 long on the heaviest; None where it is not."""


ROWS: dict[str, BenchRows] = {}
"""By the trade's name."""


def verdict(off: float | None, within: float) -> Verdict:
    """Of a figure in the control that is off by so much, mm; None where it is not set."""
    if off is None:
        return "unset"
    if abs(off) <= TOLERANCES.same_register_mm:
        return "same"
    return "wear" if abs(off) <= within else "wrong"


def bench_row(
    group: Group, key: str, axis: str, what: str, tool: int, truth: float | None, belief: float | None, wear: float, judged: Verdict,
    follows: bool, note: str = "",
) -> Row:  # fmt: skip
    """A row whose tool is the one that is called."""
    return Row(
        group=group,
        key=key,
        axis=axis,
        what=what,
        tool=tool,
        real=tool,
        truth=truth,
        belief=belief,
        wear=wear,
        verdict=judged,
        note=note,
        line=0,
        overwritten=0,
        follows=follows,
    )


def as_written(job: Job, value: float) -> float:
    """mm as the job file writes it."""
    return round(value / (MM_PER_INCH if job.units == "inch" else 1.0), 6) + 0.0


def entry_of(edit: Edit, number: int) -> int | None:
    """Which entry of [[tool]] a station's tool is, from 0."""
    for k, entry in enumerate(edit.get("tool") or []):
        if entry.get("number") == number:
            return k
    return None
