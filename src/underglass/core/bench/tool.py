"""A tool as it really sits in its holder, with the symbols of ISO 13399.

Glossary
    DC      cutting diameter, mm            RE    corner radius, mm
    SIG     point angle, included, rad      APMX  cutting length, mm
    NOF     flutes, 0: not said                       KAPR  cutting edge angle, rad
    length  gauge line to tip, mm           stickout  length below the holder, mm
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

ToolKind = Literal[
    "end-mill", "ball-end", "bull-nose", "face-mill", "slot-drill", "taper-mill", "engraver", "chamfer-mill",
    "drill", "spot-drill", "centre-drill", "tap", "reamer", "boring-bar", "probe",
]  # fmt: skip

KIND_WORDS: dict[str, str] = {
    "end-mill": "end mill",
    "ball-end": "ball end mill",
    "bull-nose": "bull-nose mill",
    "face-mill": "face mill",
    "slot-drill": "slot drill",
    "taper-mill": "taper mill",
    "engraver": "engraver",
    "chamfer-mill": "chamfer mill",
    "drill": "drill",
    "spot-drill": "spot drill",
    "centre-drill": "centre drill",
    "tap": "tap",
    "reamer": "reamer",
    "boring-bar": "boring bar",
    "probe": "probe",
}

_POINTED_KINDS = {"drill", "spot-drill", "centre-drill", "engraver", "chamfer-mill"}
DEFAULT_POINT_RAD = {
    # Common practice, no source: 118 degrees for a jobber drill, 90 for a spotting drill and a chamfer mill,
    # 60 for a centre drill and an engraver.
    "drill": math.radians(118.0),
    "spot-drill": math.radians(90.0),
    "centre-drill": math.radians(60.0),
    "engraver": math.radians(60.0),
    "chamfer-mill": math.radians(90.0),
}

FLUTES = {"drill": 2, "spot-drill": 2, "centre-drill": 2, "slot-drill": 2, "engraver": 1, "boring-bar": 1}
"""How many edges a kind has where the job does not say (common practice, no source); of other kinds nobody can tell."""


@dataclass(frozen=True, slots=True)
class HolderStep:
    """One cylinder of the holder, stacked from the tool upwards. mm."""

    diameter: float
    length: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Cylinder:
    """A part of the tool as a solid of revolution: ``bottom`` and ``top`` are heights above the tip, mm."""

    part: Literal["cutter", "shank", "holder", "spindle"]
    radius: float
    bottom: float
    top: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Profile:
    """The lower outline of the cutting part: how high above the tip it is at a distance from the axis.

    Flat out to ``flat`` mm, then a round corner of radius ``corner`` (0: none), and from where that is as steep as
    ``slope`` a cone that rises ``slope`` mm a mm (0: none, the side is upright), out to ``radius``.
    """

    radius: float
    flat: float
    slope: float
    corner: float = 0.0

    def height(self, rho: float) -> float:
        """How high above the tip the outline is at a distance from the axis, mm."""
        over = rho - self.flat
        if over <= 0.0:
            return 0.0
        if not self.corner:
            return self.slope * over
        edge = self.corner * self.slope / math.hypot(1.0, self.slope) if self.slope else self.corner
        if over <= edge:
            return self.corner - math.sqrt(max(self.corner**2 - over**2, 0.0))
        return self.corner - math.sqrt(max(self.corner**2 - edge**2, 0.0)) + self.slope * (over - edge)


@dataclass(frozen=True, slots=True, kw_only=True)
class Tool:
    """What is really in the holder. Lengths in mm, angles in radians."""

    number: int
    kind: ToolKind
    DC: float
    length: float
    APMX: float
    stickout: float
    shank: float
    holder: tuple[HolderStep, ...] = ()
    RE: float = 0.0
    SIG: float = math.pi
    KAPR: float = math.pi / 2
    NOF: int = 0
    TP: float = 0.0
    centre_cutting: bool = True
    hand: Literal["right", "left"] = "right"
    substrate: Literal["carbide", "hss"] = "carbide"

    @property
    def radius(self) -> float:
        """Cutting radius, mm."""
        return self.DC / 2.0

    def chip_load(self, feed: float, speed: float) -> float | None:
        """Feed a tooth, mm: F / (S z), from mm/min and rpm (any machinist's handbook); None where it cannot be told."""
        return feed / (speed * self.NOF) if speed > 0.0 and self.NOF else None

    def surface_speed(self, speed: float) -> float:
        """pi D S / 1000, m/min, from rpm (any machinist's handbook)."""
        return math.pi * self.DC * speed / 1000.0

    @property
    def name(self) -> str:
        """Kind and diameter in plain words, as in ``end mill 10``."""
        return f"{KIND_WORDS[self.kind]} {self.DC:g}"

    @property
    def profile(self) -> Profile:
        """The lower outline of the cutting part.

        A taper mill's DC is its diameter at the tip; it widens by 90 degrees less KAPR a side over its cutting length (common
        practice, no source). An engraver and a chamfer mill come to a point of SIG, rounded by RE where that is given;
        every other tool is flat, rounded by RE. A probe is a ball.
        """
        r = self.radius
        if self.kind in ("ball-end", "probe"):
            return Profile(radius=r, flat=0.0, slope=0.0, corner=r)
        if self.kind == "taper-mill" and math.pi / 2.0 - 1e-9 > self.KAPR:
            slope = math.tan(self.KAPR)
            corner = min(self.RE, r)
            lift = corner - corner / math.hypot(1.0, slope)
            edge = corner * slope / math.hypot(1.0, slope)
            top = r - corner + edge + max(self.APMX - lift, 0.0) / slope
            return Profile(radius=max(top, r), flat=r - corner, slope=slope, corner=corner)
        if self.kind in _POINTED_KINDS:
            half = self.SIG / 2.0
            if half < math.pi / 2.0 - 1e-9:
                # A rounded point stands lower than the sharp one would: heights count from the tip that there is.
                return Profile(radius=r, flat=0.0, slope=1.0 / math.tan(half), corner=self.RE)
        return Profile(radius=r, flat=r - min(self.RE, r), slope=0.0, corner=min(self.RE, r))

    def solids(self, nose_diameter: float) -> tuple[Cylinder, ...]:
        """Cutter, shank, holder steps and spindle nose as cylinders above the tip.

        A holder step that would rise above the gauge line sits in the spindle and is left out from there up.
        ``nose_diameter`` is the spindle nose's, mm; the nose is everything above the gauge line.
        """
        cutting = min(self.APMX, self.stickout)
        parts = [Cylinder(part="cutter", radius=self.profile.radius, bottom=0.0, top=cutting)]
        if self.stickout > cutting:
            parts.append(Cylinder(part="shank", radius=self.shank / 2.0, bottom=cutting, top=self.stickout))
        bottom = self.stickout
        for step in self.holder:
            top = min(bottom + step.length, self.length)
            if top > bottom:
                parts.append(Cylinder(part="holder", radius=step.diameter / 2.0, bottom=bottom, top=top))
            bottom += step.length
        parts.append(Cylinder(part="spindle", radius=nose_diameter / 2.0, bottom=self.length, top=self.length + 300.0))
        return tuple(parts)
