"""Text that a form made for another tool than the one that cuts it. Code: form-tool-differs."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from underglass.core.compose.operation import heads_in
from underglass.core.compose.registry import operations_of
from underglass.core.compose.starts import Unlike, unlike_bench
from underglass.core.finding import Finding, Severity
from underglass.core.proof.rule import rule
from underglass.core.proof.rules.context import Context
from underglass.core.tolerances import TOLERANCES
from underglass.core.units import Unit, to_mm

_READ = 20_000
"""Heads of forms are looked for in so many lines."""


@rule({"form-tool-differs": Severity.FAULT})
def _made_for(context: Context) -> Iterator[Finding]:
    """At the head of each operation that is run: by a tool of another number, or of other sizes than it was made for."""
    job, motions = context.job, context.motions
    heads = list(heads_in(context.lines[:_READ], operations_of(job.trade.kind)))
    if job.guessed or not heads or not len(motions):
        return
    called = motions.tool_of()
    ends = [head.first for head in heads[1:]] + [len(context.lines)]
    for head, end in zip(heads, ends, strict=True):
        numbers = {head.entered[k] for k in ("t", "ty", "tr") if head.entered.get(k, "").isdigit()}
        # Lines count from 1, those of a head from 0; what lies between one head and the next is the first one's.
        run = np.flatnonzero((motions.line > head.first + 1) & (motions.line <= end) & ~motions.rapid())
        if not numbers or not len(run):
            continue
        move = int(run[0])
        tool = int(called[move])
        where = {"code": "form-tool-differs", "line": head.first + 1, "tool": tool, "move": move}
        if str(tool) not in numbers:
            tail = f"({head.operation.sign}: END "
            if not any(tail in text for text in context.lines[int(motions.line[move]) - 1 : end]):
                # Its own text cuts nothing; what comes after it is another's.
                continue
            yield Finding(
                message=f"this was made by a form for T{head.entered['t']}, and T{tool} cuts it",
                remedy="call the form's tool ahead of it, or make it anew for the one that is in",
                evidence={"made_for": int(head.entered["t"]), "tool": tool},
                **where,  # type: ignore[arg-type]
            )
            continue
        unlike = unlike_bench(head.operation, job, motions.in_force[int(motions.state[move])].units, head.entered)
        unlike = tuple(u for u in unlike if not _worn(u, motions.in_force[int(motions.state[move])].units))
        if unlike:
            made = " and ".join(f"{u.word[0].lower()}{u.word[1:]} {u.here}" for u in unlike)
            there = " and ".join(u.there for u in unlike)
            yield Finding(
                message=f"this was made by a form for {made}; T{head.entered['t']} on the bench has {there}",
                remedy="open the form and update it, or put right what the bench says of the tool",
                evidence={u.key or "kind": f"{u.here} / {u.there}" for u in unlike},
                **where,  # type: ignore[arg-type]
            )


def _worn(size: Unlike, unit: Unit) -> bool:
    """Whether a size differs by no more than a tool is ground or worn: its register takes that in."""
    try:
        return abs(to_mm(float(size.here) - float(size.there), unit)) <= TOLERANCES.register_default_mm
    except ValueError:
        return False
