"""Speeds and feeds to begin with, from the material, the tool and the kind of cut.

S = 1000 vc / (pi D), F = S z fz, in m/min and mm (handbooks; ISO 3002-1 for the symbols). The figures that go in are the
shipped materials' highest ones; which share of them a cut begins with is common practice, no source: half of the speed and a
third of the feed for milling, less where the tool is buried or guided by its own hole.
"""

from __future__ import annotations

import math
from typing import Literal, NamedTuple

from underglass.core.bench.material import Material
from underglass.core.entries.materials import find_material, shipped_materials
from underglass.core.reckon.form import Field, plain

Cut = Literal["mill", "finish", "slot", "engrave", "spot", "drill", "ream", "tap", "bore", "sink", "thread-mill"]


class Advice(NamedTuple):
    """``rpm``; ``feed`` in mm/min; the sum as it is shown."""

    rpm: float
    feed: float
    said: str


_SHARES: dict[str, tuple[float, float]] = {
    "mill": (0.5, 1 / 3), "finish": (0.65, 0.2), "slot": (0.4, 0.25), "engrave": (0.5, 0.15), "spot": (0.4, 0.25),
    "drill": (0.5, 0.33), "ream": (0.25, 0.6), "bore": (0.5, 0.2), "sink": (0.2, 0.3), "thread-mill": (0.5, 0.15),
}  # fmt: skip
"""Shares of the material's highest speed and chip load. Common practice, no source."""
_TAP_MOST = 15.0
"""Surface speed of a tap, m/min, at most a fifth of the material's. Common practice, no source."""


def advice(
    cut: Cut, d: float, material: Material, substrate: Literal["carbide", "hss"] = "carbide", teeth: int = 2,
    most: float = 12_000.0, pitch: float = 0.0, fastest: float = 8_000.0,
) -> Advice:  # fmt: skip
    """A start for a tool of diameter ``d`` mm. ``most``: the spindle's limit; ``fastest`` the feed's, mm/min; ``pitch`` of a tap, mm."""
    vc_most = material.vc[substrate]
    if cut == "tap":
        vc = min(_TAP_MOST, 0.2 * vc_most)
        rpm = _round(min(1000.0 * vc / (math.pi * d), most))
        return Advice(
            rpm,
            rpm * pitch,
            f"S = 1000 \u00b7 {plain(vc, 0)} / (\u03c0 \u00b7 {plain(d)}) = {plain(rpm, 0)}; F = S \u00b7 P = {plain(rpm * pitch, 1)}",
        )
    speed, load = _SHARES[cut]
    vc = vc_most * speed
    rpm = _round(min(1000.0 * vc / (math.pi * d), most))
    fz = material.highest_feed(d) * load
    feed = min(rpm * teeth * fz, fastest)
    said = (
        f"S = 1000 \u00b7 {plain(vc, 0)} / (\u03c0 \u00b7 {plain(d)}) = {plain(rpm, 0)}; "
        f"F = S \u00b7 {teeth} \u00b7 {plain(fz, 3)} = {plain(feed, 0)}"
    )
    return Advice(rpm, feed, said)


def _round(rpm: float) -> float:
    return float(round(rpm, -2) if rpm >= 1000 else round(rpm, -1)) or 10.0


MATERIAL = Field(
    key="mat", word="Material", kind="choice", start="aluminium",
    choices=tuple((m, m) for m in sorted({m.name for m in shipped_materials().values()})),
    tip="What speeds and feeds that are not entered are worked out for",
)  # fmt: skip
"""The stock's material, where the operation works speeds out itself."""


def material_of(name: str) -> Material:
    """A shipped material by name."""
    found = find_material(name)
    assert found is not None
    return found
