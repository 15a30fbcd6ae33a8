"""Holes in a pattern, with all their tools: spot, drill, then what the hole is to be."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Literal

from underglass.core.compose.operation import Operation, ShopEntries, need
from underglass.core.compose.screws import SCREWS, screw
from underglass.core.compose.speeds import MATERIAL, Cut, advice, material_of
from underglass.core.compose.writer import Writer, writer
from underglass.core.reckon.fits import wanted_size
from underglass.core.reckon.form import Answer, Field, Row, Stroke, plain
from underglass.core.reckon.patterns import in_rows, on_circle
from underglass.core.reckon.threads import basic, read_thread
from underglass.core.trades.milling.operations.common import COOL, HEIGHTS, TOP, TURN, clear_of_clamps, turn_on

_POINT = math.tan(math.radians(59.0))
"""Half the point angle of a jobber drill, 118 degrees (common practice, no source)."""
_UNDER_REAMER = ((10.0, 0.2), (20.0, 0.3), (1e9, 0.4))
"""How much smaller than the reamer a hole is drilled, by diameter, mm (common practice, no source)."""
_RUN_OUT = 4.0
"""Pitches that a blind hole is drilled deeper than its thread (common practice, no source)."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Stage:
    """One tool at every hole. ``bottom`` is the tip's Z; ``way`` the canned cycle's code."""

    said: str
    tool: str
    cut: Cut
    d: float
    bottom: float
    way: str
    step: float = 0.0
    dwell: float = 0.0
    pitch: float = 0.0
    substrate: Literal["carbide", "hss"] = "hss"
    teeth: int = 2
    top: float = 0.0
    """Of a thread mill: where the thread begins."""
    over: float = 0.0
    """The diameter that a thread mill cuts to."""


def places_of(e: ShopEntries) -> tuple[tuple[float, float], ...]:
    """Where the holes are. Raises ``CannotBe``."""
    kind = e.word("pattern")
    if kind == "list":
        found = e.places("points")
        need(bool(found), "no hole is entered yet", "points")
        return found
    if kind == "circle":
        need(e.number("pcd") > 0.0, "the circle must have some diameter", "pcd")
        return on_circle(
            e.number("cx"), e.number("cy"), e.number("pcd"), e.count("n"), e.number("from"), e.number("span")
        )
    rows, dy = (1, 0.0) if kind == "line" else (e.count("rows"), e.number("dy"))
    return in_rows(e.number("hx"), e.number("hy"), e.count("n"), rows, e.number("dx"), dy, e.number("along"))


def _drilled(e: ShopEntries, d: float, deep: float, blind_more: float = 0.0) -> Stage:
    """The drill: its point goes through, or its full diameter down to the depth."""
    top, through = e.number("top"), e.word("through") == "yes"
    point = d / 2.0 / _POINT
    bottom = top - deep - (point + 1.0 if through else blind_more)
    if not through and blind_more == 0.0 and e.values.get("to") == "shoulder":
        bottom -= point
    way = e.word("peck")
    depth = top - bottom
    if way == "auto":
        way = "none" if depth <= 3.0 * d else "break" if depth <= 5.0 * d else "full"
    step = (e.maybe("step") or d) if way != "none" else 0.0
    need(step >= 0.0 and (way == "none" or step > 0.0), "a peck must have some depth", "step")
    return Stage(said=f"DRILL {e.code(d)}", tool="2", cut="drill", d=d, bottom=bottom,
                 way={"none": "G81", "break": "G73", "full": "G83"}[way], step=step)  # fmt: skip


def stages_of(e: ShopEntries) -> list[Stage]:
    """Every tool that the hole needs, in order. Raises ``CannotBe``."""
    top, deep, kind = e.number("top"), e.positive("deep", "The depth"), e.word("hole")
    through = e.word("through") == "yes"
    out: list[Stage] = []
    last: list[Stage] = []
    if kind == "plain":
        drill = _drilled(e, e.positive("dia", "The diameter"), deep)
    elif kind in ("thread", "mill"):
        d, pitch, name = read_thread(e.word("thread"))
        run = 0.0 if through else _RUN_OUT * pitch
        drill = _drilled(e, d - pitch, deep, run + 1e-9)
        if kind == "thread":
            bottom = top - deep - (2.0 * pitch if through else 0.0)
            last.append(
                Stage(
                    said=f"TAP {name.replace(chr(215), 'X')}".upper(),
                    tool="3",
                    cut="tap",
                    d=d,
                    bottom=bottom,
                    way="G84",
                    pitch=pitch,
                )
            )
        else:
            dm = e.positive("dend", "The thread mill's diameter")
            need(dm < 0.9 * basic(d, pitch)[1], "the thread mill is wider than the hole lets it move", "dend")
            last.append(Stage(said=f"THREAD MILL {name.replace(chr(215), 'X')}".upper(), tool="3", cut="thread-mill", d=dm, bottom=top - deep,
                              way="mill", pitch=pitch, substrate="carbide", teeth=3, top=top, over=d))  # fmt: skip
    elif kind in ("ream", "bore"):
        fit = wanted_size(e.word("fit"), e.unit)
        d = (fit.low + fit.high) / 2.0
        nominal = round(d, 1)
        under = next(v for most, v in _UNDER_REAMER if nominal <= most) if kind == "ream" else 0.5
        drill = _drilled(e, round(nominal - under, 2), deep, 0.0 if kind == "ream" and through else 2.0)
        bottom = top - deep - (2.0 if through else 0.0)
        said = "REAM" if kind == "ream" else "BORE"
        last.append(Stage(said=f"{said} {e.word('fit').upper()}", tool="3", cut="ream" if kind == "ream" else "bore", d=d, bottom=bottom,
                          way="G85", teeth=6 if kind == "ream" else 1, substrate="hss" if kind == "ream" else "carbide"))  # fmt: skip
    else:
        size = screw(e.word("screw"))
        drill = _drilled(e, size.through, deep)
        if kind == "counterbore":
            need(size.bore_deep < deep, "the counterbore is deeper than the hole", "deep")
            last.append(Stage(said=f"COUNTERBORE {e.code(size.bore)}", tool="3", cut="sink", d=size.bore, bottom=top - size.bore_deep,
                              way="G82", dwell=0.3, teeth=4))  # fmt: skip
        else:
            last.append(Stage(said=f"COUNTERSINK {e.code(size.sink)}", tool="3", cut="sink", d=size.sink, bottom=top - size.sink / 2.0,
                              way="G82", dwell=0.3, teeth=3))  # fmt: skip
    if e.word("spot") == "yes":
        wide = max(t.over or t.d for t in (drill, *last)) if kind in ("thread", "mill") else drill.d
        cone = min(wide + 0.5, e.positive("dspot", "The spot drill's diameter"))
        out.append(
            Stage(said="SPOT", tool="1", cut="spot", d=e.number("dspot"), bottom=top - cone / 2.0, way="G82", dwell=0.2)
        )
    return [*out, drill, *last]


def _cut(w: Writer, e: ShopEntries, stage: Stage, places: tuple[tuple[float, float], ...]) -> str:
    """One tool at every place; the sum of its speed and feed."""
    good = advice(stage.cut, stage.d, material_of(e.word("mat")), stage.substrate, stage.teeth, pitch=stage.pitch)
    speed = e.maybe(f"s{stage.tool}") or good.rpm
    feed = e.maybe(f"f{stage.tool}") or (speed * stage.pitch if stage.way == "G84" else good.feed)
    need(speed > 0.0, "the spindle speed must be greater than zero", f"s{stage.tool}")
    need(feed > 0.0, "the feed must be greater than zero", f"f{stage.tool}")
    top, safe = e.number("top"), e.number("safe")
    need(safe > top, "the safe height is not above the stock's top", "safe")
    need(e.number("near") > 0.0, "slow must begin above the cut", "near")
    clear_of_clamps(e)
    if w.z is not None:
        w.rapid(z=safe)
    w.say(stage.said)
    w.tool(e.count(f"t{stage.tool}"), plain(speed, 0), safe)
    w.block("G90 G17 G40 G94")
    w.block(f"S{plain(speed, 0)} M3" + (" M8" if e.word("cool") == "m8" else ""))
    w.rapid(z=safe)
    turn_on(w)
    w.rapid(*places[0])
    level = top + (max(e.number("near"), 2.0 * stage.pitch) if stage.way == "G84" else e.number("near"))
    if stage.way == "mill":
        for place in places:
            _thread_mill(w, stage, place, level, feed)
            w.rapid(z=safe)
    else:
        words = f"G98 {stage.way}"
        tail = f"Z{e.code(stage.bottom)} R{e.code(level)}"
        tail += f" Q{e.code(stage.step)}" if stage.step else ""
        tail += f" P{plain(stage.dwell)}" if stage.dwell else ""
        tail += f" F{w.feed_figure(feed)}"
        w.hole(*places[0], words, tail)
        for place in places[1:]:
            w.hole(*place)
        w.block("G80")
    if w.turned is not None and w.turned.by_word:
        w.block("G69")
    return good.said if not e.maybe(f"s{stage.tool}") else ""


def _thread_mill(w: Writer, stage: Stage, place: tuple[float, float], level: float, feed: float) -> None:
    """From the bottom up, once round a pitch, climbing: a right-hand thread."""
    x, y = place
    reach = (stage.over - stage.d) / 2.0
    w.rapid(x, y)
    w.rapid(z=level)
    w.feed(z=stage.bottom, f=min(feed * 3.0, max(feed, 3000.0)))
    w.feed(x + reach, y, f=feed)
    # Up to the top and a pitch beyond, so that the thread runs out of the hole.
    turns = max(1, math.ceil((stage.top - stage.bottom) / stage.pitch) + 1)
    for k in range(1, turns + 1):
        w.arc(False, x + reach, y, x, y, f=feed, z=stage.bottom + stage.pitch * k)
    w.feed(x, y, f=min(feed * 3.0, max(feed, 3000.0)))


def _holes(e: ShopEntries) -> Answer:
    places, stages = places_of(e), stages_of(e)
    w = writer(e)
    sums = [_cut(w, e, stage, places) for stage in stages]
    close_words = e.word("cool") == "m8"
    w.block(f"G0 Z{e.code(e.number('safe'))}")
    if close_words:
        w.block("M9")
    rows = [Row("Holes", str(len(places)))]
    for stage, said in zip(stages, sums, strict=True):
        rows.append(Row(f"T{e.count('t' + stage.tool)} {stage.said.lower()}", f"to Z {e.show(stage.bottom)}", said))
    strokes = [Stroke("dot", p, "path", str(k)) for k, p in enumerate(places, 1)]
    for x, y in places:
        strokes.append(Stroke("arc", (x, y, max(s.over or s.d for s in stages[-1:]) / 2.0, 0.0, 360.0), "part"))
    return Answer(rows=tuple(rows), steps=(), blocks=w.text(), strokes=(*strokes, *w.strokes), points=places)


def _is(key: str, *values: str) -> Callable[[Mapping[str, str]], bool]:
    return lambda v: v.get(key) in values


def _tool_fields(n: str, word: str, start: str) -> tuple[Field, ...]:
    shown = {"1": _is("spot", "yes"), "2": None, "3": lambda v: v.get("hole") != "plain"}[n]
    return (
        Field(key=f"t{n}", word=f"{word}: T", kind="count", start=start, usual=(int(start), int(start)), shown=shown),
        Field(
            key=f"s{n}",
            word="S",
            kind="number",
            start="",
            blank=True,
            shown=shown,
            tip="Left empty: worked out from the material",
        ),
        Field(
            key=f"f{n}",
            word="F",
            kind="feed",
            start="",
            blank=True,
            shown=shown,
            tip="Left empty: worked out from the material",
        ),
    )


HOLES = Operation(
    name="Holes",
    fields=(
        Field(key="pattern", word="Where", kind="choice", start="grid", choices=(("list", "places in a list"), ("line", "in a line"), ("grid", "in rows"), ("circle", "on a circle"))),
        Field(key="points", word="Places", kind="points", start="10 10\n50 10\n50 40", start_inch="0.4 0.4\n2 0.4\n2 1.6", shown=_is("pattern", "list")),
        Field(key="hx", word="First hole X", start="15", start_inch="0.6", shown=_is("pattern", "line", "grid"), usual=(5, 30)),
        Field(key="hy", word="First hole Y", start="15", start_inch="0.6", shown=_is("pattern", "line", "grid"), usual=(5, 30)),
        Field(key="cx", word="Middle X", start="50", start_inch="2", shown=_is("pattern", "circle"), usual=(40, 60)),
        Field(key="cy", word="Middle Y", start="30", start_inch="1.2", shown=_is("pattern", "circle"), usual=(40, 60)),
        Field(key="pcd", word="Circle, diameter", start="40", start_inch="1.6", shown=_is("pattern", "circle"), usual=(30, 90)),
        Field(key="n", word="How many", kind="count", start="4", shown=_is("pattern", "line", "grid", "circle"), usual=(1, 8)),
        Field(key="dx", word="Pitch", start="25", start_inch="1", shown=_is("pattern", "line", "grid"), usual=(8, 20)),
        Field(key="rows", word="Rows", kind="count", start="2", shown=_is("pattern", "grid"), usual=(1, 4)),
        Field(key="dy", word="Rows apart", start="30", start_inch="1.2", shown=_is("pattern", "grid"), usual=(8, 20)),
        Field(key="along", word="Rows' direction", kind="angle", start="0", shown=_is("pattern", "line", "grid"), usual=(-30, 30)),
        Field(key="from", word="First at", kind="angle", start="0", shown=_is("pattern", "circle"), usual=(-180, 180)),
        Field(key="span", word="Over an angle of", kind="angle", start="360", shown=_is("pattern", "circle"), usual=(90, 360)),
        Field(key="hole", word="What hole", kind="choice", start="plain", choices=(("plain", "drilled"), ("thread", "tapped"), ("mill", "thread milled"), ("ream", "reamed to a fit"),
              ("bore", "bored to a fit"), ("counterbore", "counterbored for a screw"), ("countersink", "countersunk for a screw"))),
        Field(key="dia", word="Diameter", start="8", start_inch="0.3125", shown=_is("hole", "plain"), usual=(2, 12)),
        Field(key="thread", word="Thread", kind="text", start="M8", start_inch="1/4-20", shown=_is("hole", "thread", "mill"), tip="M8, M8x1, 1/4-20"),
        Field(key="fit", word="Size and fit", kind="text", start="10 H7", start_inch="10 H7", shown=_is("hole", "ream", "bore"), tip="10 H7, 12 \u00b10.02"),
        Field(key="screw", word="Screw", kind="choice", start="M6", choices=tuple((s, s) for s in SCREWS), shown=_is("hole", "counterbore", "countersink")),
        Field(key="dend", word="Thread mill, diameter", start="5", start_inch="0.15", shown=_is("hole", "mill"), usual=(3, 5)),
        TOP, Field(key="deep", word="Depth", start="15", start_inch="0.6", usual=(10, 30)),
        Field(key="through", word="Goes through", kind="choice", start="yes", choices=(("yes", "yes"), ("no", "no"))),
        Field(key="to", word="Depth counts", kind="choice", start="shoulder", choices=(("shoulder", "to the full diameter"), ("point", "to the drill's point")),
              shown=lambda v: v.get("through") == "no" and v.get("hole") not in ("thread", "mill", "bore")),
        Field(key="peck", word="Chips", kind="choice", start="auto", choices=(("auto", "as the depth asks"), ("none", "in one go"), ("break", "broken, G73"), ("full", "drawn out, G83"))),
        Field(key="step", word="Peck", start="", blank=True, shown=lambda v: v.get("peck") != "none", tip="Left empty: the drill's diameter"),
        Field(key="spot", word="Spotted first", kind="choice", start="yes", choices=(("yes", "yes"), ("no", "no"))),
        Field(key="dspot", word="Spot drill, diameter", start="12", start_inch="0.5", shown=_is("spot", "yes"), usual=(10, 16)),
        MATERIAL,
        *_tool_fields("1", "Spot drill", "1"), *_tool_fields("2", "Drill", "2"), *_tool_fields("3", "Last tool", "3"),
        *HEIGHTS, COOL, *TURN,
    ),
    work=_holes,
    about="A pattern of holes with every tool they need, from spot drill to tap or reamer.",
)  # fmt: skip
