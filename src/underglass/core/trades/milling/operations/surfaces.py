"""Curved surfaces: a profile carried along a line or turned about an axis, in level steps and then along or across."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from underglass.core.compose.contour_rows import one_contour
from underglass.core.compose.fitting import few
from underglass.core.compose.operation import Operation, ShopEntries, need
from underglass.core.compose.run_text import run_of
from underglass.core.compose.surface_shapes import (
    Form,
    Profile,
    along_profile,
    arc_profile,
    cone,
    edge_step,
    left_by,
    left_by_rows,
    rise_of,
    scallop_step,
    spaced,
    turned_arc,
)
from underglass.core.compose.writer import Writer, levels, writer
from underglass.core.reckon.form import Answer, Field, Row, Stroke
from underglass.core.trades.milling.operations.common import (
    COMMON,
    TURN,
    close,
    feed_rows,
    length_rows,
    levels_first,
    opening,
    rows_by,
)

_V = TypeVar("_V", float, NDArray[np.float64])
_CHORD = 0.002
"""How far chords lie from the tool's way, mm; they are lifted by it, so that none runs too deep."""
_THINNED = 0.05
"""How far apart places are at which it is worked out what stands, mm."""
_TOLD_REST = 0.005
"""From so much on it is said what the tool cannot reach, mm: below it is how it is worked out."""
_CARRIED = ("cylinder", "trough", "carried")


def profile_of(e: ShopEntries) -> Profile:
    """The surface asked for. Raises ``CannotBe``."""
    kind, high = e.word("shape"), e.number("high")
    if kind in ("cylinder", "trough", "dome", "bowl"):
        radius, wide = e.positive("radius", "The radius"), e.positive("wide", "The width")
        need(wide <= 2.0 * radius + 1e-9, "the surface is wider than its circle", "wide")
        need(wide <= 1.96 * radius, "the sides would stand upright: an outline cuts those", "wide")
        hollow = kind in ("trough", "bowl")
        return arc_profile(radius, wide, high, hollow) if kind in _CARRIED else turned_arc(radius, wide, high, hollow)
    if kind == "cone":
        small, large, tall = (
            e.number("small"),
            e.positive("wide", "The foot's diameter"),
            e.positive("tall", "The height"),
        )
        need(0.0 <= small < large, "the top is narrower than the foot", "small")
        return cone(small, large, high, tall)
    contour = one_contour(e.word("profile"), e.unit, "profile", closed=False)
    places = contour.places(0.0005)
    need(
        bool(np.all(np.diff(places[:, 0]) > -1e-9)),
        "the profile must run from left to right, without overhangs",
        "profile",
    )
    need(abs(places[0, 0]) < 1e-6, "the profile begins at 0", "profile")
    u = spaced(float(places[-1, 0]))
    z = np.interp(u, places[:, 0], places[:, 1]) + high
    land = None
    if e.word("beside") == "land":
        land = float(max(z[0], z[-1]))
    return Profile(u=u, z=z, land=land, turned=kind == "turned")


def form_of(e: ShopEntries) -> Form:
    """The tool's lower end. Raises ``CannotBe``."""
    r = e.positive("d", "The tool's diameter") / 2.0
    kind = e.word("tool")
    corner = r if kind == "ball" else 0.0 if kind == "flat" else e.number("re")
    need(0.0 <= corner <= r + 1e-9, "the corner radius is no more than half the diameter", "re")
    return Form(r, corner)


class _Surface:
    """The ways over one surface, in its own place: along ``v`` (or round the axis), across ``u``."""

    def __init__(self, w: Writer, e: ShopEntries, profile: Profile, form: Form) -> None:
        self.w, self.e, self.profile, self.form = w, e, profile, form
        self.u, self.tips = profile.lowest(form)
        self.f, self.fdown = e.positive("f", "The feed"), e.positive("fdown", "The feed downwards")
        self.safe = e.number("safe")
        self.stock = e.number("top")
        self.clear = self.stock + e.number("near")
        self.x, self.y = e.number("x"), e.number("y")
        self.along_x = e.values.get("along") != "y"
        self.long = 0.0 if profile.turned else e.positive("long", "The length")
        if e.word("by") == "ridge":
            high = e.number("ridge")
            need(high > 0.0, "ridges have some height", "ridge")
            if form.corner > 0.0:
                self.step, self.fall = scallop_step(form.corner, high), math.inf
            else:
                steep = float(np.abs(np.gradient(profile.z, profile.u)).max()) if e.word("ways") == "across" else 0.0
                self.step, self.fall = edge_step(form.r, high, steep), high
        else:
            self.step, self.fall = e.positive("step", "The step"), math.inf
        need(
            self.step >= 0.01,
            "the step is less than a hundredth of a millimetre",
            "ridge" if e.word("by") == "ridge" else "step",
        )

    def at(self, u: _V, v: float) -> tuple[_V | float, _V | float]:
        """Where a place of a carried surface is."""
        return (self.x + v, self.y + u) if self.along_x else (self.x + u, self.y + v)

    # -- level steps ---------------------------------------------------------------------------------------------------

    def rough(self, allowance: float, step: float, down: float) -> None:
        low = float(np.min(self.tips[np.isfinite(self.tips)])) + allowance
        if low >= self.stock - 1e-6:
            return
        before = self.stock
        for level in levels(self.stock, low, down):
            free = self.tips + allowance <= level + 1e-9
            if self.profile.turned:
                self._level_round(free, level, before, step)
            else:
                self._level_rows(free, level, step)
            before = level

    def _runs(self, free: NDArray[np.bool_]) -> list[tuple[float, float]]:
        edges = np.flatnonzero(np.diff(np.concatenate([[0], free.astype(np.int8), [0]])))
        return [(float(self.u[a]), float(self.u[b - 1])) for a, b in zip(edges[::2], edges[1::2], strict=True)]

    def _level_rows(self, free: NDArray[np.bool_], level: float, step: float) -> None:
        w, beyond = self.w, self.form.r + 1.0
        for a, b in self._runs(free):
            count = max(1, math.ceil((b - a) / step))
            rows = [a + (b - a) * k / count for k in range(count + 1)] if b - a > 1e-6 else [a]
            # Beside a surface that stands up the outermost row is taken first: from the air inwards.
            rows = rows if a < self.profile.wide - b or self.profile.land is not None else rows[::-1]
            if self.profile.land is None and b >= self.profile.wide + self.form.r - 0.02 and a > -self.form.r + 0.02:
                rows = sorted(rows, reverse=True)
            for k, u in enumerate(rows):
                ends = (-beyond, self.long + beyond)
                here, there = ends if k % 2 == 0 else ends[::-1]
                if k == 0:
                    w.rapid(*self.at(u, here))
                    w.rapid(z=self.clear)
                    w.feed(z=level, f=self.f)
                else:
                    w.feed(*self.at(u, here), f=self.f)
                w.feed(*self.at(u, there), f=self.f)
            w.rapid(z=self.clear)

    def _level_round(self, free: NDArray[np.bool_], level: float, before: float, step: float) -> None:
        w = self.w
        for a, b in self._runs(free):
            if self.profile.land is None:
                # From outside inwards: the first round lies beside the stock.
                outer = max(self.e.number("outer") / 2.0 + self.form.r + 1.0, b)
                count = max(1, math.ceil((outer - a) / step))
                radii = [outer - (outer - a) * k / count for k in range(count + 1)]
                w.rapid(self.x + radii[0], self.y)
                w.rapid(z=self.clear)
                w.feed(z=level, f=self.f)
            else:
                count = max(1, math.ceil((b - a) / step))
                radii = [a + (b - a) * k / count for k in range(count + 1)]
                helix = min(0.8 * self.form.r, b)
                if helix < 0.15 * self.form.r:
                    continue
                w.rapid(self.x + helix, self.y)
                w.rapid(z=self.clear if before >= self.stock else before + 0.5)
                w.feed(z=before, f=self.fdown)
                turns = max(1, math.ceil((before - level) / (math.tau * helix * math.tan(math.radians(3.0)))))
                for k in range(1, turns + 1):
                    w.arc(
                        False,
                        self.x + helix,
                        self.y,
                        self.x,
                        self.y,
                        f=self.fdown,
                        z=before - (before - level) * k / turns,
                    )
            for rho in radii:
                if rho < 0.01:
                    continue
                w.feed(self.x + rho, self.y, f=self.f)
                # Climbing: clockwise about what stays standing, anticlockwise in a hollow.
                w.arc(self.profile.land is None, self.x + rho, self.y, self.x, self.y, f=self.f)
            w.rapid(z=self.clear)

    # -- finishing ----------------------------------------------------------------------------------------------------------

    def _contact(self) -> tuple[int, int]:
        """The first and the last place at which the tool still touches the surface, not only its edge."""
        good = np.isfinite(self.tips)
        if self.profile.land is None:
            inner = (self.u >= 0.0) & (self.u <= self.profile.wide)
            # Beyond the edge the tool rolls about it: a little of that finishes the edge itself.
            edge = self.form.corner * 0.05 + 0.05
            slope = abs(float(np.gradient(self.profile.z, self.profile.u)[-1]))
            slope0 = abs(float(np.gradient(self.profile.z, self.profile.u)[0]))
            r_out = self.form.r - self.form.corner + self.form.corner * slope / math.hypot(1.0, slope) + edge
            r_in = self.form.r - self.form.corner + self.form.corner * slope0 / math.hypot(1.0, slope0) + edge
            r_out, r_in = min(r_out, self.form.r - 0.02), min(r_in, self.form.r - 0.02)
            inner |= (self.u > self.profile.wide) & (self.u <= self.profile.wide + r_out)
            inner |= (self.u < 0.0) & (self.u >= -r_in)
            good &= inner
        where = np.flatnonzero(good)
        return int(where[0]), int(where[-1])

    def finish_along(self) -> int:
        """Rows along the line (or rounds about the axis), each at one height."""
        w = self.w
        a, b = self._contact()
        u, z = self.u[a : b + 1], self.tips[a : b + 1]
        rows = along_profile(u, z, self.step, self.fall)
        if self.profile.turned:
            for k, i in enumerate(reversed(rows)):
                rho, level = float(u[i]), float(z[i])
                if k == 0:
                    w.rapid(self.x + rho, self.y)
                    w.rapid(z=max(self.clear, level + 0.5))
                w.feed(self.x + rho, self.y, level, f=self.f if k else self.fdown)
                if rho > 0.02:
                    w.arc(self.profile.land is None, self.x + rho, self.y, self.x, self.y, f=self.f)
        else:
            beyond = self.form.r + 1.0
            for k, i in enumerate(rows):
                ends = (-beyond, self.long + beyond) if k % 2 == 0 else (self.long + beyond, -beyond)
                if k == 0:
                    w.rapid(*self.at(float(u[i]), ends[0]))
                    w.rapid(z=max(self.clear, float(z[i])))
                w.feed(*self.at(float(u[i]), ends[0]), float(z[i]), f=self.f if k else self.fdown)
                w.feed(*self.at(float(u[i]), ends[1]), f=self.f)
        w.rapid(z=self.clear)
        return len(rows)

    def finish_across(self) -> int:
        """Rows that follow the profile (of a turned one: from the axis outwards and back)."""
        w = self.w
        a, b = self._contact()
        u, z = self.u[a : b + 1], self.tips[a : b + 1]
        marks = few(u, z, _CHORD)
        across, level = u[marks], z[marks] + _CHORD
        if self.profile.turned:
            # Spokes: as far apart at the rim as the step.
            count = min(max(3, math.ceil(math.tau * float(u[-1]) / self.step)), 20_000)
            turns = [math.tau * k / count for k in range(count)]
            inwards, level = across[::-1], level[::-1]
            runs = (run_of(self.x + inwards * math.cos(t), self.y + inwards * math.sin(t), level) for t in turns)
        else:
            steps = max(1, math.ceil(self.long / self.step))
            runs = (run_of(*self.at(across, self.long * k / steps), level) for k in range(steps + 1))
        count = feed_rows(w, runs, clear=self.clear, fdown=self.fdown, f=self.f)
        w.rapid(z=self.clear)
        return count

    def left_standing(self, ways: str) -> tuple[float, float]:
        """How high ridges stand between rows over what the tool could reach, and how high that stands over what is wanted, mm."""
        a, b = self._contact()
        rows = along_profile(self.u[a : b + 1], self.tips[a : b + 1], self.step, self.fall)
        at, tips_at = self.u[a : b + 1][rows], self.tips[a : b + 1][rows]
        u = np.linspace(self.u[a], self.u[b], max(2, math.ceil(float(self.u[b] - self.u[a]) / _THINNED)) + 1)
        tips = np.interp(u, self.u, self.tips)
        apart = float(u[1] - u[0])
        if self.profile.turned:
            # The other side of the axis cuts as well.
            u, tips = np.concatenate([-u[:0:-1], u]), np.concatenate([tips[:0:-1], tips])
            at, tips_at = np.concatenate([-at, at]), np.concatenate([tips_at, tips_at])
        reached = left_by(tips, apart, self.form)
        if ways == "along":
            if self.form.corner <= 0.0:
                # Highest just beyond a row's edge.
                beyond = self.form.r + 1e-6
                places = np.concatenate([at - beyond, at + beyond])
                places = places[(places > u[0]) & (places < u[-1])]
                reached, u = np.interp(places, u, reached), places
            left = left_by_rows(at, tips_at, self.form, u)
        else:
            # Spokes are as far apart as the step at the rim only.
            half = self.step / 2.0 * (np.abs(u) / float(u[-1]) if self.profile.turned else 1.0)
            left = left_by(tips, apart, self.form, half) + _CHORD
        on = (np.abs(u) if self.profile.turned else u) <= self.profile.wide
        on &= (u >= 0.0) & np.isfinite(reached)
        wanted = self.profile.height(u[on])
        return float(np.max(left[on] - reached[on])), float(np.max(reached[on] - wanted))


def _cut(e: ShopEntries, ways: str) -> tuple[Writer, _Surface, int]:
    profile, form = profile_of(e), form_of(e)
    w = writer(e)
    opening(w, e)
    surface = _Surface(w, e, profile, form)
    need(float(np.max(profile.z)) <= surface.stock + 1e-6, "the surface stands out of the stock's top", "high")
    if e.word("rough") == "yes":
        over = e.number("over")
        need(10.0 <= over <= 80.0, "the step across goes from 10 to 80 per cent", "over")
        need(e.number("left") >= 0.0, "this cannot be less than zero", "left")
        surface.rough(e.number("left"), 2.0 * form.r * over / 100.0, e.positive("down", "The depth of a pass"))
    count = surface.finish_along() if ways == "along" else surface.finish_across()
    w.rapid(z=surface.safe)
    close(w, e)
    return w, surface, count


def _surface(e: ShopEntries) -> Answer:
    ways = e.word("ways")
    w, surface, count = _cut(e, ways)
    rows = []
    if e.word("shape") in ("cylinder", "trough", "dome", "bowl"):
        rows.append(
            Row(
                "Rise", e.show(rise_of(e.number("radius"), e.number("wide"))), "R - \u221a(R\u00b2 - (width / 2)\u00b2)"
            )
        )
    rows.append(Row("Rows" if not surface.profile.turned else "Rounds or spokes", str(count)))
    ridge, rest = surface.left_standing(ways)
    rows.append(Row("Ridges between rows", e.show(ridge), "the highest, straight up"))
    if rest > _TOLD_REST:
        rows.append(Row("Out of the tool's reach", e.show(rest), "stays where a hollow is too tight for it"))
    return Answer(
        rows=(*rows, *length_rows(w, e)),
        steps=(),
        blocks=w.text(),
        strokes=tuple(w.strokes) or (Stroke("dot", (0.0, 0.0)),),
        makes=f"ridges {e.show(ridge)}",
    )


def _shape(*kinds: str) -> Callable[[Mapping[str, str]], bool]:
    return lambda v: v.get("shape") in kinds


SURFACE = Operation(
    name="Surface",
    fields=(
        Field(key="shape", word="Shape", kind="choice", start="cylinder", choices=(("cylinder", "section of a cylinder"), ("trough", "trough"), ("dome", "dome"), ("bowl", "bowl"),
              ("cone", "cone"), ("carried", "a profile along a line"), ("turned", "a profile about an axis"))),
        Field(key="x", word="Corner or middle X", start="50", start_inch="2", usual=(40, 60)),
        Field(key="y", word="Y", start="40", start_inch="1.6", usual=(40, 60)),
        Field(key="high", word="Highest place Z", start="0", usual=(-1, 0)), Field(key="top", word="Stock's top Z", start="0.5", start_inch="0.02", usual=(0, 1.5)),
        Field(key="radius", word="Radius", start="40", start_inch="1.6", shown=_shape("cylinder", "trough", "dome", "bowl"), usual=(25, 60)),
        Field(key="wide", word="Width or diameter", start="40", start_inch="1.6", shown=_shape("cylinder", "trough", "dome", "bowl", "cone"), usual=(20, 44)),
        Field(key="small", word="Diameter of the top", start="10", start_inch="0.4", shown=_shape("cone"), usual=(0, 18)),
        Field(key="tall", word="Height", start="8", start_inch="0.3", shown=_shape("cone"), usual=(3, 12)),
        Field(key="profile", word="Profile, rows of distance and height", kind="contour", start="0 -6\n10 -1 R6\n30 -1 R6\n40 -6", start_inch="0 -0.25\n0.4 -0.05\n1.2 -0.05\n1.6 -0.25",
              shown=_shape("carried", "turned")),
        Field(key="beside", word="Beside it", kind="choice", start="free", choices=(("free", "nothing stays"), ("land", "metal stays, level with the edge")), shown=_shape("carried", "turned")),
        Field(key="long", word="Length", start="60", start_inch="2.4", shown=_shape(*_CARRIED), usual=(20, 80)),
        Field(key="along", word="Runs along", kind="choice", start="x", choices=(("x", "X"), ("y", "Y")), shown=_shape(*_CARRIED)),
        Field(key="outer", word="Stock out to diameter", start="50", start_inch="2", shown=_shape("dome", "cone", "turned"), usual=(46, 60)),
        Field(key="tool", word="Tool", kind="choice", start="ball", choices=(("ball", "ball"), ("bull", "bull nose"), ("flat", "flat"))),
        Field(key="re", word="Corner radius", start="1", start_inch="0.04", shown=lambda v: v.get("tool") == "bull", usual=(0.5, 2)),
        *COMMON,
        *levels_first(down=(1, 4), over=(15, 70), left=(0, 0.5), step="45"),
        Field(key="ways", word="Finished", kind="choice", start="along", choices=(("along", "along, or round about"), ("across", "across"))),
        *rows_by(step=(0.3, 1.5), ridge=(0.005, 0.05)),
        *TURN,
    ),
    work=_surface,
    about="A profile of lines and arcs carried along a line or turned about an axis; domes, bowls, cones, troughs.",
    kinds=("ball-end", "bull-nose", "end-mill"),
    ways=("ways",),
)  # fmt: skip
