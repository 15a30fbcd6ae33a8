"""Operations in their order: the tool that each one finds, and that a program just written shows no hand edit."""

from __future__ import annotations

import pytest

from underglass.core.compose.operation import Around, Operation, find_all
from underglass.core.compose.registry import operations_of
from underglass.core.compose.sequence import around_of, hand_edits, tool_after
from underglass.core.compose.shop import FIRST


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
