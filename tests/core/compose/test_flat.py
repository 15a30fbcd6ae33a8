"""Nests and punched shapes: what falls out and what is left, against regions of shapely."""

from __future__ import annotations

import math
from collections.abc import Callable

import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import affinity

from tests.core.compose.test_milled import proved
from underglass.core.compose.flat_parts import heat_apart, in_pairs, in_rows, laid, polygon
from underglass.core.compose.registry import operations_of
from underglass.core.proof.proof import Proof
from underglass.core.reckon.form import CannotBe
from underglass.core.trades.punching.operations.shapes import pitch_for

Prove = Callable[..., Proof]
NEST = operations_of("sheet")[0]
PUNCH = {op.key: op for op in operations_of("punch")}


def left(proof: Proof) -> shapely.Geometry:
    return proof.histories[0].final.region  # type: ignore[attr-defined,no-any-return]


@pytest.mark.parametrize("way", ["comp", "figures"])
@pytest.mark.parametrize("nest", ["as", "pairs"])
def test_gussets_come_out_with_their_area(prove_text: Prove, way: str, nest: str) -> None:
    proof = proved(prove_text, "sheet", NEST, {"way": way, "nest": nest, "count": "6"})
    pieces = proof.histories[0].pieces  # type: ignore[attr-defined]
    # A right triangle of 100 x 80 with flats of 15, a hole of 10: by its places.
    part = shapely.Polygon([(0, 0), (100, 0), (100, 15), (15, 80), (0, 80)]).area - math.pi * 25.0
    big = [p for p in pieces if p.area > 1000]
    assert len(big) == 6 and all(p.area == pytest.approx(part, abs=1.5) for p in big)
    assert len(pieces) == 12
    shapes = [shapely.Polygon(p.shape.exterior) for p in big]
    assert all(a.distance(b) > 12.0 - 1e-3 for k, a in enumerate(shapes) for b in shapes[:k])


def test_a_slot_that_runs_past_its_beginning_is_inside_however_far_from_the_zero(prove_text: Prove) -> None:
    # The drop-outs of slots: the cutter goes in within them, also where parts lie two hundred millimetres up the sheet.
    slotted = {
        "part": "slotted",
        "w": "158",
        "h": "78",
        "nest": "as",
        "count": "8",
        "kerf": "1.9",
        "way": "comp",
        "long": "38.4",
        "slot": "6.6",
        "joints": "1",
    }
    proof = proved(prove_text, "sheet", NEST, {**slotted, "x1": "522", "y1": "450", "order": "rows", "lead": "3"})
    assert {s.where for s in proof.run.stretches if len(s) == 7} == {"inside"}


def test_joints_hold_the_parts_and_holes_are_cut_first(prove_text: Prove) -> None:
    proof = proved(prove_text, "sheet", NEST, {"joints": "3", "count": "2", "part": "flange"})
    pieces = proof.histories[0].pieces  # type: ignore[attr-defined]
    assert len(pieces) == 2 * 4 and all(p.area < 1000 for p in pieces)
    text = NEST.text({"count": "1", "part": "flange"}, "mm")
    assert sum(line == "M3" for line in text) == 5 and sum(line.startswith("G4") for line in text) == 5


@given(st.floats(40, 120), st.floats(40, 120), st.floats(0, 30), st.floats(2, 20), st.booleans())
@settings(max_examples=30, deadline=None)
def test_whatever_lies_on_a_sheet_keeps_its_distance(w: float, h: float, flat: float, gap: float, pairs: bool) -> None:
    flat = min(flat, 0.5 * min(w, h))
    part = (polygon([(0, 0), (w, 0), (w, flat + 1), (flat + 1, h), (0, h)]),)
    lays = in_pairs(part, 500.0, 300.0, gap) if pairs else in_rows(part, 500.0, 300.0, gap, (0, 1))
    shapes = [laid(part, lay)[0].polygon() for lay in heat_apart(lays, (w, h))]
    assert len(shapes) == len(lays) > 0
    tree = shapely.STRtree(shapes)
    one, two = tree.query(shapes, predicate="dwithin", distance=gap - 1e-3)
    assert all(a == b for a, b in zip(one.tolist(), two.tolist(), strict=True))
    assert shapely.box(-1e-6, -1e-6, 500 + 1e-6, 300 + 1e-6).covers(shapely.union_all(shapes))


def test_pairs_take_more_gussets_than_rows() -> None:
    part = (polygon([(0, 0), (100, 0), (0, 80)]),)
    assert len(in_pairs(part, 600.0, 400.0, 10.0)) > len(in_rows(part, 600.0, 400.0, 10.0, (0, 1)))


@pytest.mark.parametrize(("key", "entered", "gone"), [
    ("punched-opening", {}, shapely.box(190, 185, 310, 255)),
    ("punched-slot", {}, shapely.LineString([(174, 200), (226, 200)]).buffer(4.0, quad_segs=90)),
    ("punched-slot", {"angle": "90"}, shapely.LineString([(200, 174), (200, 226)]).buffer(4.0, quad_segs=90)),
])  # fmt: skip
def test_what_is_punched_away_is_the_shape_asked_for(
    prove_text: Prove, key: str, entered: dict[str, str], gone: shapely.Polygon
) -> None:
    proof = proved(prove_text, "punch", PUNCH[key], entered)
    taken = shapely.difference(shapely.box(0, 0, 800, 500), left(proof))
    # Between two hits of the slot's round ends a wave stays that is thinner than a tenth.
    assert taken.difference(gone.buffer(0.01)).area < 1e-3 and gone.buffer(-0.11).difference(taken).area < 1e-3


TURN = {"rot": "12", "rotx": "180", "roty": "190"}


@pytest.mark.parametrize("key", ["nest", *PUNCH])
def test_what_is_turned_is_the_shape_turned(prove_text: Prove, key: str) -> None:
    """Against shapely's own rotation of what the same entries make when they are not turned."""
    kind, op = ("sheet", NEST) if key == "nest" else ("punch", PUNCH[key])
    turn = {"rot": "3", "rotx": "20", "roty": "10"} if key == "nest" else TURN
    entered = {"count": "4", "x1": "400"} if key == "nest" else {}
    gone = []
    for more in ({}, turn):
        proof = proved(prove_text, kind, op, entered | more)
        history = proof.histories[0]
        gone.append(shapely.difference(history.sheet, history.final.region))  # type: ignore[attr-defined]
    wanted = affinity.rotate(gone[0], float(turn["rot"]), origin=(float(turn["rotx"]), float(turn["roty"])))
    # Places are written to a thousandth, round punches are polygons that do not turn with them.
    assert gone[1].symmetric_difference(wanted).area < 0.004 * wanted.length
    rows = {row.word: row.shown for row in op.answer(entered | turn, "mm").rows}
    assert rows.get("Stands in the turret at") == ("12 degrees" if key in ("punched-slot", "punched-opening") else None)
    assert rows.get("Punches stand turned by") == (
        "12 degrees" if key in ("parts-cut-apart", "punched-contour") else None
    )


def test_a_piece_is_freed_by_the_last_hit(prove_text: Prove) -> None:
    proof = proved(prove_text, "punch", PUNCH["punched-opening"], {"slug": "piece"})
    found = [f for f in proof.findings if f.code == "piece-free"]
    last = max(k for k, line in enumerate(proof.source.lines, 1) if line.startswith("X"))
    assert len(found) == 1 and found[0].line == last


@pytest.mark.parametrize("scallop", ["0.1", "0.3"])
def test_a_round_opening_keeps_its_scallop(prove_text: Prove, scallop: str) -> None:
    proof = proved(prove_text, "punch", PUNCH["punched-round-opening"], {"scallop": scallop})
    hole = shapely.difference(shapely.box(150, 120, 350, 320), left(proof))
    hole = max(shapely.get_parts(hole), key=lambda g: g.area)
    far = [math.hypot(x - 250, y - 220) for x, y in hole.exterior.coords]
    assert max(far) == pytest.approx(38.0, abs=0.01) and min(far) >= 38.0 - float(scallop) - 0.01
    # q = 2 sqrt(r2 - (r - h)2), by Pythagoras: 3 4 5.
    assert pitch_for(5.0, 2.0) == pytest.approx(8.0)


def test_an_edge_leaves_the_part_whole_and_a_bridge(prove_text: Prove) -> None:
    proof = proved(prove_text, "punch", PUNCH["punched-edge"], {"bridge": "3"})
    part = shapely.Polygon([(180, 150), (260, 150), (280, 170), (280, 210), (260, 230), (180, 230)]).union(
        shapely.unary_union(
            [shapely.Point(260, 170).buffer(20, quad_segs=90), shapely.Point(260, 210).buffer(20, quad_segs=90)]
        )
    )
    assert part.difference(left(proof)).area < 0.05 and not [f for f in proof.findings if f.code == "piece-free"]


@pytest.mark.parametrize(("op", "entered", "why"), [
    (NEST, {"w": "900", "h": "700"}, "does not go on the sheet"), (NEST, {"gap": "1"}, "narrower than the kerf"),
    (NEST, {"part": "flange", "bore": "0.6", "way": "comp"}, "a hole is narrower than the kerf"),
    (NEST, {"part": "flange", "pcd": "99"}, "runs out"), (PUNCH["punched-slot"], {"long": "20"}, "shorter than the punch"),
    (PUNCH["punched-round-opening"], {"dia": "10"}, "larger than the opening"), (PUNCH["punched-edge"], {"scallop": "5"}, "teeth"),
])  # fmt: skip
def test_what_cannot_be_is_said(op: object, entered: dict[str, str], why: str) -> None:
    with pytest.raises(CannotBe, match=why):
        op.answer(entered, "mm")  # type: ignore[attr-defined]


@pytest.mark.parametrize("joint", ["0", "0.5"])
def test_parts_share_their_cuts_and_come_free_or_hang_by_their_corners(prove_text: Prove, joint: str) -> None:
    proof = proved(prove_text, "punch", PUNCH["parts-cut-apart"], {"joint": joint})
    boxes = [shapely.box(60 + i * 95, 140 + j * 65, 150 + i * 95, 200 + j * 65) for i in range(3) for j in range(2)]
    freed = [f for f in proof.findings if f.code == "piece-free"]
    pieces = [p for p in proof.histories[0].pieces if p.area > 1000]  # type: ignore[attr-defined]
    if joint == "0":
        assert len(pieces) == 6 and sorted(p.area for p in pieces) == pytest.approx([5400.0] * 6, abs=0.05)
    else:
        assert pieces == [] and freed == [] and all(shapely.difference(box, left(proof)).area < 1e-3 for box in boxes)
        # Each corner holds by a half on either side of it, so that four parts hang in a web between them.
        assert shapely.contains_xy(left(proof), 152.5, 202.5) and not shapely.contains_xy(left(proof), 152.5, 170.0)
    # Three cuts along X and four along Y instead of four about each of the six parts.
    hits, alone = (
        int(row.shown.split()[0])
        for row in (PUNCH["parts-cut-apart"].answer({"joint": joint}, "mm").rows[k] for k in (0, 3))
    )
    assert hits < 0.75 * alone


@pytest.mark.parametrize("side", ["outside", "inside"])
def test_a_contour_by_three_punches_is_the_shape_asked_for(prove_text: Prove, side: str) -> None:
    op = PUNCH["punched-contour"]
    proof = proved(prove_text, "punch", op, {"side": side, "scallop": "0.1"})
    part = shapely.Polygon(
        [(180, 150), (280, 150), (300, 170), (300, 230), (280, 250), (240, 250), (240, 210), (180, 210)]
    ).union(
        shapely.union_all(
            [shapely.Point(280, 170).buffer(20, quad_segs=90), shapely.Point(280, 230).buffer(20, quad_segs=90)]
        )
    )
    gone = shapely.difference(shapely.box(0, 0, 800, 500), left(proof))
    if side == "outside":
        assert shapely.intersection(gone, part).area < 0.02
        (piece,) = [p for p in proof.histories[0].pieces if p.area > 1000]  # type: ignore[attr-defined]
        # Scallops of a tenth stand on the two rounds of 31.4 mm.
        assert part.area - 0.01 <= piece.area <= part.area + 2 * 31.5 * 0.1
    else:
        assert gone.difference(part.buffer(0.005)).area < 1e-3
        (slit,) = [p for p in shapely.get_parts(gone) if p.area > 1000]
        opening = shapely.Polygon(slit.exterior)
        assert part.area - 2 * 31.5 * 0.1 - 1.0 < opening.area <= part.area + 0.01, (
            "the re-entrant corner is cut sharp by two rectangles"
        )
    # A rectangle leaves its side straight: no scallop along Y 150.
    edge = shapely.LineString([(200, 150), (270, 150)])
    assert edge.difference(gone.boundary.buffer(1e-3)).length < 1e-6
    text = op.text({"side": side}, "mm")
    assert sum(line.startswith("T") for line in text) == 2, "each station once; the first one is in already"
