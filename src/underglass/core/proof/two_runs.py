"""Two jobs run on the same cells and compared: for the window and the command line alike."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from underglass.core.language.source import Source
from underglass.core.proof.compare import Comparison, compare_runs
from underglass.core.proof.job import Job
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import prove
from underglass.core.removal.field import default_cell


def compare_jobs(
    one: Job, source_one: Source, two: Job, source_two: Source, cancelled: Callable[[], bool] = lambda: False
) -> Comparison:
    """Prove both with the larger of their cells. Raises ``ValueError`` where the stocks differ, ``Cancelled``."""
    return compare_runs(*prove_both(one, source_one, two, source_two, cancelled))


def prove_both(
    one: Job, source_one: Source, two: Job, source_two: Source, cancelled: Callable[[], bool] = lambda: False
) -> tuple[Proof, Proof]:
    """Both proved on the same cells. Raises as ``compare_jobs`` does."""
    if [s.extent for s in one.bench.stocks] != [s.extent for s in two.bench.stocks]:
        raise ValueError("the two jobs do not start from the same stock")
    cell = max((j.settings.cell or max(map(default_cell, j.bench.stocks), default=1.0)) for j in (one, two))
    first, second = (
        prove(replace(j, settings=replace(j.settings, cell=cell)), s, cancelled=cancelled)
        for j, s in ((one, source_one), (two, source_two))
    )
    return first, second


def compare_proofs(one: Proof, two: Proof) -> Comparison:
    """Compare two finished runs; proved anew on the larger cells where theirs differ. Raises as ``compare_jobs`` does."""
    same = [(s.grid.shape, s.grid.cell) for s in one.stocks] == [(s.grid.shape, s.grid.cell) for s in two.stocks]
    if same and [s.extent for s in one.job.bench.stocks] == [s.extent for s in two.job.bench.stocks]:
        return compare_runs(one, two)
    return compare_jobs(one.job, one.source, two.job, two.source)
