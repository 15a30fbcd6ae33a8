"""What turning operations leave, against the profile asked for as a polygon of shapely and closed forms of the handbook."""

from __future__ import annotations

import math
import random
from collections.abc import Callable

import numpy as np
import pytest
import shapely

from tests.core.compose.entries import TRIES
from tests.core.compose.test_milled import proved
from underglass.core.compose.operation import Around
from underglass.core.compose.registry import operations_of
from underglass.core.compose.shop import FIRST
from underglass.core.proof.proof import Proof
from underglass.core.reckon.form import CannotBe
from underglass.core.reckon.threads import basic
from underglass.core.trades.turning.operations.common import read_profile

Prove = Callable[..., Proof]
OPS = {op.key: op for op in operations_of("lathe")}


def section(proof: Proof) -> shapely.Geometry:
    """The half section that is left, (radius, Z)."""
    return proof.histories[0].final.shape  # type: ignore[attr-defined]


def rings(proof: Proof, z: float) -> list[tuple[float, float]]:
    return proof.histories[0].final.rings_at(z)  # type: ignore[attr-defined,no-any-return]


@pytest.mark.parametrize("nose", ["comp", "figures"])
@pytest.mark.parametrize("rough", ["along", "across", "cycle"])
@pytest.mark.parametrize("key", ["turn-a-profile", "bore-a-profile"])
def test_a_profile_is_what_is_left(prove_text: Prove, key: str, rough: str, nose: str) -> None:
    op, entered = OPS[key], {"nose": nose, "rough": rough, "re": "0.4"}
    proof = proved(prove_text, "lathe", op, entered)
    asked = read_profile(next(f.start for f in op.fields if f.key == "profile"), "mm")
    places = [(r, z) for z, r in asked.places(0.0005).tolist()]
    end = places[-1]
    if key == "turn-a-profile":
        part = shapely.Polygon([(0.0, 0.0), *places, (end[0], -60.0), (0.0, -60.0)])
    else:
        part = shapely.Polygon([*places, (end[0], -60.0), (30.0, -60.0), (30.0, 0.0)])
    box = shapely.box(0.0, end[1] + 0.01, 40.0, 0.0)
    left, wanted = shapely.intersection(section(proof), box), shapely.intersection(part, box)
    # Nothing is cut into by a hundredth; what stays is the nose's own round in the one corner drawn sharp: (1 - pi/4) r2.
    assert shapely.difference(wanted, left).buffer(-0.005).area == pytest.approx(0.0, abs=1e-4)
    assert shapely.difference(left, wanted).buffer(-0.005).area < (1 - math.pi / 4) * 0.16


@pytest.mark.parametrize("rough", ["along", "across"])
def test_roughing_leaves_what_is_asked_and_no_more(prove_text: Prove, rough: str) -> None:
    op = OPS["turn-a-profile"]
    proof = proved(prove_text, "lathe", op, {"rough": rough, "finish": "no", "left": "0.5", "re": "0.4"})
    asked = read_profile(op.fields[0].start, "mm")
    line = shapely.LineString([(r, z) for z, r in asked.places(0.001).tolist()])
    edge = section(proof).exterior
    free = [p for p in shapely.segmentize(edge, 0.2).coords if -29.0 < p[1] < -0.2 and 9.5 < p[0] < 19.5]
    off = np.array([line.distance(shapely.Point(p)) for p in free])
    assert off.min() > 0.485 and off.max() < 0.5 + 0.21


def test_the_controls_own_cycle_is_written_with_its_own_letters_or_not_at_all() -> None:
    op = OPS["turn-a-profile"]
    letters = {"from": "A", "to": "B", "pass": "D", "leave_x": "X", "leave_z": "Z"}
    own = Around(texts=FIRST["lathe"], cycles={"rough-along-z": ("G81", letters), "finish": ("G80", letters)})
    text = op.text({"rough": "cycle", "n": "700"}, "mm", own)
    rough = next(k for k, line in enumerate(text) if line.startswith("G81 "))
    assert text[rough].startswith("G81 A700 B800 D1.5 X0.6 Z0.3 F") and text[rough + 1].startswith("N700 G0 X20.")
    assert "G80 A700 B800" in text
    with pytest.raises(CannotBe, match="no such cycle"):
        op.text({"rough": "cycle"}, "mm", Around(texts=FIRST["lathe"], cycles={"finish": ("G70", letters)}))
    with pytest.raises(CannotBe, match="only rises"):
        op.text({"rough": "cycle", "profile": "20 0\n20 -10\n16 -15\n24 -30"}, "mm")


def test_a_bore_has_the_middle_of_its_fit(prove_text: Prove) -> None:
    # ISO 286: 13 H7 is 13.000 to 13.018.
    proof = proved(prove_text, "lathe", OPS["bore-to-a-fit"], {"fit": "13 H7"})
    assert rings(proof, -15.0)[0][1] == pytest.approx(13.009, abs=2e-3)
    assert rings(proof, -0.4)[0][1] == pytest.approx(13.009 + 2 * 0.6, abs=0.03)


def test_a_thread_has_its_core_and_even_area(prove_text: Prove) -> None:
    op = OPS["thread"]
    # ISO 724 and ISO 68-1: d3 of M24 x 1.5 is 22.160.
    _d2, d1, d3 = basic(24.0, 1.5)
    assert d3 == pytest.approx(22.160, abs=5e-4) and d1 == pytest.approx(22.376, abs=5e-4)
    answer = op.answer({"n": "9", "spring": "0"}, "mm")
    xs = [float(b.split("X")[1].split()[0]) for b in answer.blocks if b.startswith("X") or b.startswith("G0 X")]
    depths = [(24.0 - x) / 2 for x in xs if x < 24.0]
    assert len(depths) == 9 and depths[-1] * 2 == pytest.approx(24.0 - d3, abs=2e-3)
    area = np.array(depths) ** 2
    assert np.allclose(np.diff(np.concatenate([[0.0], area])), area[0], rtol=0.01)
    assert proved(prove_text, "lathe", op, {"n": "9"}).troubles is not None


def test_grooves_undercuts_and_forms_have_their_sizes(prove_text: Prove) -> None:
    proof = proved(prove_text, "lathe", OPS["groove"], {"chamfer": "0.5"})
    assert rings(proof, -12.5)[0][0] == pytest.approx(32.0, abs=1e-3)
    assert rings(proof, -9.9)[0][0] == pytest.approx(40.0 - 2 * 0.4, abs=0.02) and rings(proof, -9.3)[0][0] == 40.0
    proof = proved(prove_text, "lathe", OPS["undercut"], {"form": "f", "size": "0.6x0.3", "re": "0.4"})
    # DIN 509, from memory: 0.3 deep in the shaft, 0.2 in the face.
    assert rings(proof, -14.0)[0][0] == pytest.approx(24.0 - 0.6, abs=2e-3)
    assert not shapely.contains_xy(section(proof), 12.1, -15.05) and shapely.contains_xy(section(proof), 16.0, -15.05)
    proof = proved(prove_text, "lathe", OPS["radius-chamfer-ball"], {"size": "6", "stock": "30"})
    for z in (-1.0, -3.0, -5.0):
        assert rings(proof, z)[0][0] / 2 == pytest.approx(9.0 + math.sqrt(36.0 - (6.0 + z) ** 2), abs=0.005)
    proof = proved(prove_text, "lathe", OPS["radius-chamfer-ball"], {"size": "3", "stock": "30", "form": "chamfer"})
    assert rings(proof, -1.0)[0][0] / 2 == pytest.approx(15.0 - 2.0, abs=0.005)


@pytest.mark.parametrize(("key", "entered", "why"), [
    ("turn-a-profile", {"stock": "30"}, "larger than the stock"), ("bore-to-a-fit", {"there": "14"}, "already as large"),
    ("groove", {"width": "6"}, "wider than the groove"), ("groove", {"n": "2", "pitch": "5"}, "run into one another"),
    ("thread", {"thread": "M7.3"}, "no coarse pitch"), ("thread", {"z1": "2"}, "smaller Z"), ("drill-on-the-axis", {"peck": "0.01"}, "too small"),
    ("turn-a-profile", {"profile": "20 0\nY4"}, "no Y"), ("undercut", {"re": "0.9"}, "rounder"),
])  # fmt: skip
def test_what_cannot_be_turned_is_said(key: str, entered: dict[str, str], why: str) -> None:
    with pytest.raises(CannotBe, match=why):
        OPS[key].answer(entered, "mm")


FALLING = {
    "turn-a-profile": "20 0\n20 -8\n14 -14\n14 -22\n24 -27\n24 -31\n20 -36 R2\n20 -42\n40 -46",
    "bore-a-profile": "26 0\n26 -8\n29 -12\n29 -22\n24 -27\n24 -30\n26 -34\n26 -40\n20 -44",
}


@pytest.mark.parametrize("nose", ["comp", "figures"])
@pytest.mark.parametrize("rough", ["along", "across"])
@pytest.mark.parametrize("key", list(FALLING))
def test_a_profile_that_falls_again_is_what_is_left(prove_text: Prove, key: str, rough: str, nose: str) -> None:
    op, profile = OPS[key], FALLING[key]
    proof = proved(
        prove_text,
        "lathe",
        op,
        {
            "nose": nose,
            "rough": rough,
            "re": "0.4",
            "profile": profile,
            "fall": "45" if key == "turn-a-profile" else "31",
            "down": "1",
        },
    )
    places = [(r, z) for z, r in read_profile(profile, "mm").places(0.0005).tolist()]
    end = places[-1]
    outside = key == "turn-a-profile"
    part = shapely.Polygon(
        [(0.0, 0.0), *places, (end[0], -60.0), (0.0, -60.0)]
        if outside
        else [*places, (end[0], -60.0), (30.0, -60.0), (30.0, 0.0)]
    )
    box = shapely.box(0.0, end[1] + 0.01, 40.0, 0.0)
    left, wanted = shapely.intersection(section(proof), box), shapely.intersection(part, box)
    assert shapely.difference(wanted, left).buffer(-0.005).area == pytest.approx(0.0, abs=1e-4)
    # Corners drawn sharp keep what the nose's round leaves: (1 - pi/4) r2 at a right angle, less at these.
    assert shapely.difference(left, wanted).buffer(-0.005).area < 4 * (1 - math.pi / 4) * 0.16
    # Roughed first: the last cut takes no more than is left for it, in the hollows too.
    rough_only = proved(
        prove_text,
        "lathe",
        op,
        {
            "finish": "no",
            "rough": rough,
            "re": "0.4",
            "profile": profile,
            "fall": "45" if outside else "31",
            "left": "0.3",
        },
    )
    rest = shapely.difference(shapely.intersection(section(rough_only), box), wanted)
    assert rest.difference(wanted.buffer(0.3 + 0.02 + 0.4 * (math.sqrt(2.0) - 1.0))).area < 0.01
    assert shapely.difference(wanted, section(rough_only)).area < 1e-3


def test_a_fall_steeper_than_the_back_edge_is_refused_where_it_is() -> None:
    op = OPS["turn-a-profile"]
    with pytest.raises(CannotBe, match=r"drops 45 degrees at Z-10\.?, this insert can take 30") as problem:
        op.answer({"profile": "20 0\n20 -10\n16 -12\n24 -30", "fall": "30"}, "mm")
    assert problem.value.key == "profile"
    passes = [
        b
        for b in op.answer(
            {
                "profile": "30 0\n30 -10\n20 -20\n30 -30\n40 -30",
                "fall": "45",
                "finish": "no",
                "left": "0",
                "re": "0",
                "nose": "figures",
            },
            "mm",
        ).blocks
        if b.startswith("X")
    ]
    assert passes


def hollowed(dice: random.Random, outside: bool) -> str:
    """Rows of a profile with hollows: falls of up to 30 degrees, rises of up to 80."""
    sign, r, z = (1.0, dice.uniform(9.0, 12.0), 0.0) if outside else (-1.0, dice.uniform(13.0, 14.0), 0.0)
    rows = [(2.0 * r, z)]
    for _k in range(dice.randint(1, 3)):
        deep = dice.uniform(0.3, 3.0) if outside else dice.uniform(0.3, 1.0)
        up = max(0.1, deep + (dice.uniform(-0.5, 2.0) if outside else dice.uniform(-0.3, 0.8)))
        z -= dice.uniform(2.0, 5.0)
        rows.append((2.0 * r, z))
        r, z = r - sign * deep, z - deep / math.tan(math.radians(dice.uniform(5.0, 30.0)))
        rows += [(2.0 * r, z), (2.0 * r, z - 3.0)]
        z -= 3.0
        r, z = r + sign * up, z - up / math.tan(math.radians(dice.uniform(20.0, 80.0)))
        rows.append((2.0 * r, z))
    return "\n".join(f"{x:.3f} {z:.3f}" for x, z in rows if z > -75.0)


@pytest.mark.parametrize("key", list(FALLING))
def test_any_hollows_are_turned_clean_and_to_their_shape(prove_text: Prove, key: str) -> None:
    dice, outside = random.Random(key), key == "turn-a-profile"
    for _try in range(TRIES):
        profile = hollowed(dice, outside)
        how = {
            "rough": dice.choice(("along", "across")),
            "nose": dice.choice(("comp", "figures")),
            "down": f"{dice.uniform(0.4, 2.0):.2f}",
        }
        entered = {**how, "profile": profile, "re": "0.4", "fall": "30.5", "left": f"{dice.uniform(0.0, 0.5):.2f}"}
        try:
            OPS[key].answer(entered, "mm")
        except CannotBe as problem:
            # Between two corners a short side is no way for a control that compensates; worked out, it is.
            assert "too round for the corner" in str(problem) and entered["nose"] == "comp"
            entered["nose"] = "figures"
        proof = proved(prove_text, "lathe", OPS[key], entered)
        places = [(r, z) for z, r in read_profile(profile, "mm").places(0.0005).tolist()]
        end = places[-1]
        part = shapely.Polygon(
            [(0.0, 0.0), *places, (end[0], -90.0), (0.0, -90.0)]
            if outside
            else [*places, (end[0], -90.0), (30.0, -90.0), (30.0, 0.0)]
        )
        box = shapely.box(0.0, end[1] + 0.5, 40.0, -0.01)
        left, wanted = shapely.intersection(section(proof), box), shapely.intersection(part, box)
        assert shapely.difference(wanted, left).buffer(-0.005).area < 1e-4, profile
        assert shapely.difference(left, wanted.buffer(0.005)).area < 0.04 * len(places), profile
