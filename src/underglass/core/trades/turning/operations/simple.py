"""Facing, drilling, boring to a fit, knurling's stop, parting off."""

from __future__ import annotations

import math

from underglass.core.compose.operation import Operation, ShopEntries, need
from underglass.core.compose.shop import AWAY
from underglass.core.compose.writer import levels
from underglass.core.reckon.fits import wanted_size
from underglass.core.reckon.form import Answer, Field, Row, Stroke
from underglass.core.trades.turning.operations.common import (
    CLEAR,
    COOL,
    FEED,
    SPEED,
    TURNS,
    T,
    close,
    lathe_writer,
    length_rows,
    opening,
)


def _box(z0: float, r0: float, z1: float, r1: float) -> tuple[Stroke, ...]:
    return tuple(
        Stroke("line", s, "part") for s in ((z0, r0, z1, r0), (z1, r0, z1, r1), (z1, r1, z0, r1), (z0, r1, z0, r0))
    )


def _face(e: ShopEntries) -> Answer:
    stock, to = e.positive("stock", "The stock's diameter") / 2.0, e.number("to") / 2.0
    top, z, re = e.number("face"), e.number("z"), e.number("re")
    need(top > z - 1e-9, "the finished face lies in front of the stock", "z")
    need(to < stock, "the cut ends outside the stock", "to")
    clear, f = e.positive("clear", "The clearance"), e.positive("f", "The feed")
    w = lathe_writer(e)
    opening(w, e)
    heights = levels(top, z, e.positive("down", "The depth of a pass")) if top > z else (z,)
    # To the axis and past it by the nose's radius, so that no pip stays.
    end = to - re if to <= 0.0 else to
    w.rapid(top + clear, stock + clear)
    for level in heights:
        w.rapid(level, stock + clear)
        w.feed(y=end, f=f)
        w.feed(level + min(0.5, clear / 2.0), f=f * 2.0)
        w.rapid(y=stock + clear)
    close(w, e)
    rows = (
        Row("Passes", str(len(heights))),
        Row("Ends at X", e.show(2.0 * end), "past the axis by the nose's radius" if to <= 0 else ""),
    )
    return Answer(
        rows=(*rows, *length_rows(w, e)), steps=(), blocks=w.text(), strokes=(*_box(top, 0.0, z, stock), *w.strokes)
    )


FACE = Operation(
    name="Face the end",
    fields=(
        Field(key="stock", word="Stock's diameter", start="40", start_inch="1.6", usual=(20, 50)), Field(key="face", word="Stock's face Z", start="1", start_inch="0.04", usual=(0.5, 3)),
        Field(key="z", word="Finished face Z", start="0", usual=(-1, 0.4)), Field(key="to", word="Down to diameter", start="0", usual=(0, 15)),
        Field(key="down", word="Max depth per pass", start="1", start_inch="0.04", usual=(0.4, 2)), Field(key="re", word="Nose radius", start="0.4", start_inch="0.0157", usual=(0.2, 0.8)),
        T, *SPEED, FEED, CLEAR, COOL,
    ),
    work=_face,
    about="The front face taken down to its place.",
    kinds=("turning",),
)  # fmt: skip


def _drill(e: ShopEntries) -> Answer:
    d, top, deep = e.positive("d", "The drill's diameter"), e.number("face"), e.positive("deep", "The depth")
    peck, f, clear = e.number("peck"), e.positive("f", "The feed"), e.positive("clear", "The clearance")
    need(peck >= 0.0, "a peck cannot be less than zero", "peck")
    point = d / 2.0 / math.tan(math.radians(59.0)) if e.word("counts") == "shoulder" else 0.0
    bottom = top - deep - point
    w = lathe_writer(e)
    opening(w, e)
    w.rapid(y=0.0)
    w.rapid(top + clear)
    heights = levels(top, bottom, peck) if peck > 0.0 else (bottom,)
    need(len(heights) <= 500, "the pecks are too small for a hole that deep", "peck")
    for k, level in enumerate(heights):
        if k:
            w.rapid(heights[k - 1] + min(0.5, clear))
        w.feed(level, f=f)
        w.rapid(top + clear)
    close(w, e)
    rows = (Row("Point at Z", e.show(bottom)), Row("Pecks", str(len(heights))))
    return Answer(
        rows=(*rows, *length_rows(w, e)),
        steps=(),
        blocks=w.text(),
        strokes=(*_box(top, 0.0, bottom, d / 2.0), *w.strokes),
    )


DRILL = Operation(
    name="Drill on the axis",
    fields=(
        Field(key="d", word="Drill, diameter", start="12", start_inch="0.5", usual=(4, 20)), Field(key="face", word="Face Z", start="0", usual=(-1, 1)),
        Field(key="deep", word="Depth", start="30", start_inch="1.2", usual=(5, 50)),
        Field(key="counts", word="Depth counts", kind="choice", start="shoulder", choices=(("shoulder", "to the full diameter"), ("point", "to the point"))),
        Field(key="peck", word="Pecks of", start="10", start_inch="0.4", usual=(0, 15), tip="0: in one go"),
        T, TURNS, FEED, CLEAR, COOL,
    ),
    work=_drill,
    about="A hole on the axis, in pecks or in one go.",
    kinds=("drill",),
)  # fmt: skip


def _bore(e: ShopEntries) -> Answer:
    fit = wanted_size(e.word("fit"), e.unit)
    aim, there = (fit.low + fit.high) / 4.0, e.positive("there", "The drilled hole") / 2.0
    top, deep, left = (
        e.number("face"),
        e.positive("deep", "The depth"),
        e.positive("left", "What is left for the last cut"),
    )
    need(there < aim - 1e-6, "the hole that is there is already as large", "there")
    f, ff, clear = (
        e.positive("f", "The feed"),
        e.positive("ff", "The feed of the last cut"),
        e.positive("clear", "The clearance"),
    )
    chamfer = e.number("chamfer")
    need(chamfer >= 0.0, "this cannot be less than zero", "chamfer")
    z = top - deep
    re = e.number("re")
    w = lathe_writer(e)
    opening(w, e)
    inside = max(there - min(clear, 0.3 * there), 0.1)
    rough = aim - left
    count = (
        max(1, math.ceil((rough - there) / e.positive("down", "The depth of a pass") - 1e-9)) if rough > there else 0
    )
    w.rapid(y=inside)
    w.rapid(top + clear)
    for k in range(1, count + 1):
        w.rapid(y=there + (rough - there) * k / count)
        w.feed(z, f=f)
        w.feed(y=inside, f=f * 2.0)
        w.rapid(top + clear)
    # The last cut. On 45 degrees a round nose cuts short by re (2 - sqrt 2): the tip is led so much deeper.
    short = re * (2.0 - math.sqrt(2.0))
    if chamfer > 0.0:
        w.rapid(y=aim + chamfer + clear + short)
        w.feed(top - chamfer - short, aim, f=ff)
    else:
        w.rapid(y=aim)
    w.feed(z, f=ff)
    w.feed(y=inside, f=f)
    w.rapid(top + clear)
    close(w, e)
    rows = (
        Row("Bored to", f"{e.show(2.0 * aim)}", f"the middle of {e.show(fit.low)} to {e.show(fit.high)}"),
        Row("Passes", f"{count}, and the last one of {e.show(left)}"),
    )
    return Answer(
        rows=(*rows, *length_rows(w, e)), steps=(), blocks=w.text(), strokes=(*_box(top, 0.0, z, aim), *w.strokes)
    )


BORE = Operation(
    name="Bore to a fit",
    fields=(
        Field(key="fit", word="Size and fit", kind="text", start="13 H7", start_inch="13 H7", tip="13 H7, 13 \u00b10.02"),
        Field(key="there", word="Drilled before", start="11", start_inch="0.43", usual=(9, 12)), Field(key="face", word="Face Z", start="0", usual=(-1, 1)),
        Field(key="deep", word="Depth", start="25", start_inch="1", usual=(10, 35)), Field(key="chamfer", word="Chamfer", start="1", start_inch="0.04", usual=(0, 1.5)),
        Field(key="down", word="Max depth per pass", start="0.8", start_inch="0.03", usual=(0.3, 1)), Field(key="left", word="Finish allowance", start="0.2", start_inch="0.008", usual=(0.1, 0.3)),
        Field(key="re", word="Nose radius", start="0.2", start_inch="0.008", usual=(0.1, 0.4)),
        T, *SPEED, FEED, Field(key="ff", word="Finish feed", kind="tooth", start="0.06", start_inch="0.0025", usual=(0.03, 0.1)), CLEAR, COOL,
    ),
    work=_bore,
    about="A bore brought to the middle of its fit.",
    kinds=("boring",),
)  # fmt: skip


def _knurl(e: ShopEntries) -> Answer:
    w = lathe_writer(e)
    away = AWAY[e.unit]
    w.block(f"G0 {away}")
    w.block("M5")
    w.block("M9")
    w.say(
        f"KNURL BY HAND, Z{e.code(e.number('z0'))} TO Z{e.code(e.number('z1'))}, D{e.code(e.positive('d', 'The diameter'))}"
    )
    w.block("M0")
    return Answer(
        rows=(Row("Knurled", f"Z {e.show(e.number('z0'))} to {e.show(e.number('z1'))}"),),
        steps=(),
        blocks=w.text(),
        strokes=_box(e.number("z0"), 0.0, e.number("z1"), e.number("d") / 2.0),
    )


KNURL = Operation(
    name="Stop for knurling",
    fields=(
        Field(key="z0", word="From Z", start="-5", start_inch="-0.2", usual=(-10, 0)), Field(key="z1", word="To Z", start="-20", start_inch="-0.8", usual=(-40, -12)),
        Field(key="d", word="Diameter", start="30", start_inch="1.2", usual=(10, 40)),
    ),
    work=_knurl,
    about="The turret away, the spindle stopped, and a stop that says where to knurl.",
    kinds=(),
)  # fmt: skip


def _part(e: ShopEntries) -> Answer:
    stock, width, z = (
        e.positive("stock", "The stock's diameter") / 2.0,
        e.positive("width", "The blade's width"),
        e.number("z"),
    )
    to, chamfer, clear, f = (
        e.number("to") / 2.0,
        e.number("chamfer"),
        e.positive("clear", "The clearance"),
        e.positive("f", "The feed"),
    )
    need(0.0 <= chamfer < stock - max(to, 0.0), "the chamfer is larger than the stock", "chamfer")
    need(to < stock, "the cut ends outside the stock", "to")
    w = lathe_writer(e)
    opening(w, e)
    # The blade's left corner is its gauge point: its right side stands at the part's back face.
    left = z - width
    w.rapid(left, stock + clear)
    if chamfer > 0.0:
        # First a groove as deep as the chamfer, a little to the chuck's side; then its right corner down the slope.
        w.feed(y=stock - chamfer - 0.2, f=f)
        w.feed(y=stock + clear, f=f * 3.0)
        # A round corner cuts short by re (2 - sqrt 2) on 45 degrees.
        short = e.number("re") * (2.0 - math.sqrt(2.0))
        w.rapid(left + chamfer, stock + clear)
        w.feed(y=stock - short, f=f)
        w.feed(left, stock - chamfer - short, f=f)
    end = to if to > 0.0 else -min(0.5, e.number("re") + 0.1)
    w.feed(y=end, f=f)
    w.rapid(y=stock + clear)
    close(w, e)
    rows = (
        Row("Ends at X", e.show(2.0 * end)),
        Row("Blade's gauge corner at Z", e.show(left), "its other side is the part's back face"),
    )
    return Answer(
        rows=(*rows, *length_rows(w, e)), steps=(), blocks=w.text(), strokes=(*_box(0.0, 0.0, z, stock), *w.strokes)
    )


PART = Operation(
    name="Part off",
    fields=(
        Field(key="stock", word="Diameter there", start="40", start_inch="1.6", usual=(10, 45)), Field(key="z", word="Part's back face Z", start="-30", start_inch="-1.2", usual=(-40, -15)),
        Field(key="width", word="Blade's width", start="3", start_inch="0.12", usual=(2, 4)), Field(key="re", word="Blade's corner radius", start="0.1", start_inch="0.004", usual=(0, 0.2)),
        Field(key="to", word="Down to diameter", start="0", usual=(0, 0), tip="0: to the axis; of a tube its bore"), Field(key="chamfer", word="Back chamfer", start="0.5", start_inch="0.02", usual=(0, 1.5)),
        T, *SPEED, Field(key="f", word="Feed a turn", kind="tooth", start="0.08", start_inch="0.003", usual=(0.03, 0.12)), CLEAR, COOL,
    ),
    work=_part,
    about="The part cut off the bar, its back edge chamfered first.",
    kinds=("parting",),
)  # fmt: skip
