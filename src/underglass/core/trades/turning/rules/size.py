"""How the program stands to the size of the bar.

Code: units-suspect.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from underglass.core.finding import Finding, Severity
from underglass.core.proof.rule import rule
from underglass.core.proof.rules.context import Context
from underglass.core.trades.turning.name import TURNING
from underglass.core.trades.turning.rules.looked import look
from underglass.core.units import MM_PER_INCH

_ABOUT = 1.25
"""The largest diameter that a program feeds at is seldom smaller or larger than the bar by more than this."""


@rule({"units-suspect": Severity.CAUTION}, TURNING)
def units(context: Context) -> Iterator[Finding]:
    """The largest diameter that is fed at, of tools that are not on the axis, differs from the bar's by about 25.4.

    Along Z a bar is longer than the part by what is held, so that only what goes beyond it speaks against.
    """
    motions, seen = context.motions, look(context)
    rings = [point for ring in seen.lathe.stock for point in ring]
    off_axis = np.array([not tool.on_axis for tool in seen.tools] + [False])[seen.row]
    cuts = np.flatnonzero(~motions.rapid() & (motions.dwell == 0.0) & off_axis)
    if not rings or not len(cuts):
        return
    bar = 2.0 * max(x for x, _z in rings)
    length = max(z for _x, z in rings) - min(z for _x, z in rings)
    ends = np.concatenate([seen.start[cuts], seen.end[cuts]])
    widest, reach = 2.0 * float(np.abs(ends[:, 0]).max()), float(np.ptp(ends[:, 1]))
    for factor, word, way in ((MM_PER_INCH, "smaller", "inches"), (1.0 / MM_PER_INCH, "larger", "millimetres")):
        if 1.0 / _ABOUT < widest / bar * factor < _ABOUT and reach * factor < _ABOUT * length:
            move = int(cuts[0])
            yield Finding(
                code="units-suspect", line=int(motions.line[move]),
                message=f"the program is about 25 times {word} than the bar: it feeds at {context.length(widest)} at the most, the bar is "
                f"{context.length(bar)}; its figures look like {way}",
                remedy=f"check G20 and G21; the program runs in {motions.state_of(move).units}", tool=motions.state_of(move).tool,
                move=move, evidence={"widest_mm": widest, "bar_mm": bar},
            )  # fmt: skip
