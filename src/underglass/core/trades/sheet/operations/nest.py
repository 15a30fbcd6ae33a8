"""A nest: one part, drawn or simple, as often as it goes on the sheet; inside before outside, leads on the scrap's side."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from typing import NamedTuple

import shapely

from underglass.core.compose.contour import Contour, Seg, grown, rings_of
from underglass.core.compose.contour_rows import read_contours
from underglass.core.compose.flat_parts import (
    Lay,
    check_part,
    circle,
    extents,
    heat_apart,
    in_pairs,
    in_rows,
    laid,
    moved,
    polygon,
)
from underglass.core.compose.operation import Operation, ShopEntries, need
from underglass.core.compose.turn_fields import turn_fields
from underglass.core.compose.writer import Writer, writer
from underglass.core.reckon.form import Answer, Field, Row, Stroke, plain
from underglass.core.reckon.patterns import on_circle


def part_of(e: ShopEntries) -> tuple[Contour, ...]:
    """The part asked for: outline, then holes. Raises ``CannotBe``."""
    kind = e.word("part")
    if kind == "drawn":
        return check_part(read_contours(e.word("contour"), e.unit), "contour")
    w, h = e.positive("w", "The width"), 0.0
    if kind == "flange":
        n, hole, pcd, bore = (
            e.count("n"),
            e.positive("hole", "The holes"),
            e.positive("pcd", "The bolt circle"),
            e.number("bore"),
        )
        need(pcd + hole < w, "the bolt circle runs out of the flange", "pcd")
        need(bore < pcd - hole, "the bore runs into the holes", "bore")
        need(n < 2 or math.pi * pcd / n > hole * 1.2, "the holes run into one another", "n")
        r = w / 2.0
        holes = [circle(x, y, hole) for x, y in on_circle(r, r, pcd, n, 90.0, 360.0)]
        middle = [circle(r, r, bore)] if bore > 0.0 else []
        return check_part((circle(r, r, w), *middle, *holes), "pcd")
    h = e.positive("h", "The height")
    hole = e.maybe("hole") or 0.0
    if kind == "gusset":
        c, low = e.number("flat"), min(w, h)
        need(0.0 <= c < low, "the flat is as long as a side", "flat")
        # A right angle with its tip taken off at both ends.
        places = [(0.0, 0.0), (w, 0.0), (w, c), (c, h), (0.0, h)] if c > 0.0 else [(0.0, 0.0), (w, 0.0), (0.0, h)]
        inside = [circle(0.25 * w, 0.25 * h, hole)] if hole > 0.0 else []
        return check_part((polygon(places), *inside), "hole")
    outline = polygon([(0.0, 0.0), (w, 0.0), (w, h), (0.0, h)])
    if kind == "slotted":
        long, wide = e.positive("long", "The slot's length"), e.positive("slot", "The slot's width")
        need(long > wide and long < w and wide < h, "the slot does not fit into the plate", "long")
        a, r = (long - wide) / 2.0, wide / 2.0
        x, y = w / 2.0, h / 2.0
        slot = Contour((Seg(x - a, y - r, x + a, y - r), Seg(x + a, y - r, x + a, y + r, 1, x + a, y),
                        Seg(x + a, y + r, x - a, y + r), Seg(x - a, y + r, x - a, y - r, 1, x - a, y)), True)  # fmt: skip
        return check_part((outline, slot), "long")
    n = e.count("n") if hole > 0.0 else 0
    pitch = w / (n + 1) if n else 0.0
    need(not n or hole < 0.9 * pitch, "the holes run into one another", "n")
    return check_part((outline, *(circle(pitch * (k + 1), h / 2.0, hole) for k in range(n))), "hole")


def lays_of(e: ShopEntries, part: tuple[Contour, ...]) -> tuple[list[Lay], int]:
    """Where the parts lie, in the order in which they are cut, and how many would go on. Raises ``CannotBe``."""
    margin, gap = e.number("margin"), e.positive("gap", "The gap")
    wide, high = e.positive("x1", "The sheet") - 2.0 * margin, e.positive("y1", "The sheet") - 2.0 * margin
    need(margin >= 0.0, "this cannot be less than zero", "margin")
    how = e.word("nest")
    quarters = {"as": (0,), "turn": (0, 1), "pairs": (0, 1)}[how]
    rows = in_rows(part, wide, high, gap, quarters)
    if how == "pairs":
        pairs = in_pairs(part, wide, high, gap)
        rows = pairs if len(pairs) > len(rows) else rows
    x0, y0, x1, y1 = extents(part[0])
    need(bool(rows), f"the part is {e.show(x1 - x0)} by {e.show(y1 - y0)} and does not go on the sheet", "x1")
    most = e.number("count")
    chosen = rows[: round(most)] if most else rows
    need(len(chosen) <= 2000, "more than two thousand parts", "count")
    if e.word("order") == "heat":
        chosen = heat_apart(chosen, (x1 - x0 + gap, y1 - y0 + gap))
    return [Lay(p.quarters, p.x + margin, p.y + margin) for p in chosen], len(rows)


class _Way(NamedTuple):
    """How one contour is cut: once round along a path, from a lead on the scrap's side."""

    path: Contour
    lead: float
    joints: int


def _way(e: ShopEntries, contour: Contour, hole: bool, joints: int) -> _Way:
    """The way round one contour. Raises ``CannotBe``."""
    kerf = e.positive("kerf", "The kerf")
    # Clockwise round the part, anticlockwise in a hole: the scrap is on the left.
    run = contour.run(hole)
    wanted = max(e.number("lead"), kerf)
    beside = rings_of(grown(run.polygon(), -kerf / 2.0 if hole else kerf / 2.0))
    path = next((r.run(hole) for r in beside if r.anticlockwise), None)
    need(path is not None, "a hole is narrower than the kerf", "kerf")
    assert path is not None
    path = run if e.word("way") == "comp" else path
    path = path.from_longest() if len(path.segs) > 1 else path
    lead = wanted
    if hole:
        # No farther than to the middle of what falls out.
        room = shapely.maximum_inscribed_circle(path.polygon(0.01), tolerance=0.05).length
        # By the control it must be longer than what it offsets; a path of our own has left that out already.
        least = 0.6 * kerf if e.word("way") == "comp" else 0.0
        lead = min(wanted, max(0.95 * room, least))
    return _Way(path, lead, joints)


def _ways(e: ShopEntries, part: tuple[Contour, ...], quarters: int) -> tuple[_Way, ...]:
    """The ways round a part with its lowest corner at 0 0: inside before outside. Raises ``CannotBe``."""
    outline, *holes = laid(part, Lay(quarters, 0.0, 0.0))
    joints = e.count("joints") if e.number("joints") else 0
    return (*(_way(e, hole, True, 0) for hole in holes), _way(e, outline, False, joints))


def _cut(w: Writer, e: ShopEntries, way: _Way) -> None:
    """One contour: pierce beside it in the scrap, lead on, once round (with joints left), lead off."""
    kerf, f = e.positive("kerf", "The kerf"), e.positive("f", "The feed")
    comp = e.word("way") == "comp"
    path, lead, joints = way
    x, y = path.start
    dx, dy = path.segs[0].direction(0.0)
    nx, ny = -dy, dx
    w.rapid(x + nx * lead, y + ny * lead)
    w.block("M3")
    if e.number("pierce") > 0.0:
        w.block(f"G4 P{plain(e.number('pierce'))}")
    w.feed(x, y, f=f, before="G41 D1" if comp else "")
    joint = e.number("joint")
    whole = path.length
    # The last joint is where the cut ends short of its beginning; the others stop it on the way.
    marks = (
        [(whole * k / joints, min(joint + kerf, whole / joints * 0.5)) for k in range(1, joints + 1)] if joints else []
    )
    at = 0.0
    for mark, wide in marks or [(whole, 0.0)]:
        for seg in path.between(at, mark - wide):
            w.seg(seg, f=f)
        at = mark
        if mark < whole - 1e-6 and marks:
            ahead = path.between(mark, mark + 0.01)[0]
            w.block("M5")
            if comp:
                w.block("G40")
            px, py = ahead.x0 + (-ahead.direction(0.0)[1]) * lead, ahead.y0 + ahead.direction(0.0)[0] * lead
            w.rapid(px, py)
            w.block("M3")
            if e.number("pierce") > 0.0:
                w.block(f"G4 P{plain(e.number('pierce'))}")
            w.feed(ahead.x0, ahead.y0, f=f, before="G41 D1" if comp else "")
    if not joints:
        # A little past the beginning, so that no spur stays.
        past = min(kerf, 0.2 * whole)
        for seg in path.between(whole, whole + past):
            w.seg(seg, f=f)
    w.block("M5")
    if comp:
        ex, ey = w.here
        w.rapid(ex + nx * lead * 0.5, ey + ny * lead * 0.5, before="G40")


def _nest(e: ShopEntries) -> Answer:
    part = part_of(e)
    lays, most = lays_of(e, part)
    need(e.positive("gap", "The gap") > e.positive("kerf", "The kerf"), "the gap is narrower than the kerf", "gap")
    room = e.number("gap") - e.number("kerf")
    need(
        len(lays) < 2 or e.number("lead") <= room + 1e-9,
        f"the cutter would go in within the next part: between parts there is room for {e.show(room)}",
        "lead",
    )
    need(e.number("lead") >= 0.0 and e.number("pierce") >= 0.0, "this cannot be less than zero", "lead")
    w = writer(e)
    w.block("G90 G17 G40")
    dx, dy = e.number("x0"), e.number("y0")
    ways: dict[int, tuple[_Way, ...]] = {}
    for k, lay in enumerate(lays, 1):
        w.say(f"PART {k}")
        if lay.quarters not in ways:
            ways[lay.quarters] = _ways(e, part, lay.quarters)
        for way in ways[lay.quarters]:
            _cut(w, e, way._replace(path=moved(way.path, lay.x + dx, lay.y + dy)))
    area = abs(part[0].area) - sum(abs(c.area) for c in part[1:])
    used = area * len(lays) / (e.number("x1") * e.number("y1")) * 100.0
    rows = (
        Row("Parts", str(len(lays)), f"{most} would go on the sheet"),
        Row("Used of the sheet", f"{used:.0f} %"),
        Row("Pierces", str(len(lays) * (len(part) - 1 + max(1, round(e.number("joints")))))),
        Row("Cut", e.show(w.fed)), Row("Time cutting", f"{int(w.minutes * 60) // 60}:{int(w.minutes * 60) % 60:02d}"),
    )  # fmt: skip
    x1, y1 = dx + e.number("x1"), dy + e.number("y1")
    frame = tuple(
        Stroke("line", s, "help") for s in ((dx, dy, x1, dy), (x1, dy, x1, y1), (x1, y1, dx, y1), (dx, y1, dx, dy))
    )
    return Answer(
        rows=rows,
        steps=(),
        blocks=w.text(),
        strokes=(*w.drawn_turned(frame), *w.strokes),
        makes=f"{len(lays)} part{'' if len(lays) == 1 else 's'}",
    )


def _part(*kinds: str) -> Callable[[Mapping[str, str]], bool]:
    return lambda v: v.get("part") in kinds


NEST = Operation(
    name="Nest",
    fields=(
        Field(key="part", word="Part", kind="choice", start="gusset", choices=(("drawn", "a drawn contour with its holes"), ("rectangle", "rectangle with a row of holes"), ("slotted", "plate with a slot"),
              ("flange", "flange"), ("gusset", "gusset"))),
        Field(key="contour", word="Contour, then holes", kind="contour", start="0 0\n80 0 R8\n80 50 R8\n0 50\nCLOSE\n/\n20 15\nG3 20 15 I0 J10", start_inch="0 0\n3 0 R0.3\n3 2 R0.3\n0 2\nCLOSE",
              shown=_part("drawn")),
        Field(key="w", word="Width or diameter", start="100", start_inch="4", shown=_part("rectangle", "slotted", "flange", "gusset"), usual=(80, 160)),
        Field(key="h", word="Height", start="80", start_inch="3", shown=_part("rectangle", "slotted", "gusset"), usual=(60, 120)),
        Field(key="flat", word="Flat at the tips", start="15", start_inch="0.6", shown=_part("gusset"), usual=(0, 30)),
        Field(key="hole", word="Holes, diameter", start="10", start_inch="0.4", shown=_part("rectangle", "flange", "gusset"), usual=(6, 12)),
        Field(key="n", word="How many holes", kind="count", start="3", shown=_part("rectangle", "flange"), usual=(1, 5)),
        Field(key="pcd", word="Bolt circle", start="60", start_inch="2.4", shown=_part("flange"), usual=(50, 64)),
        Field(key="bore", word="Bore", start="30", start_inch="1.2", shown=_part("flange"), usual=(0, 36)),
        Field(key="long", word="Slot's length", start="40", start_inch="1.6", shown=_part("slotted"), usual=(30, 70)),
        Field(key="slot", word="Slot's width", start="10", start_inch="0.4", shown=_part("slotted"), usual=(6, 14)),
        Field(key="x0", word="Sheet's corner X", start="0", usual=(-15, 0)), Field(key="y0", word="Sheet's corner Y", start="0", usual=(-15, 0)),
        Field(key="x1", word="Sheet's length", start="600", start_inch="24", usual=(400, 800)), Field(key="y1", word="Sheet's width", start="400", start_inch="16", usual=(300, 500)),
        Field(key="margin", word="Margin", start="15", start_inch="0.6", usual=(10, 20)), Field(key="gap", word="Between parts", start="12", start_inch="0.5", usual=(10, 20)),
        Field(key="nest", word="Laid", kind="choice", start="pairs", choices=(("as", "as drawn"), ("turn", "turned if more go on"), ("pairs", "in pairs, every second one half round"))),
        Field(key="count", word="How many", kind="whole", start="0", usual=(0, 8), tip="0: as many as go on"),
        Field(key="order", word="Order", kind="choice", start="heat", choices=(("heat", "heat kept apart"), ("rows", "row by row"))),
        Field(key="kerf", word="Kerf", start="1.6", start_inch="0.06", usual=(0.8, 2)), Field(key="way", word="Kerf taken", kind="choice", start="comp", choices=(("comp", "by G41"), ("figures", "in the figures"))),
        Field(key="lead", word="Lead", start="4", start_inch="0.16", usual=(3, 4.5)), Field(key="joints", word="Micro-joints", kind="whole", start="0", usual=(0, 3)),
        Field(key="joint", word="Joint's width", start="0.4", start_inch="0.015", usual=(0.2, 0.6)),
        Field(key="f", word="Feed", kind="feed", start="1800", start_inch="70", usual=(1200, 2600)), Field(key="pierce", word="Pierce, s", kind="number", start="0.6", usual=(0.6, 1)),
        *turn_fields(by=4.0, about=(0.0, 60.0)),
    ),
    work=_nest,
    about="One part as often as it goes on the sheet, inside before outside, heat kept apart.",
    kinds=(),
    own_places=("x0", "y0"),
)  # fmt: skip
