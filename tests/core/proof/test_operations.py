"""A run taken apart into operations."""

from __future__ import annotations

import itertools
from collections.abc import Callable

import numpy as np

from tests.conftest import START
from underglass.core.language.outline import sections
from underglass.core.proof.operations import operation_of, operations
from underglass.core.proof.proof import Proof

TEXT = (
    START
    + "(SLOT)\nX50. Y-8.\nZ2.\nG1 Z-4. F300\n(STILL THE SLOT)\nY68.\nG0 Z50.\n(SHELF)\nX10. Y-8.\nZ1.\nG1 Z-2.\nY68.\nG0 Z50.\nM5\n"
    + "(DRILL 8)\nT2 M6\nG0 G54 X80. Y30. S2000 M3\nG43 H2 Z5.\nG1 Z-6. F100\nG0 Z50.\nM5\nM30\n"
)


def test_operations_begin_at_tools_and_at_headings_between_cuts(prove_text: Callable[..., Proof]) -> None:
    proof = prove_text(TEXT)
    found = operations(proof)
    assert [(o.tool, o.name) for o in found] == [(1, ""), (1, "SLOT"), (1, "SHELF"), (2, "DRILL 8")]
    assert found[-1].title == "T2 DRILL 8"
    # Together they are the whole run, each move once, in order.
    assert (operation_of(found, len(proof.motions)) >= 0).all()
    assert all(a.last == b.first and a.end_s <= b.start_s + 1e-9 for a, b in itertools.pairwise(found))
    assert found[2].line == proof.motions.line[found[2].first] == 13


def test_a_program_without_moves_has_none(prove_text: Callable[..., Proof]) -> None:
    proof = prove_text("M30\n")
    assert operations(proof) == () and np.array_equal(operation_of((), 0), np.zeros(0, dtype=np.int32))


def test_a_filled_in_operation_goes_by_its_name(prove_text: Callable[..., Proof]) -> None:
    text = (
        START
        + "(POCKET, ROUND: CX=60. CY=40.\n(  TOP=0. DEEP=6. DOWN=2.)\nG0 X60. Y40.\nZ2.\nG1 Z-2. F200\nG0 Z25.\n"
        + "(POCKET, ROUND: END 3FA1)\nG0 X0. Y0.\n(SLOT)\n(SECOND LINE OF IT)\nG0 X20.\nG1 Z-1.\nG0 Z50.\nM5\nM30\n"
    )
    text = text.replace("CY=40.\n", "CY=40.)\n")
    assert [o.name for o in operations(prove_text(text))] == ["", "POCKET, ROUND", "SLOT"]


def test_a_tool_called_within_a_form_goes_by_the_forms_name(prove_text: Callable[..., Proof]) -> None:
    """The shop's own comment on the tool stands nearer to its change, and says less."""
    text = (
        START
        + "G0 Z50.\n(POCKET, ROUND: CX=60. CY=40.)\n(  TOP=0. DEEP=6.)\nM5\n(DRILL 8)\nT2 M6\nG0 G54 X60. Y40. S2000 M3\nG43 H2 Z5.\n"
        + "G1 Z-2. F100\nG0 Z50.\n(POCKET, ROUND: END 3FA1)\n(SLOT MILL)\nT1 M6\nG0 X20. S2000 M3\nG43 H1 Z5.\nG1 Z-1. F100\nG0 Z50.\nM5\nM30\n"
    )
    assert [o.title for o in operations(prove_text(text))] == ["T1", "T2 POCKET, ROUND", "T1 SLOT MILL"]
    assert [s.title for s in sections(text.splitlines())][1:] == ["POCKET, ROUND", "SLOT MILL"]
