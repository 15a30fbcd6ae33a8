"""What the stock is made of: how hard it is to cut, and how fast it may usually be cut."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field


@dataclass(frozen=True, slots=True, kw_only=True)
class Material:
    """``kc`` N/mm2 at a chip of 1 mm, falling by ``mc`` with the chip's thickness; ``vc`` m/min by substrate.

    ``fz_share`` is the highest usual feed a tooth as a share of the tool's diameter, ``fz_most`` the most of it, mm.
    """

    name: str
    kc: float
    mc: float
    vc: Mapping[str, float] = field(default_factory=dict)
    fz_share: float = 0.0
    fz_most: float = 0.0
    chip: tuple[float, float, float, float] | None = None
    """In turning: depth of cut from and to, mm, and feed from and to, mm a turn, between which its chip breaks."""

    def force(self, chip_mm: float) -> float:
        """Specific cutting force at a mean chip thickness, N/mm2: kc h^-mc (Kienzle's formula, from memory)."""
        return float(self.kc * max(chip_mm, 1e-3) ** -self.mc)

    def highest_feed(self, diameter: float) -> float:
        """Highest usual feed a tooth of a tool, mm."""
        return min(self.fz_share * diameter, self.fz_most)
