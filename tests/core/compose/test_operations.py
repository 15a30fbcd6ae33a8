"""Fill-in operations, proved: what the generated text cuts is measured against shapely regions and the form's own heights."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import shapely
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st

from underglass.core.compose.operation import Operation, find_at
from underglass.core.compose.shop import ShopTexts, filled, first_place, values_for
from underglass.core.compose.writer import levels
from underglass.core.errors import BadEntry
from underglass.core.files.shop import read_shop, write_shop
from underglass.core.language.edits import renumber, spaced, unspaced
from underglass.core.proof.measure import Surface
from underglass.core.proof.proof import Proof
from underglass.core.reckon.form import CannotBe
from underglass.core.trades.milling.operations.all import OPERATIONS
from underglass.core.trades.milling.operations.facing import FACING
from underglass.core.trades.milling.operations.pocket import RECTANGULAR, ROUND

JOB = """\
format = 1
program = "plain.nc"
[zero]
G54 = { x = -300.0, y = -150.0, z = -200.0 }
[stock]
shape = "box"
size = [100.0, 60.0, 21.0]
place = [0.0, 0.0, -20.0]
[[tool]]
number = 1
kind = "end-mill"
DC = 10.0
APMX = 22.0
length = 75.0
stickout = 40.0
centre_cutting = CENTRE
holder = { diameter = 40.0, length = 30.0 }
[proof]
cell = 0.25
"""
CELL = 0.25


def proved(prove_text: Callable[..., Proof], op: Operation, entered: dict[str, str], centre: bool = True) -> Proof:
    """The operation's text between the shop's own, proved; no fault allowed."""
    blocks = op.text(entered, "mm")
    values = values_for("mm", tool=1, tool_name="end mill 10", speed="4000", title="test", blocks=blocks)
    shop = ShopTexts()
    lines = [*filled(shop.start, values), *filled(shop.tool_start, values), *blocks, *filled(shop.end, values)]
    proof = prove_text("\n".join(lines) + "\n", JOB.replace("CENTRE", "true" if centre else "false"))
    bad = [(f.code, f.line, f.message) for f in proof.troubles if f.severity.word in ("crash", "fault")]
    assert bad == [], bad
    return proof


def heights(proof: Proof) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Cell centres and heights of the finished stock, in part-zero coordinates."""
    surface = Surface(proof)
    xs = np.arange(0.0, 100.0, 1.0) + 0.5
    ys = np.arange(0.0, 60.0, 1.0) + 0.5
    points = np.array([(x, y) for y in ys for x in xs])
    return xs, ys, surface.heights(points).reshape(len(ys), len(xs))


def check_pocket(proof: Proof, region: shapely.Geometry, floor: float) -> None:
    """Inside the region's inset every place is at the floor; outside its outset nothing is touched."""
    xs, ys, z = heights(proof)
    gx, gy = np.meshgrid(xs, ys)
    inside = shapely.contains_xy(region.buffer(-1.5 * CELL), gx, gy)
    outside = ~shapely.contains_xy(region.buffer(1.5 * CELL), gx, gy)
    assert inside.sum() > 50
    assert np.allclose(z[inside], floor, atol=1e-6)
    assert np.allclose(z[outside], 1.0, atol=1e-6)


def test_facing_leaves_nothing_standing(prove_text: Callable[..., Proof]) -> None:
    for along in ("x", "y"):
        for ways in ("both", "one"):
            proof = proved(prove_text, FACING, {"along": along, "ways": ways, "down": "0.6"})
            assert np.allclose(heights(proof)[2], 0.0, atol=1e-6)


@pytest.mark.parametrize("way", ["helix", "ramp", "plunge"])
@pytest.mark.parametrize("turn", ["climb", "against"])
@pytest.mark.parametrize("finish", ["plain", "comp"])
def test_a_rectangular_pocket_is_what_the_form_says(
    prove_text: Callable[..., Proof], way: str, turn: str, finish: str
) -> None:
    entered = {"top": "1", "way": way, "turn": turn, "finish": finish, "deep": "6", "floor": "0.3", "near": "1"}
    proof = proved(prove_text, RECTANGULAR, entered, centre=way == "plunge")
    region = shapely.box(20 + 6, 10 + 6, 80 - 6, 50 - 6).buffer(6.0, quad_segs=64)
    check_pocket(proof, region, -5.0)
    sides = {s.comp for s in proof.motions.in_force}
    assert ("left" if turn == "climb" else "right") in sides if finish == "comp" else sides == {"off"}


@pytest.mark.parametrize(("way", "turn", "finish"), [("helix", "climb", "plain"), ("ramp", "against", "comp"), ("plunge", "climb", "comp")])  # fmt: skip
def test_a_round_pocket_is_what_the_form_says(
    prove_text: Callable[..., Proof], way: str, turn: str, finish: str
) -> None:
    proof = proved(prove_text, ROUND, {"top": "1", "way": way, "turn": turn, "finish": finish, "dia": "37"})
    check_pocket(proof, shapely.Point(50, 30).buffer(18.5, quad_segs=128), -7.0)


@given(
    st.floats(14, 80), st.floats(14, 50), st.floats(5, 7), st.floats(1, 12), st.floats(0.5, 4), st.integers(20, 70),
    st.sampled_from(["0", "0.15", "0.5"]), st.sampled_from(["helix", "ramp", "plunge"]), st.sampled_from(["plain", "comp"]),
)  # fmt: skip
@example(14.0, 28.125, 5.0, 1.0, 1.0, 20, "0.15", "helix", "comp")  # a corner as round as the tool
@settings(max_examples=20, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_any_pocket_cuts_its_region_and_no_more(
    prove_text: Callable[..., Proof], long: float, wide: float, corner: float, deep: float, down: float, over: int,
    wall: str, way: str, finish: str,
) -> None:  # fmt: skip
    entered = {
        "long": f"{long:.3f}", "wide": f"{wide:.3f}", "corner": f"{corner:.3f}", "deep": f"{deep:.3f}", "top": "1",
        "down": f"{down:.3f}", "over": str(over), "wall": wall, "way": way, "finish": finish,
    }  # fmt: skip
    try:
        proof = proved(prove_text, RECTANGULAR, entered)
    except CannotBe as problem:
        assert "room" in str(problem) or "wider" in str(problem)
        return
    c = round(corner, 3)
    region = shapely.box(50 - long / 2 + c, 30 - wide / 2 + c, 50 + long / 2 - c, 30 + wide / 2 - c).buffer(c, quad_segs=64)  # fmt: skip
    check_pocket(proof, region, 1.0 - round(deep, 3))


@pytest.mark.parametrize("op", OPERATIONS, ids=lambda op: op.name)
@pytest.mark.parametrize("unit", ["mm", "inch"])
def test_text_becomes_the_form_again(op: Operation, unit: str) -> None:
    text = op.text({}, unit)  # type: ignore[arg-type]
    lines = ["G21", *text, "M30"]
    first = find_at(lines, 1, OPERATIONS)
    assert first is not None and op.text(first.entered, unit) == text  # type: ignore[arg-type]
    for line in (1, len(text) // 2, len(text)):
        found = find_at(lines, line, OPERATIONS)
        assert found is not None and (found.first, found.last) == (1, len(text))
        assert found.operation is op and not found.edited and found.entered == first.entered
    assert find_at(lines, 0, OPERATIONS) is None and find_at(lines, len(lines) - 1, OPERATIONS) is None
    assert all(len(line) <= 72 for line in text)


def test_numbers_and_spaces_are_no_hand_edit_but_a_figure_is() -> None:
    text = ROUND.text({}, "mm")
    for change in (renumber, spaced, unspaced):
        found = find_at(change(text), 12, OPERATIONS)
        assert found is not None and not found.edited, change
    edited = [line.replace("Z-1.", "Z-1.1") for line in text]
    found = find_at(edited, 12, OPERATIONS)
    assert found is not None and found.edited
    assert find_at(text[:-1], 5, OPERATIONS) is None
    assert find_at([t.replace("CX=", "QQ=") for t in text], 5, OPERATIONS) is None


@pytest.mark.parametrize(
    ("op", "entered", "key"),
    [
        (FACING, {"x1": "0"}, "x1"),
        (FACING, {"bottom": "2"}, "bottom"),
        (FACING, {"over": "95"}, "over"),
        (RECTANGULAR, {"d": "50"}, "d"),
        (RECTANGULAR, {"corner": "4"}, "corner"),
        (RECTANGULAR, {"corner": "25"}, "corner"),
        (RECTANGULAR, {"over": "80"}, "over"),
        (RECTANGULAR, {"floor": "9"}, "floor"),
        (ROUND, {"safe": "-1"}, "safe"),
        (ROUND, {"dia": "11", "way": "helix"}, "way"),
        (ROUND, {"dia": "11", "way": "plunge", "finish": "comp"}, "finish"),
        (ROUND, {"s": "0"}, "s"),
        (ROUND, {"angle": "45"}, "angle"),
    ],
)
def test_what_cannot_be_cut_names_its_field(op: Operation, entered: dict[str, str], key: str) -> None:
    with pytest.raises(CannotBe) as problem:
        op.text(entered, "mm")
    assert problem.value.key == key


def test_levels_are_even_and_never_deeper_than_wanted() -> None:
    assert levels(0.0, -5.0, 2.0) == pytest.approx((-5 / 3, -10 / 3, -5.0))
    assert levels(1.0, 0.0, 1.0) == (0.0,)


def test_shop_texts_are_filled_in_and_kept(tmp_path: Path) -> None:
    values = values_for(
        "inch", tool=7, speed="900", safe=1.0, title="Bed label", program=12, blocks=["G0 X1.5 Z2.", "Y3."]
    )
    assert filled(ShopTexts().tool_start, values)[1:] == ("T7 M6", "G0 G54 X1.5 Y3. S900 M3", "G43 H7 Z1.")
    assert filled("{UNITS} (A)\n%", values) == ("G20 (A)", "%") and filled("  ", values) == ()
    with pytest.raises(CannotBe, match="QQ"):
        filled("G0 {QQ}", values)
    assert first_place(["(X5)", "G0 Z1."]) == ("0.", "0.")
    texts = ShopTexts(start='(A "B" \\ C)\nG21', end="M30")
    write_shop(tmp_path / "shop.toml", texts)
    assert read_shop(tmp_path / "shop.toml") == texts
    (tmp_path / "bad.toml").write_text("format = 1\nstrat = 'x'\n")
    with pytest.raises(BadEntry, match="strat"):
        read_shop(tmp_path / "bad.toml")
