"""Pockets, rectangular and round: from the middle outwards ring by ring, then the wall.

The rings run so that the tool climbs (anticlockwise inside a pocket, with the spindle turning clockwise), or the other
way where that is wanted. Ways in: straight down, along a ramp, or on a helix.
"""

from __future__ import annotations

import math

from underglass.core.compose.contour import grown
from underglass.core.compose.operation import Operation, ShopEntries, need
from underglass.core.compose.writer import Writer, levels, writer
from underglass.core.reckon.form import Answer, CannotBe, Field, Row, Stroke
from underglass.core.trades.milling.operations.bosses import rectangle
from underglass.core.trades.milling.operations.clearing import Clearing
from underglass.core.trades.milling.operations.common import COMMON, DEEP, DOWN, TOP, TURN, close, length_rows, opening
from underglass.core.trades.milling.operations.held import HOLD, held_at, most_row, plan_for

_HOW = (
    Field(key="over", word="Stepover, % of D", kind="number", start="50", usual=(10, 70)),
    Field(key="way", word="Entry", kind="choice", start="helix", choices=(("helix", "on a helix"), ("ramp", "along a ramp"), ("plunge", "straight down"))),
    Field(key="angle", word="Ramp angle", kind="angle", start="3", shown=lambda v: v.get("way", "helix") != "plunge", usual=(1, 10)),
    Field(key="wall", word="Wall allowance", start="0.2", start_inch="0.008", usual=(0, 0.5),
          tip="Taken off by a last round at full depth; 0: no last round"),
    Field(key="floor", word="Floor allowance", start="0", usual=(0, 0.3), tip="Taken off by a pass of its own; 0: no such pass"),
    Field(key="finish", word="Finish pass", kind="choice", start="plain", choices=(("plain", "by the tool's centre"), ("comp", "with G41 and D")),
          tip="With G41 the wall's size can be corrected in the radius register"),
    Field(key="turn", word="Cutting", kind="choice", start="climb", choices=(("climb", "climb"), ("against", "conventional"))),
    HOLD,
)  # fmt: skip


def _checked(e: ShopEntries) -> tuple[float, float, float, tuple[float, ...]]:
    """(tool radius, step, allowance on the wall, levels)."""
    d, share = e.positive("d", "The tool's diameter"), e.number("over")
    need(10.0 <= share <= 70.0, "the step across goes from 10 to 70 per cent, or corners stay standing", "over")
    deep, wall, floor = e.positive("deep", "The depth"), e.number("wall"), e.number("floor")
    need(wall >= 0.0, "this cannot be less than zero", "wall")
    need(0.0 <= floor < deep, "what is left on the floor goes from zero up to the depth", "floor")
    top = e.number("top")
    rough = levels(top, top - deep + floor, e.positive("down", "The depth of a pass"))
    if e.word("way") != "plunge":
        need(0.5 <= e.number("angle") <= 30.0, "the way in goes from 0.5 to 30 degrees", "angle")
    return d / 2.0, d * share / 100.0, wall, (*rough, top - deep) if floor > 0.0 else rough


def _insets(r: float, half: float, wall: float, step: float) -> list[float]:
    """How far in the rings run, from the middle to the wall; the innermost leaves nothing standing inside it."""
    outer = r + wall
    room = half - outer
    count = max(0, math.ceil(room / step - 1e-9))
    return [outer + room * k / count for k in range(count, -1, -1)] if count else [outer]


class _Ring:
    """A rectangle with round corners about a middle, half lengths ``a`` and ``b``, corner radius ``c``."""

    def __init__(self, cx: float, cy: float, a: float, b: float, c: float) -> None:
        self.cx, self.cy, self.a, self.b, self.c = cx, cy, max(a, 0.0), max(b, 0.0), max(min(c, a, b), 0.0)

    def start(self) -> tuple[float, float]:
        """The middle of the lower side."""
        return self.cx, self.cy - self.b

    def cut(self, w: Writer, f: float, clockwise: bool) -> None:
        """Once round from the middle of the lower side."""
        cx, cy, a, b, c = self.cx, self.cy, self.a, self.b, self.c
        s = -1.0 if clockwise else 1.0
        # Side by side: to the corner, round it. Corners in the order in which they come.
        for (sx, sy), (nx, ny) in (((s, -1), (0, 1)), ((s, 1), (-s, 0)), ((-s, 1), (0, -1)), ((-s, -1), (s, 0))):
            px, py = cx + sx * a, cy + sy * b
            before = (px - sx * c, py) if nx == 0 else (px, py - sy * c)
            after = (px, py + ny * c) if nx == 0 else (px + nx * c, py)
            w.feed(*before, f=f)
            if c > 1e-9:
                centre = (px - sx * c, py - sy * c)
                w.arc(clockwise, *after, *centre, f=f)
        w.feed(*self.start(), f=f)


def _helix(w: Writer, cx: float, cy: float, r: float, start: float, to: float, angle: float, f: float) -> None:
    """Down on a helix about a middle, whole turns of an even drop, and once round on the floor; ``angle`` in rad."""
    fall = math.tau * r * math.tan(angle)
    count = max(1, math.ceil((start - to) / fall - 1e-9))
    for k in range(1, count + 1):
        w.arc(False, cx + r, cy, cx, cy, f=f, z=start - (start - to) * k / count)
    w.arc(False, cx + r, cy, cx, cy, f=f)


def _down(w: Writer, e: ShopEntries, room: tuple[float, float], r: float, top: float, to: float, first: bool) -> None:
    """From ``top`` to ``to`` about the middle; ``room`` is how far the tool's centre may leave it in X and in Y.

    The ``first`` time the tool comes from above; later it stands on the floor of the pass before and stays there.
    """
    cx, cy = e.number("cx"), e.number("cy")
    f, way = e.positive("fdown", "The feed downwards"), e.word("way")

    def begin(x: float, y: float) -> None:
        if first:
            w.rapid(x, y)
            w.rapid(z=top + e.number("near"))
            if way != "plunge":
                w.feed(z=top, f=f)
        else:
            w.feed(x, y, f=e.number("f"))

    if way == "plunge":
        begin(cx, cy)
        w.feed(z=to, f=f)
    elif way == "helix":
        radius = min(0.8 * r, *room)
        need(radius > 0.15 * r, "there is no room for a helix: choose a ramp, a smaller tool, or straight down", "way")
        begin(cx + radius, cy)
        _helix(w, cx, cy, radius, top, to, math.radians(e.number("angle")), f)
    else:
        reach = min(max(room), 4.0 * r)
        need(reach > 0.5 * r, "there is no room for a ramp: choose a smaller tool, or straight down", "way")
        fall = 2.0 * reach * math.tan(math.radians(e.number("angle")))
        count = max(1, math.ceil((top - to) / fall - 1e-9))
        ends = [(cx - reach, cy), (cx + reach, cy)] if room[0] >= room[1] else [(cx, cy - reach), (cx, cy + reach)]
        begin(*ends[0])
        for k in range(1, count + 1):
            w.feed(*ends[k % 2], z=top - (top - to) * k / count, f=f)
        w.feed(*ends[(count + 1) % 2], f=f)


def _last_round(w: Writer, e: ShopEntries, middle: tuple[float, float], wall: _Ring, r: float, clockwise: bool) -> None:
    """Once round the wall at full depth, on and off by quarter arcs.

    ``wall`` is the pocket's own outline. By the tool's centre it runs in by r; with G41 (G42 the other way round) the
    outline itself is written, and the arcs are wider than the tool.
    """
    f = e.positive("f", "The feed")
    comp = e.word("finish") == "comp"
    cx, cy = middle
    # A corner as round as the tool is written sharp: the tool rounds it by itself, and an arc rounded down by half a
    # micrometre would be tighter than the tool.
    slack = 0.005
    outline = _Ring(wall.cx, wall.cy, wall.a, wall.b, 0.0) if wall.c < r + slack else wall
    ring = outline if comp else _Ring(wall.cx, wall.cy, wall.a - r, wall.b - r, wall.c - r)
    x, y = ring.start()
    s = -1.0 if clockwise else 1.0
    if comp:
        lead = 1.5 * r
        need(
            lead <= 0.9 * min(wall.a, wall.b),
            "there is no room to come onto the wall with G41: choose the tool's centre, or a smaller tool",
            "finish",
        )
    else:
        lead = min(r, 0.9 * min(ring.a, ring.b))
    w.feed(cx, cy, f=f)
    if lead > 0.05 * r:
        w.feed(x - s * lead, y + lead, f=f, before=f"{'G42' if clockwise else 'G41'} D{e.count('t')}" if comp else "")
        w.arc(clockwise, x, y, x, y + lead, f=f)
        ring.cut(w, f, clockwise)
        w.arc(clockwise, x + s * lead, y + lead, x, y + lead, f=f)
        w.feed(cx, cy, f=f, before="G40" if comp else "")
    else:
        w.feed(x, y, f=f)
        ring.cut(w, f, clockwise)
        w.feed(cx, cy, f=f)


def _pocket(e: ShopEntries, middle: tuple[float, float], outline: _Ring, round_: bool) -> Answer:
    r, step, wall, heights = _checked(e)
    cx, cy = middle
    need(min(outline.a, outline.b) > r + wall, "the tool is wider than the pocket", "d")
    if not round_ and outline.c < r - 1e-9:
        raise CannotBe(f"the tool's radius {e.show(r)} is more than the corner's {e.show(outline.c)}", "corner")
    clockwise = e.word("turn") == "against"
    f = e.positive("f", "The feed")
    insets = _insets(r, min(outline.a, outline.b), wall, step)
    rings = [_Ring(cx, cy, outline.a - i, outline.b - i, outline.c - i) for i in insets]
    w = writer(e)
    opening(w, e)
    top = e.number("top")
    room = (rings[-1].a, rings[-1].b)
    start = top
    hold = held_at(e, step / (2.0 * r))
    if hold is not None:
        region = rectangle(cx, cy, outline.a, outline.b, outline.c).polygon()
        plan = plan_for(grown(region, -(r + wall)).wkb, 2.0 * r, step / (2.0 * r), hold, clockwise, wall <= 0.0)
        clearing = Clearing(w, e, grown(region, -(r + wall)), [], r)
        for level in heights:
            clearing.planned(plan.steps, start, level)
            start = level
        if wall > 0.0:
            w.rapid(cx, cy)
            w.rapid(z=heights[-1] + e.number("near"))
            w.feed(z=heights[-1], f=e.positive("fdown", "The feed downwards"))
    for k, level in enumerate(heights if hold is None else ()):
        _down(w, e, room, r, start, level, k == 0)
        for ring in rings:
            w.feed(*ring.start(), f=f)
            if ring.a > 1e-9 or ring.b > 1e-9:
                ring.cut(w, f, clockwise)
        start = level
    if wall > 0.0:
        _last_round(w, e, middle, outline, r, clockwise)
    w.rapid(z=e.number("safe"))
    close(w, e)
    strokes = _outlined(outline)
    rows = (
        *(
            (Row("Rounds", f"{len(rings)} across, {len(heights)} deep"),)
            if hold is None
            else (Row("Cuts", f"{plan.cuts()} across, {len(heights)} deep"), most_row(plan))
        ),
        Row("First step down", e.show(top - heights[0])),
        *length_rows(w, e),
    )
    return Answer(rows=rows, steps=(), blocks=w.text(), strokes=(*strokes, *w.strokes))


def _outlined(ring: _Ring) -> tuple[Stroke, ...]:
    sketch = Writer("mm")
    sketch.rapid(*ring.start())
    ring.cut(sketch, 1.0, False)
    return tuple(s._replace(style="part") for s in sketch.strokes)


def _rectangular(e: ShopEntries) -> Answer:
    a, b = e.positive("long", "The length") / 2.0, e.positive("wide", "The width") / 2.0
    corner = e.number("corner")
    need(0.0 <= corner <= min(a, b) + 1e-9, "the corners are rounder than the pocket is wide", "corner")
    middle = (e.number("cx"), e.number("cy"))
    return _pocket(e, middle, _Ring(*middle, a, b, corner), False)


def _round(e: ShopEntries) -> Answer:
    half = e.positive("dia", "The pocket's diameter") / 2.0
    middle = (e.number("cx"), e.number("cy"))
    return _pocket(e, middle, _Ring(*middle, half, half, half), True)


_MIDDLE = (
    Field(key="cx", word="Middle X", start="50", start_inch="2", usual=(20, 100)),
    Field(key="cy", word="Middle Y", start="30", start_inch="1.25", usual=(20, 80)),
)

RECTANGULAR = Operation(
    name="Pocket, rectangular",
    fields=(
        *_MIDDLE,
        Field(key="long", word="Length in X", start="60", start_inch="2.5", usual=(30, 150)),
        Field(key="wide", word="Width in Y", start="40", start_inch="1.5", usual=(26, 120)),
        Field(key="corner", word="Corner radius", start="6", start_inch="0.3", usual=(6, 12)),
        TOP, DEEP, DOWN, *COMMON, *_HOW, *TURN,
    ),
    work=_rectangular,
    about="From the middle outwards in rounds, then once round the wall.",
)  # fmt: skip

ROUND = Operation(
    name="Pocket, round",
    fields=(
        *_MIDDLE,
        Field(key="dia", word="Diameter", start="40", start_inch="1.5", usual=(22, 120)),
        TOP,
        DEEP,
        DOWN,
        *COMMON,
        *_HOW,
        *TURN,
    ),
    work=_round,
    about="From the middle outwards in circles, then once round the wall.",
)
