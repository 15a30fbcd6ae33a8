"""Where the tool's middle is fed by random entries: never nearer to a wall than its radius, by plane shapes of shapely."""

from __future__ import annotations

import math
import random
from collections.abc import Callable, Mapping

import numpy as np
import pytest
import shapely
from shapely import affinity

from tests.core.compose.entries import DEEP, short, some_entries
from tests.core.compose.test_milled import grid, heights, proved
from underglass.core.compose.contour import Contour, Seg, area_of
from underglass.core.compose.contour_rows import profile_rows, read_contours, rows_of
from underglass.core.compose.flat_parts import laid
from underglass.core.compose.operation import Operation
from underglass.core.compose.registry import operations_of
from underglass.core.compose.writer import Writer
from underglass.core.proof.proof import Proof
from underglass.core.reckon.form import CannotBe, Stroke
from underglass.core.trades.sheet.operations.nest import lays_of, part_of

OPS = {op.key: op for op in operations_of("mill")}
INSIDE = ("pocket-rectangular", "pocket-round", "pocket-any-contour", "rest-of-a-pocket", "slot-straight", "slot-round")
OUTSIDE = ("boss-rectangular", "boss-round")
OFF = 0.01
"""What a finished wall may be off, mm: figures rounded to 0.001 and chords with it."""


def _round(seg: Seg) -> shapely.LineString:
    return shapely.LineString([(seg.x0, seg.y0), *seg.places(0.0005)])


def shape_of(op: Operation, e: Mapping[str, str]) -> shapely.Geometry:
    """What is asked for, from above: the pocket, the slot, the part or the boss."""
    v = {k: float(x) for k, x in e.items() if x and x.replace(".", "").replace("-", "").isdigit()}
    if "contour" in e:
        contours = read_contours(e["contour"], "mm", "contour")
        sided = e.get("side") in ("left", "right")
        shape = shapely.LineString(contours[0].places()) if sided else area_of(contours)
    elif "long" in v:
        half, c = (v["long"] / 2.0, v["wide"] / 2.0), v["corner"]
        shape = shapely.box(v["cx"] - half[0], v["cy"] - half[1], v["cx"] + half[0], v["cy"] + half[1])
        shape = shape.buffer(-c, quad_segs=400).buffer(c, quad_segs=400)
    elif "span" in v:
        r, a, b = v["dia"] / 2.0, math.radians(v["from"]), math.radians(v["from"] + v["span"])
        ends = [(v["cx"] + r * math.cos(t), v["cy"] + r * math.sin(t)) for t in (a, b)]
        middle = _round(Seg(*ends[0], *ends[1], 1 if v["span"] > 0 else -1, v["cx"], v["cy"]))
        shape = middle.buffer(v["wide"] / 2.0, quad_segs=400)
    elif "wide" in v:
        shape = shapely.LineString([(v["x0"], v["y0"]), (v["x1"], v["y1"])]).buffer(v["wide"] / 2.0, quad_segs=400)
    else:
        shape = shapely.Point(v["cx"], v["cy"]).buffer(v["dia"] / 2.0, quad_segs=1000)
    return affinity.rotate(shape, v.get("rot", 0.0), origin=(v.get("rotx", 0.0), v.get("roty", 0.0)))


def line_of(stroke: Stroke) -> shapely.LineString:
    if stroke.kind != "arc":
        return shapely.LineString(list(zip(stroke.at[::2], stroke.at[1::2], strict=True)))
    cx, cy, r, first, last = stroke.at
    count = max(8, math.ceil(math.radians(last - first) / (2.0 * math.acos(1.0 - 0.001 / max(r, 0.002)))))
    turns = [math.radians(first + (last - first) * k / count) for k in range(count + 1)]
    return shapely.LineString([(cx + r * math.cos(t), cy + r * math.sin(t)) for t in turns])


@pytest.mark.parametrize("key", [*INSIDE, *OUTSIDE, "outline"])
def test_no_feed_comes_nearer_to_a_wall_than_the_tools_radius(key: str) -> None:
    op, dice, tried = OPS[key], random.Random(key), 0
    # By the tool's centre, and upright: at a wall that leans the tool's corner lies nearer.
    fixed = {"finish": "plain", "parts": "one", "taper": "0"}
    while tried < (300 if DEEP else 15):
        # Held ones take seconds each.
        fixed["hold"] = "110" if DEEP and tried % 25 == 0 else ""
        e = some_entries(op, dice, {k: v for k, v in fixed.items() if any(f.key == k for f in op.fields)})
        try:
            answer = op.answer(e, "mm")
        except CannotBe:
            continue
        tried += 1
        side, r = e.get("side", "inside" if key in INSIDE else "outside"), float(e["d"]) / 2.0
        if side == "on":
            continue
        shape = shape_of(op, e)
        fed = shapely.union_all([line_of(s) for s in answer.strokes if s.style == "cut"])
        wall = shape if side in ("left", "right") else shape.boundary
        assert wall.distance(fed) > r - OFF, e
        assert side not in ("inside", "outside") or shape.intersects(fed) == (side == "inside"), e


def test_a_face_has_no_bits_left_on_it() -> None:
    op, dice = OPS["facing"], random.Random(2)
    for k in range(200 if DEEP else 20):
        e = some_entries(op, dice, {"parts": "one", "rot": "0", **({} if k else {"ways": "rounds", "over": "89.7"})})
        fed = [line_of(s).buffer(float(e["d"]) / 2.0) for s in op.answer(e, "mm").strokes if s.style == "cut"]
        face = shapely.box(*(float(e[key]) for key in ("x0", "y0", "x1", "y1")))
        assert face.difference(shapely.union_all(fed)).area < 0.05, e


@pytest.mark.parametrize("key", ["pocket-any-contour", "rest-of-a-pocket"])
def test_nothing_that_the_tool_reaches_is_left_standing(key: str) -> None:
    op, dice, tried = OPS[key], random.Random(key + "rest"), 0
    # A gap of twenty that the tool before did not pass, and rows whose step does not come out even in it.
    uneven = {"dbig": "27.684", "d": "5.915", "over": "63.714", "contour": op.fields[0].start}
    fixed = {"finish": "plain", "parts": "one", "taper": "0", "hold": "", "rot": "0"}
    while tried < (200 if DEEP else 10):
        first = uneven if not tried and key == "rest-of-a-pocket" else {}
        e = some_entries(op, dice, {k: v for k, v in (fixed | first).items() if any(f.key == k for f in op.fields)})
        try:
            answer = op.answer(e, "mm")
        except CannotBe:
            continue
        tried += 1
        shape, r = shape_of(op, e), float(e["d"]) / 2.0
        lines = [line_of(s).buffer(r, quad_segs=32) for s in answer.strokes if s.style == "cut"]
        wanted = shape.buffer(-r, quad_segs=64).buffer(r - 0.03, quad_segs=64)
        if "dbig" in e:
            before = float(e["dbig"]) / 2.0
            wanted = wanted.difference(shape.buffer(-before, quad_segs=64).buffer(before + 0.03, quad_segs=64))
        left = wanted.difference(shapely.union_all(lines))
        assert max((part.area for part in shapely.get_parts(left)), default=0.0) < 0.3, e


@pytest.mark.parametrize("key", ["pocket-any-contour", "slot-straight", "slot-round", "outline", "boss-round"])
def test_what_stays_is_not_touched_where_the_control_offsets(prove_text: Callable[..., Proof], key: str) -> None:
    """By G41 the way on and off lies beside the written wall: proved, and what lies outside the shape (inside a part) felt."""
    op, dice, tried = OPS[key], random.Random(key + "comp"), 0
    fixed = short(op) | {"finish": "comp", "taper": "0", "rot": "0"}
    while tried < (60 if DEEP else 3):
        e = some_entries(op, dice, {k: v for k, v in fixed.items() if any(f.key == k for f in op.fields)})
        side = e.get("side", "inside" if key in INSIDE else "outside")
        if side not in ("inside", "outside"):
            continue
        try:
            proof = proved(prove_text, "mill", op, e, 0.4)
        except CannotBe:
            continue
        tried += 1
        xs, ys, gx, gy = grid(-60.05, -60.05, 180.0, 150.0, 0.7)
        z, shape = heights(proof, xs, ys), shape_of(op, e)
        inside = side == "inside"
        stays = shapely.contains_xy(shape.buffer(0.45 if inside else -0.45), gx, gy) != inside
        stays &= np.isfinite(z)
        assert stays.any() and np.all(z[stays] > np.nanmax(z) - 0.02), e


def test_no_cut_of_a_nest_comes_nearer_to_a_part_than_half_the_kerf() -> None:
    (op,), dice, tried = operations_of("sheet"), random.Random(1), 0
    small = {"part": "flange", "bore": "1.23", "kerf": "1.002", "n": "2", "hole": "6"}
    while tried < (400 if DEEP else 20):
        # A hole hardly wider than the kerf: the cutter goes in within it.
        e = some_entries(op, dice, {"way": "figures", "rot": "0", **({} if tried else small)})
        try:
            answer = op.answer(e, "mm")
        except CannotBe:
            continue
        tried += 1
        entries = op.entries(e, "mm")
        part = part_of(entries)
        lays = [laid(part, lay) for lay in lays_of(entries, part)[0]]
        parts = shapely.union_all([area_of(lay, 0.002) for lay in lays])
        parts = affinity.translate(parts, float(e["x0"]), float(e["y0"]))
        fed = shapely.union_all([line_of(s) for s in answer.strokes if s.style == "cut"])
        assert fed.distance(parts) > float(e["kerf"]) / 2.0 - OFF, e
    # As long as the gap less the kerf a lead may be, and no longer: there the next part begins.
    near = {"way": "figures", "gap": "8", "kerf": "1.6", "count": "4"}
    assert op.answer({**near, "lead": "6.4"}, "mm").blocks
    with pytest.raises(CannotBe, match=r"room for 6\.4"):
        op.answer({**near, "lead": "6.5"}, "mm")


@pytest.mark.parametrize("clockwise", [True, False])
@pytest.mark.parametrize("z", [None, -1.0])
def test_an_arc_whose_ends_are_rounded_to_one_place_is_no_whole_turn(clockwise: bool, z: float | None) -> None:
    # A control takes an arc that ends where it begins for a whole turn (ISO 6983-1).
    dice = random.Random(4)
    for _k in range(300):
        r, first, span = dice.uniform(1.0, 60.0), dice.uniform(0.0, math.tau), dice.uniform(1e-6, 0.003)
        w = Writer("mm")
        turn = -1.0 if clockwise else 1.0
        # A hair of an arc, and all of its circle but that hair: with the part before it from where it began.
        for whole in (False, True):
            angle = first + turn * (math.tau - span / r if whole else span / r)
            w.rapid(r * math.cos(first), r * math.sin(first), 0.0)
            before = w.fed
            w.arc(clockwise, r * math.cos(angle), r * math.sin(angle), 0.0, 0.0, f=100.0, z=z)
            down = 1.0 if z is not None else 0.0
            assert math.isclose(w.fed - before, math.hypot(math.tau * r if whole else 0.0, down), abs_tol=0.012)
            w.rapid(z=5.0)


def test_a_hair_of_an_arc_is_no_whole_turn_in_the_rows_of_a_drawing() -> None:
    hair = Seg(10.0, 0.0, 10.0, 0.00002, 1, 0.0, 0.0)
    segs = (Seg(0.0, 0.0, 10.0, 0.0), hair, Seg(10.0, 0.00002, 0.0, 10.0, 1, 0.0, 0.0))
    (read,) = read_contours(rows_of([Contour(segs, False)]), "mm", "contour")
    assert math.isclose(read.length, 10.0 + 5.0 * math.pi, abs_tol=0.001)
    assert profile_rows(Contour((hair,), False)).count("\n") == 0
