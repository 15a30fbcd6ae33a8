"""Threads outside and inside: by size, with core and depth worked out, in passes that take even area.

Depth after pass k of n: h sqrt(k / n), so that every pass takes the same area (common practice, no source).
"""

from __future__ import annotations

import math

from underglass.core.compose.operation import Operation, ShopEntries, need
from underglass.core.reckon.form import Answer, Field, Row, Stroke, plain
from underglass.core.reckon.threads import basic, read_thread
from underglass.core.trades.turning.operations.common import (
    CLEAR,
    COOL,
    TURNS,
    T,
    close,
    lathe_writer,
    length_rows,
    opening,
)

_RUN_IN = 3.0
"""Turns ahead of the thread in which the carriage comes up to speed (common practice, no source)."""


def _thread(e: ShopEntries) -> Answer:
    d, pitch, name = read_thread(e.word("thread"))
    _d2, d1, d3 = basic(d, pitch)
    outside = e.word("where") == "outside"
    crest, root = (d / 2.0, d3 / 2.0) if outside else (d1 / 2.0, d / 2.0)
    z0, z1 = e.number("z0"), e.number("z1")
    need(z1 < z0, "the thread runs towards the chuck: its end is the smaller Z", "z1")
    n, spring, clear = (
        e.count("n"),
        e.count("spring") if e.number("spring") else 0,
        e.positive("clear", "The clearance"),
    )
    need(n <= 60, "more than sixty passes", "n")
    sign = 1.0 if outside else -1.0
    depth = abs(crest - root)
    start = z0 + max(_RUN_IN * pitch, clear)
    off = crest + sign * max(clear, pitch) if outside else max(crest - max(0.5 * pitch, 0.5), 0.2)
    w = lathe_writer(e)
    opening(w, e)
    w.rapid(start, off)
    flank = math.tan(math.radians(29.5)) if e.word("infeed") == "flank" else 0.0
    figures: list[float] = []
    pull = e.word("ends") == "pull"
    need(not pull or z0 - z1 > depth + clear, "the thread is too short to be pulled out", "z1")
    for k in range(1, n + spring + 1):
        into = depth * math.sqrt(min(k, n) / n)
        figures.append(into)
        w.rapid(start - into * flank)
        w.rapid(y=crest - sign * into)
        if pull:
            # Out of the metal along a slope of 45 degrees, still tied to the spindle.
            w.threaded(z1 + into + clear, pitch)
            w.threaded(z1, pitch, off)
        else:
            w.threaded(z1, pitch)
            w.rapid(y=off)
        w.rapid(start)
    close(w, e)
    first, last = figures[0], figures[n - 1] - (figures[n - 2] if n > 1 else 0.0)
    rows = (
        Row("Thread", name), Row("Core" if outside else "Minor diameter", e.show(2.0 * (root if outside else crest))),
        Row("Depth", e.show(depth), "17/24 H" if outside else "5/8 H"),
        Row("First and last pass", f"{e.show(first)}, {e.show(last)}"),
        Row("Room behind it", e.show(pitch), "at least: a groove, or the end of the bore"),
        Row("Feed", f"{plain(pitch * w.rpm, 0)} mm/min"),
    )  # fmt: skip
    need(pitch * w.rpm <= 6000.0, "that many turns with this pitch is more feed than lathes have: fewer turns", "s")
    strokes = (Stroke("line", (z0, crest, z1, crest), "part"), Stroke("line", (z0, root, z1, root), "help"))
    return Answer(rows=(*rows, *length_rows(w, e)), steps=(), blocks=w.text(), strokes=(*strokes, *w.strokes))


THREAD = Operation(
    name="Thread",
    fields=(
        Field(key="where", word="Where", kind="choice", start="outside", choices=(("outside", "outside"), ("inside", "in a bore"))),
        Field(key="thread", word="Thread", kind="text", start="M24x1.5", start_inch="1-12 UNF", tip="M24x1.5, M30, 3/4-16"),
        Field(key="z0", word="From Z", start="0", usual=(-1, 0)), Field(key="z1", word="To Z", start="-15", start_inch="-0.6", usual=(-25, -8)),
        Field(key="n", word="Passes", kind="count", start="8", usual=(6, 16)), Field(key="spring", word="Passes at full depth again", kind="whole", start="1", usual=(0, 2)),
        Field(key="infeed", word="Infeed", kind="choice", start="flank", choices=(("flank", "along the flank"), ("straight", "straight"))),
        Field(key="ends", word="Runs out", kind="choice", start="groove", choices=(("groove", "into a groove, or out of the bore"), ("pull", "drawn out along a slope"))),
        T, TURNS, CLEAR, COOL,
    ),
    work=_thread,
    about="A thread by its size: core, depth and passes are worked out.",
    kinds=("threading",),
)  # fmt: skip
