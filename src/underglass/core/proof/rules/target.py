"""The finished stock against the wanted shape. Codes: target-gouge, target-excess."""

from __future__ import annotations

from collections.abc import Iterator

from underglass.core.finding import Finding, Position
from underglass.core.proof.compare import Worst, surface_difference, target_heights
from underglass.core.proof.rules.context import Context


def find(context: Context) -> Iterator[Finding]:
    """At most one finding each: the worst place, and how much differs in all."""
    settings = context.job.settings
    if settings.target is None or not context.stocks:
        return
    zero, history = context.job.bench.part_zero, context.stocks[0]
    field = history.final
    found = surface_difference(field, target_heights(settings.target, field, zero), settings.target_tolerance, zero)
    if found.gouge is not None:
        owner = int(field.owner[found.gouge.row, found.gouge.column])
        yield _finding(context, "target-gouge", found.gouge, owner)
    if found.excess is not None:
        yield _finding(context, "target-excess", found.excess, -1)


def _finding(context: Context, code: str, worst: Worst, owner: int) -> Finding:
    motions = context.motions
    x, y, z = worst.place
    where = f"at X {context.figure(x)} Y {context.figure(y)}"
    if code == "target-gouge":
        message = f"the finished stock is {context.length(worst.depth_mm)} below the target {where}"
        remedy = "look at the move that cut there, its tool and its registers"
    else:
        message = f"{context.length(worst.depth_mm)} more than the target stays {where}"
        remedy = "look for a pass that is missing, or a tool that cannot reach there"
    line = int(motions.line[owner]) if 0 <= owner < len(motions) else context.run.last_line
    return Finding(
        code,
        line,
        f"{message}, {worst.area_mm2:.1f} mm2 in all",
        remedy,
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
