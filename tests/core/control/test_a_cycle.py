"""A cycle is one value: added at run time, it is known everywhere; and those that are there have all that is asked of them."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.conftest import PLAIN_JOB, START, write_job
from underglass.core.control.cycles import COMMON_CYCLES, CYCLES, INPUTS, Cycle, Hole, Step, feed, rapid
from underglass.core.control.motions import Kind
from underglass.core.data import data_folder
from underglass.core.files.job import read_job
from underglass.core.language.source import read_text
from underglass.core.proof.complete import suggestions
from underglass.core.proof.cycle_picture import cycle_picture
from underglass.core.proof.prove import prove
from underglass.core.proof.reader import read_out


def _twice(h: Hole) -> Iterator[Step]:
    yield from (feed(h.bottom), *h.wait, rapid(h.level), feed(h.bottom), rapid(h.back))


TWICE = Cycle(name="ream-twice", said="Goes through the hole twice", steps=_twice, inputs=("bottom", "level", "dwell"))


def test_a_cycle_added_at_run_time_is_found_everywhere(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setitem(CYCLES, TWICE.name, TWICE)
    own = (data_folder() / "profiles" / "control" / "word-address-mill.toml").read_text()
    head = '\nG81 = "drill"'
    (tmp_path / "mine.toml").write_text(own.replace(head, head + '\nG77 = { does = "ream-twice", dwell = "E" }'))
    text = START + "G99 G77 X20. Y20. Z-3. R2. E0.5 F100\nG80\nG0 Z50.\nM30\n"
    job = read_job(write_job(tmp_path, text, PLAIN_JOB.replace("format = 1", 'format = 1\ncontrol = "mine.toml"')))
    proof = prove(job, read_text(text, "plain.nc"))
    line = text[: text.index("G77")].count("\n") + 1
    motions = proof.motions
    mine = motions.line == line
    assert (motions.kind[mine] == Kind.CYCLE_FEED).sum() == 2 and motions.dwell[mine].sum() == pytest.approx(0.5)
    assert not [f for f in proof.troubles if f.code in ("word-unknown", "word-unused")]
    assert TWICE.said in " ".join(read_out(proof, text.splitlines()[line - 1], line).sentences)
    assert ("G77", TWICE.said) in [(s.text, s.said) for s in suggestions(job, "G7", 2, None)]
    bound = job.control.cycles[770]
    assert [letter for _n, letter, _s in bound.inputs] == ["Z", "R", "E"]
    assert sum(s.style == "path" for s in cycle_picture(bound, {})) == 2


@pytest.mark.parametrize("bound", COMMON_CYCLES.values(), ids=lambda b: b.cycle.name)
def test_every_cycle_has_a_sentence_known_inputs_and_a_picture_of_its_own_steps(bound) -> None:  # type: ignore[no-untyped-def]
    cycle = bound.cycle
    assert CYCLES[cycle.name] is cycle and cycle.said and set(cycle.inputs) <= set(INPUTS)
    assert set(cycle.missed) <= set(cycle.inputs)
    hole = Hole(level=2.0, bottom=-9.0, back=5.0, step=3.0, dwell=1.0, aside=(0.5, 0.0), upper=-4.0)
    steps = list(cycle.steps(hole))
    heights = [s.z for s in steps if s.kind in ("feed", "rapid")]
    assert min(heights) == -9.0 and heights[-1] == 5.0, "in to the bottom, and out to where it goes back to"
    across = [s.aside[0] for s in steps if s.kind == "aside"]
    assert sum(across) == 0.0 and bool(across) == cycle.takes("aside")
    assert any(s.kind == "dwell" for s in steps) >= cycle.takes("dwell")
    written = {letter: f"{letter}1." for _n, letter, _s in bound.inputs}
    assert not [s for s in cycle_picture(bound, written) if s.style == "missing"]
    missing = [s.text for s in cycle_picture(bound, {}) if s.style == "missing" and s.text]
    assert len(missing) == len(cycle.inputs)
    highest = [max(s.at[1], s.at[3]) for s in cycle_picture(bound, written, to_level=True) if s.kind == "line"]
    level = next(s.at[1] for s in cycle_picture(bound, written) if s.text == written[bound.letter("level")])
    back_to_level = highest[-1] == level
    assert back_to_level != cycle.from_below, "under G99 the tool goes back to R, and no higher"
