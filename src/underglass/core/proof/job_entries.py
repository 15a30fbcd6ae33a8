"""Entries of a job that every trade has alike."""

from __future__ import annotations

from underglass.core.entries.checked import Table
from underglass.core.proof.job import RegisterTolerance


def tolerance_of(proof: Table) -> RegisterTolerance:
    """``tolerance`` under ``[proof]``, or the usual one. Raises ``BadEntry``."""
    out = RegisterTolerance()
    table = proof.table("tolerance")
    if table is not None:
        out = RegisterTolerance(
            table.number("length", out.length, least=0.0),
            table.number("radius", out.radius, least=0.0),
            table.number("work_offset", out.work_offset, least=0.0),
        )
        table.done()
    return out
