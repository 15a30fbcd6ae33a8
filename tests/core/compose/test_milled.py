"""What milling operations cut, proved on a bench of their own and measured against closed forms and shapely."""

from __future__ import annotations

import itertools
import math
import random
from collections import Counter
from collections.abc import Callable

import numpy as np
import pytest
import shapely

from tests.core.compose.benches import bench
from tests.core.compose.entries import DEEP, TRIES, WHOLE, short, some_entries
from underglass.core.compose.operation import Around, Operation, find_all
from underglass.core.compose.registry import operations_of
from underglass.core.compose.shop import FIRST
from underglass.core.compose.surface_shapes import (
    Form,
    along_profile,
    arc_profile,
    edge_step,
    left_by,
    left_by_rows,
    rise_of,
    turned_arc,
)
from underglass.core.proof.measure import Surface
from underglass.core.proof.proof import Proof
from underglass.core.reckon.form import CannotBe
from underglass.core.trade_list import TRADES
from underglass.core.trades.milling.operations.areas import Lean
from underglass.core.trades.milling.operations.letters import GLYPHS, glyph, width

Prove = Callable[..., Proof]
OPS = {op.key: op for op in operations_of("mill")}
CELL = 0.25


def proved(prove_text: Prove, kind: str, op: Operation, entered: dict[str, str], cell: float = CELL) -> Proof:
    """The operation's text with its tools brought in, proved; nothing graver than a caution."""
    text = op.text(entered, "mm", Around(bring=True, texts=FIRST[kind]))
    job, program = bench(kind, op, entered, text)
    proof = prove_text(program, job.replace("cell = 0.5", f"cell = {cell}"))
    bad = [(f.code, f.line, f.message, entered) for f in proof.troubles if f.severity.word in ("crash", "fault")]
    assert bad == [], bad
    return proof


def tells_its_way(op: Operation, entered: dict[str, str], kind: str, proof: Proof) -> None:
    """The way and the time that a form tells are the proof's, but for what the control leaves out beside a written contour."""
    rows = {row.word: row.shown for row in op.answer(entered, "mm").rows}
    if "Cutting distance" not in rows:
        return
    moves = proof.motions
    fed = ~moves.rapid() & (moves.dwell == 0.0)
    long = float(moves.lengths()[fed].sum())
    assert float(rows["Cutting distance"]) == pytest.approx(long, rel=0.12, abs=3.0), entered
    # A mill's axes have to start and to stop; a lathe's way is long enough not to show it.
    took = (
        float(proof.timing.duration[fed].sum())
        if kind == "lathe"
        else float((moves.lengths()[fed] / moves.feed[fed]).sum() * 60.0)
    )
    minutes, seconds = rows["Cutting time"].split(":")
    assert int(minutes) * 60 + int(seconds) == pytest.approx(took, rel=0.12, abs=3.0), entered


def heights(proof: Proof, xs: np.ndarray, ys: np.ndarray) -> np.ndarray:
    points = np.array([(x, y) for y in ys for x in xs])
    return Surface(proof).heights(points).reshape(len(ys), len(xs))


def grid(x0: float, y0: float, x1: float, y1: float, step: float) -> tuple[np.ndarray, ...]:
    xs, ys = np.arange(x0, x1, step), np.arange(y0, y1, step)
    return (xs, ys, *np.meshgrid(xs, ys))


EVERY = [(kind, op) for kind in TRADES for op in operations_of(kind)]
CUTTING = [(kind, op) for kind, op in EVERY if not op.shared]
"""The head of a program cuts nothing."""


@pytest.mark.parametrize(("kind", "op"), CUTTING, ids=[op.key for _kind, op in CUTTING])
def test_any_entries_prove_clean_on_a_bench_of_their_own(prove_text: Prove, kind: str, op: Operation) -> None:
    dice, refused = random.Random(op.key), Counter[str]()
    for k in range(TRIES):
        entered = some_entries(op, dice, None if DEEP or k < WHOLE else short(op))
        try:
            proof = proved(prove_text, kind, op, entered, 1.0)
        except CannotBe as problem:
            refused[str(problem)] += 1
            continue
        if k < (TRIES if DEEP else 4):
            tells_its_way(op, entered, kind, proof)
    assert sum(refused.values()) <= 0.2 * TRIES, refused


@pytest.mark.parametrize(("kind", "op"), EVERY, ids=[op.key for _kind, op in EVERY])
def test_any_text_becomes_its_form_again(kind: str, op: Operation) -> None:
    dice = random.Random(op.key)
    for unit in ("mm", "inch"):
        entered = some_entries(op, dice) if unit == "mm" else {}
        try:
            text = op.text(entered, unit)  # type: ignore[arg-type]
        except CannotBe:
            continue
        (found,) = find_all(["(HEAD)", *text, "M30"], operations_of(kind))
        assert (found.first, found.last, found.edited) == (1, len(text), False) and found.operation is op
        assert op.text(op.only_asked(found.entered), unit) == text  # type: ignore[arg-type]
        assert all(len(line) <= 72 for line in text)
        off = op.text({**op.only_asked(found.entered), "off": "yes"}, unit)  # type: ignore[arg-type]
        assert all(line.startswith("(") for line in off)
        (again,) = find_all(list(off), operations_of(kind))
        assert again.entered["off"] == "yes" and not again.edited


@pytest.mark.parametrize("finish", ["plain", "comp"])
@pytest.mark.parametrize("way", ["helix", "ramp", "plunge"])
def test_a_pocket_with_an_island_is_cleared_to_its_walls(prove_text: Prove, finish: str, way: str) -> None:
    op = OPS["pocket-any-contour"]
    proof = proved(prove_text, "mill", op, {"d": "8", "way": way, "finish": finish, "deep": "6"})
    outer = shapely.box(8, 8, 92, 52).buffer(8.0, quad_segs=64)
    region = outer.difference(shapely.box(60, 20, 75, 40))
    xs, ys, gx, gy = grid(-10, -10, 110, 70, 0.7)
    z = heights(proof, xs, ys)
    # Where the round tool can reach: opened by its radius (shapely's own offsets).
    reach = region.buffer(-4.0, quad_segs=64).buffer(4.0, quad_segs=64)
    inside = shapely.contains_xy(reach.buffer(-1.5 * CELL), gx, gy)
    outside = ~shapely.contains_xy(region.buffer(1.5 * CELL), gx, gy)
    assert np.allclose(z[inside], -6.0, atol=1e-6) and np.allclose(z[outside], 0.0, atol=1e-6)


MILLED = [op for op in OPS.values() if not op.shared]


@pytest.mark.parametrize("op", MILLED, ids=[op.key for op in MILLED])
def test_every_other_way_comes_to_the_same_shape(prove_text: Prove, op: Operation) -> None:
    entered = op.only_asked({f.key: f.first("mm") for f in op.fields} | short(op))
    xs, ys, *_ = grid(0.25, 0.25, 100, 60, 0.5)
    mine = heights(proved(prove_text, "mill", op, entered), xs, ys)
    for way in op.other_ways(entered, "mm"):
        other = op.only_asked({**entered, way.key: way.value})
        z = heights(proved(prove_text, "mill", op, other), xs, ys)
        # A ball leaves its ridges elsewhere.
        assert np.mean(np.abs(z - mine) > 0.06) < 0.02, way
        back = {w.value: w for w in op.other_ways(other, "mm") if w.key == way.key}
        assert back[entered[way.key]].minutes == op.answer(entered, "mm").minutes


def test_a_pocket_is_little_air() -> None:
    op, dice, shares = OPS["pocket-any-contour"], random.Random(5), []
    while len(shares) < (25 if DEEP else 12):
        try:
            answer = op.answer(some_entries(op, dice, {"parts": "one"}), "mm")
        except CannotBe:
            continue
        way = {"cut": 0.0, "help": 0.0}
        for s in answer.strokes:
            if s.style in way:
                turned = math.radians(s.at[4] - s.at[3]) if s.kind == "arc" else 0.0
                way[s.style] += s.at[2] * turned if s.kind == "arc" else math.dist(s.at[:2], s.at[2:4])
        shares.append(way["help"] / way["cut"])
    assert np.mean(shares) < 0.1 and max(shares) < 0.17


def test_the_rest_of_a_pocket_is_what_the_smaller_tool_reaches(prove_text: Prove) -> None:
    entered = {"d": "6", "dbig": "30", "deep": "4"}
    proof = proved(prove_text, "mill", OPS["rest-of-a-pocket"], entered)
    region = shapely.box(8, 8, 92, 52).buffer(8.0, quad_segs=64).difference(shapely.box(60, 20, 75, 40))
    done = region.buffer(-15.0, quad_segs=64).buffer(15.0, quad_segs=64)
    wanted = region.buffer(-3.0, quad_segs=64).buffer(3.0, quad_segs=64).difference(done)
    xs, ys, gx, gy = grid(-10, -10, 110, 70, 0.5)
    z = heights(proof, xs, ys)
    inside = shapely.contains_xy(wanted.buffer(-1.5 * CELL), gx, gy)
    assert inside.sum() > 20 and np.allclose(z[inside], -4.0, atol=1e-6)
    assert np.allclose(z[~shapely.contains_xy(region.buffer(1.5 * CELL), gx, gy)], 0.0, atol=1e-6)


@pytest.mark.parametrize("finish", ["plain", "comp"])
@pytest.mark.parametrize("lead", ["arc", "line", "ramp"])
@pytest.mark.parametrize("turn", ["climb", "against"])
def test_an_outline_leaves_the_part_with_its_tabs(prove_text: Prove, finish: str, lead: str, turn: str) -> None:
    entered = {
        "lead": lead,
        "finish": finish,
        "turn": turn,
        "deep": "6",
        "tabs": "3",
        "tabw": "5",
        "tabh": "1.5",
        "d": "8",
    }
    proof = proved(prove_text, "mill", OPS["outline"], entered)
    part = shapely.Polygon([(0, 0), (70, 0), (80, 10), (80, 42), (72, 50), (0, 50)]).union(
        shapely.Point(70, 10).buffer(10, quad_segs=90)
    )
    xs, ys, gx, gy = grid(-20, -20, 100, 70, 0.6)
    z = heights(proof, xs, ys)
    assert np.allclose(z[shapely.contains_xy(part.buffer(-1.5 * CELL), gx, gy)], 0.0, atol=1e-6)
    ring = part.buffer(8.0 - 2 * CELL, quad_segs=64).difference(part.buffer(1.5 * CELL, quad_segs=64))
    low = z[shapely.contains_xy(ring, gx, gy)]
    tabs = np.isclose(low, -4.5, atol=1e-6)
    assert np.all(tabs | np.isclose(low, -6.0, atol=1e-6))
    # Three bridges five wide across a ring of the tool's width, their ends rounded by the tool.
    assert tabs.sum() * 0.36 == pytest.approx(3 * 5.0 * 7.1, rel=0.25)
    sides = {s.comp for s in proof.motions.in_force}
    assert (("left" if turn == "climb" else "right") in sides) == (finish == "comp")


@pytest.mark.parametrize(("key", "entered", "region"), [
    ("slot-straight", {"wide": "14", "d": "8"}, shapely.LineString([(20, 20), (80, 20)]).buffer(7.0, quad_segs=90)),
    ("slot-straight", {"wide": "8", "d": "8"}, shapely.LineString([(20, 20), (80, 20)]).buffer(4.0, quad_segs=90)),
    ("slot-round", {"wide": "12", "d": "8", "span": "120"},
     shapely.LineString([(50 + 30 * math.cos(math.radians(a)), 30 + 30 * math.sin(math.radians(a))) for a in np.linspace(0, 120, 400)]).buffer(6.0, quad_segs=90)),
])  # fmt: skip
def test_a_slot_is_its_middle_line_widened(
    prove_text: Prove, key: str, entered: dict[str, str], region: shapely.Polygon
) -> None:
    proof = proved(prove_text, "mill", OPS[key], {**entered, "deep": "5"})
    xs, ys, gx, gy = grid(0, 0, 100, 75, 0.6)
    z = heights(proof, xs, ys)
    assert np.allclose(z[shapely.contains_xy(region.buffer(-1.5 * CELL), gx, gy)], -5.0, atol=1e-6)
    assert np.allclose(z[~shapely.contains_xy(region.buffer(1.5 * CELL), gx, gy)], 0.0, atol=1e-6)


@pytest.mark.parametrize(("key", "shape"), [
    ("boss-rectangular", shapely.box(25, 20, 75, 40).buffer(5.0, quad_segs=64)), ("boss-round", shapely.Point(50, 30).buffer(20.0, quad_segs=128)),
])  # fmt: skip
def test_a_boss_stands_alone(prove_text: Prove, key: str, shape: shapely.Polygon) -> None:
    proof = proved(prove_text, "mill", OPS[key], {"d": "10", "deep": "5"})
    xs, ys, gx, gy = grid(0.5, 0.5, 99.5, 59.5, 0.6)
    z = heights(proof, xs, ys)
    assert np.allclose(z[shapely.contains_xy(shape.buffer(-1.5 * CELL), gx, gy)], 0.0, atol=1e-6)
    assert np.allclose(z[~shapely.contains_xy(shape.buffer(1.5 * CELL), gx, gy)], -5.0, atol=1e-6)


@pytest.mark.parametrize(("hole", "more", "over"), [
    # ISO 273 medium, DIN 974-1 and ISO 10642 for M6; ISO 724 for the tapped hole; all from memory.
    ("plain", {"dia": "9"}, 9.0), ("counterbore", {"screw": "M6"}, 11.0), ("countersink", {"screw": "M6"}, 13.44),
    ("ream", {"fit": "10 H7"}, 10.0075), ("thread", {"thread": "M8"}, 8.0),
])  # fmt: skip
def test_holes_have_their_diameter_at_the_top(prove_text: Prove, hole: str, more: dict[str, str], over: float) -> None:
    entered = {
        "hole": hole,
        **more,
        "pattern": "list",
        "points": "10 10\n50 40",
        "deep": "20",
        "spot": "no",
        "mat": "steel",
    }
    proof = proved(prove_text, "mill", OPS["holes"], entered)
    for x, y in ((10.0, 10.0), (50.0, 40.0)):
        across = np.arange(-9.0, 9.0, 0.05)
        z = Surface(proof).heights(np.array([(x + a, y) for a in across]))
        assert np.ptp(across[z < -0.2]) == pytest.approx(over - (0.4 if hole == "countersink" else 0.0), abs=2.5 * CELL)
        assert z[len(z) // 2] <= -20.0


def test_a_chamfer_is_as_wide_as_asked(prove_text: Prove) -> None:
    entered = {"wide": "1.2", "below": "0.6", "sig": "90", "d": "10"}
    proof = proved(prove_text, "mill", OPS["chamfer"], entered, 0.1)
    across = np.arange(-2.0, 3.0, 0.1) + 0.05
    z = Surface(proof).heights(np.array([(30.0, a) for a in across]))
    # Along the lower edge, y = 0: a slope of 45 degrees from the top 1.2 inside to 1.2 below at the edge itself.
    on = (across > 0.1) & (across < 1.1)
    assert np.allclose(z[on], across[on] - 1.2, atol=0.11)
    assert np.allclose(z[across > 1.35], 0.0, atol=1e-6)


def test_letters_stand_where_their_extents_say(prove_text: Prove) -> None:
    op = OPS["engraving"]
    entered = {"text": "HO-8", "high": "12", "x": "20", "y": "15", "d": "0.5", "deep": "0.4"}
    answer = op.answer(entered, "mm")
    shown = {row.word: row.shown for row in answer.rows}
    # H 8, O 8, dash 5, 8 from 0.5 to 6.5 of its own: the font's units are mm at a height of 12.
    assert shown["Extents X"] == f"20 to {20 + 8 + 8 + 5 + 6.5 + 3 * 2.6:g}" and shown["Extents Y"] == "15 to 27"
    proof = proved(prove_text, "mill", op, entered, 0.1)
    surface = Surface(proof)
    # The bar of the H, half way up; nothing in the middle of the O.
    inside = surface.heights(np.array([(24.0, 21.0), (34.6, 21.0), (20.0, 25.0), (60.0, 21.0)]))
    assert (
        inside[0] == pytest.approx(-0.4, abs=1e-5)
        and inside[2] == pytest.approx(-0.4, abs=1e-5)
        and inside[1] == inside[3] == 0.0
    )


def test_every_letter_has_strokes_within_its_height() -> None:
    assert set(
        "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789.,:;-+/()=!?\u00d8\u00b0\u00b1\u00c4\u00d6\u00dc\u00e4\u00f6\u00fc"
    ) <= set(GLYPHS)
    for letter in GLYPHS:
        ys = [y for stroke in glyph(letter) for s in stroke for _x, y in ((s.x0, s.y0), *s.places(0.01))]
        assert min(ys) >= -4.1 and max(ys) <= 15.0 and 0.0 <= width(letter) <= 12.0
        for stroke in glyph(letter):
            assert all(math.dist((a.x1, a.y1), (b.x0, b.y0)) < 1e-9 for a, b in itertools.pairwise(stroke))
    assert max(y for s in glyph("H") for g in s for y in (g.y0, g.y1)) == 12.0


def test_numbers_count_up_and_what_the_font_has_not_is_said() -> None:
    op = OPS["engraving"]
    text = op.answer({"text": "NO ##", "copies": "3", "first": "9"}, "mm")
    assert text.rows[0].shown == "NO 09 to NO 11"
    with pytest.raises(CannotBe, match="more figures"):
        op.answer({"text": "#", "copies": "3", "first": "9"}, "mm")
    with pytest.raises(CannotBe, match="font"):
        op.answer({"text": "\u4e2d"}, "mm")


def test_the_rise_of_a_section_is_the_sum_of_the_trade() -> None:
    # Common practice, no source: radius 18 over a width of 8 rises 0.4501, over 4 it rises 0.1115.
    assert rise_of(18.0, 8.0) == pytest.approx(0.4501, abs=5e-5) and rise_of(18.0, 4.0) == pytest.approx(
        0.1115, abs=5e-5
    )
    shown = {r.word: r.shown for r in OPS["surface"].answer({"radius": "18", "wide": "8", "d": "4"}, "mm").rows}
    assert shown["Rise"] == "0.45"


SHAPES = {
    "cylinder": lambda x, y: -40.0 + np.sqrt(np.maximum(1600.0 - (y - 20.0) ** 2, 0.0)),
    "trough": lambda x, y: 40.0 - rise_of(40.0, 40.0) - np.sqrt(np.maximum(1600.0 - (y - 20.0) ** 2, 0.0)),
    "dome": lambda x, y: -40.0 + np.sqrt(np.maximum(1600.0 - x * x - y * y, 0.0)),
    "bowl": lambda x, y: 40.0 - rise_of(40.0, 40.0) - np.sqrt(np.maximum(1600.0 - x * x - y * y, 0.0)),
    "cone": lambda x, y: np.interp(np.hypot(x, y), [0.0, 5.0, 20.0], [0.0, 0.0, -8.0]),
}


@pytest.mark.parametrize("ways", ["along", "across"])
@pytest.mark.parametrize("shape", SHAPES)
@pytest.mark.parametrize("tool", ["ball", "bull", "flat"])
def test_a_surface_is_nowhere_gouged_and_its_ridges_are_as_low_as_asked(
    prove_text: Prove, shape: str, ways: str, tool: str
) -> None:
    entered = {
        "shape": shape, "x": "50", "y": "50", "d": "8", "tool": tool, "re": "2", "ways": ways, "by": "ridge", "ridge": "0.02",
        "top": "0.5", "long": "30", "beside": "free",
    }  # fmt: skip
    proof = proved(prove_text, "mill", OPS["surface"], OPS["surface"].only_asked(entered), 0.25)
    carried = shape in ("cylinder", "trough")
    # Sampled where cells are: their heights are those at their middles.
    us = np.arange(-19.0, 19.0, 0.75) + 0.125
    vs = np.arange(2.0, 28.0, 3.0) + 0.125 if carried else us
    gx, gy = np.meshgrid(vs, us)
    if not carried:
        keep = np.hypot(gx, gy) < 19.0
        gx, gy = gx[keep], gy[keep]
    else:
        gx, gy = gx.ravel(), (gy + 20.0).ravel()
    wanted = SHAPES[shape](gx, gy)
    z = Surface(proof).heights(np.column_stack([50.0 + gx, 50.0 + gy]))
    assert np.min(z - wanted) > -0.01
    # What stands is what the form says stands; a spoke's ridge is that of the rim and less inside.
    answer = OPS["surface"].answer(OPS["surface"].only_asked(entered), "mm")
    told = {row.word: float(row.shown) for row in answer.rows if row.word.startswith(("Ridges", "Out of"))}
    assert np.max(z - wanted) < sum(told.values()) + 0.011, (np.max(z - wanted), told)
    # Asked for square to the surface, told straight up: on a slope of 30 degrees a sixth more, and a chord's 0.002.
    assert told["Ridges between rows"] < 0.02 / math.cos(math.radians(32.0)) + 0.003
    if tool == "bull" and shape in ("trough", "bowl"):
        # Its flat of 4 does not go down into a hollow of radius 40: so much stays under it.
        assert math.isclose(told["Out of the tool's reach"], rise_of(40.0, 4.0), abs_tol=0.01)


def test_rows_over_a_level_place_leave_the_closed_form_of_their_tool() -> None:
    # Plane geometry: a ball r - sqrt(r2 - (s / 2)2); a flat of 4 between corners of 3 nothing up to a step of 4.
    at, u = np.array([0.0, 1.0]), np.array([0.5])
    for form, wanted in ((Form(5.0, 5.0), 5.0 - math.sqrt(25.0 - 0.25)), (Form(5.0, 3.0), 0.0), (Form(5.0, 0.0), 0.0)):
        assert np.allclose(left_by_rows(at, np.zeros(2), form, u), wanted)
        level = np.zeros(2001)
        assert np.allclose(left_by(level, 0.01, form, 0.5)[1000], wanted)
    # Down a slope of one in two by a sharp edge: the step it says, put to the test by the rim's own circle.
    step = edge_step(5.0, 0.02, 0.5)
    slope = np.arange(4001) * 0.005
    over = left_by(slope, 0.01, Form(5.0, 0.0), step / 2.0) - left_by(slope, 0.01, Form(5.0, 0.0))
    assert np.allclose(over[2000], 0.02, atol=1e-9)
    # A crown that a flat tool comes to from both sides is not left out between them, however far it has fallen before.
    tips_u = np.linspace(-20.0, 20.0, 4001)
    rows = along_profile(tips_u, -np.maximum(np.abs(tips_u) - 5.0, 0.0), 5.0, 0.02)
    assert np.diff(tips_u[rows]).max() <= 5.0 + 0.02


def test_the_lowest_tip_over_an_arc_is_its_closed_form() -> None:
    # A ball over a cylinder touches where the two normals are one: its middle runs on a circle of R + r.
    form = Form(3.0, 3.0)
    u, tips = arc_profile(40.0, 30.0, 0.0, False).lowest(form)
    inner = (u > 3.0) & (u < 27.0)
    assert np.allclose(tips[inner], np.sqrt(43.0**2 - (u[inner] - 15.0) ** 2) - 43.0, atol=2e-5)
    u, tips = turned_arc(40.0, 30.0, 0.0, True).lowest(form)
    inner = u < 11.0
    edge = 40.0 - rise_of(40.0, 30.0)
    assert np.allclose(tips[inner], edge - 3.0 - np.sqrt(37.0**2 - u[inner] ** 2), atol=2e-5)


@pytest.mark.parametrize("ways", ["along", "across"])
@pytest.mark.parametrize("along", ["x", "y"])
def test_a_surface_about_a_lying_axis_is_the_body_of_its_profile(prove_text: Prove, ways: str, along: str) -> None:
    """Height over a place: axis + sqrt(R(v)^2 - u^2) (a body of revolution, on paper)."""
    entered = {
        "x": "30", "y": "40", "along": along, "axis": "-13", "low": "-14", "top": "0", "outer": "18", "d": "6", "ways": ways,
        "by": "ridge", "ridge": "0.02", "profile": "0 8\n10 12\n30 12\n40 9",
    }  # fmt: skip
    op = OPS["surface-about-a-lying-axis"]
    proof = proved(prove_text, "mill", op, op.only_asked(entered), 0.2)
    vs, us = np.arange(0.5, 39.5, 0.6), np.arange(-16.9, 17.0, 0.6)  # the middles of cells
    gv, gu = (part.ravel() for part in np.meshgrid(vs, us))
    radius = np.interp(gv, [0.0, 10.0, 30.0, 40.0], [8.0, 12.0, 12.0, 9.0])
    wanted = np.where(np.abs(gu) < radius, -13.0 + np.sqrt(np.maximum(radius**2 - gu**2, 0.0)), -np.inf)
    at = np.column_stack([30.0 + gv, 40.0 + gu]) if along == "x" else np.column_stack([30.0 - gu, 40.0 + gv])
    z = Surface(proof).heights(at)
    # Where it stands steeper than 60 degrees a cell's half is more in height than is asked.
    gentle = np.abs(gu) < 0.86 * radius
    assert np.min((z - wanted)[gentle]) > -0.012
    corner = np.abs(gv - 10.0) < 1.0
    assert np.max((z - wanted)[gentle & ~corner]) < 0.02 * 2.0 + 0.02
    beside = np.abs(gu) > radius + 3.5
    # Beside it: the depth, the allowance of 0.3, and what a ball of 6 leaves between rows 40 % of it apart.
    assert np.max(z[beside]) < -14.0 + 0.3 + 3.0 - np.sqrt(9.0 - 1.2**2) + 0.02
    assert np.min(z) > -14.0 - 0.01


# -- walls that lean ----------------------------------------------------------------------------------------------------------

OUTER, ISLAND = shapely.box(8, 8, 92, 52).buffer(8.0, quad_segs=64), shapely.box(60, 20, 75, 40)


def leaning(xs: np.ndarray, ys: np.ndarray, deep: float, lean: float) -> np.ndarray:
    """The wanted floor: where a place is d from the nearest wall's top edge, d / tan(lean) down, and no lower than the floor."""
    region = OUTER.difference(ISLAND)
    away = shapely.distance(region.boundary, shapely.points(*np.meshgrid(xs, ys)))
    inside = shapely.contains_xy(region, *np.meshgrid(xs, ys))
    return np.where(inside, np.maximum(-away / np.tan(np.radians(lean)), -deep), 0.0)


@pytest.mark.parametrize(("lean", "step"), [(5.0, 0.4), (12.0, 0.8)])
def test_a_pocket_whose_walls_lean_is_what_they_leave(prove_text: Prove, lean: float, step: float) -> None:
    entered = {"d": "8", "deep": "6", "taper": str(lean), "wallstep": str(step), "way": "helix"}
    proof = proved(prove_text, "mill", OPS["pocket-any-contour"], entered, 0.2)
    xs, ys, gx, gy = grid(-4, -4, 104, 64, 0.45)
    z, want = heights(proof, xs, ys), leaning(xs, ys, 6.0, lean)
    off = z - want
    # No gouge: half a cell beside a wall is 0.1 / tan(lean) of height.
    cell = 0.15 / np.tan(np.radians(lean))
    near = np.abs(want) > 0.05
    assert float(off.min()) > -cell - 0.01
    # A flat tool leaves no more than a step down the wall; corners that it does not fit into are sharp at the island only, from outside.
    reach = shapely.contains_xy(OUTER.difference(ISLAND).buffer(-0.3), gx, gy)
    assert float(off[near & reach].max()) < step + cell + 0.01
    floor = reach & (want <= -6.0 + 1e-9)
    assert np.allclose(
        z[
            floor
            & ~shapely.contains_xy(
                OUTER.difference(ISLAND).boundary.buffer(6.0 * np.tan(np.radians(lean)) + 0.3), gx, gy
            )
        ],
        -6.0,
        atol=1e-6,
    )


def test_a_ball_lies_against_a_leaning_wall() -> None:
    """Its middle is a radius off the wall, square to it, at every depth (by similar triangles, on paper)."""
    for angle in (2.0, 10.0, 30.0):
        a = math.radians(angle)
        for corner, r in ((4.0, 4.0), (1.0, 4.0), (0.0, 4.0)):
            lean = Lean(angle=a, corner=corner, step=0.5, walls_only=True)
            for deep in (0.5, 3.0, 6.0):
                # The corner's middle: so far inside the contour, so far below the top. The wall runs in by tan(angle) a mm of depth.
                inside, below = lean.inset(deep, r) - (r - corner), deep - corner
                off = (inside - below * math.tan(a)) * math.cos(a)
                assert off == pytest.approx(corner)


def test_walls_that_meet_and_rows_that_leave_ridges_are_refused() -> None:
    op = OPS["pocket-any-contour"]
    for entered, why in (
        ({"deep": "40", "down": "5", "taper": "40"}, "the walls meet"),
        ({"taper": "5", "re": "4", "d": "8"}, "ridges on the floor"),
        ({"taper": "60"}, "up to 45"),
    ):
        with pytest.raises(CannotBe, match=why):
            op.text({"d": "8", **entered}, "mm")
    rows = op.answer({"d": "8", "deep": "6", "taper": "10"}, "mm").rows
    assert next(row.shown for row in rows if row.word == "Floor is narrower by").startswith(
        "2.116"
    )  # 12 tan 10 degrees
