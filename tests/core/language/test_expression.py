"""Arithmetic. The worked values are NISTIR 6556's (section 3.3.2.3, from memory) where it says so."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from underglass.core.language.expression import ExpressionProblem, evaluate, read_sum, read_value


def value(text: str, variables: dict[int, float] | None = None) -> float:
    node, end = read_sum(text, 0)
    assert text[end:].strip() == ""
    return evaluate(node, variables or {})


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        # NISTIR 6556, from memory: [1+acos[0]-[#3**[4.0/2]]] and 2/3*1.5-5.5/11.0 is [2/3*1.5]-[5.5/11.0] = 0.5
        ("2.0 / 3 * 1.5 - 5.5 / 11.0", 0.5),
        ("1 + ACOS[0] - [#3 ** [4.0 / 2]]", 1 + 90 - 9),
        ("2 ** 3 ** 2", 64),
        ("10 MOD 3", 1),
        ("-7 MOD 4", 1),
        ("FIX[2.8]", 2),
        ("FIX[-2.8]", -3),
        ("FUP[2.8]", 3),
        ("FUP[-2.8]", -2),
        ("ROUND[2.5]", 3),
        ("ATAN[1]/[1]", 45),
        ("ATAN[1]/[-1]", 135),
        ("SIN[30] + COS[60] + TAN[45]", 2.0),
        ("SQRT[#1] * LN[EXP[2]]", 8),
        ("ABS[-3] - -2", 5),
        ("#[1+2]", 3),
        ("#4", 0),
        ("2 GT 1 AND 3 GT 2", 0),
        ("[2 GT 1] AND [3 GT 2]", 1),
        ("1 EQ 1.0000000001", 1),
        ("[1 LT 2] XOR [1 LE 1]", 0),
        ("asin[1]", 90),
    ],
)
def test_values(text: str, expected: float) -> None:
    # AND is as tight as + here, tighter than GT: without brackets 2 GT [1 AND 3] GT 2.
    assert value(text, {1: 16.0, 3: 3.0}) == pytest.approx(expected)


@pytest.mark.parametrize(
    ("text", "start", "says"),
    [
        ("1 / 0", 0, "divides by zero"),
        ("2 * SQRT[-1]", 4, "SQRT of -1"),
        ("[1 + 2", 0, "never closed"),
        ("1 +", 2, "expected"),
        ("ATAN[1]", 0, "two brackets"),
        ("#1.5", 0, "whole number"),
        ("[-2] ** 0.5", 0, "broken power"),
        ("EXP[9999]", 0, "no number"),
        ("9" * 39 + "* 9", 0, "usable"),
        ("[" * 80 + "1" + "]" * 80, 59, "too deeply"),
    ],
)
def test_what_has_no_value_says_where(text: str, start: int, says: str) -> None:
    with pytest.raises(ExpressionProblem) as caught:
        value(text)
    assert says in caught.value.message
    assert abs(caught.value.start - start) <= 1


@given(
    st.text(alphabet="0123456789.#[]+-*/ ABSINCOTQRMDEXPGLU", max_size=40),
    st.dictionaries(st.integers(0, 9), st.floats(-9, 9)),
)
def test_any_text_has_a_value_or_a_reason(text: str, variables: dict[int, float]) -> None:
    try:
        node, end = read_value(text, 0)
        assert 0 < end <= len(text)
        assert math.isfinite(evaluate(node, variables))
    except ExpressionProblem as problem:
        assert problem.message and problem.start < problem.end


@given(
    st.recursive(
        st.integers(1, 9).map(str),
        lambda part: st.tuples(part, st.sampled_from("+-*"), part).map(lambda t: f"[{t[0]}{t[1]}{t[2]}]"),
        max_leaves=12,
    )
)
def test_brackets_sums_and_products_are_pythons(text: str) -> None:
    # Only digits, brackets and + - * come out of the generator, so Python itself can be the judge here.
    assert value(text) == pytest.approx(eval(text.replace("[", "(").replace("]", ")")))
