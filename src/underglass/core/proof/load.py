"""How hard each move cuts, from what it really took away.

Glossary
    ap      axial depth: the most height the move took in one cell, mm
    ae      radial width: what was taken, spread over the way and that depth, at most the tool's diameter, mm
    fz      feed a tooth, mm: F / (S z)
    hm      mean chip thickness, mm: fz sqrt(ae / D), at most fz (the usual approximation for milling, from memory)
    Q       removal rate, mm3/min
    P       power at the cutting edge, kW: Q kc / 60e6 with kc at that chip (Kienzle's formula, from memory)
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from underglass.core.bench.material import Material
from underglass.core.control.motions import Motions
from underglass.core.control.timing import Timing
from underglass.core.removal.history import StockHistory
from underglass.core.removal.toolpath import ToolTable

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True, kw_only=True)
class Loads:
    """A column a figure, ``(n,)`` each; 0 where a move cuts nothing. Names and units as in the module's glossary.

    ``surface_speed`` in m/min is given for every move with the spindle on. Where a tool's flutes are not said, ``fz``, ``hm``
    and ``power`` are 0; ``power`` also where the material is not known.
    """

    ap: Floats
    ae: Floats
    fz: Floats
    hm: Floats
    rate: Floats
    power: Floats
    surface_speed: Floats


def loads(
    motions: Motions, timing: Timing, table: ToolTable, row: NDArray[np.int32], stocks: tuple[StockHistory, ...], material: Material | None
) -> Loads:  # fmt: skip
    """Every move's load."""
    n = len(motions)
    zero = np.zeros(n)
    removed = np.sum([s.removed for s in stocks], axis=0) if stocks else zero
    ap = np.max([s.depths[:, 0] for s in stocks], axis=0) if stocks else zero
    wide = np.array([2.0 * t.profile.radius for t in table.tools] + [0.0])[row]
    # A turn's worth of each tool's chip and way, times what each move has.
    tooth = np.array([t.chip_load(1.0, 1.0) or 0.0 for t in table.tools] + [0.0])[row]
    turn = np.array([t.surface_speed(1.0) for t in table.tools] + [0.0])[row]
    speed = np.array([s.speed if s.spindle != "off" else 0.0 for s in motions.in_force] or [0.0])[motions.state]
    length = motions.lengths()
    cuts = (removed > 0.0) & ~motions.rapid()
    with np.errstate(divide="ignore", invalid="ignore"):
        ae = np.where(cuts & (ap > 0.0) & (length > 0.0), removed / (length * ap), 0.0)
        ae = np.minimum(ae, wide)
        fz = np.where(cuts & (speed > 0.0), np.nan_to_num(motions.feed) * tooth / speed, 0.0)
        hm = np.where(wide > 0.0, fz * np.sqrt(np.minimum(ae / wide, 1.0)), 0.0)
        rate = np.where(cuts & (timing.duration > 0.0), removed / timing.duration * 60.0, 0.0)
    hm = np.nan_to_num(hm)
    power = zero
    if material is not None:
        power = np.where(hm > 0.0, rate * material.kc * np.maximum(hm, 1e-3) ** -material.mc / 60e6, 0.0)
    return Loads(ap=ap, ae=ae, fz=fz, hm=hm, rate=rate, power=power, surface_speed=turn * speed)
