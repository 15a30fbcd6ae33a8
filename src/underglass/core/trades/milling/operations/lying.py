"""A surface turned about an axis that lies on the table: a handle, a roller, a half pattern, by a ball.

A ball that touches a body of revolution has its middle in the plane through the axis and the place that it touches, a radius off the
profile there. So its middle runs on the body that the profile's own offset makes, and what the offset leaves out where a hollow is
too tight for the ball is left out all round.

Glossary
    v        along the axis from where the profile begins, mm
    u        across it
    round    how far the ball's middle is off the axis, over v
"""

from __future__ import annotations

import math
from collections.abc import Iterable

import numpy as np

from underglass.core.compose.contour_rows import one_contour
from underglass.core.compose.fitting import few
from underglass.core.compose.operation import Operation, ShopEntries, need
from underglass.core.compose.run_text import Floats, Length, run_of
from underglass.core.compose.surface_shapes import (
    Form,
    Profile,
    along_profile,
    left_by,
    left_by_rows,
    scallop_step,
    spaced,
)
from underglass.core.compose.writer import Writer, levels, writer
from underglass.core.reckon.form import Answer, Field, Row, Stroke
from underglass.core.trades.milling.operations.common import (
    COMMON,
    TURN,
    close,
    feed_rows,
    go_down,
    length_rows,
    levels_first,
    opening,
    rows_by,
)

_CHORD = 0.002
"""How far chords lie from the tool's way, mm; they are lifted by it, so that none runs too deep."""
_THINNED = 0.05
"""How far apart places are at which it is worked out what stands, mm."""
_MOST_ROWS = 20_000


class _Lying:
    """The ways over one such surface."""

    def __init__(self, w: Writer, e: ShopEntries) -> None:
        self.w, self.e = w, e
        self.r = e.positive("d", "The tool's diameter") / 2.0
        self.axis, self.low, self.stock = e.number("axis"), e.number("low"), e.number("top")
        self.clear = self.stock + e.number("near")
        self.f, self.fdown = e.positive("f", "The feed"), e.positive("fdown", "The feed downwards")
        self.x, self.y, self.along_x = e.number("x"), e.number("y"), e.values.get("along") != "y"
        contour = one_contour(e.word("profile"), e.unit, "profile", closed=False)
        places = contour.places(0.0005)
        rising = bool(np.all(np.diff(places[:, 0]) > -1e-9)) and abs(float(places[0, 0])) < 1e-6
        need(rising, "the profile must run along the axis from 0 on, without overhangs", "profile")
        need(float(places[:, 1].min()) > 0.0, "a radius of the profile is not more than nothing", "profile")
        v = spaced(float(places[-1, 0]))
        profile = Profile(u=v, z=np.interp(v, places[:, 0], places[:, 1]), land=None, turned=False)
        at, tips = profile.lowest(Form(self.r, self.r))
        # An end that slopes is touched while the ball's middle lies beyond it; a little farther finishes its edge.
        lean = np.gradient(profile.z, profile.u)
        first, last = (
            min(self.r * abs(s) / math.hypot(1.0, s) + 0.05 * self.r + 0.05, self.r - 0.02)
            for s in (float(lean[0]), float(lean[-1]))
        )
        on = (at >= -first) & (at <= profile.wide + last)
        self.v: Floats = at[on]
        self.round: Floats = tips[on] + self.r
        self.long = profile.wide
        self.most = float(profile.z.max())
        need(self.axis + self.most <= self.stock + 1e-6, "the surface stands out of the stock's top", "axis")
        need(self.low < self.axis + self.most, "the depth lies above the whole surface", "low")
        if e.word("by") == "ridge":
            self.step = scallop_step(self.r, e.positive("ridge", "The height of ridges"))
        else:
            self.step = e.positive("step", "The step")
        need(self.step >= 0.01, "the step is less than a hundredth of a millimetre", e.word("by"))

    def at(self, v: Length, u: Length) -> tuple[Length, Length]:
        """Where a place is."""
        return (self.x + v, self.y + u) if self.along_x else (self.x - u, self.y + v)

    def sweep(self) -> float:
        """How far the ball goes down each side, rad from the top: to the side itself, or to where its tip is at the depth."""
        reach = (self.low + self.r - self.axis) / float(self.round.max())
        return math.acos(min(max(reach, 0.0), 1.0))

    # -- level steps -------------------------------------------------------------------------------------------------------------

    def rough(self, allowance: float, share: float, down: float) -> None:
        """Rows along the axis at one level after another, over what is left on the surface."""
        w, beyond = self.w, self.r + 1.0
        outer = self.e.positive("outer", "How far the stock goes aside") + self.r + 1.0
        count = max(1, math.ceil(2.0 * outer / (2.0 * self.r * share)))
        rows = [outer - 2.0 * outer * k / count for k in range(count + 1)]
        over = [self._over(u, allowance) for u in rows]
        bottom = [float(tips.min()) for tips in over]
        before = self.stock
        runs: list[Floats] = []
        for level in levels(self.stock, self.low + allowance, down):
            for u, tips, lowest in zip(rows, over, bottom, strict=True):
                if max(lowest, level) >= before - 1e-6:
                    continue
                z = np.maximum(tips, level)
                marks = few(self.v, z, _CHORD)
                height = np.concatenate([z[marks[:1]], z[marks], z[marks[-1:]]]) + _CHORD
                run = run_of(*self.at(np.concatenate([[-beyond], self.v[marks], [self.long + beyond]]), u), height)
                runs.append(run[::-1] if len(runs) % 2 else run)
            before = level
        for run, rest in zip(runs, w.runs([run[1:] for run in runs]), strict=True):
            x, y, z = run[0].tolist()
            go_down(w, (x, y, z), clear=self.clear, f=self.f)
            w.feed_run(rest, f=self.f)
            w.rapid(z=self.clear)

    def _over(self, u: float, allowance: float) -> Floats:
        """How low the tip may come along the axis so far aside of it; as low as one likes where nothing is left to touch."""
        tips = self.axis + np.sqrt(np.maximum(self.round**2 - u * u, 0.0)) - self.r + allowance
        return np.where(self.round > abs(u), tips, -np.inf)

    # -- finishing -----------------------------------------------------------------------------------------------------------------

    def _row(self, v: Length, off: Length, angle: Length) -> Floats:
        """The tips with the ball's middle ``off`` mm from the axis at an angle from the top."""
        height = np.maximum(self.axis + off * np.cos(angle) - self.r, self.low) + _CHORD
        return run_of(*self.at(v, off * np.sin(angle)), height)

    def finish_along(self) -> int:
        """Rows along the axis, from one side over the top to the other."""
        sweep = self.sweep()
        count = max(1, math.ceil(2.0 * sweep * float(self.round.max()) / self.step))
        need(count <= _MOST_ROWS, "so small a step makes more rows than are held", self.e.word("by"))
        marks = few(self.v, self.round, _CHORD)
        angles = (sweep - 2.0 * sweep * k / count for k in range(count + 1))
        rows = (self._row(self.v[marks], self.round[marks], angle) for angle in angles)
        return self._finish(rows)

    def _finish(self, rows: Iterable[Floats]) -> int:
        count = feed_rows(self.w, rows, clear=self.clear, fdown=self.fdown, f=self.f)
        self.w.rapid(z=self.clear)
        return count

    def finish_across(self) -> int:
        """Arcs over the top from side to side, one beside the other along the axis."""
        return self._finish(map(self._arc, along_profile(self.v, self.round, self.step, math.inf)))

    def ridges(self, ways: str) -> float:
        """The highest that stands between rows over what the ball could reach, off the surface, mm."""
        if ways == "across":
            rows = along_profile(self.v, self.round, self.step, math.inf)
            v = np.linspace(self.v[0], self.v[-1], max(2, math.ceil(float(self.v[-1] - self.v[0]) / _THINNED)) + 1)
            tips, ball = np.interp(v, self.v, self.round), Form(self.r, self.r)
            left = left_by_rows(self.v[rows], self.round[rows], ball, v) - left_by(tips, float(v[1] - v[0]), ball)
            return float(left[(v >= 0.0) & (v <= self.long)].max())
        # Two middles on one circle about the axis, and where their balls cross between them.
        sweep, off = self.sweep(), float(self.round.max())
        half = sweep / max(1, math.ceil(2.0 * sweep * off / self.step))
        cross = math.sqrt(max(self.r**2 - (off * math.sin(half)) ** 2, 0.0))
        return off * math.cos(half) - cross - (off - self.r) + _CHORD

    def _arc(self, i: int) -> Floats:
        sweep, off = self.sweep(), float(self.round[i])
        turn = 2.0 * math.acos(max(1.0 - _CHORD / off, -1.0))
        steps = max(2, math.ceil(2.0 * sweep / turn))
        angles = sweep - 2.0 * sweep * np.arange(steps + 1) / steps
        return self._row(float(self.v[i]), off / math.cos(turn / 2.0), angles)


def _cut(e: ShopEntries, ways: str) -> tuple[Writer, _Lying, int]:
    w = writer(e)
    opening(w, e)
    surface = _Lying(w, e)
    if e.word("rough") == "yes":
        over = e.number("over")
        need(10.0 <= over <= 80.0, "the step across goes from 10 to 80 per cent", "over")
        need(e.number("left") >= 0.0, "this cannot be less than zero", "left")
        surface.rough(e.number("left"), over / 100.0, e.positive("down", "The depth of a pass"))
    count = surface.finish_along() if ways == "along" else surface.finish_across()
    w.rapid(z=e.number("safe"))
    close(w, e)
    return w, surface, count


def _lying(e: ShopEntries) -> Answer:
    ways = e.word("ways")
    w, surface, count = _cut(e, ways)
    ridge = surface.ridges(ways)
    rows = (
        Row("Rows", str(count)),
        Row(
            "Down each side to",
            f"{math.degrees(surface.sweep()):.1f}°",
            "from the top; to where the tip is at the depth",
        ),
        Row("Ridges between rows", e.show(ridge), "the highest, off the surface"),
    )
    return Answer(
        rows=(*rows, *length_rows(w, e)), steps=(), blocks=w.text(), strokes=tuple(w.strokes) or (Stroke("dot", (0.0, 0.0)),),
        makes=f"ridges {e.show(ridge)}",
    )  # fmt: skip


LYING = Operation(
    name="Surface about a lying axis",
    fields=(
        Field(key="profile", word="Profile, rows of distance and radius", kind="contour", start="0 8\n10 12 R6\n30 12 R6\n40 8", start_inch="0 0.3\n0.4 0.45 R0.25\n1.2 0.45 R0.25\n1.6 0.3",
              tip="Along the axis from 0 on; the radius is that of the finished surface"),
        Field(key="x", word="Axis begins at X", start="30", start_inch="1.2", usual=(20, 40)),
        Field(key="y", word="Y", start="30", start_inch="1.2", usual=(25, 35)),
        Field(key="along", word="Runs along", kind="choice", start="x", choices=(("x", "X"), ("y", "Y"))),
        Field(key="axis", word="Axis at Z", start="-13", start_inch="-0.5", usual=(-14, -12.5)),
        Field(key="low", word="Tip no lower than Z", start="-14", start_inch="-0.55", usual=(-15, -10), tip="The ball reaches its radius above it"),
        Field(key="top", word="Stock's top Z", start="0", usual=(0, 1)),
        Field(key="outer", word="Stock goes aside by", start="20", start_inch="0.8", usual=(14, 22), tip="How far from the axis there is metal to be cleared, each side"),
        *COMMON,
        *levels_first(down=(1, 3), over=(25, 60), left=(0.1, 0.5), step="40"),
        Field(key="ways", word="Finished", kind="choice", start="along", choices=(("along", "along the axis"), ("across", "across it"))),
        *rows_by(step=(0.4, 1.2), ridge=(0.01, 0.05)),
        *TURN,
    ),
    work=_lying,
    about="A profile turned about an axis that lies on the table, over its upper side, by a ball.",
    kinds=("ball-end",),
    ways=("ways",),
)  # fmt: skip
