"""The trial cut: at a stop the diameter is measured in the half section, and the wear corrected from measured and wanted.

Wear is what the offset is to be changed by: wanted less measured, X as a diameter (common practice, no source).
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from underglass.core.proof.proof import Proof
from underglass.core.reckon.touching import Sum
from underglass.core.removal.section.history import SectionHistory
from underglass.core.units import Unit, show_length


class Measured(NamedTuple):
    """A diameter at a stop, mm, whether it is a bore, and the offset and line of the tool that made it (0: nothing did)."""

    diameter: float
    bore: bool
    offset: int
    tool: int
    line: int


def measured(proof: Proof, before: int, z: float) -> tuple[Measured, ...]:
    """Every diameter at a Z with so many moves made, from outside in."""
    history = next((h for h in proof.histories if isinstance(h, SectionHistory)), None)
    if history is None:
        return ()
    section = history.at(before - 1, 1.0) if before else history.uncut
    out = []
    for outer, inner in section.rings_at(z):
        for diameter, bore in ((outer, False), (inner, True)):
            if diameter <= 0.0:
                continue
            move = int(history.owners(np.array([[diameter / 2.0, z - section.shift]]), before)[0])
            state = proof.motions.state_of(move) if move >= 0 else None
            on = state.station if state is not None else None
            line = int(proof.motions.line[move]) if move >= 0 else 0
            out.append(Measured(diameter, bore, on.offset if on else 0, state.tool if state else 0, line))
    return tuple(out)


def correction(found: Measured, wanted: float, unit: Unit) -> Sum:
    """What the offset's wear in X is to be changed by, with its sum in words."""
    by = wanted - found.diameter

    def said(mm: float) -> str:
        return show_length(mm, unit)

    return Sum(
        by,
        by,
        f"{said(wanted)} wanted \u2212 {said(found.diameter)} measured = {show_length(by, unit, sign=True)} {unit} on X of offset {found.offset}",
    )
