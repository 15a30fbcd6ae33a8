"""The program at a glance, against figures counted by hand."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from underglass.core.files.report import summary_as_dict, summary_as_text
from underglass.core.proof.proof import Proof
from underglass.core.proof.summary import summarise

Prove = Callable[..., Proof]
PROGRAM = """\
G21 G17 G40 G49 G80 G90 G94
T1 M6
G0 G54 X-20. Y-20. S3000 M3
G43 H1 Z25.
X50. Y-10. Z2.
G1 Z-3. F200
G41 D1 Y8. F400
X8. (down the left)
G40 Y-20.
G0 Z50.
M1
T2 M6
G0 X30. Y30. S1500 M3
G43 H2 Z2.
G81 X30. Y30. Z-12. R2. F120
G80 M77
GOTO 99
X1.
X2. (never)
N99 M30
"""


def test_the_figures(prove_text: Prove) -> None:
    found = summarise(prove_text(PROGRAM))
    assert (found.lines, found.stops) == (20, 1)
    assert found.offsets == ("G54",) and found.lengths == (1, 2) and found.radii == (1,)
    assert found.speeds == (1500.0, 3000.0) and found.feeds == (120.0, 400.0)
    assert found.unknown == ((16, 5),) and found.never_run == (18, 19)
    one, two = found.tools
    assert (one.number, one.first_line, one.lowest, one.lengths, one.radii) == (1, 2, -3.0, (1,), (1,))
    assert (two.number, two.first_line, two.lowest, two.lengths, two.radii) == (2, 12, -12.0, (2,), ())
    assert one.speeds == (3000.0, 3000.0) and two.feeds == (120.0, 120.0)
    assert (one.name, one.diameter, two.name, two.diameter) == ("end mill", 10.0, "drill", 8.0)


def test_margins_to_each_side_of_the_stock(prove_text: Prove) -> None:
    """The stock is 100 x 60 x 20 from the zero down; cutting tips go X 8 to 50, Y -20 to 30, Z to -12."""
    found = summarise(prove_text(PROGRAM))
    assert found.cutting is not None and found.margins is not None
    assert found.cutting.low == pytest.approx((8.0, -20.0, -12.0))
    m = found.margins
    # The compensated centre runs 5 mm below the wall's end at X8.
    assert (m.left, m.right, m.front, m.back, m.bottom) == pytest.approx((8.0, 50.0, -20.0, 30.0, 8.0))


def test_an_empty_program_has_an_empty_summary(prove_text: Prove) -> None:
    found = summarise(prove_text("M30\n"))
    assert (found.moves, found.everything, found.cutting, found.margins, found.tools) == (0, None, None, None, ())
    assert found.speeds is None and found.feeds is None


def test_in_words_and_as_data(prove_text: Prove) -> None:
    proof = prove_text(PROGRAM)
    text = summary_as_text(proof)
    assert "T2 drill 8, line 12" in text and "lowest Z -12.000" in text
    assert "lines never run: 18-19" in text and "words the control lacks: 16:5" in text
    data = summary_as_dict(proof)
    assert data["margins"]["bottom"] == 8.0 and data["tools"][0]["number"] == 1 and data["never_run"] == [18, 19]
