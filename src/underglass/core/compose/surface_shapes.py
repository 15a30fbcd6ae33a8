"""Surfaces that a profile makes, carried along a line or turned about an upright axis, and how low a tool may come over them.

Glossary
    profile   height over the distance from where it begins (or from the axis), mm
    land      what lies beside the profile: level with its edge, or nothing that must be left
    tip       the lowest place of the tool's axis; over a surface it stands as low as nothing is cut that must stay

A round tool touches such a surface in the plane of its profile (the surface's normal lies in it), so that the lowest tip over
a profile is a sum of two plane curves: max over u' of z(u') - f(|u' - u|), f being the tool's own outline.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
_FINE = 0.01
"""Distance of the places that a profile is taken at, mm; the heights between them are off by less than a micrometre."""
_ROWS_AT_ONCE = 256
_RIM_PLACES = 33
"""At so many places across a flat tool it is asked how low it has stood, its rim among them."""


@dataclass(frozen=True, slots=True)
class Form:
    """A tool's lower end: its radius and the radius of its corner (the same for a ball, nought for a flat one), mm."""

    r: float
    corner: float

    def outline(self, rho: Floats) -> Floats:
        """How high above the tip it is at a distance from the axis; infinite beyond its radius."""
        over = np.maximum(rho - (self.r - self.corner), 0.0)
        inside = self.corner**2 - np.minimum(over, self.corner) ** 2
        return np.where(rho <= self.r + 1e-12, self.corner - np.sqrt(np.maximum(inside, 0.0)), np.inf)

    def beside_slope(self, alpha: float) -> float:
        """How far the axis stands off a wall that leans by ``alpha`` rad, where the wall is as high as the tip, mm.

        The round corner touches a plane at its own radius from the corner's middle: (r - c) + c / cos - c tan.
        """
        return self.r - self.corner + self.corner / math.cos(alpha) - self.corner * math.tan(alpha)


@dataclass(frozen=True, slots=True, kw_only=True)
class Profile:
    """``z`` over evenly spaced ``u``, mm. ``land`` beside it: a height, or None where nothing must be left."""

    u: Floats
    z: Floats
    land: float | None
    turned: bool
    """Turned about the axis at u = 0, not carried along a line."""

    @property
    def wide(self) -> float:
        return float(self.u[-1])

    def lowest(self, form: Form) -> tuple[Floats, Floats]:
        """(places of the axis, lowest tips) over the profile and as far beside it as the tool still meets its edge."""
        step = float(self.u[1] - self.u[0])
        reach = math.ceil(form.r / step)
        n = len(self.u)
        beside = np.full(reach, -np.inf if self.land is None else self.land)
        if self.turned:
            z = np.concatenate([beside, self.z[:0:-1], self.z, beside])
            first = -(reach + n - 1)
        else:
            z = np.concatenate([beside, self.z, beside])
            first = -reach
        outline = form.outline(np.arange(reach + 1, dtype=np.float64) * step)
        outline = outline[np.isfinite(outline)]
        # Where the tool rises more from one shift to the next than the profile ever does, no farther place of it can touch.
        rises = np.abs(np.diff(z[np.isfinite(z)]))
        near = np.flatnonzero(np.diff(outline) >= rises.max())
        touching = outline[: int(near[0]) + 1] if len(near) else outline
        tips: Floats = np.full(len(z), -np.inf)
        less = np.empty(len(z))
        # The greatest of the shifted profile less the tool's outline, one shift to either side at a time.
        for shift, up in enumerate(touching.tolist()):
            np.subtract(z, up, out=less)
            n = len(z) - shift
            np.maximum(tips[:n], less[shift:], out=tips[:n])
            np.maximum(tips[shift:], less[:n], out=tips[shift:])
        if self.land is None:
            # Beside an edge with nothing next to it the edge itself is touched, however far the tool has risen there.
            far, last = len(outline) - 1, len(z) - 1 - reach
            left, right = tips[reach - far : reach], tips[last + 1 : last + 1 + far]
            np.maximum(left, z[reach] - outline[:0:-1], out=left)
            np.maximum(right, z[last] - outline[1:], out=right)
        at: Floats = np.asarray((first + np.arange(len(z))) * step, dtype=np.float64)
        keep = (at >= -form.r if not self.turned else at >= 0.0) & (at <= self.wide + form.r)
        if self.land is not None:
            keep &= (at >= -1e-9) & (at <= self.wide + 1e-9)
        return np.asarray(at[keep]), np.asarray(tips[keep])

    def height(self, u: Floats) -> Floats:
        """The wanted height at places; the land beside it."""
        out = np.interp(u, self.u, self.z)
        beside = (u < -1e-9) | (u > self.wide + 1e-9)
        return np.where(beside, -np.inf if self.land is None else self.land, out)


def left_by(tips: Floats, step: float, form: Form, aside: Floats | float = 0.0) -> Floats:
    """The lowest that is left of metal at each of the places, ``step`` mm apart, over which the tip has stood as low as ``tips``.

    ``aside``: how far from the tool's way the place lies across it, one for all or one each.
    """
    out: Floats = np.full(len(tips), np.inf)
    n, across = len(tips), np.asarray(aside, dtype=np.float64)
    if form.corner <= 0.0:
        # A sharp edge cuts at its very rim: that is met just, not from place to place.
        at = np.arange(n, dtype=np.float64)
        rim = np.sqrt(np.maximum(form.r**2 - across**2, 0.0)) / step
        for share in np.linspace(-1.0, 1.0, _RIM_PLACES).tolist():
            np.minimum(out, np.interp(at + share * rim, at, tips), out=out)
        return out
    for shift in range(min(math.floor(form.r / step), n - 1) + 1):
        up = form.outline(np.hypot(shift * step, across))
        ahead, behind = (up, up) if up.ndim == 0 else (up[: n - shift], up[shift:])
        np.minimum(out[: n - shift], tips[shift:] + ahead, out=out[: n - shift])
        np.minimum(out[shift:], tips[: n - shift] + behind, out=out[shift:])
    return out


def left_by_rows(at: Floats, tips: Floats, form: Form, u: Floats) -> Floats:
    """The same at places ``u`` where the tool has stood at a few places only: rows seen along them."""
    out: Floats = np.full(len(u), np.inf)
    for k in range(0, len(at), _ROWS_AT_ONCE):
        rows = slice(k, k + _ROWS_AT_ONCE)
        over = tips[rows, None] + form.outline(np.abs(u[None, :] - at[rows, None]))
        np.minimum(out, over.min(axis=0), out=out)
    return out


def rise_of(radius: float, width: float) -> float:
    """How far an arc of a radius rises over a width, mm: R - sqrt(R2 - (w/2)2). 18 over 8 is 0.4501 (common practice)."""
    return radius - math.sqrt(max(radius * radius - width * width / 4.0, 0.0))


def scallop_step(corner: float, high: float) -> float:
    """The step that leaves ridges of a height between passes of a round corner, mm: 2 sqrt(2 r h - h2) (plane geometry)."""
    h = min(high, corner)
    return 2.0 * math.sqrt(2.0 * corner * h - h * h)


def spaced(width: float) -> Floats:
    """The places at which a profile that wide is taken."""
    return np.linspace(0.0, width, max(2, math.ceil(width / _FINE)) + 1)


def arc_profile(radius: float, width: float, high: float, hollow: bool) -> Profile:
    """A section of a cylinder over a width: its crown at ``high``, or (hollow) its edges level with ``high``."""
    u = spaced(width)
    z = np.sqrt(np.maximum(radius**2 - (u - width / 2.0) ** 2, 0.0)) - radius
    if hollow:
        return Profile(u=u, z=high - rise_of(radius, width) - z, land=high, turned=False)
    return Profile(u=u, z=high + z, land=None, turned=False)


def turned_arc(radius: float, width: float, high: float, hollow: bool) -> Profile:
    """A dome, or (hollow) a bowl whose edge is level with ``high``; ``width`` is its diameter."""
    u = spaced(width / 2.0)
    z = np.sqrt(np.maximum(radius**2 - u**2, 0.0)) - radius
    if hollow:
        return Profile(u=u, z=high - rise_of(radius, width) - z, land=high, turned=True)
    return Profile(u=u, z=high + z, land=None, turned=True)


def cone(top_dia: float, foot_dia: float, high: float, tall: float) -> Profile:
    """A cone cut off at ``top_dia``, its top at ``high``, its foot so far below."""
    u = spaced(foot_dia / 2.0)
    z = np.interp(u, [0.0, top_dia / 2.0, foot_dia / 2.0], [high, high, high - tall])
    return Profile(u=u, z=z, land=None, turned=True)


def edge_step(r: float, high: float, steep: float) -> float:
    """The step between passes up and down a slope that leaves ridges of a height by a sharp edge, straight up, mm.

    Half a step aside the edge stands r - sqrt(r2 - (step / 2)2) back, and as much times the slope higher (plane geometry); level
    places, where it leaves none, are overlapped by half.
    """
    back = min(high / steep, r) if steep > 0.0 else r
    return min(2.0 * math.sqrt(r * r - (r - back) ** 2), r)


def along_profile(tips_u: Floats, tips_z: Floats, step: float, down: float) -> list[int]:
    """Places so far apart along the curve (and no more than ``down`` apart in height), the ends among them."""
    way, fall = np.hypot(np.diff(tips_u), np.diff(tips_z)), np.abs(np.diff(tips_z))
    # Counted by whichever is the more from place to place: where it is level the step counts, however much it has fallen before.
    measure = np.concatenate([[0.0], np.cumsum(np.maximum(way / step, fall / down))])
    count = max(1, math.ceil(float(measure[-1]) - 1e-9))
    return sorted({int(np.searchsorted(measure, measure[-1] * k / count)) for k in range(count)} | {len(tips_u) - 1})
