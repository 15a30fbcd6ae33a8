"""What is really in a lathe: bar, chuck, tailstock, and tools on a turret.

Glossary
    half plane   X as a radius and Z, mm; X below 0 is the far side of the axis
    tip          the imaginary tip: where the tangents of the nose square to X and Z meet; tools are drawn from there
    orientation  where the tip lies from the nose's centre: 1 +X+Z, 2 +X-Z, 3 -X-Z, 4 -X+Z, 5 +Z, 6 +X, 7 -Z, 8 -X, 9 the centre
    nose         the rounded corner of an insert, radius RE
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

LatheKind = Literal[
    "turning", "boring", "grooving", "parting", "threading",
    "drill", "spot-drill", "centre-drill", "reamer", "tap", "end-mill", "ball-end",
]  # fmt: skip

LATHE_WORDS: dict[str, str] = {
    "turning": "turning tool",
    "boring": "boring bar",
    "grooving": "grooving tool",
    "parting": "parting tool",
    "threading": "threading tool",
    "drill": "drill",
    "spot-drill": "spot drill",
    "centre-drill": "centre drill",
    "reamer": "reamer",
    "tap": "tap",
    "end-mill": "end mill",
    "ball-end": "ball end mill",
}

ON_AXIS = frozenset({"drill", "spot-drill", "centre-drill", "reamer", "tap", "end-mill", "ball-end"})
BLADES = frozenset({"grooving", "parting"})

INSERT_ANGLES: Mapping[str, float] = {"C": 80.0, "D": 55.0, "V": 35.0, "T": 60.0, "S": 90.0, "W": 80.0, "R": 0.0}
"""Corner angle by the letter of ISO 1832 (from memory), degrees; R is round."""

TIP_FROM_CENTRE: Mapping[int, tuple[float, float]] = {
    1: (1.0, 1.0), 2: (1.0, -1.0), 3: (-1.0, -1.0), 4: (-1.0, 1.0), 5: (0.0, 1.0), 6: (1.0, 0.0), 7: (0.0, -1.0), 8: (-1.0, 0.0), 9: (0.0, 0.0),
}  # fmt: skip
"""(X, Z) of the tip seen from the nose's centre, in radii."""

_CHORD_MM = 0.0002


def _arc(cx: float, cz: float, r: float, a0: float, a1: float) -> Floats:
    """Places on an arc, angles from +X towards +Z; chords no farther than a fifth of a micrometre from it."""
    step = 2.0 * math.acos(max(-1.0, 1.0 - _CHORD_MM / max(r, _CHORD_MM)))
    n = max(2, math.ceil(abs(a1 - a0) / step))
    # The extremes along X and Z are places of their own: cylinders and faces come out exactly.
    quarter = math.pi / 2.0
    low, high = min(a0, a1), max(a0, a1)
    corners = [k * quarter for k in range(math.ceil(low / quarter), math.floor(high / quarter) + 1)]
    a = np.unique(np.concatenate([np.linspace(low, high, n + 1), corners]))
    a = a[np.r_[True, np.diff(a) > 1e-9]]
    if a1 < a0:
        a = a[::-1]
    return np.column_stack([cx + r * np.cos(a), cz + r * np.sin(a)])


@dataclass(frozen=True, slots=True, kw_only=True)
class Bar:
    """A boring bar or a drill's holder: ``diameter``, ``length`` mm."""

    diameter: float
    length: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Shank:
    """A square shank: ``width`` along Z, ``length`` along X, mm; its nearest corner from the tip."""

    width: float
    length: float


@dataclass(frozen=True, slots=True, kw_only=True)
class LatheTool:
    """What is really at a station. Lengths mm, angles rad, X of ``gauge`` as a radius.

    ``from_tip``: the holder's nearest corner (a bar: how far inside the tip its surface lies, how far behind it its front).
    """

    number: int
    kind: LatheKind
    gauge: tuple[float, float]
    insert: str = ""
    RE: float = 0.0
    L: float = 0.0
    KAPR: float = math.pi / 2.0
    orientation: int = 3
    outline: tuple[tuple[float, float], ...] = ()
    width: float = 0.0
    depth: float = 0.0
    SIG: float = math.pi
    pitch: tuple[float, float] = (0.0, 0.0)
    DC: float = 0.0
    APMX: float = 0.0
    TP: float = 0.0
    holder: Shank | Bar | None = None
    from_tip: tuple[float, float] = (0.0, 0.0)
    stickout: float = 0.0
    turns: Literal["cw", "ccw", "either"] = "cw"
    substrate: Literal["carbide", "hss"] = "carbide"

    @property
    def on_axis(self) -> bool:
        return self.kind in ON_AXIS

    @property
    def name(self) -> str:
        """In plain words, as in ``turning tool C RE 0.8``."""
        words = LATHE_WORDS[self.kind]
        if self.on_axis:
            return f"{words} {self.DC:g}"
        if self.kind in BLADES:
            return f"{words} {self.width:g}"
        if self.kind == "threading":
            return f"{words} {math.degrees(self.SIG):g}\u00b0"
        return f"{words} {self.insert or 'drawn'} RE {self.RE:g}"

    @property
    def nose(self) -> tuple[float, float]:
        """The nose's centre from the tip, (X, Z) mm."""
        ox, oz = TIP_FROM_CENTRE[self.orientation]
        return (-self.RE * ox, -self.RE * oz)

    @property
    def edge_ways(self) -> tuple[tuple[float, float], tuple[float, float]]:
        """Unit vectors (X, Z) along the main and the other edge of an insert, away from the corner."""
        sx = -1.0 if self.orientation in (1, 2, 6) else 1.0
        sz = -1.0 if self.orientation in (2, 3, 7, 8, 9) else 1.0
        k, b = self.KAPR, math.pi - self.KAPR - math.radians(INSERT_ANGLES[self.insert])
        return (sx * math.sin(k), sz * math.cos(k)), (sx * math.sin(b), -sz * math.cos(b))

    def cutting(self) -> Floats:
        """The outline of the part that may cut, from the tip: places ``(n, 2)`` of X and Z, mm, closed by itself."""
        if self.outline:
            return np.array(self.outline, dtype=np.float64)
        if self.on_axis:
            return _drill(self)
        if self.kind in BLADES:
            return _blade(self)
        if self.kind == "threading":
            return _thread(self)
        return _insert(self)

    def body(self) -> Floats | None:
        """The outline of the holder, from the tip; None where it has none."""
        h = self.holder
        if h is None:
            return None
        ox, oz = TIP_FROM_CENTRE[self.orientation]
        if self.on_axis:
            assert isinstance(h, Bar)
            return _box(-h.diameter / 2.0, h.diameter / 2.0, self.stickout, self.stickout + h.length)
        if isinstance(h, Bar):
            away = -1.0 if ox > 0.0 else 1.0
            near = self.from_tip[0] * away if ox else -h.diameter / 2.0
            far = near + away * h.diameter if ox else h.diameter / 2.0
            front = self.from_tip[1]
            return _box(near, far, front, front + h.length)
        if self.kind in BLADES:
            z0, z1 = _blade_sides(self)
            middle = (z0 + z1) / 2.0
            sx = -1.0 if ox > 0.0 else 1.0
            if oz and not ox:
                sz = -oz
                return _box(-h.width / 2.0, h.width / 2.0, sz * self.depth, sz * (self.depth + h.length))
            return _box(sx * self.depth, sx * (self.depth + h.length), middle - h.width / 2.0, middle + h.width / 2.0)
        sx = -ox if ox else 1.0
        x0 = sx * self.from_tip[0]
        if oz:
            z0 = -oz * self.from_tip[1]
            z1 = z0 - oz * h.width
        else:
            z0, z1 = -h.width / 2.0, h.width / 2.0
        return _box(x0, x0 + sx * h.length, z0, z1)

    def extent(self) -> tuple[float, float]:
        """Lowest and highest Z of the whole tool from its tip, mm."""
        parts = [self.cutting()]
        body = self.body()
        if body is not None:
            parts.append(body)
        z = np.concatenate(parts)[:, 1]
        return (float(z.min()), float(z.max()))

    def whole_depth(self) -> float:
        """The deepest cut that the edge can take, mm; 0 where it is not said."""
        if self.on_axis:
            return self.APMX
        if self.kind in BLADES:
            return self.depth
        return self.L if self.insert != "R" else 2.0 * self.RE


def _box(x0: float, x1: float, z0: float, z1: float) -> Floats:
    a, b, c, d = min(x0, x1), max(x0, x1), min(z0, z1), max(z0, z1)
    return np.array([(a, c), (b, c), (b, d), (a, d)])


def _insert(tool: LatheTool) -> Floats:
    """The nose arc, both edges, and the far corners; W has its blunt corners between."""
    cx, cz = tool.nose
    if tool.insert == "R":
        return _arc(cx, cz, tool.RE, 0.0, math.tau)[:-1]
    d1, d2 = np.array(tool.edge_ways[0]), np.array(tool.edge_ways[1])
    angle = math.radians(INSERT_ANGLES[tool.insert])
    corner = np.array([cx, cz]) - (d1 + d2) / np.linalg.norm(d1 + d2) * tool.RE / math.sin(angle / 2.0)
    far = _far_corners(tool, corner, d1, d2)
    if tool.RE <= 0.0:
        return np.vstack([corner[None, :], far])
    reach = tool.RE / math.tan(angle / 2.0)
    one, two = corner + d1 * reach, corner + d2 * reach
    a0 = math.atan2(two[1] - cz, two[0] - cx)
    a1 = math.atan2(one[1] - cz, one[0] - cx)
    turn = math.remainder(a1 - a0, math.tau)
    return np.vstack([_arc(cx, cz, tool.RE, a0, a0 + turn), far])


def _far_corners(tool: LatheTool, corner: Floats, d1: Floats, d2: Floats) -> Floats:
    """From the end of the main edge round to the end of the other one."""
    length = max(tool.L, tool.RE * 2.0)
    if tool.insert == "T":
        return np.vstack([corner + d1 * length, corner + d2 * length])
    if tool.insert == "W":
        side = math.copysign(1.0, d1[0] * d2[1] - d1[1] * d2[0])
        at, out, turn = corner + d1 * length, [corner + d1 * length], 20.0
        way = math.atan2(d1[1], d1[0])
        for _ in range(4):
            way += side * math.radians(turn)
            at = at + length * np.array([math.cos(way), math.sin(way)])
            out.append(at)
            turn = 100.0 if turn == 20.0 else 20.0
        return np.vstack(out)
    return np.vstack([corner + d1 * length, corner + d1 * length + d2 * length, corner + d2 * length])


def _blade_sides(tool: LatheTool) -> tuple[float, float]:
    """Along Z (along X for a face groove), from the tip."""
    _ox, oz = TIP_FROM_CENTRE[tool.orientation]
    if oz < 0.0:
        return (0.0, tool.width)
    return (-tool.width, 0.0) if oz > 0.0 else (-tool.width / 2.0, tool.width / 2.0)


def _blade(tool: LatheTool) -> Floats:
    """A blade with both corners rounded; it points along X, or along Z for orientations 5 and 7."""
    ox, oz = TIP_FROM_CENTRE[tool.orientation]
    r = min(tool.RE, tool.width / 2.0)
    face = bool(oz and not ox)
    a, b = (-tool.width / 2.0, tool.width / 2.0) if face else _blade_sides(tool)
    # Drawn pointing to -X, then turned to where it points.
    parts: list[Floats] = []
    if r > 0.0:
        parts += [_arc(r, a + r, r, -math.pi / 2.0, -math.pi)[:, :], _arc(r, b - r, r, math.pi, math.pi / 2.0)]
    else:
        parts.append(np.array([(0.0, a), (0.0, b)]))
    parts.append(np.array([(tool.depth, b), (tool.depth, a)]))
    out: Floats = np.vstack(parts)
    if face:
        out = out[:, ::-1] * np.array([1.0, -oz])
    elif ox > 0.0:
        out = out * np.array([-1.0, 1.0])
    return out


def _thread(tool: LatheTool) -> Floats:
    """A V of SIG about X, its nose rounded, as high as its edge is long; straight behind that."""
    ox, oz = TIP_FROM_CENTRE[tool.orientation]
    half = tool.SIG / 2.0
    r = tool.RE
    sx = -1.0 if ox > 0.0 else 1.0
    high = max(tool.L, 2.0 * r)
    corner = r / math.sin(half) - r if r else 0.0
    middle = -r * oz if ox else 0.0
    if r > 0.0:
        arc = _arc(r, 0.0, r, math.pi + (math.pi / 2.0 - half), math.pi - (math.pi / 2.0 - half))
    else:
        arc = np.array([(0.0, 0.0)])
    wide = (high + corner) * math.tan(half)
    top = max(high, tool.from_tip[0])
    out: Floats = np.vstack([arc, [(high, wide), (top, wide), (top, -wide), (high, -wide)]])
    out = out * np.array([sx, 1.0]) + np.array([0.0, middle])
    return out


def _drill(tool: LatheTool) -> Floats:
    """A tool on the axis that points to -Z, both halves of it."""
    r = tool.DC / 2.0
    top = max(tool.stickout, tool.APMX)
    if tool.kind == "ball-end":
        nose = _arc(0.0, r, r, -math.pi, 0.0)
        return np.vstack([nose, [(r, max(top, r)), (-r, max(top, r))]])
    if tool.kind in ("drill", "spot-drill", "centre-drill") and math.pi - 1e-9 > tool.SIG:
        high = r / math.tan(tool.SIG / 2.0)
        return np.array([(0.0, 0.0), (r, high), (r, max(top, high)), (-r, max(top, high)), (-r, high)])
    c = min(tool.RE, r)
    if c > 0.0:
        right = _arc(r - c, c, c, -math.pi / 2.0, 0.0)
        left = right[::-1] * np.array([-1.0, 1.0])
        return np.vstack([right, [(r, top), (-r, top)], left])
    return np.array([(-r, 0.0), (r, 0.0), (r, top), (-r, top)])


@dataclass(frozen=True, slots=True, kw_only=True)
class Chuck:
    """What holds. Z from the true zero, mm. ``jaws`` (length, height), None where only the body counts. ``inside``: jaws spread in a bore.

    ``may_cut``: soft jaws may be fed into so deep, mm.
    """

    kind: Literal["jaws", "collet", "inside", "none"]
    face: float = 0.0
    diameter: float = 0.0
    jaws: tuple[float, float] | None = None
    grip_limit: float | None = None
    may_cut: float = 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Tailstock:
    """``z`` of the centre's point, its included angle (rad) and diameter; the quill behind it: diameter and how far behind the point."""

    z: float
    SIG: float = math.radians(60.0)
    diameter: float = 20.0
    body: float = 60.0
    length: float = 60.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Lathe:
    """The trade's own part of the bench. ``stock``: closed outlines of the half section (the first ring of each is the shell), X as a
    radius, Z from the true zero; ``turret``: (axis, swing) of the turret, radii mm, and the spindle nose's Z from the true zero."""

    tools: Mapping[int, LatheTool] = field(default_factory=dict)
    stock: tuple[tuple[tuple[float, float], ...], ...] = ()
    chuck: Chuck = Chuck(kind="none")
    tailstock: Tailstock | None = None
    zero_z: float = 0.0
    zero_x: float = 0.0
    nose_z: float = -500.0
    turret: tuple[float, float] = (120.0, 180.0)
    stations: int = 8
    pulls: Mapping[int, float] = field(default_factory=dict)
    by_hand: Mapping[int, tuple[LatheTool, float]] = field(default_factory=dict)
    loads: Mapping[int, Mapping[int, int]] = field(default_factory=dict)

    @property
    def tool_names(self) -> Mapping[int, str]:
        return {n: t.name for n, t in self.tools.items()}

    @property
    def tools_there(self) -> Mapping[int, LatheTool]:
        return self.tools
