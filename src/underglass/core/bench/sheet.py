"""What is really on a sheet machine: the sheet with its outline, the cutter or the punches, what holds it.

Places are seen from the true zero, X and Y in mm.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

import numpy as np
import shapely
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ring = tuple[tuple[float, float], ...]

CUTTER_WORDS: Mapping[str, str] = {"torch": "torch", "beam": "beam", "jet": "jet"}
PUNCH_SHAPES = ("round", "square", "rectangle", "obround", "single-D", "hexagon")
"""Shapes that a punch is given by its size; any other by its outline."""

SAGITTA_MM = 0.0008
"""How far the chords of a round edge may lie from it."""


def quarter_steps(radius: float) -> int:
    """Chords of a quarter circle so that none lies farther from it than ``SAGITTA_MM``."""
    if radius <= SAGITTA_MM:
        return 1
    return max(2, math.ceil(math.pi / (4.0 * math.acos(1.0 - SAGITTA_MM / radius))))


@dataclass(frozen=True, slots=True, kw_only=True)
class Cutter:
    """One cutter. Lengths mm, times s; ``feed`` mm/min from and to for this sheet, None: not said."""

    number: int
    kind: Literal["torch", "beam", "jet"]
    kerf: float
    pierce_s: float = 0.0
    pierce_diameter: float = 0.0
    feed: tuple[float, float] | None = None

    @property
    def name(self) -> str:
        return f"{CUTTER_WORDS[self.kind]}, kerf {self.kerf:g}"


@dataclass(frozen=True, slots=True, kw_only=True)
class Punch:
    """What is at a station. ``size`` mm as its shape wants it, ``outline`` where it is drawn; ``angle_rad`` as it stands in the turret.

    ``index``: it can be turned by the program. ``forming``: it raises metal by ``height`` mm and takes none away.
    """

    number: int
    shape: str
    size: tuple[float, ...] = ()
    outline: Ring = ()
    angle_rad: float = 0.0
    index: bool = False
    forming: bool = False
    height: float = 0.0

    @property
    def name(self) -> str:
        return f"{'forming tool' if self.forming else f'{self.short_shape} punch'} {self._figures}".strip()

    @property
    def short(self) -> str:
        """Its name where there is little room."""
        return f"{'forming' if self.forming else self.short_shape} {self._figures}".strip()

    @property
    def short_shape(self) -> str:
        return {"outline": "drawn"}.get(self.shape, self.shape)

    @property
    def _figures(self) -> str:
        return " x ".join(f"{v:g}" for v in self.size)

    @property
    def narrowest(self) -> float:
        """Its smallest width, mm."""
        if self.shape in ("round", "square", "hexagon"):
            return self.size[0]
        if self.shape in ("rectangle", "obround", "single-D"):
            return min(self.size)
        ring = shapely.Polygon(self.outline)
        return 2.0 * float(shapely.maximum_inscribed_circle(ring, 1e-3).length)

    def places(self, turn_rad: float = 0.0) -> Floats:
        """Its outline about its centre, as it strikes: ``(n, 2)``, counter-clockwise, open."""
        flat = _outline(self)
        a = self.angle_rad + turn_rad
        if a:
            c, s = math.cos(a), math.sin(a)
            flat = flat @ np.array([[c, s], [-s, c]])
        return flat

    @property
    def reach(self) -> float:
        """How far from its centre it strikes, mm."""
        return float(np.hypot(*_outline(self).T).max())


def _arc(x: float, y: float, r: float, a0: float, a1: float) -> Floats:
    n = max(2, math.ceil(quarter_steps(r) * abs(a1 - a0) / (math.pi / 2.0)))
    a = np.linspace(a0, a1, n + 1)
    return np.column_stack([x + r * np.cos(a), y + r * np.sin(a)])


def _outline(p: Punch) -> Floats:
    if p.shape == "round":
        return _arc(0.0, 0.0, p.size[0] / 2.0, 0.0, math.tau)[:-1]
    if p.shape == "hexagon":
        # Flats at +-Y: corners on the X axis.
        r = p.size[0] / math.sqrt(3.0)
        a = np.arange(6) * math.pi / 3.0
        return np.column_stack([r * np.cos(a), r * np.sin(a)])
    if p.shape == "obround":
        long, wide = p.size
        r, half = wide / 2.0, (long - wide) / 2.0
        return np.vstack(
            [_arc(half, 0.0, r, -math.pi / 2, math.pi / 2), _arc(-half, 0.0, r, math.pi / 2, 1.5 * math.pi)]
        )
    if p.shape == "single-D":
        r, high = p.size[0] / 2.0, p.size[1]
        # The flat lies at -Y, ``high`` below the top of the round.
        y = r - high
        low = math.asin(max(-1.0, min(1.0, y / r)))
        return _arc(0.0, 0.0, r, low, math.pi - low)
    if p.shape in ("square", "rectangle"):
        x, y = (p.size[0] / 2.0, p.size[-1] / 2.0)
        return np.array([(-x, -y), (x, -y), (x, y), (-x, y)])
    ring = shapely.geometry.polygon.orient(shapely.Polygon(p.outline))
    return np.array(ring.exterior.coords[:-1])


@dataclass(frozen=True, slots=True, kw_only=True)
class Held:
    """A clamp or a thing on the table: its rectangle (x0, y0, x1, y1), mm."""

    name: str
    box: tuple[float, float, float, float]
    kind: str = "box"


@dataclass(frozen=True, slots=True, kw_only=True)
class Sheet:
    """A sheet machine's own part of the bench. ``outline``: closed rings, those in one another holes; ``thickness`` mm.

    ``zero_x``, ``zero_y``: where the true zero is in machine coordinates.
    """

    outline: tuple[Ring, ...]
    thickness: float
    cutters: Mapping[int, Cutter] = field(default_factory=dict)
    punches: Mapping[int, Punch] = field(default_factory=dict)
    held: tuple[Held, ...] = ()
    zero_x: float = 0.0
    zero_y: float = 0.0
    dry_trace: bool = False
    bridges: bool = False
    scallop: float = 0.0

    @property
    def tool_names(self) -> Mapping[int, str]:
        return {**{n: c.name for n, c in self.cutters.items()}, **{n: p.name for n, p in self.punches.items()}}

    @property
    def tools_there(self) -> Mapping[int, Cutter | Punch]:
        return {**self.cutters, **self.punches}

    def region(self) -> shapely.Polygon:
        """The sheet before anything is cut."""
        out = shapely.Polygon()
        for ring in self.outline:
            out = shapely.symmetric_difference(out, shapely.make_valid(shapely.Polygon(ring)))
        return out
