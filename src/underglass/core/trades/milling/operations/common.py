"""What every milling operation asks for and writes: tool, speeds, heights, the blocks ahead of the first cut, the turn."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping

import numpy as np

from underglass.core.compose.operation import ShopEntries, need
from underglass.core.compose.run_text import Floats
from underglass.core.compose.turn_fields import is_turned, turn_fields
from underglass.core.compose.writer import Writer
from underglass.core.reckon.form import Field, Row, plain

T = Field(key="t", word="Tool T", kind="count", start="1", usual=(1, 20))
DC = Field(key="d", word="Tool diameter", start="10", start_inch="0.5", usual=(4, 12))
S = Field(key="s", word="Spindle S", kind="number", start="4000", usual=(500, 8000))
FEEDS = (
    Field(key="f", word="Feed F", kind="feed", start="600", start_inch="24", usual=(100, 1500)),
    Field(key="fdown", word="Plunge feed", kind="feed", start="200", start_inch="8", usual=(50, 400)),
)
HEIGHTS = (
    Field(key="safe", word="Safe Z", start="25", start_inch="1", tip="Height for the ways between", usual=(10, 60)),
    Field(key="near", word="Feed starts above", start="2", start_inch="0.08", usual=(0.5, 5),
          tip="Rapid goes down to this height above the cut"),
)  # fmt: skip
COOL = Field(key="cool", word="Coolant", kind="choice", start="m8", choices=(("m8", "on, M8"), ("off", "off")))

_AT_ONCE = 2000
"""So many places of rows are written in one go."""

COMMON = (T, DC, S, *FEEDS, *HEIGHTS, COOL)
"""The fields that all operations with one mill share."""


TURN = (
    *turn_fields(by=45.0, about=(0.0, 60.0)),
    Field(key="rotby", word="Turned", kind="choice", start="figures", choices=(("figures", "in the figures"), ("word", "by G68")),
          shown=is_turned),
    Field(key="parts", word="Parts", kind="choice", start="one", choices=(("one", "one"), ("list", "at shifts in a list"), ("grid", "in rows"))),
    Field(key="shifts", word="Shifts", kind="points", start="0 0\n120 0", start_inch="0 0\n5 0", shown=lambda v: v.get("parts") == "list"),
    Field(key="pxn", word="Parts along X", kind="count", start="2", shown=lambda v: v.get("parts") == "grid", usual=(1, 2)),
    Field(key="px", word="X apart", start="120", start_inch="5", shown=lambda v: v.get("parts") == "grid", usual=(100, 120)),
    Field(key="pyn", word="Parts along Y", kind="count", start="1", shown=lambda v: v.get("parts") == "grid", usual=(1, 2)),
    Field(key="py", word="Y apart", start="90", start_inch="4", shown=lambda v: v.get("parts") == "grid", usual=(60, 80)),
    Field(key="without", word="Places left out", kind="text", start="", blank=True, shown=lambda v: v.get("parts") == "grid", tip="Counted from 1, row by row: 3 5"),
)  # fmt: skip
"""The whole operation turned about a place, and at several parts."""

TOP = Field(key="top", word="Top Z", start="0", usual=(-2, 2))
DEEP = Field(key="deep", word="Depth", start="8", start_inch="0.3", usual=(2, 15))
DOWN = Field(key="down", word="Max depth per pass", start="2", start_inch="0.08", usual=(0.5, 4))

Usual = tuple[float, float]


def levels_first(*, down: Usual, over: Usual, left: Usual, step: str) -> tuple[Field, ...]:
    """What a surface asks about roughing it in level steps; ``step`` is the stepover it starts with."""

    def asked(v: Mapping[str, str]) -> bool:
        return v.get("rough") == "yes"

    return (
        Field(
            key="rough", word="Level steps first", kind="choice", start="yes", choices=(("yes", "yes"), ("no", "no"))
        ),
        Field(key="down", word="Max depth per pass", start="2", start_inch="0.08", shown=asked, usual=down),
        Field(key="over", word="Stepover, % of D", kind="number", start=step, shown=asked, usual=over),
        Field(key="left", word="Finish allowance", start="0.3", start_inch="0.012", shown=asked, usual=left),
    )


def rows_by(*, step: Usual, ridge: Usual) -> tuple[Field, ...]:
    """What a surface asks about how far apart its rows lie."""
    return (
        Field(
            key="by",
            word="Rows by",
            kind="choice",
            start="step",
            choices=(("step", "a step"), ("ridge", "the height of ridges")),
        ),
        Field(
            key="step", word="Step", start="0.5", start_inch="0.02", shown=lambda v: v.get("by") == "step", usual=step
        ),
        Field(
            key="ridge",
            word="Ridges",
            start="0.01",
            start_inch="0.0004",
            usual=ridge,
            shown=lambda v: v.get("by") == "ridge",
        ),
    )


def opening(w: Writer, e: ShopEntries, *, key: str = "", turn: bool = True) -> None:
    """What must hold before the first move: the tool where it is not in, modes, spindle, the safe height.

    ``key`` is put behind t and s, for operations with several tools.
    """
    speed = e.positive(f"s{key}", "The spindle speed")
    top = e.number("top")
    need(e.number("safe") > top, "the safe height is not above the stock's top", "safe")
    need(e.number("near") > 0.0, "slow must begin above the cut", "near")
    clear_of_clamps(e)
    w.tool(e.count(f"t{key}"), plain(speed, 0), e.number("safe"))
    w.block("G90 G17 G40 G94")
    w.block(f"S{plain(speed, 0)} M3" + (" M8" if e.word("cool") == "m8" else ""))
    w.rapid(z=e.number("safe"))
    if turn:
        turn_on(w)


def clear_of_clamps(e: ShopEntries) -> None:
    """The ways between lie over everything that is clamped. Raises ``CannotBe``."""
    highest = e.around.highest
    if highest is not None:
        need(
            e.number("safe") > highest[0],
            f"the {highest[1]} stands up to Z {e.show(highest[0])}: the safe height lies below it",
            "safe",
        )


def turn_on(w: Writer) -> None:
    """The turn by word, if that is how it is wanted."""
    if w.turned is not None and w.turned.by_word:
        t = w.turned
        w.block(f"G68 {w.xy(t.x, t.y)} R{plain(t.deg, 4)}")


def close(w: Writer, e: ShopEntries) -> None:
    """The turn and coolant off; the tool stands at the safe height."""
    if w.turned is not None and w.turned.by_word:
        w.block("G69")
    if e.word("cool") == "m8":
        w.block("M9")


def go_down(w: Writer, to: tuple[float, float, float], *, clear: float, f: float) -> None:
    """At rapid over a place and down to the clear height (or to the place, if that is higher), the rest at a feed."""
    x, y, z = to
    w.rapid(x, y)
    w.rapid(z=max(clear, z))
    w.feed(z=z, f=f)


def feed_rows(w: Writer, rows: Iterable[Floats], *, clear: float, fdown: float, f: float) -> int:
    """Rows over a surface, places (n, 3), there and back: the first is gone down to, the others begin where the one before ended. How many."""
    waiting: list[Floats] = []
    count = held = 0
    for count, row in enumerate(rows, 1):
        run = row if count % 2 else row[::-1]
        if count == 1:
            x, y, z = run[0].tolist()
            go_down(w, (x, y, z), clear=clear, f=fdown)
            run = run[1:]
        waiting.append(run)
        held += len(run)
        if held >= _AT_ONCE:
            w.feeds(np.concatenate(waiting), f=f)
            waiting, held = [], 0
    if waiting:
        w.feeds(np.concatenate(waiting), f=f)
    return count


def length_rows(w: Writer, e: ShopEntries) -> tuple[Row, ...]:
    """How far is fed and how long that takes at all the parts, without rapids."""
    parts = max(1, len(w.parts))
    seconds = round(w.minutes * 60 * parts)
    rows = [
        Row("Cutting distance", e.show(w.fed * parts)),
        Row("Cutting time", f"{seconds // 60}:{seconds % 60:02d}", "without rapids"),
    ]
    d, s, f = e.maybe("d"), e.maybe("s"), e.maybe("f")
    if d and s and f:
        vc = math.pi * d * s / 1000.0
        said = f"{vc / 0.3048:.0f} ft/min" if e.unit == "inch" else f"{vc:.0f} m/min"
        rows.append(Row("Surface speed", said, "vc = \u03c0 \u00b7 D \u00b7 S / 1000"))
        rows.append(Row("Feed a turn", e.show(f / s), "F / S; by the edges of the tool it is the feed a tooth"))
    return tuple(rows)
