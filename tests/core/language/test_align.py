"""Two texts side by side."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from underglass.core.language.align import aligned, differing, groups, meaning

lines = st.lists(st.sampled_from(["G0 X1.", "G1 Z-1. F100", "M30", "(A)", ""]), max_size=12)


@given(lines, lines, st.booleans())
def test_every_line_of_both_stands_once_and_in_order(a: list[str], b: list[str], by_meaning: bool) -> None:
    rows = aligned(a, b, by_meaning)
    assert [r.a for r in rows if r.a is not None] == list(range(len(a)))
    assert [r.b for r in rows if r.b is not None] == list(range(len(b)))
    for row in rows:
        if row.kind == "same" and row.a is not None and row.b is not None and not by_meaning:
            assert a[row.a] == b[row.b]
    assert sum(last - first + 1 for first, last in groups(rows)) == sum(r.kind != "same" for r in rows)


@pytest.mark.parametrize(
    ("one", "other", "same"),
    [
        ("N10 G1 X5.00 (A)", "g01x5.", True),
        ("G1 X5.", "G1 X5", False),
        ("X-0.", "X0.", True),
        ("/G1 X5.", "G1 X5.", False),
        ("X.5", "X0.5", True),
        ("#1 = 5 (A)", "#1=5", True),
        ("G1 X5.1", "G1 X5.01", False),
    ],
)
def test_what_a_control_does_not_care_for(one: str, other: str, same: bool) -> None:
    assert (meaning(one) == meaning(other)) == same


def test_changed_lines_stand_beside_each_other_with_what_differs() -> None:
    rows = aligned(["G0", "G1 X5. F300", "M5", "M30"], ["G0", "G1 X7. F300", "M30"])
    assert [(r.a, r.b, r.kind) for r in rows] == [
        (0, 0, "same"),
        (1, 1, "changed"),
        (2, None, "only-a"),
        (3, 2, "same"),
    ]
    assert differing("G1 X5. F300", "G1 X7. F300") == ([(4, 5)], [(4, 5)])
    assert groups(rows) == [(1, 2)]
