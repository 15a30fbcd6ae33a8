"""The finished part against the wanted profile. Codes: below-target, above-target."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from underglass.core.finding import Finding, Severity
from underglass.core.proof.rule import rule
from underglass.core.proof.rules.context import Context
from underglass.core.trades.turning.name import TURNING
from underglass.core.trades.turning.rules.looked import look, place
from underglass.core.trades.turning.target import Off, against, wanted_section


@rule({"below-target": Severity.FAULT, "above-target": Severity.CAUTION}, TURNING)
def against_the_profile(context: Context) -> Iterator[Finding]:
    """Where the part is off the target by more than its tolerance: the deepest place, and the fullest."""
    wanted, seen = wanted_section(context.job), look(context)
    if wanted is None or wanted.is_empty or seen.cut is None or not len(context.motions):
        return
    deep, full = against(seen.cut, wanted, context.job.settings.target_tolerance)
    if deep is not None:
        yield _finding(context, "below-target", deep)
    if full is not None:
        yield _finding(context, "above-target", full)


def _finding(context: Context, code: str, off: Off) -> Finding:
    seen, motions = look(context), context.motions
    assert seen.cut is not None
    last = len(motions)
    move = int(seen.cut.owners(np.array([[off.x, off.z]]), last)[0])
    if code == "below-target":
        message = f"the finished part is {context.length(off.depth)} below the target at diameter {context.figure(2.0 * off.x)} Z {context.figure(off.z)}"
        remedy = "see which move cut there, its offset, and whether the tip radius is compensated"
    else:
        message = f"{context.length(off.depth)} of stock is left above the target at diameter {context.figure(2.0 * off.x)} Z {context.figure(off.z)}"
        remedy = "see which move should have cut there, its offset, and whether the tip radius is compensated"
    return Finding(
        code=code, line=int(motions.line[move if move >= 0 else last - 1]), message=message, remedy=remedy,
        tool=motions.state_of(move).tool if move >= 0 else 0, move=move if move >= 0 else last - 1,
        position=place(context, off.x, off.z), evidence={"depth_mm": off.depth, "area_mm2": off.area},
    )  # fmt: skip
