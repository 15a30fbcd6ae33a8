"""Figures typed with arithmetic and units. An inch is 25.4 mm exactly (international inch, 1959)."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from underglass.core.reckon.figure import BadFigure, read_figure


@pytest.mark.parametrize(
    ("text", "unit", "value"),
    [
        ("12.5", "mm", 12.5),
        ("25.4/2", "mm", 12.7),
        ("3/8in", "mm", 9.525),
        ('1 1/2"', "mm", 38.1),
        ("12.7mm", "inch", 0.5),
        ("2in + 3mm", "mm", 53.8),
        ("12,5", "mm", 12.5),
        ("-(3+4)*2", None, -14.0),
        ("2^3", None, 8.0),
        ("10*sin(30)", None, 5.0),
        ("atan(1)", None, 45.0),
        ("\u22125", "mm", -5.0),
        ("1/2+1/4", "inch", 0.75),
    ],
)
def test_figures(text: str, unit: str | None, value: float) -> None:
    assert math.isclose(read_figure(text, unit), value, rel_tol=1e-12)  # type: ignore[arg-type]


@pytest.mark.parametrize(
    "text", ["", "x", "1/0", "1e400", "9**9**9", "__import__('os')", "(1", "3 4", "sqrt(-1)", "foo(1)", "(-8)^0.5"]
)
def test_what_is_no_figure_is_said(text: str) -> None:
    with pytest.raises(BadFigure):
        read_figure(text, "mm")


def test_no_unit_where_none_belongs() -> None:
    with pytest.raises(BadFigure, match="no unit"):
        read_figure("3mm")


@given(st.text(max_size=12))
def test_anything_typed_is_a_figure_or_is_said(text: str) -> None:
    try:
        assert math.isfinite(read_figure(text, "mm"))
    except BadFigure as problem:
        assert str(problem)
