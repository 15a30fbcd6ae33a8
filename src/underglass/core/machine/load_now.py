"""How hard the cut under way is, with the overrides as they stand."""

from __future__ import annotations

from typing import NamedTuple

from underglass.core.machine.stand import Stand
from underglass.core.proof.load import Loads


class LoadNow(NamedTuple):
    """``chip`` mm a tooth, ``power`` kW (0: not known), ``share`` of what the spindle has (None: not said)."""

    chip: float
    power: float
    share: float | None


def load_now(stand: Stand, loads: Loads) -> LoadNow | None:
    """Of a milled cut; None where nothing is cut. ``loads`` are those of the course.

    The feed's override thickens the chip, the spindle's thins it; power follows rate and specific force, P ~ Q hm^-mc (Kienzle, as in ``proof.load``).
    """
    if not stand.moving or not stand.on_course or stand.rapid_now:
        return None
    move, _share = stand.located()
    if move >= len(loads.rate) or not loads.rate[move] > 0.0:
        return None
    feed, turning = max(stand.feed, 1e-6), max(stand.turning, 1e-6)
    thicker = feed / turning
    material = stand.job.bench.cuts_like
    power = float(loads.power[move]) * feed * (thicker**-material.mc if material is not None else 1.0)
    most = stand.job.bench.machine.spindle_kw
    return LoadNow(float(loads.fz[move]) * thicker, power, power / most if most else None)
