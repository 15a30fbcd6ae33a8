"""Grooves with a blade as wide or narrower, one or a row, with chamfered edges; undercuts of DIN 509."""

from __future__ import annotations

import math
from typing import NamedTuple

from underglass.core.compose.contour import Contour, Seg
from underglass.core.compose.operation import Operation, ShopEntries, need
from underglass.core.reckon.form import Answer, CannotBe, Field, Row, Stroke
from underglass.core.trades.turning.operations.common import (
    CLEAR,
    COOL,
    SPEED,
    LatheWriter,
    T,
    close,
    lathe_writer,
    length_rows,
    opening,
)
from underglass.core.trades.turning.operations.profiles import tip_path


def _one(w: LatheWriter, e: ShopEntries, z: float) -> None:
    """A groove whose right side is at ``z``; the blade's left corner is its gauge point."""
    outer, floor = e.number("outer") / 2.0, e.number("floor") / 2.0
    wide, blade, chamfer = e.number("wide"), e.number("width"), e.number("chamfer")
    f, clear = e.positive("f", "The feed"), e.positive("clear", "The clearance")
    right, left = z - blade, z - wide
    over = outer + clear
    # On 45 degrees a round corner cuts short by re (2 - sqrt 2): it is led so much deeper.
    short = e.number("re") * (2.0 - math.sqrt(2.0))
    left_over = 0.1 if wide > blade + 0.3 else 0.0
    # Plunges from right to left, each overlapping the one before; a little is left on the walls for the last way.
    room = wide - blade - 2.0 * left_over
    step = 0.8 * blade
    count = max(0, math.ceil(room / step - 1e-9)) if room > 1e-6 else 0
    places = (
        [right - left_over - room * k / count for k in range(count + 1)]
        if count
        else [right - left_over if left_over else right]
    )
    w.rapid(places[0], over)
    for k, at in enumerate(places):
        if k:
            w.rapid(at)
        w.feed(y=floor + (0.1 if left_over else 0.0), f=f)
        if not left_over:
            w.block("G4 P0.3")
        w.feed(y=over, f=f * 4.0)
    if left_over or chamfer > 0.0:
        # Right wall with its chamfer and the floor, then the left wall down to it.
        w.rapid(right + chamfer + (clear if chamfer else 0.0), over)
        if chamfer > 0.0:
            w.feed(right + chamfer, outer - short, f=f * 2.0)
            w.feed(right, outer - chamfer - short, f=f)
        w.feed(right, floor if left_over else outer - chamfer - short, f=f)
        if left_over:
            w.feed(left + left_over, f=f)
        w.feed(y=over, f=f * 4.0)
        w.rapid(left - chamfer - (clear if chamfer else 0.0), over)
        if chamfer > 0.0:
            w.feed(left - chamfer, outer - short, f=f * 2.0)
            w.feed(left, outer - chamfer - short, f=f)
        if left_over:
            w.feed(left, floor, f=f)
            w.feed(left + left_over * 1.5, floor, f=f)
        w.feed(y=over, f=f * 4.0)


def _groove(e: ShopEntries) -> Answer:
    outer, floor, wide, blade = (
        e.positive("outer", "The diameter"),
        e.positive("floor", "The floor"),
        e.positive("wide", "The width"),
        e.positive("width", "The blade's width"),
    )
    need(floor < outer, "the floor is no smaller than the diameter", "floor")
    need(blade <= wide + 1e-9, "the blade is wider than the groove", "width")
    need(
        e.number("chamfer") >= 0.0 and e.number("chamfer") < (outer - floor) / 2.0,
        "the chamfers are deeper than the groove",
        "chamfer",
    )
    n, pitch = e.count("n"), e.number("pitch")
    need(n == 1 or pitch > wide + 2.0 * e.number("chamfer"), "the grooves run into one another", "pitch")
    w = lathe_writer(e)
    opening(w, e)
    for k in range(n):
        _one(w, e, e.number("z") - k * pitch)
    close(w, e)
    strokes = tuple(
        Stroke("line", s, "part")
        for k in range(n)
        for z in (e.number("z") - k * pitch,)
        for s in (
            (z, outer / 2, z, floor / 2),
            (z, floor / 2, z - wide, floor / 2),
            (z - wide, floor / 2, z - wide, outer / 2),
        )
    )
    rows = (Row("Grooves", str(n)), Row("Depth", e.show((outer - floor) / 2.0)))
    return Answer(rows=(*rows, *length_rows(w, e)), steps=(), blocks=w.text(), strokes=(*strokes, *w.strokes))


GROOVE = Operation(
    name="Groove",
    fields=(
        Field(key="outer", word="Diameter there", start="40", start_inch="1.6", usual=(38, 45)), Field(key="floor", word="Floor, diameter", start="32", start_inch="1.25", usual=(28, 34)),
        Field(key="z", word="Right-hand wall Z", start="-10", start_inch="-0.4", usual=(-12, -5)), Field(key="wide", word="Width", start="5", start_inch="0.2", usual=(4, 7)),
        Field(key="n", word="How many", kind="count", start="1", usual=(1, 3)), Field(key="pitch", word="Apart", start="10", start_inch="0.4", usual=(10, 13)),
        Field(key="chamfer", word="Chamfers", start="0.5", start_inch="0.02", usual=(0, 1)), Field(key="width", word="Blade's width", start="3", start_inch="0.12", usual=(2, 4)),
        Field(key="re", word="Blade's corner radius", start="0.1", start_inch="0.004", usual=(0, 0.2)), T, *SPEED, Field(key="f", word="Feed a turn", kind="tooth", start="0.08", start_inch="0.003", usual=(0.03, 0.12)), CLEAR, COOL,
    ),
    work=_groove,
    about="One groove or a row, with a blade that may be narrower, edges chamfered.",
    kinds=("grooving",),
)  # fmt: skip


class Undercut(NamedTuple):
    """DIN 509 (from memory), mm: radius, depth in the shaft, its length, depth in the face (form F)."""

    r: float
    t1: float
    f: float
    t2: float


UNDERCUTS = {
    "0.4x0.2": Undercut(0.4, 0.2, 2.0, 0.1), "0.6x0.3": Undercut(0.6, 0.3, 2.5, 0.2), "0.8x0.3": Undercut(0.8, 0.3, 2.5, 0.2),
    "1.2x0.4": Undercut(1.2, 0.4, 4.0, 0.3),
}  # fmt: skip
_SLOPE = math.tan(math.radians(15.0))


def _undercut(e: ShopEntries) -> Answer:
    cut = UNDERCUTS.get(e.word("size"))
    if cut is None:
        raise CannotBe(f"one of {', '.join(UNDERCUTS)}", "size")
    d, z, re = e.positive("d", "The shaft") / 2.0, e.number("z"), e.number("re")
    need(0.0 <= re <= cut.r + 1e-9, f"the nose is rounder than the undercut's {e.show(cut.r)}", "re")
    need(d > 2.0 * cut.t1 + 0.5, "the shaft is too thin for it", "d")
    clear, f = e.positive("clear", "The clearance"), e.positive("f", "The feed")
    shoulder = e.positive("shoulder", "The shoulder") / 2.0
    need(shoulder > d + cut.r, "the shoulder is not higher than the undercut's radius", "shoulder")
    # Places of the contour, from the shaft to the shoulder's face: 15 degrees down, along, the radius, up (form F: into the face).
    z0 = z + cut.f
    z1 = z0 - cut.t1 / _SLOPE
    deep = cut.t2 if e.word("form") == "f" else 0.0
    floor = d - cut.t1
    face = z - deep
    segs = [Seg(z0 + clear, d, z0, d), Seg(z0, d, z1, floor), Seg(z1, floor, face + cut.r, floor),
            Seg(face + cut.r, floor, face, floor + cut.r, -1, face + cut.r, floor + cut.r)]  # fmt: skip
    if deep:
        up = min(floor + cut.r + deep / math.tan(math.radians(8.0)), shoulder)
        segs += [Seg(face, floor + cut.r, z, up)]
    segs.append(Seg(segs[-1].x1, segs[-1].y1, segs[-1].x1, shoulder))
    contour = Contour(tuple(s for s in segs if s.length > 1e-9), False)
    path = tip_path(contour, re, 0.0, True)
    w = lathe_writer(e)
    opening(w, e)
    w.rapid(path.start[0], shoulder + clear)
    w.rapid(y=path.start[1] + clear)
    w.feed(y=path.start[1], f=f * 2.0)
    for seg in path.segs:
        w.seg(seg, f=f)
    w.rapid(path.end[0] + clear, shoulder + clear)
    close(w, e)
    rows = (
        Row("Radius, depth, length", f"{e.show(cut.r)}, {e.show(cut.t1)}, {e.show(cut.f)}", "DIN 509, from memory"),
    )
    return Answer(rows=(*rows, *length_rows(w, e)), steps=(), blocks=w.text(), strokes=(*contour.strokes(), *w.strokes))


UNDERCUT = Operation(
    name="Undercut",
    fields=(
        Field(key="form", word="Form", kind="choice", start="e", choices=(("e", "E, in the shaft"), ("f", "F, in shaft and face"))),
        Field(key="size", word="Size", kind="choice", start="0.6x0.3", choices=tuple((k, k.replace("x", " \u00d7 ")) for k in UNDERCUTS)),
        Field(key="d", word="Shaft, diameter", start="24", start_inch="0.95", usual=(18, 30)), Field(key="z", word="Shoulder's face Z", start="-15", start_inch="-0.6", usual=(-25, -10)),
        Field(key="shoulder", word="Shoulder, diameter", start="34", start_inch="1.35", usual=(34, 40)), Field(key="re", word="Nose radius", start="0.4", start_inch="0.0157", usual=(0.1, 0.4)),
        T, *SPEED, Field(key="f", word="Feed a turn", kind="tooth", start="0.06", start_inch="0.0025", usual=(0.03, 0.1)), CLEAR, COOL,
    ),
    work=_undercut,
    about="A relief of DIN 509 in the corner of shaft and shoulder.",
    kinds=("turning",),
)  # fmt: skip
