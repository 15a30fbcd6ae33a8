"""The finished stock against the wanted shape. Codes: below-target, above-target."""

from __future__ import annotations

from collections.abc import Iterator

from underglass.core.finding import Finding, Position, Severity
from underglass.core.proof.compare import Worst, against_target
from underglass.core.proof.rule import rule
from underglass.core.proof.rules.context import Context
from underglass.core.trades.milling.name import MILLING


@rule({"below-target": Severity.FAULT, "above-target": Severity.CAUTION}, MILLING)
def against_the_target(context: Context) -> Iterator[Finding]:
    """At most one finding of a kind a stock: the worst place, and how much differs in all."""
    settings = context.job.settings
    if settings.target is None:
        return
    zero = context.job.bench.part_zero
    found = against_target(settings.target, settings.target_tolerance, context.stocks, zero)
    for (deviation, beyond), history in zip(found, context.stocks):
        if beyond > settings.target_tolerance + history.grid.cell:
            yield Finding(
                code="below-target",
                line=context.run.last_line,
                message=f"the target reaches {context.length(beyond)} beyond the stock: there is nothing to cut it from",
                remedy="clamp a larger stock, or check its place and the target's",
                move=len(context.motions),
                evidence={"beyond_mm": beyond},
            )
        if deviation.gouge is not None:
            owner = int(history.final.owner[deviation.gouge.row, deviation.gouge.column])
            yield _finding(context, "below-target", deviation.gouge, owner)
        if deviation.excess is not None:
            yield _finding(context, "above-target", deviation.excess, -1)


def _finding(context: Context, code: str, worst: Worst, owner: int) -> Finding:
    motions = context.motions
    x, y, z = worst.place
    where = f"at X {context.figure(x)} Y {context.figure(y)}"
    if code == "below-target":
        message = f"the finished stock is {context.length(worst.depth_mm)} below the target {where}"
        remedy = "look at the move that cut there, its tool and its registers"
    else:
        message = f"{context.length(worst.depth_mm)} of stock is left above the target {where}"
        remedy = "look for a pass that is missing, or a tool that cannot reach there"
    line = int(motions.line[owner]) if 0 <= owner < len(motions) else context.run.last_line
    return Finding(
        code=code,
        line=line,
        message=f"{message}, {context.area(worst.area_mm2)} in all",
        remedy=remedy,
        tool=motions.state_of(owner).tool or None if 0 <= owner < len(motions) else None,
        move=owner if owner >= 0 else len(motions),
        position=Position(x, y, z),
        time_s=context.timing.end_of(owner) if 0 <= owner < len(motions) else context.timing.total,
        evidence={
            "depth_mm": worst.depth_mm,
            "area_mm2": worst.area_mm2,
            "volume_mm3": worst.volume_mm3,
            "x_mm": x,
            "y_mm": y,
        },
    )
