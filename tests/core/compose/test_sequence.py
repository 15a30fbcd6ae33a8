"""Operations in their order: the tool that each one finds, and that a program just written shows no hand edit."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest

from tests.conftest import PLAIN_JOB
from underglass.core.compose.operation import Around, Operation, find_all
from underglass.core.compose.registry import operations_of
from underglass.core.compose.sequence import (
    around_of,
    differing_parts,
    goes_by_parts,
    hand_edits,
    part_by_part,
    retooled,
    tool_after,
    tool_by_tool,
)
from underglass.core.compose.shop import FIRST
from underglass.core.proof.proof import Proof
from underglass.core.reckon.form import CannotBe


def _op(kind: str, name: str) -> Operation:
    return next(op for op in operations_of(kind) if op.name == name)


def test_a_mills_t101_is_tool_101_and_a_lathes_t0404_is_station_4() -> None:
    # Common practice, no source: a lathe's T carries its offset in the last two figures, a mill's does not.
    assert tool_after(["T101 M6", "G0 X0."], None, Around(texts=FIRST["mill"])) == 101
    assert tool_after(["T0404", "G0 X50."], None, Around(texts=FIRST["lathe"])) == 4
    assert tool_after(["G0 X0."], 7, Around(texts=FIRST["mill"])) == 7


@pytest.mark.parametrize("kind", ["mill", "lathe", "punch"])
def test_the_second_of_two_tools_is_no_hand_edit(kind: str) -> None:
    op = next(op for op in operations_of(kind) if any(f.key == "t" for f in op.fields))
    around = Around(texts=FIRST[kind], bring=True)
    first = op.text({"t": "3"}, "mm", around)
    second = op.text({"t": "5"}, "mm", Around(texts=FIRST[kind], bring=True, tool_before=3))
    lines = [*first, *second]
    found = list(find_all(lines, (op,)))
    assert len(found) == 2
    for one, text in zip(found, (first, second), strict=True):
        assert hand_edits(lines, one, "mm", around) == ()
        assert op.text(op.only_asked(one.entered), "mm", around_of(lines, one, around)) == text


def test_turned_letters_are_where_g68_turns_them_to() -> None:
    op = _op("mill", "Engraving")
    rows = []
    for by in ("figures", "word"):
        answer = op.answer({"text": "BED 4", "rot": "90", "rotx": "10", "roty": "5", "rotby": by}, "mm", Around())
        rows.append({row.word: row.shown for row in answer.rows})
    assert rows[0]["Extents X"] == rows[1]["Extents X"] and rows[0]["Extents Y"] == rows[1]["Extents Y"]
    straight = {row.word: row.shown for row in op.answer({"text": "BED 4"}, "mm", Around()).rows}
    x0, x1 = (float(v.split()[0]) for v in straight["Extents X"].split(" to "))
    y0, y1 = (float(v.split()[0]) for v in rows[1]["Extents Y"].split(" to "))
    # A quarter turn about (10, 5): y = 5 + (x - 10).
    assert (y0, y1) == pytest.approx((x0 - 5.0, x1 - 5.0), abs=0.002)


def two_pockets(places: str = "0 0\n60 0") -> tuple[list[str], list[Operation], Around]:
    """A pocket and a deeper round one inside it, by two tools, at two places."""
    ops = [_op("mill", "Pocket, rectangular"), _op("mill", "Pocket, round")]
    around = Around(texts=FIRST["mill"], bring=True)
    many = {"parts": "list", "shifts": places, "cx": "30", "cy": "30"}
    lines = ["G21 G90 G17 G40 G49 G80 G94", "(HAND)"]
    lines += ops[0].text({"t": "1", "long": "40", "wide": "30", "deep": "4", **many}, "mm", around)
    lines += ops[1].text(
        {"t": "2", "dia": "24", "top": "-4", "deep": "6", **many},
        "mm",
        Around(texts=FIRST["mill"], bring=True, tool_before=1),
    )
    return [*lines, "M5", "M30"], ops, around


def changes(lines: list[str] | tuple[str, ...]) -> int:
    return sum(" M6" in f" {text}" for text in lines)


def test_part_by_part_and_back_is_the_same_program() -> None:
    lines, ops, around = two_pockets()
    rows = list(find_all(lines, ops))
    assert goes_by_parts(rows) is False and changes(lines) == 2
    turned = retooled(part_by_part(lines, rows, "mm"), ops, "mm", around)
    again = list(find_all(turned, ops))
    assert [r.operation.name for r in again] == ["Pocket, rectangular", "Pocket, round"] * 2
    assert [[float(v) for v in r.entered["shifts"].split()] for r in again] == [[0, 0], [0, 0], [60, 0], [60, 0]]
    assert "(PART 2 OF 2)" in turned and changes(turned) == 4
    assert turned[:2] == tuple(lines[:2]) and turned[-2:] == tuple(lines[-2:])
    assert goes_by_parts(again) is True and differing_parts(again) == ""
    assert list(retooled(tool_by_tool(turned, again, "mm"), ops, "mm", around)) == lines


def test_both_orders_leave_the_same_metal(prove_text: Callable[..., Proof]) -> None:
    lines, ops, around = two_pockets("0 0\n60 0\n0 60")
    job = PLAIN_JOB.replace("[100.0, 60.0, 20.0]", "[140.0, 130.0, 20.0]").replace("cell = 0.25", "cell = 0.5")
    job = job.replace('kind = "drill"\nDC = 8.0\nSIG = 118.0', 'kind = "end-mill"\nDC = 10.0').replace(
        "place = [-25.0, 20.0, -5.0]", "place = [-60.0, 20.0, -20.0]"
    )
    turned = retooled(part_by_part(lines, list(find_all(lines, ops)), "mm"), ops, "mm", around)
    one, two = (prove_text("\n".join(text) + "\n", job) for text in (lines, turned))
    assert not [f for f in (*one.troubles, *two.troubles) if f.severity.word in ("crash", "fault")]
    np.testing.assert_array_equal(one.stocks[0].final.h, two.stocks[0].final.h)
    assert one.stocks[0].removed.sum() > 15_000.0
    assert two.timing.total > one.timing.total + 3.5 * one.job.bench.machine.tool_change_s


def test_what_cannot_be_turned_round_says_why() -> None:
    lines, ops, _around = two_pockets()
    rows = list(find_all(lines, ops))
    between = [*lines[: rows[1].first], "M0", *lines[rows[1].first :]]
    other = _op("mill", "Pocket, round").text({"t": "2", "parts": "list", "shifts": "0 0\n50 0"}, "mm")
    at = next(k for k in range(rows[0].first, rows[0].last) if lines[k].startswith("G1 "))
    cases = (
        (between, part_by_part, "written by hand"),
        ([*lines[: rows[1].first], *other], part_by_part, "not cut at the same parts"),
        (lines[: rows[1].first], part_by_part, "one operation"),
        (lines, tool_by_tool, "once for each part"),
        ([*lines[:at], lines[at].replace("G1 ", "G1 G9 "), *lines[at + 1 :]], part_by_part, "by hand"),
    )
    for text, turn, why in cases:
        with pytest.raises(CannotBe, match=why):
            turn(text, list(find_all(text, ops)), "mm")
    alone = list(find_all(_op("mill", "Pocket, round").text({}, "mm"), ops))
    assert goes_by_parts(alone) is None
