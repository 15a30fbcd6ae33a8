"""What is in force, line by line: against the state that a restart rebuilds, and one line's end against the next one's start."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import START, write_job
from underglass.core.control.flow import Limits
from underglass.core.files.demo import copy_demo
from underglass.core.files.load import load
from underglass.core.language.source import read_text
from underglass.core.proof.prove import prove
from underglass.core.proof.restart import restart
from underglass.core.proof.standing import standing

LINES = [
    "G0 X1. Y2.", "G91", "G90", "G1 Z-1. F200", "X5.", "G55", "G54", "G52 X2.", "G52 X0.", "G68 X0. Y0. R30.", "G69", "G20", "G21",
    "S900 M3", "M5", "T2 M6", "G43 H2", "G49", "G18", "G17", "M8", "M9", "G61", "G64", "(A)", "", "G4 P1.", "G81 Z-2. R1. F90", "G80",
    "G41 D1", "G40", "#1=5", "IF [#1 EQ 5] GOTO 900", "N900", "X--3",
]  # fmt: skip


@pytest.fixture(scope="module")
def demo(tmp_path_factory: pytest.TempPathFactory):  # type: ignore[no-untyped-def]
    job, source, _program = load(copy_demo("vent-bracket", tmp_path_factory.mktemp("demo")))
    return prove(job, source)


def test_before_a_line_is_what_a_restart_there_rebuilds(demo) -> None:  # type: ignore[no-untyped-def]
    for line in range(1, len(demo.source.lines) + 1, 3):
        found, start = standing(demo, line), restart(demo, line)
        assert (found is not None) == start.reached
        if found is not None:
            assert (
                found.before == start.state and found.place == pytest.approx(start.place) and found.feed == start.feed
            )


def test_after_a_line_is_what_is_before_the_next(demo) -> None:  # type: ignore[no-untyped-def]
    known = [standing(demo, line) for line in range(1, len(demo.source.lines) + 1)]
    for one, other in pairwise(known):
        if one is not None and other is not None:
            assert one.after == other.before and one.place_after == pytest.approx(other.place)


@given(st.lists(st.sampled_from(LINES), max_size=14))
@settings(max_examples=60, deadline=None)
def test_any_program_has_something_in_force_at_each_line_it_comes_to(tmp_path_factory, lines: list[str]) -> None:  # type: ignore[no-untyped-def]
    folder = Path(tmp_path_factory.mktemp("any"))
    text = START + "\n".join(lines) + "\nM30\n"
    job, _source, _program = load(write_job(folder, text))
    job = replace(job, control=replace(job.control, limits=Limits(jumps=2000, work=2000, pecks=200)))
    proof = prove(job, read_text(text, "plain.nc"))
    for line in range(1, len(proof.source.lines) + 1):
        found = standing(proof, line)
        assert (found is not None) == proof.run.ran(line)
        if found is not None:
            rows = found.rows()
            assert len({r.what for r in rows}) == len(rows) and all(r.before and r.after for r in rows)
